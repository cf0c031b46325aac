"""Ranks and scores: where a value stands among all of its kind, as whole numbers, so that every
machine agrees.

A rank is a whole number below 2**30; a score is the place on the normal distribution that has this
rank, 81,920 to one deviation. The table between them is computed from the Taylor series of the
distribution function (M. Abramowitz, I. Stegun, "Handbook of Mathematical Functions", 26.2.10), in
whole numbers.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from types import ModuleType
from typing import Any

from urnshelf.caches import remembered
from urnshelf.errors import RecordRefused

ONE = 1 << 30
"""So many ranks there are."""
_PER_DEVIATION, _SIDE = 80, 320
_FINE = 10
"""The bits of a score between two places of the table."""
_CENTRE = _SIDE << _FINE
_LAST = (2 * _SIDE << _FINE) - 1
_BITS = 128
_ROOT = 2_506_628_274_631_000_502_415_765_284_811
"""The square root of 2π, with thirty decimals."""


@remembered
def _ranks() -> tuple[int, ...]:
    """The rank of each eightieth of a deviation, from −4 to 4: 641 of them."""
    upper = [_half(place) for place in range(_SIDE)]
    lower = [ONE - rank for rank in reversed(upper[1:])]
    # what is beyond the ends is within them
    return (0, *lower, *upper, ONE)


def _half(place: int) -> int:
    """The rank of so many eightieths above the middle."""
    z = (place << _BITS) // _PER_DEVIATION
    term, total, k = z, z, 0
    while term:
        k += 1
        term = -((term * z >> _BITS) * z >> _BITS) // (2 * k)
        total += term // (2 * k + 1)
        if abs(term) < 4:
            break
    return ONE // 2 + ((total * 10**30 // _ROOT) * ONE >> _BITS)


def score(rank: int) -> int:
    """The score of a rank.

    >>> score(ONE // 2), score(0)
    (0, -327680)
    """
    table = _ranks()
    place = min(bisect_right(table, rank) - 1, 2 * _SIDE - 1)
    low, high = table[place], table[place + 1]
    return (place << _FINE) + ((rank - low) << _FINE) // (high - low) - _CENTRE


def rank(score: int) -> int:
    """The rank of a score.

    >>> [rank(of) for of in (-10**6, 0, 10**6)] == [0, ONE // 2, ONE - 1]
    True
    """
    at = min(max(score + _CENTRE, 0), _LAST)
    table, place = _ranks(), at >> _FINE
    low, high = table[place], table[place + 1]
    found = low + ((high - low) * (at & ((1 << _FINE) - 1)) >> _FINE)
    return min(found, ONE - 1) if at < _LAST else ONE - 1


def scores(ranks: Any, numpy: ModuleType) -> Any:
    """The scores of an array of ranks."""
    table = _table(numpy)
    places = numpy.minimum(numpy.searchsorted(table, ranks, "right") - 1, 2 * _SIDE - 1)
    low = table[places]
    return (places << _FINE) + ((ranks - low) << _FINE) // (table[places + 1] - low) - _CENTRE


def ranks(scores: Any, numpy: ModuleType) -> Any:
    """The ranks of an array of scores."""
    at = numpy.clip(scores + _CENTRE, 0, _LAST)
    table, places = _table(numpy), at >> _FINE
    low = table[places]
    found = low + ((table[places + 1] - low) * (at & ((1 << _FINE) - 1)) >> _FINE)
    return numpy.where(at < _LAST, numpy.minimum(found, ONE - 1), ONE - 1)


@remembered
def _table(numpy: ModuleType) -> Any:
    return numpy.array(_ranks(), dtype=numpy.int64)


class Knots:
    """A distribution: whole numbers at ranks, and straight between them.

    Args:
        values: not falling.
        at: the rank of each, not falling, from 0 to `ONE`.
    """

    def __init__(self, values: list[int], at: list[int]) -> None:
        self.values, self.at = values, at
        self.steps = _steps_of(values, at)

    def value(self, rank: int) -> int:
        """What stands at a rank."""
        k = bisect_right(self.at, rank) - 1
        width, off = self.at[k + 1] - self.at[k], rank - self.at[k]
        whole, rest = divmod(self.values[k + 1] - self.values[k], width)
        return self.values[k] + whole * off + (rest * off + width // 2) // width

    def rank(self, value: int) -> int:
        """Where a value stands: in the middle of the ranks that are rounded to it."""
        firsts, _, _ = self.steps
        below = self._edge(bisect_left(firsts, value) - 1, 2 * value - 1)
        above = self._edge(bisect_right(firsts, value) - 1, 2 * value + 1)
        return min((below + above) // 2, ONE - 1)

    def _edge(self, k: int, halves: int) -> int:
        """The rank at so many halves, which lie after the k-th value."""
        firsts, lows, highs = self.steps
        if k < 0:
            return 0
        if k == len(firsts) - 1:
            return ONE
        length = 2 * (firsts[k + 1] - firsts[k])
        shift = _shift(length)
        part = (halves - 2 * firsts[k]) >> shift
        return highs[k] + part * (lows[k + 1] - highs[k]) // (length >> shift)


def _shift(length: int) -> int:
    """How many bits of a length are too many for products of 62 bits."""
    return max(0, length.bit_length() - 32)


def _steps_of(values: list[int], at: list[int]) -> tuple[list[int], list[int], list[int]]:
    """Each value once, with the first and the last of its ranks."""
    firsts: list[int] = []
    lows: list[int] = []
    highs: list[int] = []
    for value, rank in zip(values, at, strict=True):
        if firsts and firsts[-1] == value:
            highs[-1] = rank
            continue
        firsts.append(value)
        lows.append(rank)
        highs.append(rank)
    return firsts, lows, highs


class ManyKnots:
    """The distributions of several groups, for arrays.

    Args:
        groups: the knots of each.
        numpy: the package.
    """

    def __init__(self, groups: list[Knots], numpy: ModuleType) -> None:
        self._numpy = numpy
        arrays = [(self._array(one.values), self._array(one.at)) for one in groups]
        self._values = numpy.concatenate([values for values, _ in arrays])
        # one search for all groups: each has its own thousand million of ranks
        self._at = numpy.concatenate([at + g * ONE for g, (_, at) in enumerate(arrays)])
        self._steps = [tuple(map(self._array, one.steps)) for one in groups]

    def _array(self, numbers: list[int]) -> Any:
        return self._numpy.array(numbers, dtype=self._numpy.int64)

    def values(self, ranks: Any, groups: Any) -> Any:
        """What stands at ranks, each of its group."""
        at = ranks + groups * ONE
        k = self._numpy.searchsorted(self._at, at, "right") - 1
        first = self._values[k]
        width, off = self._at[k + 1] - self._at[k], at - self._at[k]
        length = self._values[k + 1] - first
        whole = length // width
        rest = length - whole * width
        return first + whole * off + (rest * off + width // 2) // width

    def ranks(self, values: Any, groups: Any) -> Any:
        """Where values stand, each in its group."""
        numpy = self._numpy
        if len(self._steps) == 1:
            return self._ranks_in(values, *self._steps[0])
        found = numpy.zeros(len(values), dtype=numpy.int64)
        for number in numpy.unique(groups).tolist():
            here = groups == number
            found[here] = self._ranks_in(values[here], *self._steps[number])
        return found

    def _ranks_in(self, values: Any, firsts: Any, lows: Any, highs: Any) -> Any:
        numpy = self._numpy
        steps = firsts, lows, highs
        # what is far outside is at an end, whatever it is
        values = numpy.clip(values, firsts[0] - 1, firsts[-1] + 1)
        below = self._edges(numpy.searchsorted(firsts, values, "left") - 1, 2 * values - 1, steps)
        above = self._edges(numpy.searchsorted(firsts, values, "right") - 1, 2 * values + 1, steps)
        return numpy.minimum((below + above) // 2, ONE - 1)

    def _edges(self, k: Any, halves: Any, steps: tuple[Any, Any, Any]) -> Any:
        numpy = self._numpy
        firsts, lows, highs = steps
        if len(firsts) == 1:
            return numpy.where(k < 0, 0, ONE)
        here = numpy.clip(k, 0, len(firsts) - 2)
        lengths = 2 * numpy.diff(firsts)
        shifts = numpy.array([_shift(one) for one in lengths.tolist()])
        part = (halves - 2 * firsts[here]) >> shifts[here]
        found = highs[here] + part * (lows[here + 1] - highs[here]) // (lengths >> shifts)[here]
        return numpy.where(k < 0, 0, numpy.where(k == len(firsts) - 1, ONE, found))


def evenly(count: int) -> list[int]:
    """So many ranks from the first to the last, as far apart from one another as can be."""
    return [ONE * place // (count - 1) for place in range(count)]


def at_per_mille(told: Any, count: int, where: str) -> list[int]:
    """The ranks of knots told per mille.

    Args:
        told: so many whole numbers as there are values, from 0 to 1000, not falling.
        count: of the values.
        where: for messages.

    Raises:
        RecordRefused: they are not so.
    """
    several = list(told) if isinstance(told, (list, tuple)) else []
    are_numbers = all(isinstance(one, (int, float)) for one in several)
    if (
        len(several) != count
        or not are_numbers
        or several != sorted(several)
        or (several[0], several[-1]) != (0, 1000)
    ):
        raise RecordRefused(
            f"{where}: at = {several or told!r}, but {count} numbers from 0 to 1000 are needed, in "
            "order, one for each value"
        )
    return [round(one * ONE / 1000) if one < 1000 else ONE for one in several]
