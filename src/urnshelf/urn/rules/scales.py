"""Whole numbers for values that have an order: numbers of so many decimals, days, moments."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from decimal import ROUND_HALF_EVEN, Decimal
from enum import Enum
from types import ModuleType
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits

_MOST_DECIMALS, _GREATEST = 12, 300


class Unit:
    """What makes whole numbers of values, and values of whole numbers."""

    decimals: int | None = None
    """As it was told."""

    def whole(self, value: Any) -> int | None:
        """The whole number of a value; None for what is none of this kind."""
        raise NotImplementedError

    def wholes(
        self,
        values: Sequence[Any],  # noqa: ARG002
        numpy: ModuleType,  # noqa: ARG002
    ) -> tuple[Any, Any] | None:
        """The whole numbers of many values and where there are any; None where there is no quick
        way.
        """
        return None

    def value(self, whole: int) -> Any:
        """The value of a whole number."""
        raise NotImplementedError

    def values(self, wholes: Any) -> list[Any]:
        """The values of an array."""
        return list(map(self.value, wholes.tolist()))

    def column(self, wholes: Any) -> Any:
        """The values of an array, as a frame likes them."""
        return self.values(wholes)

    def limits(self, limits: Limits) -> tuple[int | None, int | None]:
        """The least and the greatest whole number that limits allow."""
        low = None if limits.ge is None else self.whole(limits.ge)
        high = None if limits.le is None else self.whole(limits.le)
        above = None if limits.gt is None else self.whole(limits.gt)
        below = None if limits.lt is None else self.whole(limits.lt)
        lows = [one for one in (low, None if above is None else above + 1) if one is not None]
        highs = [one for one in (high, None if below is None else below - 1) if one is not None]
        return max(lows, default=None), min(highs, default=None)


class Numbers(Unit):
    """Numbers of so many decimals.

    Args:
        form: int, float or Decimal.
        places: the decimals; -2 for hundreds.
        told: whether somebody said so.
        is_wide: whether some are too great for arrays.
    """

    def __init__(self, form: Any, places: int, told: bool, is_wide: bool) -> None:
        self._form, self._places, self._is_wide = form, places, is_wide
        self.decimals = places if told else None
        self._times = 10 ** max(places, 0)
        self._parts = 10 ** max(-places, 0)

    def whole(self, value: Any) -> int | None:
        """How many of its units a number has."""
        if isinstance(value, Enum):
            value = value.value
        if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
            return None
        if isinstance(value, Decimal):
            if not value.is_finite():
                return None
            return int((value * self._times / self._parts).to_integral_value(ROUND_HALF_EVEN))
        if isinstance(value, float):
            # the same product as of an array
            return round(value * self._times / self._parts) if value - value == 0 else None
        whole: int = value * self._times if self._parts == 1 else round(value / self._parts)
        return whole

    def wholes(self, values: Sequence[Any], numpy: ModuleType) -> tuple[Any, Any] | None:
        """Quickly, where all are floats or None, or all whole ones."""
        kinds = {*map(type, values)}
        if kinds == {int} and self._parts == 1:
            try:
                made = numpy.array(values, dtype=numpy.int64) * self._times
            except OverflowError:
                return None
            return made, True
        if kinds and kinds <= {float, type(None)}:
            found = numpy.array(values, dtype=numpy.float64)
            there = numpy.isfinite(found)
            scaled = numpy.where(there, found, 0) * self._times / self._parts
            return numpy.rint(scaled).astype(numpy.int64), there
        return None

    def value(self, whole: int) -> Any:
        """The number of so many units."""
        if self._form is int:
            return whole * self._parts
        if self._form is Decimal:
            return Decimal(whole).scaleb(-self._places)
        return whole * self._parts / self._times

    def values(self, wholes: Any) -> list[Any]:
        """The numbers of an array."""
        if self._form is Decimal or self._is_wide:
            return super().values(wholes)
        found: list[Any] = self.column(wholes).tolist()
        return found

    def column(self, wholes: Any) -> Any:
        """Numbers as an array."""
        if self._form is Decimal or self._is_wide:
            return super().values(wholes)
        if self._form is int:
            return wholes * self._parts
        return wholes * self._parts / self._times


class Days(Unit):
    """Days, by their ordinals."""

    def whole(self, value: Any) -> int | None:
        """The ordinal of a day, or of the day of a moment."""
        return value.toordinal() if isinstance(value, date) else None

    def value(self, whole: int) -> date:
        """The day."""
        return date.fromordinal(whole)


class Moments(Unit):
    """Moments, in seconds, or in millionths where some end within one.

    Args:
        zone: of all of them.
        is_fine: whether in millionths.
    """

    def __init__(self, zone: Any, is_fine: bool) -> None:
        self._zone, self._tick = zone, timedelta(microseconds=1 if is_fine else 1_000_000)
        self._begin = datetime(1970, 1, 1, tzinfo=zone)

    def whole(self, value: Any) -> int | None:
        """The time since 1970."""
        if not isinstance(value, datetime):
            return None
        if (value.tzinfo is None) is not (self._zone is None):
            value = value.replace(tzinfo=self._zone)
        since: timedelta = value - self._begin
        return since // self._tick

    def value(self, whole: int) -> datetime:
        """The moment."""
        return self._begin + self._tick * whole

    def column(self, wholes: Any) -> Any:
        """An array of moments, where they have one offset."""
        if self._zone not in (None, UTC):
            return self.values(wholes)
        from pandas import Series

        unit = "us" if self._tick < timedelta(seconds=1) else "s"
        made = Series(wholes.astype(f"datetime64[{unit}]"))
        return made if self._zone is None else made.dt.tz_localize("UTC")


def unit_of(values: Sequence[Any], decimals: int | None, where: str) -> Unit:
    """What makes whole numbers of some values.

    Args:
        values: some.
        decimals: of numbers; as many as they have, where it is None.
        where: for messages.

    Raises:
        RecordRefused: values of several kinds, or of none that has an order.
    """
    kinds = {*map(type, values)}
    if kinds == {date}:
        return Days()
    if kinds == {datetime}:
        zones = {one.tzinfo is None for one in values}
        if len(zones) > 1:
            raise RecordRefused(f"{where}: all moments must have a time zone, or none")
        return Moments(values[0].tzinfo, any(one.microsecond for one in values))
    if not kinds <= {int, float, Decimal} or kinds == {float, Decimal}:
        raise RecordRefused(
            f"{where}: quantiles are of numbers, days or moments, all of one kind, not of "
            f"{' and '.join(sorted(one.__name__ for one in kinds))}"
        )
    is_told = decimals is not None
    if decimals is not None and not -_GREATEST <= decimals <= _MOST_DECIMALS:
        raise RecordRefused(f"{where}: decimals = {decimals!r}, but there are at most 12")
    form: Any = next((one for one in (Decimal, float) if one in kinds), int)
    if form is int and decimals is not None and decimals > 0:
        form = float
    places = _most_places(values) if decimals is None else decimals
    greatest = _check_size(values, places, where)
    return Numbers(form, places, is_told, greatest >= 1 << 61)


def _most_places(values: Sequence[Any]) -> int:
    found = [-int(Decimal(str(one)).as_tuple().exponent) for one in values if type(one) is not int]
    return min(max([*found, 0]), _MOST_DECIMALS)


def _check_size(values: Sequence[Any], places: int, where: str) -> Decimal:
    greatest = max(abs(Decimal(str(one))) for one in values)
    if greatest.scaleb(places) >= 1 << 61:
        raise RecordRefused(
            f"{where}: {show(greatest)} with {places} decimals is too much; give fewer decimals=…"
        )
    return greatest
