"""What a call is addressed to: a method of one fake, an attribute that is fetched, or one that is
assigned.
"""

from __future__ import annotations

from collections.abc import Callable
from types import CodeType
from typing import TYPE_CHECKING, Any
from weakref import ref

from urnshelf.errors import CueRefused
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.promises import Promise
from urnshelf.records.display import show
from urnshelf.types.nodes import node_of

if TYPE_CHECKING:
    from urnshelf.calls.desk import Desk
    from urnshelf.calls.script import Line

__tracebackhide__ = True  # a failing test shows its own lines, not ours

TARGETS = "_urnshelf_targets"
STATE = "_urnshelf_state"
INDEX = "_urnshelf_index"
UNASSIGNED: Any = object()
NOTHING: Any = object()
"""Behind a fake that has no object there."""


class FakeState:
    """What the library knows of one fake."""

    __slots__ = ("_fake", "assignments", "behind", "desk", "interface", "members", "name")

    def __init__(self, fake: Any, interface: Interface, name: str | None, desk: Desk) -> None:
        self._fake = ref(fake)  # a fake has its state, and must be free to go with it
        self.interface = interface
        self.members: tuple[Member, ...] = type(fake)._urnshelf_members
        self.name = name
        self.desk = desk
        self.assignments: dict[str, AssignmentTarget] = {}
        self.behind: Any = NOTHING
        """The object to which calls go that no cue answers."""

    @property
    def fake(self) -> Any:
        """The fake itself."""
        return self._fake()

    @property
    def attributes(self) -> list[str]:
        """The names of the fake's attributes."""
        return [
            name for name, member in self.interface.members.items() if member.kind == "attribute"
        ]

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
    """Where calls are addressed: one member of one fake, with the cues that were set on it.

    Each kind of target says what its calls look like. `take` is the desk's own; it stands here
    because a call must find it quickly, as does `caller`, the code that called last and is known to
    be the user's.
    """

    caller: CodeType | None = None
    cues: tuple[Line, ...] = ()
    own_promise: Promise | None = None
    """What it gives, where that is another thing than its member promises."""
    is_look_up = False
    """Whether a call of it only looks, so that nobody need look at it in turn."""

    def __init__(self, state: FakeState, member: Member) -> None:
        self.state = state
        self.member = member
        self.desk = state.desk
        self.promise = self.own_promise or member.promise
        """What a call gives."""
        self.take: Callable[..., Any] = (
            state.desk.take_later if self.promise.awaited else state.desk.take
        )

    @property
    def name(self) -> str:
        """`TideService.depth_at`."""
        return f"{self.state.label}.{self.member.name}"

    @property
    def expression(self) -> str:
        """A line of code that names this target to `cue` and `tally`."""
        raise NotImplementedError

    @property
    def parameters(self) -> tuple[str, ...]:
        """The names of the arguments of a call."""
        return ()

    @property
    def has_code(self) -> bool:
        """Whether the interface has code of its own for it."""
        return self.member.has_code

    def bind(self, *args: object, **kwargs: object) -> tuple[Any, ...]:
        """The arguments in the order of the parameters; raises TypeError when they do not fit."""
        return self.member.bind(*args, **kwargs)

    def call(self, function: Callable[..., Any], live: tuple[Any, ...]) -> Any:
        """What a function gives when it is called as the target was."""
        return function(*live)

    def written(self, arguments: str) -> str:
        """A call of it, as messages show it.

        Args:
            arguments: in parentheses, as in a call.
        """
        return f"{self.name}{arguments}"

    def was_cued(self) -> None:
        """A reply was set on it."""


class MethodTarget(Target):
    """A method."""

    @property
    def expression(self) -> str:
        """`shelf.fake(TideService).depth_at`."""
        fake = self.state.expression
        return fake if self.member.name == "__call__" else f"{fake}.{self.member.name}"

    @property
    def parameters(self) -> tuple[str, ...]:
        """Those of the method."""
        return self.member.parameters

    def call(self, function: Callable[..., Any], live: tuple[Any, ...]) -> Any:
        """By position and by name, as the method was."""
        return self.member.call(function, live)


class AttributeTarget(Target):
    """An attribute that is fetched."""

    is_look_up = True
    assigned: Any = UNASSIGNED
    """What was assigned to it last."""

    @property
    def expression(self) -> str:
        """`attribute(shelf.fake(TideService), "depth")`."""
        return f'attribute({self.state.expression}, "{self.member.name}")'

    def written(self, arguments: str) -> str:  # noqa: ARG002
        """An attribute is no call."""
        return self.name

    def was_cued(self) -> None:
        """A cue is newer than what was assigned."""
        # a test that cues an attribute after the service assigned it means the cue
        self.assigned = UNASSIGNED


_NOTHING = Promise(node_of(None))


