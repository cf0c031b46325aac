"""What an urn draws from: the records of a layout, or the values of a rule."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from math import prod
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.forms import type_name
from urnshelf.urn.building import CHUNK, field_values, records
from urnshelf.urn.layouts import Layout
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule

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

    def values_of(self, name: str, indexes: Sequence[int]) -> list[Any]:
        """One field of those with these indexes."""
        record = self.layout.record
        if not record.validates:
            return field_values(self.layout, name, indexes)
        head, _, rest = name.partition(".")
        if rest and head in record.given:
            # what is reached through a field is no part of the record
            return field_values(self.layout, name, indexes)
        if isinstance(indexes, range):
            return [record.fetch(one, name) for one in self.some(indexes)]
        return [record.fetch(one, name) for at in indexes for one in self.some(range(at, at + 1))]

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


# --- what is asked for ---------------------------------------------------------------------------


def indexes_of(what: object, n: object) -> range:
    """The indexes that are asked for; raises RecordRefused for what is none."""
    indexes = n if isinstance(n, range) else range(count_of(what, n))
    if indexes and min(indexes[0], indexes[-1]) < 0:
        raise _no_number(what, n)
    return indexes


def count_of(what: object, n: object) -> int:
    """How many are asked for; raises RecordRefused for what is no number."""
    if isinstance(n, bool) or not isinstance(n, int) or n < 0:
        raise _no_number(what, n)
    return n


def _no_number(what: object, n: object) -> RecordRefused:
    return RecordRefused(
        f"draw({name_of(what)}, {show(n, 40)}): a whole number from 0, or a range of indexes from "
        "0, is needed"
    )


def name_of(what: object) -> str:
    """How messages call what is drawn."""
    return "schema" if isinstance(what, Mapping) else type_name(what)


def sequence_of(what: object) -> object:
    """What is counted together: a type, or a schema by what it says."""
    if isinstance(what, Mapping):
        return json.dumps(what, sort_keys=True, default=repr)
    if isinstance(what, type):
        return what
    # equal types may be written in another order, and then other values are drawn
    return (what, repr(what)) if _is_hashable(what) else repr(what)


def _is_hashable(what: object) -> bool:
    try:
        hash(what)
    except TypeError:  # a type with notes that can change
        return False
    return True


def all_given(names: Sequence[str], fields: Mapping[str, Any]) -> bool:
    """Whether the user gave a value for each of these fields, and not a rule."""
    return all(
        name in fields and not isinstance(fields[name], Rule) and not callable(fields[name])
        for name in names
    )
