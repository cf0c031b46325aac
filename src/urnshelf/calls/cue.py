"""Cues: "these arguments → this reply", set on a fake's method."""

from __future__ import annotations

from collections.abc import AsyncIterable, Awaitable, Callable, Iterable
from typing import TYPE_CHECKING, Any, Concatenate, Generic, ParamSpec, Self, TypeVar, overload

from urnshelf.calls.computing import Computed
from urnshelf.calls.entering import Entered
from urnshelf.calls.place import Place
from urnshelf.calls.promised import cannot_be_called_as, why_not_given
from urnshelf.calls.replies import (
    PassedThrough,
    Passing,
    Raising,
    Reply,
    Streamed,
    Values,
    WhenSpent,
    raising,
)
from urnshelf.calls.result_rows import GivenRows, as_rows
from urnshelf.calls.script import Line
from urnshelf.errors import CueRefused, ReplyRefused, UrnShelfError
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.types.forms import type_name

P = ParamSpec("P")
Q = ParamSpec("Q")
R_co = TypeVar("R_co", covariant=True)
T = TypeVar("T")
A = TypeVar("A")
B = TypeVar("B")

if TYPE_CHECKING:
    from contextlib import AbstractAsyncContextManager, AbstractContextManager


class Cue(Generic[P, R_co]):
    """What one method replies to certain arguments; made by `cue(…)`, finished by the reply that is
    chained to it.

    >>> cue(shelf.fake(TideService).depth_at, "Ternhythe", whatever).gives(6.3).for_calls(2)
    cue(TideService.depth_at, 'Ternhythe', whatever).gives(6.3).for_calls(2)
    """

    def __init__(self, line: Line) -> None:
        self._line = line

    @overload
    def gives(
        self: Cue[P, Awaitable[T]], *values: T | Raising | Passing, when_spent: WhenSpent = ...
    ) -> Cue[P, R_co]: ...
    @overload
    def gives(
        self: Cue[P, T], *values: T | Raising | Passing, when_spent: WhenSpent = ...
    ) -> Cue[P, R_co]: ...
    def gives(self, *values: Any, when_spent: WhenSpent = "repeat") -> Any:
        """Reply with this value, or with these in turn; `raising(…)` and `passing_through` may
        stand among them.

        Args:
            values: one or more values of the type that the method promises (after awaiting); for a
                result of SQLAlchemy a list of its rows.
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
        values = tuple([as_rows(self._line.target, value) for value in values])
        for value in values:
            if not isinstance(value, (Raising, Passing, GivenRows)):
                why = why_not_given(self._line.target, value, self)
                if why:
                    raise self._refused(ReplyRefused, why)
        return self._with(Values(values, when_spent))

    def raises(self, error: BaseException | type[BaseException]) -> Self:
        """Raise this exception, each time.

        >>> tides = shelf.fake(TideService)
        >>> _ = cue(tides.depth_at).raises(GaugeSilent("no answer"))
        >>> tides.depth_at("Ternhythe", NOON)
        Traceback (most recent call last):
            ...
        urnshelf.demo.harbour.errors.GaugeSilent: no answer
        """
        return self._with(Values((raising(error),), "repeat", is_raises=True))

    # the first two parameters may have names of their own: they are given by position
    @overload
    def computes(
        self: Cue[Q, Awaitable[T]], function: Callable[Q, T | Awaitable[T]]
    ) -> Cue[P, R_co]: ...
    @overload
    def computes(  # pyright: ignore[reportOverlappingOverload]
        self: Cue[Concatenate[A, B, Q], Awaitable[T]],
        function: Callable[Concatenate[Any, Any, Q], T | Awaitable[T]],
    ) -> Cue[P, R_co]: ...
    @overload
    def computes(  # pyright: ignore[reportOverlappingOverload]
        self: Cue[Concatenate[A, Q], Awaitable[T]],
        function: Callable[Concatenate[Any, Q], T | Awaitable[T]],
    ) -> Cue[P, R_co]: ...
    @overload
    def computes(self: Cue[Q, T], function: Callable[Q, T]) -> Cue[P, R_co]: ...
    @overload
    def computes(  # pyright: ignore[reportOverlappingOverload]
        self: Cue[Concatenate[A, B, Q], T], function: Callable[Concatenate[Any, Any, Q], T]
    ) -> Cue[P, R_co]: ...
    @overload
    def computes(  # pyright: ignore[reportOverlappingOverload]
        self: Cue[Concatenate[A, Q], T], function: Callable[Concatenate[Any, Q], T]
    ) -> Cue[P, R_co]: ...
    def computes(self, function: Any) -> Any:
        """Reply what the function makes of the call's arguments; it is called as the method was,
        defaults filled in.

        Args:
            function: takes the method's arguments; for an async method it may be async.

        Raises:
            CueRefused: not a function, or one that cannot take these arguments.

        >>> tides = shelf.fake(TideService)
        >>> _ = cue(tides.depth_at).computes(lambda harbour, at: float(len(harbour)))
        >>> tides.depth_at("Ternhythe", NOON)
        9.0
        """
        if not callable(function):
            raise self._refused(
                CueRefused,
                f"{self}.computes({show(function)}): it must be a function of the call's arguments",
            )
        wrong = cannot_be_called_as(self._line.target, function)
        if wrong:
            name = getattr(function, "__name__", function)
            raise self._refused(CueRefused, f"{self}.computes({name}): {wrong}")
        return self._with(Computed(function))

    @overload
    def streams(self: Cue[P, Iterable[T]], *items: T | Raising) -> Cue[P, R_co]: ...
    @overload
    def streams(self: Cue[P, AsyncIterable[T]], *items: T | Raising) -> Cue[P, R_co]: ...
    @overload
    def streams(self: Cue[P, Awaitable[Iterable[T]]], *items: T | Raising) -> Cue[P, R_co]: ...
    @overload
    def streams(self: Cue[P, Awaitable[AsyncIterable[T]]], *items: T | Raising) -> Cue[P, R_co]: ...
    def streams(self, *items: Any) -> Any:
        """Reply with a fresh stream of these items for each call; `raising(…)` among them breaks it
        off.

        Args:
            items: none or more, of the type of the stream's items.

        Raises:
            ReplyRefused: an item is not of that type, or the method gives no stream.

        >>> from collections.abc import Iterator
        >>> from typing import Protocol
        >>> class Log(Protocol):
        ...     def lines(self) -> Iterator[str]: ...
        >>> log = shelf.fake(Log)
        >>> _ = cue(log.lines).streams("in", raising(GaugeSilent("cut off")))
        >>> lines = log.lines()
        >>> next(lines)
        'in'
        >>> next(lines)
        Traceback (most recent call last):
            ...
        urnshelf.demo.harbour.errors.GaugeSilent: cut off
        """
        target = self._line.target
        promise = target.promise
        if not promise.stream and promise.node.is_known:
            raise self._refused(
                ReplyRefused,
                f"{self}.streams(…): {target.name} promises {promise.name}, which is no stream; "
                "use .gives(…)",
            )
        for item in items if target.desk.settings.check_replies else ():
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
    def enters(self: Cue[P, AbstractContextManager[T]], value: T | Raising) -> Cue[P, R_co]: ...
    @overload
    def enters(
        self: Cue[P, AbstractAsyncContextManager[T]], value: T | Raising
    ) -> Cue[P, R_co]: ...
    def enters(self, value: Any) -> Any:
        """Reply with a fresh context manager for each call, entering which gives this value; what
        the body raises reaches the caller.

        Args:
            value: of the type that entering promises; `raising(…)` for an entering that fails.

        Raises:
            ReplyRefused: the value is not of that type, or the method gives no context manager.

        >>> from contextlib import AbstractContextManager
        >>> from typing import Protocol
        >>> class Locks(Protocol):
        ...     def hold(self, berth: str) -> AbstractContextManager[int]: ...
        >>> locks = shelf.fake(Locks)
        >>> _ = cue(locks.hold).enters(7)
        >>> with locks.hold("B-1") as number:
        ...     number
        7
        """
        target = self._line.target
        promise = target.promise
        if not promise.enters and promise.node.is_known:
            raise self._refused(
                ReplyRefused,
                f"{self}.enters(…): {target.name} promises {promise.name}, which is no context "
                "manager that tells what entering it gives; use .gives(…)",
            )
        is_checked = target.desk.settings.check_replies and not isinstance(value, Raising)
        wrong = misfit(value, promise.entered) if is_checked else None
        if wrong is not None:
            raise self._refused(
                ReplyRefused,
                f"{self}.enters({show(value, 60)}): entering gives "
                f"{type_name(promise.entered.form)}, but {wrong}",
            )
        return self._with(Entered(value, promise.enters))

    def passes_through(self) -> Self:
        """Go on as without this cue: older cues, the object behind the fake, the shelf's records,
        the obvious reply; where the interface has code of its own for the method, that code runs
        instead of what would be obvious.

        Among values that are given in turn, `passing_through` does the same for one call.

        >>> class Gauge:
        ...     def depth(self) -> float:
        ...         return self.level() + 1
        ...     def level(self) -> float: ...
        >>> gauge = shelf.fake(Gauge)
        >>> _ = cue(gauge.depth).passes_through()
        >>> _ = cue(gauge.level).gives(5.0)
        >>> gauge.depth()
        6.0
        """
        return self._with(PassedThrough())

    def waits(self, seconds: float) -> Self:
        """Wait this long, in real time, before the reply; a stream waits before its first item.

        Args:
            seconds: 0 or more.

        >>> import asyncio
        >>> patrol = shelf.fake(QuayPatrol)
        >>> _ = cue(patrol.report_on).gives(QuayReport("B-1", True)).waits(0.01)
        >>> asyncio.run(patrol.report_on("B-1")).fenders_intact
        True
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

    def for_calls(self, n: int) -> Self:
        """Serve this many calls, then step aside for older cues.

        Args:
            n: 1 or more.

        >>> tides = shelf.fake(TideService)
        >>> _ = cue(tides.depth_at).gives(6.3)
        >>> _ = cue(tides.depth_at).raises(GaugeSilent()).for_calls(1)
        >>> tides.depth_at("Ternhythe", NOON)
        Traceback (most recent call last):
            ...
        urnshelf.demo.harbour.errors.GaugeSilent
        >>> tides.depth_at("Ternhythe", NOON)
        6.3
        """
        if isinstance(n, bool) or not isinstance(n, int) or n < 1:
            raise self._refused(
                CueRefused, f"{self}.for_calls({n!r}): a whole number from 1 is needed"
            )
        self._line.limit = n
        return self

    @property
    def place(self) -> Place:
        """Where it was set.

        >>> silent = cue(shelf.fake(TideService).depth_at).raises(GaugeSilent())
        >>> silent.place.line > 0
        True
        """
        return self._line.place

    @property
    def used(self) -> bool:
        """Whether it answered a call.

        >>> pilots = shelf.fake(PilotPager)
        >>> urgent = cue(pilots.page, 7, whatever, urgent=True).raises(TimeoutError)
        >>> pilots.page(7, "Gray Heron")
        >>> urgent.used
        False
        """
        return self._line.served > 0

    @property
    def hidden_by(self) -> Cue[..., Any] | None:
        """The newer cue that leaves no call to this one, if there is one.

        >>> tides = shelf.fake(TideService)
        >>> older = cue(tides.depth_at, "Ternhythe", NOON).gives(6.3)
        >>> newer = cue(tides.depth_at).gives(1.0)
        >>> older.hidden_by == newer
        True
        """
        hider = self._line.hidden_by
        return next((cue for cue in self._line.target.desk.cues if cue._line is hider), None)

    if not TYPE_CHECKING:  # to the checkers a cue has what it has, and nothing else

        def __getattr__(self, name: str) -> Any:
            """A name that we do not have: our nearest, and what it does."""
            if name.startswith("_") or hasattr(type(self), name):
                # Python asks here, too, where a property raises: what it raised is what counts
                return object.__getattribute__(self, name)
            from urnshelf.near_names import CUE, no_such_name, public

            raise AttributeError(
                no_such_name("a cue", name, public(type(self)), CUE), name=name, obj=self
            )

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

    def _refused(self, kind: type[UrnShelfError], text: str) -> UrnShelfError:
        """The error to raise; a cue whose reply was refused is not also blamed for having none."""
        if self._line.reply is None:
            desk = self._line.target.desk
            desk.cues = [cue for cue in desk.cues if cue != self]
        return kind(text)

    def __repr__(self) -> str:
        return repr(self._line)
