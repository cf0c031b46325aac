"""The rule of a distribution told by its quantiles."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from itertools import pairwise
from math import isfinite
from types import ModuleType
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.grouping import Groups
from urnshelf.urn.ranks import Knots, ManyKnots, at_per_mille, evenly
from urnshelf.urn.rules.base import PlanRule, Rule, data_of, planned
from urnshelf.urn.rules.choices import SometimesNone
from urnshelf.urn.rules.dealt import NoneWith
from urnshelf.urn.rules.leaning import RANKED, Ranked, leans_of
from urnshelf.urn.rules.number_ranges import plain_ends
from urnshelf.urn.rules.scales import Unit, unit_of


class Quantiles(Ranked):
    """Values between the quantiles of a distribution.

    Args:
        unit: what makes whole numbers of values, and back.
        told: the knots of each group.
        at: per mille, as it was told.
        by, leans, where: as for all that has an order.
    """

    def __init__(
        self,
        unit: Unit,
        told: Sequence[Knots],
        at: Any,
        by: Groups | None,
        leans: Mapping[str, int],
        where: str,
    ) -> None:
        super().__init__(told, by, leans, where)
        self.unit, self._at, self._knots = unit, at, list(told)

    def units(self, value: Any) -> int | None:
        """The whole number of a value."""
        return self.unit.whole(value)

    def all_units(self, values: Sequence[Any], numpy: ModuleType) -> tuple[Any, Any]:
        """The whole numbers of many values."""
        return self.unit.wholes(values, numpy) or super().all_units(values, numpy)

    def many_scales(self, numpy: ModuleType) -> ManyKnots:
        """The knots of all groups."""
        return ManyKnots(self._knots, numpy)

    def finish(self, raw: int) -> Any:
        """The value of a whole number."""
        return self.unit.value(raw)

    def finish_all(self, raw: Any) -> list[Any]:
        """The values of many."""
        return self.unit.values(raw)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        """The values as a frame likes them."""
        return self.unit.column(self.raw_all(lanes, inputs))

    def narrowed(self, limits: Limits) -> Rule | None:
        """The same, what is outside at the nearest limit."""
        low, high = self.unit.limits(limits)
        if low is not None and high is not None and low > high:
            return None
        found = self.copied()
        assert isinstance(found, Quantiles)  # a copy is of its kind
        found._knots = [
            Knots([_clipped(one, low, high) for one in knots.values], knots.at)
            for knots in self._knots
        ]
        found.told = list(found._knots)
        found._scales = None
        return found

    def to_plan(self) -> dict[str, Any]:
        """The values of each group, and where they stand."""
        told = [[data_of(self.unit.value(one)) for one in knots.values] for knots in self._knots]
        found: dict[str, Any] = {"quantiles": self.in_groups(told)}
        if self._at is not None:
            found["at"] = self._at
        if self.unit.decimals is not None:
            found["decimals"] = self.unit.decimals
        return {**found, **self.by_in_plan()}


def _clipped(value: int, low: int | None, high: int | None) -> int:
    value = value if low is None else max(low, value)
    return value if high is None else min(high, value)


@planned("quantiles", "at", "decimals", "by", "leans")
def _quantiles_of(entry: PlanRule) -> Rule:
    if isinstance(entry.value, Mapping):
        values: Any = {key: _typed(one, entry) for key, one in entry.value.items()}
    else:
        values = _typed(entry.value, entry)
    return quantiles(values, **entry.options)


def _typed(values: Any, entry: PlanRule) -> list[Any]:
    if not isinstance(values, list):
        raise RecordRefused(f"{entry.where}: quantiles is a list of values in order")
    # numbers with decimals are no values of a field of whole ones, which they are rounded to
    return [
        one if isinstance(one, float) and entry.node.bare is int else entry.typed(one)
        for one in values
    ]


def quantiles(
    values: Any,
    at: Any = None,
    decimals: int | None = None,
    by: str | Sequence[str] | None = None,
    leans: Mapping[str, float] | None = None,
) -> Rule:
    """Values of a distribution that is told by its quantiles: the least, the greatest, and some
    between, in order; straight from one to the next.

    Args:
        values: numbers, days or moments, in order; with `by` such a list for each group, by its
            key: the other field's value, `"to 30"` and `"above"` for bands of a number,
            `"lamp / gold"` for two fields, `"else"` for all others.
        at: where they stand, per mille, from 0 to 1000; evenly, where it is not told. The same
            value at two places comes as often as these are apart. With `by` also one for each
            group.
        decimals: of numbers; as many as the values have, where it is not told; -2 for hundreds.
        by: another field, or two of them.
        leans: how far the values go with those of other fields, from -1 to 1; these are drawn by
            quantiles, between or among.

    Raises:
        RecordRefused: values of several kinds, or not in order; leans that tell more than there is.

    >>> draughts = rules.quantiles([1.2, 2.0, 2.4, 3.1, 9.5])
    >>> [vessel.draught_m for vessel in Urn(seed=7).draw(Vessel, 4, draught_m=draughts)]
    [4.5, 1.7, 5.7, 1.8]
    >>> longer = rules.quantiles([8, 20, 90], leans={"draught_m": 0.9})
    >>> drawn = Urn(seed=7).draw(Vessel, 4, draught_m=draughts, length_m=longer)
    >>> [vessel.length_m for vessel in drawn]
    [55, 10, 44, 13]
    """
    where = f"quantiles({show(values, 50)})"
    several = dict(values) if isinstance(values, Mapping) else {"else": values}
    if isinstance(values, Mapping) is (by is None) or not several:
        raise RecordRefused(
            f"{where}: with by=… the quantiles of each group are needed, and only then"
        )
    lists = {key: _in_order(one, where) for key, one in several.items()}
    unit = unit_of([one for told in lists.values() for one in told], decimals, where)
    told = [
        Knots(
            [_whole(unit, one, where) for one in values_of],
            _ranks_of(at, key, len(values_of), where),
        )
        for key, values_of in lists.items()
    ]
    groups = None if by is None else Groups(by, lists, where)
    return Quantiles(unit, told, at, groups, leans_of(leans, where), where)


def _whole(unit: Unit, value: Any, where: str) -> int:
    found = unit.whole(value)
    if found is None:
        raise RecordRefused(f"{where}: {show(value, 40)} is of another kind than the others")
    return found


def _ranks_of(at: Any, key: Any, count: int, where: str) -> list[int]:
    told = at.get(key) if isinstance(at, Mapping) else at
    if count == 1:
        raise RecordRefused(f"{where}: two values are needed at the least; give it twice")
    return evenly(count) if told is None else at_per_mille(told, count, where)


def _in_order(values: Any, where: str) -> list[Any]:
    if not isinstance(values, (list, tuple)) or not values:
        raise RecordRefused(f"{where}: a list of values in order is needed")
    try:
        wrong = [(one, other) for one, other in pairwise(values) if one > other]
    except TypeError:
        raise RecordRefused(f"{where}: its values are of several kinds") from None
    if wrong:
        one, other = wrong[0]
        raise RecordRefused(
            f"{where}: {show(one)} stands before {show(other)}; quantiles are told in order, the "
            "least first"
        )
    if any(isinstance(one, (float, Decimal)) and not isfinite(one) for one in values):
        raise RecordRefused(
            f"{where}: a quantile is a number; {show(values, 40)} has one that is none"
        )
    return list(values)


def _of_range(rule: Rule) -> Rule | None:
    """A plain range has an order, too."""
    ends = plain_ends(rule)
    if ends is None:
        return None
    try:
        return quantiles(list(ends.values), decimals=ends.decimals)
    except RecordRefused:  # too wide for arrays
        return None


def _inside(rule: Rule) -> Rule | None:
    """What is sometimes None has the order of what else it is."""
    return rule.inner if isinstance(rule, (SometimesNone, NoneWith)) else None


RANKED += [_of_range, _inside]
