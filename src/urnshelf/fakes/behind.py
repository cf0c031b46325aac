"""An object behind a fake: what no cue answers goes to it."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any

from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.replies import Pending
from urnshelf.calls.target import (
    NOTHING,
    AssignmentTarget,
    AttributeTarget,
    FakeState,
    MethodTarget,
    Target,
)
from urnshelf.errors import InterfaceRefused
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import QUIET
from urnshelf.records.display import show

__tracebackhide__ = True  # a failing test shows its own lines, not ours


_BY_POSITION = (inspect.Parameter.POSITIONAL_ONLY, inspect.Parameter.POSITIONAL_OR_KEYWORD)


class Behind:
    """Who answered a call that went to the object behind the fake."""

    is_look_up = False

    def __init__(self, real: object) -> None:
        self._real = real

    def __repr__(self) -> str:
        if isinstance(self._real, OwnCode):
            return "its own code"
        return f"the object behind: {show(self._real, 60)}"


class OwnCode:
    """A wrapped object without what was laid over it: its methods as its own class has them.

    Args:
        real: the object.
        wrapped: the class that was laid over its own.
    """

    __slots__ = ("_real", "_who", "_wrapped")
    _real: Any
    _who: Behind
    _wrapped: Any

    def __init__(self, real: Any, wrapped: type) -> None:
        object.__setattr__(self, "_real", real)
        object.__setattr__(self, "_wrapped", wrapped)
        object.__setattr__(self, "_who", Behind(self))

    def __getattr__(self, name: str) -> Any:
        return getattr(super(self._wrapped, self._real), name)

    def answerer(self, member: Member) -> Callable[[LiveCall], Any]:
        """What gives what its own method gives."""
        method, who, by_kind = getattr(self, member.name), self._who, member.call
        parameters = member.signature.parameters.values()
        is_plain = all(one.kind in _BY_POSITION for one in parameters)

        def plain(call: LiveCall) -> Any:
            call.answered_by = who
            return method(*call.live)

        def other(call: LiveCall) -> Any:
            call.answered_by = who
            return by_kind(method, call.live)

        return plain if is_plain else other

    def __setattr__(self, name: str, value: object) -> None:
        # by the descriptor of its own class: to assign on the object would lead here again
        getattr(self._wrapped.__mro__[1], name).__set__(self._real, value)


def through(call: LiveCall) -> Any:
    """The answerer: the object behind the fake, if there is one."""
    target = call.target
    if target.own is not None:
        return target.own(call)  # by far the most calls
    real = target.state.behind
    if real is NOTHING:
        return NO_REPLY
    if type(real) is OwnCode and type(target) is MethodTarget and not target.promise.awaited:
        target.own = real.answerer(target.member)
        return target.own(call)
    call.answered_by = Behind(real)
    name = target.member.name
    if isinstance(target, AssignmentTarget):
        setattr(real, name, call.live[0])
        return None
    if isinstance(target, AttributeTarget):
        return getattr(real, name)
    reply = target.call(getattr(real, name), call.live)
    # an object that gives itself, as `with` asks for, gives the fake: else what follows would
    # bypass it
    if reply is real:
        return target.state.fake
    if target.promise.awaited and inspect.isawaitable(reply):
        return Pending(_awaited(reply, target))
    return reply


async def _awaited(reply: Any, target: Target) -> Any:
    given = await reply
    return target.state.fake if given is target.state.behind else given


def put_behind(state: FakeState, real: object) -> None:
    """Put an object behind a fake.

    Raises:
        InterfaceRefused: it lacks a method of the interface, or has it with other parameters.
    """
    interface = state.interface
    if isinstance(real, type):
        raise InterfaceRefused(
            f"over={real.__name__}: give an object of that class, over={real.__name__}(…)"
        )
    why = why_not_behind(interface, real)
    if why:
        raise InterfaceRefused(
            f"over={show(real, 60)} cannot stand behind a fake of {interface.name}: {why}"
        )
    state.behind = real


def why_not_behind(interface: Interface, real: object) -> str:
    """Why an object cannot stand where an interface is expected; empty where it can."""
    for member in interface.members.values():
        if member.kind == "method" and member.name not in QUIET:
            why = _misfit(member, real)
            if why:
                return why
    return ""


def _misfit(member: Member, real: object) -> str:
    """Why a method of the interface cannot be called on the object."""
    if member.name.startswith("_") and not member.name.startswith("__"):
        return ""  # nobody outside calls it
    method = getattr(real, member.name, None)
    if not callable(method):
        return f"it has no method {member.name!r}"
    try:
        signature = inspect.signature(method)
    except (TypeError, ValueError):  # of a function written in C
        return ""
    try:
        member.call(signature.bind, member.blank_arguments)
    except TypeError as why:
        return f"its {member.name!r} takes other parameters: {why}"
    return ""
