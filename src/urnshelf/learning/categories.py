"""Rules of categories: how often each comes, and of which other ones that depends."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from typing import Any

import numpy as np

from urnshelf.calls.wording import plural
from urnshelf.learning.column_rule import ColumnRule, Labelled, Settings, shown_share
from urnshelf.learning.factors import (
    Factor,
    crossed,
    first_of,
    information,
    kept_groups,
)
from urnshelf.learning.knots import weights_of
from urnshelf.learning.sample import Array

_BETTER = 1.05
_SHOWN = 4


def category_rule(one: Labelled, factors: Sequence[Factor], settings: Settings) -> ColumnRule:
    """The rule of a column of categories.

    Args:
        one: the column.
        factors: what stands before it.
        settings: how it is learnt.
    """
    by = chosen(one.codes, len(one.labels), factors, settings)
    labels = one.labels
    overall = np.bincount(one.codes[one.codes >= 0], minlength=len(labels))
    rule: dict[str, Any] = {"among": labels}
    if by is None:
        rule["weights"] = weights_of(overall, overall, settings.smallest)
        follows = ""
    else:
        rule["by"] = by.by
        rule["weights"] = {
            key: weights_of(
                np.bincount(
                    one.codes[(by.codes == group) & (one.codes >= 0)], minlength=len(labels)
                ),
                overall,
                settings.smallest,
            )
            for group, key in enumerate(by.keys[:-1])
        }
        others = one.codes[(by.codes == len(by.keys) - 1) & (one.codes >= 0)]
        # of few others nothing is told
        left = np.bincount(others, minlength=len(labels))
        left = left if len(others) >= settings.least else overall
        rule["weights"]["else"] = weights_of(left, overall, settings.smallest)
        follows = f"by {' and '.join(by.fields)}"
    return ColumnRule(
        one.column.name, "categories", rule, _shown(labels, overall), follows, _comment(one)
    )


def _comment(one: Labelled) -> str:
    if not one.rare:
        return ""
    told = "as (other)" if "(other)" in one.labels else "left out"
    return f"{plural(one.rare, 'rarer value')} {told}"


def _shown(labels: Sequence[Any], counts: Array) -> str:
    total = max(int(counts.sum()), 1)
    order = np.argsort(-counts, kind="stable")[:_SHOWN]
    told = [f"{labels[n]} {shown_share(float(counts[n]) / total)}" for n in order]
    more = len(labels) - len(told)
    return ", ".join(told) + (f", {more} more" if more else "")


def chosen(
    codes: Array, labels: int, factors: Sequence[Factor], settings: Settings
) -> Factor | None:
    """The factor that tells most, or two together that tell more.

    Args:
        codes: the label of each row.
        labels: how many there are.
        factors: what may be told by.
        settings: how it is learnt.
    """
    there = codes >= 0
    best: Factor | None = None
    most = 0.0
    for factor in factors:
        kept = kept_groups(factor, there, settings.least)
        if kept is None:
            continue
        told = information(codes, kept.codes, labels, len(kept.keys))
        if told > most:
            best, most = kept, told
    pairs = combinations(first_of([one for one in factors if len(one.fields) == 1], 10), 2)
    for one, other in pairs:
        kept = kept_groups(crossed(one, other), there, settings.least)
        if kept is None or one.fields == other.fields:
            continue
        told = information(codes, kept.codes, labels, len(kept.keys))
        if told > max(most * _BETTER, most + 2):
            best, most = kept, told
    return best
