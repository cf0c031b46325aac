"""Whether a value is of a type, and if not, which part of it is not."""

from __future__ import annotations

import collections
import io
import typing
from collections import abc
from collections.abc import Callable, Iterable
from itertools import islice
from typing import Any

from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.types.forms import substitute, type_arguments, type_name
from urnshelf.types.nodes import Kind, Node, node_of

SAMPLE = 200
"""How many items of a container are checked: enough to catch a mix-up, few enough to cost
nothing.
"""
_LOOKED_INTO = (
    list, set, frozenset, tuple, collections.deque, str, bytes, bytearray, dict, range,
    abc.KeysView, abc.ItemsView, abc.ValuesView,
)  # fmt: skip
"""Collections of Python's own: to look into an iterator would use it up, and others may do more."""

Wrong = tuple[str, Any, str]
"""Where it is, what was found there, and the type that was wanted."""


class _Look:
    """How a value is looked at: so many items of each container; and the class that `Self` means,
    None where that cannot be told.
    """

    def __init__(self, sample: int, owner: Any) -> None:
        self.sample = sample
        self.owner = owner


_WHOLE = _Look(SAMPLE, None)
_Check = Callable[[Any, Node, str, _Look], Wrong | None]


def misfit(value: object, node: Node, sample: int = SAMPLE, owner: Any = None) -> str | None:
    """Why the value is not of the type; None when it is, or when that cannot be told.

    Args:
        value: any.
        node: the type.
        sample: how many items of each container are looked at.
        owner: the class that `Self` means.

    >>> from urnshelf.types.nodes import node_of
    >>> misfit([1, "two"], node_of(list[int]))
    "[1] is 'two', a str, not int"
    """
    if type(value) is node.bare:  # by far the most common, and not generic
        return None
    look = _WHOLE if sample == SAMPLE and owner is None else _Look(sample, owner)
    wrong = _misfit(value, node, "", look)
    if wrong is None:
        return None
    where, found, wanted = wrong
    what = "a class" if isinstance(found, type) else _a(type(found).__name__)
    return f"{where or 'it'} is {show(found, 60)}, {what}, not {wanted}"


def _misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    if value is None and (node.optional or node.kind is Kind.NONE):
        return None
    check: _Check = _CHECKS.get(node.kind, _class_misfit)
    return check(value, node, path, look)


def _wrong(value: object, node: Node, path: str) -> Wrong:
    return path, value, type_name(node.form)


def _unknown(_value: object, _node: Node, _path: str, _look: _Look) -> None:
    return None


def _always_wrong(value: object, node: Node, path: str, _look: _Look) -> Wrong:
    return _wrong(value, node, path)


def _self_misfit(value: object, _node: Node, path: str, look: _Look) -> Wrong | None:
    if look.owner is None or _is_instance(value, look.owner):
        return None
    return path, value, type_name(look.owner)


def _union_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    wrongs = [_misfit(value, member, path, look) for member in node.args]
    # the member that fits but for a part inside is the one that was meant
    deep = [wrong for wrong in wrongs if wrong is not None and wrong[0] != path]
    if None in wrongs:
        return None
    return deep[0] if deep else _wrong(value, node, path)


def _variable_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    # one with constraints is one of them; of any other nothing is told
    return _union_misfit(value, node, path, look) if node.args else None


def _literal_misfit(value: object, node: Node, path: str, _look: _Look) -> Wrong | None:
    # True is no Literal[1]
    fits = any(type(value) is type(one) and value == one for one in node.values)
    return None if fits else _wrong(value, node, path)


def _class_object_misfit(value: object, node: Node, path: str, _look: _Look) -> Wrong | None:
    fits = isinstance(value, type) and (not node.args or _is_subclass(value, node.args[0]))
    return None if fits else _wrong(value, node, path)


def _is_subclass(cls: type, node: Node) -> bool:
    if node.kind is Kind.UNION:
        return any(_is_subclass(cls, one) for one in node.args)
    is_told = node.kind is not Kind.ANY and isinstance(node.origin, type)
    # whether a class keeps a protocol, its objects tell
    is_nominal = is_told and not getattr(node.origin, "_is_protocol", False)
    return not is_nominal or issubclass(cls, node.origin)


def _callable_misfit(value: object, node: Node, path: str, _look: _Look) -> Wrong | None:
    return None if callable(value) else _wrong(value, node, path)


def _class_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    if not _is_instance(value, node.origin) and not _is_of_generic(value, node.origin):
        return _wrong(value, node, path)
    for name, part in _generic_fields(node).items():
        wrong = _misfit(getattr(value, name, None), part, f"{path}.{name}", look)
        if wrong:
            return wrong
    return None


def _is_of_generic(value: object, cls: Any) -> bool:
    """Whether both are of one generic model, whose filled forms are classes of their own."""
    model = _model_of(cls)
    return model is not None and any(_model_of(one) is model for one in type(value).__mro__)


def _model_of(cls: Any) -> Any:
    told = getattr(cls, "__pydantic_generic_metadata__", None)
    return None if told is None else told.get("origin") or cls


def _generic_fields(node: Node) -> dict[str, Node]:
    """The fields of a generic record, with what its type arguments make of them."""
    told = getattr(node.origin, "__pydantic_generic_metadata__", None)
    if not node.args and not (told and told.get("args")):
        return {}
    described = describe(node.origin)
    if described is None:
        return {}
    filled = type_arguments(node.bare).get(node.origin, {})
    fields = described.fields.items()
    return {name: node_of(substitute(field.node.form, filled)) for name, field in fields}


