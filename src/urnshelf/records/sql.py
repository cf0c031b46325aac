"""The codec's other side: values as SQL columns hold them, and back by their fields' types.

A moment with a time zone is a text in UTC, so that texts sort as moments do; a time span is in
seconds; an enum is its value; a record or a collection is JSON.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import Enum
from typing import Any

from urnshelf.records.codec import TAG, Unfit, from_json, member_of, restored, to_json
from urnshelf.records.display import show
from urnshelf.records.equality import same
from urnshelf.records.fit import misfit
from urnshelf.records.quickly import members
from urnshelf.records.recognising import describe, description_of
from urnshelf.records.scalars import scalar_of
from urnshelf.types.forms import full_name, type_name
from urnshelf.types.nodes import ANYTHING, ITEM_TYPES, Kind, Node

_PLAIN = (int, float, str, bytes, bool)


def to_sql(value: object) -> Any:
    """The value as a SQL column holds it: a number, a text, bytes or None.

    >>> from datetime import UTC, datetime, timedelta
    >>> to_sql(datetime(2030, 6, 1, 12, tzinfo=UTC)), to_sql(timedelta(minutes=2))
    ('2030-06-01 12:00:00.000000+00:00', 120.0)
    """
    if value is None or type(value) in _PLAIN:
        return value
    scalar = scalar_of(type(value))
    if scalar is not None:
        return scalar.to_sql(value)
    if isinstance(value, Enum):
        return to_sql(value.value) if type(value.value) in (int, float, str, bool) else value.name
    if (
        isinstance(value, (Mapping, list, tuple, set, frozenset))
        or describe(type(value)) is not None
    ):
        import json  # only nested values pay for it

        return json.dumps(_inner(value), ensure_ascii=False)
    return str(value)


def _inner(value: object) -> Any:
    if isinstance(value, Mapping):
        return {str(to_sql(key)): _inner(item) for key, item in value.items()}
    description = describe(type(value))
    if description is not None:
        return {name: _inner(item) for name, item in description.values(value).items()}
    if isinstance(value, (list, tuple)):
        return [_inner(item) for item in value]
    if isinstance(value, (set, frozenset)):
        return sorted(map(_inner, value), key=str)
    simple = to_sql(value)
    if isinstance(simple, float) and simple - simple != 0:
        return str(simple)  # JSON has neither NaN nor infinities
    # JSON has no bytes
    return simple.hex() if isinstance(simple, bytes) else simple


def from_sql(value: object, node: Node) -> Any:
    """A column's value as one of the field's type; raises Unfit for one that is none."""
    if isinstance(value, str) and (value.startswith(_MARK) or not is_simple(node)):
        found, parsed = _by_codec(value, node)
        if found:
            return parsed
    if value is None or not node.is_known:
        return value
    if isinstance(value, str) and _is_json(node):
        value = _parsed(value)
    converted = _converted(value, node)
    wrong = misfit(converted, node)
    if wrong is not None:
        raise Unfit(wrong)
    return converted


_MARK = f'{{"{TAG}"'
"""What begins the JSON of a value that says itself of what type it is."""


def is_simple(node: Node) -> bool:
    """Whether a column's data alone says which value it is."""
    if node.is_enum:
        return len({type(member.value) for member in node.bare}) < 2
    return node.kind is Kind.CLASS and (node.bare in _PLAIN or scalar_of(node.bare) is not None)


def _by_codec(text: str, node: Node) -> tuple[bool, Any]:
    """The value that the one codec reads from a text, where it is its JSON."""
    parsed = _parsed(text)
    # of anything a text is a text, unless it says otherwise
    if parsed is text or (not node.is_known and not text.startswith(_MARK)):
        return False, None
    try:
        return True, from_json(parsed, node)
    except Unfit:  # as another program has written it
        return False, None


def _text_of(value: Any, node: Node) -> str | None:
    """The text of a value whose column does not tell its type: as it stands where it is read again
    as what it is, else the codec's JSON.
    """
    import json

    if value is None:
        return None
    plain = to_sql(value)
    if isinstance(plain, str) and _is_read_as(value, plain, node):
        return plain
    data = to_json(value, node)
    if not node.is_known and not (isinstance(data, dict) and TAG in data):
        data = {TAG: type(value).__name__, "data": data}
    return json.dumps(data, ensure_ascii=False)


