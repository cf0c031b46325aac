"""Whether a value is of a type, and if not, which part of it is not."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import islice
from typing import Any

from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.types.annotations import annotations_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind, Node

SAMPLE = 200
"""How many items of a container are checked: enough to catch a mix-up, few enough to cost
nothing.
"""

Wrong = tuple[str, Any, str]
"""Where it is, what was found there, and the type that was wanted."""


def misfit(value: object, node: Node) -> str | None:
    """Why the value is not of the type; None when it is, or when that cannot be told.

    >>> from urnshelf.types.nodes import node_of
    >>> misfit([1, "two"], node_of(list[int]))
    "[1] is 'two', a str, not int"
    """
    if type(value) is node.bare:  # by far the most common, and not generic
        return None
    wrong = _misfit(value, node, "")
    if wrong is None:
        return None
    where, found, wanted = wrong
    return f"{where or 'it'} is {show(found, 60)}, {_a(type(found).__name__)}, not {wanted}"


def _misfit(value: object, node: Node, path: str) -> Wrong | None:
    if value is None and (node.optional or node.kind is Kind.NONE):
        return None
    check = _CHECKS.get(node.kind, _class_misfit)
    return check(value, node, path)


def _wrong(value: object, node: Node, path: str) -> Wrong:
    return path, value, type_name(node.form)


def _unknown(_value: object, _node: Node, _path: str) -> None:
    return None


def _always_wrong(value: object, node: Node, path: str) -> Wrong:
    return _wrong(value, node, path)


def _union_misfit(value: object, node: Node, path: str) -> Wrong | None:
    wrongs = [_misfit(value, member, path) for member in node.args]
    # the member that fits but for a part inside is the one that was meant
    deep = [wrong for wrong in wrongs if wrong is not None and wrong[0] != path]
    if None in wrongs:
        return None
    return deep[0] if deep else _wrong(value, node, path)


def _literal_misfit(value: object, node: Node, path: str) -> Wrong | None:
    # True is no Literal[1]
    fits = any(type(value) is type(one) and value == one for one in node.values)
    return None if fits else _wrong(value, node, path)


def _class_object_misfit(value: object, node: Node, path: str) -> Wrong | None:
    return None if isinstance(value, type) else _wrong(value, node, path)


def _callable_misfit(value: object, node: Node, path: str) -> Wrong | None:
    return None if callable(value) else _wrong(value, node, path)


def _class_misfit(value: object, node: Node, path: str) -> Wrong | None:
    return None if _is_instance(value, node.origin) else _wrong(value, node, path)


def _items_misfit(value: object, node: Node, path: str) -> Wrong | None:
    if not _is_instance(value, node.origin):
        return _wrong(value, node, path)
    # to look into an iterator would use it up
    if not node.args or not isinstance(value, (list, set, frozenset, tuple)):
        return None
    # items of just the promised class, as nearly all are
    if set(map(type, islice(value, SAMPLE))) <= {node.item.bare}:
        return None
    for number, item in enumerate(islice(value, SAMPLE)):
        wrong = _misfit(item, node.item, f"{path}[{number}]")
        if wrong:
            return wrong
    return None


def _tuple_misfit(value: object, node: Node, path: str) -> Wrong | None:
    if not isinstance(value, tuple) or len(value) != len(node.args):
        return _wrong(value, node, path)
    for number, (item, part) in enumerate(zip(value, node.args, strict=True)):
        wrong = _misfit(item, part, f"{path}[{number}]")
        if wrong:
            return wrong
    return None


def _mapping_misfit(value: Any, node: Node, path: str) -> Wrong | None:
    if not _is_instance(value, node.origin):
        return _wrong(value, node, path)
    if len(node.args) != 2:
        return None
    keys, values = node.args
    for key, item in islice(value.items(), SAMPLE):
        wrong = _misfit(key, keys, f"{path} key") or _misfit(
            item, values, f"{path}[{show(key, 30)}]"
        )
        if wrong:
            return wrong
    return None


def _typed_dict_misfit(value: object, node: Node, path: str) -> Wrong | None:
    described = describe(node.bare)
    fields = described.fields if described else {}
    required = {name for name, field in fields.items() if not field.is_optional}
    if not isinstance(value, dict) or not required <= value.keys():
        return _wrong(value, node, path)
    for key, item in value.items():
        inside = f"{path}[{key!r}]"
        wrong = (
            _misfit(item, fields[key].node, inside) if key in fields else _wrong(item, node, inside)
        )
        if wrong:
            return wrong
    return None


_CHECKS: dict[Kind, Callable[[Any, Node, str], Wrong | None]] = {
    Kind.ANY: _unknown,
    Kind.UNKNOWN: _unknown,
    Kind.SELF: _unknown,
    Kind.VARIABLE: _unknown,
    Kind.NEVER: _unknown,
    Kind.NONE: _always_wrong,
    Kind.UNION: _union_misfit,
    Kind.LITERAL: _literal_misfit,
    Kind.CLASS_OBJECT: _class_object_misfit,
    Kind.CALLABLE: _callable_misfit,
    Kind.TUPLE: _tuple_misfit,
    Kind.ITEMS: _items_misfit,
    Kind.MAPPING: _mapping_misfit,
    Kind.TYPED_DICT: _typed_dict_misfit,
}


def _is_instance(value: Any, cls: Any) -> bool:
    if cls is float:
        # as checkers have it: an int will do for a float (PEP 484)
        return isinstance(value, (int, float))
    if cls is complex:
        return isinstance(value, (int, float, complex))
    if getattr(cls, "_is_protocol", False) and not getattr(cls, "_is_runtime_protocol", False):
        return _has_members_of(value, cls)
    try:
        return isinstance(value, cls)
    except TypeError:
        return True


def _has_members_of(value: object, protocol: type) -> bool:
    if value is None:
        return False
    if issubclass(protocol, type(value)) or protocol in getattr(value, "__class__", object).__mro__:
        return True
    names = {
        n for cls in protocol.__mro__ if getattr(cls, "_is_protocol", False) for n in _declared(cls)
    }
    # Python itself refuses to say whether such a protocol is kept
    return all(hasattr(value, name) for name in names)


def _declared(cls: type) -> Iterable[str]:
    if cls.__module__ == "typing":
        return ()
    return {name for name in {*vars(cls), *annotations_of(cls)} if not name.startswith("_")}


def _a(noun: str) -> str:
    return f"an {noun}" if noun[:1] in "aeiouAEIOU" else f"a {noun}"
