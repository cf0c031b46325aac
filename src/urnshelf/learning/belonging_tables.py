"""How tables belong together: keys, links, how many children a parent has, what they come to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pandas as pd

from urnshelf.errors import SampleRefused
from urnshelf.learning.column_rule import ColumnRule
from urnshelf.learning.relations import alike
from urnshelf.learning.sample import Array, SampleColumn, SampleTable
from urnshelf.records.display import show

_HAND = 200
"""So many parents are dealt to at once."""
_SOME = 0.5
"""Where so many of a column's values are keys, it is meant as a link."""


@dataclass
class LinkFound:
    """A column that names rows of another table.

    Attributes:
        child, column: where it is.
        parent, key: what it names.
        rows: on how many rows it was checked.
        parents: the row of the parent of each row; -1 for none.
        dealt: whether children are dealt by it.
    """

    child: str
    column: str
    parent: str
    key: str
    rows: int
    parents: Array
    dealt: bool = False


def keys_of(tables: Mapping[str, SampleTable]) -> dict[str, str]:
    """The column of each table that is its key, where it has one."""
    found = {}
    for name, table in tables.items():
        for column in table.columns.values():
            keys = column.keys()
            is_named = _is_key_name(column.name, name)
            if is_named and column.there.all() and len(np.unique(keys)) == len(keys) > 1:
                found[name] = column.name
                break
    return found


def _is_key_name(column: str, table: str) -> bool:
    name = column.lower()
    singular = table.removesuffix("s")
    return name in ("id", "key", "code", "number", "uuid") or name in (
        f"{singular}_{word}" for word in ("id", "key", "code", "no", "number")
    )


def links_of(tables: Mapping[str, SampleTable], keys: Mapping[str, str]) -> list[LinkFound]:
    """The links between tables, each checked on all rows.

    Raises:
        SampleRefused: a link of which some values name nothing.
    """
    found: list[LinkFound] = []
    for child, table in tables.items():
        for column in table.columns.values():
            if keys.get(child) == column.name and not _may_link(column.name):
                continue
            for parent, key in keys.items():
                if parent == child or not _names(column.name, parent, key):
                    continue
                link = _checked(table, column, tables[parent], key)
                if link is not None:
                    found.append(link)
                    break
    return _dealt(found, tables)


def _may_link(name: str) -> bool:
    return name.lower() not in ("id", "key", "code", "number", "uuid")


def _names(column: str, parent: str, key: str) -> bool:
    """Whether a column is called as the key of another table, or after that table."""
    name, singular = column.lower(), parent.removesuffix("s").lower()
    words = (singular, singular.rpartition("_")[2])
    plain = key.lower().removeprefix(f"{singular}_")
    return (name == key.lower() and _may_link(name)) or any(
        name in (f"{word}_{plain}", f"{word}{plain}", word) or name.endswith(f"_{word}_{plain}")
        for word in words
    )


def _checked(
    table: SampleTable, column: SampleColumn, parent: SampleTable, key: str
) -> LinkFound | None:
    other = parent.columns[key]
    if other.is_labelled != column.is_labelled:
        return None
    place = {value: n for n, value in enumerate(other.values())}
    values = column.values()
    rows = np.array([-1 if one is None else place.get(one, -2) for one in values])
    there = rows != -1
    lost = int((rows == -2).sum())
    if lost > (1 - _SOME) * int(there.sum()):
        return None
    if lost:
        first = int(np.flatnonzero(rows == -2)[0])
        raise SampleRefused(
            f"{table.origin}, column {column.name!r}: {lost} of {int(there.sum())} values name no "
            f"{key} of {parent.origin}; the first is {show(values[first], 40)}, in row "
            f"{first + 1}; add those rows to the sample, take these away, or leave the column out, "
            f"--without {column.name}"
        )
    return LinkFound(
        table.name, column.name, parent.name, key, int(there.sum()), np.maximum(rows, -1)
    )


def _dealt(links: list[LinkFound], tables: Mapping[str, SampleTable]) -> list[LinkFound]:
    """By one of a table's links its rows are dealt: by that to the deepest table, of these the
    first.
    """
    depth = depths(tables, links)
    for child in tables:
        # of rows without a parent nothing can be dealt
        own = [one for one in links if one.child == child and one.rows == tables[child].count]
        if own:
            max(own, key=lambda one: (depth[one.parent], -own.index(one))).dealt = True
    return links


