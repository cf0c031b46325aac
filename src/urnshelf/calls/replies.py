"""The kinds of reply that a cue can give. A new kind is a class here and a method on `Cue`."""

from __future__ import annotations

import collections
import inspect
import time
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, Protocol

from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.result_rows import GivenRows
from urnshelf.calls.target import AttributeTarget
from urnshelf.errors import CueRefused, EndlessCalls, RepliesSpent
from urnshelf.interfaces.members import NO_DEFAULT
from urnshelf.records.display import show

if TYPE_CHECKING:
    from urnshelf.calls.target import Target

WhenSpent = Literal["repeat", "cycle", "refuse"]


class Pending(NamedTuple):
    """A reply that must be awaited first."""

    awaitable: Awaitable[Any]


class Reply(Protocol):
    """One kind of reply."""

    def give(self, call: LiveCall, turn: int) -> Any:
        """The reply to this call, the cue's `turn`-th from 0."""


class Raising:
    """An exception among the values of a cue; made by `raising(…)`."""

    __slots__ = ("_as_given", "_error", "times")

    def __init__(self, error: BaseException | type[BaseException], times: int) -> None:
        self._error = error
        self.times = times
        self._as_given = None if isinstance(error, type) else _manners_of(error)

    def throw(self) -> Any:
        """Raise it, without the traceback, the notes and the context of an earlier time."""
        error = self._error
        if isinstance(error, type):
            raise error()
        cause, context, suppressed, notes = self._as_given  # type: ignore[misc]
        error.__cause__, error.__context__, error.__suppress_context__ = cause, context, suppressed
        if notes is not None:
            error.__notes__ = list(notes)
        elif hasattr(error, "__notes__"):
            del error.__notes__
        raise error.with_traceback(None)

    @property
    def kind(self) -> type[BaseException]:
        """The exception's class."""
        return self._error if isinstance(self._error, type) else type(self._error)

    @property
    def shown(self) -> str:
        """The exception, as it was written."""
        is_class = isinstance(self._error, type)
        return self.kind.__name__ if is_class else show(self._error, 60)

    def __repr__(self) -> str:
        times = f", times={self.times}" if self.times != 1 else ""
        return f"raising({self.shown}{times})"


def _manners_of(
    error: BaseException,
) -> tuple[BaseException | None, BaseException | None, bool, list[str] | None]:
    """What each raising adds to."""
    notes = getattr(error, "__notes__", None)
    noted = None if notes is None else list(notes)
    return error.__cause__, error.__context__, error.__suppress_context__, noted


def raising(error: BaseException | type[BaseException], times: int = 1) -> Raising:
    """An exception in the place of a value: `cue(m).gives(raising(GaugeSilent()), 6.3)`.

    Args:
        error: an exception, or a class of exceptions that can be made without arguments.
        times: how many calls in turn get it; 1 or more.

    Raises:
        CueRefused: not an exception, or it cannot be made.

    >>> raising(TimeoutError("no answer"), times=2)
    raising(TimeoutError('no answer'), times=2)
    """
    if isinstance(error, type) and issubclass(error, BaseException):
        try:
            error()
        except Exception as why:
            raise CueRefused(
                f"{error.__name__} cannot be made without arguments ({why}); "
                f"give an instance: raising({error.__name__}(…))"
            ) from None
    elif not isinstance(error, BaseException):
        raise CueRefused(
            f"only an exception can be raised, not {show(error)}; to return it, give it as a value"
        )
    if not isinstance(times, int) or times < 1:
        raise CueRefused(f"raising(…, times={times!r}): times must be a whole number from 1")
    return Raising(error, times)


class Passing:
    """Among the values of a cue, `passing_through`: as without this cue.

    >>> moorings = shelf.fake(MooringRegister)
    >>> _ = cue(moorings.count).gives(raising(TimeoutError("too slow")), passing_through)
    >>> moorings.count()
    Traceback (most recent call last):
        ...
    TimeoutError: too slow
    >>> moorings.count()
    0
    """

    __slots__ = ()

    def __repr__(self) -> str:
        return "passing_through"


passing_through = Passing()


_FRESH: dict[type, Callable[[Any], Any]] = {
    cls: cls.copy
    for cls in (
        list,
        dict,
        set,
        bytearray,
        collections.deque,
        collections.defaultdict,
        collections.OrderedDict,
        collections.Counter,
    )
} | {GivenRows: GivenRows.result}
"""Containers of which each call gets a copy of its own; the records in them stay the test's."""


def _fresh(item: object, call: LiveCall) -> Any:
    """A copy of a container; an attribute holds what it has, and gives it itself."""
    copy = None if type(call.target) is AttributeTarget else _FRESH.get(type(item))
    return item if copy is None else copy(item)


def _calls_in_a_row(call: LiveCall) -> int:
    """How many calls of its method are the last of the ledger; those that only let time pass do not
    count as others.
    """
    target, limit = call.target, call.target.desk.settings.repeat_limit
    found = 0
    for earlier in reversed(target.desk.ledger):
        if earlier.target is target:
            found += 1
        elif not getattr(earlier.answered_by, "is_waiting", False):
            break
        if found > limit:
            break
    return found


