"""One table of a plan, and the links of others to it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.files.plan_gathered import GatheredBelow, gathered_in, without_gathered
from urnshelf.near_names import nearest
from urnshelf.records.description import key_name
from urnshelf.store.paths import fetcher
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Node
from urnshelf.urn.dealing import Indexed, InTurn
from urnshelf.urn.drawing import Urn
from urnshelf.urn.layouts import drawable
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.dealt import Dealt
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.links import Link
from urnshelf.urn.schemas.properties import property_names
from urnshelf.urn.variants import Variant, untold

if TYPE_CHECKING:
    import pandas

_REMEMBERED = 20_000
"""Of so many records that others link to all keys are kept."""


class PlannedTable:
    """One table of a plan: its name, its record type or JSON Schema, and how many records from
    which index on.
    """

    def __init__(
        self, name: str, what: object, count: int, start: int, urn: Urn, rules: dict[str, Any]
    ) -> None:
        self.what, self.rules = untold(what, rules)
        self.name, self.count, self.start = name, count, start
        self._urn = urn

    @property
    def seed(self) -> int:
        """What it is drawn from."""
        return self._urn.seed

    @property
    def gathered(self) -> list[GatheredBelow]:
        """What is gathered from tables below."""
        return [one for rule in self.rules.values() for one in gathered_in(rule)]

    @property
    def columns(self) -> dict[str, Node]:
        """The columns and their types."""
        return columns_of(self.what)

    def chunks(self, indexes: range | None = None) -> Iterator[list[Any]]:
        """The records, some thousands at a time.

        Args:
            indexes: of some of them, from the table's first; of all, where it is None.
        """
        several = range(self.count) if indexes is None else indexes
        several = range(several.start + self.start, several.stop + self.start)
        return self._urn.chunks(self.what, several, **self.rules)

    def first(self, count: int, without: Iterable[str] = ()) -> list[Any]:
        """The first records.

        Args:
            count: how many.
            without: fields that are None in all of them, and are not drawn, where no other field
                comes of them.
        """
        several = range(self.start, self.start + count)
        needed = {name.partition(".")[0] for rule in self.rules.values() for name in rule.needs}
        gone = [name for name in without if name not in needed]
        rules = {**self.rules, **{name: constant(None) for name in gone}}
        return [one for some in self._urn.chunks(self.what, several, **rules) for one in some]

    def frame(self, indexes: range) -> pandas.DataFrame:
        """The records with these numbers, from the table's first, as a data frame."""
        several = range(indexes.start + self.start, indexes.stop + self.start)
        return self._urn.data_frame(self.what, several, **self.rules)

    def values(self, field: str | None) -> list[Any]:
        """One field of all records: the key, where none is named."""
        name = field or self._key
        if name is None or name.partition(".")[0] not in self.columns:
            found = (
                f"no field {field!r}"
                if field
                else "no field that is a key; name one with field = …"
            )
            raise RecordRefused(f"the table {self.name!r} has {found}")
        if isinstance(self.what, Mapping):
            fetch = fetcher(name)
            return [fetch(record) for chunk in self.chunks() for record in chunk]
        return self.some(field, range(self.count))

    def some(self, field: str | None, indexes: range | list[int]) -> list[Any]:
        """One field of the records with these numbers, from the table's first: the key, where none
        is named.
        """
        name = field or self._key
        if name is None or name.partition(".")[0] not in self.columns:
            raise RecordRefused(f"the table {self.name!r} has no key; name a field with field = …")
        start = self.start
        several: range | list[int] = [index + start for index in indexes]
        if isinstance(indexes, range):
            several = range(indexes.start + start, indexes.stop + start)
        rules = without_gathered(self.rules, name)
        return self._urn.field(self.what, name, several, **rules)

    @property
    def _key(self) -> str | None:
        record = None if isinstance(self.what, Mapping) else drawable(self.what)
        if record is None:
            return key_name(self.name, self.columns)
        return record.key[0] if len(record.key) == 1 else None


def columns_of(what: object) -> dict[str, Node]:
    """The columns of a record type, a variant of one, or a JSON Schema, and their types."""
    what = what.form if isinstance(what, Variant) else what
    if isinstance(what, Mapping):
        return dict.fromkeys(property_names(what), ANYTHING)
    record = drawable(what)
    if record is None:
        raise RecordRefused(
            f"{type_name(what)} is no record type: a dataclass, for example, is one"
        )
    return {name: field.node for name, field in record.given.items()}


def link_to(
    where: str, to: str, field: str | None, children: Any, before: dict[str, PlannedTable]
) -> Rule:
    """The link of a field to a table that stands above, or what deals its children.

    Args:
        where: file, table and field, for messages.
        to: the other table.
        field: of its records; the key, where it is None.
        children: how many of them one has; None for a plain link.
        before: the tables above.
    """
    table = before.get(to)
    if table is None:
        raise RecordRefused(
            f"{where}: a link to {to!r}, but no such table stands above it; {nearest(to, before)}"
        )

    def all_of(one: str | None) -> Callable[[], Sequence[Any]]:
        parents = _TableParents(table, one)
        return lambda: parents

    if children is not None:

        def reach(one: str | None) -> Callable[[], Sequence[Any]]:
            in_turn = InTurn(lambda indexes: table.some(one, indexes), tuple)
            return lambda: in_turn

        return Dealt(table.what, children, field, reach)
    # said here, where the line is known, and not when the first record is drawn
    if not table.count:
        raise RecordRefused(f"{where}: a link to {to!r}, which has no records")
    made = _TableLink(table.what, field, table.count, all_of(field))
    made._reach = all_of
    return made


class _TableParents(Indexed):
    """One field of all records of a table: of few all at once, of many when they are asked for, so
    that memory stays the same for any number.

    Args:
        table: of the plan.
        field: of its records; the key, where it is None.
    """

    def __init__(self, table: PlannedTable, field: str | None) -> None:
        self._table, self._field = table, field
        self._known: list[Any] = []

    def __len__(self) -> int:
        return self._table.count

    def __getitem__(self, index: Any) -> Any:
        return self.at([index])[0]

    def at(self, indexes: list[int]) -> Sequence[Any]:
        """Those with these indexes."""
        if len(self) > _REMEMBERED:
            return self._table.some(self._field, indexes)
        # drawn once, and only where somebody links to them
        self._known = self._known or self._table.values(self._field)
        return [self._known[index] for index in indexes]


class _TableLink(Link):
    """A link whose parents are a table of the plan, not the shelf's or the urn's own."""

    def placed(self, place: object) -> Rule:  # noqa: ARG002
        return self
