"""Cues: "these arguments → this reply", set on a fake's method."""

from __future__ import annotations

import inspect
import sys
from collections.abc import AsyncIterator, Awaitable, Callable, Coroutine, Iterator
from typing import Any, Generic, ParamSpec, Self, TypeVar, overload

from urnshelf.calls.place import Place, locate
from urnshelf.calls.replies import (
    Computed,
    PassedThrough,
    Raising,
    Reply,
    Streamed,
    Values,
    WhenSpent,
    raising,
)
from urnshelf.calls.script import Line
from urnshelf.calls.target import (
    AssignmentHandle,
    AssignmentTarget,
    AttributeHandle,
    MethodTarget,
    Target,
    target_of,
)
from urnshelf.calls.wording import signature_line
from urnshelf.errors import CueRefused, ReplyRefused, UrnShelfError
from urnshelf.records.display import show
from urnshelf.records.equality import Matcher
from urnshelf.records.fit import misfit
from urnshelf.types.forms import type_name

P = ParamSpec("P")
R = TypeVar("R")
T = TypeVar("T")

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Cue(Generic[P, R]):
    """What one method replies to certain arguments; made by `cue(…)`, finished by the reply that is
    chained to it.
    """

    def __init__(self, line: Line) -> None:
        self._line = line

    def gives(self, *values: R | Raising, when_spent: WhenSpent = "repeat") -> Cue[P, R]:
        """Reply with this value, or with these in turn; `raising(…)` may stand among them.

        Args:
            values: one or more values of the type that the method promises (after awaiting).
            when_spent: after the last value, `"repeat"` it, `"cycle"` from the first, or `"refuse"`
                the call.

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
            raise self._refused(
                CueRefused, f"{self}.gives() needs a value; to reply None, write .gives(None)"
            )
        if when_spent not in ("repeat", "cycle", "refuse"):
            raise self._refused(
                CueRefused, f"when_spent={when_spent!r}: choose 'repeat', 'cycle' or 'refuse'"
            )
        for value in values:
            if not isinstance(value, Raising):
                self._check(value)
        return self._with(Values(values, when_spent))

    def raises(self, error: BaseException | type[BaseException]) -> Cue[P, R]:
        """Raise this exception, each time."""
        return self._with(Values((raising(error),), "repeat"))

    def computes(self, function: Callable[P, R | Awaitable[R]]) -> Cue[P, R]:
        """Reply what the function makes of the call's arguments; it is called as the method was,
        defaults filled in.

        Args:
            function: takes the method's arguments; for an async method it may be async.

        Raises:
            CueRefused: not a function, or one that cannot take these arguments.
        """
        if not callable(function):
            raise self._refused(
                CueRefused,
                f"{self}.computes({show(function)}): it must be a function of the call's arguments",
            )
        self._check_takes(function)
        return self._with(Computed(function))

    def passes_through(self) -> Cue[P, R]:
        """Reply what the interface's own code replies, run on the fake."""
        if not self._line.target.has_code:
            raise self._refused(
                CueRefused,
                f"{self}.passes_through(): {self._line.target.name} has no code of its own to run; "
                "give it a reply",
            )
        return self._with(PassedThrough())

    def waits(self, seconds: float) -> Cue[P, R]:
        """Wait this long, in real time, before the reply; a stream waits before its first item.

        Args:
            seconds: 0 or more.
        """
        if (
            isinstance(seconds, bool)
            or not isinstance(seconds, (int, float))
            or not 0 <= seconds < float("inf")
        ):
            raise self._refused(
                CueRefused, f"{self}.waits({seconds!r}): a number of seconds from 0 is needed"
            )
        self._line.delay = float(seconds)
        self._line.arrange()
        return self

    def for_calls(self, n: int) -> Cue[P, R]:
        """Serve this many calls, then step aside for older cues.

        Args:
            n: 1 or more.
        """
        if isinstance(n, bool) or not isinstance(n, int) or n < 1:
            raise self._refused(
                CueRefused, f"{self}.for_calls({n!r}): a whole number from 1 is needed"
            )
        self._line.limit = n
        return self

    @property
    def place(self) -> Place:
        """Where it was set."""
        return self._line.place

    @property
    def used(self) -> bool:
        """Whether it answered a call."""
        return self._line.served > 0

    @property
    def hidden_by(self) -> Cue[..., Any] | None:
        """The newer cue that leaves no call to this one, if there is one."""
        hider = self._line.hidden_by
        return next((cue for cue in self._line.target.desk.cues if cue._line is hider), None)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Cue) and other._line is self._line

    def __hash__(self) -> int:
        return hash(self._line)

    def _with(self, reply: Reply) -> Self:
        if self._line.reply is not None:
            raise self._refused(
                CueRefused,
                f"{self} has a reply already; set a second cue for another, or give the values in "
                "one .gives(a, b)",
            )
        self._line.answer_with(reply)
        return self

    def _check(self, value: object) -> None:
        target = self._line.target
        if isinstance(value, Matcher):
            raise self._refused(
                ReplyRefused,
                f"{self}.gives({show(value)}): a matcher stands for arguments; give a real value",
            )
        if isinstance(target, AssignmentTarget) and value is not None:
            raise self._refused(
                ReplyRefused,
                f"{self}.gives({show(value)}): an assignment has no reply; use .raises(…), or "
                ".gives(None)",
            )
        if not target.desk.check_replies:
            return
        promise = target.promise
        if promise.awaited and inspect.iscoroutine(value):
            value.close()
            advice = f"give the awaited value, a value of type {promise.name}"
            raise self._refused(ReplyRefused, f"{self}.gives(…) was given a coroutine: {advice}")
        wrong = misfit(value, promise.node)
        if wrong is not None:
            raise self._refused(
                ReplyRefused,
                f"{target.name} promises {promise.name}, but {wrong}\n  in   "
                f"{self}.gives({show(value, 60)})\n"
                + ("For a stream, use .streams(…). " if promise.stream else "")
                + "Give a value of that type, or switch the check off with "
                "Shelf(check_replies=False).",
            )

    def _check_takes(self, function: Callable[..., Any]) -> None:
        try:
            signature = inspect.signature(function)
        except (ValueError, TypeError):
            return
        target = self._line.target
        try:
            target.call(signature.bind, _blank_arguments(target))
        except TypeError as why:
            raise self._refused(
                CueRefused,
                f"{self}.computes({getattr(function, '__name__', function)}): the function cannot "
                "be called as the "
                f"method is: {why}\n  the method is   {signature_line(target)}",
            ) from None

    def _refused(self, kind: type[UrnShelfError], text: str) -> UrnShelfError:
        """The error to raise; a cue whose reply was refused is not also blamed for having none."""
        if self._line.reply is None:
            desk = self._line.target.desk
            desk.cues = [cue for cue in desk.cues if cue != self]
        return kind(text)

    def __repr__(self) -> str:
        return repr(self._line)


