"""Readings of units of work: what their own repositories wrote is kept by a commit, and undone
without one.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from urnshelf.caches import remembered
from urnshelf.calls.target import FakeState
from urnshelf.errors import UnitRefused
from urnshelf.interfaces.members import Interface
from urnshelf.readings.operations import Operation, Reading, ReadParameter, Role, Unread
from urnshelf.store.journal import Journal

if TYPE_CHECKING:
    from urnshelf.readings.subject import Subject

_ENTER = frozenset({"__enter__", "__aenter__", "begin", "start"})
_LEAVE = frozenset({"__exit__", "__aexit__"})
MEANINGS = {
    **dict.fromkeys(_ENTER, (Operation.BEGIN, "BEGIN")),
    **dict.fromkeys(_LEAVE, (Operation.LEAVE, "ROLLBACK of what was not committed")),
    "commit": (Operation.COMMIT, "COMMIT"),
    "rollback": (Operation.ROLL_BACK, "ROLLBACK"),
}


@remembered
def is_unit_of_work(interface: Interface) -> bool:
    """Whether the interface begins, and commits or rolls back."""
    return "commit" in interface.members and bool(_ENTER & interface.members.keys())


def read_unit(subject: Subject) -> Reading | Unread | None:
    """What a method of a unit of work does; None for one that is no unit's."""
    member = subject.member
    if (
        member.name not in MEANINGS
        or member.kind == "attribute"
        or not is_unit_of_work(subject.interface)
    ):
        return None
    if member.name not in _LEAVE and member.parameters:
        return Unread(f"the parameter {member.parameters[0]!r} is not accounted for")
    operation, meaning = MEANINGS[member.name]
    work = _WORK[operation]
    return Reading(
        None,
        operation,
        tuple(ReadParameter(name, Role.OTHER) for name in member.parameters),
        lambda: meaning,
        lambda access, values: work(access.units, access.state),
    )


class OpenUnit:
    """A unit of work between its beginning and its end."""

    def __init__(self, state: FakeState, own: frozenset[Any], since: int) -> None:
        self.state = state
        self.own = own
        """The interfaces of its repositories."""
        self.since = since
        """The position in the journal after which its changes are not committed."""


class Units:
    """The open units of work of one shelf."""

    def __init__(self, journal: Journal) -> None:
        self._journal = journal
        self.open: list[OpenUnit] = []
        """Those that were begun, and not left yet."""

    def writer_of(self, form: object) -> OpenUnit | None:
        """The open unit that a repository of this interface belongs to."""
        return next((unit for unit in self.open if form in unit.own), None)

    def begin(self, state: FakeState) -> Any:
        """Note what its own repositories write from now on; its fake, for `as`."""
        own = repositories_of(state.interface)
        for unit in self.open:
            # whose changes they are could not be told apart
            shared = [getattr(form, "__name__", str(form)) for form in unit.own & own]
            if unit.state is state or shared:
                raise UnitRefused(
                    f"{state.label} was entered while {unit.state.label} is open, and both write "
                    "through "
                    f"{' and '.join(sorted(shared)) or 'the same repositories'}: leave the first "
                    "one before"
                )
        self.open.append(OpenUnit(state, own, self._journal.savepoint().position))
        return state.fake

    def commit(self, state: FakeState) -> None:
        """Keep what was written."""
        # the unit stays open: what is written after this wants a commit of its own
        self._of(state, "commit").since = len(self._journal.changes)

    def roll_back(self, state: FakeState) -> None:
        """Undo what was written since the last commit."""
        unit = self._of(state, "rollback")
        self._journal.take_back(unit, unit.since)

    def leave(self, state: FakeState) -> None:
        """Undo what was not committed; swallow nothing."""
        unit = self._of(state, "leave")
        self._journal.take_back(unit, unit.since)
        self.open.remove(unit)

    def _of(self, state: FakeState, verb: str) -> OpenUnit:
        for unit in self.open:
            if unit.state is state:
                return unit
        raise UnitRefused(
            f"{state.label} cannot {verb}: it was not entered; use it in a with block, or begin it"
        )


_WORK = {
    Operation.BEGIN: Units.begin,
    Operation.COMMIT: Units.commit,
    Operation.ROLL_BACK: Units.roll_back,
    Operation.LEAVE: Units.leave,
}


@remembered
def repositories_of(interface: Interface) -> frozenset[Any]:
    """The types of the unit's attributes and properties."""
    return frozenset(
        m.promise.node.bare for m in interface.members.values() if m.kind == "attribute"
    )
