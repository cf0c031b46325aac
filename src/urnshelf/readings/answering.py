"""The answerer that replies to repository calls from the shelf's records."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterable
from types import ModuleType
from typing import Any

from urnshelf.caches import remembered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.target import FakeState, Target
from urnshelf.calls.wording import Unanswered
from urnshelf.clock import Clock
from urnshelf.interfaces.dependencies import is_interface
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.declared import TELLING, Declared
from urnshelf.readings.operations import Access, NotCertain, Reading, ReadParameter, Unread
from urnshelf.readings.teaching import Lessons
from urnshelf.readings.units import Units
from urnshelf.readings.verbs import LOOKING, STORING, verb_of
from urnshelf.records.fit import misfit
from urnshelf.store.definition import Definition, plain_definition
from urnshelf.store.entries import Spaces
from urnshelf.store.stored import Store
from urnshelf.store.views import View
from urnshelf.types.nodes import Kind

_UNREAD = Unread("", is_operation=False)
"""Of targets that are no methods of an interface."""


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
        self._values: dict[FakeState, Spaces] = {}
        self._units = Units(store.journal)
        self.lessons = Lessons()
        self.declared = Declared()

    def answer(self, call: LiveCall) -> Any:
        """The answerer: a taught method, a declared one, or a store operation."""
        lesson = self.lessons.of(call.target) if self.lessons.some else None
        if lesson is not None:
            call.answered_by = lesson
            return lesson.give(call)
        if self.declared.some and self._tells(call.target):
            call.answered_by = TELLING
            return None
        reading = self.reading_of(call.target)
        if isinstance(reading, Unread):
            return NO_REPLY
        call.answered_by = reading
        try:
            if reading.is_look_up:
                reply = self._fitting(reading, call)
            else:
                # what is refused was not done, either
                with self._store.lock, self._store.journal.together(undone_by=NotCertain):
                    reply = self._fitting(reading, call)
        except NotCertain as why:
            # as if it had never been read: the next answerer is asked, and the refusal tells why
            call.answered_by = None
            call.note = str(why)
            return NO_REPLY
        return _later(reply) if call.target.promise.stream == "async" else reply

    def _fitting(self, reading: Reading, call: LiveCall) -> Any:
        """What a reading gives, where it is what the method promises."""
        reply = self._run(reading, call)
        promise = call.target.promise
        # of just the promised class, as the most are, or a stream that would be used up
        is_plain = type(reply) is promise.node.bare or promise.stream
        wrong = None if is_plain or promise.node.kind is Kind.NONE else misfit(reply, promise.node)
        if wrong:
            raise NotCertain(f"what it would give is not what it promises: {wrong}")
        return reply

    def reading_of(self, target: Target) -> Reading | Unread:
        """How the target's method is read on this shelf."""
        if self._version != self._store.version:  # how records are stored was told anew
            self._read.clear()
            self._version = self._store.version
        known = self._read.get(target)
        if known is None:
            known = self.read(target.member, target.state.interface) if target.is_read else _UNREAD
            self._read[target] = known
        return known

    def forget(self) -> None:
        """Something was declared: what was read before may be read otherwise now."""
        self._read.clear()

    def read(self, member: Member, interface: Interface) -> Reading | Unread:
        """What the method stands for, or why that is not certain."""
        told = self.declared.reading_of(member, interface) if self.declared.some else None
        if told is not None:
            return told
        definition = self.definition_for(member, interface)
        if definition is None or self._store.has_own_key(definition):
            return _reader().read(member, interface, definition)  # type: ignore[no-any-return]
        definition, why = self._known_by(definition, interface)
        found: Reading | Unread = _reader().read(member, interface, definition)
        if why and isinstance(found, Unread) and definition.without_key in found.why:
            found = found._replace(why=f"{found.why}; {why}")
        return found

    def definition_for(self, member: Member, interface: Interface) -> Definition | None:
        """How the records are stored that a method is about; None where it is about none."""
        reader, store = _reader(), self._store
        record_type = store.of_interface(interface) if store.told else None
        record_type = record_type or reader.record_type_of(member, interface)
        if record_type is None and store.told:
            record_type = store.named(reader.names_told_by(interface))
        return None if record_type is None else store.definition(record_type)

    def _known_by(self, definition: Definition, interface: Interface) -> tuple[Definition, str]:
        """The records, whose key the interface may tell by how it asks for them; and why it does
        not.
        """
        record_type, without = definition.record_type, plain_definition(definition.record_type)
        keys = _reader().keys_told_by(interface, record_type)
        if len(keys) > 1:
            return without, f"it is asked for by {' and '.join(keys)}"
        why = self._store.know_by(record_type, keys[0], interface.name) if keys else ""
        return (without, why) if why else (self._store.definition(record_type), "")

    def parameters_of(self, member: Member, interface: Interface) -> tuple[ReadParameter, ...]:
        """What each parameter of a method stands for, as data: of one that is read, and of one that
        is taught.
        """
        reading = self.read(member, interface)
        if isinstance(reading, Reading) and self.lessons.of_function(member.function) is None:
            return reading.parameters
        definition = self.definition_for(member, interface)
        return _reader().roles_of(member, definition)  # type: ignore[no-any-return]

    def see_through(self, state: FakeState, view: View[Any]) -> None:
        """Let a fake see the records of one type only through this view."""
        self._views.setdefault(state, {})[view.record_type] = view

    def why_not(self, call: LiveCall) -> Unanswered:
        """Why the call is not answered from the shelf, and what could be declared."""
        target = call.target
        if target.member.kind == "attribute":
            return Unanswered()
        reading = self.reading_of(target)
        interface = target.state.interface
        why = call.note
        if isinstance(reading, Unread):
            why = self.why_unread(reading, target.member, interface)
        return Unanswered(why, self.declarations(target.member, interface, reading, why))

    def why_unread(self, reading: Unread, member: Member, interface: Interface) -> str:
        """Why a method is not read, and where it promises None, why that is not obvious."""
        shown = "" if reading.is_operation else self.noticed(member, interface)
        if not shown:
            return reading.why
        what = "None" if member.promise.is_nothing else "a fake"
        return f"{reading.why}; {what} is not obvious: {shown}" if reading.why else shown

    def declarations(
        self, member: Member, interface: Interface, reading: Reading | Unread, why: str
    ) -> tuple[str, ...]:
        """The declarations that would answer a method."""
        others = [one for one in interface.members.values() if not one.name.startswith("__")]
        only_tells = all(one.promise.is_nothing for one in others)
        stores = isinstance(reading, Reading) or reading.is_operation
        may_tell = only_tells or not (stores or verb_of(member.name) in STORING)
        definition = self.definition_for(member, interface)
        wants_key = definition is not None and definition.without_key in why
        found: tuple[str, ...] = _reader().declarations(
            member, interface, definition if wants_key else None, may_tell
        )
        return found

    def is_uncertain(self, target: Target) -> bool:
        """Whether the method does something to records or values, but what is not certain."""
        reading = self.reading_of(target)
        if not isinstance(reading, Unread) or reading.is_operation:
            return True
        return bool(self._noticed(target))

    def noticed(self, member: Member, interface: Interface) -> str:
        """What would show that a method did nothing: one that promises None, or gave a fake in
        the place of something kept.
        """
        if member.promise.is_nothing:
            shown: str = _reader().noticed(member, interface)
            return shown
        if member.kind == "attribute" or not is_interface(member.promise.node):
            return ""
        kept: str = _reader().stored_interface(member, interface)
        return kept

    def looks_up(self, target: Target) -> bool:
        """Whether a method would only look something up, were it neither cued nor taught; or only
        enters or leaves a unit of work.
        """
        reading = self.reading_of(target)
        name = target.member.name
        if target.own_promise is not None:
            return False  # an assignment
        if isinstance(reading, Reading):
            return reading.is_look_up or (reading.is_of_a_unit and name.startswith("__"))
        taught = self.lessons.some and self.lessons.of(target) is not None
        return taught and verb_of(name) in LOOKING and not target.promise.is_nothing

    def would_do(self, target: Target) -> str:
        """The change that the shelf would make for a call; empty where it would make none."""
        reading = self.reading_of(target)
        is_change = isinstance(reading, Reading) and not reading.is_look_up
        return reading.meaning if isinstance(reading, Reading) and is_change else ""

    def keys_of(self, interface: Interface) -> tuple[str, ...]:
        """The key of each record type that the interface is about, in words."""
        found: dict[str, None] = {}
        for member in interface.members.values():
            definition = self.definition_for(member, interface) if member.kind == "method" else None
            if definition is not None and self._is_about(definition, member, interface):
                keys = ", ".join(definition.key_fields)
                told = f"key of {definition.name}: {keys}" if keys else definition.without_key
                found[told] = None
        return tuple(found)

    def _is_about(self, definition: Definition, member: Member, interface: Interface) -> bool:
        """Whether the method is read, or would be, had the records a key."""
        reading = self.read(member, interface)
        return isinstance(reading, Reading) or definition.without_key in reading.why

    def _noticed(self, target: Target) -> str:
        # an assignment has a promise of its own
        is_call = target.own_promise is None
        return self.noticed(target.member, target.state.interface) if is_call else ""

    def _tells(self, target: Target) -> bool:
        return target.promise.is_nothing and self.declared.tells(target.state.interface)

    def _run(self, reading: Reading, call: LiveCall) -> Any:
        state = call.target.state
        about: Any = reading.record_type
        seen = (
            self._seen_by(state, reading)
            if about is None or self._views
            else self._store.view(about)
        )
        manners = self.declared.manners(state.interface) if self.declared.some else None
        access = Access(seen, state, self._units, call, manners)
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
            if state not in self._values:
                self._values[state] = Spaces(self._clock, self._store.journal)
            return self._values[state]
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
