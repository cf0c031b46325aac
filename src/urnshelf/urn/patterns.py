"""Patterns: texts that match a regular expression of the usual subset, each with a number of its
own.
"""

from __future__ import annotations

import string
from typing import Any, Protocol

from urnshelf.errors import RecordRefused

__tracebackhide__ = True  # a failing test shows its own lines, not ours

MOST_REPEATS = 8
"""How often `*`, `+` and `{n,}` repeat at the most beyond their least."""

_CLASSES = {
    "d": string.digits,
    "w": string.ascii_letters + string.digits + "_",
    "s": " ",
    ".": string.ascii_letters + string.digits,
}


class Node(Protocol):
    """A part of a pattern: it has `size` texts, and gives the one with a number."""

    size: int

    def text(self, number: int) -> str:
        """The text with this number, from 0 to size - 1."""
        ...


class _Letters:
    def __init__(self, letters: str) -> None:
        self.letters = letters
        self.size = len(letters)

    def text(self, number: int) -> str:
        return self.letters[number]


class _Sequence:
    """Parts one after the other; the last one's number changes fastest."""

    def __init__(self, parts: list[Node]) -> None:
        self.parts = parts
        self.size = 1
        for part in parts:
            self.size *= part.size

    def text(self, number: int) -> str:
        found = []
        for part in reversed(self.parts):
            number, rest = divmod(number, part.size)
            found.append(part.text(rest))
        return "".join(reversed(found))


def texts(node: Node, numbers: Any) -> list[str]:
    """The texts with these numbers, an array of them: a sequence is taken apart for all numbers at
    once.
    """
    if not isinstance(node, _Sequence):
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
    return [group[0] if len(group) == 1 else _Sequence(group) for group in groups]


class _Choice:
    def __init__(self, ways: list[Node]) -> None:
        self.ways = ways
        self.size = sum(way.size for way in ways)

    def text(self, number: int) -> str:
        for way in self.ways:
            if number < way.size:
                return way.text(number)
            number -= way.size
        raise AssertionError("a number below the size belongs to one way")


def parse(pattern: str) -> Node:
    """The pattern's texts; raises RecordRefused for what is beyond the subset.

    Known: letters, escapes such as `\\d`, classes such as `[A-F0-9]` and `[^aeiou]`, `.`, groups,
        alternatives, `?`,
    `*`, `+`, `{n}`, `{n,m}`, and the anchors `^` and `$` at the ends.

    >>> codes = parse("B-[0-9]{3}")
    >>> codes.size, codes.text(7)
    (1000, 'B-007')
    """
    return _Parser(pattern).whole()


class _Parser:
    def __init__(self, pattern: str) -> None:
        self._whole = pattern
        self._text = pattern.removeprefix("^")
        if self._text.endswith("$") and not self._text.endswith("\\$"):
            self._text = self._text[:-1]
        self._at = 0

    def whole(self) -> Node:
        node = self._alternatives()
        if self._at < len(self._text):
            raise self._refused("an unopened ')'")
        return node

    def _alternatives(self) -> Node:
        ways = [self._sequence()]
        while self._take("|"):
            ways.append(self._sequence())
        return ways[0] if len(ways) == 1 else _Choice(ways)

    def _sequence(self) -> Node:
        parts: list[Node] = []
        while self._at < len(self._text) and self._text[self._at] not in "|)":
            parts.append(self._repeated(self._atom()))
        return parts[0] if len(parts) == 1 else _Sequence(parts)

    def _atom(self) -> Node:
        letter = self._next()
        if letter == "(":
            self._group_opening()
            inner = self._alternatives()
            if not self._take(")"):
                raise self._refused("a '(' that is not closed")
            return inner
        if letter == "[":
            return _Letters(self._class())
        if letter == ".":
            return _Letters(_CLASSES["."])
        if letter == "\\":
            return _Letters(self._escaped())
        if letter in "*+?{":
            raise self._refused(f"{letter!r} with nothing before it")
        if letter in "^$":
            raise self._refused(f"the anchor {letter!r} inside")
        return _Letters(letter)

    def _group_opening(self) -> None:
        if self._take("?:"):
            return
        if self._take("?P<"):
            self._at = self._text.index(">", self._at) + 1
        elif self._text[self._at : self._at + 1] == "?":
            raise self._refused("a look-around, a condition or a flag")

    def _escaped(self) -> str:
        letter = self._next()
        if letter in _CLASSES:
            return _CLASSES[letter]
        if letter in "DSWbBAZ" or letter.isdigit():
            raise self._refused(f"'\\{letter}'")
        return {"n": "\n", "t": "\t"}.get(letter, letter)

    def _class(self) -> str:
        negated = self._take("^")
        letters = ""
        # a `]` that stands first is a letter
        while not self._take("]") or not letters:
            letter = self._next()
            first = self._escaped() if letter == "\\" else letter
            following = self._text[self._at : self._at + 2]
            if len(first) == 1 and following[:1] == "-" and following[1:] != "]":
                self._next()
                last = self._next()
                last = self._escaped() if last == "\\" else last
                first = "".join(map(chr, range(ord(first), ord(last) + 1)))
            letters += first
        if negated:
            letters = "".join(c for c in string.ascii_letters + string.digits if c not in letters)
        unique = "".join(dict.fromkeys(letters))
        if not unique:
            raise self._refused("a class without letters")
        return unique

    def _repeated(self, node: Node) -> Node:
        least, most = self._counts()
        self._take("?")  # a lazy repeat matches the same texts
        if (least, most) == (1, 1):
            return node
        ways: list[Node] = [_Sequence([node] * count) for count in range(least, most + 1)]
        return ways[0] if len(ways) == 1 else _Choice(ways)

    def _counts(self) -> tuple[int, int]:
        if self._take("?"):
            return 0, 1
        if self._take("*"):
            return 0, MOST_REPEATS
        if self._take("+"):
            return 1, 1 + MOST_REPEATS
        if not self._take("{"):
            return 1, 1
        repeat, closed, _ = self._text[self._at :].partition("}")
        self._at += len(repeat) + 1
        low, comma, high = repeat.partition(",")
        if not closed or not (low or "0").isdigit() or not (high or "0").isdigit():
            raise self._refused(f"the repeat '{{{repeat}}}'")
        least = int(low or 0)
        if high:
            return least, int(high)
        return least, least + MOST_REPEATS if comma else least

    def _next(self) -> str:
        if self._at >= len(self._text):
            raise self._refused("its sudden end")
        self._at += 1
        return self._text[self._at - 1]

    def _take(self, text: str) -> bool:
        if self._text.startswith(text, self._at):
            self._at += len(text)
            return True
        return False

    def _refused(self, what: str) -> RecordRefused:
        return RecordRefused(
            f"the pattern {self._whole!r} cannot be drawn because of {what} (at character "
            f"{self._at})"
        )