def _is_read_as(value: Any, text: str, node: Node) -> bool:
    try:
        found = from_sql(text, node)
    except Unfit:
        return False
    return type(found) is type(value) and same(found, value)


def sql_writer(node: Node) -> Callable[[Any], Any]:
    """What makes a column's data of a field's values: `to_sql`, the common case made quick."""
    bare = node.bare
    if not is_simple(node):
        return lambda value: _text_of(value, node)
    if node.is_enum:
        known = {id(member): to_sql(member) for member in bare}
        return lambda value: known[id(value)] if id(value) in known else to_sql(value)
    scalar = scalar_of(bare)
    if scalar is not None:
        made = scalar.to_sql
        return lambda value: made(value) if type(value) is bare else to_sql(value)
    return to_sql


def sql_reader(node: Node) -> Callable[[Any], Any]:
    """What makes values of a column's data: `from_sql`, the common case made quick."""
    bare = node.bare
    if node.is_enum:
        return members(node, from_sql)
    convert = None if _is_json(node) else _converter(node)
    if convert is None and bare not in _PLAIN:
        return lambda value: from_sql(value, node)

    def read(value: Any) -> Any:
        if type(value) is bare or value is None:
            return value
        try:
            made = from_sql(value, node) if convert is None else convert(value)
        except Exception:  # the slow way says what is wrong
            return from_sql(value, node)
        return made if type(made) is bare else from_sql(value, node)

    return read


def _is_json(node: Node) -> bool:
    if node.kind in (Kind.ITEMS, Kind.TUPLE, Kind.MAPPING, Kind.UNION, Kind.TYPED_DICT):
        return True
    return (
        node.kind is Kind.CLASS
        and scalar_of(node.bare) is None
        and description_of(node.bare) is not None
    )


def _parsed(text: str) -> Any:
    import json

    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return text


def _converted(value: Any, node: Node) -> Any:
    if node.is_enum:
        return value if isinstance(value, node.bare) else member_of(value, node.bare)
    convert = _converter(node)
    if convert is not None:
        try:
            return convert(value)
        except (ValueError, TypeError, ArithmeticError) as why:
            raise Unfit(f"{show(value, 60)} is no {type_name(node.bare)}: {why}") from None
    if node.kind is Kind.TUPLE and isinstance(value, list) and len(value) == len(node.args):
        return tuple(from_sql(one, part) for one, part in zip(value, node.args, strict=True))
    if isinstance(value, list):
        if node.kind is not Kind.ITEMS:
            return value
        return ITEM_TYPES[node.origin](from_sql(one, node.item) for one in value)
    if node.kind is Kind.MAPPING and isinstance(value, dict):
        key, item = node.args if len(node.args) == 2 else (ANYTHING, ANYTHING)
        return {_key_of(name, key): from_sql(one, item) for name, one in value.items()}
    description = description_of(node.bare) if isinstance(value, dict) else None
    if description is None:
        return value
    return restored(
        description, {n: from_sql(one, description.node_of(n)) for n, one in value.items()}
    )


def stored_type(node: Node) -> Any:
    """The type that a column has for a field: of an enum that of its members' values."""
    members = list(node.bare) if node.is_enum else []
    return type(members[0].value) if members else node.bare


def _key_of(text: Any, node: Node) -> Any:
    """The key of a mapping: JSON has all of them as texts."""
    wanted = stored_type(node)
    if wanted is bool:
        return from_sql(text == "True", node)
    try:
        return from_sql(wanted(text) if wanted in (int, float) else text, node)
    except ValueError as why:
        raise Unfit(f"{show(text, 60)} is no {type_name(node.bare)}: {why}") from None


def _converter(node: Node) -> Callable[[Any], Any] | None:
    convert = _NUMBERS.get(node.bare)
    scalar = scalar_of(node.bare)
    if convert is not None or scalar is None:
        return convert
    if scalar.from_sql is not None:
        return scalar.from_sql
    return lambda value: (
        value if full_name(type(value)) == full_name(node.bare) else scalar.from_text(str(value))
    )


_NUMBERS: dict[Any, Callable[[Any], Any]] = {
    # SQLite has truth values as 0 and 1
    bool: lambda value: bool(value) if value in (0, 1) else value,
    # what a column of numbers does not hold is a text
    float: float,
    int: lambda value: int(value) if isinstance(value, str) or value == int(value) else value,
}
