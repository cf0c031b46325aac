"""What is learnt of one column: its rule, and what a report tells of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from urnshelf.learning.sample import Array, SampleColumn


@dataclass
class ColumnRule:
    """What is learnt of one column.

    Attributes:
        name: of the column.
        kind: what it is, in a word.
        rule: as a plan tells it.
        range: its values, in short.
        follows: what it depends on, for a person.
        comment: a choice that was made; stands in the plan.
        missing: how often there is none.
        distance: how far drawn values are from those of the sample; None where it is not measured.
    """

    name: str
    kind: str
    rule: Any
    range: str = ""
    follows: str = ""
    comment: str = ""
    missing: float = 0.0
    distance: float | None = None

    @property
    def is_compared(self) -> bool:
        """Whether drawn values tell something of the sample's: ids and texts are made anew."""
        return self.kind not in ("ids", "serial", "texts", "key", "link", "nothing")


@dataclass
class Settings:
    """How something is learnt.

    Attributes:
        smallest: so many rows must share what is told.
        relabel: the columns whose labels are made anew.
        closed: the columns whose values a record type tells: no other may stand for several.
    """

    smallest: int
    relabel: frozenset[str] = frozenset()
    closed: frozenset[str] = frozenset()

    @property
    def least(self) -> int:
        """So many rows a group has."""
        return max(3 * self.smallest, 15)


@dataclass
class Labelled:
    """A column of categories: those that are kept, and all rarer ones as one.

    Attributes:
        column: of the sample.
        codes: the label of each row; -1 for none, and for what is left out.
        labels: those that are kept.
        rare: how many rarer ones there are.
    """

    column: SampleColumn
    codes: Array
    labels: list[Any]
    rare: int = 0


OTHER = "(other)"


def as_labels(column: SampleColumn) -> SampleColumn:
    """A column of few numbers, as labels in their order."""
    values = np.unique(column.numbers[column.there])
    codes = np.where(column.there, np.searchsorted(values, column.numbers), -1)
    labels = [column.value(one) for one in values.tolist()]
    return SampleColumn(column.name, column.form, column.numbers, codes, labels, column.decimals)


def labelled(column: SampleColumn, smallest: int, may_fold: bool = True) -> Labelled:
    """The categories of a column; those of fewer rows are one of their own, or left out.

    Args:
        column: of texts or truth values.
        smallest: so many rows a category has.
        may_fold: whether the others may be called `(other)`.
    """
    if not column.is_labelled:
        column = as_labels(column)
    counts = np.bincount(column.codes[column.codes >= 0], minlength=len(column.labels))
    kept = np.flatnonzero(counts >= smallest)
    kept = kept[np.argsort(-counts[kept], kind="stable")]
    place = np.full(len(column.labels) + 1, -1)
    place[kept] = np.arange(len(kept))
    codes = place[column.codes]
    labels = [column.labels[one] for one in kept]
    rare = int((counts > 0).sum()) - len(kept)
    rows = int(counts.sum() - counts[kept].sum())
    if rare and may_fold and column.form == "text" and rows >= smallest:
        codes = np.where((codes < 0) & column.there, len(labels), codes)
        labels.append(OTHER)
    return Labelled(column, codes, labels, rare)


def shown_share(part: float) -> str:
    """A share as a report tells it."""
    return f"{part:.0%}" if part >= 0.01 or part == 0 else "< 1%"


def decimals_told(units: int, decimals: int) -> Any:
    """Units of the last decimal as a number."""
    if decimals <= 0:
        return units * 10**-decimals
    return round(units / 10**decimals, decimals)
