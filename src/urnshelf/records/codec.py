"""The one codec: values as JSON and as the cells of a table, and back exactly as they were, by
their fields' types.

A value that is not of its field's type, and one in a field that allows several types, carries its
type's name: `{"urnshelf": "Decimal", "text": "1.50"}`, or for a value with parts `{"urnshelf":
"set", "data": [1, 2]}`.
"""

from __future__ import annotations

import collections.abc as abc
from collections import deque
from collections.abc import Callable, Sequence
from enum import Enum
from typing import Any

from urnshelf.near_names import nearest
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.records.quickly import fields_of
from urnshelf.records.recognising import describe, description_of
from urnshelf.records.scalars import Scalar, scalar_named, scalar_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, ITEM_TYPES, Kind, Node, node_of

TAG = "urnshelf"
_NATIVE = (bool, int, str)
_OPEN = (Kind.ANY, Kind.UNKNOWN, Kind.VARIABLE, Kind.UNION)
"""Types that do not tell how a value is to be read again."""


class Unfit(Exception):
    """A value that cannot be written, or read; `path` is the field."""

    def __init__(self, why: str, path: str = "") -> None:
        super().__init__(why)
        self.path = path


def to_json(value: object, node: Node) -> Any:
    """The value as JSON holds it; raises Unfit for one that cannot be written.

    >>> from datetime import timedelta
    >>> to_json(timedelta(minutes=2), node_of(timedelta)), to_json({1}, ANYTHING)
    ('PT120S', {'urnshelf': 'set', 'data': [1]})
    """
    if value is None:
        return None
    if node.kind in _OPEN:
        return _open_to_json(value, node)
    # a value that is not of its field's type is written all the same, and says of what type it is
    if misfit(value, node) is not None:
        data = _open_to_json(value, ANYTHING)
        return data if isinstance(data, dict) and TAG in data else _tagged(value, data)
    if node.kind is Kind.LITERAL:
        return _open_to_json(value, ANYTHING)
    return _value_to_json(value, node)


def from_json(data: object, node: Node) -> Any:
    """The value that `to_json` was given; raises Unfit for data that is none of the type's."""
    if data is None:
        return None
    if isinstance(data, dict) and TAG in data:
        return _untagged(data, node)
    if node.kind is Kind.UNION:
        return _native_member(data, node)
    if node.kind in _OPEN:
        # what carries a name was unwrapped above; the rest is what JSON itself has
        if isinstance(data, dict):
            return {name: from_json(item, ANYTHING) for name, item in data.items()}
        return [from_json(item, ANYTHING) for item in data] if isinstance(data, list) else data
    if is_of_pydantic(node.bare):
        return data
    value = _value_from_json(data, node)
    wrong = misfit(value, node)
    if wrong is not None:
        raise Unfit(wrong)
    return value


def record_to_json(record: object, description: Description) -> dict[str, Any]:
    """A record as a table of JSON."""
    writers = fields_of(description, to_json, from_json).writers
    data = {}
    name = ""
    try:
        for name, value in description.values(record).items():
            write = writers.get(name)
            data[name] = to_json(value, ANYTHING) if write is None else write(value)
    except Unfit as why:
        raise Unfit(str(why), ".".join(filter(None, [name, why.path]))) from None
    return data


def record_from_json(data: object, description: Description) -> Any:
    """The record that a table of JSON holds."""
    if not isinstance(data, dict):
        raise Unfit(f"a record is a JSON object, not {show(data, 60)}")
    fields = fields_of(description, to_json, from_json)
    if data.keys() != fields.names:
        _check_names(data, description)
    values = {}
    name = ""
    try:
        for name, read in fields.readers:
            if name in data:
                values[name] = read(data[name])
    except Unfit as why:
        raise Unfit(str(why), ".".join(filter(None, [name, why.path]))) from None
    return restored(description, values)


def records_from_json(rows: Sequence[Any], description: Description) -> list[Any] | None:
    """The records of many rows; None where one of them needs a look of its own."""
    fields = fields_of(description, to_json, from_json)
    if not fields.names or not all(
        type(row) is dict and row.keys() == fields.names for row in rows
    ):
        return None
    names = [name for name, _ in fields.readers]
    try:
        return [
            description.restored(dict(zip(names, values, strict=True)))
            for values in fields.read_all(rows)
        ]
    except Exception:  # which of them, and what is wrong, is told of each alone
        return None


