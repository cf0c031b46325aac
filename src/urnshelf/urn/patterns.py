"""Patterns: the parts of a regular expression, each of which draws a text, and counts its texts.

Lengths and alternatives are chosen evenly, not by how many texts they have.
"""

from __future__ import annotations

from functools import cached_property
from typing import Any

from urnshelf.urn.mixing import Bits

MOST_REPEATS = 8
"""How often `*`, `+` and `{n,}` repeat at the most beyond their least, where nothing demands
more.
"""
ANY_LENGTH = 1 << 30


class Letters:
    """One letter of several."""

    least: int = 1
    most: int = 1

    def __init__(self, letters: str) -> None:
        self.letters = letters
        self.size = len(letters)

    @cached_property
    def first(self) -> frozenset[str]:
        """All of them."""
        return frozenset(self.letters)

    def text(self, number: int) -> str:
        """The letter with this number."""
        return self.letters[number]

    def draw(self, bits: Bits, low: int, high: int) -> str:  # noqa: ARG002
        """One of them."""
        return self.letters[bits.below(self.size)] if self.size > 1 else self.letters

    def is_plain(self, following: frozenset[str]) -> bool:  # noqa: ARG002
        """It is."""
        return True


class Sequence:
    """Parts one after the other; the last one's number changes fastest."""

    def __init__(self, parts: list[Node]) -> None:
        self.parts = parts
        self.least: int = sum(part.least for part in parts)
        self.most: int = sum(part.most for part in parts)

    @cached_property
    def size(self) -> int:
        """The product of those of its parts."""
        size = 1
        for part in self.parts:
            size *= part.size
        return size

    @property
    def is_flat(self) -> bool:
        """Whether it is of letters alone, so that all its texts are equally likely."""
        return all(isinstance(part, Letters) for part in self.parts)

    @cached_property
    def first(self) -> frozenset[str]:
        """Those of its parts up to the first that cannot be empty."""
        return _first(self.parts, frozenset())

    def text(self, number: int) -> str:
        """The text with this number."""
        found = []
        for part in reversed(self.parts):
            number, rest = divmod(number, part.size)
            found.append(part.text(rest))
        return "".join(reversed(found))

    def draw(self, bits: Bits, low: int, high: int) -> str:
        """A text: each part leaves the others as much room as they need."""
        least, most = self.least, self.most
        text = ""
        for part in self.parts:
            least, most = least - part.least, most - part.most
            text += part.draw(bits, low - len(text) - most, high - len(text) - least)
        return text

    def is_plain(self, following: frozenset[str]) -> bool:
        """Whether all its parts are, each with what may come after it."""
        return all(
            part.is_plain(_first(self.parts[number + 1 :], following))
            for number, part in enumerate(self.parts)
        )


def _first(parts: list[Node], following: frozenset[str]) -> frozenset[str]:
    found: frozenset[str] = frozenset()
    for part in parts:
        found |= part.first
        if part.least:
            return found
    return found | following


class Choice:
    """One of several parts."""

    def __init__(self, ways: list[Node]) -> None:
        self.ways = ways
        self.least: int = min(way.least for way in ways)
        self.most: int = max(way.most for way in ways)

    @cached_property
    def size(self) -> int:
        """The sum of those of its ways."""
        return sum(way.size for way in self.ways)

    @cached_property
    def first(self) -> frozenset[str]:
        """Those of all ways."""
        return frozenset().union(*(way.first for way in self.ways))

    def text(self, number: int) -> str:
        """The text with this number."""
        for way in self.ways:
            if number < way.size:
                return way.text(number)
            number -= way.size
        raise AssertionError("a number below the size belongs to one way")

    def draw(self, bits: Bits, low: int, high: int) -> str:
        """A text of one of the ways that have such lengths."""
        fitting = [way for way in self.ways if way.least <= high and way.most >= low] or self.ways
        return fitting[bits.below(len(fitting))].draw(bits, low, high)

    def is_plain(self, following: frozenset[str]) -> bool:
        """Whether the first letter tells the way."""
        seen = following if any(not way.least for way in self.ways) else frozenset()
        for way in self.ways:
            if way.first & seen:
                return False
            seen |= way.first
        return sum(not way.least for way in self.ways) < 2 and all(
            way.is_plain(following) for way in self.ways
        )


