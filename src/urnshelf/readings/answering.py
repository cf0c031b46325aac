"""The answerer that replies to repository calls from the shelf's records."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterable
from typing import Any

from urnshelf.calls.ledger import NO_REPLY
from urnshelf.calls.replies import LiveCall
from urnshelf.calls.target import Target
from urnshelf.readings.reading import Reading, Unread, read
from urnshelf.store.tables import Store

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Readings:
    """The readings of one shelf's fakes, over its store."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def answer(self, call: LiveCall) -> Any:
        """The answerer."""
        reading = reading_of(call.target)
        if isinstance(reading, Unread):
            return NO_REPLY
        call.outcome.answered_by = reading
        reply = reading.plan(self._store.table(reading.record_type), call.live)
        return _later(reply) if call.target.member.promise.stream == "async" else reply

    def why_not(self, target: Target) -> str:
        """Why the method is not read; empty for a method that speaks of no records."""
        reading = reading_of(target)
        return reading.why if isinstance(reading, Unread) else ""

    def must_be_told(self, target: Target) -> bool:
        """Whether the method looks like a store operation, but which one is not certain."""
        reading = reading_of(target)
        return isinstance(reading, Unread) and reading.is_operation


def reading_of(target: Target) -> Reading | Unread:
    """How the target's method is read."""
    return read(target.member, target.state.interface)


async def _later(records: Iterable[Any]) -> AsyncIterator[Any]:
    for record in records:
        yield record
