"""Values by key as the mappings and sets that the language defines: their own code runs on them."""

from __future__ import annotations

from collections.abc import Iterator, MutableMapping, MutableSet
from typing import Any

from urnshelf.store.entries import KeyValues
from urnshelf.store.journal import ABSENT


class LiveMapping(MutableMapping[Any, Any]):
    """A mapping over values by key; what it does not define here is the language's own.

    Args:
        values: what it shows, and changes.
    """

    def __init__(self, values: KeyValues) -> None:
        self._values = values

    def __getitem__(self, key: object) -> Any:
        found = self._values.find(key)
        if found is ABSENT:
            raise KeyError(key)
        return found

    def __setitem__(self, key: object, value: object) -> None:
        self._values.put(key, value)

    def __delitem__(self, key: object) -> None:
        if not self._values.drop(key):
            raise KeyError(key)

    def __iter__(self) -> Iterator[Any]:
        return iter(self._values.keys())

    def __len__(self) -> int:
        return len(self._values.keys())


class LiveSet(MutableSet[Any]):
    """A set over values by key: its members are the keys.

    Args:
        values: what it shows, and changes.
    """

    def __init__(self, values: KeyValues) -> None:
        self._values = values

    @classmethod
    def _from_iterable(cls, members: Any) -> Any:
        # what comes of two sets is a set of its own
        return set(members)

    def __contains__(self, member: object) -> bool:
        return self._values.find(member) is not ABSENT

    def __iter__(self) -> Iterator[Any]:
        return iter(self._values.keys())

    def __len__(self) -> int:
        return len(self._values.keys())

    def add(self, value: object) -> None:
        """Make it a member."""
        if value not in self:
            self._values.put(value, True)

    def discard(self, value: object) -> None:
        """Make it no member."""
        self._values.drop(value)