def _check_names(data: dict[str, Any], description: Description) -> None:
    for name in data:
        if name not in description.fields:
            raise Unfit(
                f"there is no such field; {nearest(name, description.names, 'there are')}", name
            )
    for name, field in description.fields.items():
        # of few types may one be lacking
        is_optional = field.is_optional or description.kind == "typed dictionary"
        if name not in data and not is_optional:
            raise Unfit("the field is missing", name)


def restored(description: Description, values: dict[str, Any]) -> Any:
    """A record with just these values; raises Unfit where its own validation refuses them."""
    try:
        return description.restored(values)
    except Exception as why:
        raise Unfit(f"no {description.name} can be made of it: {why}") from None


# --- values that are of their type ----------------------------------------------------------------


def _value_to_json(value: Any, node: Node) -> Any:
    if isinstance(value, Enum):
        return member_data(value)
    if type(value) in _NATIVE:
        return value
    if type(value) is float:
        # JSON has neither NaN nor infinities
        return value if value - value == 0 else str(value)
    scalar = scalar_of(type(value))
    if scalar is not None:
        return scalar.to_text(value)
    if is_of_pydantic(type(value)):  # an address or a secret: the model makes it again of its text
        return value.get_secret_value() if hasattr(value, "get_secret_value") else str(value)
    if isinstance(value, (list, tuple, deque)) and describe(type(value)) is None:
        return [
            to_json(one, part)
            for one, part in zip(value, _part_nodes(node, len(value)), strict=True)
        ]
    if isinstance(value, (set, frozenset)):
        return _in_order([to_json(one, node.item) for one in value])
    description = _record_description(value, node)
    if description is not None:
        return record_to_json(value, description)
    if isinstance(value, abc.Mapping):
        return _mapping_to_json(
            value, *(node.args if len(node.args) == 2 else (ANYTHING, ANYTHING))
        )
    raise Unfit(
        f"{show(value, 60)} is a {type(value).__name__}, and such values cannot be "
        "written to a file"
    )


def _in_order(items: list[Any]) -> list[Any]:
    """A set's members in an order of their own, so that a file is the same each time."""
    try:
        return sorted(items)
    except TypeError:  # of several kinds
        return sorted(items, key=repr)


def _part_nodes(node: Node, count: int) -> tuple[Node, ...]:
    return node.args if node.kind is Kind.TUPLE else (node.item,) * count


def _record_description(value: object, node: Node) -> Description | None:
    if node.kind in (Kind.CLASS, Kind.TYPED_DICT):
        return description_of(node.bare)
    return None if isinstance(value, abc.Mapping) else description_of(type(value))


def is_of_pydantic(form: object) -> bool:
    """Whether a type is one of pydantic's own, of which only its models know how to make a
    value.
    """
    return getattr(form, "__module__", "").partition(".")[0].startswith("pydantic")


def _mapping_to_json(value: abc.Mapping[Any, Any], key: Node, item: Node) -> Any:
    # other keys than texts make it a list of pairs; so does our own mark as a key
    if all(type(one) is str for one in value) and TAG not in value:
        return {name: to_json(one, item) for name, one in value.items()}
    return [[to_json(name, key), to_json(one, item)] for name, one in value.items()]


def member_data(member: Enum) -> Any:
    """An enum's member by its value, where that is plain; else by its name."""
    return member.value if type(member.value) in (str, int, float, bool) else member.name


def _value_from_json(data: object, node: Node) -> Any:
    if node.kind is Kind.LITERAL:
        return data
    if node.is_enum:
        return member_of(data, node.bare)
    if node.bare is float and isinstance(data, str):
        return _read(float, data, "float")
    scalar = scalar_of(node.bare)
    if scalar is not None:
        return _scalar_from_json(data, scalar, type_name(node.bare))
    if node.kind in (Kind.ITEMS, Kind.TUPLE):
        return _items_from_json(data, node)
    if node.kind is Kind.MAPPING:
        return _mapping_from_json(data, node)
    description = description_of(node.bare) if node.kind in (Kind.CLASS, Kind.TYPED_DICT) else None
    return data if description is None else record_from_json(data, description)


def _scalar_from_json(data: object, scalar: Scalar, name: str) -> Any:
    if not isinstance(data, str):
        raise Unfit(f"{show(data, 60)} is no {name}: it is written as a text")
    return _read(scalar.from_text, data, name)


