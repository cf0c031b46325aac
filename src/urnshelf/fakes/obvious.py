"""Replies that are obvious: the only sensible answer that a method's promise leaves."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.target import AssignmentTarget, Target
from urnshelf.clock import Clock
from urnshelf.errors import UrnShelfError
from urnshelf.fakes.clocks import clock_reply, is_of_a_clock
from urnshelf.interfaces.dependencies import is_interface
from urnshelf.interfaces.members import Member
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Obvious:
    """Who answered a call whose reply was obvious."""

    is_look_up = False

    def __repr__(self) -> str:
        return "the obvious reply"


OBVIOUS = Obvious()


def obvious(
    fake_for: Callable[[Any], Any],
    clock: Clock,
    is_uncertain: Callable[[Target], bool] = lambda _: False,
) -> Callable[[LiveCall], Any]:
    """The answerer.

    Args:
        fake_for: gives the fake of an interface.
        clock: answers the methods of clocks.
        is_uncertain: whether a method does something to records that is not known; to do nothing
            would be a lie.
    """

    def answer(call: LiveCall) -> Any:
        # whoever lets a call pass to code of the interface's own does not mean None
        if call.passed and call.target.has_code:
            return NO_REPLY
        reply = clock_reply(call, clock)
        if reply is NO_REPLY and is_uncertain(call.target):
            return NO_REPLY
        if reply is NO_REPLY:
            reply = _obvious_reply(call, fake_for)
        if reply is not NO_REPLY:
            call.answered_by = OBVIOUS
        return reply

    return answer


def _obvious_reply(call: LiveCall, fake_for: Callable[[Any], Any]) -> Any:
    target = call.target
    member = target.member
    if isinstance(target, AssignmentTarget) or member.name in ("__exit__", "__aexit__"):
        return None
    promised = target.promise.node
    if promised.kind in (Kind.NONE, Kind.NEVER):
        return None
    if promised.kind is Kind.SELF:
        return target.state.fake
    if is_interface(promised) and not promised.optional:
        # it promises its own kind, as builders do
        if promised.bare in getattr(target.state.interface.origin, "__mro__", ()):
            return target.state.fake
        try:
            return fake_for(promised.bare)
        except UrnShelfError:
            return NO_REPLY  # it cannot be faked, or there are several: then it is not obvious
    # without an annotation the manner of Python's own context managers is meant
    return target.state.fake if member.name in ("__enter__", "__aenter__") else NO_REPLY


def obvious_text(member: Member) -> str:
    """The obvious reply of a method, in words; empty where there is none."""
    promised = member.promise.node
    if is_of_a_clock(member):
        return "the shelf's clock"
    if promised.kind in (Kind.NONE, Kind.NEVER):
        return "nothing to do: it promises None"
    if promised.kind is Kind.SELF:
        return "the fake itself"
    is_certain = is_interface(promised) and not promised.optional
    return f"the fake of {type_name(promised.bare)}" if is_certain else ""
