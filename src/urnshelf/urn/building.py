"""The records of a layout: one by one, or column by column where they are many."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.types.forms import type_name
from urnshelf.urn.layouts import Column, Layout, built, values_of
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import ABSENT, TRIES

MANY = 500
"""From how many records on columns are drawn at once, where NumPy is installed."""
CHUNK = 20_000
"""How many records are drawn at a time where they are not all kept."""


def one(layout: Layout, index: int) -> Any:
    """The record with this index; others are tried where its own validation refuses it."""
    if not layout.record.validates:
        return built(layout.record, values_of(layout, index, 0))
    why: Exception | None = None
    for attempt in range(TRIES):
        try:
            return built(layout.record, values_of(layout, index, attempt))
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


def records(layout: Layout, indexes: range) -> Iterator[Any]:
    """The records with these indexes: many of them column by column, where NumPy is there."""
    if len(indexes) < MANY or not _numpy_is_there():
        for index in indexes:
            yield one(layout, index)
        return
    for start in range(0, len(indexes), CHUNK):
        yield from _column_wise(layout, indexes[start : start + CHUNK])


def field_values(layout: Layout, name: str, indexes: Sequence[int]) -> list[Any]:
    """One field of the records with these indexes, drawn without those that it does not need.

    Args:
        layout: how they are drawn; their type must not validate, for then records may be others.
        name: of the field, or of one that is reached through it.
        indexes: of the records.
    """
    columns = layout.alone(name)
    if len(indexes) < MANY or not _numpy_is_there():
        return [_alone(columns, index)[name] for index in indexes]
    found: list[Any] = []
    for start in range(0, len(indexes), CHUNK):
        found += _drawn(columns, indexes[start : start + CHUNK])[name]
    return [None if one is ABSENT else one for one in found]


def _alone(columns: Sequence[Column], index: int) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for name, key, rule in columns:
        value = rule.one(Bits(key, index), *[values[needed] for needed in rule.needs])
        values[name] = None if value is ABSENT else value
    return values


def _drawn(columns: Sequence[Column], indexes: Sequence[int]) -> dict[str, list[Any]]:
    from urnshelf.urn.lanes import lanes

    found: dict[str, list[Any]] = {}
    for column in columns:
        inputs = [found[name] for name in column.rule.needs]
        found[column.name] = column.rule.many(lanes(column.key, indexes), *map(_there, inputs))
    return found


def _column_wise(layout: Layout, indexes: range) -> Iterator[Any]:
    columns = _drawn(layout.columns, indexes)
    record = layout.record
    in_turn = [columns[name] for name in record.given]
    # all fields by position: one call a record, no dictionary
    if record.in_order and not record.validates and isinstance(record.form, type):
        yield from map(record.form, *in_turn)
        return
    for index, row in zip(indexes, zip(*in_turn, strict=True), strict=True):
        try:
            yield built(record, dict(zip(record.given, row, strict=True)))
        except Exception:  # the record's own validation: then one at a time, with further tries
            yield one(layout, index)


def _there(column: list[Any]) -> list[Any]:
    """What a rule is drawn from; None for a field that a record does without."""
    return [None if value is ABSENT else value for value in column]


def _numpy_is_there() -> bool:
    if "numpy" in sys.modules:
        return True
    from importlib.util import find_spec

    return find_spec("numpy") is not None
