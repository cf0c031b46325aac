"""The answerer that replies to repository calls from the shelf's records."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterable
from types import ModuleType
from typing import Any

from urnshelf.caches import remembered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.target import FakeState, Target
from urnshelf.clock import Clock
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.operations import Access, NotCertain, Reading, ReadParameter, Unread
from urnshelf.readings.teaching import Lessons
from urnshelf.readings.units import Units
from urnshelf.store.entries import KeyValues
from urnshelf.store.stored import Store
from urnshelf.store.views import View

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Readings:
    """The readings of one shelf's fakes, over its store.

    Args:
        store: the shelf's records.
        clock: the shelf's clock, for values that expire.
    """

    def __init__(self, store: Store, clock: Clock) -> None:
        self._store = store
        self._clock = clock
        self._read: dict[Target, Reading | Unread] = {}
        self._version = 0
        self._views: dict[FakeState, dict[Any, View[Any]]] = {}
        self._key_values: dict[FakeState, KeyValues] = {}
        self._units = Units(store.journal)
        self.lessons = Lessons()

    def answer(self, call: LiveCall) -> Any:
        """The answerer: a taught method, or a store operation."""
        lesson = self.lessons.of(call.target) if self.lessons.some else None
        if lesson is not None:
            call.answered_by = lesson
            return lesson.give(call)
        reading = self.reading_of(call.target)
        if isinstance(reading, Unread):
            return NO_REPLY
        call.answered_by = reading
        try:
            reply = self._run(reading, call)
        except NotCertain as why:
            # as if it had never been read: the next answerer is asked, and the refusal tells why
            call.answered_by = None
            call.note = str(why)
            return NO_REPLY
        return _later(reply) if call.target.promise.stream == "async" else reply

    def reading_of(self, target: Target) -> Reading | Unread:
        """How the target's method is read on this shelf."""
        if self._version != self._store.version:  # how records are stored was told anew
            self._read.clear()
            self._version = self._store.version
        known = self._read.get(target)
        if known is None:
            known = self._read[target] = self.read(target.member, target.state.interface)
        return known

    def read(self, member: Member, interface: Interface) -> Reading | Unread:
        """What the method stands for, or why that is not certain."""
        reader = _reader()
        record_type = reader.record_type_of(member, interface)
        definition = None if record_type is None else self._store.definition(record_type)
        return reader.read(member, interface, definition)  # type: ignore[no-any-return]

    def parameters_of(self, member: Member, interface: Interface) -> tuple[ReadParameter, ...]:
        """What each parameter of a method stands for, as data: of one that is read, and of one that
        is taught.
        """
        reading = self.read(member, interface)
        if isinstance(reading, Reading) and self.lessons.of_function(member.function) is None:
            return reading.parameters
        record_type = _reader().record_type_of(member, interface)
        definition = None if record_type is None else self._store.definition(record_type)
        return _reader().roles_of(member, definition)  # type: ignore[no-any-return]

    def see_through(self, state: FakeState, view: View[Any]) -> None:
        """Let a fake see the records of one type only through this view."""
        self._views.setdefault(state, {})[view.record_type] = view

    def why_not(self, call: LiveCall) -> str:
        """Why the call is not answered from the shelf; empty for a method that speaks of no
        records.
        """
        reading = self.reading_of(call.target)
        return reading.why if isinstance(reading, Unread) else call.note

    def is_uncertain(self, target: Target) -> bool:
        """Whether the method looks like a store operation, but which one is not certain."""
        reading = self.reading_of(target)
        return not isinstance(reading, Unread) or reading.is_operation

    def _run(self, reading: Reading, call: LiveCall) -> Any:
        state = call.target.state
        about: Any = reading.record_type
        seen = (
            self._seen_by(state, reading)
            if about is None or self._views
            else self._store.view(about)
        )
        access = Access(seen, state, self._units, call)
        # a look and the change that follows from it belong together
        with self._store.lock:
            writer = self._units.writer_of(state.interface.form) if self._units.open else None
            if writer is None:
                return reading.run(access, call.live)
            self._store.journal.writer = writer
            try:
                return reading.run(access, call.live)
            finally:
                # a reading is one step: no other writes between
                self._store.journal.writer = None

    def _seen_by(self, state: FakeState, reading: Reading) -> Any:
        """The table that the fake sees, or its values by key."""
        if reading.record_type is None:
            if state not in self._key_values:
                self._key_values[state] = KeyValues(self._clock, self._store.journal)
            return self._key_values[state]
        view = self._views.get(state, {}).get(reading.record_type) if self._views else None
        return self._store.view(reading.record_type) if view is None else view


@remembered
def _reader() -> ModuleType:
    """The readers, loaded at the first call that no cue answers."""
    from urnshelf.readings import reader

    return reader


async def _later(records: Iterable[Any]) -> AsyncIterator[Any]:
    for record in records:
        yield record
