"""Rows and values in order, and each value once, as SQLite has them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.sql import to_sql
from urnshelf.store.paths import fetcher

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def distinct_values(values: list[Any]) -> list[Any]:
    """The first of each value, in order of arrival."""
    found: dict[Any, Any] = {}
    for value in values:
        found.setdefault(hashed(value), value)
    return list(found.values())


def hashed(value: object) -> Any:
    """Something that is equal, and can be a key, where values are the same: True is not 1."""
    try:
        hash(value)
    except TypeError:
        return to_sql(value)
    return value.__class__ is bool, value


def in_own_order(values: list[Any]) -> list[Any]:
    """The values sorted; None is least, as in SQLite."""
    return [None for value in values if value is None] + orderly(
        [v for v in values if v is not None], lambda v: v
    )


def sorted_by(rows: list[Any], path: str, descending: bool) -> list[Any]:
    """Sorted by one field, stably; None is least, as in SQLite."""
    fetch = fetcher(path)
    without = [row for row in rows if fetch(row) is None]
    having = orderly([row for row in rows if fetch(row) is not None], fetch, descending)
    return having + without if descending else without + having


def orderly(rows: list[Any], fetch: Callable[[Any], Any], descending: bool = False) -> list[Any]:
    """Rows sorted by a value of each that is never None; raises RecordRefused for values without
    an order.
    """
    try:
        return sorted(rows, key=fetch, reverse=descending)
    except TypeError:  # an enum has no order of its own: then that of its value
        try:
            return sorted(rows, key=lambda row: to_sql(fetch(row)), reverse=descending)
        except TypeError as why:
            raise RecordRefused(f"these values have no order: {why}") from None
