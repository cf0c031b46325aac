"""The desk takes every call: enters it in the ledger, asks the answerers in order, notes the
reply.
"""

from __future__ import annotations

import sys
import threading
from collections import Counter
from collections.abc import Callable, Coroutine, Mapping, Sequence
from types import FrameType
from typing import TYPE_CHECKING, Any

from urnshelf.calls.ledger import NO_REPLY, WITHIN, Call, LiveCall
from urnshelf.calls.place import YOURS, locate, place_of
from urnshelf.calls.refusals import Refusals
from urnshelf.calls.replies import Pending
from urnshelf.calls.script import script
from urnshelf.calls.settings import USUAL, Settings
from urnshelf.calls.taken import Calls
from urnshelf.calls.target import FakeState, Target
from urnshelf.calls.wording import Unanswered, hidden_refusals, never_awaited, unused_text
from urnshelf.errors import (
    CueRefused,
    EndlessCalls,
    RefusalHidden,
    RepliesSpent,
    ReplyRefused,
    SwapRefused,
    UnansweredCall,
)
from urnshelf.records.copies import PLAIN, keep_each

if TYPE_CHECKING:
    from urnshelf.calls.cue import Cue
    from urnshelf.calls.tally import Tally

Answerer = Callable[[LiveCall], Any]
_OURS = frozenset({RepliesSpent, ReplyRefused, EndlessCalls})
"""What answerers raise that must not be hidden; other errors are replies."""


