"""What a call is addressed to: one member of one fake."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from types import CodeType, FrameType
from typing import Any, Protocol
from weakref import ref

from urnshelf.calls.place import Place
from urnshelf.errors import CueRefused
from urnshelf.interfaces.members import Interface, Member
from urnshelf.records.display import show

__tracebackhide__ = True  # a failing test shows its own lines, not ours

TARGETS = "_urnshelf_targets"
STATE = "_urnshelf_state"
INDEX = "_urnshelf_index"
UNASSIGNED: Any = object()


class CallTaker(Protocol):
    """What a target needs of the desk."""

    ledger: list[Any]
    cues: list[Any]
    check_replies: bool
    lock: Any

    def take(self, target: Target, live: tuple[Any, ...], frame: FrameType) -> Any:
        """Answer a call."""

    def take_awaited(
        self, target: Target, live: tuple[Any, ...], code: CodeType, offset: int
    ) -> Coroutine[Any, Any, Any]:
        """Answer a call whose reply is awaited."""
        ...


class ScriptedCue(Protocol):
    """What a target's script and the messages need of a cue."""

    limit: int | None

    @property
    def expected(self) -> tuple[Any, ...] | None:
        """The arguments; None for any."""

    @property
    def place(self) -> Place:
        """Where it was set."""
        ...

    @property
    def spent(self) -> bool:
        """Whether it has served its calls."""
        ...

    @property
    def is_instant(self) -> bool:
        """Whether a compiled method may answer with it at once."""
        ...

    def fits(self, live: tuple[Any, ...]) -> bool:
        """Whether the arguments are the cue's."""
        ...

    def covers(self, other: Any) -> bool:
        """Whether it takes every call that the other would take."""
        ...

    def claim(self) -> int | None:
        """The turn that a call gets."""

    def serve(self, call: Any, turn: int) -> Any:
        """The reply."""


class FakeState:
    """What the library keeps about one fake."""

    __slots__ = ("_fake", "assignments", "book", "desk", "interface", "members", "name")

    def __init__(self, fake: Any, interface: Interface, name: str | None, desk: CallTaker) -> None:
        self._fake = ref(fake)  # a fake has its state, and must be free to go with it
        self.interface = interface
        self.members: tuple[Member, ...] = type(fake)._urnshelf_members
        self.name = name
        self.desk = desk
        self.book = desk.ledger.append
        self.assignments: dict[str, Target] = {}

    @property
    def fake(self) -> Any:
        """The fake itself."""
        return self._fake()

    @property
    def attributes(self) -> list[str]:
        """The names of the fake's attributes."""
        return [name for name, member in self.interface.members.items() if member.kind == "attribute"]

    @property
    def label(self) -> str:
        """How messages call the fake."""
        return self.interface.name if self.name is None else f"{self.interface.name} {self.name!r}"

    @property
    def expression(self) -> str:
        """A line of code that gives the fake."""
        name = "" if self.name is None else f", name={self.name!r}"
        return f"shelf.fake({self.interface.name}{name})"


class Target:
    """One method or attribute of one fake: its script, and the ledger that its calls go to.

    `newest` is the newest cue when it can answer at once with a constant; the compiled method asks it directly, and
    trusts code that it saw last time, `caller`, to be the user's.
    """

    assigned: Any = UNASSIGNED
    caller: Any = None
    cues: tuple[ScriptedCue, ...] = ()
    newest: ScriptedCue | None = None
    is_assignment = False

    def __init__(self, state: FakeState, member: Member) -> None:
        self.state = state
        self.member = member
        self.book: Callable[[Any], None] = state.book

    @property
    def desk(self) -> CallTaker:
        """Where its calls are taken."""
        return self.state.desk

    @property
    def name(self) -> str:
        """`TideService.depth_at`; an assignment is `TideService.depth =`."""
        return f"{self.state.label}.{self.member.name}" + (" =" if self.is_assignment else "")

    @property
    def expression(self) -> str:
        """A line of code that names this target to `cue` and `tally`."""
        fake = self.state.expression
        if self.member.kind == "attribute":
            return f'attribute({fake}, "{self.member.name}")' + (".assigned" if self.is_assignment else "")
        return fake if self.member.name == "__call__" else f"{fake}.{self.member.name}"

    @property
    def parameters(self) -> tuple[str, ...]:
        """The names of the arguments of a call."""
        return ("value",) if self.is_assignment else self.member.parameters


class Assignment(Target):
    """Assignments to one attribute of one fake."""

    is_assignment = True


class _Unasked:
    """Stands for the targets of a fake that nobody has called or cued yet: it has no cue that could answer."""

    newest = None
    cues = ()


