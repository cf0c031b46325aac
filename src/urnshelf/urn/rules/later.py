"""The rule of what is after other fields: a moment, a day, a time of day, a number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Computed, Place, PlanRule, Rule, planned, table

_DAY = 86_400


class After(Computed):
    """A value after those of other fields: a moment, a day, a time of day, or a number.

    Args:
        earlier: the other fields; the latest counts, and of one that is None nothing is known.
        low, high: the gap, both included: seconds for moments, days for days, else in units of the
            number's last decimal.
        form: the field's type.
        otherwise: draws it where all of them are None; without it None is drawn.
        latest: what it does not pass, where that leaves a gap.
        stops: fields without which it is None, too.
        decimals: of a number.
        step: so many units lie between two gaps.
    """

    def __init__(
        self,
        earlier: tuple[str, ...],
        low: int,
        high: int,
        form: Any = None,
        otherwise: Rule | None = None,
        latest: datetime | None = None,
        stops: tuple[str, ...] = (),
        decimals: int = 0,
        step: int = 1,
    ) -> None:
        self._step = step
        self.needs = tuple(dict.fromkeys((*earlier, *stops)))
        self._low, self._high, self._form = low, high, form
        self._otherwise, self._latest, self._stops = otherwise, latest, stops
        self._decimals = decimals

    def placed(self, place: Place) -> Rule:
        """The same, for the field's type."""
        if self._form is not None:
            return self
        bare = place.field.node.bare
        form = bare if bare in (date, datetime) else None
        found = After(self.needs, self._low, self._high, form, decimals=self._decimals)
        found.days = self.days
        return found.standing(place)

    days: tuple[int, int] | None = None
    """The gap as it was told: of moments, too, it is in days."""

    def computed(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        given = dict(zip(self.needs, inputs, strict=True))
        if any(given[name] is None for name in self._stops):
            return None
        there = [_as_form(value, self._form) for value in inputs if value is not None]
        if not there:
            return None if self._otherwise is None else self._otherwise.one(bits.sub(1))
        first = max(there)
        low, high = self._low, self._high
        if self.days is not None and isinstance(first, datetime):
            low, high = low * _DAY, high * _DAY
        if self._latest is not None:
            high = _until(first, _as_form(self._latest, self._form), low, high)
        gap = low + bits.below((high - low) // self._step + 1) * self._step
        return _moved(first, gap, self._decimals)

    def narrowed(self, limits: Limits) -> Rule | None:  # noqa: ARG002
        """It has no way to keep limits but to try."""
        return None

    def to_plan(self) -> dict[str, Any]:
        """With its gap in days, or in units of the number."""
        if self.days is None:
            return super().to_plan()
        return table("after", self.needs[0], gap=list(self.days), decimals=self._decimals or None)


def _as_form(value: Any, form: Any) -> Any:
    """A day as a moment, or the other way round."""
    if form is date and isinstance(value, datetime):
        return value.date()
    if form is datetime and isinstance(value, date) and not isinstance(value, datetime):
        return datetime.combine(value, time(0), UTC)
    return value


def _until(first: Any, latest: Any, low: int, high: int) -> int:
    """The greatest gap that does not pass what is latest; where that leaves none, as it was."""
    if not isinstance(first, date):
        return high
    if isinstance(first, datetime):
        latest = latest.replace(tzinfo=first.tzinfo)
        room = (latest - first) // timedelta(seconds=1)
    else:
        room = (latest - first).days
    return min(high, room) if room >= low else high


def _moved(first: Any, gap: int, decimals: int) -> Any:
    if isinstance(first, datetime):
        return first + timedelta(seconds=gap)
    if isinstance(first, date):
        return first + timedelta(days=gap)
    if isinstance(first, time):
        seconds = first.hour * 3600 + first.minute * 60 + first.second + gap
        last = _DAY - 60
        seconds = min(seconds, last)
        return first.replace(hour=seconds // 3600, minute=seconds // 60 % 60, second=seconds % 60)
    if isinstance(first, Decimal):
        return first + Decimal(gap).scaleb(-decimals)
    if isinstance(first, float):
        return round(first + gap / 10**decimals, decimals)
    if isinstance(first, int):
        return first + gap
    raise RecordRefused(f"after(): {show(first, 40)} is no day, no moment and no number")


class AfterBy(Computed):
    """A value after another field's, by a gap that a rule draws.

    Args:
        field: the earlier one.
        gap: draws days, or of numbers what is added.
        form: the field's type.
    """

    def __init__(self, field: str, gap: Rule, form: Any = None) -> None:
        self.needs = (field, *gap.needs)
        self._gap, self._form = gap, form

    def placed(self, place: Place) -> Rule:
        """The same, for the field's type."""
        bare = place.field.node.bare
        form = self._form or (bare if bare in (date, datetime) else None)
        return AfterBy(self.needs[0], self._gap.placed(place), form).standing(place)

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        """The same, its gap bound."""
        found = AfterBy(self.needs[0], self._gap.beside(rules), self._form)
        found.never_none_at = self.never_none_at
        return found

    def computed(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        return self._moved(inputs[0], self._gap.one(bits, *inputs[1:]))

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """All values, their gaps drawn together."""
        if self.never_none_at and None in inputs[0]:
            return super().many(lanes, *inputs)  # it says which
        gaps = self._gap.many(lanes, *inputs[1:])
        return list(map(self._moved, inputs[0], gaps))

    def _moved(self, first: Any, gap: Any) -> Any:
        if first is None or gap is None:
            return None
        first = _as_form(first, self._form)
        if isinstance(first, datetime):
            return first + timedelta(seconds=round(gap * _DAY))
        if isinstance(first, date):
            return first + timedelta(days=int(gap))
        return _moved(first, gap, 0) if isinstance(first, int) else _added(first, gap)

    def to_plan(self) -> dict[str, Any]:
        """With the rule of its gap."""
        return table("after", self.needs[0], gap=self._gap.to_plan())


def _added(first: Any, gap: Any) -> Any:
    if isinstance(first, (float, Decimal)):
        exact = Decimal(str(first)) + Decimal(str(gap))
        return float(exact) if isinstance(first, float) else exact
    raise RecordRefused(f"after(): {show(first, 40)} is no day, no moment and no number")


@planned("after", "gap", "decimals")
def _after_of(entry: PlanRule) -> Rule:
    gap = entry.options.pop("gap", 60)
    if isinstance(gap, Mapping):
        # a gap is a number, whatever the field is
        return after(entry.value, entry.number_rule(gap), **entry.options)
    return after(entry.value, tuple(gap) if isinstance(gap, list) else gap, **entry.options)


def after(field: str, gap: int | tuple[int, int] | Rule = 60, decimals: int = 0) -> Rule:
    """A value after another field's: a day, a moment or a number.

    Args:
        field: the earlier one; where it is None, this one is None, too, or cannot be drawn where it
            takes no None.
        gap: the least and the most, or the most alone: in days, or for numbers in units of the last
            decimal; both included. Or a rule that draws it: days, or what is added to a number.
        decimals: of a number that is no whole one.

    Raises:
        RecordRefused: a gap that there cannot be.

    >>> from datetime import date
    >>> insured = rules.after("built_on", (30, 90))
    >>> insured.needs
    ('built_on',)
    """
    if isinstance(gap, Rule):
        return AfterBy(field, gap)
    low, high = gap if isinstance(gap, tuple) and len(gap) == 2 else (1, gap)
    if not all(isinstance(end, int) and not isinstance(end, bool) for end in (low, high)):
        raise RecordRefused(f"after({field!r}, {show(gap, 40)}): a gap is of whole numbers")
    if low > high:
        raise RecordRefused(
            f"after({field!r}, {show(gap, 40)}): the first must not be the greater one"
        )
    found = After((field,), low, high, decimals=decimals)
    found.days = low, high
    return found
