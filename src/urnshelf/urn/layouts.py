"""Layouts: how the records of one type are drawn, field by field, in an order in which each has
what it needs.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.errors import RecordRefused
from urnshelf.records.description import NOT_THERE, Description
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.urn.by_type import DEEPEST, Drawer
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import TRIES, Rule
from urnshelf.urn.rules.given import constant

__tracebackhide__ = True  # a failing test shows its own lines, not ours

MANY = 500
"""From how many records on columns are drawn at once, where NumPy is installed."""
CHUNK = 20_000
"""How many records are drawn at a time where they are not all kept."""


class Column(NamedTuple):
    """One field of all records: its rule, and the key of its bits."""

    name: str
    key: int
    rule: Rule


class Layout(NamedTuple):
    """How the records of one type are drawn: columns in an order in which each comes after those
    that it needs.
    """

    record: Description
    columns: tuple[Column, ...]


def layout_of(record: Description, seed: int, rules: Mapping[str, Rule]) -> Layout:
    """The layout of a type.

    Args:
        record: its description.
        seed: of the urn.
        rules: they go before those of names and types.

    Raises:
        RecordRefused: a field that cannot be drawn, or rules that need each other.
    """
    drawn = _field_rules(record.form)
    columns = {}
    for name, field in record.given.items():
        rule = rules.get(name) or drawn[name]
        if isinstance(rule, RecordRefused):
            raise RecordRefused(str(rule))
        rule = _SometimesAbsent(rule) if field.is_optional and name not in rules else rule
        columns[name] = Column(name, key_of(seed, record.full_name, name), rule)
    return Layout(record, tuple(_in_order(record, columns)))


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


@remembered
def _field_rules(what: object) -> dict[str, Any]:
    """The rule of each field of a type, or why there is none, which matters only where no other is
    given.
    """
    return _rules_of(record_type(what), type_name(what), 0)


def _rules_of(record: Description, path: str, depth: int) -> dict[str, Any]:
    siblings = {name: field.node for name, field in record.given.items()}
    rules: dict[str, Any] = {}
    for name, field in record.given.items():
        try:
            rules[name] = DRAWER.field(
                name, field.node, field.limits, f"{path}.{name}", siblings, depth
            )
        except RecordRefused as refusal:
            # said only when nobody gives a rule for this field
            rules[name] = refusal
    return rules


def _in_order(record: Description, columns: dict[str, Column]) -> list[Column]:
    """The columns sorted so that each comes after those that it needs; raises RecordRefused for a
    circle.
    """
    ordered: dict[str, Column] = {}

    def visit(name: str, waiting: tuple[str, ...]) -> None:
        if name in ordered:
            return
        if name in waiting:
            circle = " → ".join([*waiting[waiting.index(name) :], name])
            raise RecordRefused(
                f"{type_name(record.form)}: the rules need each other in a circle: {circle}"
            )
        for needed in columns[name].rule.needs:
            if needed not in columns:
                raise RecordRefused(
                    f"{type_name(record.form)}.{name}: its rule needs the field {needed!r}, which "
                    "there is not"
                    "; for a function as the value itself, give rules.constant(…)"
                )
            visit(needed, (*waiting, name))
        ordered[name] = columns[name]

    for name in columns:
        visit(name, ())
    return list(ordered.values())


# --- records of a layout ------------------------------------------------------------------------


def one(layout: Layout, index: int) -> Any:
    """The record with this index; others are tried where its own validation refuses it."""
    if not layout.record.validates:
        return layout.record.build(_there(_values(layout, index, 0)))
    why: Exception | None = None
    for attempt in range(TRIES):
        try:
            return layout.record.build(_there(_values(layout, index, attempt)))
        # ours says already what to do
        except RecordRefused:
            raise
        except Exception as error:  # the record's own validation may raise anything
            why = error
    raise RecordRefused(
        f"{type_name(layout.record.form)} refused all {TRIES} records drawn for index {index}; the "
        f"last time: {why}. "
        "Give rules for the fields that it checks."
    ) from why


def _values(layout: Layout, index: int, attempt: int) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, key, rule in layout.columns:
        bits = Bits(key, index)
        values[name] = rule.one(
            # the first try is what columns draw as well
            bits.sub(attempt) if attempt else bits,
            *[values[n] for n in rule.needs],
        )
    return values


def _there(values: Mapping[str, Any]) -> dict[str, Any]:
    """The values without those that the record does without."""
    return {name: value for name, value in values.items() if value is not ABSENT}


def records(layout: Layout, indexes: range) -> Iterator[Any]:
    """The records with these indexes: many of them column by column, where NumPy is there."""
    if len(indexes) < MANY or not _numpy_is_there():
        for index in indexes:
            yield one(layout, index)
        return
    for start in range(0, len(indexes), CHUNK):
        yield from _column_wise(layout, indexes[start : start + CHUNK])


def _column_wise(layout: Layout, indexes: range) -> Iterator[Any]:
    from urnshelf.urn.lanes import lanes

    columns: dict[str, list[Any]] = {}
    for column in layout.columns:
        inputs = [columns[name] for name in column.rule.needs]
        columns[column.name] = column.rule.many(lanes(column.key, indexes), *inputs)
    names = list(layout.record.given)
    rows = zip(*[columns[name] for name in names], strict=True)
    # all fields by position: one call a record, no dictionary
    if layout.record.in_order and isinstance(layout.record.form, type):
        yield from map(layout.record.form, *[columns[name] for name in names])
        return
    for index, row in zip(indexes, rows, strict=True):
        try:
            yield layout.record.build(_there(dict(zip(names, row, strict=True))))
        except Exception:  # the record's own validation: then one at a time, with further tries
            yield one(layout, index)


def _numpy_is_there() -> bool:
    if "numpy" in sys.modules:
        return True
    from importlib.util import find_spec

    return find_spec("numpy") is not None


class _Absent:
    """Stands for a field that is left out of a typed dictionary."""


ABSENT = _Absent()


class _SometimesAbsent(Rule):
    """A field that one record in four does without."""

    vectorised = False

    def __init__(self, rule: Rule) -> None:
        self._rule = rule
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: object) -> Any:
        return ABSENT if bits.below(4) == 0 else self._rule.one(bits.sub(0), *inputs)


class _Nested(Rule):
    """A record inside a record."""

    vectorised = False

    def __init__(self, record: Description, path: str, depth: int) -> None:
        self._record, self._path, self._depth = record, path, depth
        self._parts: Any = None

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        if self._parts is None:  # resolved late, for a type that holds itself
            self._parts = self._resolved()
        for attempt in range(TRIES):
            source = bits.sub(attempt)
            values: dict[str, Any] = {}
            for name, number, rule in self._parts:
                values[name] = rule.one(source.sub(number), *[values[n] for n in rule.needs])
            try:
                return self._record.build(_there(values))
            except Exception:
                if not self._record.validates or attempt == TRIES - 1:
                    raise
        return None

    def _resolved(self) -> list[tuple[str, int, Rule]]:
        rules = _rules_of(self._record, self._path, self._depth)
        columns = {}
        for name, rule in rules.items():
            if isinstance(rule, RecordRefused):
                raise rule
            columns[name] = Column(
                name, 0, _SometimesAbsent(rule) if self._record.given[name].is_optional else rule
            )
        # a number a field, not its position: a new field must not change what the others draw
        return [(c.name, key_of(0, c.name) >> 1, c.rule) for c in _in_order(self._record, columns)]


def _nested(record: Description, path: str, depth: int) -> Rule:
    if depth > DEEPEST:
        return constant(None)
    return _Nested(record, path, depth)


DRAWER = Drawer(_nested)
