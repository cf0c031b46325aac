"""Calls taken out of the ledger: a sequence that tells what it has, and what it has not."""

from __future__ import annotations

import dis
import sys
from collections import Counter
from collections.abc import Iterator, Sequence
from types import FrameType
from typing import TYPE_CHECKING, Any, overload

from urnshelf.calls.ledger import Call
from urnshelf.errors import CallMissing, LookRefused

if TYPE_CHECKING:
    from urnshelf.calls.desk import Desk


class Calls(Sequence[Call]):
    """Some of a ledger's calls, in order. A list to look at, to slice and to loop over.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> print(ledger_of(shelf))
    the shelf: 1 call
      #1  PilotPager.page(vessel_id=7, message='Gray Heron', urgent=False)
    """

    def __init__(self, calls: list[Call], what: str, desk: Desk) -> None:
        self._calls = calls
        self._what = what
        self._desk = desk

    def __iter__(self) -> Iterator[Call]:
        wanted = _unpacked_into(sys._getframe(1))
        if wanted is not None and not wanted[0] <= len(self) <= wanted[1]:
            many = f"{wanted[0]} call" + ("" if wanted[0] == 1 else "s")
            at_least = "" if wanted[0] == wanted[1] else "at least "
            raise CallMissing(f"wanted {at_least}{many} of {self._what}, {self._seen('there are')}")
        return iter(self._calls)

    @overload
    def __getitem__(self, index: int) -> Call: ...
    @overload
    def __getitem__(self, index: slice) -> Calls: ...
    def __getitem__(self, index: int | slice) -> Call | Calls:
        if isinstance(index, slice):
            return Calls(self._calls[index], self._what, self._desk)
        if not -len(self) <= index < len(self):
            raise CallMissing(f"{self._what}: there is no call [{index}], {self._seen('only')}")
        return self._calls[index]

    def _seen(self, there_are: str) -> str:
        """What there is, for who looked for something else."""
        if self._calls:
            return f"{there_are} {len(self)}:\n" + "\n".join(self._lines())
        names = Counter(call.method for call in self._desk.calls())
        called = ", ".join(f"{name} ×{n}" for name, n in list(names.items())[:6])
        unawaited = ", ".join(
            dict.fromkeys(call.target.name for call in list(self._desk.unawaited))
        )
        return (
            "there are none"
            + (f"; calls of others: {called}" if called else "")
            + (f"; made and never awaited: {unawaited}" if unawaited else "")
        )

    def _lines(self) -> list[str]:
        lines = [f"  #{call.number}  {call}" for call in self._calls[:20]]
        return [*lines, "  …"] if len(self) > 20 else lines

    def __len__(self) -> int:
        return len(self._calls)

    @property
    def names(self) -> list[str]:
        """The methods, in order: `["TideService.depth_at", "PilotPager.page"]`.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf).names
        ['PilotPager.page']
        """
        return [call.method for call in self._calls]

    def each(self, argument: str | int) -> list[Any]:
        """One argument of every call, in order.

        Args:
            argument: the parameter's name, or its position.

        Raises:
            ArgumentMissing: a call has none of this name.

        >>> pilots = shelf.fake(PilotPager)
        >>> for number in (7, 8):
        ...     pilots.page(number, "at noon")
        >>> ledger_of(pilots.page).each("vessel_id")
        [7, 8]
        """
        return [call.arguments[argument] for call in self._calls]

    def before(self, other: Calls) -> bool:
        """Whether all of these came before any of those; False when either is empty, for that
        proves nothing.

        Raises:
            LookRefused: they are of two shelves, whose calls have no common order.

        >>> pilots, moorings = shelf.fake(PilotPager), shelf.fake(MooringRegister)
        >>> moorings.count()
        0
        >>> pilots.page(7, "Gray Heron")
        >>> ledger_of(moorings).before(ledger_of(pilots))
        True
        """
        if other._desk is not self._desk:
            raise LookRefused(
                f"{self._what} and {other._what} are of two shelves, whose calls have no common "
                "order: make both fakes on one shelf"
            )
        return (
            bool(self._calls and other._calls) and self._calls[-1].number < other._calls[0].number
        )

    def __str__(self) -> str:
        plural = "" if len(self) == 1 else "s"
        return "\n".join([f"{self._what}: {len(self)} call{plural}", *self._lines()])

    __repr__ = __str__


def _unpacked_into(frame: FrameType) -> tuple[int, float] | None:
    """How few and how many items a line of code unpacks that asks for an iterator now; None where
    it does something else.

    `[call] = ledger_of(m)` says that there is one; Python itself would not tell what there is.
    """
    code = frame.f_code.co_code
    at = frame.f_lasti
    if code[at] == dis.opmap["UNPACK_SEQUENCE"]:
        return code[at + 1], code[at + 1]
    if code[at] == dis.opmap["UNPACK_EX"]:
        # how many names come after the star is said by an instruction before
        is_longer = at and code[at - 2] == dis.opmap["EXTENDED_ARG"]
        return code[at + 1] + (code[at - 1] if is_longer else 0), float("inf")
    return None
