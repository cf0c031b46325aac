"""What is missing: at a rate, by a category, together with another column."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from urnshelf.learning.categories import chosen
from urnshelf.learning.column_rule import ColumnRule, Settings
from urnshelf.learning.factors import Factor
from urnshelf.learning.sample import SampleTable

_OWN = ("formula", "after", "gathered", "known_by")


def missing_rules(
    table: SampleTable,
    rules: Mapping[str, ColumnRule],
    factors: Sequence[Factor],
    settings: Settings,
) -> None:
    """Tell in the rules where there is none.

    Args:
        table: of the sample.
        rules: of its columns.
        factors: what it may depend on.
        settings: how it is learnt.
    """
    masks: dict[str, bytes] = {}
    for name, column in table.columns.items():
        one = rules.get(name)
        if one is None:
            continue
        there = column.there
        one.missing = 1 - float(there.mean())
        if one.missing == 0 or one.kind == "nothing":
            continue
        if _follows_alone(one, table):
            continue
        mask = there.tobytes()
        same = next((other for other, known in masks.items() if known == mask), None)
        if same is not None and not _needs(rules[same].rule, name):
            one.rule = {"none_with": same, "rule": one.rule}
            one.follows = _and(one.follows, f"missing with {same}")
            continue
        masks.setdefault(name, mask)
        missing = (~there).astype(np.int64)
        usable = [
            factor for factor in factors
            if name not in factor.fields
            and (factor.codes >= 0).all()  # what is missing itself tells only of that
            and not _circular(rules, factor.fields, name)
        ]  # fmt: skip
        by = chosen(missing, 2, usable, settings)
        if by is None:
            one.rule = {"sometimes_none": one.rule, "rate": round(one.missing, 3)}
            continue
        groups = [missing[by.codes == group] for group in range(len(by.keys) - 1)]
        rates = [_rate(float(part.mean()), len(part)) for part in groups]
        if max(rates) - min(rates) < 0.1:
            one.rule = {"sometimes_none": one.rule, "rate": round(one.missing, 3)}
            continue
        others = missing[by.codes == len(by.keys) - 1]
        rest = float(others.mean()) if len(others) >= settings.least else one.missing
        told = dict(zip(by.keys, [*rates, _rate(rest, len(others))], strict=True))
        one.rule = {"sometimes_none": one.rule, "rate": told, "by": by.by}
        one.follows = _and(one.follows, f"missing by {' and '.join(by.fields)}")


def _rate(part: float, rows: int) -> float:
    return round(part, 3 if rows >= 1000 else 2)


def _and(one: str, other: str) -> str:
    return f"{one}; {other}" if one else other


def _follows_alone(one: ColumnRule, table: SampleTable) -> bool:
    """Whether it is None of itself where it is missing: what it comes of is missing, too."""
    if not isinstance(one.rule, dict) or not any(word in one.rule for word in _OWN):
        return False
    sources = [name for name in table.columns if _needs(one.rule, name)]
    if not sources:
        return False
    there = np.logical_and.reduce([table.columns[name].there for name in sources])
    return bool(np.array_equal(there, table.columns[one.name].there))


def _needs(rule: Any, name: str) -> bool:
    """Whether a rule names a column."""
    if not isinstance(rule, Mapping):
        return False
    if "formula" in rule:
        import re

        return name in re.findall(r"[A-Za-z_]\w*", str(rule["formula"]))
    told = [rule.get(word) for word in ("after", "known_by", "none_with")]
    by = rule.get("by")
    told += [by] if isinstance(by, str) else (by or [])
    told += list(rule.get("leans", {}))
    inside = [rule.get(word) for word in ("gap", "rule", "sometimes_none")]
    return name in told or any(_needs(one, name) for one in inside)


def _circular(rules: Mapping[str, ColumnRule], fields: Sequence[str], name: str) -> bool:
    """Whether one of these fields needs a column already, directly or not."""
    waiting, seen = list(fields), set[str]()
    while waiting:
        one = waiting.pop()
        if one == name:
            return True
        if one in seen or one not in rules:
            continue
        seen.add(one)
        waiting += [other for other in rules if _needs(rules[one].rule, other)]
    return False
