"""What a call is addressed to: a method of one fake, an attribute that is fetched, or one that is
assigned.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from types import CodeType
from typing import TYPE_CHECKING, Any
from weakref import ref

from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.promises import Promise
from urnshelf.records.description import snake_case
from urnshelf.types.nodes import node_of

if TYPE_CHECKING:
    from urnshelf.calls.desk import Desk
    from urnshelf.calls.ledger import LiveCall
    from urnshelf.calls.script import Line

TARGETS = "_urnshelf_targets"
STATE = "_urnshelf_state"
INDEX = "_urnshelf_index"
NOTHING: Any = object()
"""Behind a fake that has no object there."""


class FakeState:
    """What the library knows of one fake."""

    __slots__ = (
        "_fake",
        "answers_from",
        "assignments",
        "behind",
        "desk",
        "given_as",
        "interface",
        "is_over_real",
        "is_spare",
        "is_wrapped",
        "made_after",
        "members",
        "name",
        "unreached",
    )

    def __init__(
        self,
        fake: Any,
        interface: Interface,
        name: str | None,
        desk: Desk,
        members: tuple[Member, ...] = (),
    ) -> None:
        # a fake has its state, and must be free to go with it; not so a real object that is wrapped
        self._fake: Callable[[], Any] = (lambda: fake) if members else ref(fake)
        self.interface = interface
        self.members: tuple[Member, ...] = members or type(fake)._urnshelf_members
        self.is_wrapped = bool(members)
        """Whether it stands for a real object."""
        self.name = name
        self.desk = desk
        self.assignments: dict[str, AssignmentTarget] = {}
        self.behind: Any = NOTHING
        """The object to which calls go that no cue answers."""
        self.made_after = len(desk.furnished)
        """How many fakes had been furnished when it was made."""
        self.given_as: tuple[str, str] | None = None
        """The service, and the parameter, that it was furnished for."""
        self.answers_from = ""
        """The file from which alone it answers."""
        self.is_spare = False
        """Whether it is meant to be used by nobody."""
        self.is_over_real = False
        """Whether the run puts what it stands for behind it."""
        self.unreached = ""
        """Why nobody can call it; empty where somebody can."""

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
        if self.is_wrapped:
            return snake_case(self.interface.name)
        name = "" if self.name is None else f", name={self.name!r}"
        return f"shelf.fake({self.interface.name}{name})"

    @property
    def was_used(self) -> bool:
        """Whether it was ever called, or cued."""
        desk = self.desk
        return (
            self in desk.used_before
            or any(call.target.state is self for call in desk.ledger)
            or any(call.target.state is self for call in list(desk.unawaited))
            or any(cue._line.target.state is self for cue in desk.cues)
        )


class Target:
    """Where calls are addressed: one member of one fake, with the cues that were set on it.

    Each kind of target says what its calls look like. `take` is the desk's own; it stands here
    because a call must find it quickly, as does `caller`, the code that called last and is known to
    be the user's.
    """

    caller: CodeType | None = None
    own: Callable[..., Any] | None = None
    """The own method of a wrapped object; None where there is none, or it was not yet sought."""
    cues: tuple[Line, ...] = ()
    own_promise: Promise | None = None
    """What it gives, where that is another thing than its member promises."""
    is_read = True
    """Whether its name and its types may stand for an operation on records."""
    is_look_up = False
    """Whether a call of it only looks, so that nobody need look at it in turn."""
    noun, done, of_what = "call", "called", "arguments"
    """What messages say of it."""

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
        """`TideService.depth_at`; that of the fake, where it is called itself."""
        return self.bare_name

    @property
    def bare_name(self) -> str:
        """Its name, however it is addressed."""
        is_itself = self.member.name == "__call__"
        return self.state.label if is_itself else f"{self.state.label}.{self.member.name}"

    @property
    def cued_as(self) -> str:
        """How a cue of it is shown."""
        return self.name

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

    def by_position(self, values: tuple[Any, ...]) -> tuple[Any, ...]:
        """Those of a call's arguments that have a position."""
        return values

    def wait(self, call: LiveCall, seconds: float) -> None:
        """Let a call wait for its reply."""
        if self.promise.awaited:
            call.delay += seconds
        else:
            time.sleep(seconds)

    def shown(self, values: tuple[Any, ...]) -> str:  # noqa: ARG002
        """How messages show a call with these values; empty where as any other is."""
        return ""

    def written(self, arguments: str) -> str:
        """A call of it, as messages show it.

        Args:
            arguments: in parentheses, as in a call.
        """
        return f"{self.name}{arguments}"


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

    def by_position(self, values: tuple[Any, ...]) -> tuple[Any, ...]:
        """Those that can be given so; what `*more` took up one by one."""
        found: list[Any] = []
        for parameter, value in zip(self.member.signature.parameters.values(), values, strict=True):
            if parameter.kind is parameter.VAR_POSITIONAL:
                found += value
            elif parameter.kind not in (parameter.KEYWORD_ONLY, parameter.VAR_KEYWORD):
                found.append(value)
        return tuple(found)

    def call(self, function: Callable[..., Any], live: tuple[Any, ...]) -> Any:
        """By position and by name, as the method was."""
        return self.member.call(function, live)


class AttributeTarget(Target):
    """An attribute that is fetched."""

    is_look_up = True
    noun, done = "fetch", "fetched"

    @property
    def cued_as(self) -> str:
        """`attribute(TideService, 'depth')`."""
        return f"attribute({self.state.label}, {self.member.name!r})"

    @property
    def expression(self) -> str:
        """`attribute(shelf.fake(TideService), "depth")`."""
        return f'attribute({self.state.expression}, "{self.member.name}")'

    def written(self, arguments: str) -> str:  # noqa: ARG002
        """An attribute is no call."""
        return self.name


_NOTHING = Promise(node_of(None))


class AssignmentTarget(Target):
    """An attribute that is assigned."""

    own_promise = _NOTHING
    noun, done, of_what = "assignment", "assigned", "values"

    @property
    def cued_as(self) -> str:
        """`attribute(TideService, 'depth').assigned`."""
        return f"attribute({self.state.label}, {self.member.name!r}).assigned"

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
        value = arguments.removeprefix("(").removeprefix("value=").removesuffix(")")
        return f"{self.name} {value}"

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


def assignment_of(state: FakeState, member: Member) -> AssignmentTarget:
    """The target of assignments to an attribute."""
    known = state.assignments.get(member.name)
    return known or state.assignments.setdefault(member.name, AssignmentTarget(state, member))


def state_of(thing: object) -> FakeState | None:
    """What the library knows of a fake; None for anything else."""
    try:
        return object.__getattribute__(thing, STATE)  # type: ignore[no-any-return]
    except (AttributeError, TypeError):
        return None
