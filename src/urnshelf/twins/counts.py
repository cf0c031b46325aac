"""What was exercised, method by method, and how far that goes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from urnshelf.readings.operations import Operation
from urnshelf.twins.surface import NotCompared, Offered
from urnshelf.twins.worlds import Outcome

_NEEDS_A_MISS = frozenset(
    {Operation.REMOVE, Operation.UPDATE, Operation.CHANGE, Operation.VALUE_DELETE,
     Operation.VALUE_POP}
)  # fmt: skip
"""Writes that do something else where nothing is there."""


@dataclass
class Counted:
    """How often a method was called, and what came of it on the real one.

    Attributes:
        method: as `MooringRegister.get`.
        calls: how many.
        hit: look-ups that found something.
        miss: look-ups that found nothing.
        taken: writes that went through.
        raised: calls that raised.
        unanswered: calls that the fake refused, so that they were not compared.
        why: why it is not compared, or what was never seen of it.
        reports: the numbers of the reports that it is part of.
    """

    method: str
    calls: int = 0
    hit: int = 0
    miss: int = 0
    taken: int = 0
    raised: int = 0
    unanswered: int = 0
    why: str = ""
    reports: tuple[int, ...] = ()
    is_look: bool = field(default=False, repr=False)
    shows_a_miss: bool = field(default=False, repr=False)

    @property
    def state(self) -> str:
        """`confirmed`, `differs`, `not compared`, `never exercised`, or how far it goes."""
        if self.reports:
            return "differs"
        if not self.calls:
            return "not compared" if self.why or self.unanswered else "never exercised"
        return "confirmed" if not self.lacking else "in part"

    @property
    def lacking(self) -> str:
        """What was never seen of it; empty where all was."""
        if not self.calls:
            return self.why
        if self.is_look:
            if not self.hit:
                return "it never found anything"
            return "" if self.miss or self.raised else "it always found something"
        if not self.taken:
            return "it always raised"
        if self.shows_a_miss and not (self.raised or self.miss):
            return "there was always something to change"
        return ""


class Counts:
    """The counts of all methods of one check.

    Args:
        offered: what is called.
        left_out: what is not.
        undrawn: methods for which no arguments can be drawn, and why.
    """

    def __init__(
        self,
        offered: Sequence[Offered],
        left_out: Sequence[NotCompared],
        undrawn: dict[str, str],
    ) -> None:
        self._by_label: dict[str, Counted] = {}
        for one in offered:
            why = undrawn.get(one.label, "")
            is_said = not one.member.promise.is_nothing
            self._by_label[one.label] = Counted(
                one.label,
                why=why,
                is_look=one.is_look,
                shows_a_miss=one.operation in _NEEDS_A_MISS and is_said,
            )
        for left in left_out:
            self._by_label[left.label] = Counted(left.label, why=left.why)

    @property
    def all(self) -> list[Counted]:
        """One for each method, in the order of the interfaces."""
        return list(self._by_label.values())

    @staticmethod
    def is_hit(outcome: Outcome) -> bool:
        """Whether a look-up found something."""
        if outcome.raised:
            return False
        value: Any = outcome.value
        if isinstance(value, tuple) and len(value) == 2 and isinstance(value[0], list):
            value = value[0]  # a page and its total
        try:
            return bool(value) if not hasattr(value, "__len__") else len(value) > 0
        except Exception:  # of a value that says so neither way
            return True

    def note(self, offered: Offered, outcome: Outcome) -> None:
        """Count a call."""
        counted = self._by_label[offered.label]
        counted.calls += 1
        if outcome.raised:
            counted.raised += 1
        elif not offered.is_look:
            counted.taken += 1
            # `delete(…) -> bool` says so, where there was nothing
            counted.miss += outcome.value is False or outcome.value == 0
        elif self.is_hit(outcome):
            counted.hit += 1
        else:
            counted.miss += 1

    def unanswered(self, offered: Offered, why: BaseException) -> None:
        """Count a call that the fake refused."""
        counted = self._by_label[offered.label]
        counted.unanswered += 1
        counted.why = counted.why or first_reason(why)

    def differs(self, label: str, report: int) -> None:
        """Note that a difference showed in a method."""
        counted = self._by_label.get(label)
        if counted is None:  # it is of no method
            return
        counted.reports = tuple(dict.fromkeys((*counted.reports, report)))


def first_reason(why: BaseException) -> str:
    """The reason of a refusal, in a line."""
    lines = [line.strip() for line in str(why).splitlines() if line.strip()]
    reason = [line for line in lines if line.startswith("not read ")]
    told = " ".join((reason or lines or [""])[0].removeprefix("not read").split())
    told = told.removeprefix("because ")
    return told if len(told) <= 120 else told[:119] + "…"