class Values:
    """Values in turn."""

    def __init__(
        self, items: tuple[Any, ...], when_spent: WhenSpent, *, is_raises: bool = False
    ) -> None:
        self.items = [item for given in items for item in _spread(given)]
        self.is_raises = is_raises
        """Whether it was written `.raises(…)`."""
        self.when_spent = when_spent
        self._has_containers = any(type(item) in _FRESH for item in self.items)
        self._look_again_at = 0
        if len(self.items) == 1 and type(self.items[0]) is not Raising and when_spent != "refuse":
            # by far the most cues
            only = self.items[0]
            if not self._has_containers:
                self.give = lambda call, turn: only  # type: ignore[method-assign]

    def give(self, call: LiveCall, turn: int) -> Any:
        """The value whose turn it is."""
        if turn >= len(self.items):
            turn = self._past_the_end(call, turn)
        item = self.items[turn]
        if type(item) is Raising:
            return item.throw()
        return _fresh(item, call) if self._has_containers else item

    def passes(self, call: LiveCall, turn: int) -> bool:
        """Whether this turn's call goes on as without the cue."""
        if turn >= len(self.items):
            turn = self._past_the_end(call, turn)
        return self.items[turn] is passing_through

    def _past_the_end(self, call: LiveCall, turn: int) -> int:
        if self.when_spent == "refuse":
            raise RepliesSpent(
                f"{call.target.name} was called once more than {self!r} has values: "
                f"{len(self.items)}"
            )
        if self.when_spent == "cycle":
            return turn % len(self.items)
        over = turn - len(self.items)
        if over >= self._look_again_at:
            self._stop_endless(call, over)
        return -1

    def _stop_endless(self, call: LiveCall, over: int) -> None:
        """Stop a loop that waits for another value than the last; it would wait for ever.

        It is looked for only when the calls since the last value suffice for a loop.
        """
        limit = call.target.desk.settings.repeat_limit
        run = min(_calls_in_a_row(call), over + 1)
        self._look_again_at = over + limit - run + 1
        if run > limit:
            target = call.target
            raise EndlessCalls(
                f"{target.name} was {target.done} {limit:,} times in a row after its last value, "
                f"and got that again each time: a loop that never ends?\n  {call.answered_by}\n"
                f"Give it the value that ends the loop, or allow more: "
                f"Shelf(repeat_limit={limit * 10:_})"
            )

    def __repr__(self) -> str:
        if self.is_raises:
            return f"raises({self.items[0].shown})"
        spent = "" if self.when_spent == "repeat" else f", when_spent={self.when_spent!r}"
        more = ", …" if len(self.items) > 4 else ""
        return f"gives({', '.join(show(item, 40) for item in self.items[:4])}{more}{spent})"


def _spread(item: object) -> list[Any]:
    return [item] * item.times if type(item) is Raising else [item]


class PassedThrough:
    """As without this cue, each time."""

    def give(self, call: LiveCall, turn: int) -> Any:  # noqa: ARG002
        """Never asked: the call passes by."""
        return NO_REPLY

    def passes(self, call: LiveCall, turn: int) -> bool:  # noqa: ARG002
        """Always."""
        return True

    def __repr__(self) -> str:
        return "passes_through()"


def own_code(call: LiveCall) -> Any:
    """An answerer: the interface's own code, run on the fake, for a call that a cue let pass."""
    target = call.target
    member = target.member
    is_constant = member.kind == "attribute" and member.default is not NO_DEFAULT
    if not call.passed or not (target.has_code or is_constant):
        return NO_REPLY
    call.answered_by = call.passed[-1]
    if is_constant:
        return member.default
    first = {"instance": (target.state.fake,), "class": (member.owner,), "static": ()}
    function = partial(member.function, *first[member.binding])
    return awaited_if_due(target, target.call(function, call.live))


class Streamed:
    """A fresh stream of items for each call."""

    def __init__(self, items: tuple[Any, ...], stream: str) -> None:
        self._items = [item for given in items for item in _spread(given)]
        self._stream = stream

    def give(self, call: LiveCall, turn: int) -> Any:  # noqa: ARG002
        """A stream that begins at once."""
        return self.give_after(0.0, call)

    def give_after(self, delay: float, call: LiveCall) -> Any:
        """An iterator that notes how many of its items were taken; it waits before the first."""
        call.taken = 0
        stream = self._later if self._stream == "async" else self._now
        return stream(delay, call)

    def _now(self, delay: float, call: LiveCall) -> Iterator[Any]:
        if delay:
            time.sleep(delay)
        for item in self._items:
            yield self._take(item, call)

    async def _later(self, delay: float, call: LiveCall) -> AsyncIterator[Any]:
        if delay:
            from urnshelf.calls.waiting import slept  # few wait

            await slept(delay)
        for item in self._items:
            yield self._take(item, call)

    @staticmethod
    def _take(item: object, call: LiveCall) -> Any:
        if type(item) is Raising:
            item.throw()
        call.taken = (call.taken or 0) + 1
        return item

    def __repr__(self) -> str:
        more = ", …" if len(self._items) > 4 else ""
        return f"streams({', '.join(show(item, 40) for item in self._items[:4])}{more})"


def awaited_if_due(target: Target, result: object) -> Any:
    """A coroutine from user code is awaited where the method promises an awaited value."""
    if target.promise.awaited and inspect.isawaitable(result):
        return Pending(result)
    return result
