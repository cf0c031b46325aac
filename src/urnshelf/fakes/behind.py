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

    Its own names are such as no class has, for every other one is looked for in the class.

    Args:
        real: the object.
        wrapped: the class that was laid over its own.
    """

    __slots__ = ("_urnshelf_real", "_urnshelf_who", "_urnshelf_wrapped")
    _urnshelf_real: Any
    _urnshelf_who: Behind
    _urnshelf_wrapped: Any

    def __init__(self, real: Any, wrapped: type) -> None:
        object.__setattr__(self, "_urnshelf_real", real)
        object.__setattr__(self, "_urnshelf_wrapped", wrapped)
        object.__setattr__(self, "_urnshelf_who", Behind(self))

    def __getattr__(self, name: str) -> Any:
        return getattr(super(self._urnshelf_wrapped, self._urnshelf_real), name)

    def _urnshelf_method(self, member: Member) -> Callable[..., Any]:
        """Its own method, which takes a call's arguments in their order."""
        method, by_kind = getattr(self, member.name), member.call
        parameters = member.signature.parameters.values()
        if all(one.kind in _BY_POSITION for one in parameters):
            return method  # type: ignore[no-any-return]
        return lambda *live: by_kind(method, live)

    def __setattr__(self, name: str, value: object) -> None:
        # by the descriptor of its own class: to assign on the object would lead here again
        getattr(self._urnshelf_wrapped.__mro__[1], name).__set__(self._urnshelf_real, value)


def through(call: LiveCall) -> Any:
    """The answerer: the object behind the fake, if there is one."""
    target = call.target
    real = target.state.behind
    if target.own is not None:  # by far the most calls
        call.answered_by = real._urnshelf_who
        return target.own(*call.live)
    if real is NOTHING:
        return NO_REPLY
    if type(real) is OwnCode and type(target) is MethodTarget and not target.promise.awaited:
        target.own = real._urnshelf_method(target.member)
        return through(call)
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
