"""Values by key that expire: what a cache holds, on the shelf's clock."""

from __future__ import annotations

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
    """

    def __init__(self, clock: Clock, journal: Journal) -> None:
        self._clock = clock
        self._journal = journal
        self._entries: dict[Any, tuple[Any, datetime | None]] = {}

    def find(self, key: object) -> Any:
        """A copy of the value, or `ABSENT`; an expired value is not there any more."""
        row = self._entries.get(key)
        if row is None or (row[1] is not None and row[1] <= self._clock.now):
            return ABSENT
        return keep(row[0])

    def put(self, key: object, value: object, expires: object = None) -> None:
        """Keep a copy of the value.

        Args:
            key: any value that can be hashed.
            value: any value.
            expires: when it ends: seconds from now, a span from now, or a moment; None for never.
        """
        self._replace(key, (keep(value), self._expiry(expires)))

    def change(self, key: object, value: object) -> None:
        """Keep another value until the same moment."""
        # to count a value up does not make it live longer
        until = self._entries[key][1] if self.find(key) is not ABSENT else None
        self.put(key, value, until)

    def drop(self, key: object) -> bool:
        """Forget a value; whether there was one."""
        was_there = self.find(key) is not ABSENT
        if key in self._entries:
            self._replace(key, ABSENT)
        return was_there

    def keys(self) -> list[Any]:
        """The keys that have a value, in the order in which they came."""
        return [key for key in list(self._entries) if self.find(key) is not ABSENT]

    def restore(self, key: Any, row: Any) -> None:
        """Put back what was there before a change."""
        if row is ABSENT:
            self._entries.pop(key, None)
        else:
            self._entries[key] = row

    def _replace(self, key: object, row: object) -> None:
        if self._journal.writing:
            self._journal.note(self, key, self._entries.get(key, ABSENT))
        self.restore(key, row)

    def _expiry(self, expires: Any) -> datetime | None:
        from datetime import datetime, timedelta

        if expires is None:
            return None
        if isinstance(expires, datetime):
            # a moment without a zone is meant as the shelf's clock tells it
            return expires if expires.tzinfo else expires.replace(tzinfo=self._clock.now.tzinfo)
        span = expires if isinstance(expires, timedelta) else timedelta(seconds=expires)
        return self._clock.now + span
