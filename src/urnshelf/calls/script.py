"""The script: the lines that cues write, each with its test of the arguments and its reply; the
first answerer.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from types import CodeType
from typing import TYPE_CHECKING, Any

from urnshelf.calls.asking import Asked
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.place import Place, place_of
from urnshelf.calls.replies import Pending, Reply, Values, passing_through
from urnshelf.calls.target import NOTHING
from urnshelf.records.display import show
from urnshelf.records.equality import is_exact, same
from urnshelf.records.matchers import whatever

if TYPE_CHECKING:
    from urnshelf.calls.target import Target


class Line:
    """One line of a target's script: the arguments that it wants, and its reply.

    Args:
        asked: where it was set, and the arguments that it wants.
        set_at: the user's code.
    """

    __slots__ = (
        "_set_at",
        "asked",
        "delay",
        "dropped",
        "expected",
        "fits",
        "give",
        "limit",
        "passes",
        "reply",
        "target",
        "turns",
    )

    def __init__(self, asked: Asked, set_at: tuple[CodeType, int]) -> None:
        self.asked = asked
        """What it is about."""
        self.target: Target = asked.target
        self.expect(asked.expected)
        self.reply: Reply | None = None
        self.give: Callable[[LiveCall, int], Any] = _unfinished
        """The reply to a call, and the number of its turn."""
        self.passes: Callable[[LiveCall, int], bool] | None = None
        """Whether a call goes on as without the line; None for lines that never let one pass."""
        self.delay = 0.0
        self.dropped = 0
        """How many of the calls that it served the ledger keeps no more."""
        self.limit: int | None = None
        self._set_at = set_at
        self.turns = count()
        """The numbers of the turns. To count on is one atomic step, and needs no lock."""

    def expect(self, expected: tuple[Any, ...] | None) -> None:
        """Want these arguments; None for any."""
        self.asked.expected = expected
        self.expected: tuple[Any, ...] | None = expected
        self.fits: Callable[[tuple[Any, ...]], bool] | None = _test_of_all(expected or ())
        """Whether a call's arguments are those wanted; None where any will do."""

    def answer_with(self, reply: Reply) -> None:
        """Finish the line: from now on it answers."""
        self.reply = reply
        may_pass = not isinstance(reply, Values) or any(
            item is passing_through for item in reply.items
        )
        self.passes = getattr(reply, "passes", None) if may_pass else None
        self.arrange()
        with self.target.desk.lock:
            # a new tuple, so that a call on another thread goes through either the old or the new
            self.target.cues = (self, *self.target.cues)

    def arrange(self) -> None:
        """Hold ready what a call needs: a reply that waits is another function than one that does
        not.
        """
        if self.reply is None:
            return
        if not self.delay:
            self.give = self.reply.give
        elif hasattr(self.reply, "give_after"):
            self.give = self._after_a_wait
        else:
            self.give = (
                self._later if self.target.promise.awaited else self._after_a_wait_of_its_own
            )

    def _after_a_wait(self, call: LiveCall, turn: int) -> Any:  # noqa: ARG002
        reply: Any = self.reply
        return reply.give_after(self.delay, call)

    def _after_a_wait_of_its_own(self, call: LiveCall, turn: int) -> Any:
        self.target.wait(call, self.delay)
        return self.reply.give(call, turn) if self.reply else None

    def _later(self, call: LiveCall, turn: int) -> Any:
        return Pending(self._served_later(call, turn))

    async def _served_later(self, call: LiveCall, turn: int) -> Any:
        from urnshelf.calls.waiting import slept  # few wait

        await slept(self.delay)
        reply = self.reply.give(call, turn) if self.reply else None
        return await reply.awaitable if type(reply) is Pending else reply

    def covers(self, other: Line) -> bool:
        """Whether it takes every call that the other would take."""
        if self.expected is None:
            return True
        if other.expected is None:
            # the other takes any call, so only what takes any call covers it
            return all(wanted is whatever for wanted in self.expected)
        pairs = zip(self.expected, other.expected, strict=True)
        return all(wanted is whatever or same(wanted, theirs) for wanted, theirs in pairs)

    @property
    def place(self) -> Place:
        """Where it was set."""
        return place_of(*self._set_at)

    @property
    def served(self) -> int:
        """How many calls it answered."""
        ledger = self.target.desk.ledger
        # by which object it is: lines are not compared
        return self.dropped + sum(
            call.answered_by is self or id(self) in map(id, call.passed) for call in ledger
        )

    @property
    def is_spent(self) -> bool:
        """Whether it has served all the calls that it was set for."""
        return self.limit is not None and self.served >= self.limit

    @property
    def hidden_by(self) -> Line | None:
        """The newer line that leaves no call to this one, if there is one."""
        if self not in self.target.cues:
            return None
        # the newest comes first; one that steps aside after some calls hides nothing
        newer = self.target.cues[: self.target.cues.index(self)]
        return next((line for line in newer if line.limit is None and line.covers(self)), None)

    def let_go(self) -> None:
        """The test is over: hold nothing together any more."""
        self.target.cues = ()
        self.give = _unfinished

    def __repr__(self) -> str:
        written = ", ".join([self.asked.method, *self.asked.arguments])
        asks = self.asked.more
        reply = "" if self.reply is None else f".{self.reply!r}"
        waits = f".waits({self.delay:g})" if self.delay else ""
        limit = f".for_calls({self.limit})" if self.limit else ""
        return f"cue({written}){asks}{reply}{waits}{limit}"


