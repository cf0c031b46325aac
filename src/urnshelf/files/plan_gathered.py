"""What the records of another table of a plan come to, that are dealt to each of this one."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from typing import Any, Protocol

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.types.nodes import Node
from urnshelf.urn.layouts import drawable
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import Place, Rule
from urnshelf.urn.rules.choices import SometimesNone
from urnshelf.urn.rules.dealt import Dealt, NoneWith
from urnshelf.urn.rules.following import Gathered
from urnshelf.urn.rules.given import constant


class Below(Protocol):
    """A table of the plan."""

    name: str
    what: Any
    start: int
    rules: dict[str, Any]

    @property
    def seed(self) -> int:
        """What it is drawn from."""
        ...

    @property
    def columns(self) -> dict[str, Node]:
        """The columns and their types."""
        ...

    def some(self, field: str | None, indexes: range) -> list[Any]:
        """One field of the records with these numbers."""
        ...


class GatheredBelow(Gathered):
    """The sum, or the like, of what is dealt to each record.

    Args:
        text: `sum lines.amount`.
        form: the field's type.
        own: the name of the field's table.
        tables: those of the plan; the one below is there once all are read.
        where: for messages.
    """

    in_series = True

    def __init__(
        self, text: str, form: Any, own: str, tables: Mapping[str, Below], where: str
    ) -> None:
        super().__init__(text, form)
        self._below = self.needs[0]
        self.needs = ()
        self._own, self._tables, self._where = own, tables, where
        self._found: tuple[Below, Callable[[int], range]] | None = None

    def placed(self, place: Place) -> Rule:  # noqa: ARG002
        """It knows its place."""
        return self

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """What the children of the record with this index come to."""
        if self._own not in self._tables or self._below not in self._tables:
            return self._nothing  # the plan is still being read
        if self._found is None:
            self._found = self._looked_up()
        table, children = self._found
        indexes = children(bits.index - self._tables[self._own].start)
        values = table.some(self._field, indexes) if self._field else list(indexes)
        return self.come_to([value for value in values if value is not None])

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The same for many in a row, their children drawn together."""
        numbers = lanes.index.tolist()
        if self._own not in self._tables or self._below not in self._tables or not numbers:
            return super().many(lanes, *inputs)
        if self._found is None:
            self._found = self._looked_up()
        table, children = self._found
        start = self._tables[self._own].start
        several = [children(number - start) for number in numbers]
        first, last = several[0].start, several[-1].stop
        if sum(map(len, several)) != last - first:
            return super().many(lanes, *inputs)
        values = table.some(self._field, range(first, last)) if self._field else range(first, last)
        return [
            self.come_to([v for v in values[one.start - first : one.stop - first] if v is not None])
            for one in several
        ]

    @property
    def nothing(self) -> Rule:
        """What stands there while nobody asks for it."""
        return constant(self._nothing)

    @property
    def _nothing(self) -> Any:
        return self._form(0) if self._form in (int, float) else Decimal(0)

    def form_by(self, tables: Mapping[str, Below]) -> Any:
        """The type of what is gathered, as the table below tells it; None where that is none."""
        if self._what == "count":
            return int
        column = tables[self._below].columns.get(self._field)
        if column is None or not column.is_known:
            return None
        # of no children there is a sum, and nothing that is the least
        return column.bare if self._what == "sum" else column.bare | None

    def check(self) -> None:
        """Refuse what there is nothing to gather from, once the plan is read."""
        self._looked_up()

    def _looked_up(self) -> tuple[Below, Callable[[int], range]]:
        """The table below, and how its records are dealt."""
        table = self._tables.get(self._below)
        if table is None:
            raise RecordRefused(
                f"{self._where}: gathered from {self._below!r}, but there is neither such a field "
                f"nor such a table; {nearest(self._below, self._tables)}"
            )
        parent, record = self._tables[self._own].what, drawable(table.what)
        for field, rule in table.rules.items():
            if isinstance(rule, Dealt) and rule.record_type is parent and record is not None:
                key = key_of(table.seed, record.full_name, field)
                return table, rule.dealing(key).children
        raise RecordRefused(
            f"{self._where}: gathered from {self._below!r}, whose records are not dealt to those "
            f"of {self._own!r}; give them a rule {{ dealt = {self._own!r}, children = … }}"
        )


def gathered_in(rule: object) -> list[GatheredBelow]:
    """What a rule gathers from another table."""
    if isinstance(rule, WithCounts):
        return list(rule.counts.values())
    return [rule] if isinstance(rule, GatheredBelow) else []


def innermost(rule: Rule) -> Rule:
    """What draws the values, without what only says when there is none, or by how many children."""
    while isinstance(rule, (SometimesNone, NoneWith, WithCounts)):
        rule = rule.inner
    return rule


Forms = dict[str, dict[str, Any]]
"""The types of what is gathered, by table and field."""


def gathered_forms(tables: Mapping[str, Below]) -> Forms:
    """The types of what tables without a record type gather from those below them."""
    found: Forms = {}
    for name, table in tables.items():
        for field, rule in table.rules.items():
            inner = innermost(rule) if isinstance(rule, Rule) else None
            form = inner.form_by(tables) if isinstance(inner, GatheredBelow) else None
            if form is not None:
                found.setdefault(name, {})[field] = form
    return found


class WithCounts(Rule):
    """A rule that goes by how many children a record has.

    Args:
        inner: needs `count lines`, which is no field.
        counts: what counts them, by that name.
    """

    vectorised = False

    def __init__(self, inner: Rule, counts: Mapping[str, GatheredBelow]) -> None:
        self.inner, self.counts = inner, dict(counts)
        self.needs = tuple(name for name in inner.needs if name not in counts)
        self.gives_none = inner.gives_none

    def placed(self, place: Place) -> Rule:
        """The same, what is in it placed."""
        return WithCounts(self.inner.placed(place), self.counts)

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        """The same, what is in it bound."""
        return WithCounts(self.inner.beside(rules), self.counts)

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        told = dict(zip(self.needs, inputs, strict=True))
        given = [
            self.counts[name].one(bits) if name in self.counts else told[name]
            for name in self.inner.needs
        ]
        return self.inner.one(bits, *given)

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes."""
        told = dict(zip(self.needs, inputs, strict=True))
        given = [
            self.counts[name].many(lanes) if name in self.counts else told[name]
            for name in self.inner.needs
        ]
        return self.inner.many(lanes, *given)


def without_gathered(rules: Mapping[str, Any], field: str) -> dict[str, Any]:
    """The rules of a table where only one field is asked for: what is gathered from its children is
    left out, for they may ask for their parents, unless the field comes of it.
    """

    def is_gathered(name: str) -> bool:
        rule = rules.get(name)
        if isinstance(rule, GatheredBelow):
            return True
        return isinstance(rule, Rule) and any(map(is_gathered, rule.needs))

    if is_gathered(field):
        return dict(rules)
    return {
        name: rule.nothing if isinstance(rule, GatheredBelow) else rule
        for name, rule in rules.items()
    }
