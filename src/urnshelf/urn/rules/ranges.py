"""Rules of ranges: numbers, Decimals, dates, moments and spans of time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.rules.base import PlanRule, Rule, planned
from urnshelf.urn.rules.number_ranges import _Money, _Real, _Whole, as_skewed


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


def moments(limits: Limits, low: Any, high: Any) -> Rule | None:
    """The days, moments, times of day or spans of a range that keep limits; None where nothing is
    left.
    """
    low, high = as_told(low, limits), as_told(high, limits)
    is_day = isinstance(low, date) and not isinstance(low, datetime)
    for step in (
        [timedelta(days=1)] if is_day else [timedelta(seconds=1), timedelta(microseconds=1)]
    ):
        lows = [low, *_told(limits.ge), *[_moved(one, step) for one in _told(limits.gt)]]
        highs = [high, *_told(limits.le), *[_moved(one, -step) for one in _told(limits.lt)]]
        if None not in (*lows, *highs) and max(lows) <= min(highs):
            return between(max(lows), min(highs))
    return None


def as_told(value: Any, limits: Limits) -> Any:
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


@planned("between", "decimals", "skewed")
def _between_of(entry: PlanRule) -> Rule:
    if not isinstance(entry.value, list) or len(entry.value) != 2:
        raise RecordRefused(f"{entry.where}: between is a list of the least and the greatest value")
    low, high = map(entry.typed, entry.value)
    return between(low, high, **entry.options)


def between(low: Any, high: Any, decimals: int | None = None, skewed: bool = False) -> Rule:
    """A value from a range, both ends included: numbers, Decimals, dates, moments, times of day or
    spans of time; in whole seconds, where the ends are whole seconds apart.

    Args:
        low: the least value.
        high: the greatest value, of the same kind.
        decimals: decimal places of a float (2 where none is given) or of a Decimal (as many as the
            ends have).
        skewed: whether small numbers come often, and great ones seldom, as with prices and sizes.

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
    rule = _of_kind(low, high, decimals)
    return as_skewed(rule, low, high) if skewed else rule


def _of_kind(low: Any, high: Any, decimals: int | None) -> Rule:
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
