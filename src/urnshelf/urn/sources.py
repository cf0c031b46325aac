"""What an urn draws from: the records of a layout, or the values of a rule."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from math import prod
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.urn.building import CHUNK, records
from urnshelf.urn.layouts import Layout
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule

__tracebackhide__ = True  # a failing test shows its own lines, not ours

MISSES = 1000
"""So many draws in a row that all meet what is there already end it."""


class Records:
    """The records of a type.

    Args:
        layout: how they are drawn.
        one_by_one: whether each may need those before it.
    """

    def __init__(self, layout: Layout, one_by_one: bool) -> None:
        self.layout = layout
        self.step = 1 if one_by_one else CHUNK

    def some(self, indexes: range) -> Iterable[Any]:
        """Those with these indexes."""
        return records(self.layout, indexes)

    def check_room(self, names: tuple[str, ...], misses: int, count: int) -> None:
        """Refuse to go on where no record is left that would not meet another.

        Args:
            names: the fields that must be different together.
            misses: how many met another, in a row.
            count: how many records there are.
        """
        sizes = [self.layout.rule(name).size for name in names]
        room = None if None in sizes else prod(size for size in sizes if size is not None)
        # of many possible values the last ones come seldom
        most = MISSES if room is None else max(MISSES, 30 * min(room, 10_000))
        if misses < most and (room is None or count < room):
            return
        fields, name = " and ".join(names), self.layout.record.name
        few = (
            f"there are only {room} different ones"
            if room is not None
            else (f"no new one came in {misses} draws")
        )
        raise RecordRefused(
            f"{name}: {count} are on the shelf, and no further one has {fields} for itself: {few}. "
            f"Stock fewer, or give a rule with more values, {names[0]}=…"
        )


class Values:
    """The values of a type that is no record, or of a schema."""

    step = CHUNK

    def __init__(self, rule: Rule, key: int) -> None:
        self._rule, self._key = rule, key

    def some(self, indexes: range) -> Iterator[Any]:
        """Those with these indexes."""
        return (self._rule.one(Bits(self._key, index)) for index in indexes)

    def check_room(self, names: tuple[str, ...], misses: int, count: int) -> None:
        """There is always room: values are not kept anywhere."""


Source = Records | Values
