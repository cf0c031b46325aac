"""A part of another number, and how long it is from one moment to another."""

from __future__ import annotations

from calendar import monthrange
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule

_SOME_DAY = date(2030, 6, 1)


class Share(Rule):
    """A part of another number.

    Args:
        source: the other field.
        low, high: how much of it, in thousandths.
        form: the field's type.
        step: thousandths between two shares.
        decimals: of the part.
    """

    vectorised = False

    def __init__(
        self, source: str, low: int, high: int, form: Any, step: int = 1, decimals: int = 2
    ) -> None:
        self.needs = (source,)
        self._place = Decimal(1).scaleb(-decimals)
        self._low, self._count, self._step, self._form = low, (high - low) // step + 1, step, form

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One part; None of None."""
        if inputs[0] is None:
            return None
        share = self._low + bits.below(self._count) * self._step
        exact = Decimal(str(inputs[0])) * share / 1000
        if self._form is int:
            return int(exact)
        rounded = exact.quantize(self._place, ROUND_HALF_UP)
        return float(rounded) if self._form is float else rounded


class MonthsLater(Rule):
    """The day so many months later; of a month that is shorter, its last."""

    vectorised = False

    def __init__(self, start: str, months: str) -> None:
        self.needs = (start, months)

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        """The day; None where one of the two is not there."""
        start, months = inputs
        if start is None or months is None:
            return None
        year, month = divmod(start.year * 12 + start.month - 1 + months, 12)
        return date(year, month + 1, min(start.day, monthrange(year, month + 1)[1]))


class Span(Rule):
    """How long it is from one moment or day to another, in whole units."""

    vectorised = False

    def __init__(self, start: str, end: str, unit: int, form: Any) -> None:
        self.needs = (start, end)
        self._unit, self._form = unit, form

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        """The number of units; None where one of the two is not there."""
        start, end = inputs
        if start is None or end is None:
            return None
        if isinstance(start, time):
            start, end = (datetime.combine(_SOME_DAY, one) for one in (start, end))
        length: timedelta = end - start
        if self._form is timedelta:
            return length
        exact = Decimal(length // timedelta(microseconds=1)) / (self._unit * 1_000_000)
        if self._form is int:
            return int(exact)
        rounded = exact.quantize(Decimal("0.01"), ROUND_HALF_UP)
        return float(rounded) if self._form is float else rounded