def _items_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    if not _is_instance(value, node.origin):
        return _wrong(value, node, path)
    if not node.args or not isinstance(value, _LOOKED_INTO):
        return None
    # items of just the promised class, as nearly all are
    if set(map(type, islice(value, look.sample))) <= {node.item.bare}:
        return None
    return _first_wrong(islice(value, look.sample), node.item, path, 0, look)


def _first_wrong(
    items: Iterable[Any], node: Node, path: str, start: int, look: _Look
) -> Wrong | None:
    for number, item in enumerate(items, start):
        wrong = _misfit(item, node, f"{path}[{number}]", look)
        if wrong:
            return wrong
    return None


def _tuple_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    if not isinstance(value, tuple):
        return _wrong(value, node, path)
    spread = next((i for i, part in enumerate(node.args) if _is_unpacked(part)), None)
    if spread is None:
        return _parts_misfit(value, node.args, node, path, look)
    after = len(node.args) - spread - 1
    if len(value) < spread + after:
        return _wrong(value, node, path)
    fixed = value[:spread] + value[len(value) - after :]
    parts = node.args[:spread] + node.args[spread + 1 :]
    middle, many = value[spread : len(value) - after], node.args[spread]
    if many.kind is Kind.TUPLE:
        wrong = _parts_misfit(middle, many.args, node, path, look)
    else:
        wrong = _first_wrong(middle, many.item, path, spread, look)
    return wrong or _parts_misfit(fixed, parts, node, path, look)


def _is_unpacked(node: Node) -> bool:
    return getattr(node.form, "__unpacked__", False) or "unpacked" in node.qualifiers


def _parts_misfit(
    value: tuple[Any, ...], parts: tuple[Node, ...], node: Node, path: str, look: _Look
) -> Wrong | None:
    if len(value) != len(parts):
        return _wrong(value, node, path)
    for number, (item, part) in enumerate(zip(value, parts, strict=True)):
        wrong = _misfit(item, part, f"{path}[{number}]", look)
        if wrong:
            return wrong
    return None


def _mapping_misfit(value: Any, node: Node, path: str, look: _Look) -> Wrong | None:
    if not _is_instance(value, node.origin):
        return _wrong(value, node, path)
    if len(node.args) != 2:
        return None
    keys, values = node.args
    for key, item in islice(value.items(), look.sample):
        wrong = _misfit(key, keys, f"{path} key", look) or _misfit(
            item, values, f"{path}[{show(key, 30)}]", look
        )
        if wrong:
            return wrong
    return None


def _typed_dict_misfit(value: object, node: Node, path: str, look: _Look) -> Wrong | None:
    described = describe(node.bare)
    fields = described.fields if described else {}
    required = {name for name, field in fields.items() if not field.is_optional}
    if not isinstance(value, dict) or not required <= value.keys():
        return _wrong(value, node, path)
    for key, item in value.items():
        inside = f"{path}[{key!r}]"
        wrong = (
            _misfit(item, fields[key].node, inside, look)
            if key in fields
            else _wrong(item, node, inside)
        )
        if wrong:
            return wrong
    return None


def _is_text(node: Node) -> bool:
    return node.origin is typing.TextIO or node.item.bare is str


def _file_misfit(value: object, node: Node, path: str, _look: _Look) -> Wrong | None:
    """Python's own files do not inherit from the classes by which they are annotated."""
    binary = (io.RawIOBase, io.BufferedIOBase)
    if node.origin is typing.BinaryIO or node.item.bare is bytes:
        other: Any = io.TextIOBase
    else:
        other = binary if _is_text(node) else ()
    has_all = all(hasattr(value, name) for name in ("read", "write", "close"))
    fits = has_all and not isinstance(value, (type, other) if other else type)
    return None if fits else _wrong(value, node, path)


_CHECKS: dict[Kind, _Check] = {
    Kind.ANY: _unknown,
    Kind.UNKNOWN: _unknown,
    Kind.SELF: _self_misfit,
    Kind.VARIABLE: _variable_misfit,
    Kind.NEVER: _always_wrong,
    Kind.NONE: _always_wrong,
    Kind.UNION: _union_misfit,
    Kind.LITERAL: _literal_misfit,
    Kind.CLASS_OBJECT: _class_object_misfit,
    Kind.CALLABLE: _callable_misfit,
    Kind.TUPLE: _tuple_misfit,
    Kind.ITEMS: _items_misfit,
    Kind.MAPPING: _mapping_misfit,
    Kind.TYPED_DICT: _typed_dict_misfit,
    Kind.FILE: _file_misfit,
}


def _is_instance(value: Any, cls: Any) -> bool:
    if cls is float:
        # as checkers have it: an int will do for a float (PEP 484)
        return isinstance(value, (int, float))
    if cls is complex:
        return isinstance(value, (int, float, complex))
    if getattr(cls, "_is_protocol", False):
        from urnshelf.records.protocols import has_members_of

        return has_members_of(value, cls)
    try:
        return isinstance(value, cls)
    except TypeError:
        return True


def _a(noun: str) -> str:
    return f"an {noun}" if noun[:1] in "aeiouAEIOU" else f"a {noun}"
