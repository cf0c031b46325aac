"""What a column may depend on: categories, and bands of numbers; and how much each tells.

Of numbers it is the adjusted coefficient of determination (M. Ezekiel, "Methods of Correlation
Analysis", 1930).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd

from urnshelf.learning.sample import Array
from urnshelf.urn.grouping import ABOVE, BETWEEN, ELSE
from urnshelf.urn.ranks import ONE, scores

MOST_GROUPS = 40
_KIND = 2.5
"""So many standard deviations above what chance tells on average."""


@dataclass
class Factor:
    """What divides the rows.

    Attributes:
        fields: one field, or two.
        codes: the group of each row; -1 where it is in none.
        keys: how a plan calls each group.
    """

    fields: tuple[str, ...]
    codes: Array
    keys: list[str]

    @property
    def by(self) -> Any:
        """As a plan tells it."""
        return self.fields[0] if len(self.fields) == 1 else list(self.fields)


def kept_groups(factor: Factor, there: Array, least: int) -> Factor | None:
    """A factor whose groups have so many rows each, all others together as the last group, `else`.

    Args:
        factor: as it is.
        there: the rows that count.
        least: so many rows a group has.

    Returns:
        None where fewer than two groups are left.
    """
    counts = np.bincount(factor.codes[there & (factor.codes >= 0)], minlength=len(factor.keys))
    kept = np.flatnonzero(counts >= least)
    if len(kept) > MOST_GROUPS:
        kept = np.sort(np.argsort(-counts, kind="stable")[:MOST_GROUPS])
    if len(kept) < 2:
        return None
    place = np.full(len(factor.keys) + 1, len(kept))
    place[kept] = np.arange(len(kept))
    keys = [factor.keys[one] for one in kept]
    return Factor(factor.fields, place[factor.codes], [*keys, ELSE])


def without_others(factor: Factor) -> Factor:
    """The same without the group of all others."""
    last = len(factor.keys) - 1
    return Factor(factor.fields, np.where(factor.codes == last, -1, factor.codes), factor.keys[:-1])


def crossed(one: Factor, other: Factor) -> Factor:
    """Both at once."""
    codes = np.where(
        (one.codes >= 0) & (other.codes >= 0), one.codes * len(other.keys) + other.codes, -1
    )
    keys = [f"{first}{BETWEEN}{second}" for first in one.keys for second in other.keys]
    return Factor((*one.fields, *other.fields), codes, keys)


def banded(name: str, numbers: Array, bands: int, show: Any) -> Factor | None:
    """Bands of a number, about as many rows in each.

    Args:
        name: of the field.
        numbers: NaN for none.
        bands: how many.
        show: makes the text of a limit.
    """
    there = numbers[~np.isnan(numbers)]
    if len(there) < 4 * bands:
        return None
    limits = np.unique(np.quantile(there, np.arange(1, bands) / bands, method="lower"))
    limits = limits[limits < there.max()]
    texts = list(dict.fromkeys(show(one) for one in limits.tolist()))
    if not len(limits) or len(texts) != len(limits):
        return None
    codes = np.searchsorted(limits, numbers)
    keys = [*[f"to {text}" for text in texts], ABOVE]
    return Factor((name,), np.where(np.isnan(numbers), -1, codes), keys)


def share_told(scores: Array, codes: Array, there: Array) -> float:
    """How much of the variance of scores the groups tell, less what chance alone might."""
    rows = there & (codes >= 0)
    y, groups = scores[rows], codes[rows]
    n = len(y)
    if n < 10:
        return 0.0
    counts = np.bincount(groups)
    sums = np.bincount(groups, weights=y)
    used = counts > 0
    total = float(((y - y.mean()) ** 2).sum())
    if total <= 0:
        return 0.0
    between = float((sums[used] ** 2 / counts[used]).sum() - n * y.mean() ** 2)
    part, more = between / total, int(used.sum()) - 1
    chance = (1 - part) * more / max(n - more - 1, 1)
    # and what it would tell where chance is kind: the best of several is looked for
    return part - chance - _KIND * float(np.sqrt(2 * more)) / n


def side_by_side(scores: Array, one: Factor, other: Factor, there: Array) -> float:
    """How much of the variance of scores two factors tell where each adds its own, whatever the
    other one is: by least squares on the means of the cells.
    """
    rows = there & (one.codes >= 0) & (other.codes >= 0)
    y, cells = scores[rows], one.codes[rows] * len(other.keys) + other.codes[rows]
    counts = np.bincount(cells, minlength=len(one.keys) * len(other.keys)).astype(float)
    sums = np.bincount(cells, weights=y, minlength=len(counts))
    means = np.divide(sums, counts, out=np.zeros(len(counts)), where=counts > 0)
    first, second = np.divmod(np.arange(len(counts)), len(other.keys))
    parts = np.concatenate([np.eye(len(one.keys))[first], np.eye(len(other.keys))[second]], axis=1)
    weights = np.sqrt(counts)
    found = np.linalg.lstsq(parts * weights[:, None], means * weights, rcond=None)[0]
    total = float(((y - y.mean()) ** 2).sum()) if len(y) else 0.0
    explained = float((counts * (parts @ found - y.mean()) ** 2).sum()) if len(y) else 0.0
    return explained / total if total > 0 else 0.0


def information(codes: Array, groups: Array, labels: int, count: int) -> float:
    """What groups tell of labels, in nats for all rows together, less what chance alone would.

    Args:
        codes: the label of each row.
        groups: the group of each row.
        labels: how many labels.
        count: how many groups.
    """
    rows = (codes >= 0) & (groups >= 0)
    table = np.bincount(groups[rows] * labels + codes[rows], minlength=count * labels)
    cells = table.reshape(count, labels).astype(float)
    n = cells.sum()
    if n == 0:
        return 0.0
    expected = cells.sum(1, keepdims=True) * cells.sum(0, keepdims=True) / n
    with np.errstate(divide="ignore", invalid="ignore"):
        told = np.where(cells > 0, cells * np.log(cells / expected), 0).sum()
    used = (int((cells.sum(1) > 0).sum()) - 1) * (int((cells.sum(0) > 0).sum()) - 1)
    return float(told - 0.5 * np.log(n) * max(used, 0))


def normal_scores(units: Array, there: Array, groups: Array | None = None) -> Array:
    """The scores of the ranks of a column, of all rows or in groups, by which columns of all kinds
    are compared.

    Args:
        units: the numbers.
        there: where there is one.
        groups: the group of each row.
    """
    kept = pd.Series(np.where(there, units, np.nan))
    every = np.zeros(len(kept), dtype=np.int64) if groups is None else groups
    ranks = kept.groupby(every).rank(method="average").to_numpy()
    counts = np.maximum(np.bincount(every[there], minlength=int(every.max(initial=0)) + 1), 1)
    places = np.clip((ranks - 0.5) / counts[every] * ONE, 0, ONE - 1)
    return np.where(there, scores(np.nan_to_num(places).astype(np.int64), np), 0) / 81_920


def first_of(factors: Sequence[Factor], most: int) -> list[Factor]:
    """The first few that divide into few groups."""
    return [one for one in factors if len(one.keys) <= 8][:most]
