"""Distributions of numbers: knots that no single row tells, weights of values, scores by them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from urnshelf.learning.factors import normal_scores
from urnshelf.learning.sample import Array

MANY, FEW, FROM = 25, 13, 400
"""So many knots, fewer below so many rows."""
_HEAP = 0.1
"""What comes so often is a step of its own."""
_DIGITS = 3


@dataclass
class Numbers:
    """A column of numbers as whole ones.

    Attributes:
        units: the numbers, in units of the last decimal.
        there: where it has one.
        decimals: of the numbers.
        steps: the different values, where there are few; None for a distribution.
    """

    units: Array
    there: Array
    decimals: int
    steps: list[int] | None = None


@dataclass
class Fitted:
    """How a column of numbers is distributed in groups, and the score of each row.

    Attributes:
        groups: the group of each row.
        told: the distribution of each group: the values of its knots, or the weights of its steps.
        at: where the knots of each group stand, per mille; None for evenly.
        scores: of each row, by its place among those of its group; 0 for none.
    """

    groups: Array
    told: list[list[int]]
    at: list[list[int] | None]
    scores: Array


def fitted(numbers: Numbers, groups: Array, count: int, smallest: int) -> Fitted:
    """The distribution of each group.

    Args:
        numbers: the column.
        groups: the group of each row.
        count: of the groups.
        smallest: so many rows tell a knot.
    """
    told: list[list[int]] = []
    at: list[list[int] | None] = []
    steps = np.array(numbers.steps or [])
    overall = _counts(numbers.units[numbers.there], steps)
    for group in range(count):
        values = numbers.units[(groups == group) & numbers.there]
        if numbers.steps is not None:
            told.append(weights_of(_counts(values, steps), overall, smallest))
            at.append(None)
        else:
            knots, places = _knots(values, smallest)
            told.append(knots)
            at.append(places)
    return Fitted(groups, told, at, normal_scores(numbers.units, numbers.there, groups))


def _counts(values: Array, steps: Array) -> Array:
    """How often each step comes."""
    return np.asarray((values[:, None] == steps).sum(axis=0))


def weights_of(counts: Array, overall: Array, smallest: int) -> list[int]:
    """Weights of a thousand, or of a hundred for few rows; what so few rows tell is told together,
    and divided as it is over all.

    Args:
        counts: of each value in the group.
        overall: of each value in all rows.
        smallest: so few rows tell nothing.
    """
    if not counts.sum():
        counts = overall if overall.sum() else np.ones(len(counts))
    n = float(counts.sum())
    usual = overall / max(overall.sum(), 1) * n
    few = (counts < smallest) & (usual < smallest)
    together, expected = float(counts[few].sum()), float(usual[few].sum())
    part = 1.0
    if expected >= smallest:  # enough for their absence to tell something
        part = together / expected if together >= smallest else 0.0
    told = np.where(few, usual * part, np.where(counts < smallest, 0, counts))
    if not told.sum():
        told = np.ones(len(counts))
    whole = 1000 if n >= 1000 else 100
    return [int(one) for one in np.maximum(np.round(told * whole / told.sum()), told > 0)]


def _knots(values: Array, smallest: int) -> tuple[list[int], list[int] | None]:
    """The knots of a distribution, each the median of so many neighbours."""
    ordered = np.sort(values)
    n = len(ordered)
    if n == 0 or ordered[0] == ordered[-1]:
        return [int(ordered[0]) if n else 0] * 2, None
    places = np.linspace(0, 1000, MANY if n >= FROM else FEW)
    heaps = _heaps(ordered, smallest)
    if heaps:
        inside = np.zeros(len(places), dtype=bool)
        for low, high in heaps:
            inside |= (places >= low) & (places <= high)
        ends = [end for heap in heaps for end in heap]
        places = np.unique(np.round(np.concatenate([places[~inside], ends, [0.0, 1000.0]])))
    found = [_neighbours(ordered, place / 1000, smallest) for place in places]
    heaped = [_of_heap(ordered, place, heaps) for place in places]
    values_of = [one if heap is None else heap for one, heap in zip(found, heaped, strict=True)]
    knots = np.maximum.accumulate(_rounded(np.array(values_of), ordered, smallest))
    told = [int(one) for one in knots]
    return told, [int(one) for one in places] if heaps else None


def _heaps(ordered: Array, smallest: int) -> list[tuple[float, float]]:
    """Where values stand that come often, per mille."""
    values, firsts, counts = np.unique(ordered, return_index=True, return_counts=True)
    n = len(ordered)
    often = (counts >= max(_HEAP * n, smallest)) & (len(values) > 1)
    return [
        (round(1000 * first / n), round(1000 * (first + count) / n))
        for first, count in zip(firsts[often], counts[often], strict=True)
        if round(1000 * first / n) < round(1000 * (first + count) / n)
    ][:12]


def _of_heap(ordered: Array, place: float, heaps: Sequence[tuple[float, float]]) -> int | None:
    for low, high in heaps:
        if low <= place <= high:
            middle = int((low + high) / 2000 * len(ordered))
            return int(ordered[min(middle, len(ordered) - 1)])
    return None


def _neighbours(ordered: Array, part: float, smallest: int) -> int:
    """The median of the rows around a place: at the ends, of the outermost ones."""
    n, size = len(ordered), min(smallest, len(ordered))
    first = int(min(max(round(part * (n - 1)) - size // 2, 0), n - size))
    return int(ordered[first + (size - 1) // 2])


def _rounded(values: Array, ordered: Array, smallest: int) -> Array:
    """Three digits: of the value, or of the spread where that tells more; what so many rows share
    as it is.
    """
    spread = max(int(ordered[-1] - ordered[0]), 1)
    least = 10 ** max(len(str(spread)) - _DIGITS, 0)
    digits = np.array([len(str(abs(int(one)))) for one in values])
    own = 10.0 ** np.maximum(digits - _DIGITS, 0)
    step = np.minimum(own, least)
    # what many rows have tells nothing of one of them
    often = np.searchsorted(ordered, values, "right") - np.searchsorted(ordered, values, "left")
    return np.where(often >= smallest, values, np.round(values / step) * step)
