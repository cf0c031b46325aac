"""Cues: "these arguments → this reply", set on a fake's method."""

from __future__ import annotations

import inspect
import sys
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Coroutine, Iterator
from functools import lru_cache
from types import CodeType
from typing import Any, Generic, ParamSpec, TypeVar, cast, overload

from urnshelf.calls.ledger import NO_REPLY, Outcome
from urnshelf.calls.place import Place, locate, place_of
from urnshelf.calls.replies import (
    Computed,
    LiveCall,
    PassedThrough,
    Pending,
    Raising,
    Reply,
    Streamed,
    Values,
    WhenSpent,
    as_called,
    raising,
)
from urnshelf.calls.target import UNASSIGNED, AssignmentHandle, AttributeHandle, ScriptedCue, Target, target_of
from urnshelf.calls.wording import signature_line
from urnshelf.errors import CueRefused, ReplyRefused, UrnShelfError
from urnshelf.interfaces.hints import type_name
from urnshelf.interfaces.promises import misfit
from urnshelf.records.display import show
from urnshelf.records.equality import Matcher, same
from urnshelf.records.matchers import whatever

P = ParamSpec("P")
R = TypeVar("R")
T = TypeVar("T")

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_EXACT = frozenset(f"builtins.{name}" for name in ("str", "int", "float", "bool", "bytes", "NoneType")) | {
    "datetime.date",
    "datetime.datetime",
    "decimal.Decimal",
    "uuid.UUID",
}
"""Types whose own `==` is the one equality among values of the same type; named, for not all are imported here."""


