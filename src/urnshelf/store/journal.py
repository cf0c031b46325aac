"""The journal: each change of a stored record, so that changes can be taken back one by one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple, Protocol

ABSENT: Any = type("Absent", (), {"__repr__": lambda _: "no record"})()
"""What was there before a record was."""


class Restorable(Protocol):
    """Where a change was made."""

    def restore(self, key: object, row: object) -> None:
        """Put a stored record back, or take away one that was not there."""


class Change(NamedTuple):
    """One key of one table, and what was there before."""

    rows: Restorable
    key: Any
    before: Any
    writer: Any


class Savepoint:
    """A point that the shelf's records can be rolled back to; made by `shelf.savepoint()`.

    >>> _ = shelf.savepoint()
    >>> _ = shelf.stock(Berth, 3)
    >>> shelf.savepoint()
    <savepoint after 1 step>
    """

    __slots__ = ("_position",)

    def __init__(self, position: int) -> None:
        self._position = position

    @property
    def position(self) -> int:
        """How many steps were noted before it: changes, or many records stored at once.

        >>> shelf.savepoint().position
        0
        """
        return self._position

    def __repr__(self) -> str:
        return f"<savepoint after {self._position} step{'' if self._position == 1 else 's'}>"


class _Many:
    """Many keys of some rows, as one."""

    def __init__(self, rows: Restorable) -> None:
        self._rows = rows

    def restore(self, key: Any, row: object) -> None:
        """Put back what was there before, the last first."""
        for one in reversed(key):
            self._rows.restore(one, row)


class Journal:
    """The changes since the first savepoint. Taking them back costs as much as there were changes,
    not records.
    """

    def __init__(self) -> None:
        self.changes: list[Change | None] = []
        """None where a change was taken back alone, so that the others stay where they are."""
        self.writing = False
        """Whether changes are to be noted: from the first savepoint on."""
        self._savepoints = 0
        """How many were asked for."""
        self.writer: Any = None
        """Who makes the changes at present: a unit of work, or None."""

    def note(self, rows: Restorable, key: object, before: object) -> None:
        """Note a change that is about to be made."""
        self.changes.append(Change(rows, key, before, self.writer))

    def note_new(self, rows: Restorable, keys: Iterable[object]) -> None:
        """Note that records with these keys are about to come."""
        # one change for all of them: to note each would take as long as to store it
        self.changes.append(Change(_Many(rows), tuple(keys), ABSENT, self.writer))

    def savepoint(self) -> Savepoint:
        """Here and now."""
        self.writing = True
        self._savepoints += 1
        return Savepoint(len(self.changes))

    def roll_back_to(self, point: Savepoint) -> None:
        """Take every change since the point back, the last one first."""
        while len(self.changes) > point.position:
            change = self.changes.pop()
            if change is not None:
                change.rows.restore(change.key, change.before)

    @contextmanager
    def together(self, undone_by: type[BaseException] = BaseException) -> Iterator[None]:
        """A block whose changes are made together: an error takes all of them back.

        Args:
            undone_by: which errors do.
        """
        was_writing, known = self.writing, self._savepoints
        self.writing, point = True, Savepoint(len(self.changes))
        try:
            yield
        except undone_by:
            self.roll_back_to(point)
            raise
        finally:
            # nobody else asked that changes be noted, before or inside
            if not was_writing and self._savepoints == known:
                self.writing = False
                del self.changes[point.position :]

    def take_back(self, writer: object, since: int) -> None:
        """Take one writer's changes since a position back, the last one first; those of others
        stay.
        """
        # others' changes lie between: theirs are left where they are
        for position in range(len(self.changes) - 1, since - 1, -1):
            change = self.changes[position]
            if change is not None and change.writer is writer:
                change.rows.restore(change.key, change.before)
                self.changes[position] = None
