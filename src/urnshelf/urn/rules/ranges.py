"""Rules of ranges: numbers, Decimals, dates, moments and spans of time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from fractions import Fraction
from math import ceil, floor, isfinite
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.rules.base import PlanRule, Rule, data_of, planned, table

__tracebackhide__ = True  # a failing test shows its own lines, not ours


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
        return table("between", ends, decimals=self._decimals_of_plan())

    def _decimals_of_plan(self) -> int | None:
        return None


@planned("between", "decimals")
def _between_of(entry: PlanRule) -> Rule:
    if not isinstance(entry.value, list) or len(entry.value) != 2:
        raise RecordRefused(f"{entry.where}: between is a list of the least and the greatest value")
    low, high = map(entry.typed, entry.value)
    return between(low, high, **entry.options)


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


class _Ticks(_Whole):
    """Seconds from a first value on, or where it ends within one, millionths of them."""

    def __init__(self, first: Any, length: timedelta) -> None:
        self._first = first
        self._per_second = 1_000_000 if length.microseconds else 1
        super().__init__(0, length // timedelta(seconds=1) if self._is_whole else _ticks(length))

    @property
    def _is_whole(self) -> bool:
        return self._per_second == 1

    def _length(self, raw: int) -> timedelta:
        return timedelta(seconds=raw) if self._is_whole else timedelta(microseconds=raw)

    def finish(self, raw: int) -> Any:
        return self._first + self._length(raw)

    def narrowed(self, limits: Limits) -> Rule | None:
        return moments(limits, self._first, self.at(self._count - 1))

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        return self.many(lanes, *inputs)


def _ticks(length: timedelta) -> int:
    return length // timedelta(microseconds=1)


class _Moments(_Ticks):
    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        zone = self._first.tzinfo
        # pandas holds moments of one offset; of a zone that changes it, objects say more
        if zone not in (None, UTC):
            return self.many(lanes, *inputs)
        unit = "s" if self._is_whole else "us"
        first = lanes._numpy.datetime64(self._first.replace(tzinfo=None), unit)
        moments = first + self.raw(lanes).astype(f"timedelta64[{unit}]")
        if zone is None:
            return moments
        from pandas import Series

        return Series(moments).dt.tz_localize("UTC")


class _Spans(_Ticks):
    pass


class _Hours(_Ticks):
    """Times of day."""

    def __init__(self, low: time, high: time) -> None:
        self._zone = low.tzinfo
        begin = _of_day(low)
        super().__init__(begin, _of_day(high) - begin)

    def finish(self, raw: int) -> time:
        moment: datetime = datetime(2030, 1, 1) + self._first + self._length(raw)
        return moment.time().replace(tzinfo=self._zone)


def _of_day(hour: time) -> timedelta:
    return timedelta(
        hours=hour.hour, minutes=hour.minute, seconds=hour.second, microseconds=hour.microsecond
    )


class _Days(_Whole):
    def __init__(self, low: date, high: date) -> None:
        super().__init__(low.toordinal(), high.toordinal())

    def finish(self, raw: int) -> date:
        return date.fromordinal(raw)

    def narrowed(self, limits: Limits) -> Rule | None:
        return moments(limits, self.at(0), self.at(self._count - 1))

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        return self.many(lanes, *inputs)


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


def moments(limits: Limits, low: Any, high: Any) -> Rule | None:
    """The days, moments, times of day or spans of a range that keep limits; None where nothing is
    left.
    """
    low, high = _as_told(low, limits), _as_told(high, limits)
    is_day = isinstance(low, date) and not isinstance(low, datetime)
    for step in (
        [timedelta(days=1)] if is_day else [timedelta(seconds=1), timedelta(microseconds=1)]
    ):
        lows = [low, *_told(limits.ge), *[_moved(one, step) for one in _told(limits.gt)]]
        highs = [high, *_told(limits.le), *[_moved(one, -step) for one in _told(limits.lt)]]
        if None not in (*lows, *highs) and max(lows) <= min(highs):
            return between(max(lows), min(highs))
    return None


def _as_told(value: Any, limits: Limits) -> Any:
    """A moment or time of day with a zone where limits have one, and without where they have none:
    others cannot be compared with them.
    """
    told = [one for one in (limits.ge, limits.gt, limits.le, limits.lt) if one is not None]
    if not told or not isinstance(value, (datetime, time)):
        return value
    zone = told[0].tzinfo
    return value if (zone is None) is (value.tzinfo is None) else value.replace(tzinfo=zone)


def _told(bound: Any) -> list[Any]:
    return [] if bound is None else [bound]


def _moved(value: Any, step: timedelta) -> Any:
    if not isinstance(value, time):
        return value + step
    moved = _of_day(value) + step
    if moved < timedelta(0) or moved >= timedelta(days=1):
        return None
    return (datetime(2030, 1, 1) + moved).time().replace(tzinfo=value.tzinfo)


# --- by their ends --------------------------------------------------------------------------------


def between(low: Any, high: Any, decimals: int | None = None) -> Rule:
    """A value from a range, both ends included: numbers, Decimals, dates, moments, times of day or
    spans of time; in whole seconds, where the ends are whole seconds apart.

    Args:
        low: the least value.
        high: the greatest value, of the same kind.
        decimals: decimal places of a float (2 where none is given) or of a Decimal (as many as the
            ends have).

    Raises:
        RecordRefused: the ends are not of one kind, or in the wrong order.

    >>> from urnshelf.urn.mixing import Bits
    >>> between(3, 3).one(Bits(1, 0))
    3
    """
    # a date and a datetime compare to an error, and a bool and an int to nonsense
    of_one_kind = type(low) is type(high) or {type(low), type(high)} == {int, float}
    if not of_one_kind:
        raise RecordRefused(f"between({show(low)}, {show(high)}): both ends must be of one kind")
    try:
        is_wrong = low > high
    except TypeError:  # one with a time zone, the other without
        raise RecordRefused(
            f"between({show(low)}, {show(high)}): both ends must have a time zone, or none"
        ) from None
    if is_wrong:
        raise RecordRefused(
            f"between({show(low)}, {show(high)}): the first must not be the greater one"
        )
    if isinstance(low, datetime):
        return _Moments(low, high - low)
    if isinstance(low, date):
        return _Days(low, high)
    if isinstance(low, timedelta):
        return _Spans(low, high - low)
    if isinstance(low, time):
        return _Hours(low, high)
    if isinstance(low, Decimal):
        ends = max(-int(end.as_tuple().exponent) for end in (low, high))
        return _nonempty(
            _Money(low, high, max(ends, 0) if decimals is None else decimals), low, high
        )
    if isinstance(low, int) and isinstance(high, int) and decimals is None:
        return _Whole(low, high)
    if isinstance(low, (int, float)):
        return _nonempty(_Real(low, high, 2 if decimals is None else decimals), low, high)
    raise RecordRefused(
        f"between({show(low)}, {show(high)}): a range is of numbers, dates, moments or spans of "
        "time"
    )


def _nonempty(rule: _Whole, low: object, high: object) -> Rule:
    if rule.size is not None and rule.size < 1:
        raise RecordRefused(
            f"between({low}, {high}): no value has so few decimal places; give more with decimals=…"
        )
    return rule
