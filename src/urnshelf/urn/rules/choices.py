"""Rules of choice: among values, sometimes None, all different."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.mixing import Bits
from urnshelf.urn.permutation import permuted
from urnshelf.urn.rules.base import Place, PlanRule, Rule, data_of, planned, table
from urnshelf.urn.rules.given import as_rule

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class _Among(Rule):
    """One of several values."""

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        """A categorical column."""
        from pandas import Categorical

        raw = self.raw(lanes)
        try:
            return Categorical.from_codes(raw, list(self._choices))
        except (TypeError, ValueError):  # values that repeat, or that cannot be categories
            return self.finish_all(raw)

    def __init__(self, choices: tuple[Any, ...], weights: tuple[int, ...] | None) -> None:
        self._choices = choices
        self._weights = weights
        self._is_shared = all(type(one) in (str, int, bool) or keep(one) is one for one in choices)
        self.size = len(choices) if weights is None else None

    @property
    def repeats(self) -> list[Any]:
        """The choices that stand there more than once."""
        found: list[Any] = []
        every = [(type(one), one) for one in self._choices]
        for number, one in enumerate(every):
            if one in every[:number]:
                found.append(one[1])
        return found

    def raw(self, bits: Any) -> Any:
        if self._weights is None:
            return bits.below(len(self._choices))
        drawn, found, limit = bits.below(sum(self._weights)), 0, 0
        for weight in self._weights[:-1]:
            limit += weight
            # the same line for one number and for an array of them
            found = found + (drawn >= limit) * 1
        return found

    def narrowed(self, limits: Limits) -> Rule | None:
        kept = [choice for choice in self._choices if limits.allow(choice)]
        return among(*kept) if kept and self._weights is None and not limits.bounds else None

    def finish(self, raw: int) -> Any:
        # no two records may share what can be changed
        return self._choices[raw] if self._is_shared else keep(self._choices[raw])

    def at(self, number: int) -> Any:
        return self.finish(number)

    def finish_all(self, raw: Any) -> list[Any]:
        choices = self._choices
        if self._is_shared:
            return [choices[i] for i in raw.tolist()]
        return list(map(self.finish, raw.tolist()))

    def to_plan(self) -> dict[str, Any]:
        weights = None if self._weights is None else list(self._weights)
        return table("among", list(map(data_of, self._choices)), weights=weights)


@planned("among", "weights")
def _among_of(entry: PlanRule) -> Rule:
    return among(*[entry.typed(choice) for choice in entry.value], **entry.options)


def among(*choices: object, weights: Sequence[int] | None = None) -> Rule:
    """One of the given values.

    Args:
        choices: the values; or one sequence of them.
        weights: a whole number for each: how often it comes, in proportion.

    Raises:
        RecordRefused: nothing to choose from, or weights that do not fit.

    >>> from urnshelf.urn.mixing import Bits
    >>> {among("N", "S").one(Bits(7, i)) for i in range(20)} == {"N", "S"}
    True
    """
    if len(choices) == 1 and isinstance(choices[0], (list, tuple, set, frozenset, range)):
        choices = (
            tuple(choices[0])
            if not isinstance(choices[0], (set, frozenset))
            # a set's own order is another in each process
            else tuple(sorted(choices[0], key=repr))
        )
    if not choices:
        raise RecordRefused("among() needs at least one value to choose from")
    if weights is not None:
        whole = all(isinstance(w, int) and w >= 0 for w in weights)
        if len(weights) != len(choices) or not whole or not sum(weights):
            raise RecordRefused(
                f"among(…, weights={list(weights)}): one whole number for each of the "
                f"{len(choices)} values, not all 0"
            )
    return _Among(choices, None if weights is None else tuple(weights))


class _SometimesNone(Rule):
    def __init__(self, rule: Rule, per_mille: int) -> None:
        self._rule = rule
        self._per_mille = per_mille
        self.needs = rule.needs
        self.in_series = rule.in_series

    def placed(self, place: Place) -> Rule:
        return _SometimesNone(self._rule.placed(place), self._per_mille)

    def one(self, bits: Bits, *inputs: object) -> Any:
        return None if bits.below(1000) < self._per_mille else self._rule.one(bits.sub(0), *inputs)

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        none = (lanes.below(1000) < self._per_mille).tolist()
        values = self._rule.many(lanes.sub(0), *inputs)
        return [None if absent else value for absent, value in zip(none, values, strict=True)]

    def to_plan(self) -> dict[str, Any]:
        return table("sometimes_none", self._rule.to_plan(), rate=self._per_mille / 1000)


@planned("sometimes_none", "rate")
def _sometimes_none_of(entry: PlanRule) -> Rule:
    return sometimes_none(entry.rule_of(entry.value), **entry.options)


def sometimes_none(rule: object, rate: float = 0.25) -> Rule:
    """None at this rate, otherwise as the rule says.

    Args:
        rule: a rule, or a value.
        rate: between 0 and 1, to the thousandth.

    >>> seldom = rules.sometimes_none("two fenders lost", rate=0.5)
    >>> [berth.defect for berth in Urn(seed=7).draw(Berth, 3, defect=seldom)]
    [None, None, 'two fenders lost']
    """
    if not 0 <= rate <= 1:
        raise RecordRefused(f"sometimes_none(…, rate={rate!r}): a rate is between 0 and 1")
    return _SometimesNone(as_rule(rule), round(rate * 1000))


class _AllDifferent(Rule):
    vectorised = False
    in_series = True

    def __init__(self, rule: Rule, count: int, where: str = "all_different") -> None:
        self._where = where
        self._rule = rule
        self.size = self._count = count

    def placed(self, place: Place) -> Rule:
        return _AllDifferent(self._rule, self._count, place.where)

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        if bits.index >= self._count:
            raise RecordRefused(
                f"{self._where}: record {bits.index + 1} has no value left, there are only "
                f"{self._count} different ones"
            )
        # no memory of what came before: any index alone gives the same
        return self._rule.at(permuted(bits.key, bits.index, self._count))

    def to_plan(self) -> dict[str, Any]:
        return table("all_different", self._rule.to_plan())


@planned("all_different")
def _all_different_of(entry: PlanRule) -> Rule:
    return all_different(entry.rule_of(entry.value))


def all_different(rule: object) -> Rule:
    """Values of a countable rule, no two records with the same: a keyed permutation of them.

    Args:
        rule: a range of whole numbers or dates, a choice without weights, a pattern, or a sequence
            of values.

    Raises:
        RecordRefused: the values cannot be counted; on drawing, when there are too few.

    >>> codes = rules.all_different(rules.pattern("[A-Z][0-9]"))
    >>> len({berth.code for berth in Urn(seed=7).draw(Berth, 90, code=codes)})
    90
    """
    inner = rule if isinstance(rule, Rule) else among(rule)
    if isinstance(inner, _Among) and inner.repeats:
        raise RecordRefused(
            f"all_different({show(rule, 60)}): {show(inner.repeats[0], 40)} is there more than once"
        )
    if inner.size is None:
        raise RecordRefused(
            "all_different() takes a rule whose values can be counted: between, among, pattern or "
            "serial"
        )
    return _AllDifferent(inner, inner.size)
