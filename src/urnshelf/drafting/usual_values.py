"""Values of a type: a usual one, as small and plain as a reader would write it, and others."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from fractions import Fraction
from pathlib import Path, PurePath
from typing import Any
from uuid import UUID

from urnshelf.drafting.values import Drawn, Faked
from urnshelf.errors import UrnShelfError
from urnshelf.fakes.furnish import dependency
from urnshelf.interfaces.dependencies import is_interface
from urnshelf.records.recognising import describe
from urnshelf.types.limits import limits_of
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node
from urnshelf.urn.drawing import Urn

NO_VALUE: Any = type("NoValue", (), {"__repr__": lambda _: "no value"})()
_NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
"""The moment that a shelf's clock shows."""
_DEPTH = 4
_SMALL: dict[Any, Callable[[], Any]] = {
    bool: lambda: True,
    int: lambda: 3,
    float: lambda: 2.5,
    complex: lambda: 1j,
    bytes: lambda: b"ahoy",
    Decimal: lambda: Decimal("12.50"),
    Fraction: lambda: Fraction(1, 2),
    datetime: lambda: _NOON,
    date: lambda: _NOON.date(),
    time: lambda: time(12, 0),
    timedelta: lambda: timedelta(hours=1),
    UUID: lambda: UUID("00000000-0000-4000-8000-000000000007"),
    Path: lambda: Path("papers/ahoy.txt"),
    PurePath: lambda: PurePath("papers/ahoy.txt"),
}


def usual(node: Node, name: str = "", depth: int = 0) -> Any:
    """A usual value of a type; `NO_VALUE` where there is none.

    Args:
        node: the type.
        name: of the parameter or field, which may tell what the value is.
        depth: how far inside another value it stands.

    >>> from urnshelf.types.nodes import node_of
    >>> usual(node_of(int)), usual(node_of(list[bool])), usual(node_of(int | None), "berth_id")
    (3, [True], 7)
    """
    if depth > _DEPTH:
        return None if node.optional else NO_VALUE
    if node.kind is Kind.CLASS or node.kind is Kind.TYPED_DICT:
        return _of_class(node, name)
    if node.kind is Kind.CALLABLE or is_interface(node):
        return Faked(node.bare)
    make = _OF_KIND.get(node.kind)
    return NO_VALUE if make is None else make(node, name, depth + 1)


def _of_class(node: Node, name: str) -> Any:
    cls = node.origin
    if node.is_enum:
        return next(iter(cls), NO_VALUE)
    if cls is int and name.endswith(("id", "number", "key")):
        return 7
    if cls in _SMALL:
        return _limited(_SMALL[cls](), node)
    if cls is str:
        return _text(name, node)
    if describe(node.bare) is not None:
        return Drawn(node.bare)
    if is_interface(node) or dependency(node) is not None:
        return Faked(node.bare)
    return _made(cls)


def _made(cls: Any) -> Any:
    if isinstance(cls, type) and issubclass(cls, (int, float, str)):
        with contextlib.suppress(Exception):
            return cls(3) if not issubclass(cls, str) else cls("ahoy")
    return NO_VALUE


def _limited(value: Any, node: Node) -> Any:
    """Within what the type itself limits: then the urn knows better."""
    if not node.notes or not limits_of(list(node.notes)):
        return value
    with contextlib.suppress(UrnShelfError):
        return Urn(7).draw(node.form)
    return value


def _text(name: str, node: Node) -> str:
    """A text as the urn draws it for a field of this name."""
    field = name if name.isidentifier() and not name.startswith("_") else "text"
    with contextlib.suppress(UrnShelfError, TypeError, ValueError):
        shape = make_dataclass("Drawn", [(field, node.form)])
        value = getattr(Urn(7).draw(shape), field)
        if isinstance(value, str) and len(value) <= 40:
            return value
    return "ahoy"


def _several(node: Node, name: str, depth: int) -> Any:
    item = usual(node.item, name.removesuffix("s"), depth)
    make = ITEM_TYPES[node.origin]
    kind = make if make in (list, tuple, set, frozenset) else list
    if item is NO_VALUE:
        return kind()
    with contextlib.suppress(TypeError):  # an item that cannot be in a set
        return kind([item])
    return kind()


def _mapping(node: Node, name: str, depth: int) -> Any:
    assert node.origin in MAPPING_TYPES
    if len(node.args) != 2:
        return {}
    key, value = usual(node.args[0], "", depth), usual(node.args[1], name, depth)
    if value is NO_VALUE or key is NO_VALUE or node.args[1].kind is Kind.ANY:
        return {}
    with contextlib.suppress(TypeError):
        return {key: value}
    return {}


def _tuple(node: Node, name: str, depth: int) -> Any:
    items = tuple(usual(one, name, depth) for one in node.args)
    return NO_VALUE if NO_VALUE in items else items


def _one_of(node: Node, name: str, depth: int) -> Any:
    found = (usual(one, name, depth) for one in node.args)
    return next((one for one in found if one is not NO_VALUE), NO_VALUE)


_OF_KIND: dict[Kind, Callable[[Node, str, int], Any]] = {
    Kind.ANY: lambda node, name, depth: {},
    Kind.UNKNOWN: lambda node, name, depth: {},
    Kind.NONE: lambda node, name, depth: None,
    Kind.LITERAL: lambda node, name, depth: node.values[0],
    Kind.ITEMS: _several,
    Kind.MAPPING: _mapping,
    Kind.TUPLE: _tuple,
    Kind.UNION: _one_of,
    Kind.VARIABLE: _one_of,
    Kind.STREAM: lambda node, name, depth: _stream(node, name, depth),
    Kind.ASYNC_STREAM: lambda node, name, depth: _stream(node, name, depth),
}