class Cue(Generic[P, R]):
    """What one method replies to certain arguments; made by `cue(…)`, finished by the reply that is chained to it."""

    def __init__(self, target: Target, expected: tuple[Any, ...] | None, set_at: tuple[CodeType, int]) -> None:
        self.target = target
        self.expected = expected
        self._set_at = set_at
        self.reply: Reply | None = None
        self.delay = 0.0
        self.limit: int | None = None
        self._served = 0
        # What the compiled methods ask: see `_sharpen`.
        self.value: Any = None
        self.outcome = Outcome(target, self)
        self.wants: tuple[Any, ...] | None = None

    def gives(self, *values: R | Raising, when_spent: WhenSpent = "repeat") -> Cue[P, R]:
        """Reply with this value, or with these in turn; `raising(…)` may stand among them.

        Args:
            values: one or more values of the type that the method promises (after awaiting).
            when_spent: after the last value, `"repeat"` it, `"cycle"` from the first, or `"refuse"` the call.

        Raises:
            ReplyRefused: a value is not of the promised type.

        >>> from urnshelf import Shelf, cue, raising
        >>> from urnshelf.demo.harbour import BerthRepository
        >>> with Shelf() as shelf:
        ...     berths = shelf.fake(BerthRepository)
        ...     _ = cue(berths.count).gives(100, 10, 0)
        ...     [berths.count() for _ in range(4)]
        [100, 10, 0, 0]
        """
        if not values:
            raise self._refused(CueRefused, f"{self}.gives() needs a value; to reply None, write .gives(None)")
        if when_spent not in ("repeat", "cycle", "refuse"):
            raise self._refused(CueRefused, f"when_spent={when_spent!r}: choose 'repeat', 'cycle' or 'refuse'")
        for value in values:
            if not isinstance(value, Raising):
                self._check(value)
        return self._with(Values(values, when_spent))

    def raises(self, error: BaseException | type[BaseException]) -> Cue[P, R]:
        """Raise this exception, each time."""
        return self._with(Values((raising(error),), "repeat"))

    def computes(self, function: Callable[P, R | Awaitable[R]]) -> Cue[P, R]:
        """Reply what the function makes of the call's arguments; it is called as the method was, defaults filled in.

        Args:
            function: takes the method's arguments; for an async method it may be async.

        Raises:
            CueRefused: not a function, or one that cannot take these arguments.
        """
        if not callable(function):
            raise self._refused(
                CueRefused, f"{self}.computes({show(function)}): it must be a function of the call's arguments"
            )
        self._check_takes(function)
        return self._with(Computed(function))

    def passes_through(self) -> Cue[P, R]:
        """Reply what the interface's own code replies, run on the fake."""
        if not self.target.member.has_code or self.target.is_assignment:
            raise self._refused(
                CueRefused,
                f"{self}.passes_through(): {self.target.name} has no code of its own to run; give it a reply",
            )
        return self._with(PassedThrough())

    def waits(self, seconds: float) -> Cue[P, R]:
        """Wait this long, in real time, before the reply; a stream waits before its first item.

        Args:
            seconds: 0 or more.
        """
        if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not 0 <= seconds < float("inf"):
            raise self._refused(CueRefused, f"{self}.waits({seconds!r}): a number of seconds from 0 is needed")
        self.delay = float(seconds)
        self._sharpen()
        return self

    def for_calls(self, n: int) -> Cue[P, R]:
        """Serve this many calls, then step aside for older cues.

        Args:
            n: 1 or more.
        """
        if isinstance(n, bool) or not isinstance(n, int) or n < 1:
            raise self._refused(CueRefused, f"{self}.for_calls({n!r}): a whole number from 1 is needed")
        self.limit = n
        self._sharpen()
        return self

    @property
    def place(self) -> Place:
        """Where it was set."""
        return place_of(*self._set_at)

    @property
    def used(self) -> bool:
        """Whether it answered a call."""
        return any(entry[0].answered_by is self for entry in self.target.desk.ledger)

    @property
    def hidden_by(self) -> ScriptedCue | None:
        """The newer cue that leaves no call to this one, if there is one."""
        if self not in self.target.cues:
            return None
        newer = self.target.cues[: self.target.cues.index(self)]
        return next((cue for cue in newer if cue.limit is None and cue.covers(self)), None)

    @property
    def spent(self) -> bool:
        """Whether it has served all the calls that it was set for."""
        return self.limit is not None and self._served >= self.limit

    def covers(self, other: Cue[..., Any]) -> bool:
        """Whether it takes every call that the other would take."""
        if self.expected is None:
            return True
        if other.expected is None:
            return all(wanted is whatever for wanted in self.expected)
        return all(w is whatever or same(w, o) for w, o in zip(self.expected, other.expected, strict=True))

    def fits(self, live: tuple[Any, ...]) -> bool:
        """Whether the arguments are the cue's."""
        return self.expected is None or all(map(same, self.expected, live))

    def claim(self) -> int | None:
        """The number of the turn that this call gets, from 0; None when the cue has served its calls."""
        with self.target.desk.lock:
            if self.spent:
                return None
            self._served += 1
            return self._served - 1

    def serve(self, call: LiveCall, turn: int) -> Any:
        """The reply, after the wait."""
        assert self.reply is not None
        if isinstance(self.reply, Streamed):
            return self.reply.give_after(self.delay, call)
        if not self.delay:
            return self.reply.give(call, turn)
        if self.target.member.promise.awaited:
            return Pending(self._serve_later(call, turn))
        time.sleep(self.delay)
        return self.reply.give(call, turn)

    async def _serve_later(self, call: LiveCall, turn: int) -> Any:
        from asyncio import sleep

        await sleep(self.delay)
        assert self.reply is not None
        reply = self.reply.give(call, turn)
        return await reply.awaitable if type(reply) is Pending else reply

    def _with(self, reply: Reply) -> Cue[P, R]:
        if self.reply is not None:
            raise self._refused(
                CueRefused,
                f"{self} has a reply already; set a second cue for another, or give the values in one .gives(a, b)",
            )
        self.reply = reply
        self._sharpen()
        with self.target.desk.lock:
            self.target.cues = (self, *self.target.cues)
        self.target.assigned = UNASSIGNED
        self.target.newest = self.target.cues[0] if self.target.cues[0].is_instant else None
        return self

    @property
    def is_instant(self) -> bool:
        """Whether a compiled method may answer at once: with one constant, and nothing to wait for or to count."""
        return (
            isinstance(self.reply, Values)
            and len(self.reply.items) == 1
            and type(self.reply.items[0]) is not Raising
            and self.reply.when_spent != "refuse"
            and not self.delay
            and self.limit is None
            and self.wants is not None
            and not self.target.member.promise.awaited
        )

    def _sharpen(self) -> None:
        """Hold ready what a compiled method asks: the constant, and for each argument a type and a value.

        An argument of that type fits when it equals the value; any plain argument fits `whatever`. Where a wish is
        neither, there are no `wants`, and the desk decides.
        """
        expected = (whatever,) * len(self.target.parameters) if self.expected is None else self.expected
        if all(map(_is_exact, expected)):
            self.wants = tuple([part for wanted in expected for part in (type(wanted), wanted)])
        if isinstance(self.reply, Values) and len(self.reply.items) == 1:
            self.value = self.outcome.reply = self.reply.items[0]
        if self.target.newest is self and not self.is_instant:
            self.target.newest = None

    def _check(self, value: Any) -> None:
        if isinstance(value, Matcher):
            raise self._refused(
                ReplyRefused, f"{self}.gives({show(value)}): a matcher stands for arguments; give a real value"
            )
        if self.target.is_assignment and value is not None:
            raise self._refused(
                ReplyRefused,
                f"{self}.gives({show(value)}): an assignment has no reply; use .raises(…), or .gives(None)",
            )
        if not self.target.desk.check_replies or self.target.is_assignment:
            return
        promise = self.target.member.promise
        if promise.awaited and inspect.iscoroutine(value):
            value.close()
            raise self._refused(
                ReplyRefused, f"{self}.gives(…) was given a coroutine: give the awaited value, {_a_value(promise.name)}"
            )
        wrong = misfit(value, promise.type)
        if wrong is not None:
            raise self._refused(
                ReplyRefused,
                f"{self.target.name} promises {promise.name}, but {wrong}\n  in   {self}.gives({show(value, 60)})\n"
                + ("For a stream, use .streams(…). " if promise.stream else "")
                + "Give a value of that type, or switch the check off with Shelf(check_replies=False).",
            )

    def _check_takes(self, function: Callable[..., Any]) -> None:
        try:
            signature = inspect.signature(function)
        except (ValueError, TypeError):
            return
        blank = _blank_arguments(self.target)
        args, kwargs = as_called(self.target, blank)
        try:
            signature.bind(*args, **kwargs)
        except TypeError as why:
            raise self._refused(
                CueRefused,
                f"{self}.computes({getattr(function, '__name__', function)}): the function cannot be called as the "
                f"method is: {why}\n  the method is   {signature_line(self.target)}",
            ) from None

    def _refused(self, kind: type[UrnShelfError], text: str) -> UrnShelfError:
        """The error to raise; a cue whose reply was refused is not also blamed for having none."""
        if self.reply is None:
            self.target.desk.cues = [cue for cue in self.target.desk.cues if cue is not self]
        return kind(text)

    def __repr__(self) -> str:
        arguments = "" if self.expected is None else "".join(f", {a}" for a in _written(self.target, self.expected))
        reply = f".{self.reply!r}" if self.reply is not None else ""
        chained = f".waits({self.delay:g})" * bool(self.delay) + f".for_calls({self.limit})" * bool(self.limit)
        return f"cue({self.target.name}{arguments}){reply}{chained}"

    __str__ = __repr__


