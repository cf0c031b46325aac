"""Indexes: which keys have which value of a field, so that a look-up need not read every record."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable
from typing import Any

from urnshelf.records.equality import Matcher
from urnshelf.store.comparisons import Between, Comparison, OneOf
from urnshelf.store.conditions import Condition

WORTH_IT = 64
"""With fewer records, reading them all is as fast."""
OFTEN = 2
"""After so many look-ups by a field, it gets an index."""

_HASHED_BY_VALUE = frozenset(
    """
    builtins.int builtins.str builtins.bool builtins.bytes builtins.float decimal.Decimal uuid.UUID
    datetime.date datetime.datetime
    """.split()
)


class HashIndex:
    """The keys of the records by the value of one field, or of a group of fields."""

    def __init__(self, value_of: Callable[[Any], Any]) -> None:
        self.value_of = value_of
        self.keys: dict[Any, dict[Any, None]] = {}
        self._mixed: set[Any] = set()
        """The values whose keys did not come in their order."""
        self._last: dict[Any, Any] = {}

    def add(self, key: object, row: object) -> None:
        """Enter a record; raises TypeError where its value cannot be hashed."""
        value = self.value_of(row)
        self.keys.setdefault(value, {})[key] = None
        if not is_after(key, self._last.get(value, key), True):
            self._mixed.add(value)
        self._last[value] = key

    def in_order(self, value: object) -> Iterable[Any]:
        """The keys of the records with this value, in their order; not sorted where they came so,
        as most do.
        """
        keys = self.keys.get(value, {})
        if value not in self._mixed:
            return keys
        try:
            return sorted(keys)
        except TypeError:  # keys that do not compare: in order of arrival
            return keys

    def remove(self, key: object, row: object) -> None:
        """Take a record out."""
        value = self.value_of(row)
        found = self.keys.get(value)
        if found is not None:
            found.pop(key, None)
            if not found:
                del self.keys[value]


def is_after(key: Any, last: Any, or_same: bool = False) -> bool:
    """Whether a key comes after another; not where they do not compare."""
    try:
        return bool(key >= last if or_same else key > last)
    except TypeError:
        return False


class SortedIndex:
    """The keys in the order of one field's values; good until a record changes."""

    def __init__(self, pairs: Iterable[tuple[Any, Any]]) -> None:
        ordered = sorted(pairs, key=lambda pair: pair[0])
        self._values = [value for value, _ in ordered]
        self._keys = [key for _, key in ordered]

    def keys_within(self, low: tuple[Any, bool] | None, high: tuple[Any, bool] | None) -> list[Any]:
        """The keys between two bounds, each a value and whether it is included itself."""
        start, end = 0, len(self._values)
        if low is not None:
            start = (bisect_left if low[1] else bisect_right)(self._values, low[0])
        if high is not None:
            end = (bisect_right if high[1] else bisect_left)(self._values, high[0])
        return self._keys[start:end]


def sought_values(condition: Condition) -> tuple[str, list[Any]] | None:
    """The field that must have one of some values, where hashing finds just what the one equality
    would.
    """
    if isinstance(condition, Comparison) and condition.sign == "=" and not condition.fold:
        path, values = condition.path, [condition.value]
    elif isinstance(condition, OneOf) and not condition.fold and None not in condition.values:
        path, values = condition.path, condition.values
    else:
        return None
    return (path, values) if all(map(_is_hashed_by_value, values)) else None


def _is_hashed_by_value(value: object) -> bool:
    # a NaN is itself to the one equality, but not to a dictionary
    if isinstance(value, Matcher) or value != value:
        return False
    cls = type(value)
    return f"{cls.__module__}.{cls.__qualname__}" in _HASHED_BY_VALUE or hasattr(value, "_value_")


def sought_range(
    condition: Condition,
) -> tuple[str, tuple[Any, bool] | None, tuple[Any, bool] | None] | None:
    """The field that must lie within bounds."""
    if isinstance(condition, Between):
        return condition.path, (condition.low, True), (condition.high, True)
    if (
        isinstance(condition, Comparison)
        and condition.sign not in ("=", "<>")
        and not condition.fold
    ):
        bound = (condition.value, "=" in condition.sign)
        return (
            (condition.path, bound, None)
            if condition.sign.startswith(">")
            else (condition.path, None, bound)
        )
    return None
