"""What the probes note while rewritten code runs."""

from __future__ import annotations

import operator
from collections.abc import AsyncIterator, Callable, Iterator, Sequence
from typing import Any, NamedTuple

from urnshelf.drafting.decisions import ORDERINGS, Decision, Way
from urnshelf.drafting.values import are_equal

_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "Eq": operator.eq,
    "NotEq": operator.ne,
    "Lt": operator.lt,
    "LtE": operator.le,
    "Gt": operator.gt,
    "GtE": operator.ge,
    "Is": operator.is_,
    "IsNot": operator.is_not,
    "In": lambda one, many: one in many,
    "NotIn": lambda one, many: one not in many,
}
MOST_STEPS = 20_000
_MOST_KEPT = 60
"""Of operands at one place, and of hints in one run."""


class NeverEnds(BaseException):
    """So many steps were taken that the code will hardly ever end; no `except` of its own stops
    it."""


class Hint(NamedTuple):
    """An argument that tells what a value should hold.

    Args:
        name: of the method: `startswith`, `strptime`, `item` …
        subject: what it was called on.
        given: its arguments.
        failed: whether it raised.
    """

    name: str
    subject: Any
    given: tuple[Any, ...]
    failed: bool


class Notes:
    """What one run took, in order."""

    def __init__(self) -> None:
        self.decisions: Sequence[Decision] = ()
        self.clear()

    def clear(self) -> None:
        """Begin anew."""
        self.ways: dict[Way, int] = {}
        """How often each way was taken, in the order of the first time."""
        self.operands: dict[int, list[tuple[Any, Any]]] = {}
        """What was compared at each place; what was looked at alone stands beside None."""
        self.order: list[int] = []
        """The places in the order in which they were first reached."""
        self.hints: list[Hint] = []
        self.steps = 0

    # --- called by the rewritten code -------------------------------------------------------------

    def _took(self, site: int, outcome: bool | int | str) -> None:
        self.step(None)
        way = Way(site, outcome)
        self.ways[way] = self.ways.get(way, 0) + 1

    def _noted(self, site: int, one: Any, other: Any) -> None:
        kept = self.operands.setdefault(site, [])
        if len(kept) < _MOST_KEPT:
            kept.append((one, other))

    def step(self, value: Any) -> Any:
        """One more step of code that has no condition."""
        self.steps += 1
        if self.steps > MOST_STEPS:
            raise NeverEnds
        return value

    def took(self, site: int, outcome: int) -> None:
        """A handler, a case, or none of them."""
        self._took(site, outcome)

    def through(self, site: int, value: Any) -> Any:
        """A value is returned out of a `try`."""
        self._took(site, -1)
        return value

    def branch(self, site: int, value: Any) -> Any:
        """A condition that was looked at."""
        is_true = bool(value)
        self._noted(site, value, None)
        self._took(site, is_true)
        return value

    def compared(self, site: int, one: Any, other: Any) -> Any:
        """A comparison."""
        name = self.decisions[site].operator
        self._noted(site, one, other)
        found = _COMPARE[name](one, other)
        self._took(site, bool(found))
        if name in ORDERINGS and are_equal(one, other):
            self._took(site, "edge")
        return found

    def pick(self, site: int, function: Any, one: Any, other: Any) -> Any:
        """The smaller or the larger of two."""
        found = function(one, other)
        self._noted(site, one, other)
        self._took(site, bool(one < other))
        if are_equal(one, other):
            self._took(site, "edge")
        return found

    def subject(self, site: int, value: Any) -> Any:
        """What a `match` looks at."""
        self.step(None)
        self._noted(site, value, None)
        return value

    def loop(self, site: int, items: Any) -> Iterator[Any]:
        """The items of a loop; how many were asked for is noted."""
        return _Rounds(self, site, iter(items))

    def async_loop(self, site: int, items: Any) -> AsyncIterator[Any]:
        """Likewise, of one whose items are awaited."""
        return _AsyncRounds(self, site, items.__aiter__())

    def rounds(self, site: int, number: int) -> None:
        """So many rounds were begun; of none the loop has ended."""
        if number <= 2:
            self._took(site, number)
        else:
            self.step(None)

    def hinted(self, name: str, subject: Any, *given: Any, **named: Any) -> Any:
        """A call of a method that tells what a value should hold."""
        function = getattr(subject, name)
        return self._tried(Hint(name, subject, given, False), function, *given, **named)

    def converted(self, function: Any, value: Any) -> Any:
        """A text made a number."""
        name = getattr(function, "__name__", "")
        return self._tried(Hint(name, value, (), False), function, value)

    def item(self, subject: Any, key: Any) -> Any:
        """An item that is taken by its key."""
        return self._tried(Hint("item", subject, (key,), False), operator.getitem, subject, key)

    def _tried(self, hint: Hint, function: Any, *given: Any, **named: Any) -> Any:
        try:
            value = function(*given, **named)
        except Exception:
            self._hint(hint._replace(failed=True))
            raise
        is_missing = hint.name == "get" and bool(given) and not _holds(hint.subject, given[0])
        self._hint(hint._replace(failed=is_missing))
        return value

    def _hint(self, hint: Hint) -> None:
        if len(self.hints) < _MOST_KEPT:
            self.hints.append(hint)


def _holds(mapping: Any, key: Any) -> bool:
    try:
        return key in mapping
    except TypeError:
        return True


class _Counted:
    """Counts the rounds of a loop.

    Args:
        notes: are told.
        site: the loop.
        items: those of the loop, one after the other.
    """

    def __init__(self, notes: Notes, site: int, items: Any) -> None:
        self._notes = notes
        self._site = site
        self._items = items
        self._count = 0

    def begun(self) -> None:
        """One more round."""
        self._count += 1
        self._notes.rounds(self._site, self._count)

    def ended(self) -> None:
        """There are no more items."""
        if not self._count:
            self._notes.rounds(self._site, 0)


class _Rounds(_Counted):
    def __iter__(self) -> Iterator[Any]:
        return self

    def __next__(self) -> Any:
        try:
            item = next(self._items)
        except StopIteration:
            self.ended()
            raise
        self.begun()
        return item


class _AsyncRounds(_Counted):
    def __aiter__(self) -> AsyncIterator[Any]:
        return self

    async def __anext__(self) -> Any:
        try:
            item = await self._items.__anext__()
        except StopAsyncIteration:
            self.ended()
            raise
        self.begun()
        return item
