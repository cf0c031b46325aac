"""What each column of a table is: categories, steps, numbers, days, serials, ids, texts."""

from __future__ import annotations

from typing import Literal

import numpy as np

from urnshelf.errors import SampleRefused
from urnshelf.learning.sample import SampleColumn

Kind = Literal[
    "nothing", "one value", "categories", "steps", "numbers", "days", "moments", "serial", "ids",
    "texts",
]  # fmt: skip
MOST = 40
"""So many different values may be categories or steps."""
CODES = 4
"""So few different numbers are categories."""
COVERED = 0.95
MILLION = 1_000_000


def kind_of(column: SampleColumn, smallest: int, where: str) -> Kind:
    """What a column is.

    Args:
        column: of the sample.
        smallest: so many rows a category has.
        where: for messages.

    Raises:
        SampleRefused: it has a million different values, each of them in several rows.
    """
    there = column.there
    n = int(there.sum())
    if n == 0:
        return "nothing"
    keys = column.keys()[there]
    counts = np.bincount(keys)
    counts = counts[counts > 0]
    if len(counts) == 1 and n >= smallest:
        return "one value"
    if column.form == "text" and len(counts) >= MILLION and n >= 2 * len(counts):
        raise SampleRefused(
            f"{where}: {len(counts):,} different texts, each in several rows, are no categories "
            "and no form; leave the column out, --without NAME, or learn from fewer rows"
        )
    are_few = len(counts[counts >= smallest]) <= MOST
    covered = int(counts[counts >= smallest].sum()) >= COVERED * n
    if column.is_labelled:
        return "categories" if are_few and covered and len(counts) > 1 else "texts"
    if are_few and covered and len(counts) > 1 and column.form in ("int", "float"):
        # so few are codes, or may be told by as if they were
        return "categories" if len(counts) <= CODES else "steps"
    if column.form == "int" and len(counts) == n == len(there):
        return _numbered(column.numbers)
    kinds: dict[str, Kind] = {"day": "days", "moment": "moments"}
    return kinds.get(column.form, "numbers")


def _numbered(numbers: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> Kind:
    """Whole numbers that are all different: in turn, without order, or a measure."""
    steps = np.diff(numbers)
    if len(steps) and np.all(steps == 1):
        return "serial"
    n = len(numbers)
    # a third of a range, each once, are numbers that somebody gave out
    is_dense = n >= 30 and n * 3 >= float(numbers.max() - numbers.min()) + 1
    return "ids" if is_dense else "numbers"
