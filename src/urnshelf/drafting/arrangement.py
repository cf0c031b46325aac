"""An arrangement: all that a test sets up before it acts, as a value that can be varied."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, NamedTuple

from urnshelf.drafting.values import Drawn, Path, put


class Asked(NamedTuple):
    """A method of a fake, of which a reply is arranged.

    Args:
        form: the fake's interface.
        name: the fake's own, where there are several.
        method: the method's; of a callable empty.
        kind: `gives`, `streams`, `enters`, `attribute`, or `assigned`.
    """

    form: Any
    name: str | None
    method: str
    kind: str = "gives"

    def __repr__(self) -> str:
        form = getattr(self.form, "__qualname__", repr(self.form))
        return f"{form}{'' if self.name is None else '/' + self.name}.{self.method}:{self.kind}"


class Lacking(BaseException):
    """A reply that was not arranged; no `except` of the service stops it."""

    def __init__(self, asked: Asked, key: tuple[Any, str] | None) -> None:
        super().__init__(asked)
        self.asked = asked
        self.key = key
        """A record type that lacks a key, and the field that is probably meant."""


@dataclass(frozen=True, eq=False)
class Arrangement:
    """What a test sets up.

    Args:
        built: arguments of the service's constructor.
        given: arguments of the method.
        records: those on the shelf, in order.
        replies: the replies of each method, in turn.
        swapped: what is put in the place of a module's name, by `module:name`; None for its fake.
        defined: the key of a record type, where its own fields do not tell it.
    """

    built: Mapping[str, Any] = field(default_factory=dict)
    given: Mapping[str, Any] = field(default_factory=dict)
    records: tuple[Drawn, ...] = ()
    replies: Mapping[Asked, tuple[Any, ...]] = field(default_factory=dict)
    swapped: Mapping[str, Any] = field(default_factory=dict)
    defined: Mapping[Any, str] = field(default_factory=dict)

    def put(self, path: Path, value: Any) -> Arrangement:
        """The same with another value at a place."""
        part: Any
        part, *rest = path
        if part == "records":
            number, *within = rest
            found = put(list(self.records), (number, *within), value)
            return replace(self, records=tuple(found))
        mapping = getattr(self, part)
        name, *within = rest
        changed = put(mapping.get(name), tuple(within), value) if within else value
        changes: Any = {part: {**mapping, name: changed}}
        return replace(self, **changes)

    def without(self, part: str, name: Any) -> Arrangement:
        """The same without an argument, a record or the replies of a method."""
        if part == "records":
            kept = tuple(one for n, one in enumerate(self.records) if n != name)
            return replace(self, records=kept)
        mapping = getattr(self, part)
        changes: Any = {part: {one: v for one, v in mapping.items() if one != name}}
        return replace(self, **changes)

    def with_record(self, *records: Drawn) -> Arrangement:
        """The same with more records on the shelf."""
        return replace(self, records=(*self.records, *records))

    def with_replies(self, asked: Asked, *values: Any) -> Arrangement:
        """The same with these replies of a method, in turn."""
        return replace(self, replies={**self.replies, asked: values})

    def map(self, change: Callable[[Any], Any]) -> Arrangement:
        """The same with each whole value changed."""
        return replace(
            self,
            built={name: change(value) for name, value in self.built.items()},
            given={name: change(value) for name, value in self.given.items()},
            records=tuple(change(one) for one in self.records),
            replies={asked: tuple(map(change, values)) for asked, values in self.replies.items()},
        )

    @cached_property
    def key(self) -> str:
        """The same for two that set up the same."""
        return repr((
            sorted(self.built.items()), sorted(self.given.items()), self.records,
            sorted((repr(one), repr(values)) for one, values in self.replies.items()),
            sorted(self.swapped.items()), sorted(map(repr, self.defined.items())),
        ))  # fmt: skip

    @cached_property
    def size(self) -> int:
        """How much is set up, for comparing."""
        told = sum(_size(one) for one in self.records) + len(self.built) + len(self.swapped)
        values = sum(_size(one) for values in self.replies.values() for one in values)
        return told + values + len(self.replies) + sum(map(_size, self.given.values()))


def _size(value: Any) -> int:
    if isinstance(value, Drawn):
        return 2 + sum(_size(one) for one in value.told.values())
    if isinstance(value, (list, tuple, set)):
        return 1 + sum(map(_size, value))
    if isinstance(value, dict):
        return 1 + sum(map(_size, value.values()))
    return 1
