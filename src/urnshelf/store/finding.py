"""Finding: the keys of the records that may fulfil a condition, by indexes of what is asked
often.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from urnshelf.store.conditions import AllOf
from urnshelf.store.indexes import (
    OFTEN,
    WORTH_IT,
    HashIndex,
    SortedIndex,
    sought_range,
    sought_values,
)
from urnshelf.store.paths import fetcher

if TYPE_CHECKING:
    from urnshelf.store.rows import Rows


class Finding:
    """The indexes of the records of one type.

    Args:
        rows: the records.
    """

    def __init__(self, rows: Rows) -> None:
        self._rows = rows
        self.indexes: dict[str, HashIndex] = {}
        self._sorted: dict[str, SortedIndex] = {}
        self._asked: dict[str, int] = {}

    def candidates(self, condition: AllOf) -> list[Any]:
        """The keys, in order, of records among which are all that fulfil the condition: as few as
        an index can tell.
        """
        # to look at a few records is quicker than to ask an index
        if len(self._rows.by_key) < WORTH_IT:
            return self._rows.keys()
        fewest: list[Any] | None = None
        for part in condition.parts:
            found = self._indexed(part)
            if found is not None and (fewest is None or len(found) < len(fewest)):
                fewest = found
        if fewest is None:
            return self._rows.keys()
        try:
            return sorted(fewest)
        except TypeError:
            # keys that do not compare: in order of arrival
            order = {key: number for number, key in enumerate(self._rows.by_key)}
            return sorted(fewest, key=order.__getitem__)

    def first(self, condition: AllOf) -> Iterable[Any]:
        """The same keys, for one who wants only the first few of the records: no list of all of
        them is made, nor sorted, where that can be helped.
        """
        if len(self._rows.by_key) < WORTH_IT:
            return self._rows.keys()
        for part in condition.parts:
            sought = sought_values(part)
            if sought is None or len(sought[1]) != 1:
                continue
            path, [value] = sought
            if (path,) == self._rows.definition.key_fields:
                return self._keys_with(path, [value]) or ()
            found = self._index_of(path)
            if found is not None:
                index, is_group = found
                return index.in_order((value,) if is_group else value)
        return self._rows.keys()

    def _indexed(self, part: Any) -> list[Any] | None:
        sought = sought_values(part)
        if sought is not None:
            return self._keys_with(*sought)
        bounds = sought_range(part)
        return None if bounds is None else self._keys_within(*bounds)

    def _keys_with(self, path: str, values: list[Any]) -> list[Any] | None:
        if (path,) == self._rows.definition.key_fields:
            return [key for key in dict.fromkeys(values) if key in self._rows.by_key]
        found = self._index_of(path)
        if found is None:
            return None
        index, is_group = found
        sought = [(value,) if is_group else value for value in dict.fromkeys(values)]
        return [key for value in sought for key in index.keys.get(value, ())]

    def _index_of(self, path: str) -> tuple[HashIndex, bool] | None:
        """The index of a field, and whether it has its values in tuples."""
        unique = self._rows.unique.get((path,))
        if unique is not None:
            return unique, True
        index = self.indexes.get(path) or self._new_index(path)
        return None if index is None else (index, False)

    def _new_index(self, path: str) -> HashIndex | None:
        """An index of a field that is looked up often."""
        if self._times_asked(path) < OFTEN:
            return None
        index = HashIndex(fetcher(path))
        try:
            for key, row in self._rows.by_key.items():
                index.add(key, row)
        except TypeError:
            self.forget_index(path)
            return None
        self.indexes[path] = index
        return index

    def _times_asked(self, what: str) -> int:
        self._asked[what] = self._asked.get(what, 0) + 1
        return self._asked[what]

    def changed(self) -> None:
        """A record has changed: to keep values in order would make each change dearer than the
        look-ups that it serves.
        """
        if self._sorted:
            self._sorted.clear()

    def forget(self) -> None:
        """The records are known by other keys now."""
        self.indexes.clear()
        self._sorted.clear()

    def forget_index(self, path: str) -> None:
        """No index for a field, ever: some of its values cannot be hashed."""
        self.indexes.pop(path, None)
        # never often enough again
        self._asked[path] = -(10**9)

    def _keys_within(
        self, path: str, low: tuple[Any, bool] | None, high: tuple[Any, bool] | None
    ) -> list[Any] | None:
        index = self._sorted.get(path)
        if index is None:
            if self._times_asked(f"range of {path}") <= OFTEN:
                return None
            fetch = fetcher(path)
            pairs = ((fetch(row), key) for key, row in self._rows.by_key.items())
            try:
                index = self._sorted[path] = SortedIndex(
                    # no comparison is true of None or of NaN
                    pair
                    for pair in pairs
                    if pair[0] is not None and pair[0] == pair[0]
                )
            except TypeError:
                self._asked[f"range of {path}"] = -(10**9)
                return None
            self._asked[f"range of {path}"] = (
                0  # it is made anew only after it was asked for often again
            )
        try:
            return index.keys_within(low, high)
        except TypeError:
            return None
