"""Readings: how a method is understood, and what it needs while it answers a call."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from urnshelf.store.tables import Table

Run = Callable[["Access", tuple[Any, ...]], Any]
"""The answer to a call, from its arguments in the order of the parameters."""


class Access:
    """What a reading sees of the shelf while it answers one call.

    Args:
        table: the records as the fake sees them.
        state: the fake whose call it is.
        units: the shelf's units of work.
        outcome: the call's, where what it asked is noted.
    """

    __slots__ = ("_outcome", "state", "table", "units")

    def __init__(self, table: Table[Any], state: Any, units: Any, outcome: Any) -> None:
        self.table = table
        self.state = state
        self.units = units
        self._outcome = outcome

    def did(self, statement: Any) -> None:
        """Note the statement that the call came to; it is turned into text only when somebody looks.

        Args:
            statement: a query, or a function that gives the text. It holds on to no `Access`: that would be a circle,
                which only the collector could undo.
        """
        self._outcome.note = statement


class Reading(NamedTuple):
    """What a method was read as; it also stands in the ledger as the answerer of its calls."""

    record_type: Any
    meaning: str
    """As SQL, the parameters as `:name`."""
    run: Run
    is_look_up: bool

    def __repr__(self) -> str:
        return f"the shelf's records: {self.meaning}"


class Unread(NamedTuple):
    """Why a method was not read."""

    why: str
    is_operation: bool = True
    """Whether it looks like a store operation all the same: then not even a promised None is obvious."""


class NotCertain(Exception):
    """A call whose answer turned out not to be certain: it is left to a cue."""
