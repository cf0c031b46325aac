"""What is learnt of one table: a rule a column."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from functools import partial
from typing import Any

import numpy as np

from urnshelf.calls.wording import plural
from urnshelf.learning.categories import category_rule
from urnshelf.learning.column_rule import (
    ColumnRule,
    Labelled,
    Settings,
    decimals_told,
    labelled,
)
from urnshelf.learning.factors import Factor, banded
from urnshelf.learning.kinds import Kind, kind_of
from urnshelf.learning.knots import Numbers
from urnshelf.learning.missing import missing_rules
from urnshelf.learning.numbers import Known, NumberFit, number_fit
from urnshelf.learning.relations import Relation, earlier, followed, is_word, relations
from urnshelf.learning.sample import Array, SampleColumn, SampleTable
from urnshelf.learning.text_forms import text_rule
from urnshelf.urn.grouping import ABOVE, BETWEEN, text_of

_DAY = 86_400
_WORDS = ("else", "none", "above", "to ")


class TableLearner:
    """Learns one table.

    Args:
        table: of the sample.
        fixed: the columns whose rules are told already: keys, links, sums.
        given: what the parents' columns divide into.
        settings: how it is learnt.
    """

    def __init__(
        self,
        table: SampleTable,
        fixed: Mapping[str, ColumnRule],
        given: Sequence[Factor],
        settings: Settings,
    ) -> None:
        self.table, self.settings = table, settings
        self.rules: dict[str, ColumnRule] = dict(fixed)
        self.factors: list[Factor] = list(given)
        self.known: dict[str, Known] = {}
        self.leans: dict[str, dict[str, int]] = {}
        self.relations: list[Relation] = []
        self._open = {name: one for name, one in table.columns.items() if name not in fixed}
        self._kinds: dict[str, Kind] = {
            name: kind_of(one, settings.smallest, f"{table.origin}, column {name!r}")
            for name, one in self._open.items()
        }

    def learn(self) -> list[ColumnRule]:
        """The rules of all columns, in the sample's order."""
        self._formulas()
        self._plain_ones()
        self._categories()
        self._numbers()
        self._later_ones()
        missing_rules(self.table, self.rules, self.factors, self.settings)
        return [self.rules[name] for name in self.table.columns if name in self.rules]

    def _of_kind(self, *kinds: Kind) -> dict[str, SampleColumn]:
        return {
            name: one
            for name, one in self._open.items()
            if self._kinds[name] in kinds and name not in self.rules
        }

    def _formulas(self) -> None:
        numbers = {
            name: one
            for name, one in self._of_kind("numbers", "steps", "ids", "categories").items()
            if not one.is_labelled
        }
        self.relations = relations(numbers)
        for name in {name for one in self.relations for name in one.inputs}:
            # what others come of is a measure, though no two rows share it
            if self._kinds[name] == "ids":
                self._kinds[name] = "numbers"
        for one in self.relations:
            column = numbers[one.name]
            self.rules[one.name] = ColumnRule(
                one.name, "numbers", {"formula": one.formula, "decimals": column.decimals},
                self._range(column), f"= {one.formula}, on all {one.rows} rows",
            )  # fmt: skip

    def _plain_ones(self) -> None:
        for name, column in self._open.items():
            kind = self._kinds[name]
            if name in self.rules:
                continue
            if kind == "nothing":
                rule: Any = {"sometimes_none": {"constant": ""}, "rate": 1.0}
                self.rules[name] = ColumnRule(name, "nothing", rule, comment="never there")
            elif kind == "one value":
                self.rules[name] = self._one_value(name, column)
            elif kind in ("serial", "ids"):
                self.rules[name] = _of_ids(name, column, kind)
            elif kind == "texts":
                rule, told = text_rule(column, self.settings.smallest)
                self.rules[name] = ColumnRule(name, "texts", rule, _lengths(column), "", told)

    def _one_value(self, name: str, column: SampleColumn) -> ColumnRule:
        value = next(one for one in column.values() if one is not None)
        if name in self.settings.relabel:
            value = f"{name} 1"
        return ColumnRule(name, "one value", {"constant": value}, str(value))

    # --- categories ---

    def _categories(self) -> None:
        done: dict[str, Labelled] = {}
        for name, column in self._of_kind("categories").items():
            one = labelled(column, self.settings.smallest, name not in self.settings.closed)
            if name in self.settings.relabel:
                one.labels = [f"{name} {number + 1}" for number in range(len(one.labels))]
            follows = followed(one.codes, len(one.labels), {n: o.codes for n, o in done.items()})
            if follows is not None:
                self.rules[name] = _following(one, done[follows[0]], follows)
            else:
                self.rules[name] = category_rule(one, self.factors, self.settings)
                self._add_factor(name, one)
            done[name] = one

    def _add_factor(self, name: str, one: Labelled) -> None:
        keys = [text_of(label) for label in one.labels]
        # a key that means something else, or two that are alike, would be misread
        is_clear = len({*keys}) == len(keys) and not any(
            key.startswith(_WORDS) or BETWEEN in key for key in keys
        )
        if is_clear and len(keys) > 1:
            self.factors.append(Factor((name,), one.codes, keys))

    # --- numbers ---

    def _numbers(self) -> None:
        days = {n: one for n, one in self._open.items() if self._kinds[n] in ("days", "moments")}
        after = {name: earlier(name, days) for name in days if name not in self.rules}
        for name, column in self._of_kind("steps", "numbers", "days", "moments").items():
            if after.get(name) is None:
                self._number(name, column)
        self._after = {name: one for name, one in after.items() if one is not None}

    def _later_ones(self) -> None:
        for name, before in self._after.items():
            column, first = self._open[name], self._open[before]
            gaps = column.numbers - first.numbers
            told = self._exact_gap(name, gaps / _DAY if column.form == "moment" else gaps)
            if told is not None:
                self.rules[name] = ColumnRule(
                    name, self._kinds[name], {"after": before, "gap": {"formula": told}},
                    self._range(column),
                    f"= {before} + {told}, in days, on all {_rows(column)} rows",
                )  # fmt: skip
                continue
            decimals = 0
            if column.form == "moment":
                gaps, decimals = gaps / _DAY, 4
            numbers = _as_numbers(SampleColumn("gap", "float", gaps, column.codes, [], decimals))
            fit = number_fit(numbers, self.factors, self.known, self.leans, self.settings)
            gap = _rule_of(numbers, fit, partial(decimals_told, decimals=decimals))
            self.rules[name] = ColumnRule(
                name, self._kinds[name], {"after": before, "gap": gap}, self._range(column),
                f"never before {before}, on all {_rows(column)} rows{_told_by(fit, '; ')}",
            )  # fmt: skip

    def _exact_gap(self, name: str, gaps: Array) -> str | None:
        """The column of whole numbers that tells a gap exactly."""
        there = ~np.isnan(gaps)
        for other, column in self._open.items():
            # what is missing where the gap is there cannot tell it
            is_other = other != name and is_word(other) and column.form == "int"
            if is_other and column.there[there].all():
                same = np.array_equal(column.numbers[there], gaps[there])
                if same and len(np.unique(gaps[there])) > 1:
                    return other
        return None

    def _number(self, name: str, column: SampleColumn) -> None:
        numbers, comment = _as_numbers(column), ""
        if self._kinds[name] == "steps":
            kept = np.unique(column.numbers[column.there], return_counts=True)
            values = kept[0][kept[1] >= self.settings.smallest]
            numbers.steps = [round(float(one) * 10**column.decimals) for one in values]
            numbers.units = _nearest(numbers.units, np.array(numbers.steps))
            rare = len(kept[0]) - len(values)
            comment = f"{plural(rare, 'rarer value')} told as the nearest" if rare else ""
        fit = number_fit(numbers, self.factors, self.known, self.leans, self.settings)
        show = self._shower(column)
        self.rules[name] = ColumnRule(
            name, self._kinds[name], _rule_of(numbers, fit, show), self._range(column),
            _told_by(fit, ""), comment,
        )  # fmt: skip
        self.leans[name] = fit.leans
        self.known[name] = Known(fit.fit.scores, self._bands(name, column, numbers))
        if numbers.steps is not None and len(numbers.steps) <= 12:
            codes = np.where(numbers.there, np.searchsorted(numbers.steps, numbers.units), -1)
            keys = [text_of(show(one)) for one in numbers.steps]
            self.factors.append(Factor((name,), codes, keys))

    def _bands(self, name: str, column: SampleColumn, numbers: Numbers) -> dict[int, Factor]:
        units = np.where(numbers.there, numbers.units, np.nan).astype(float)
        show = self._shower(column)
        found: dict[int, Factor] = {}
        for bands in (2, 5):
            made = banded(name, _coarse(units), bands, lambda one: text_of(show(round(one))))
            if made is not None:
                found[bands] = made
        return found

    def _shower(self, column: SampleColumn) -> Any:
        if column.form in ("day", "moment"):
            return column.value
        if column.form == "float":  # also where all of them are whole
            return lambda units: float(decimals_told(int(units), column.decimals))
        return lambda units: decimals_told(int(units), column.decimals)

    def _range(self, column: SampleColumn) -> str:
        numbers = column.numbers[column.there]
        if not len(numbers):
            return ""
        # of the ends of a sample nothing is told
        low, high = np.quantile(numbers, [0.05, 0.95], method="nearest")
        return f"{_short(column.value(low))} … {_short(column.value(high))}"


