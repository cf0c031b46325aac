"""How far drawn values are from those of a sample."""

from __future__ import annotations

import numpy as np
import pandas as pd

from urnshelf.learning.sample import Array, SampleColumn, SampleTable


def distance(one: SampleColumn, other: SampleColumn) -> float:
    """How far two columns are apart: the greatest difference of their distribution functions
    (Kolmogorov–Smirnov) for numbers, half the sum of all differences of shares for labels; what is
    missing counts as a value.
    """
    missing = abs(float(one.there.mean()) - float(other.there.mean()))
    if one.is_labelled or other.is_labelled:
        return max(missing, _of_labels(one, other))
    a, b = (np.sort(column.numbers[column.there]) for column in (one, other))
    if not len(a) or not len(b):
        return missing
    every = np.concatenate([a, b])
    below = np.searchsorted(a, every, "right") / len(a) - np.searchsorted(b, every, "right") / len(
        b
    )
    return max(missing, float(np.abs(below).max()))


def _of_labels(one: SampleColumn, other: SampleColumn) -> float:
    shares = [_shares(column) for column in (one, other)]
    labels = shares[0].keys() | shares[1].keys()
    return sum(abs(shares[0].get(key, 0) - shares[1].get(key, 0)) for key in labels) / 2


def _shares(column: SampleColumn) -> dict[str, float]:
    codes = column.codes[column.there]
    counts = np.bincount(codes, minlength=len(column.labels)) / max(len(codes), 1)
    return {str(label): float(part) for label, part in zip(column.labels, counts, strict=True)}


def correlations(table: SampleTable, names: list[str]) -> Array:
    """The rank correlations (Spearman) of columns of numbers, days and moments."""
    frame = pd.DataFrame({name: table.columns[name].numbers for name in names})
    return frame.corr(method="spearman").to_numpy() if names else np.zeros((0, 0))


def ordered_columns(table: SampleTable) -> list[str]:
    """The columns of which there are correlations."""
    return [
        name
        for name, one in table.columns.items()
        if not one.is_labelled and len(np.unique(one.numbers[one.there])) > 1
    ]


def compared(one: SampleTable, other: SampleTable) -> float | None:
    """The mean difference of the correlations of two tables; None for fewer than two columns."""
    names = [name for name in ordered_columns(one) if name in ordered_columns(other)]
    if len(names) < 2:
        return None
    apart = np.abs(correlations(one, names) - correlations(other, names))
    above = apart[np.triu_indices(len(names), 1)]
    return float(np.nanmean(above))