class StreamCue(Cue[P, R], Generic[P, R, T]):
    """A cue on a method that gives a stream."""

    def streams(self, *items: T | Raising) -> StreamCue[P, R, T]:
        """Reply with a fresh stream of these items for each call; `raising(…)` among them breaks it off.

        Args:
            items: none or more, of the type of the stream's items.

        Raises:
            ReplyRefused: an item is not of that type, or the method gives no stream.
        """
        promise = self.target.member.promise
        if not promise.stream and promise.type is not Any:
            raise self._refused(
                ReplyRefused,
                f"{self}.streams(…): {self.target.name} promises {promise.name}, which is no stream; use .gives(…)",
            )
        for item in items:
            wrong = (
                None if isinstance(item, Raising) or not self.target.desk.check_replies else misfit(item, promise.item)
            )
            if wrong is not None:
                raise self._refused(
                    ReplyRefused,
                    f"{self}.streams({show(item, 60)}): the stream's items are {type_name(promise.item)}, but {wrong}",
                )
        self._with(Streamed(items, promise.stream))
        return self


@overload
def cue(method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Coroutine[Any, Any, R]], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, Coroutine[Any, Any, R]], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, AsyncIterator[T]], /) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, AsyncIterator[T]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Iterator[T]], /) -> StreamCue[P, Iterator[T], T]: ...
@overload
def cue(method: Callable[P, Iterator[T]], /, *args: P.args, **kwargs: P.kwargs) -> StreamCue[P, Iterator[T], T]: ...
@overload
def cue(method: Callable[P, Awaitable[R]], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, Awaitable[R]], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, R], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, R], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
@overload
def cue(method: AttributeHandle, /) -> Cue[[], Any]: ...
@overload
def cue(method: AssignmentHandle, value: Any = ..., /) -> Cue[[Any], None]: ...
def cue(method: Any, /, *args: Any, **kwargs: Any) -> Any:
    """Begin a cue: what the method replies when it is called with these arguments.

    Args:
        method: a method of a fake, a callable fake, or `attribute(fake, "name")`.
        args: the method's own arguments, as in the call that the cue answers; matchers may stand for them.
        kwargs: likewise, by name. With no arguments at all the cue answers any call.

    Returns:
        The cue, to be finished with a reply: `.gives`, `.raises`, `.computes`, `.streams` or `.passes_through`.

    Raises:
        CueRefused: no method of a fake, or arguments that the method would refuse.

    >>> from datetime import datetime
    >>> from urnshelf import Shelf, cue, whatever
    >>> from urnshelf.demo.harbour import TideService
    >>> with Shelf() as shelf:
    ...     tides = shelf.fake(TideService)
    ...     _ = cue(tides.depth_at, "Skarvik", whatever).gives(6.3)
    ...     tides.depth_at("Skarvik", at=datetime(2030, 6, 1))
    6.3
    """
    target = target_of(method, "cue")
    expected = bind(target, args, kwargs, "cue") if args or kwargs else None
    new: Cue[..., Any] = StreamCue(target, expected, locate(sys._getframe(1)))
    target.desk.cues.append(new)
    return new