def _rows(column: SampleColumn) -> int:
    return int(column.there.sum())


def _short(value: Any) -> str:
    return value.isoformat()[:16] if isinstance(value, date) else f"{value:g}"


def _coarse(units: Array) -> Array:
    """Two digits are enough for the limits of bands."""
    there = units[~np.isnan(units)]
    spread = float(there.max() - there.min()) if len(there) else 1.0
    step = 10.0 ** max(len(str(int(max(spread, 1)))) - 2, 0)
    return np.asarray(np.ceil(units / step) * step)


def _as_numbers(column: SampleColumn) -> Numbers:
    there = column.there
    # the limits of bands are told in them, so that they are whole
    units = np.round(np.where(there, column.numbers, 0) * 10.0**column.decimals)
    return Numbers(units.astype(np.int64), there, column.decimals)


def _nearest(units: Array, steps: Array) -> Array:
    """The step that each is nearest to: rarer values are told by others."""
    place = np.clip(np.searchsorted(steps, units), 1, len(steps) - 1)
    low, high = steps[place - 1], steps[place]
    return np.asarray(np.where(units - low <= high - units, low, high))


def _rule_of(numbers: Numbers, fit: NumberFit, show: Any) -> dict[str, Any]:
    """The rule of a column of numbers, as a plan tells it."""
    told: list[Any] = list(fit.fit.told)
    if numbers.steps is None:
        told = [[show(one) for one in knots] for knots in told]
    keys = None if fit.by is None else fit.by.keys
    if fit.by is not None and _is_complete(fit.by):
        keys, told = fit.by.keys[:-1], told[:-1]
    in_groups: Any = told[0] if keys is None else dict(zip(keys, told, strict=True))
    if numbers.steps is not None:
        rule: dict[str, Any] = {"among": [show(one) for one in numbers.steps]}
        rule["weights"] = in_groups
    else:
        rule = {"quantiles": in_groups}
        at = fit.fit.at
        if any(one is not None for one in at):
            places = {key: one for key, one in zip(keys or [""], at, strict=False) if one}
            rule["at"] = at[0] if keys is None else places
        # floats that are all whole are told so, or what is between them would not be
        is_real = isinstance(told[0][0], float)
        if is_real or (numbers.decimals and isinstance(told[0][0], int)):
            rule["decimals"] = numbers.decimals
    if fit.by is not None:
        rule["by"] = fit.by.by
    if fit.leans:
        rule["leans"] = {name: weight / 1000 for name, weight in fit.leans.items()}
    return rule


