"""Taught methods: what the user's own function makes of a call, with the shelf at hand."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from functools import partial
from typing import Any

from urnshelf.calls.handles import target_of
from urnshelf.calls.ledger import WITHIN, LiveCall
from urnshelf.calls.promised import broken_promise
from urnshelf.calls.replies import Pending
from urnshelf.calls.target import Target, state_of
from urnshelf.errors import CueRefused, ReplyRefused
from urnshelf.readings.operations import Operation
from urnshelf.records.copies import keep
from urnshelf.records.display import show


class Lesson:
    """One taught method; it stands in the ledger as the answerer of its calls."""

    is_look_up = False
    operation = Operation.TAUGHT

    def __init__(self, function: Callable[..., Any], shelf: object) -> None:
        self.function = function
        self._shelf = shelf

    def give(self, call: LiveCall) -> Any:
        """What the function makes of the arguments; a copy, and of the promised type."""
        # fakes that it calls itself are not called by the code under test
        before = WITHIN.set(self)
        try:
            reply = call.target.call(partial(self.function, self._shelf), call.live)
        finally:
            WITHIN.reset(before)
        promise = call.target.promise
        if promise.awaited and inspect.isawaitable(reply):
            return Pending(self._checked_later(call, reply))
        # a plain list is easier to write than an async generator
        if promise.stream == "async" and not hasattr(reply, "__aiter__"):
            return _streamed(reply)
        return self._checked(call, reply)

    async def _checked_later(self, call: LiveCall, reply: Any) -> Any:
        before = WITHIN.set(self)
        try:
            given = await reply
        finally:
            WITHIN.reset(before)
        return self._checked(call, given)

    def _checked(self, call: LiveCall, reply: object) -> Any:
        promise = call.target.promise
        wrong = "" if promise.stream else broken_promise(call.target, reply, giver=self)
        if wrong:
            raise ReplyRefused(wrong)
        # the function may hand out what it holds itself
        return keep(reply)

    def __repr__(self) -> str:
        return f"taught: {getattr(self.function, '__name__', self.function)}"


async def _streamed(items: Any) -> Any:
    for item in items:
        yield item


class Lessons:
    """The taught methods of one shelf."""

    def __init__(self) -> None:
        self._by_function: dict[Any, Lesson] = {}
        self._by_target: dict[Target, Lesson] = {}
        self.some = False
        """Whether anything was taught."""

    def of(self, target: Target) -> Lesson | None:
        """The lesson for a target, if there is one; that for this one fake goes first."""
        return self._by_target.get(target) or self.of_function(target.member.function)

    def of_function(self, function: object) -> Lesson | None:
        """The lesson for every fake of the interface that has this function."""
        return self._by_function.get(code_of(function)) if self._by_function else None

    def teach(self, method: object, function: Callable[..., Any], shelf: object) -> None:
        """Remember what a method's calls are to be answered with.

        Args:
            method: an interface's method, for all its fakes, or one fake's method.
            function: takes the shelf and the call's arguments.
            shelf: handed to the function.

        Raises:
            CueRefused: no method, or a function that cannot take its arguments.
        """
        if not callable(function):
            raise CueRefused(
                "teach(…) decorates a function of the shelf and the call's arguments, not "
                f"{show(function)}"
            )
        lesson = Lesson(function, shelf)
        self.some = True
        if state_of(getattr(method, "__self__", method)) is not None:
            target = target_of(method, "teach")
            _check_parameters(
                target.name, list(target.member.signature.parameters.values()), function
            )
            self._by_target[target] = lesson
            return
        code = code_of(method)
        if not inspect.isfunction(code):
            raise CueRefused(
                "teach() takes a method of an interface, such as BerthRepository.get, not "
                f"{show(method)}"
            )
        parameters = list(inspect.signature(code).parameters.values())
        # a function that was faked has no instance before its parameters
        is_method = "." in code.__qualname__.rpartition("<locals>.")[2]
        _check_parameters(code.__qualname__, parameters[is_method:], function)
        self._by_function[code] = lesson


def code_of(method: object) -> Any:
    """The function under a property, a class method or a wrapper."""
    method = getattr(method, "fget", None) or getattr(method, "__func__", method)
    return inspect.unwrap(method) if callable(method) else method


def _check_parameters(
    name: str, wanted: list[inspect.Parameter], function: Callable[..., Any]
) -> None:
    args = [None, *(None for p in wanted if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD))]
    kwargs = {p.name: None for p in wanted if p.kind is p.KEYWORD_ONLY}
    try:
        inspect.signature(function).bind(*args, **kwargs)
    except TypeError as why:
        needed = ", ".join(["shelf", *(p.name for p in wanted)])
        raise CueRefused(
            f"teach({name}): {getattr(function, '__name__', function)} cannot be called with the "
            "shelf and the "
            f"method's arguments: {why}\n  it needs the parameters   ({needed})"
        ) from None
