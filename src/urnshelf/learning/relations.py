"""Relations that every row keeps: numbers that come of others, labels that follow from others,
days that are never before others.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import combinations, permutations
from keyword import iskeyword
from typing import NamedTuple

import numpy as np

from urnshelf.learning.sample import Array, SampleColumn

Candidates = Iterator[tuple[str, tuple[str, ...]]]
"""Formulas that may hold, and the columns in each."""
SOME = 80
"""So many rows are tried first."""
_FEWEST = 5
"""So many different values a number has that comes of others."""
_MOST_TERMS = 4
_TRIED = 8
"""By about so many rows most candidates are seen to be none."""
_MANY = 30
_RATE = re.compile(r"rate|tax|vat|discount|percent|pct|margin|share|off|fee|rebate")


class Relation(NamedTuple):
    """A number that comes of others.

    Attributes:
        name: of the column.
        formula: as a plan tells it.
        inputs: the columns in it.
        rows: on how many it holds.
    """

    name: str
    formula: str
    inputs: tuple[str, ...]
    rows: int


def relations(columns: Mapping[str, SampleColumn]) -> list[Relation]:
    """The columns that come of others, on all rows.

    Args:
        columns: of numbers.
    """
    usable = {name: one for name, one in columns.items() if _is_usable(one)}
    found: dict[str, Relation] = {}
    places = {name: place for place, name in enumerate(usable)}
    for ways, in_order in (
        (_products_and_sums, True), (_longer_sums, True), (_products_and_sums, False),
        (_longer_sums, False), (_differences, True), (_differences, False),
    ):  # fmt: skip
        for name, column in usable.items():
            if name in found or (ways is _differences and _is_input(name, found)):
                continue
            # people write first what they know, and then what comes of it
            others = {
                other: one
                for other, one in usable.items()
                if other != name
                and is_word(other)
                and (not in_order or places[other] < places[name])
            }
            relation = _first(name, column, others, ways, found)
            if relation is not None:
                found[name] = relation
    return list(found.values())


def is_word(name: str) -> bool:
    """Whether a formula can name a column."""
    return name.isidentifier() and not iskeyword(name)


def _is_usable(column: SampleColumn) -> bool:
    values = column.numbers[column.there]
    return len(np.unique(values[:2000])) >= 2 if len(values) >= SOME // 4 else False


def _is_input(name: str, found: Mapping[str, Relation]) -> bool:
    return any(name in one.inputs for one in found.values())


def _first(
    name: str,
    column: SampleColumn,
    others: Mapping[str, SampleColumn],
    ways: Callable[[Mapping[str, SampleColumn], SampleColumn, Array], Candidates],
    found: Mapping[str, Relation],
) -> Relation | None:
    if len(np.unique(column.numbers[column.there][:2000])) < _FEWEST or not others:
        return None
    # where it is not missing, and spread over all of them
    rows = np.flatnonzero(column.there)
    some = rows[np.linspace(0, len(rows) - 1, min(SOME, len(rows))).astype(int)]
    for text, inputs in ways(others, column, some):
        if any(_comes_of(one, name, found) for one in inputs):
            continue
        # a sum of what has more decimals would only be about right
        most = max(others[one].decimals for one in inputs)
        if not {"*", "/"} & {*text} and column.decimals < most:
            continue
        if _holds(text, inputs, column, others):
            return Relation(name, text, inputs, len(rows))
    return None


def _comes_of(name: str, target: str, found: Mapping[str, Relation]) -> bool:
    """Whether a column comes of another one, directly or not."""
    if name == target:
        return True
    return name in found and any(_comes_of(one, target, found) for one in found[name].inputs)


def _holds(
    text: str, inputs: Sequence[str], column: SampleColumn, usable: Mapping[str, SampleColumn]
) -> bool:
    """Whether a formula holds on all rows, and is missing where one of its fields is."""
    values = {name: usable[name].numbers for name in inputs}
    with np.errstate(all="ignore"):
        made = np.asarray(eval(compile(text, "formula", "eval"), {"__builtins__": {}}, values))
    is_missing = ~np.isfinite(made)
    return bool(
        np.array_equal(is_missing, ~column.there)
        and alike(made, column.numbers, column.decimals)[column.there].all()
    )


def alike(made: Array, told: Array, decimals: int) -> Array:
    """Whether numbers are the same when they are rounded, whichever way a half goes."""
    near = 0.5 * 10.0**-decimals + 1e-9 * np.maximum(1.0, np.abs(told))
    return np.asarray(np.abs(made - told) <= near)


def _products_and_sums(
    others: Mapping[str, SampleColumn], column: SampleColumn, some: Array
) -> Candidates:
    names, every = list(others), _matrix(others, some)
    pairs = list(combinations(names, 2))
    one, other = _places(combinations(range(len(names)), 2))
    for n in _fitting(lambda at: every[one, at] * every[other, at], column, some):
        yield "{} * {}".format(*pairs[n]), pairs[n]
    for n in _fitting(lambda at: every[one, at] + every[other, at], column, some):
        yield "{} + {}".format(*pairs[n]), pairs[n]
    for d, part, told, is_percent in _rates(dict(zip(names, every, strict=True))):
        for text, factor in ((f"(1 - {told})", 1 - part), (f"(1 + {told})", 1 + part)):
            products = partial(_product, every, one, other, factor)
            for n in _fitting(products, column, some):
                if d not in pairs[n]:
                    yield f"{pairs[n][0]} * {pairs[n][1]} * {text}", (*pairs[n], d)
            for n in _fitting(partial(_part, every, factor), column, some):
                if names[n] != d:
                    yield f"{names[n]} * {text}", (names[n], d)
        for n in _fitting(partial(_part, every, part), column, some) if is_percent else []:
            if names[n] != d:
                yield f"{names[n]} * {told}", (names[n], d)


def _matrix(columns: Mapping[str, SampleColumn], some: Array) -> Array:
    return np.stack([one.numbers[some] for one in columns.values()])


def _places(pairs: Iterable[tuple[int, int]]) -> tuple[Array, Array]:
    """The first and the second ones of pairs, to take rows of a matrix by."""
    at = np.array(list(pairs), dtype=int).reshape(-1, 2)
    return at[:, :1], at[:, 1:]


def _product(every: Array, one: Array, other: Array, factor: Array, at: Array) -> Array:
    return np.asarray(every[one, at] * every[other, at] * factor[at])


def _part(every: Array, factor: Array, at: Array) -> Array:
    return np.asarray(every[:, at] * factor[at])


def _rates(values: Mapping[str, Array]) -> Iterator[tuple[str, Array, str, bool]]:
    """The columns that may be parts of a whole, or of a hundred: how they are told in a formula. Of
    many columns only those whose names say so.
    """
    for name, one in values.items():
        is_named = bool(_RATE.search(name.lower()))
        if _is_rate(one) and (is_named or len(values) <= _MANY):
            is_percent = bool(np.nanmax(one) > 1)
            told = f"{name} / 100" if is_percent else name
            yield name, one / (100 if is_percent else 1), told, is_percent


def _fitting(make: Callable[[Array], Array], column: SampleColumn, some: Array) -> list[int]:
    """Which rows of a matrix are a column, in what they have.

    Args:
        make: makes the matrix, or some columns of it: most are tried by a few.
        column: as it is to be.
        some: the rows of the sample that the matrix has.
    """
    target = column.numbers[some]
    every = np.arange(len(target))
    few = every[:: max(len(target) // _TRIED, 1)]
    made = make(few)
    near = alike(made, target[None, few], column.decimals) | np.isnan(made)
    likely = np.flatnonzero(near.all(axis=1))
    if not len(likely):
        return []
    made = make(every)
    return [int(n) for n in likely if _fits(made[n], target, column.decimals)]


def _is_rate(values: Array) -> bool:
    there = values[~np.isnan(values)]
    return bool(len(there)) and float(there.min()) >= 0 and float(there.max()) <= 100


def _longer_sums(
    others: Mapping[str, SampleColumn], column: SampleColumn, some: Array
) -> Candidates:
    """Sums of three or four."""
    # no sum of so many is known by chance among more
    names = [name for name, one in others.items() if np.nanmin(one.numbers[some]) >= 0][:14]
    if len(names) < 3:
        return
    every = _matrix({name: others[name] for name in names}, some)
    for many in range(3, min(_MOST_TERMS, len(names)) + 1):
        several = list(combinations(names, many))
        rows = np.array(list(combinations(range(len(names)), many)))
        for n in _fitting(partial(_sums, every, rows), column, some):
            yield " + ".join(several[n]), several[n]


def _sums(every: Array, rows: Array, at: Array) -> Array:
    return np.asarray(every[:, at][rows].sum(axis=1))


def _differences(
    others: Mapping[str, SampleColumn], column: SampleColumn, some: Array
) -> Candidates:
    names, every = list(others), _matrix(others, some)
    pairs = list(permutations(names, 2))
    one, other = _places(permutations(range(len(names)), 2))
    target = column.numbers[some]
    with np.errstate(all="ignore"):
        for n in _fitting(lambda at: every[one, at] - every[other, at], column, some):
            yield "{} - {}".format(*pairs[n]), pairs[n]
        for n in _fitting(lambda at: every[one, at] / every[other, at], column, some):
            yield "{} / {}".format(*pairs[n]), pairs[n]
        for name, values in zip(names, every, strict=True):
            ratio = np.round(np.nanmedian(target / values), 6)
            if ratio not in (0, 1) and np.isfinite(ratio) and abs(ratio) < 1e6:
                told = f"{float(ratio):.6f}".rstrip("0").rstrip(".")
                if _fits(values * float(told), target, column.decimals):
                    yield f"{name} * {told}", (name,)


def _fits(made: Array, target: Array, decimals: int) -> bool:
    there = ~np.isnan(target) & np.isfinite(made)
    # of what is the same throughout nothing is learnt
    return bool(
        there.sum() >= 10
        and alike(made[there], target[there], decimals).all()
        and len(np.unique(made[there])) >= _FEWEST - 1
    )


# --- labels that follow ---------------------------------------------------------------------------


def followed(
    codes: Array, count: int, others: Mapping[str, Array]
) -> tuple[str, dict[int, int]] | None:
    """The column of labels that tells another one exactly, and which of its labels goes with which.

    Args:
        codes: the label of each row; -1 for none.
        count: how many labels there are.
        others: the codes of the columns before it.
    """
    for name, given in others.items():
        both = (codes >= 0) & (given >= 0)
        if both.sum() != (given >= 0).sum() or both.sum() < 2 * count:
            continue
        if not np.array_equal(codes >= 0, given >= 0):
            continue
        pairs = np.flatnonzero(np.bincount(given[both] * count + codes[both]))
        if len(pairs) == int((np.bincount(given[both]) > 0).sum()) and len(pairs) >= count > 1:
            return name, {int(pair // count): int(pair % count) for pair in pairs}
    return None


# --- days in order --------------------------------------------------------------------------------


def earlier(name: str, columns: Mapping[str, SampleColumn]) -> str | None:
    """The day or moment that another one is never before: the nearest of them.

    Args:
        name: of the later one.
        columns: all days and moments of one kind.
    """
    one = columns[name]
    best: tuple[float, str] | None = None
    for other, column in columns.items():
        if other == name or column.form != one.form or column.zoned != one.zoned:
            continue
        both = one.there & column.there
        # where it is there, the other is, too
        if both.sum() < 20 or both.sum() < one.there.sum():
            continue
        gaps = one.numbers[both] - column.numbers[both]
        if gaps.min() >= 0 and gaps.max() > 0:
            middle = float(np.median(gaps))
            if best is None or middle < best[0]:
                best = middle, other
    return None if best is None else best[1]