def _is_complete(by: Factor) -> bool:
    """Whether bands take in every row, so that nothing is left for all others."""
    is_banded = ABOVE in by.keys and len(by.fields) == 1
    return is_banded and not bool((by.codes == len(by.keys) - 1).any())


def _told_by(fit: NumberFit, before: str) -> str:
    parts = [] if fit.by is None else [f"by {' and '.join(fit.by.fields)}"]
    if fit.leans:
        parts.append("leans on " + ", ".join(f"{n} {w / 1000:+.2f}" for n, w in fit.leans.items()))
    return before + "; ".join(parts) if parts else ""


def _of_ids(name: str, column: SampleColumn, kind: Kind) -> ColumnRule:
    if kind == "serial":
        start = int(column.numbers[0])
        rule: dict[str, Any] = {"serial": ""} | ({"start": start} if start != 1 else {})
        return ColumnRule(name, "serial", rule, f"from {start}", "one after the other")
    low, high = column.numbers.min(), column.numbers.max()
    digits = 10 ** len(str(int(max(high - low, 10) * 2)))
    rule = {"all_different": {"between": [1, int(digits)]}}
    return ColumnRule(name, "ids", rule, f"{len(column.numbers)} different", "all different")


def _following(one: Labelled, other: Labelled, follows: tuple[str, dict[int, int]]) -> ColumnRule:
    name, pairs = follows
    known = {text_of(other.labels[a]): one.labels[b] for a, b in sorted(pairs.items())}
    return ColumnRule(
        one.column.name, "categories", {"known_by": name, "is": known},
        f"{len(one.labels)} values", f"known by {name}, on all {int((one.codes >= 0).sum())} rows",
    )  # fmt: skip


def _lengths(column: SampleColumn) -> str:
    lengths = [len(str(one)) for one in column.labels]
    return f"{min(lengths, default=0)} to {max(lengths, default=0)} letters"