def _stream(node: Node, name: str, depth: int) -> Any:
    item = usual(node.item, name, depth)
    return [] if item is NO_VALUE else [item]


# --- others ---------------------------------------------------------------------------------------


def others(value: Any, node: Node, mined: Sequence[Any] = ()) -> Iterator[Any]:
    """Other values that might stand in a value's place, the likeliest first.

    Args:
        value: the one that stands there.
        node: its type.
        mined: constants of the code.
    """
    seen = {_key(value)}
    for one in _others(value, node, mined):
        if _key(one) not in seen:
            seen.add(_key(one))
            yield one


def _key(value: Any) -> str:
    return f"{type(value).__name__} {value!r}"


def _others(value: Any, node: Node, mined: Sequence[Any]) -> Iterator[Any]:
    if value is None:
        found = usual(node)
        if found is not NO_VALUE:
            yield found
    if node.optional or node.kind is Kind.ANY:
        yield None
    if node.kind is Kind.LITERAL:
        yield from node.values
        return
    if node.is_enum:
        yield from node.origin
        return
    if node.kind is Kind.UNION:
        for one in node.args:
            made = usual(one)
            if made is not NO_VALUE:
                yield made
    kind = type(value) if value is not None else node.origin
    kind = object if kind is Any or not isinstance(kind, type) else kind
    yield from _of_kind(kind, value, node)
    for one in mined:
        if isinstance(one, kind) and not (isinstance(one, bool) and kind is not bool):
            yield one
            if isinstance(one, (int, float)):
                yield from (one + 1, one - 1)
        elif kind in (float, Decimal) and type(one) in (int, float):
            yield kind(str(one))
    if node.kind is Kind.ANY and not isinstance(value, dict):
        yield from ({}, [], "ahoy", 3, True)
    elif node.kind is Kind.ANY and not value:
        yield from ([{}], [{}, {}])


def _of_kind(kind: Any, value: Any, node: Node) -> Iterator[Any]:
    if kind is bool:
        yield not value
    elif kind is int:
        yield from (0, 1, 2, -1, 10, 100)
    elif kind is float:
        yield from (0.0, 1.0, -1.0, 10.0, 100.0)
    elif kind is Decimal:
        yield from (Decimal(0), Decimal(1), Decimal(-1), Decimal(100))
    elif kind is str:
        yield from ("", " ", "a", "0", "x" * 41)
    elif kind in (datetime, date) and value is not None:
        yield from (value - timedelta(days=1), value + timedelta(days=1))
    elif kind is timedelta:
        yield from (timedelta(0), timedelta(days=2))
    elif isinstance(kind, type) and issubclass(kind, Enum):
        yield from kind
    elif kind in (list, tuple, set, frozenset):
        yield kind()
        yield from _longer(kind, value or (), node)
    elif kind is dict:
        yield {}
        for key, one in list((value or {}).items())[:1]:
            more: Any = key
            if isinstance(key, (str, int)):
                yield {key: one, more + type(key)(1): one}


def _longer(kind: Any, value: Any, node: Node) -> Iterator[Any]:
    item = next(iter(value), NO_VALUE)
    item = usual(node.item) if item is NO_VALUE or not isinstance(item, Drawn) else item
    if item is NO_VALUE:
        return
    with contextlib.suppress(TypeError):
        yield kind([item])
        if kind in (list, tuple):
            yield kind([item, item])
            yield kind([item, item, item])


def extremes(value: Any, node: Node) -> Iterator[Any]:
    """Values far from another one: where none of them changes anything, the value does not matter.

    Args:
        value: the one that stands there.
        node: its type.
    """
    if node.optional and value is not None:
        yield None
    far = timedelta(days=4000)
    if isinstance(value, bool):
        yield not value
    elif isinstance(value, Enum):
        yield from (one for one in type(value) if one is not value)
    elif isinstance(value, int):
        yield from (0, 1, -1, 10**6)
    elif isinstance(value, (float, Decimal)):
        yield from (type(value)(0), type(value)(1), type(value)(-1), type(value)(10**6))
    elif isinstance(value, (datetime, date)):
        yield from (value - far, value + far)
    elif isinstance(value, str):
        yield from ("", "a", "Zz 9" * 12)
    elif isinstance(value, (list, tuple, set, dict)) and value:
        yield type(value)()


# --- rounder --------------------------------------------------------------------------------------


def rounder(value: Any, node: Node, name: str) -> Iterator[Any]:
    """Plainer values that may do as well, the plainest first.

    >>> from urnshelf.types.nodes import node_of
    >>> list(rounder(54.3, node_of(float), "length_m"))
    [10.0, 50.0, 54.0]
    """
    found: list[Any] = []
    if value is None:
        return
    if node.optional:
        yield None
    if isinstance(value, (bool, Enum)):
        return
    if isinstance(value, int):
        found = [3, _leading(value)] if abs(value) > 9 else []
    elif isinstance(value, float) and (value * 2 != int(value * 2) or abs(value) > 999):
        found = [10.0, float(_leading(int(value))), float(int(value)), round(value, 1)]
    elif isinstance(value, Decimal):
        found = [Decimal(100), Decimal(_leading(int(value))), Decimal(int(value))]
    elif isinstance(value, datetime):
        day = value.replace(hour=12, minute=0, second=0, microsecond=0)
        found = [_NOON if value.tzinfo else _NOON.replace(tzinfo=None), day]
    elif isinstance(value, str) and value:
        plain = _text(name.rpartition("__")[2], node)
        found = [plain] if len(value) > 12 else []
    for one in found:
        if one != value:
            yield one


def _leading(number: int) -> int:
    """The first digit, and zeros."""
    digits = str(abs(number))
    return int(digits[0] + "0" * (len(digits) - 1)) * (-1 if number < 0 else 1)
