"""The desk takes every call: enters it in the ledger, asks the answerers in order, notes the
reply.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Coroutine, Iterator, Sequence
from contextlib import contextmanager
from types import CodeType, FrameType
from typing import TYPE_CHECKING, Any

from urnshelf.calls.ledger import NO_REPLY, Call, Calls, Entry, LiveCall
from urnshelf.calls.place import YOURS, locate
from urnshelf.calls.replies import Pending
from urnshelf.calls.target import Target
from urnshelf.calls.wording import Unanswered, hidden_refusals
from urnshelf.errors import CueRefused, RefusalHidden, RepliesSpent, UnansweredCall
from urnshelf.records.copies import PLAIN, keep_each

if TYPE_CHECKING:
    from urnshelf.calls.cue import Cue
    from urnshelf.calls.tally import Tally

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Answerer = Callable[[LiveCall], Any]


class Desk:
    """Where the calls of one shelf's fakes are taken.

    Args:
        answerers: functions that reply to a call or return `NO_REPLY`; the first with a reply
            answers.
        check_replies: whether cues check their values against the promised type.
        unread: tells, for the message of a refusal, why a call was not answered as a store
            operation.
    """

    def __init__(
        self,
        answerers: Sequence[Answerer],
        check_replies: bool = True,
        unread: Callable[[LiveCall], Unanswered] = lambda _: Unanswered(),
    ) -> None:
        self.answerers = tuple(answerers)
        self.check_replies = check_replies
        self.unread = unread
        self.ledger: list[Entry] = []
        self.cues: list[Cue[..., Any]] = []
        """Every cue set, in order, also those that have no reply yet."""
        self.looked_at: set[int] = set()
        self.last_look: Tally | Calls | None = None
        """The tally or look evaluated last; a failing assertion is nearly always about it."""
        self._refusals: list[Exception] = []
        self.lock = threading.Lock()

    def put_before(self, answerer: Answerer) -> None:
        """Ask this answerer before all others: for the rooms above that run a service with replies
        of their own.
        """
        self.answerers = (answerer, *self.answerers)

    def put_next(self, earlier: Answerer, answerer: Answerer) -> None:
        """Ask this answerer right after another; once, however often it is said."""
        if answerer not in self.answerers:
            place = self.answerers.index(earlier) + 1
            self.answerers = (*self.answerers[:place], answerer, *self.answerers[place:])

    def put_after(self, answerer: Answerer) -> None:
        """Ask this answerer last, before the call is refused."""
        self.answerers = (*self.answerers, answerer)

    def take(self, target: Target, live: tuple[Any, ...], frame: FrameType) -> Any:
        """Answer a call.

        Args:
            target: what it is addressed to.
            live: the caller's own arguments, in the order of the parameters.
            frame: the caller's.
        """
        code = frame.f_code
        offset = frame.f_lasti
        if code is not target.caller:  # code that called before is known to be the user's
            code, offset = locate(frame)
            target.caller = frame.f_code if frame.f_code.co_filename in YOURS else None
        call = LiveCall(target, live)
        kept = live
        try:
            # most calls have nothing that could change: then the caller's tuple itself is kept
            for value in live:
                if type(value) not in PLAIN:
                    kept = keep_each(live)
                    break
        except TypeError:  # a class that cannot be hashed
            pass
        # entered before it is answered, so that a call which raises or never returns is there,
        # too
        self.ledger.append((call, code, offset, *kept))
        try:
            for answerer in self.answerers:
                reply = answerer(call)
                if reply is not NO_REPLY:
                    call.reply = reply
                    return reply
            raise self._refusal(call)
        except BaseException as error:
            call.error = worded = self._worded(call, error)
            if worded is error:
                raise
            # the cause would show our machinery to a reader who wants his own
            raise worded from None
        finally:
            # the ledger has its copies; to hold the caller's objects would keep them alive for
            # the test
            call.live = ()

    def take_later(
        self, target: Target, live: tuple[Any, ...], frame: FrameType
    ) -> Coroutine[Any, Any, Any]:
        """A coroutine that answers a call; the call is entered when that is first awaited."""
        coroutine: Any = self._take_awaited(target, live, *locate(frame))
        coroutine.__name__ = coroutine.__qualname__ = (
            target.name
        )  # for Python's warning when nobody awaits it
        return coroutine  # type: ignore[no-any-return]

    async def _take_awaited(
        self, target: Target, live: tuple[Any, ...], code: CodeType, offset: int
    ) -> Any:
        call = LiveCall(target, live)
        call.task = _current_task()
        self.ledger.append((call, code, offset, *keep_each(live)))
        try:
            for answerer in self.answerers:
                reply = answerer(call)
                if reply is not NO_REPLY:
                    if call.delay:
                        await _slept(call.delay)
                    call.reply = await reply.awaitable if type(reply) is Pending else reply
                    return call.reply
            raise self._refusal(call)
        except BaseException as error:
            call.error = worded = self._worded(call, error)
            if worded is error:
                raise
            raise worded from None
        finally:
            call.live = ()

    def calls(self, chosen: Callable[[Entry], bool] = lambda _: True) -> list[Call]:
        """The calls so far that are chosen, in order."""
        return [
            Call(entry, number)
            # a copy: other threads may go on calling
            for number, entry in enumerate(list(self.ledger), 1)
            if chosen(entry)
        ]

    def look_at(self, calls: list[Call], what: str) -> Calls:
        """Note that these calls were looked at."""
        self.looked_at.update(call.number for call in calls)
        return Calls(calls, what)

    def note_refusal(self, error: Exception) -> None:
        """Remember a refusal, so that nothing can hide it."""
        self._refusals.append(error)

    @property
    def refusals(self) -> list[Exception]:
        """The refusals so far that nobody expected."""
        return list(self._refusals)

    @contextmanager
    def refusals_expected(self) -> Iterator[None]:
        """Refusals inside this block are wanted: they are forgotten at its end."""
        before = len(self._refusals)
        try:
            yield
        finally:
            # only those of the block: one that was hidden before it still fails the test
            del self._refusals[before:]

    def check_out(self, leaving_with: BaseException | None = None) -> None:
        """Raise what leaving the shelf must not let pass: a hidden refusal, or a cue without a
        reply.

        Args:
            leaving_with: the exception that ends the test, if any; it is never covered up.
        """
        if leaving_with is not None:
            return
        if self._refusals:
            raise RefusalHidden(hidden_refusals(self._refusals))
        for cue in self.cues:
            if cue._line.reply is None:
                raise CueRefused(
                    f"{cue} was given no reply: end it with .gives(…), .raises(…) or another reply"
                )

    def let_go(self) -> None:
        """The test is over: undo what holds its objects together.

        They go at once then; the collector of circles would take as long for them as the test
        itself took.
        """
        for cue in self.cues:
            cue._line.let_go()
        self.answerers, self.unread, self.last_look = (), lambda _: Unanswered(), None
        self.cues, self.ledger[:] = [], []

    def _refusal(self, call: LiveCall) -> UnansweredCall:
        from urnshelf.calls.refusing import unanswered  # few calls are refused

        refusal = UnansweredCall(unanswered(self._find(call), self.unread(call)))
        self.note_refusal(refusal)
        return refusal

    def _worded(self, call: LiveCall, error: BaseException) -> BaseException:
        """The error that the caller gets: that of a cue whose values are spent says where the call
        came from.
        """
        if type(error) is not RepliesSpent or call.answered_by is None or error in self._refusals:
            return error
        from urnshelf.calls.refusing import spent_text

        worded = RepliesSpent(spent_text(str(error), self._find(call)))
        self.note_refusal(worded)
        return worded

    def _find(self, call: LiveCall) -> Call:
        return self.calls(lambda entry: entry[0] is call)[0]


async def _slept(seconds: float) -> None:
    from asyncio import sleep

    await sleep(seconds)


def _current_task() -> str:
    asyncio = sys.modules.get("asyncio")
    try:
        task = asyncio.current_task() if asyncio else None
    except RuntimeError:  # awaited by another event loop than asyncio's
        task = None
    if task is None:
        return ""
    coroutine = task.get_coro()
    return f"task {task.get_name()!r} running {getattr(coroutine, '__qualname__', coroutine)}"