class StreamCue(Cue[P, R], Generic[P, R, T]):
    """A cue on a method that gives a stream."""

    def streams(self, *items: T | Raising) -> StreamCue[P, R, T]:
        """Reply with a fresh stream of these items for each call; `raising(…)` among them breaks it
        off.

        Args:
            items: none or more, of the type of the stream's items.

        Raises:
            ReplyRefused: an item is not of that type, or the method gives no stream.
        """
        target = self._line.target
        promise = target.promise
        if not promise.stream and promise.node.is_known:
            raise self._refused(
                ReplyRefused,
                f"{self}.streams(…): {target.name} promises {promise.name}, which is no stream; "
                "use .gives(…)",
            )
        for item in items if target.desk.check_replies else ():
            wrong = None if isinstance(item, Raising) else misfit(item, promise.item)
            if wrong is not None:
                wanted = type_name(promise.item.form)
                raise self._refused(
                    ReplyRefused,
                    f"{self}.streams({show(item, 60)}): the stream's items are {wanted}, but "
                    f"{wrong}",
                )
        return self._with(Streamed(items, promise.stream))


@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Coroutine[Any, Any, R]], /) -> Cue[P, R]: ...
@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, R]], /, *args: P.args, **kwargs: P.kwargs
) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, AsyncIterator[T]], /) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, AsyncIterator[T]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Iterator[T]], /) -> StreamCue[P, Iterator[T], T]: ...
@overload
def cue(
    method: Callable[P, Iterator[T]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, Iterator[T], T]: ...
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
def cue(method: AssignmentHandle, value: object = ..., /) -> Cue[[Any], None]: ...
def cue(method: object, /, *args: object, **kwargs: object) -> Any:
    """Begin a cue: what the method replies when it is called with these arguments.

    Args:
        method: a method of a fake, a callable fake, or `attribute(fake, "name")`.
        args: the method's own arguments, as in the call that the cue answers; matchers may stand
            for them.
        kwargs: likewise, by name. With no arguments at all the cue answers any call.

    Returns:
        The cue, to be finished with a reply: `.gives`, `.raises`, `.computes`, `.streams` or
        `.passes_through`.

    Raises:
        CueRefused: no method of a fake, or arguments that the method would refuse.

    >>> from datetime import datetime
    >>> from urnshelf import Shelf, cue, whatever
    >>> from urnshelf.demo.harbour import TideService
    >>> with Shelf() as shelf:
    ...     tides = shelf.fake(TideService)
    ...     _ = cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
    ...     tides.depth_at("Ternhythe", at=datetime(2030, 6, 1))
    6.3
    """
    target = target_of(method, "cue")
    expected = bind(target, args, kwargs, "cue") if args or kwargs else None
    new: Cue[..., Any] = StreamCue(Line(target, expected, locate(sys._getframe(1))))
    target.desk.cues.append(new)
    return new


def bind(
    target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str
) -> tuple[Any, ...]:
    """The arguments in the order of the parameters, defaults filled in; CueRefused when they do not
    fit.
    """
    try:
        return target.bind(*args, **kwargs)
    except TypeError as why:
        raise CueRefused(_misfit_text(target, args, kwargs, verb, why)) from None


def _misfit_text(
    target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str, why: TypeError
) -> str:
    given = ", ".join(
        [*(show(a, 40) for a in args), *(f"{k}={show(v, 40)}" for k, v in kwargs.items())]
    )
    unknown = [name for name in kwargs if name not in target.parameters]
    wrong = (
        f"there is no argument {unknown[0]!r}" if unknown else "it " + str(why).partition(") ")[2]
    )
    return f"{verb}({target.name}, {given}): {wrong}\n  the method is   {signature_line(target)}"


def _blank_arguments(target: Target) -> tuple[Any, ...]:
    if not isinstance(target, MethodTarget):
        return (None,) * len(target.parameters)
    empty: dict[Any, Any] = {
        inspect.Parameter.VAR_POSITIONAL: (),
        inspect.Parameter.VAR_KEYWORD: {},
    }
    return tuple(empty.get(p.kind) for p in target.member.signature.parameters.values())
