"""The values of an arrangement: plain ones, records that the urn draws with some fields told, and
exceptions that are raised.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime, time
from enum import Enum
from typing import TYPE_CHECKING, Any, NamedTuple

from urnshelf.calls.replies import raising
from urnshelf.records.recognising import describe
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of

if TYPE_CHECKING:
    from urnshelf.shelf import Shelf

Path = tuple[Any, ...]
"""Where a value stands in an arrangement."""


@dataclass(frozen=True, eq=False)
class Drawn:
    """A record that the urn draws.

    Args:
        form: its type.
        told: the fields that are told; `home__city` for one inside another.
    """

    form: Any
    told: Mapping[str, Any] = field(default_factory=dict)

    def with_told(self, name: str, value: Any) -> Drawn:
        """The same with one more field told."""
        return Drawn(self.form, {**self.told, name: value})

    def without(self, name: str) -> Drawn:
        """The same with one field less told."""
        return Drawn(self.form, {one: value for one, value in self.told.items() if one != name})

    def __repr__(self) -> str:
        told = ", ".join(f"{name}={value!r}" for name, value in self.told.items())
        return f"Drawn({getattr(self.form, '__qualname__', self.form)}, {told})"


@dataclass(frozen=True, eq=False)
class Raised:
    """An exception that a reply raises.

    Args:
        form: its class.
        given: the arguments that it is made with.
    """

    form: type[BaseException]
    given: tuple[Any, ...] = ()

    def __repr__(self) -> str:
        return f"Raised({self.form.__qualname__}, {self.given!r})"


class ByShelf:
    """A value that the shelf makes."""

    def made(self, shelf: Shelf) -> Any:
        """The value."""
        raise NotImplementedError


@dataclass(frozen=True, eq=False)
class Faked(ByShelf):
    """The fake of an interface.

    Args:
        form: the interface.
        name: the fake's.
    """

    form: Any
    name: str | None = None

    def __repr__(self) -> str:
        return f"Faked({getattr(self.form, '__qualname__', self.form)}, {self.name!r})"

    def made(self, shelf: Shelf) -> Any:
        """The fake."""
        return shelf.fake(self.form, self.name)


def made(value: Any, shelf: Shelf, keep: Callable[[Path, Any], None], at: Path) -> Any:
    """The value itself.

    Args:
        value: of an arrangement.
        shelf: whose urn draws.
        keep: is told each record that was drawn, and where it stands.
        at: where the value stands.
    """
    kind = type(value)
    if kind is Drawn:
        told = {name: made(one, shelf, keep, (*at, name)) for name, one in value.told.items()}
        record = shelf.urn.draw(value.form, **told)
        keep(at, record)
        return record
    if kind is Raised:
        return raising(value.form(*value.given))
    if isinstance(value, ByShelf):
        return value.made(shelf)
    if kind in (list, tuple, set, frozenset):
        return kind(made(one, shelf, keep, (*at, number)) for number, one in enumerate(value))
    if kind is dict:
        return {name: made(one, shelf, keep, (*at, name)) for name, one in value.items()}
    return value


class Leaf(NamedTuple):
    """A value that can be changed on its own.

    Args:
        path: where it stands.
        value: what it is now.
        node: its type.
    """

    path: Path
    value: Any
    node: Node


def leaves_of(value: Any, node: Node, at: Path, drawn: Mapping[Path, Any]) -> Iterator[Leaf]:
    """The leaves of a value, also the fields that nobody told.

    Args:
        value: of an arrangement.
        node: its type.
        at: where it stands.
        drawn: the values of the records that were drawn, by where they stand.
    """
    kind = type(value)
    if isinstance(value, (Raised, ByShelf)):
        return
    if kind is Drawn:
        yield from _of_record(value, at, drawn)
        return
    yield Leaf(at, value, node)
    if kind in (list, tuple):
        for number, one in enumerate(value):
            yield from leaves_of(one, _item_node(node, number), (*at, number), drawn)
    elif kind is dict:
        for name, one in value.items():
            yield from leaves_of(one, _value_node(node, name), (*at, name), drawn)


def _of_record(value: Drawn, at: Path, drawn: Mapping[Path, Any]) -> Iterator[Leaf]:
    description = describe(value.form)
    if description is None:
        return
    fields = drawn.get(at, {})
    for name, one in description.given.items():
        if name in value.told:
            yield from leaves_of(value.told[name], one.node, (*at, name), drawn)
        elif name in fields:
            yield from _untold(fields[name], one.node, (*at, name))


def _untold(value: Any, node: Node, at: Path) -> Iterator[Leaf]:
    """A field that the urn drew; of a record in it, its own fields."""
    inner = describe(type(value)) if not isinstance(value, dict) else None
    if inner is None or isinstance(value, (list, tuple, dict, set)):
        yield Leaf(at, value, node)
        return
    *before, last = at
    for name, part in inner.values(value).items():
        one = inner.fields.get(name)
        yield Leaf((*before, f"{last}__{name}"), part, one.node if one else ANYTHING)


def _item_node(node: Node, number: int) -> Node:
    if node.kind is Kind.TUPLE:
        return node.args[number] if number < len(node.args) else ANYTHING
    return node.item if node.kind in (Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM) else ANYTHING


def _value_node(node: Node, name: object) -> Node:
    if node.kind is Kind.MAPPING and len(node.args) == 2:
        return node.args[1]
    if node.kind is Kind.TYPED_DICT:
        description = describe(node.bare)
        return description.node_of(str(name)) if description else ANYTHING
    return ANYTHING


def put(value: Any, path: Path, new: Any) -> Any:
    """A value with another one at a place in it."""
    if not path:
        return new
    first, rest = path[0], path[1:]
    if type(value) is Drawn:
        old = value.told.get(first)
        return value.with_told(first, put(old, rest, new))
    if type(value) is dict:
        return {**value, first: put(value.get(first), rest, new)}
    if type(value) in (list, tuple):
        items = [put(one, rest, new) if n == first else one for n, one in enumerate(value)]
        return type(value)(items)
    return new


_PLAIN = (bool, int, float, str, bytes, Enum)
_MODULES = ("datetime", "decimal", "uuid", "_decimal")


def is_plain(value: object) -> bool:
    """Whether it is a value without parts."""
    kind = type(value)  # what a proxy says of its class is another's, and may raise
    return value is None or issubclass(kind, _PLAIN) or kind.__module__ in _MODULES


def are_equal(one: Any, other: Any) -> bool:
    """Whether two values are equal; no, where they cannot be compared."""
    try:
        return one is other or bool(one == other)
    except Exception:
        return False


def node_for(value: object) -> Node:
    """The type of a value of which none was told."""
    return ANYTHING if value is None else node_of(type(value))


NO_CODE: Any = type("NoCode", (), {"__repr__": lambda _: "no code"})()


def as_told(value: Any) -> Any:
    """A value as an arrangement tells it, records in it with all their fields; `NO_CODE` where
    there is no code for it.
    """
    described = None if isinstance(value, dict) else describe(type(value))
    if described is not None:
        fields = {n: as_told(v) for n, v in described.values(value).items() if n in described.given}
        return NO_CODE if NO_CODE in fields.values() else Drawn(type(value), fields)
    if isinstance(value, (list, tuple)) and not hasattr(value, "_fields"):
        items = [as_told(one) for one in value]
        return NO_CODE if NO_CODE in items else type(value)(items)
    if isinstance(value, (dict, set, frozenset)):
        inside = value.values() if isinstance(value, dict) else value
        return value if all(as_told(one) is not NO_CODE for one in inside) else NO_CODE
    return value if is_plain(value) and _has_code(value) else NO_CODE


def _has_code(value: Any) -> bool:
    if isinstance(value, Enum):
        return "<" not in type(value).__qualname__
    zone = getattr(value, "tzinfo", None)
    is_moment = isinstance(value, (datetime, time))
    return (zone is None or zone == UTC) and not (is_moment and value.fold)
