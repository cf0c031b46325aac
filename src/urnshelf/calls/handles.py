"""What stands for a method or an attribute of a fake where it is cued or looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

from urnshelf.calls.target import (
    INDEX,
    FakeState,
    MethodTarget,
    Target,
    assignment_of,
    state_of,
    target_at,
)
from urnshelf.errors import CueRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show

R = TypeVar("R")


class Handle:
    """What stands for a target where it is cued or looked at."""

    __slots__ = ("_target",)

    def __init__(self, target: Target) -> None:
        self._target = target

    @property
    def _more(self) -> str:
        """What it asks for besides the arguments, as code."""
        return ""

    def _expects(self, expected: tuple[Any, ...] | None) -> tuple[Any, ...] | None:
        """The arguments that are wanted, where these were written."""
        return expected


class AttributeHandle(Handle):
    """An attribute of a fake, to be cued and tallied like a method without arguments.

    >>> from typing import Protocol
    >>> class Crane(Protocol):
    ...     reach_m: float
    >>> crane = shelf.fake(Crane)
    >>> crane.reach_m = 31.5
    >>> tally(attribute(crane, "reach_m").assigned, 31.5) == 1
    True
    """

    __slots__ = ()

    if TYPE_CHECKING:  # to the checkers it is like a method without arguments

        def __call__(self) -> Any:
            """Never called."""

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


class AssignmentHandle(Handle):
    """Assignments to an attribute, to be cued and tallied like a method with one argument.

    >>> from typing import Protocol
    >>> class Crane(Protocol):
    ...     reach_m: float
    >>> crane = shelf.fake(Crane)
    >>> crane.reach_m = 31.5
    >>> ledger_of(attribute(crane, "reach_m").assigned).each("value")
    [31.5]
    """

    __slots__ = ()

    if TYPE_CHECKING:  # to the checkers it is like a method with one argument

        def __call__(self, value: Any, /) -> None:
            """Never called."""


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
        kind = (
            "a method; cue it without attribute()"
            if member
            else f"unknown; of attributes {nearest(name, state.attributes)}"
        )
        raise CueRefused(
            f"attribute({state.label}, {name!r}): {state.interface.name}.{name} is {kind}"
        )
    return AttributeHandle(target_at(fake, list(state.interface.members).index(name)))


class SomeOf(Handle):
    """A method whose omitted arguments may be anything; made by `some_of(…)`."""

    __slots__ = ()

    def __call__(self, *_args: object, **_kwargs: object) -> NoReturn:
        """Never: it stands for the method where one is cued and looked at."""
        raise CueRefused(
            f"{self!r} is for cues and looks: cue({self!r}, …), tally({self!r}, …); call the "
            "method itself"
        )

    def __repr__(self) -> str:
        return f"some_of({self._target.name})"


def some_of(method: Callable[..., R], /) -> Callable[..., R]:
    """The method, for a cue or a look in which omitted arguments may be anything, and not their
    defaults.

    Args:
        method: a method of a fake, or a callable fake.

    Raises:
        CueRefused: no method of a fake.

    >>> pilots = shelf.fake(PilotPager)
    >>> pilots.page(7, "Gray Heron", urgent=True)
    >>> tally(some_of(pilots.page), 7) == 1
    True
    >>> tally(some_of(pilots.page), message="Gray Heron") == 1
    True
    """
    target = target_of(method, "some_of")
    if not isinstance(target, MethodTarget):
        raise CueRefused(f"some_of() takes a method of a fake, and {target.name} is an attribute")
    return SomeOf(target)


def target_of(method: Any, verb: str) -> Target:
    """The target that the user means; raises CueRefused when it is no fake's.

    Args:
        method: a fake's bound method, a callable fake, or what `attribute(…)` gave.
        verb: the name of the public function, for the message.
    """
    if isinstance(method, Handle):
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
