"""Rules of ranges: numbers, Decimals, dates, moments and spans of time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
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


class _Moments(_Whole):
    """Moments, in seconds from the first."""

    def __init__(self, low: datetime, high: datetime) -> None:
        self._first = low
        super().__init__(0, int((high - low).total_seconds()))

    def finish(self, raw: int) -> datetime:
        return self._first + timedelta(seconds=raw)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        first = (
            # frames know no zone in their moments; in UTC they stay comparable
            self._first.astimezone(UTC).replace(tzinfo=None) if self._first.tzinfo else self._first
        )
        return lanes._numpy.datetime64(first, "s") + self.raw(lanes).astype("timedelta64[s]")


class _Days(_Whole):
    def __init__(self, low: date, high: date) -> None:
        super().__init__(low.toordinal(), high.toordinal())

    def finish(self, raw: int) -> date:
        return date.fromordinal(raw)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        epoch = date(1970, 1, 1).toordinal()
        return lanes._numpy.datetime64("1970-01-01", "s") + (
            (self.raw(lanes) - epoch) * 86_400
        ).astype("timedelta64[s]")


class _Spans(_Whole):
    def __init__(self, low: timedelta, high: timedelta) -> None:
        super().__init__(int(low.total_seconds()), int(high.total_seconds()))

    def finish(self, raw: int) -> timedelta:
        return timedelta(seconds=raw)


def between(low: Any, high: Any, decimals: int | None = None) -> Rule:
    """A value from a range, both ends included: numbers, Decimals, dates, moments or spans of time.

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
    if low > high:
        raise RecordRefused(
            f"between({show(low)}, {show(high)}): the first must not be the greater one"
        )
    if isinstance(low, datetime):
        return _Moments(low, high)
    if isinstance(low, date):
        return _Days(low, high)
    if isinstance(low, timedelta):
        return _Spans(low, high)
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
