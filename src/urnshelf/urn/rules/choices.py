"""Rules of choice: among values, sometimes None, all different."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.grouping import BETWEEN, Groups
from urnshelf.urn.mixing import Bits
from urnshelf.urn.permutation import permuted
from urnshelf.urn.rules.base import Place, PlanRule, Rule, data_of, planned, table
from urnshelf.urn.rules.given import as_rule
from urnshelf.urn.rules.in_order import InOrder, Steps
from urnshelf.urn.rules.leaning import RANKED, leans_of


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
        drawn, limit = bits.below(sum(self._weights)), 0
        found = drawn * 0  # of as many as are drawn
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


def _ordered(rule: Rule) -> Rule | None:
    """A plain choice has the order in which its values are told."""
    if not isinstance(rule, _Among):
        return None
    weights = rule._weights or (1,) * len(rule._choices)
    return InOrder(rule._choices, [Steps(weights)], None, {}, "among")


RANKED.append(_ordered)


@planned("among", "weights", "by", "leans")
def _among_of(entry: PlanRule) -> Rule:
    return among(*[entry.typed(choice) for choice in entry.value], **entry.options)


def among(
    *choices: object,
    weights: Sequence[int] | Mapping[Any, Sequence[int]] | None = None,
    by: str | Sequence[str] | None = None,
    leans: Mapping[str, float] | None = None,
) -> Rule:
    """One of the given values.

    Args:
        choices: the values; or one sequence of them.
        weights: a whole number for each: how often it comes, in proportion; with `by` so many for
            each group, by its key, as for `quantiles`.
        by: another field, or two of them, on which the weights depend.
        leans: how far the values, in the order in which they are told, go with those of other
            fields, from -1 to 1.

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
    if isinstance(weights, Mapping) or by is not None or leans is not None:
        return _in_order(choices, weights, by, leans)
    if weights is not None:
        _check_weights(weights, len(choices))
    return _Among(choices, None if weights is None else tuple(weights))


def _in_order(choices: tuple[Any, ...], weights: Any, by: Any, leans: Any) -> Rule:
    where = f"among({', '.join(show(one, 20) for one in choices[:3])}…)"
    if isinstance(weights, Mapping) is (by is None):
        raise RecordRefused(
            f"{where}: with by=… the weights of each group are needed, weights={{…}}, and only then"
        )
    told = weights if isinstance(weights, Mapping) else {"else": weights or (1,) * len(choices)}
    for several in told.values():
        _check_weights(several, len(choices))
    groups = None if by is None else Groups(by, told, where)
    return InOrder(
        choices, [Steps(one) for one in told.values()], groups, leans_of(leans, where), where
    )


def _check_weights(weights: Any, count: int) -> None:
    several = list(weights) if isinstance(weights, (list, tuple)) else [weights]
    whole = all(isinstance(w, int) and w >= 0 for w in several)
    if len(several) != count or not whole or not sum(several):
        raise RecordRefused(
            f"among(…, weights={several}): one whole number for each of the {count} values, not "
            "all 0"
        )


class SometimesNone(Rule):
    """None at a rate.

    Args:
        inner: draws it where it is there.
        rates: of each group, in thousandths.
        by: which group a record is in; None for one group.
    """

    def __init__(self, inner: Rule, rates: Sequence[int], by: Groups | None = None) -> None:
        self.inner, self._rates, self._by = inner, tuple(rates), by
        self._count = len(by.fields) if by else 0
        self.needs = (*(by.fields if by else ()), *inner.needs)
        self.in_series = inner.in_series
        self.gives_none = any(rates)

    def placed(self, place: Place) -> Rule:
        """The same, what is in it placed."""
        return SometimesNone(self.inner.placed(place), self._rates, self._by)

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        """The same, what is in it bound."""
        return SometimesNone(self.inner.beside(rules), self._rates, self._by)

    def reaching(self, field: str) -> Rule | None:
        """Another field of the same parent, or None where it is."""
        found = self.inner.reaching(field)
        return None if found is None else SometimesNone(found, self._rates, self._by)

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value, or None."""
        rate = self._rates[0 if self._by is None else self._by.of(*inputs[: self._count])]
        if bits.below(1000) < rate:
            return None
        return self.inner.one(bits.sub(0), *inputs[self._count :])

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes."""
        numpy = lanes._numpy
        rates: Any = self._rates[0]
        if self._by is not None:
            rates = numpy.array(self._rates)[self._by.all_of(inputs[: self._count], numpy)]
        none = (lanes.below(1000) < rates).tolist()
        values = self.inner.many(lanes.sub(0), *inputs[self._count :])
        return [None if absent else value for absent, value in zip(none, values, strict=True)]

    def to_plan(self) -> dict[str, Any]:
        """What it is else, and the rate."""
        inner = self.inner.to_plan()
        if self._by is None:
            return table("sometimes_none", inner, rate=self._rates[0] / 1000)
        fields = self._by.fields
        told = {
            BETWEEN.join(key): rate / 1000
            for key, rate in zip(self._by.keys, self._rates, strict=True)
        }
        by = fields[0] if len(fields) == 1 else list(fields)
        return table("sometimes_none", inner, rate=told, by=by)


@planned("sometimes_none", "rate", "by")
def _sometimes_none_of(entry: PlanRule) -> Rule:
    return sometimes_none(entry.rule_of(entry.value), **entry.options)


def sometimes_none(
    rule: object,
    rate: float | Mapping[Any, float] = 0.25,
    by: str | Sequence[str] | None = None,
) -> Rule:
    """None at this rate, otherwise as the rule says.

    Args:
        rule: a rule, or a value.
        rate: between 0 and 1, to the thousandth; with `by` one for each group, by its key, as for
            `quantiles`.
        by: another field, or two of them, on which the rate depends.

    >>> seldom = rules.sometimes_none("two fenders lost", rate=0.5)
    >>> [berth.defect for berth in Urn(seed=7).draw(Berth, 3, defect=seldom)]
    [None, None, 'two fenders lost']
    """
    where = f"sometimes_none(…, rate={show(rate, 60)})"
    if isinstance(rate, Mapping) is (by is None):
        raise RecordRefused(f"{where}: with by=… a rate for each group is needed, and only then")
    rates = dict(rate) if isinstance(rate, Mapping) else {"else": rate}
    for one in rates.values():
        if isinstance(one, bool) or not isinstance(one, (int, float)) or not 0 <= one <= 1:
            raise RecordRefused(f"{where}: a rate is between 0 and 1")
    groups = None if by is None else Groups(by, rates, where)
    return SometimesNone(as_rule(rule), [round(one * 1000) for one in rates.values()], groups)


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