class AssignmentTarget(Target):
    """An attribute that is assigned."""

    own_promise = _NOTHING

    @property
    def name(self) -> str:
        """`TideService.depth =`."""
        return f"{super().name} ="

    @property
    def expression(self) -> str:
        """`attribute(shelf.fake(TideService), "depth").assigned`."""
        return f'attribute({self.state.expression}, "{self.member.name}").assigned'

    @property
    def parameters(self) -> tuple[str, ...]:
        """What is assigned."""
        return ("value",)

    @property
    def has_code(self) -> bool:
        """There is none to assign by."""
        return False

    def written(self, arguments: str) -> str:
        """`TideService.depth = 6.3`."""
        return f"{self.name} {arguments.removeprefix('(value=').removesuffix(')')}"

    def bind(self, *args: object, **kwargs: object) -> tuple[Any, ...]:
        """The value alone."""
        return _bound_value(*args, **kwargs)


def _bound_value(value: object, /) -> tuple[Any]:
    return (value,)


def target_at(fake: object, index: int) -> Target:
    """The target of one member, made when it is first asked for: most fakes are called on few of
    their methods.
    """
    # by object's own way: the interface may have cued the way in which attributes are fetched
    targets: list[Target | None] = object.__getattribute__(fake, TARGETS)
    found = targets[index]
    if found is None:
        state: FakeState = object.__getattribute__(fake, STATE)
        # two threads must not each make one: the cues of one of them would be lost
        with state.desk.lock:
            found = targets[index]
            if found is None:
                member = state.members[index]
                kind = AttributeTarget if member.kind == "attribute" else MethodTarget
                found = targets[index] = kind(state, member)
    return found


class AttributeHandle:
    """An attribute of a fake, to be cued and tallied like a method without arguments.

    >>> from typing import Protocol
    >>> class Crane(Protocol):
    ...     reach_m: float
    >>> crane = shelf.fake(Crane)
    >>> crane.reach_m = 31.5
    >>> tally(attribute(crane, "reach_m").assigned, 31.5) == 1
    True
    """

    __slots__ = ("_target",)

    def __init__(self, target: Target) -> None:
        self._target = target

    @property
    def assigned(self) -> AssignmentHandle:
        """Assignments to the attribute: `tally(attribute(fake, "speed").assigned, 5)`.

        >>> from typing import Protocol
        >>> class Crane(Protocol):
        ...     reach_m: float
        >>> _ = cue(attribute(shelf.fake(Crane), "reach_m").assigned).raises(ValueError("too far"))
        >>> shelf.fake(Crane).reach_m = 99.0
        Traceback (most recent call last):
            ...
        ValueError: too far
        """
        if not self._target.member.settable:
            raise CueRefused(f"{self._target.name} is read-only: nothing can be assigned to it")
        return AssignmentHandle(assignment_of(self._target.state, self._target.member))


class AssignmentHandle:
    """Assignments to an attribute, to be cued and tallied like a method with one argument.

    >>> from typing import Protocol
    >>> class Crane(Protocol):
    ...     reach_m: float
    >>> crane = shelf.fake(Crane)
    >>> crane.reach_m = 31.5
    >>> ledger_of(attribute(crane, "reach_m").assigned).each("value")
    [31.5]
    """

    __slots__ = ("_target",)

    def __init__(self, target: Target) -> None:
        self._target = target


def assignment_of(state: FakeState, member: Member) -> AssignmentTarget:
    """The target of assignments to an attribute."""
    known = state.assignments.get(member.name)
    return known or state.assignments.setdefault(member.name, AssignmentTarget(state, member))


def attribute(fake: object, name: str) -> AttributeHandle:
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
            f"attribute() takes a fake and a name, but {show(fake)} is no fake; make one with "
            "shelf.fake(…)"
        )
    member = state.interface.members.get(name)
    if member is None or member.kind != "attribute":
        known = ", ".join(state.attributes) or "none"
        kind = (
            "a method; cue it without attribute()"
            if member
            else f"unknown; its attributes: {known}"
        )
        raise CueRefused(
            f"attribute({state.label}, {name!r}): {state.interface.name}.{name} is {kind}"
        )
    return AttributeHandle(target_at(fake, list(state.interface.members).index(name)))


def state_of(thing: object) -> FakeState | None:
    """What the library knows of a fake; None for anything else."""
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
        return method._target
    state = state_of(getattr(method, "__self__", None))
    # the function carries the number of its member: its name could be that of another
    index = getattr(getattr(method, "__func__", None), INDEX, None)
    if state is not None and index is not None:
        return target_at(method.__self__, index)
    state = state_of(method)
    if state is not None:
        if "__call__" in state.interface.members:
            return target_at(method, list(state.interface.members).index("__call__"))
        raise CueRefused(
            f"{verb}() takes a method of a fake, such as {state.expression}.{_any_method(state)}, "
            "not the fake itself"
        )
    raise CueRefused(_not_a_method(method, verb))


def _any_method(state: FakeState) -> str:
    return next(
        (name for name, member in state.interface.members.items() if member.kind == "method"),
        "method",
    )


def _not_a_method(method: object, verb: str) -> str:
    what = f"{verb}() takes a method of a fake, not {show(method)}"
    if callable(method):
        name = getattr(method, "__name__", "method")
        return (
            f"{what}: that one is real; take the method from a fake, as in "
            f"{verb}(shelf.fake(I).{name})"
        )
    return f"{what}: give the method itself, without calling it: {verb}(fake.method, argument, …)"
