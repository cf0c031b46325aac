"""Rows that are elsewhere: in the store of a real one, which is read and written through its own
methods.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any, Protocol

from urnshelf.records.equality import same
from urnshelf.store.definition import Definition
from urnshelf.store.journal import ABSENT, Journal
from urnshelf.store.rows import DrawUuid, Rows


class Carrier(Protocol):
    """Reads and writes the records of one type in the store of a real one."""

    def all(self, known: Collection[Any]) -> dict[Any, Any]:
        """All records by key.

        Args:
            known: keys that may be there.
        """
        ...

    def write(self, key: Any, record: Any, is_new: bool, is_assigned: bool) -> None:
        """Store a record.

        Args:
            key: its key.
            record: a copy of its own.
            is_new: whether there is none with this key.
            is_assigned: whether the key came from the shelf, and not from the caller.
        """

    def remove(self, key: Any, record: Any) -> None:
        """Take a record away."""


class CarriedRows(Rows):
    """The rows of one type, as a real store has them at this moment.

    Args:
        definition: how they are stored.
        journal: where changes are noted.
        draw_uuid: gives the key of the n-th record whose key is a UUID.
        carrier: reads and writes them.
    """

    def __init__(
        self, definition: Definition, journal: Journal, draw_uuid: DrawUuid, carrier: Carrier
    ) -> None:
        self._own: dict[Any, Any] = {}
        self._is_looking = True
        super().__init__(definition, journal, draw_uuid)
        self._carrier = carrier
        self._assigned: set[Any] = set()
        self._is_looking = False

    @property
    def by_key(self) -> dict[Any, Any]:
        """As they are now."""
        self._look()
        return self._own

    @by_key.setter
    def by_key(self, rows: dict[Any, Any]) -> None:  # pyright: ignore
        self._own = rows

    def keys(self) -> list[Any]:
        """In order of key."""
        self._look()
        return super().keys()

    def with_key(self, record: object) -> tuple[Any, Any]:
        """The record and its key; one that the shelf assigns is noted."""
        is_empty = self.key_of(record) is None
        record, key = super().with_key(record)
        if is_empty:
            self._assigned.add(key)
        return record, key

    def put(self, key: object, row: object) -> None:
        """Store a record, here and there."""
        is_new = key not in self.by_key
        self._alone(lambda: super(CarriedRows, self).put(key, row))
        self._write(key, row, is_new)

    def put_all(self, records: list[Any], copies: Callable[[list[Any]], list[Any]]) -> bool:  # noqa: ARG002
        """Not at once: each must be written."""
        return False

    def drop(self, key: object) -> None:
        """Take a record away, here and there."""
        row = self.by_key[key]
        self._alone(lambda: super(CarriedRows, self).drop(key))
        self._carrier.remove(key, row)

    def restore(self, key: object, row: object) -> None:
        """Put back what was there before a change, here and there."""
        before = self.by_key.get(key, ABSENT)
        if row is ABSENT and before is ABSENT:  # it did not come to that change
            return
        self._alone(lambda: super(CarriedRows, self).restore(key, row))
        if row is ABSENT:
            self._carrier.remove(key, before)
        else:
            self._write(key, row, before is ABSENT)

    def _write(self, key: object, row: object, is_new: bool) -> None:
        [copy] = self.definition.copies([row])
        self._carrier.write(key, copy, is_new, key in self._assigned)

    def _alone(self, work: Callable[[], None]) -> None:
        before, self._is_looking = self._is_looking, True
        try:
            work()
        finally:
            self._is_looking = before

    def _look(self) -> None:
        """Fetch what is there, where something else writes there, too."""
        if self._is_looking:
            return
        self._alone(self._fetch_all)

    def _fetch_all(self) -> None:
        there = self._carrier.all(self._own.keys())
        for key in [key for key in self._own if key not in there]:
            self._replace(key, self._own[key], ABSENT)
        for key, record in there.items():
            before = self._own.get(key, ABSENT)
            if before is ABSENT or not same(before, record):
                if before is ABSENT:
                    self._arrived[key] = next(self._arrivals)
                self._replace(key, before, record)
            if isinstance(key, int) and key > self._serial:
                self._serial = key