UNASKED: Any = _Unasked()


def target_at(fake: Any, index: int) -> Target:
    """The target of one member, made when it is first asked for: most fakes are called on few of their methods."""
    targets: list[Target] = object.__getattribute__(fake, TARGETS)
    if targets[index] is UNASKED:
        state: FakeState = object.__getattribute__(fake, STATE)
        with state.desk.lock:
            if targets[index] is UNASKED:
                targets[index] = Target(state, state.members[index])
    return targets[index]


class AttributeHandle:
    """An attribute of a fake, to be cued and tallied like a method without arguments."""

    __slots__ = ("_reading", "_state")

    def __init__(self, state: FakeState, reading: Target) -> None:
        self._state = state
        self._reading = reading

    @property
    def target(self) -> Target:
        """What a reading of the attribute is addressed to."""
        return self._reading

    @property
    def assigned(self) -> AssignmentHandle:
        """Assignments to the attribute: `tally(attribute(fake, "speed").assigned, 5)`."""
        member = self._reading.member
        if not member.settable:
            raise CueRefused(f"{self._reading.name} is read-only: nothing can be assigned to it")
        return AssignmentHandle(assignment_of(self._state, member))


class AssignmentHandle:
    """Assignments to an attribute, to be cued and tallied like a method with one argument."""

    __slots__ = ("target",)

    def __init__(self, target: Target) -> None:
        self.target = target


def assignment_of(state: FakeState, member: Member) -> Target:
    """The target of assignments to an attribute."""
    known = state.assignments.get(member.name)
    return known or state.assignments.setdefault(member.name, Assignment(state, member))


def attribute(fake: Any, name: str) -> AttributeHandle:
    """An attribute or property of a fake, for `cue` and `tally`.

    Args:
        fake: a fake.
        name: the attribute's name.

    Raises:
        CueRefused: not a fake, or its interface has no such attribute.

    >>> from typing import Protocol
    >>> from urnshelf import Shelf, attribute, cue
    >>> class Crane(Protocol):
    ...     reach_m: float
    >>> with Shelf() as shelf:
    ...     crane = shelf.fake(Crane)
    ...     _ = cue(attribute(crane, "reach_m")).gives(31.5)
    ...     crane.reach_m
    31.5
    """
    state = state_of(fake)
    if state is None:
        raise CueRefused(
            f"attribute() takes a fake and a name, but {show(fake)} is no fake; make one with shelf.fake(…)"
        )
    member = state.interface.members.get(name)
    if member is None or member.kind != "attribute":
        known = state.attributes
        kind = (
            "a method; cue it without attribute()"
            if member
            else f"unknown; its attributes: {', '.join(known) or 'none'}"
        )
        raise CueRefused(f"attribute({state.label}, {name!r}): {state.interface.name}.{name} is {kind}")
    return AttributeHandle(state, target_at(fake, list(state.interface.members).index(name)))


def state_of(thing: Any) -> FakeState | None:
    """What the library keeps about a fake; None for anything else."""
    try:
        return object.__getattribute__(thing, STATE)  # type: ignore[no-any-return]
    except (AttributeError, TypeError):
        return None


def target_of(method: Any, verb: str) -> Target:
    """The target that the user means; raises CueRefused when it is no fake's.

    Args:
        method: a fake's bound method, a callable fake, or what `attribute(…)` gave.
        verb: the name of the public function, for the message.
    """
    if isinstance(method, (AttributeHandle, AssignmentHandle)):
        return method.target
    state = state_of(getattr(method, "__self__", None))
    index = getattr(getattr(method, "__func__", None), INDEX, None)
    if state is not None and index is not None:
        return target_at(method.__self__, index)
    state = state_of(method)
    if state is not None:
        if "__call__" in state.interface.members:
            return target_at(method, list(state.interface.members).index("__call__"))
        raise CueRefused(
            f"{verb}() takes a method of a fake, such as {state.expression}.{_any_method(state)}, not the fake itself"
        )
    raise CueRefused(_not_a_method(method, verb))


def _any_method(state: FakeState) -> str:
    return next((name for name, member in state.interface.members.items() if member.kind == "method"), "method")


def _not_a_method(method: Any, verb: str) -> str:
    what = f"{verb}() takes a method of a fake, not {show(method)}"
    if callable(method):
        name = getattr(method, "__name__", "method")
        return f"{what}: that one is real; take the method from a fake, as in {verb}(shelf.fake(I).{name})"
    return f"{what}: give the method itself, without calling it: {verb}(fake.method, argument, …)"
