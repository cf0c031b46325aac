"""Layouts: how the records of one type are drawn, field by field, in an order in which each has
what it needs.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.description import NOT_THERE, Description
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.urn.belonging import Belonging
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import ABSENT, TRIES, Rule

Parts = Mapping[str, Rule]
"""The rule of each field of a record."""


class Column(NamedTuple):
    """One field of all records: its rule, and the key of its bits."""

    name: str
    key: int
    rule: Rule


class Layout:
    """How the records of one type are drawn: columns in an order in which each comes after those
    that it needs.

    Args:
        record: the type.
        columns: in that order.
    """

    def __init__(self, record: Description, columns: Iterable[Column]) -> None:
        self.record = record
        self.columns = tuple(columns)
        self._places = {column.name: place for place, column in enumerate(self.columns)}
        self._is_reached = any("." in column.name for column in self.columns)

    def rule(self, name: str) -> Rule:
        """The rule of a field."""
        return self.columns[self._places[name]].rule

    def alone(self, name: str) -> list[Column]:
        """The columns that one field needs, and itself, in order.

        Raises:
            RecordRefused: there is no such field.
        """
        named = {column.name: column for column in self.columns}
        _reach(named, (name,))
        if name not in named:
            raise RecordRefused(
                f"{type_name(self.record.form)} has no field {name!r}; "
                f"{nearest(name, self.record.given)}"
            )
        wanted: dict[str, Column] = {}

        def visit(one: str) -> None:
            for needed in named[one].rule.needs:
                visit(needed)
            wanted.setdefault(one, named[one])

        visit(name)
        return list(wanted.values())

    def with_rules(self, rules: Mapping[str, Rule]) -> Layout:
        """The same, but for the rules of some fields."""
        columns = list(self.columns)
        bound = rules
        if any(type(rule).beside is not Rule.beside for rule in rules.values()):
            known = {column.name: column.rule for column in columns} | dict(rules)
            bound = {name: rule.beside(known) for name, rule in rules.items()}
        for name, rule in bound.items():
            place = self._places[name]
            columns[place] = Column(name, columns[place].key, rule)
        # a rule that needs nothing may stand anywhere
        if self._is_reached or any(rule.needs for rule in bound.values()):
            own = [column for column in columns if column.name in self.record.given]
            return Layout(self.record, in_order(self.record, own))
        found = object.__new__(Layout)
        found.record, found.columns, found._places = self.record, tuple(columns), self._places
        found._is_reached = False
        return found


def layout_of(record: Description, seed: int, rules: Parts) -> Layout:
    """The layout of a type.

    Args:
        record: its description.
        seed: of the urn.
        rules: of all its fields.

    Raises:
        RecordRefused: rules that need each other.
    """
    columns = [
        Column(name, key_of(seed, record.full_name, name), rule.beside(rules))
        for name, rule in rules.items()
    ]
    return Layout(record, in_order(record, columns))


def drawable(what: object) -> Description | None:
    """The description of a type whose records can be drawn; of a plain class its constructor must
    tell the types.
    """
    record = description_of(what)
    if record is None or not record.given:
        return None
    has_types = all(
        field.node.form is not Any or field.default is not NOT_THERE
        for field in record.given.values()
    )
    return record if has_types or record.kind != "plain" else None


def record_type(what: object) -> Description:
    """The description of what is to be drawn; raises RecordRefused for what has no fields."""
    record = description_of(what)
    if record is None:
        name = "schema" if isinstance(what, Mapping) else type_name(what)
        raise RecordRefused(f"{name} is no record type: it has no fields to set rules for")
    return record


def in_order(record: Description, columns: Iterable[Column]) -> list[Column]:
    """The columns sorted so that each comes after those that it needs; raises RecordRefused for a
    circle.
    """
    named = {column.name: column for column in columns}
    _reach(named)
    _break_circles(named)
    ordered: dict[str, Column] = {}

    def visit(name: str, waiting: tuple[str, ...]) -> None:
        if name in ordered:
            return
        if name in waiting:
            circle = " → ".join([*waiting[waiting.index(name) :], name])
            raise RecordRefused(
                f"{type_name(record.form)}: the rules need each other in a circle: {circle}"
            )
        for needed in named[name].rule.needs:
            if needed not in named:
                raise RecordRefused(_needs_what(record, name, needed, named))
            visit(needed, (*waiting, name))
        ordered[name] = named[name]

    for name in record.given:
        visit(name, ())
    return list(ordered.values())


def _needs_what(record: Description, name: str, needed: str, named: Mapping[str, Column]) -> str:
    """What a message says of a rule that needs a field which there is not."""
    told = f"{type_name(record.form)}.{name}: its rule needs the field {needed!r}"
    head, _, rest = needed.partition(".")
    if rest and head in named:
        return (
            f"{told}, and {head} is drawn by {named[head].rule!r}, which refers to no record; give "
            f"{head} rules.link(…) or rules.dealt(…)"
        )
    return f"{told}, which there is not; for a function as the value itself, give rules.constant(…)"


def _reach(named: dict[str, Column], wanted: Sequence[str] = ()) -> None:
    """Add what rules need of the records that others refer to: `vessel_id.kind`. It is drawn with
    the bits of the reference, so that it is of the same record, and is no field of this one.
    """
    needed = [name for column in named.values() for name in column.rule.needs]
    for name in dict.fromkeys([*needed, *wanted]):
        head, _, rest = name.partition(".")
        if name in named or head not in named:
            continue
        rule = named[head].rule.reaching(rest)
        if rule is not None:
            named[name] = Column(name, named[head].key, rule)


def _break_circles(named: dict[str, Column]) -> None:
    """Where rules that somebody gave need fields whose own rules were only found by their names,
    and these need them, what was found gives way: it is drawn by its name alone.
    """
    done: set[str] = set()

    def visit(name: str, waiting: tuple[str, ...]) -> None:
        if name in done or name not in named:
            return
        circle = (*waiting[waiting.index(name) :],) if name in waiting else ()
        for one in circle:
            rule = named[one].rule
            if isinstance(rule, Belonging):
                named[one] = named[one]._replace(rule=rule.make_alone())
                return
        if circle:
            return  # it is told as what it is
        for needed in named[name].rule.needs:
            visit(needed, (*waiting, name))
        done.add(name)

    for _ in range(len(named)):
        done.clear()
        before = [column.rule for column in named.values()]
        for name in list(named):
            visit(name, ())
        if all(one is column.rule for one, column in zip(before, named.values(), strict=True)):
            return


def values_of(layout: Layout, index: int, attempt: int) -> dict[str, Any]:
    """The values of one record; an attempt after the first has other bits, but not for what
    belongs to a series.
    """
    values: dict[str, Any] = {}
    for name, key, rule in layout.columns:
        bits = Bits(key, index)
        # the first try is what columns draw as well
        if attempt and not rule.in_series:
            bits = bits.sub(attempt)
        values[name] = rule.one(bits, *inputs_of(rule, values)) if rule.needs else rule.one(bits)
    return values


def inputs_of(rule: Rule, values: Mapping[str, Any]) -> Sequence[Any]:
    """What a rule is drawn from; None for a field that the record does without."""
    return [None if values[name] is ABSENT else values[name] for name in rule.needs]


def built(record: Description, values: Mapping[str, Any]) -> Any:
    """The record, without the values that it does without; its constructor may refuse."""
    return record.build(
        {
            name: value
            for name, value in values.items()
            if value is not ABSENT and name in record.given
        }
    )


class Optional(Rule):
    """A field that one record in four does without."""

    vectorised = False

    def __init__(self, rule: Rule) -> None:
        self._rule = rule
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: object) -> Any:
        """The value, or that there is none."""
        return ABSENT if bits.below(4) == 0 else self._rule.one(bits.sub(0), *inputs)


class Nested(Rule):
    """A record inside a record.

    Args:
        record: its type.
        parts: gives the rules of its fields, when they are first needed: a type may hold itself.
    """

    vectorised = False

    def __init__(self, record: Description, parts: Callable[[], Parts]) -> None:
        self.record = record
        self._parts = parts
        self._columns: list[Column] | None = None

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One record; others are tried where its own validation refuses it."""
        if self._columns is None:
            # a number a field, not its position: a new field must not change what others draw
            parts = self._parts()
            self._columns = in_order(
                self.record,
                [
                    Column(name, key_of(0, name) >> 1, rule.beside(parts))
                    for name, rule in parts.items()
                ],
            )
        for attempt in range(TRIES):
            source = bits.sub(attempt)
            values: dict[str, Any] = {}
            for name, number, rule in self._columns:
                values[name] = rule.one(source.sub(number), *inputs_of(rule, values))
            try:
                return built(self.record, values)
            except Exception:
                if not self.record.validates or attempt == TRIES - 1:
                    raise
        return None