class Desk:
    """Where the calls of one shelf's fakes are taken.

    Args:
        answerers: functions that reply to a call or return `NO_REPLY`; the first with a reply
            answers.
        settings: what the shelf was told.
        unread: tells, for the message of a refusal, why a call was not answered as a store
            operation.
        looks_up: tells whether a method that a cue answers, or a lesson, would only look something
            up.
    """

    def __init__(
        self,
        answerers: Sequence[Answerer],
        settings: Settings = USUAL,
        unread: Callable[[LiveCall], Unanswered] = lambda _: Unanswered(),
        looks_up: Callable[[Target], bool] = lambda _: False,
    ) -> None:
        self._ask(answerers)
        self.settings = settings
        self.unread = unread
        self.looks_up = looks_up
        self.ledger: list[LiveCall] = []
        self.unawaited: dict[LiveCall, None] = {}
        """Calls that were made and not awaited yet, in order."""
        self.furnished: list[FakeState] = []
        """The fakes that services were built with, in order."""
        self.given: set[FakeState] = set()
        """Those that a test itself gave to a service."""
        self.cues: list[Cue[..., Any]] = []
        """Every cue set, in order, also those that have no reply yet."""
        self.cues_before = 0
        """How many of them were set before the test itself began."""
        self.looked_at: set[int] = set()
        self.last_look: Tally | Calls | None = None
        """The tally or look evaluated last; a failing assertion is nearly always about it."""
        self.refusals = Refusals(settings.refusal_limit)
        self.at_end: list[Callable[[], None]] = []
        """What is done when the shelf is left, and nothing failed."""
        self.unentered: Mapping[Any, None] = {}
        """The blocks that were made and not entered."""
        self.has_lessons = False
        """Whether any method was taught."""
        self._forgotten = 0
        self.dropped: Counter[Target] = Counter()
        """How many calls of each target the ledger keeps no more, of those that nobody forgot."""
        self.used_before: set[FakeState] = set()
        """The fakes that had calls which are dropped."""
        self._gone = 0
        """How many calls were dropped at all: their numbers are not given again."""
        self.lock = threading.Lock()

    def _ask(self, answerers: Sequence[Answerer]) -> None:
        """Ask these, in this order; the script only where there are cues."""
        self.answerers = tuple(answerers)
        self._uncued = tuple(one for one in answerers if one is not script)

    def put_before(self, answerer: Answerer) -> None:
        """Ask this answerer before all others: for the rooms above that run a service with replies
        of their own.
        """
        self._ask((answerer, *self.answerers))

    def put_next(self, earlier: Answerer, answerer: Answerer) -> None:
        """Ask this answerer right after another; once, however often it is said."""
        if answerer not in self.answerers:
            place = self.answerers.index(earlier) + 1
            self._ask((*self.answerers[:place], answerer, *self.answerers[place:]))

    def put_after(self, answerer: Answerer) -> None:
        """Ask this answerer last, before the call is refused."""
        self._ask((*self.answerers, answerer))

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
        call = LiveCall()
        call.target = target
        call.live = call.kept = live
        call.code = code
        call.offset = offset
        if self.has_lessons:
            call.within = WITHIN.get()
        try:
            # most calls have nothing that could change: then the caller's tuple itself is kept
            for value in live:
                if type(value) not in PLAIN:
                    call.kept = keep_each(live)
                    break
        except TypeError:  # a class that cannot be hashed
            pass
        # entered before it is answered, so that a call which raises or never returns is there,
        # too
        self.ledger.append(call)
        try:
            for answerer in self.answerers if target.cues else self._uncued:
                reply = answerer(call)
                if reply is not NO_REPLY:
                    call.reply = reply
                    return reply
            raise self.refusal(call)
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
        call = LiveCall()
        call.target = target
        call.live = live
        call.code, call.offset = locate(frame)
        self.unawaited[call] = None
        coroutine: Any = self._take_awaited(call)
        coroutine.__name__ = coroutine.__qualname__ = (
            target.name
        )  # for Python's warning when nobody awaits it
        return coroutine  # type: ignore[no-any-return]

    async def _take_awaited(self, call: LiveCall) -> Any:
        self.unawaited.pop(call, None)
        call.task = _current_task()
        if self.has_lessons:
            call.within = WITHIN.get()
        call.kept = keep_each(call.live)
        self.ledger.append(call)
        try:
            for answerer in self.answerers if call.target.cues else self._uncued:
                reply = answerer(call)
                if reply is not NO_REPLY:
                    if call.delay:
                        from urnshelf.calls.waiting import slept  # few wait

                        await slept(call.delay)
                    call.reply = await reply.awaitable if type(reply) is Pending else reply
                    return call.reply
            raise self.refusal(call)
        except BaseException as error:
            call.error = worded = self._worded(call, error)
            if worded is error:
                raise
            raise worded from None
        finally:
            call.live = ()

    def calls(self, chosen: Callable[[LiveCall], bool] = lambda _: True) -> list[Call]:
        """The calls so far that are chosen and not forgotten, in order."""
        return self.calls_after(0, chosen)

    def calls_after(
        self, number: int, chosen: Callable[[LiveCall], bool] = lambda _: True
    ) -> list[Call]:
        """Those of them that came after the one with this number."""
        # a copy: other threads may go on calling
        first = max(self._forgotten, self._gone, number)
        return [
            Call(live, number)
            for number, live in enumerate(self.ledger[first - self._gone :], first + 1)
            if chosen(live)
        ]

    @property
    def count(self) -> int:
        """The number of the last call."""
        return len(self.ledger) + self._gone

    def drop_oldest(self) -> None:
        """Keep the ledger as large as the settings say: what more comes, the oldest calls go."""
        most = self.settings.ledger_size
        # not one at a time: each time the others move
        if len(self.ledger) > most + most // 4:
            self.keep_last(most)

    def keep_last(self, most: int) -> None:
        """Keep so many calls, and drop the others."""
        with self.lock:
            oldest = self.ledger[: len(self.ledger) - most]
            for number, call in enumerate(oldest, self._gone):
                self.used_before.add(call.target.state)
                self.dropped[call.target] += number >= self._forgotten
                for line in (call.answered_by, *call.passed):
                    if hasattr(line, "dropped"):
                        line.dropped += 1
            self._gone += len(oldest)
            del self.ledger[: len(oldest)]

    def forget_calls(self) -> None:
        """What was called until now counts no more. It stays in the book, for cues count what they
        served.
        """
        self._forgotten = self.count
        self.dropped.clear()
        self.unawaited.clear()

    def look_at(self, calls: list[Call], what: str) -> Calls:
        """Note that these calls were looked at."""
        self.looked_at.update(call.number for call in calls)
        return Calls(calls, what, self)

    @property
    def is_in_use(self) -> bool:
        """Whether anything was called or cued."""
        return bool(self.ledger or self.cues)

    def unawaited_text(self, target: Target) -> str:
        """What to say of the calls of a method that were made and not awaited; empty where there
        are none.
        """
        made = [call for call in list(self.unawaited) if call.target is target]
        return never_awaited([place_of(call.code, call.offset) for call in made], target.name)

    def is_handed_over(self, state: FakeState) -> bool:
        """Whether a service was built with the fake."""
        return state in self.given or state in self.furnished

    def own_unused_cues(self) -> list[Cue[..., Any]]:
        """The cues of the test itself that answered no call."""
        return [cue for cue in self.cues[self.cues_before :] if not cue.used]

    def check_out(self, leaving_with: BaseException | None = None) -> None:
        """Raise what leaving the shelf must not let pass: a hidden refusal, a cue without a reply,
        and, where the settings say so, one that was never used. Nothing is told twice.

        Args:
            leaving_with: the exception that ends the test, if any; it is never covered up.
        """
        refused = self.refusals.untold()
        unfinished = [cue for cue in self.cues if cue._line.reply is None]
        self.cues = [cue for cue in self.cues if cue._line.reply is not None]
        if leaving_with is not None:
            return
        if refused:
            raise RefusalHidden(hidden_refusals(refused))
        if unfinished:
            raise CueRefused(
                f"{unfinished[0]} was given no reply: end it with .gives(…), .raises(…) or another "
                "reply"
            )
        if self.unentered:
            block = next(iter(self.unentered))
            raise SwapRefused(
                f"{block} was never entered, so nothing was swapped: write `with {block}:`, or "
                "without a block shelf.swap(…)"
            )
        unused = self.own_unused_cues() if self.settings.unused_cues == "refuse" else []
        if unused:
            self.cues_before = len(self.cues)
            advice = "Take them out, or let them be: unused_cues='tell'"
            raise CueRefused(f"{unused_text(unused)}\n\n{advice}")
        for act in self.at_end:
            act()

    def let_go(self) -> None:
        """The test is over: undo what holds its objects together.

        They go at once then; the collector of circles would take as long for them as the test
        itself took.
        """
        for cue in self.cues:
            cue._line.let_go()
        self.answerers = self._uncued = ()
        self.unread, self.last_look = lambda _: Unanswered(), None
        self.cues, self.ledger[:], self.furnished = [], [], []
        self.looks_up = lambda _: False
        self.unawaited.clear()
        self.given.clear()
        self.at_end.clear()

    def refusal(self, call: LiveCall, text: str = "") -> UnansweredCall:
        """The refusal of a call, noted.

        Args:
            call: in the ledger.
            text: what it says, where who refused knows better.
        """
        from urnshelf.calls.refusing import unanswered  # few calls are refused

        refusal = UnansweredCall(text or unanswered(self._find(call), self.unread(call)))
        self.refusals.note(refusal, call.target)
        return refusal

    def _worded(self, call: LiveCall, error: BaseException) -> BaseException:
        """The error that the caller gets: one of ours says where the call came from, and is noted,
        so that nothing hides it.
        """
        is_ours = type(error) in _OURS and call.answered_by is not None
        if not is_ours or getattr(error, "is_told", False):
            return error  # of a fake that a reply's own function called, it was told there
        from urnshelf.calls.refusing import spent_text

        worded: Any = error
        if type(error) is RepliesSpent:
            worded = RepliesSpent(spent_text(str(error), self._find(call)))
        worded.is_told = True
        self.refusals.note(worded, call.target)
        return worded  # type: ignore[no-any-return]

    def _find(self, call: LiveCall) -> Call:
        return self.calls(lambda live: live is call)[0]


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
