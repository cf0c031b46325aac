"""Readings: how a method is understood, and what it needs while it answers a call."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from urnshelf.store.tables import Table

Run = Callable[["Access", tuple[Any, ...]], Any]
"""The answer to a call, from its arguments in the order of the parameters."""


class Access(NamedTuple):
    """What a reading sees of the shelf while it answers one call."""

    table: Table[Any]
    did: Callable[[Any], None]
    """Takes the statement that the call came to; it is turned into text only when somebody looks.

    A function given to it holds on to no `Access`: that would be a circle, which only the collector could undo.
    """
    state: Any
    """The fake whose call it is."""
    units: Any
    """The shelf's units of work."""


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
