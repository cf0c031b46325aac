"""Rules of values that have an order: in groups, and leaning on other fields that have one.

A value's score comes of its own bits and of the scores of the fields that it leans on; what is
left for its own is told by whole square roots, so that its distribution stays as it is: a normal
copula (M. C. Cario, B. L. Nelson, "Modeling and generating random vectors with arbitrary marginal
distributions and correlation matrix", 1997).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from math import isqrt
from types import ModuleType
from typing import Any, NamedTuple, Protocol

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.urn.grouping import BETWEEN, Groups
from urnshelf.urn.mixing import Bits
from urnshelf.urn.ranks import ONE, rank, ranks, score, scores
from urnshelf.urn.rules.base import Rule

_STEEPEST = 2
"""Fields that go together are followed by more than their whole, one against the other."""
_FAR = 1 << 62
_WHOLE = 1000
"""Leans are told in thousandths."""


class Scale(Protocol):
    """The distribution of one group."""

    def value(self, rank: int) -> int:
        """What stands at a rank."""
        ...

    def rank(self, value: int) -> int:
        """Where a value stands."""
        ...


class Scales(Protocol):
    """The distributions of several groups, for arrays."""

    def values(self, ranks: Any, groups: Any) -> Any:
        """What stands at ranks."""
        ...

    def ranks(self, values: Any, groups: Any) -> Any:
        """Where values stand."""
        ...


class _Lean(NamedTuple):
    """How a field leans on another one.

    Attributes:
        weight: in thousandths.
        rule: of the other.
        places: where the other's value and those of its groups stand among the inputs.
    """

    weight: int
    rule: Ranked
    places: tuple[int, ...]


class Ranked(Rule):
    """A rule whose values have an order.

    Args:
        told: the groups, and how each is distributed.
        by: which group a record is in; None for one group.
        leans: the fields that it leans on, in thousandths.
        where: for messages.
    """

    vectorised = False

    def __init__(
        self, told: Sequence[Scale], by: Groups | None, leans: Mapping[str, int], where: str
    ) -> None:
        self.told, self.by, self.leans, self.where = list(told), by, dict(leans), where
        self.needs = (*(by.fields if by else ()), *self.leans)
        self._own = _WHOLE
        self._others: list[_Lean] = []
        self._is_bound = not leans
        self._scales: Scales | None = None

    # --- what each kind knows ---

    def units(self, value: Any) -> int | None:
        """The whole number that a value is told by; None for what is none of this kind."""
        raise NotImplementedError

    def many_scales(self, numpy: ModuleType) -> Scales:
        """The distributions, for arrays."""
        raise NotImplementedError

    def all_units(self, values: Sequence[Any], numpy: ModuleType) -> tuple[Any, Any]:
        """The whole numbers of many values, and where there are any."""
        made = [self.units(one) for one in values]
        there = numpy.array([one is not None for one in made], dtype=bool)
        # what is far outside stands at an end, whatever it is
        within = [max(-_FAR, min(_FAR, one or 0)) for one in made]
        return numpy.array(within, dtype=numpy.int64), there

    # --- beside the other fields ---

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        """The same, bound to the rules of the fields that it leans on."""
        if self._is_bound:
            return self
        found = self.copied()
        names = list(self.needs)
        others = {name: self._other(name, rules) for name in self.leans}
        for other in others.values():
            names += other.by.fields if other.by else ()
        found.needs = tuple(dict.fromkeys(names))
        places = {name: place for place, name in enumerate(found.needs)}
        found._others = [
            _Lean(weight, other, (places[name], *_places_of(other, places)))
            for (name, weight), other in zip(self.leans.items(), others.values(), strict=True)
        ]
        found._own = self._left_over(rules)
        found._is_bound = True
        return found

    def copied(self) -> Ranked:
        """The same once more."""
        found = object.__new__(type(self))
        found.__dict__.update(self.__dict__)
        return found

    def _other(self, name: str, rules: Mapping[str, Rule]) -> Ranked:
        if name not in rules:
            raise RecordRefused(
                f"{self.where}: leans on {name!r}, which is no field; {nearest(name, rules)}"
            )
        found = ranked(rules[name])
        if found is None and rules[name].size == 1:
            raise RecordRefused(
                f"{self.where}: leans on {name!r}, which is always the same; tell its distribution "
                f"first, urn.set_rules(…, {name}=rules.quantiles(…)), and give the value with the "
                "draw"
            )
        if found is None:
            raise RecordRefused(
                f"{self.where}: leans on {name!r}, which is drawn by {rules[name]!r}: a field can "
                "lean on one that is drawn by quantiles, between or among"
            )
        return found

    def _left_over(self, rules: Mapping[str, Rule]) -> int:
        """How much of the score is its own, in thousandths."""
        taken = Together(_all_leans(self.leans, rules)).taken(self.leans)
        left = _WHOLE**3 - taken
        if left < 0:
            part = isqrt(98 * _WHOLE**3 * _WHOLE**2 // 100 // taken)
            less = {name: one * part // _WHOLE / _WHOLE for name, one in self.leans.items()}
            raise RecordRefused(
                f"{self.where}: leans = {_told(self.leans)} tell {taken * 100 // _WHOLE**3} % of "
                "what there is to tell, for these fields go together: make them smaller, such as "
                f"leans = {less}"
            )
        return isqrt(left // _WHOLE)

    # --- drawing ---

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        group = 0 if self.by is None else self.by.of(*inputs[: len(self.by.fields)])
        return self.finish(self.told[group].value(self._rank(bits, inputs)))

    def _rank(self, bits: Bits, inputs: Sequence[Any]) -> int:
        own = bits.below(ONE)
        if not self.leans:
            return own
        self._check()
        total = self._own * score(own)
        for weight, rule, (at, *groups) in self._others:
            total += weight * rule.score_of(inputs[at], [inputs[place] for place in groups])
        return rank(total // _WHOLE)

    def score_of(self, value: Any, groups: Sequence[Any]) -> int:
        """The score of a value in its group; 0, the middle, for what has none."""
        units = self.units(value)
        if units is None:
            return 0
        return score(self.told[0 if self.by is None else self.by.of(*groups)].rank(units))

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes."""
        return self.finish_all(self.raw_all(lanes, inputs))

    def raw_all(self, lanes: Any, inputs: Sequence[Any]) -> Any:
        """The whole numbers of all lanes."""
        numpy = lanes._numpy
        own = lanes.below(ONE)
        groups = self._groups(inputs[: len(self.by.fields) if self.by else 0], len(own), numpy)
        if self.leans:
            self._check()
            total = self._own * scores(own, numpy)
            for weight, rule, (at, *places) in self._others:
                given = [inputs[place] for place in places]
                total += weight * rule.all_scores(inputs[at], given, numpy)
            own = ranks(total // _WHOLE, numpy)
        return self._for_arrays(numpy).values(own, groups)

    def all_scores(self, values: Sequence[Any], groups: Sequence[Any], numpy: ModuleType) -> Any:
        """The scores of many values."""
        units, there = self.all_units(values, numpy)
        stand = self._for_arrays(numpy).ranks(units, self._groups(groups, len(units), numpy))
        return numpy.where(there, scores(stand, numpy), 0)

    def _groups(self, columns: Sequence[Any], count: int, numpy: ModuleType) -> Any:
        if self.by is None:
            return numpy.zeros(count, dtype=numpy.int64)
        return self.by.all_of(columns, numpy)

    def _for_arrays(self, numpy: ModuleType) -> Scales:
        if self._scales is None:
            self._scales = self.many_scales(numpy)
        return self._scales

    def _check(self) -> None:
        if not self._is_bound:
            raise RecordRefused(
                f"{self.where}: it leans on {', '.join(self.leans)}, and is drawn alone: draw it "
                "as a field of a record"
            )

    # --- in plan files ---

    def by_in_plan(self) -> dict[str, Any]:
        """What a plan file tells of groups and leans."""
        fields = self.by.fields if self.by else ()
        found: dict[str, Any] = {}
        if fields:
            found["by"] = fields[0] if len(fields) == 1 else list(fields)
        if self.leans:
            found["leans"] = _told(self.leans)
        return found

    def in_groups(self, told: Sequence[Any]) -> Any:
        """What each group has, as a plan file tells it."""
        if self.by is None:
            return told[0]
        return {BETWEEN.join(key): one for key, one in zip(self.by.keys, told, strict=True)}


def _all_leans(leans: Mapping[str, int], rules: Mapping[str, Rule]) -> dict[str, Mapping[str, int]]:
    """The leans of some fields, of those that they lean on, and so on."""
    found: dict[str, Mapping[str, int]] = {}
    waiting = list(leans)
    while waiting:
        name = waiting.pop()
        if name in found or name not in rules:
            continue
        one = ranked(rules[name])
        found[name] = {} if one is None else one.leans
        waiting += found[name]
    return found


def _places_of(rule: Ranked, places: Mapping[str, int]) -> list[int]:
    return [places[name] for name in rule.by.fields] if rule.by else []


def _told(leans: Mapping[str, int]) -> dict[str, float]:
    return {name: weight / _WHOLE for name, weight in leans.items()}


def leans_of(told: Any, where: str) -> dict[str, int]:
    """Leans in thousandths; raises RecordRefused for what are none."""
    if told is None:
        return {}
    if not isinstance(told, Mapping):
        raise RecordRefused(
            f"{where}: leans = {show(told, 60)}, but a table of fields is needed, each with how "
            "far it is followed: leans = { length_m = 0.8 }"
        )
    for name, weight in told.items():
        if (
            isinstance(weight, bool)
            or not isinstance(weight, (int, float))
            or abs(weight) > _STEEPEST
        ):
            raise RecordRefused(
                f"{where}: leans on {name!r} by {show(weight, 40)}, but a number from -2 to 2 is "
                "needed"
            )
    return {name: round(weight * _WHOLE) for name, weight in told.items()}


# --- which rules have an order --------------------------------------------------------------------

RANKED: list[Callable[[Rule], Ranked | Rule | None]] = []
"""What finds the order of a rule: its own, or that of the rule in it; each stands where its kind
does."""


def ranked(rule: Rule) -> Ranked | None:
    """A rule as one whose values have an order; None where they have none."""
    if isinstance(rule, Ranked):
        return rule
    for way in RANKED:
        found = way(rule)
        if found is not None:
            return ranked(found)
    return None


class Together:
    """How far fields go together, in thousandths, by the leans of all of them.

    Args:
        leans: of each field, in thousandths.
    """

    def __init__(self, leans: Mapping[str, Mapping[str, int]]) -> None:
        self._leans = leans
        self._known: dict[tuple[str, str], int] = {}
        self._depths: dict[str, int] = {}

    def taken(self, leans: Mapping[str, int]) -> int:
        """How much of a score leans tell, in thousands of millionths."""
        return sum(
            one * other * self.of(first, second)
            for first, one in leans.items()
            for second, other in leans.items()
        )

    def of(self, one: str, other: str) -> int:
        """How far two fields go together."""
        if one == other:
            return _WHOLE
        # the one that comes later leans on what comes before it
        first, second = sorted((one, other), key=lambda name: (self._depth(name), name))
        if (first, second) not in self._known:
            self._known[first, second] = 0  # of a circle, which is told elsewhere
            self._known[first, second] = (
                sum(
                    weight * self.of(name, first)
                    for name, weight in self._leans.get(second, {}).items()
                )
                // _WHOLE
            )
        return self._known[first, second]

    def _depth(self, name: str) -> int:
        if name not in self._depths:
            self._depths[name] = 0
            leans = self._leans.get(name, {})
            self._depths[name] = 1 + max(map(self._depth, leans)) if leans else 0
        return self._depths[name]
