"""Rules of numbers: by which groups they are distributed, and how far they lean on others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

import numpy as np

from urnshelf.learning.column_rule import Settings
from urnshelf.learning.factors import (
    Factor,
    crossed,
    first_of,
    kept_groups,
    normal_scores,
    share_told,
    side_by_side,
    without_others,
)
from urnshelf.learning.knots import Fitted, Numbers, fitted
from urnshelf.learning.sample import Array
from urnshelf.urn.rules.leaning import Together

_TOLD, _MORE = 0.015, 0.015
_INTERACTS, _BENDS = 0.05, 0.05
_MOST_LEANS, _LEAST, _STEEPEST = 6, 0.002, 2
_CAP = 0.985
_BANDED = 12
"""So many factors are tried in pairs."""


@dataclass
class Known:
    """What is known of a column that others may lean on, or be told by.

    Attributes:
        scores: of each row.
        bands: five bands of it, two, and three, where it can be banded.
    """

    scores: Array
    bands: Mapping[int, Factor] = field(default_factory=dict)


@dataclass
class NumberFit:
    """How a column of numbers is told.

    Attributes:
        by: its groups; None for one.
        fit: their distributions.
        leans: how far it leans on others, in thousandths.
    """

    by: Factor | None
    fit: Fitted
    leans: dict[str, int]


def number_fit(
    numbers: Numbers,
    factors: Sequence[Factor],
    known: Mapping[str, Known],
    leans: Mapping[str, Mapping[str, int]],
    settings: Settings,
) -> NumberFit:
    """How a column of numbers is told.

    Args:
        numbers: the column.
        factors: the categories that it may be told by.
        known: the numbers before it.
        leans: of those, in thousandths.
        settings: how it is learnt.
    """
    plain = normal_scores(numbers.units, numbers.there)
    by = _groups(plain, numbers.there, factors, known, settings)
    found = _leaning(numbers, by, known, leans, settings)
    bent = _bent(found, numbers, known, settings)
    if bent is None:
        return found
    again = _leaning(numbers, bent, known, leans, settings)
    return (
        again
        if _unexplained(again, known, numbers) < _unexplained(found, known, numbers)
        else found
    )


def _groups(
    scores: Array,
    there: Array,
    factors: Sequence[Factor],
    known: Mapping[str, Known],
    settings: Settings,
) -> Factor | None:
    """The groups that tell most: of one category, of two, of two that tell nothing alone."""
    best: Factor | None = None
    most = _TOLD
    alone: dict[tuple[str, ...], float] = {}
    kept_of: dict[tuple[str, ...], Factor] = {}
    for factor in factors:
        kept = kept_groups(factor, there, settings.least)
        if kept is None:
            continue
        alone[factor.fields] = share_told(scores, kept.codes, there)
        kept_of[factor.fields] = factor
        if alone[factor.fields] > most:
            best, most = kept, alone[factor.fields]
    if best is not None:
        first = kept_of[best.fields]
        for factor in factors:
            if factor.fields == first.fields or len({*factor.fields, *first.fields}) > 2:
                continue
            kept = kept_groups(crossed(first, factor), there, settings.least)
            told = 0.0 if kept is None else share_told(scores, kept.codes, there)
            if kept is not None and told > most + _MORE:
                best, most = kept, told
    return _interacting(scores, there, factors, known, settings, best, most)


def _interacting(
    scores: Array,
    there: Array,
    factors: Sequence[Factor],
    known: Mapping[str, Known],
    settings: Settings,
    best: Factor | None,
    most: float,
) -> Factor | None:
    """Two that tell together what neither tells alone."""
    halves = [one.bands[2] for one in known.values() if 2 in one.bands]
    several = first_of([*factors, *halves], _BANDED)
    for one, other in combinations([one for one in several if len(one.fields) == 1], 2):
        if one.fields == other.fields or len(one.keys) * len(other.keys) > 8:
            continue
        kept = kept_groups(crossed(one, other), there, settings.least)
        if kept is None:
            continue
        told = share_told(scores, kept.codes, there)
        if told <= most + _INTERACTS:
            continue
        if told > side_by_side(scores, one, other, there) + _INTERACTS:
            best, most = kept, told
    return best


def _leaning(
    numbers: Numbers,
    by: Factor | None,
    known: Mapping[str, Known],
    leans: Mapping[str, Mapping[str, int]],
    settings: Settings,
) -> NumberFit:
    """The distributions of the groups, and what the scores in them lean on."""
    n = len(numbers.units)
    groups = np.zeros(n, dtype=np.int64) if by is None else by.codes
    count = 1 if by is None else len(by.keys)
    fit = fitted(numbers, groups, count, settings.smallest)
    left = 0 if by is None else int((groups[numbers.there] == count - 1).sum())
    if by is not None and left < settings.least:
        # of so few others nothing is told: `else` is as all rows are
        everyone = fitted(numbers, np.zeros(n, dtype=np.int64), 1, settings.smallest)
        fit.told[-1], fit.at[-1] = everyone.told[0], everyone.at[0]
    chosen = _chosen(fit.scores, numbers.there, known)
    return NumberFit(by, fit, _within(chosen, leans))


def _chosen(scores: Array, there: Array, known: Mapping[str, Known]) -> dict[str, float]:
    """The columns that explain scores, one after the other, with the slopes of all together."""
    y = scores[there]
    names = list(known)
    if len(y) < 20 or not names or y.std() == 0:
        return {}
    every = np.stack([known[name].scores[there] for name in names], axis=1)
    y, every = y - y.mean(), every - every.mean(axis=0)
    products, targets = every.T @ every, every.T @ y
    total = float(y @ y)
    taken: list[int] = []
    told = 0.0
    while len(taken) < _MOST_LEANS:
        best, most = -1, told + max(_LEAST, 4 / len(y))
        for at in range(len(names)):
            if at in taken or products[at, at] < 1e-9 * len(y):
                continue
            part = _explained([*taken, at], products, targets) / total
            # columns that tell nearly the same would pull against one another
            if part > most and np.abs(_slopes([*taken, at], products, targets)).max() <= _STEEPEST:
                best, most = at, part
        if best < 0:
            break
        taken.append(best)
        told = most
    if not taken:
        return {}
    slopes = _slopes(taken, products, targets)
    return {names[at]: float(slope) for at, slope in zip(taken, slopes, strict=True)}


def _slopes(taken: Sequence[int], products: Array, targets: Array) -> Array:
    found = np.linalg.lstsq(products[np.ix_(taken, taken)], targets[list(taken)], rcond=None)[0]
    return np.asarray(found)


def _explained(taken: Sequence[int], products: Array, targets: Array) -> float:
    part = products[np.ix_(taken, taken)] + np.eye(len(taken)) * 1e-6
    return float(targets[list(taken)] @ np.linalg.solve(part, targets[list(taken)]))


def _within(slopes: Mapping[str, float], leans: Mapping[str, Mapping[str, int]]) -> dict[str, int]:
    """Leans of hundredths, that tell no more than there is."""
    told = {name: round(slope * 100) * 10 for name, slope in slopes.items()}
    told = {name: weight for name, weight in told.items() if weight}
    while told and Together(leans).taken(told) > _CAP * 10**9:
        told = {name: int(weight * 0.98 / 10) * 10 for name, weight in told.items()}
    return told


def _left(found: NumberFit, known: Mapping[str, Known]) -> Array:
    """What the leans leave of the scores."""
    left = found.fit.scores.copy()
    for name, weight in found.leans.items():
        left -= weight / 1000 * known[name].scores
    return left


def _unexplained(found: NumberFit, known: Mapping[str, Known], numbers: Numbers) -> float:
    """The part of all variance that neither groups nor leans tell."""
    there = numbers.there
    plain = normal_scores(numbers.units, there)
    between = 0.0 if found.by is None else share_told(plain, found.by.codes, there)
    within = found.fit.scores[there]
    left = _left(found, known)[there]
    return (1 - between) * float(left.var()) / max(float(within.var()), 1e-9)


def _bent(
    found: NumberFit, numbers: Numbers, known: Mapping[str, Known], settings: Settings
) -> Factor | None:
    """Groups by bands of the number that still tells something, where a line does not."""
    left = _left(found, known)
    best: Factor | None = None
    most = _BENDS
    for one in known.values():
        bands = one.bands.get(5)
        if bands is None:
            continue
        told = share_told(left, bands.codes, numbers.there)
        if told <= most:
            continue
        way = bands
        if found.by is not None:
            if len(found.by.fields) > 1 or bands.fields == found.by.fields:
                continue
            way = crossed(without_others(found.by), bands)
        kept = kept_groups(way, numbers.there, settings.least)
        if kept is not None:
            best, most = kept, told
    return best
