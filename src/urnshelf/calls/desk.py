"""The desk takes every call: enters it in the ledger, asks the answerers in order, notes the reply."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from types import CodeType, FrameType
from typing import Any

from urnshelf.calls.ledger import NO_REPLY, Call, Calls, Entry, Outcome
from urnshelf.calls.place import locate
from urnshelf.calls.replies import LiveCall, Pending
from urnshelf.calls.target import Target
from urnshelf.calls.wording import hidden_refusals, spent_text, unanswered
from urnshelf.errors import CueRefused, RefusalHidden, RepliesSpent, UnansweredCall
from urnshelf.records.copies import keep_each

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Answerer = Callable[[LiveCall], Any]


class Desk:
    """Where the calls of one shelf's fakes are taken.

    Args:
        answerers: functions that reply to a call or return `NO_REPLY`; the first with a reply answers.
        check_replies: whether cues check their values against the promised type.
        unread: tells, for the message of a refusal, why a call was not answered as a store operation.
    """

    def __init__(
        self,
        answerers: Sequence[Answerer],
        check_replies: bool = True,
        unread: Callable[[LiveCall], str] = lambda _: "",
    ) -> None:
        self.answerers = tuple(answerers)
        self.check_replies = check_replies
        self.unread = unread
        self.ledger: list[Entry] = []
        self.cues: list[Any] = []
        """Every cue set, in order, also those that have no reply yet."""
        self.looked_at: set[int] = set()
        self.last_look: Any = None
        """The tally or look evaluated last; a failing assertion is nearly always about it."""
        self._refusals: list[Exception] = []
        self.lock = threading.Lock()

    def take(self, target: Target, live: tuple[Any, ...], frame: FrameType) -> Any:
        """Answer a call of a plain method; for one that promises an awaitable, give a coroutine that answers it."""
        code, offset = locate(frame)
        if target.member.promise.awaited:
            return self.take_awaited(target, live, code, offset)
        call = self._enter(target, live, code, offset)
        try:
            reply = self._answer(call)
        except BaseException as error:
            call.outcome.error = error
            raise
        call.outcome.reply = reply
        return reply

    async def take_awaited(self, target: Target, live: tuple[Any, ...], code: CodeType, offset: int) -> Any:
        """Answer a call whose reply is awaited; it is entered when first awaited."""
        call = self._enter(target, live, code, offset)
        call.outcome.task = _current_task()
        try:
            reply = self._answer(call)
            if type(reply) is Pending:
                reply = await reply.awaitable
        except BaseException as error:
            call.outcome.error = error
            raise
        call.outcome.reply = reply
        return reply

    def calls(self, chosen: Callable[[Entry], bool] = lambda _: True) -> list[Call]:
        """The calls so far that are chosen, in order."""
        return [Call(entry, number) for number, entry in enumerate(list(self.ledger), 1) if chosen(entry)]

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
            del self._refusals[before:]

    def check_out(self, leaving_with: BaseException | None = None) -> None:
        """Raise what leaving the shelf must not let pass: a hidden refusal, or a cue without a reply.

        Args:
            leaving_with: the exception that ends the test, if any; it is never covered up.
        """
        if leaving_with is not None:
            return
        if self._refusals:
            raise RefusalHidden(hidden_refusals(self._refusals))
        for cue in self.cues:
            if cue.reply is None:
                raise CueRefused(f"{cue} was given no reply: end it with .gives(…), .raises(…) or another reply")

    def let_go(self) -> None:
        """The test is over: undo what holds its objects together.

        They go at once then; the collector of circles would take as long for them as the test itself took.
        """
        for cue in self.cues:
            cue.target.cues, cue.target.newest, cue.outcome = (), None, None
        self.answerers, self.unread, self.last_look = (), lambda _: "", None
        self.cues, self.ledger[:] = [], []

    def _enter(self, target: Target, live: tuple[Any, ...], code: CodeType, offset: int) -> LiveCall:
        outcome = Outcome(target)
        self.ledger.append((outcome, code, offset, *keep_each(live)))
        return LiveCall(target, live, outcome)

    def _answer(self, call: LiveCall) -> Any:
        try:
            for answerer in self.answerers:
                reply = answerer(call)
                if reply is not NO_REPLY:
                    return reply
        except RepliesSpent as spent:
            told = RepliesSpent(spent_text(str(spent), self._find(call)))
            self.note_refusal(told)
            raise told from None
        refusal = UnansweredCall(unanswered(self._find(call), self.unread(call)))
        self.note_refusal(refusal)
        raise refusal

    def _find(self, call: LiveCall) -> Call:
        return self.calls(lambda entry: entry[0] is call.outcome)[0]


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