def script(call: LiveCall) -> Any:
    """The first answerer: the newest cue that fits and has calls left."""
    for candidate in call.target.cues:
        if candidate.fits(call.live):
            turn = candidate.claim()
            if turn is not None:
                call.outcome.answered_by = candidate
                return candidate.serve(call, turn)
    return NO_REPLY


def bind(target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str) -> tuple[Any, ...]:
    """The arguments in the order of the parameters, defaults filled in; CueRefused when they do not fit."""
    try:
        return (_bind_assignment if target.is_assignment else target.member.bind)(*args, **kwargs)
    except TypeError as why:
        raise CueRefused(_misfit_text(target, args, kwargs, verb, why)) from None


def _bind_assignment(value: Any, /) -> tuple[Any]:
    return (value,)


def _misfit_text(target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str, why: TypeError) -> str:
    given = ", ".join([*(show(a, 40) for a in args), *(f"{k}={show(v, 40)}" for k, v in kwargs.items())])
    unknown = [name for name in kwargs if name not in target.parameters]
    wrong = f"there is no argument {unknown[0]!r}" if unknown else "it " + str(why).partition(") ")[2]
    return f"{verb}({target.name}, {given}): {wrong}\n  the method is   {signature_line(target)}"


def _is_exact(value: Any) -> bool:
    if type(value) in (tuple, dict):
        return not value  # no further arguments
    return value is whatever or _is_exact_type(cast(Any, type(value)))


@lru_cache(maxsize=256)
def _is_exact_type(cls: Any) -> bool:
    return f"{cls.__module__}.{cls.__qualname__}" in _EXACT


def _written(target: Target, expected: tuple[Any, ...]) -> list[str]:
    args, kwargs = as_called(target, expected)
    return [show(a, 60) for a in args] + [f"{k}={show(v, 60)}" for k, v in kwargs.items()]


def _blank_arguments(target: Target) -> tuple[Any, ...]:
    empty: dict[Any, Any] = {inspect.Parameter.VAR_POSITIONAL: (), inspect.Parameter.VAR_KEYWORD: {}}
    if target.is_assignment:
        return (None,)
    return tuple(empty.get(p.kind) for p in target.member.signature.parameters.values())


def _a_value(promised: str) -> str:
    return f"a value of type {promised}"