def depths(tables: Mapping[str, SampleTable], links: Sequence[LinkFound]) -> dict[str, int]:
    """How many tables are above each.

    Raises:
        SampleRefused: tables that name each other in a circle.
    """
    found: dict[str, int] = {}

    def of(name: str, waiting: tuple[str, ...]) -> int:
        if name in waiting:
            circle = " → ".join([*waiting[waiting.index(name) :], name])
            raise SampleRefused(
                f"the tables name each other in a circle, {circle}: leave one of these columns "
                "out, --without NAME"
            )
        if name not in found:
            above = [one.parent for one in links if one.child == name]
            found[name] = 1 + max((of(one, (*waiting, name)) for one in above), default=-1)
        return found[name]

    for name in tables:
        of(name, ())
    return found


def children_rule(link: LinkFound, parents: int, smallest: int) -> tuple[dict[str, int], str]:
    """How many children a parent has, as a hand of so many cards, and that in words.

    Args:
        link: by which they are dealt.
        parents: how many parents there are.
        smallest: so many parents share a number that is told.
    """
    counts = np.bincount(link.parents[link.parents >= 0], minlength=parents)
    numbers, often = np.unique(counts, return_counts=True)
    numbers, often = _folded(numbers, often, smallest)
    ends = np.round(np.cumsum(often) * _HAND / often.sum())
    cards = np.diff(np.concatenate([[0], ends])).astype(int)
    told = {str(int(n)): int(c) for n, c in zip(numbers, cards, strict=True) if c > 0}
    low, high = min(map(int, told)), max(map(int, told))
    return told, f"{low} to {high} of each, {counts.mean():.2g} on average"


def _folded(numbers: Array, often: Array, smallest: int) -> tuple[Array, Array]:
    """Numbers of children that few parents have are told as their neighbours' middle."""
    kept: list[tuple[int, int]] = []
    waiting: list[tuple[int, int]] = []
    for number, count in zip(numbers.tolist(), often.tolist(), strict=True):
        if count >= smallest and not waiting:
            kept.append((number, count))
            continue
        waiting.append((number, count))
        if sum(n for _, n in waiting) >= smallest:
            kept.append(_middle(waiting))
            waiting = []
    if waiting and kept:
        number, count = kept.pop()
        total = sum(n for _, n in waiting)
        # the last few are told by a number that others have, too
        kept.append((number, count + total))
    elif waiting:
        kept.append(_middle(waiting))
    while len(kept) > 60:
        at = min(range(len(kept) - 1), key=lambda n: kept[n][1] + kept[n + 1][1])
        kept[at : at + 2] = [_middle(kept[at : at + 2])]
    return np.array([n for n, _ in kept]), np.array([c for _, c in kept])


def _middle(several: Sequence[tuple[int, int]]) -> tuple[int, int]:
    total = sum(count for _, count in several)
    return round(sum(number * count for number, count in several) / total), total


def gathered_rules(
    link: LinkFound, parent: SampleTable, child: SampleTable, fixed: Mapping[str, ColumnRule]
) -> list[ColumnRule]:
    """The columns of parents that are what their children come to, on all rows.

    Args:
        link: by which the children are dealt.
        parent, child: the tables.
        fixed: the columns of the parents that are told already.
    """
    found = []
    rows = link.parents
    counts = np.bincount(rows, minlength=parent.count)
    for name, column in parent.columns.items():
        if name in fixed or column.is_labelled or not column.there.all():
            continue
        if column.form not in ("int", "float") or len(np.unique(column.numbers)) < 3:
            continue
        text = ""
        if np.array_equal(column.numbers, counts):
            text = f"count {child.name}"
        for other, part in child.columns.items():
            if text or part.is_labelled or part.form not in ("int", "float"):
                continue
            sums = np.bincount(rows, weights=np.nan_to_num(part.numbers), minlength=parent.count)
            if other != link.column and bool(alike(sums, column.numbers, column.decimals).all()):
                text = f"sum {child.name}.{other}"
        if text:
            found.append(
                ColumnRule(
                    name, "numbers", {"gathered": text}, "",
                    f"{text}, on all {parent.count} rows",
                )
            )  # fmt: skip
    return found


def popularity(link: LinkFound, parents: int) -> str:
    """What a report tells of a link that is drawn evenly."""
    counts = pd.Series(np.bincount(link.parents[link.parents >= 0], minlength=parents))
    return f"one of {link.parent}, {int((counts > 0).sum())} of {parents} are named"
