"""Replies that are obvious: the only sensible answer that a method's promise leaves."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_args

from urnshelf.calls.entering import Entered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.promised import wrongly_assigned
from urnshelf.calls.target import AssignmentTarget, Target
from urnshelf.clock import Clock
from urnshelf.errors import ReplyRefused, UrnShelfError
from urnshelf.fakes.clocks import clock_reply, is_of_a_clock
from urnshelf.interfaces.dependencies import CONTEXTS, is_interface
from urnshelf.interfaces.members import Member
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind, Node, node_of


class Obvious:
    """Who answered a call whose reply was obvious.

    Args:
        what: in words.
        is_waiting: whether it may only have let time pass, which ends no loop.
    """

    is_look_up = False

    def __init__(self, what: str, *, is_waiting: bool = False) -> None:
        self._what = what
        self.is_waiting = is_waiting

    def __repr__(self) -> str:
        return self._what


OBVIOUS = Obvious("the obvious reply")
CLOCK = Obvious("the shelf's clock", is_waiting=True)


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
        if reply is not NO_REPLY:
            call.answered_by = CLOCK
            return reply
        if is_uncertain(call.target):
            return NO_REPLY
        reply = _obvious_reply(call, fake_for)
        if reply is not NO_REPLY:
            call.answered_by = OBVIOUS
        return reply

    return answer


def _obvious_reply(call: LiveCall, fake_for: Callable[[Any], Any]) -> Any:
    target = call.target
    member = target.member
    if isinstance(target, AssignmentTarget):
        wrong = wrongly_assigned(target, call.live[0])
        if wrong:
            call.answered_by = OBVIOUS
            raise ReplyRefused(wrong)
        return None
    if member.name in ("__exit__", "__aexit__"):
        return None
    is_entering = member.name in ("__enter__", "__aenter__")
    promise = target.promise
    managed = target.state.interface
    if is_entering and managed.origin in CONTEXTS and get_args(managed.form):
        return _given(node_of(get_args(managed.form)[0]), target, fake_for)
    if promise.enters:
        value = _given(promise.entered, target, fake_for)
        return NO_REPLY if value is NO_REPLY else Entered(value, promise.enters).give(call, 0)
    reply = _given(promise.node, target, fake_for)
    # without an annotation the manner of Python's own context managers is meant
    return target.state.fake if reply is NO_REPLY and is_entering else reply


def _given(promised: Node, target: Target, fake_for: Callable[[Any], Any]) -> Any:
    """The only value of a type that a fake can give."""
    if promised.kind is Kind.NONE:
        return None
    if promised.kind is Kind.SELF:
        return target.state.fake
    if not is_interface(promised) or promised.optional:
        return NO_REPLY
    # it promises its own kind, as builders do
    if promised.bare in getattr(target.state.interface.origin, "__mro__", ()):
        return target.state.fake
    try:
        return fake_for(promised.bare)
    except UrnShelfError:
        return NO_REPLY  # it cannot be faked, or there are several: then it is not obvious


def obvious_text(member: Member) -> str:
    """The obvious reply of a method, in words; empty where there is none."""
    promised = member.promise.node
    if is_of_a_clock(member):
        return "the shelf's clock"
    if member.promise.enters:
        inside = _text(member.promise.entered)
        return f"a context manager; entering it gives {inside}" if inside else ""
    return "nothing to do: it promises None" if promised.kind is Kind.NONE else _text(promised)


def _text(promised: Node) -> str:
    if promised.kind is Kind.NONE:
        return "None"
    if promised.kind is Kind.SELF:
        return "the fake itself"
    is_certain = is_interface(promised) and not promised.optional
    return f"the fake of {type_name(promised.bare)}" if is_certain else ""
