"""One of several values in an order: with weights for each group, leaning on other fields."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from itertools import accumulate
from types import ModuleType
from typing import Any

from urnshelf.records.copies import keep
from urnshelf.urn.grouping import Groups
from urnshelf.urn.ranks import ONE
from urnshelf.urn.rules.base import data_of
from urnshelf.urn.rules.leaning import Ranked


class Steps:
    """How often each of several values comes, in their order.

    Args:
        weights: of each.
    """

    def __init__(self, weights: Sequence[int]) -> None:
        total = sum(weights)
        self.weights = list(weights)
        self.ends = [one * ONE // total for one in accumulate(weights)]
        self.middles = [
            min((low + high) // 2, ONE - 1)
            for low, high in zip([0, *self.ends], self.ends, strict=False)
        ]

    def value(self, rank: int) -> int:
        """The number of the value at a rank."""
        return bisect_right(self.ends, rank)

    def rank(self, value: int) -> int:
        """The middle of a value's ranks."""
        return self.middles[value]


class ManySteps:
    """The same of several groups, for arrays."""

    def __init__(self, groups: Sequence[Steps], numpy: ModuleType) -> None:
        self._numpy, self._count = numpy, len(groups[0].ends)
        ends = [[end + g * ONE for end in one.ends] for g, one in enumerate(groups)]
        self._ends = numpy.array(ends, dtype=numpy.int64).ravel()
        self._middles = numpy.array([one.middles for one in groups], dtype=numpy.int64)

    def values(self, ranks: Any, groups: Any) -> Any:
        """The numbers of the values at ranks."""
        found = self._numpy.searchsorted(self._ends, ranks + groups * ONE, "right")
        return found - groups * self._count

    def ranks(self, values: Any, groups: Any) -> Any:
        """The middles of values."""
        return self._middles[groups, values]


class InOrder(Ranked):
    """One of several values.

    Args:
        choices: the values.
        told: the weights of each group.
        by, leans, where: as for all that has an order.
    """

    def __init__(
        self,
        choices: Sequence[Any],
        told: Sequence[Steps],
        by: Groups | None,
        leans: Mapping[str, int],
        where: str,
    ) -> None:
        super().__init__(told, by, leans, where)
        self._choices, self._steps = tuple(choices), list(told)
        self._is_shared = all(type(one) in (str, int, bool) or keep(one) is one for one in choices)
        self._numbers: dict[Any, int] = {}
        for number, one in enumerate(self._choices):
            try:
                self._numbers.setdefault((type(one), one), number)
            except TypeError:  # a value without a hash has no place in an order
                continue

    def units(self, value: Any) -> int | None:
        """The number of a value."""
        try:
            return self._numbers.get((type(value), value))
        except TypeError:
            return None

    def many_scales(self, numpy: ModuleType) -> ManySteps:
        """The weights of all groups."""
        return ManySteps(self._steps, numpy)

    def finish(self, raw: int) -> Any:
        """The value with this number."""
        # no two records may share what can be changed
        return self._choices[raw] if self._is_shared else keep(self._choices[raw])

    def finish_all(self, raw: Any) -> list[Any]:
        """The values of many."""
        if not self._is_shared:
            return super().finish_all(raw)
        choices = self._choices
        return [choices[i] for i in raw.tolist()]

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        """A categorical column."""
        from pandas import Categorical

        raw = self.raw_all(lanes, inputs)
        try:
            return Categorical.from_codes(raw, list(self._choices))
        except (TypeError, ValueError):  # values that repeat, or that cannot be categories
            return self.finish_all(raw)

    def to_plan(self) -> dict[str, Any]:
        """The values, and the weights of each group."""
        weights = self.in_groups([one.weights for one in self._steps])
        return {
            "among": list(map(data_of, self._choices)), "weights": weights, **self.by_in_plan()
        }  # fmt: skip