def _items_from_json(data: object, node: Node) -> Any:
    if not isinstance(data, list):
        raise Unfit(f"{show(data, 60)} is no list")
    if node.kind is Kind.TUPLE and len(node.args) != len(data):
        raise Unfit(f"{len(node.args)} items are wanted, not {len(data)}")
    items = [
        from_json(one, part) for one, part in zip(data, _part_nodes(node, len(data)), strict=True)
    ]
    # a type such as Sequence is made a list, as annotations allow it
    return ITEM_TYPES[node.origin](items)


def _mapping_from_json(data: object, node: Node) -> Any:
    key, item = node.args if len(node.args) == 2 else (ANYTHING, ANYTHING)
    if isinstance(data, dict):
        return {name: from_json(one, item) for name, one in data.items()}
    if not isinstance(data, list) or not all(
        isinstance(pair, list) and len(pair) == 2 for pair in data
    ):
        raise Unfit(f"{show(data, 60)} is no mapping")
    return {from_json(name, key): from_json(one, item) for name, one in data}


def member_of(data: Any, enum: Any) -> Any:
    """The member that has this value, or this name."""
    try:
        found = enum(data)
        # `enum(True)` finds the member of value 1
        if (type(found.value) is bool) is (type(data) is bool):
            return found
    except (ValueError, TypeError):
        pass
    if isinstance(data, str) and data in enum.__members__:
        return enum[data]
    hint = nearest(data, [str(member.value) for member in enum])
    raise Unfit(f"{show(data, 60)} is no {enum.__name__}; {hint}")


def _read(read: Callable[[str], Any], text: str, name: str) -> Any:
    try:
        return read(text)
    except (ValueError, ArithmeticError, LookupError) as why:
        raise Unfit(f"{show(text, 60)} is no {name}: {why}") from None


# --- values whose type the annotation does not tell -----------------------------------------------


def _open_to_json(value: object, node: Node) -> Any:
    if value is None or type(value) in _NATIVE or (type(value) is float and value - value == 0):
        return value
    if node.kind is not Kind.UNION:
        if type(value) is list:
            return [_open_to_json(one, ANYTHING) for one in value]
        if type(value) is dict and TAG not in value and all(type(name) is str for name in value):
            return {name: _open_to_json(one, ANYTHING) for name, one in value.items()}
    # of a union's members the first that fits would be taken on reading, so the name goes with it
    for member in node.args if node.kind is Kind.UNION else ():
        if misfit(value, member) is None and _needs_its_name(value, member):
            return {TAG: type_name(member.form), "data": to_json(value, member)}
    scalar = scalar_of(type(value))
    if scalar is not None or type(value) in (tuple, set, frozenset, dict, float, list, deque):
        return _tagged(value, _value_to_json(value, node_of(type(value))))
    raise Unfit(
        f"{show(value, 60)} is a {type(value).__name__}, and the field's type does not tell how to "
        "read it again"
    )


def _needs_its_name(value: object, member: Node) -> bool:
    """Whether the member of a union must be named: plain scalars are told apart by the names of
    their classes.
    """
    if isinstance(value, Enum) or member.args:
        return True
    return member.kind in (Kind.CLASS, Kind.TYPED_DICT) and description_of(member.bare) is not None


def _tagged(value: object, data: object) -> dict[str, Any]:
    return {TAG: type(value).__name__, "text" if isinstance(data, str) else "data": data}


_TAGGED: dict[str, Any] = {
    cls.__name__: cls for cls in (*_NATIVE, tuple, set, frozenset, dict, float, list, deque)
}


def _untagged(data: dict[str, Any], node: Node) -> Any:
    name, inner = data[TAG], data.get("text", data.get("data"))
    for member in node.args if node.kind is Kind.UNION else (node,):
        if type_name(member.form) == name:
            return from_json(inner, member)
    scalar = scalar_named(name)
    if scalar is not None:
        return _scalar_from_json(inner, scalar, name)
    if name not in _TAGGED:
        raise Unfit(f"{TAG} {name!r} is not known here")
    # only these: a file must not choose which class is made
    cls = _TAGGED[name]
    return _value_from_json(inner, node_of(dict[Any, Any] if cls is dict else cls))


def _native_member(data: object, node: Node) -> Any:
    if type(data) in (bool, int, str, float) and misfit(data, node) is None:
        return data
    raise Unfit(f"{show(data, 60)} is no {type_name(node.form)}")
