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
_MOST = 1500
"""So many rows of each half are compared."""


class LeakCheck(NamedTuple):
    """What the check of one table found.

    Attributes:
        table: its name.
        rows: how many the sample has.
        judged: whether it has enough rows.
        closer: the share of drawn rows that are closer to the half that was learnt from than to the
            other one; .5 is chance.
        exact: the share of drawn rows that are in the half that was learnt from.
        held_out: the share of the other half's rows that are in it.
    """

    table: str
    rows: int
    judged: bool
    closer: float = 0.0
    exact: float = 0.0
    held_out: float = 0.0

    @property
    def verdict(self) -> str:
        """`passed`, `near`, `refused`, or `not judged`."""
        if not self.judged:
            return "not judged"
        if self.closer > REFUSED:
            return "refused"
        is_more = self.exact > self.held_out + 0.02
        return "near" if self.closer > WARNED or is_more else "passed"

    def __str__(self) -> str:
        if not self.judged:
            return f"{self.table}: not judged, {self.rows} rows are fewer than {FEWEST}"
        return (
            f"{self.table}: {self.verdict}; {self.closer * 100:.0f} % of drawn rows are closer to "
            f"the half that was learnt from than to the other (50 % is chance, over "
            f"{WARNED * 100:.0f} % is near, over {REFUSED * 100:.0f} % is refused); "
            f"{self.exact * 100:.1f} % of them are in it, of the other half "
            f"{self.held_out * 100:.1f} %"
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
        return LeakCheck(table.name, n, False)
    order = np.array([permuted(seed + 1, row, n) for row in range(n)])
    half = n // 2
    learnt, other = table.taken(order[:half]), table.taken(order[half : 2 * half])
    drawn = draw(learnt, half)
    if drawn is None:
        return LeakCheck(table.name, n, False)
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
    decided = to_near != to_far
    closer = float((to_near < to_far)[decided].mean()) if decided.sum() >= 20 else 0.5
    return LeakCheck(name, rows, True, closer, float(exact.mean()), float(held_out.mean()))


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
