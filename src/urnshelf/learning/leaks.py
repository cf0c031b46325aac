"""Whether what was learnt gives the sample away: learnt on one half, compared with both."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from urnshelf.learning.sample import Array, SampleTable
from urnshelf.urn.permutation import permuted

WARNED, REFUSED = 0.65, 0.75
FEWEST = 200
"""So many rows are needed to judge."""
_MORE = 0.02
"""So many more drawn rows than held-out ones are in the half that was learnt from."""
_DECIDED = 20
"""So many rows are closer to one half than to the other, or nothing is told."""
_MOST = 1500
"""So many rows of each half are compared."""


class LeakCheck(NamedTuple):
    """What the check of one table found.

    Attributes:
        table: its name.
        rows: how many the sample has.
        why: why it is not judged; empty where it is.
        closer: the share of drawn rows that are closer to the half that was learnt from than to the
            other one, or of the values of one column where that is more; .5 is chance.
        least: the same, less two standard deviations of what chance does with so many rows.
        exact: the share of drawn rows that are in the half that was learnt from.
        held_out: the share of the other half's rows that are in it.
        chance: the standard deviation of the difference of these two.
    """

    table: str
    rows: int
    why: str = ""
    closer: float = 0.0
    least: float = 0.0
    exact: float = 0.0
    held_out: float = 0.0
    chance: float = 0.0

    @property
    def verdict(self) -> str:
        """`passed`, `near`, `refused`, or `not judged`."""
        if self.why:
            return "not judged"
        if self.least > REFUSED:
            return "refused"
        is_more = self.exact > self.held_out + _MORE + 2.5 * self.chance
        return "near" if self.least > WARNED or is_more else "passed"

    def __str__(self) -> str:
        if self.why:
            return f"{self.table}: not judged, {self.why}"
        return (
            f"{self.table}: {self.verdict}; learnt from one half, {self.closer:.0%} of the drawn "
            f"rows are closer to it than to the other (chance 50%, near {WARNED:.0%}, refused "
            f"{REFUSED:.0%}); {self.exact:.1%} are in it, of the other half {self.held_out:.1%}"
        )


def leak_check(
    table: SampleTable, draw: Callable[[SampleTable, int], SampleTable | None], seed: int = 0
) -> LeakCheck:
    """Learn from one half of a table, draw as many rows, and see to which half they are closer.

    Args:
        table: of the sample.
        draw: learns from a table, and draws so many rows.
        seed: by which the rows are divided.
    """
    n = table.count
    if n < FEWEST:
        return LeakCheck(table.name, n, f"{n} rows are fewer than {FEWEST}")
    order = np.array([permuted(seed + 1, row, n) for row in range(n)])
    half = n // 2
    learnt, other = table.taken(order[:half]), table.taken(order[half : 2 * half])
    drawn = draw(learnt, half)
    if drawn is None or not drawn.columns:
        return LeakCheck(table.name, n, "it has nothing that is told of its rows")
    return closeness(table.name, n, learnt, other, drawn)


def closeness(
    name: str, rows: int, learnt: SampleTable, other: SampleTable, drawn: SampleTable
) -> LeakCheck:
    """To which of two halves drawn rows are closer.

    Args:
        name: of the table.
        rows: of the sample.
        learnt, other: the halves.
        drawn: what was drawn, or anything else that is to be judged.
    """
    names = [
        one
        for one in learnt.columns
        if one in drawn.columns
        and learnt.columns[one].is_labelled == drawn.columns[one].is_labelled
    ]
    scales = [_Placed(name, learnt, other) for name in names]
    some = min(_MOST, learnt.count, other.count, drawn.count)
    near, far, made = ([one.of(table)[:some] for one in scales] for table in (learnt, other, drawn))
    to_near, exact = _nearest(made, near, scales)
    to_far, _ = _nearest(made, far, scales)
    _, held_out = _nearest(far, near, scales)
    closer, least = _share(to_near, to_far)
    for one, scale, of_near, of_far in zip(made, scales, near, far, strict=True):
        alone = (0.0, 0.0) if scale.is_labelled else _alone(one, of_near, of_far)
        if alone[1] > max(least, WARNED):
            closer, least = alone
    spread = float(np.sqrt((exact.var() + held_out.var()) / max(some, 1)))
    return LeakCheck(
        name, rows, "", closer, least, float(exact.mean()), float(held_out.mean()), spread
    )


def _share(to_near: Array, to_far: Array) -> tuple[float, float]:
    """The share of rows that are nearer to one half, and that less what chance may do."""
    decided = to_near != to_far
    n = int(decided.sum())
    if n < _DECIDED:
        return 0.5, 0.0
    part = float((to_near < to_far)[decided].mean())
    return part, part - 1.0 / float(np.sqrt(n))


def _alone(made: Array, near: Array, far: Array) -> tuple[float, float]:
    """The same for one column of numbers, of which few rows share a value: a copied column among
    others that are not is one, too.
    """
    made, near, far = (one[~np.isnan(one)] for one in (made, near, far))
    if min(len(made), len(near), len(far)) < 100 or len(np.unique(near)) < len(near) / 2:
        return 0.0, 0.0
    return _share(_gaps(made, np.sort(near)), _gaps(made, np.sort(far)))


def _gaps(made: Array, ordered: Array) -> Array:
    """How far each value is from the nearest of others."""
    after = np.clip(np.searchsorted(ordered, made), 1, len(ordered) - 1)
    below, above = np.abs(made - ordered[after - 1]), np.abs(made - ordered[after])
    return np.asarray(np.minimum(below, above))


class _Placed:
    """A column by which rows are compared: numbers by their place in the sample, labels by what
    they are.
    """

    def __init__(self, name: str, one: SampleTable, other: SampleTable) -> None:
        self.name = name
        first, second = one.columns[name], other.columns[name]
        self.is_labelled = first.is_labelled
        if self.is_labelled:
            self._codes: dict[str, int] = {}
        else:
            both = np.concatenate([first.numbers, second.numbers])
            self._ordered = np.sort(both[~np.isnan(both)])

    def of(self, table: SampleTable) -> Array:
        """Of each row of a table; NaN for none."""
        column = table.columns[self.name]
        if not self.is_labelled:
            places = np.searchsorted(self._ordered, column.numbers, "left")
            places = places + np.searchsorted(self._ordered, column.numbers, "right")
            found = places / max(2 * len(self._ordered), 1)
            return np.where(np.isnan(column.numbers), np.nan, found)
        labels = [self._codes.setdefault(str(label), len(self._codes)) for label in column.labels]
        return np.append(np.array(labels, dtype=float), np.nan)[column.codes]


def _nearest(rows: list[Array], others: list[Array], scales: list[_Placed]) -> tuple[Array, Array]:
    """The distance of each row to the nearest other one, and whether that is the same."""
    count = len(rows[0]) if rows else 0
    least = np.zeros(count)
    for start in range(0, count, 200):
        part = slice(start, start + 200)
        apart = np.zeros((len(rows[0][part]), len(others[0])))
        for one, other, scale in zip(rows, others, scales, strict=True):
            a, b = one[part, None], other[None, :]
            both = np.isnan(a) & np.isnan(b)
            differ = (a != b) * 0.5 if scale.is_labelled else np.abs(a - b)
            differ = np.where(np.isnan(a) != np.isnan(b), 0.5, np.where(both, 0.0, differ))
            apart += differ
        least[part] = apart.min(axis=1)
    return least, least < 1e-12
