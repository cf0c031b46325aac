"""Rows and values in order, and each value once, as SQLite has them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, cast

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.records.sql import to_sql
from urnshelf.store.paths import fetcher


def is_null(value: object) -> bool:
    """Whether SQL has NULL for a value: None, and what is not a number."""
    if value is None or isinstance(value, float):
        return value is None or value != value
    # by its name: few records have one, and only they should pay for the module
    return type(value).__name__ == "Decimal" and cast(Any, value).is_nan()


def without_nulls(values: Iterable[Any]) -> list[Any]:
    """The values that SQL's aggregates look at."""
    return [value for value in values if not is_null(value)]


def added(values: list[Any], what: str) -> Any:
    """The sum of some values; raises RecordRefused for those that are no numbers."""
    from datetime import timedelta
    from decimal import Decimal

    for value in values:
        if not isinstance(value, (int, float, Decimal, timedelta)):
            raise RecordRefused(
                f"{what}: {show(value, 40)} is a {type(value).__name__}; only numbers and spans of "
                "time can be added"
            )
    try:
        return sum(values[1:], values[0])
    except TypeError as why:
        raise RecordRefused(f"{what}: these values cannot be added: {why}") from None


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
    return [None for value in values if is_null(value)] + orderly(
        without_nulls(values), lambda v: v
    )


def sorted_by(rows: list[Any], path: str, descending: bool) -> list[Any]:
    """Sorted by one field, stably; None is least, as in SQLite."""
    fetch = fetcher(path)
    without = [row for row in rows if is_null(fetch(row))]
    having = orderly([row for row in rows if not is_null(fetch(row))], fetch, descending)
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


def direction(field: object, check_path: Callable[[str], str]) -> tuple[str, bool]:
    """The field of `"depth_m desc"`, and whether the greatest comes first."""
    path, _, word = field.strip().partition(" ") if isinstance(field, str) else ("", "", "")
    if not path or word.strip().lower() not in ("", "asc", "desc"):
        raise RecordRefused(
            f'order_by({show(field)}): write "depth_m", or "depth_m desc" for the greatest first'
        )
    return check_path(path), word.strip().lower() == "desc"
