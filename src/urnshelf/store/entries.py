"""Values by key that expire: what a cache holds, on the shelf's clock."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from urnshelf.clock import Clock
from urnshelf.records.copies import keep
from urnshelf.store.journal import ABSENT, Journal

if TYPE_CHECKING:
    from datetime import datetime


class KeyValues:
    """Values by key; copies go in and come out.

    Args:
        clock: tells when a value has expired.
        journal: where changes are noted.
        is_own: whether the values themselves go in and come out, as with a dictionary.
    """

    def __init__(self, clock: Clock, journal: Journal, is_own: bool = False) -> None:
        self.clock = clock
        self._journal = journal
        self._keep: Callable[[Any], Any] = (lambda value: value) if is_own else keep
        self._entries: dict[Any, tuple[Any, datetime | None]] = {}

    def find(self, key: object) -> Any:
        """A copy of the value, or `ABSENT`; an expired value is not there any more."""
        row = self._entries.get(key)
        if row is None or self._has_expired(row[1]):
            return ABSENT
        return self._keep(row[0])

    def put(self, key: object, value: object, until: datetime | None = None) -> None:
        """Keep a copy of the value.

        Args:
            key: any value that can be hashed.
            value: any value.
            until: when it ends; None for never.
        """
        self._replace(key, (self._keep(value), until))

    def until(self, key: object) -> datetime | None:
        """When the value ends; None for never, and where there is none."""
        row = self._entries.get(key)
        return None if row is None else row[1]

    def drop(self, key: object) -> bool:
        """Forget a value; whether there was one."""
        was_there = self.find(key) is not ABSENT
        if key in self._entries:
            self._replace(key, ABSENT)
        return was_there

    def keys(self) -> list[Any]:
        """The keys that have a value, in the order in which they came."""
        rows = list(self._entries.items())
        return [key for key, row in rows if not self._has_expired(row[1])]

    def restore(self, key: Any, row: Any) -> None:
        """Put back what was there before a change."""
        if row is ABSENT:
            self._entries.pop(key, None)
        else:
            self._entries[key] = row

    def _has_expired(self, until: datetime | None) -> bool:
        # the clock may have been set to another manner of telling since
        return until is not None and self.clock.as_shown(until) <= self.clock.now

    def _replace(self, key: object, row: object) -> None:
        if self._journal.writing:
            self._journal.note(self, key, self._entries.get(key, ABSENT))
        if row is not ABSENT and self.find(key) is ABSENT:
            # what had expired is not there: a new value comes last, as in a dictionary
            self._entries.pop(key, None)
        self.restore(key, row)


class Spaces:
    """The values of one fake: one space for each thing that its interface keeps by key.

    Args:
        clock: tells when a value has expired.
        journal: where changes are noted.
    """

    def __init__(self, clock: Clock, journal: Journal) -> None:
        self._clock = clock
        self._journal = journal
        self._spaces: dict[str, KeyValues] = {}

    def space(self, name: str, is_own: bool = False) -> KeyValues:
        """The values of this name; whether they themselves go in and come out."""
        found = self._spaces.get(name)
        if found is None:
            found = self._spaces[name] = KeyValues(self._clock, self._journal, is_own)
        return found

    def all(self) -> list[KeyValues]:
        """Those that have been asked for."""
        return list(self._spaces.values())
