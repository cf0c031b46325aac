"""Dealing: which parent a child belongs to, and which children a parent has, at any index alone.

A hand of counts is shuffled anew for each block of parents, by a keyed permutation, and dealt: so
the distribution of children is exact in each block, and both ways cost the same anywhere.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.urn.mixing import GOLDEN, MASK, mix
from urnshelf.urn.permutation import permuted

_MOST = 200
"""So many parents a block has at the most."""
_TOGETHER = 64
"""So many parents are drawn together where one is asked for."""

_BLOCKS_DEALT = 4096
"""Of so many blocks it is remembered how they were dealt."""
_BLOCKS = 8
"""Of so many blocks the parents are remembered."""

Counts = int | tuple[int, int] | Mapping[int, int]
"""How many children a parent has: so many; from the least to the most; or each number with how
often it comes."""


def hand_of(counts: Any, where: str) -> tuple[int, ...]:
    """The counts that are dealt to one block of parents.

    Args:
        counts: how many children a parent has.
        where: for messages.

    Raises:
        RecordRefused: no such counts.

    >>> hand_of((0, 2), ""), hand_of({0: 1, 3: 1}, "")[:2]
    ((0, 1, 2), (0, 3))
    """
    if isinstance(counts, Mapping):
        weights = {_whole(key, where): _whole(one, where) for key, one in counts.items()}
    elif isinstance(counts, (tuple, list)) and len(counts) == 2:
        low, high = (_whole(end, where) for end in counts)
        weights = dict.fromkeys(range(low, high + 1), 1)
    else:
        weights = {} if isinstance(counts, (tuple, list)) else {_whole(counts, where): 1}
    total = sum(weights.values())
    if not total or len(weights) > _MOST or not any(weights):
        raise RecordRefused(
            f"{where}: {show(counts, 60)} tells no numbers of children; give a number, the least "
            "and the most, (0, 5), or each with how often it comes, {0: 2, 1: 5, 2: 1}"
        )
    size = total if total <= _MOST else _MOST
    return tuple(_apportioned(weights, total, size))


def _whole(value: Any, where: str) -> int:
    number = int(value) if isinstance(value, str) and value.isdigit() else value
    if isinstance(number, bool) or not isinstance(number, int) or number < 0:
        raise RecordRefused(f"{where}: {show(value, 40)} is no number of children")
    return number


def _apportioned(weights: Mapping[int, int], total: int, size: int) -> list[int]:
    """So many cards, each number as often as it comes, by the largest remainders."""
    shares = {count: weight * size for count, weight in weights.items()}
    cards = {count: share // total for count, share in shares.items()}
    left = size - sum(cards.values())
    for count in sorted(shares, key=lambda one: -(shares[one] % total))[:left]:
        cards[count] += 1
    return [count for count, n in sorted(cards.items()) for _ in range(n)]


class Dealing:
    """The dealing of children to parents.

    Args:
        hand: the counts of one block.
        key: what it is shuffled by.
    """

    def __init__(self, hand: tuple[int, ...], key: int) -> None:
        self._hand, self._key = hand, key
        self._per_block = sum(hand)
        self._known: dict[int, list[int]] = {}

    def _ends(self, block: int) -> list[int]:
        """How many children the first parents of a block have together, for each of them."""
        ends = self._known.get(block)
        if ends is None:
            size = len(self._hand)
            key = mix((self._key + block * GOLDEN) & MASK)
            ends = list(accumulate(self._hand[permuted(key, n, size)] for n in range(size)))
            if len(self._known) >= _BLOCKS_DEALT:
                self._known.clear()
            self._known[block] = ends
        return ends

    def of_child(self, index: int) -> tuple[int, int]:
        """The parent's index, and the child's number among that one's children, from 0."""
        block, rest = divmod(index, self._per_block)
        before = 0
        for parent, end in enumerate(self._ends(block)):
            if rest < end:
                return block * len(self._hand) + parent, rest - before
            before = end
        raise AssertionError  # the last end is the number of a block's children

    def of_children(self, indexes: Sequence[int]) -> list[int]:
        """The parents' indexes of many children; of children in a row quickly."""
        if not indexes or indexes[-1] - indexes[0] != len(indexes) - 1:
            return [self.of_child(index)[0] for index in indexes]
        first, last = indexes[0], indexes[-1]
        found: list[int] = []
        begin = first // self._per_block
        for block in range(begin, last // self._per_block + 1):
            before = 0
            for place, end in enumerate(self._ends(block)):
                found += [block * len(self._hand) + place] * (end - before)
                before = end
        skipped = first - begin * self._per_block
        return found[skipped : skipped + len(indexes)]

    def children(self, parent: int) -> range:
        """The indexes of a parent's children.

        >>> dealing = Dealing((0, 1, 2), 7)
        >>> [dealing.of_child(i)[0] for i in dealing.children(1)] == [1] * len(dealing.children(1))
        True
        """
        block, place = divmod(parent, len(self._hand))
        ends = self._ends(block)
        first = block * self._per_block + (ends[place - 1] if place else 0)
        return range(first, block * self._per_block + ends[place])

    def total(self, parents: int) -> int:
        """How many children the first parents have together."""
        return self.children(parents - 1).stop if parents else 0


class Indexed(Sequence[Any]):
    """Records, or one field of them, that are drawn when they are asked for."""

    def at(self, indexes: list[int]) -> Sequence[Any]:
        """Those with these indexes, drawn together."""
        raise NotImplementedError


class InTurn(Indexed):
    """Parents by their index, some drawn at a time.

    Args:
        some: draws those with these indexes.
        there: those that are there already, and are taken instead.
    """

    def __init__(
        self, some: Callable[[range], Sequence[Any]], there: Callable[[], Sequence[Any]]
    ) -> None:
        self._some, self._there = some, there
        self._known: dict[int, Sequence[Any]] = {}

    def __len__(self) -> int:
        return len(self._there()) or sys.maxsize

    def __getitem__(self, index: Any) -> Any:
        there = self._there()
        if there:
            if index >= len(there):
                raise RecordRefused(
                    f"there are only {len(there)} parents on the shelf, and this would be a child "
                    f"of number {index + 1}: stock fewer children, or more parents before"
                )
            return there[index]
        block, place = divmod(index, _TOGETHER)
        if block not in self._known:
            if len(self._known) > _BLOCKS:
                self._known.clear()
            self._known[block] = self._some(range(block * _TOGETHER, (block + 1) * _TOGETHER))
        return self._known[block][place]

    def at(self, indexes: list[int]) -> Sequence[Any]:
        """Those with these indexes, drawn together."""
        first = min(indexes, default=0)
        there = self.between(first, max(indexes, default=-1) + 1)
        return [there[index - first] for index in indexes]

    def between(self, start: int, stop: int) -> Sequence[Any]:
        """Those from one index to another, drawn together."""
        if self._there():
            return [self[index] for index in range(start, stop)]
        return self._some(range(start, stop))