class AssignedLine(Line):
    """What the code under test assigned to an attribute: read back until it is cued anew."""

    __slots__ = ("_value",)

    def __init__(self, target: Target, value: object, place: tuple[CodeType, int]) -> None:
        super().__init__(Asked(target), place)
        self._value = value
        self.give = lambda call, turn: value

    def __repr__(self) -> str:
        return f"{self.target.name} = {show(self._value, 60)}, assigned at {self.place}"


class ConstantLine(Line):
    """What stands in the class for every object of it, behind all that was said of this one."""

    __slots__ = ()

    def __init__(self, target: Target) -> None:
        super().__init__(Asked(target), _NOWHERE)
        constant = target.member.default
        self.give = lambda call, turn: constant
        self.passes = lambda call, turn: call.target.state.behind is not NOTHING

    def __repr__(self) -> str:
        return "the constant of the class"


def _unfinished(_call: LiveCall, _turn: int) -> Any:
    return NO_REPLY


_NOWHERE = (_unfinished.__code__, 0)


def script(call: LiveCall) -> Any:
    """The first answerer: the newest line that fits and has calls left."""
    for line in call.target.cues:
        fits = line.fits
        if fits is None or fits(call.live):
            # counted even where the line has served its calls: two threads must not both be the
            # last
            turn = next(line.turns)
            if line.limit is None or turn < line.limit:
                call.answered_by = line
                if line.passes is None or not line.passes(call, turn):
                    return line.give(call, turn)
                _pass_on(call, line)
    return NO_REPLY


def _pass_on(call: LiveCall, line: Line) -> None:
    """Let the call go on as without the line; what it waits for it waits for now."""
    call.answered_by = None
    call.passed = (*call.passed, line)
    if line.delay:
        call.target.wait(call, line.delay)


def _test_of_all(expected: tuple[Any, ...]) -> Callable[[tuple[Any, ...]], bool] | None:
    """The test of a call's arguments, made once; None where any will do."""
    exact: list[tuple[int, type, Any]] = []
    others: list[tuple[int, Any]] = []
    for index, wanted in enumerate(expected):
        if wanted is whatever:
            continue
        if _is_exact(wanted):
            exact.append((index, type(wanted), wanted))
        else:
            others.append((index, wanted))
    if not exact and not others:
        return None

    def fits(live: tuple[Any, ...]) -> bool:
        for index, cls, wanted in exact:
            value = live[index]
            # of its own type `==` is the one equality and quick; for others `same` knows what
            # counts
            if type(value) is cls:
                if value is not wanted and value != wanted:
                    return False
            elif not same(wanted, value):
                return False
        return not others or all(same(wanted, live[index]) for index, wanted in others)

    return fits


def _is_exact(wanted: object) -> bool:
    """Whether its own `==` is the one equality among values of its type; a NaN's is not."""
    cls = type(wanted)
    try:
        return is_exact(cls) and bool(wanted == wanted)
    except TypeError:  # a class that cannot be hashed
        return False
