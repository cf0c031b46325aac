"""Ranges of numbers: whole ones, tenths and hundredths, Decimals, multiples, and skewed ones."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from fractions import Fraction
from math import ceil, floor, isfinite
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.rules.base import Rule, data_of, table


class _Whole(Rule):
    def __init__(self, low: int, high: int) -> None:
        self._low = low
        self.size = self._count = high - low + 1
        self.vectorised = -(1 << 62) < low <= high < 1 << 62

    def raw(self, bits: Any) -> Any:
        return bits.below(self._count) + self._low

    def at(self, number: int) -> Any:
        return self.finish(self._low + number)

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        return self.raw(lanes) if self.vectorised else self.many(lanes, *inputs)

    def narrowed(self, limits: Limits) -> Rule | None:
        return numbers(int, limits, self._low, self._low + self._count - 1, 0)

    def to_plan(self) -> dict[str, Any]:
        ends = [data_of(self.at(0)), data_of(self.at(self._count - 1))]
        skewed = True if isinstance(self, _Skewed) else None
        return table("between", ends, decimals=self._decimals_of_plan(), skewed=skewed)

    def _decimals_of_plan(self) -> int | None:
        return None

    def quantile_values(self) -> list[Any]:
        """Values that stand at even distances."""
        return [self.at(0), self.at(self._count - 1)]


class _Real(_Whole):
    """Tenths, hundredths …: whole numbers over a power of ten, so that every machine agrees."""

    def __init__(self, low: Decimal | float, high: Decimal | float, decimals: int) -> None:
        self._unit = 10**decimals
        self._decimals = decimals
        super().__init__(_scaled(low, decimals, up=True), _scaled(high, decimals, up=False))

    def _decimals_of_plan(self) -> int | None:
        return self._decimals

    def narrowed(self, limits: Limits) -> Rule | None:
        form = Decimal if isinstance(self, _Money) else float
        low, high = (Decimal(end).scaleb(-self._decimals) for end in self._ends())
        return numbers(form, limits, low, high, self._decimals)

    def _ends(self) -> tuple[int, int]:
        return self._low, self._low + self._count - 1

    def finish(self, raw: int) -> Any:
        return raw / self._unit

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        return self.raw(lanes) / self._unit


class _Money(_Real):
    def finish(self, raw: int) -> Decimal:
        return Decimal(raw).scaleb(-self._decimals)

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        return self.many(lanes, *inputs)


def _scaled(value: object, decimals: int, up: bool) -> int:
    # by its text: 0.1 is meant to be a tenth
    exact = Decimal(str(value)).scaleb(decimals)
    whole = int(exact)
    if exact == whole:
        return whole
    # int() cuts towards zero; the range must not become wider than it was given
    if up and exact > 0:
        return whole + 1
    if not up and exact < 0:
        return whole - 1
    return whole


class _Skewed(_Whole):
    """Small values often, great ones seldom: the square of an even number between 0 and 1, in
    whole numbers.
    """

    def raw(self, bits: Any) -> Any:
        even = bits.below(1 << 20)
        return self._placed(even)

    def _placed(self, even: Any) -> Any:
        square = (even * even) >> 20
        return self._low + ((square * self._count) >> 20)

    def quantile_values(self) -> list[Any]:
        places = [*range(0, 1 << 20, 1 << 15), (1 << 20) - 1]
        return [self.finish(self._placed(place)) for place in places]

    def narrowed(self, limits: Limits) -> Rule | None:
        rule = super().narrowed(limits)
        made = None if rule is None else _SKEWED.get(type(rule))
        if made is None or not isinstance(rule, _Whole):
            return rule
        found = object.__new__(made)
        found.__dict__.update(rule.__dict__)
        return found


class _SkewedReal(_Skewed, _Real):
    pass


class _SkewedMoney(_Skewed, _Money):
    pass


_SKEWED: dict[type[Rule], type[_Skewed]] = {
    _Whole: _Skewed, _Real: _SkewedReal, _Money: _SkewedMoney,
}  # fmt: skip


def as_skewed(rule: Rule, low: object, high: object) -> Rule:
    """A range of numbers of which small ones come often.

    Raises:
        RecordRefused: no range of numbers, or one of too many.
    """
    made = _SKEWED.get(type(rule))
    if made is None or rule.size is None or rule.size >= 1 << 42:
        raise RecordRefused(
            f"between({show(low)}, {show(high)}, skewed=True): numbers and Decimals are skewed, "
            "fewer than 2**42 of them"
        )
    found = object.__new__(made)
    found.__dict__.update(rule.__dict__)
    return found


class _Multiples(_Whole):
    """Multiples of a number."""

    def __init__(self, form: Any, low: int, high: int, unit: Fraction) -> None:
        super().__init__(low, high)
        self._form, self._times = form, unit

    def finish(self, raw: int) -> Any:
        exact = raw * self._times
        if self._form is not Decimal:
            return self._form(exact)
        return Decimal(exact.numerator) / Decimal(exact.denominator)

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        return self.many(lanes, *inputs)

    def narrowed(self, limits: Limits) -> Rule | None:  # noqa: ARG002
        return None

    def to_plan(self) -> dict[str, Any]:
        return Rule.to_plan(self)


class Ends(NamedTuple):
    """What a range is, as quantiles: values at even distances."""

    values: list[Any]
    decimals: int | None


def plain_ends(rule: Rule) -> Ends | None:
    """A range as quantiles; None for what is no range, or not of numbers, days or moments."""
    if not isinstance(rule, _Whole) or isinstance(rule, _Multiples):
        return None
    values = rule.quantile_values()
    if not isinstance(values[0], (int, float, Decimal, date)):
        return None
    return Ends(values if len(values) > 1 else values * 2, rule._decimals_of_plan())


# --- within limits --------------------------------------------------------------------------------


def numbers(
    form: Any, limits: Limits, low: Any, high: Any, decimals: int, widest: bool = False
) -> Rule | None:
    """The numbers of a range that keep limits.

    Args:
        form: int, float or Decimal.
        limits: their bounds, digits and multiples count.
        low: the least that is usual; None for none.
        high: the greatest that is usual; None for none.
        decimals: decimal places that are usual.
        widest: whether more decimal places are taken where so few leave nothing.

    Returns:
        The rule; None where nothing is left.
    """
    places = decimals if limits.decimal_places is None or form is int else limits.decimal_places
    for more in range(0, 20 if widest and form is not int else 1):
        unit = Decimal(1).scaleb(-places - more)
        least = _end(low, limits.ge, limits.gt, unit)
        most = _end(high, limits.le, limits.lt, -unit)
        if limits.max_digits is not None:
            digits = Decimal(10) ** max(limits.max_digits - places - more, 0)
            most = min(most, digits - unit)
        if limits.multiple_of is not None:
            return _multiples(form, least, most, limits.multiple_of)
        rule = _ranged(form, least, most, places + more)
        if rule is not None or limits.decimal_places is not None:
            return rule
    return None


def _end(usual: Any, included: Any, excluded: Any, step: Decimal) -> Decimal:
    """One end of a range: the tightest of those that are told."""
    ends = [Decimal(str(end)) for end in (usual, included) if end is not None and _is_finite(end)]
    if excluded is not None and _is_finite(excluded):
        ends.append(_beyond(Decimal(str(excluded)), step))
    return max(ends) if step > 0 else min(ends)


def _beyond(bound: Decimal, step: Decimal) -> Decimal:
    """The first value of so many places after a bound."""
    places = -int(step.as_tuple().exponent)
    cut = bound.scaleb(places)
    whole = cut.to_integral_value("ROUND_FLOOR" if step > 0 else "ROUND_CEILING")
    return whole.scaleb(-places) + step


def _is_finite(bound: Any) -> bool:
    return bound.is_finite() if isinstance(bound, Decimal) else isfinite(bound)


def _ranged(form: Any, least: Decimal, most: Decimal, places: int) -> Rule | None:
    if form is int:
        low, high = ceil(least), floor(most)
        return _Whole(low, high) if low <= high else None
    made = (_Real if form is float else _Money)(least, most, places)
    return made if made.size is not None and made.size > 0 else None


def _multiples(form: Any, least: Decimal, most: Decimal, multiple_of: Any) -> Rule | None:
    unit = Fraction(str(multiple_of))
    # of a fraction, only the multiples that are whole
    unit = Fraction(unit.numerator) if form is int else unit
    low, high = ceil(Fraction(least) / unit), floor(Fraction(most) / unit)
    return _Multiples(form, low, high, unit) if low <= high else None