class Repeat:
    """A part several times.

    Args:
        part: what is repeated.
        fewest: how often at least.
        often: how often at most; None for without end.
    """

    def __init__(self, part: Node, fewest: int, often: int | None) -> None:
        self.part, self.fewest = part, fewest
        self._usual = fewest + MOST_REPEATS if often is None else often
        self._often = ANY_LENGTH if often is None else often
        self.least: int = part.least * fewest
        self.most: int = min(part.most * self._often, ANY_LENGTH)
        self.first: frozenset[str] = part.first if self._often else frozenset()

    @cached_property
    def size(self) -> int:
        """The sum over all counts."""
        return sum(self.part.size**count for count in range(self.fewest, self._usual + 1))

    def text(self, number: int) -> str:
        """The text with this number."""
        for count in range(self.fewest, self._usual + 1):
            size = self.part.size**count
            if number < size:
                return Sequence([self.part] * count).text(number)
            number -= size
        raise AssertionError("a number below the size belongs to one count")

    def draw(self, bits: Bits, low: int, high: int) -> str:
        """As many as the length demands or allows; evenly, where it does neither."""
        part, most = self.part, self._usual
        fewest = max(self.fewest, -(-low // part.most)) if part.most else self.fewest
        if fewest > most and self._often == ANY_LENGTH:
            most = fewest + MOST_REPEATS
        if part.least:
            most = min(most, high // part.least)
        most = min(max(most, fewest), self._often)
        count = bits.between(min(fewest, most), most)
        text = ""
        for left in range(count - 1, -1, -1):
            room_below = low - len(text) - left * part.most
            text += part.draw(bits, room_below, high - len(text) - left * part.least)
        return text

    def is_plain(self, following: frozenset[str]) -> bool:
        """Whether the next letter tells that it goes on."""
        if self._often > self.fewest and (self.part.first & following or not self.part.least):
            return False
        return self.part.is_plain(following | self.part.first if self._often > 1 else following)


Node = Letters | Sequence | Choice | Repeat
"""A part of a pattern.

`size` is how many texts it has, where the ways to one text count apart; `least` and `most` are the
lengths of its shortest and its longest text; `first` are the letters that its texts may begin with.
`text` gives the text with a number below the size, `draw` one of a length, where it has such
lengths. `is_plain` tells whether each text comes about in one way only, given the letters that may
come after it.
"""


# --- many texts of a flat pattern -----------------------------------------------------------------


def texts(node: Node, numbers: Any) -> list[str]:
    """The texts with these numbers, an array of them: a sequence is taken apart for all numbers at
    once.
    """
    if not isinstance(node, Sequence):
        return list(map(node.text, numbers.tolist()))
    columns = []
    for part in reversed(_grouped(node.parts, len(numbers))):
        columns.append(_texts_of_part(part, numbers % part.size))
        numbers = numbers // part.size
    return list(map("".join, zip(*reversed(columns), strict=True)))


def _texts_of_part(part: Node, numbers: Any) -> list[str]:
    """Where there are more numbers than texts, the texts are made once and picked by number."""
    # more texts than numbers: to list them all would be the longer way
    if part.size > len(numbers):
        return texts(part, numbers)
    listed = list(map(part.text, range(part.size)))
    return [listed[number] for number in numbers.tolist()]


def _grouped(parts: list[Node], most: int) -> list[Node]:
    """Neighbours put together while they have no more texts than this: fewer columns are quicker to
    join.
    """
    groups: list[list[Node]] = []
    size = 0
    for part in parts:
        if groups and size * part.size <= most:
            groups[-1].append(part)
            size *= part.size
        else:
            groups.append([part])
            size = part.size
    return [group[0] if len(group) == 1 else Sequence(group) for group in groups]
