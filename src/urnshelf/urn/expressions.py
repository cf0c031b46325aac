"""Regular expressions read into the parts of a pattern."""

from __future__ import annotations

import re
import string
import warnings

from urnshelf.caches import remembered
from urnshelf.errors import RecordRefused
from urnshelf.urn.patterns import Choice, Letters, Node, Repeat, Sequence

_PUNCTUATION = string.punctuation.replace("_", "")
_CLASSES = {
    "d": string.digits,
    "D": string.ascii_letters,
    "w": string.ascii_letters + string.digits + "_",
    "W": " " + _PUNCTUATION,
    "s": " ",
    "S": string.ascii_letters + string.digits,
}
"""What is drawn of a class; each of it matches, not all that matches is there."""
_ANY = string.ascii_letters + string.digits
_CONTROLS = {"n": "\n", "t": "\t", "r": "\r", "f": "\f", "v": "\v", "a": "\a", "0": "\0"}
_LIKELY = (_ANY, " " + string.punctuation, "\t\n\r\f\v", "éüøłß", "".join(map(chr, range(32))))
"""What a negated class is drawn from: the first of these of which it leaves something."""
_WIDE = 512
"""A range of more letters is drawn from those of them that are usual."""


class Expression:
    """A regular expression, read.

    Attributes:
        node: what draws its texts.
        is_certain: whether all that is drawn matches; else it must be tried.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        self.compiled = compiled(text)
        reader = _Reader(text)
        self.node = reader.whole()
        self.is_certain = not reader.has_conditions

    @property
    def is_flat(self) -> bool:
        """Whether all its texts are equally likely, by their numbers."""
        node = self.node
        is_flat = isinstance(node, Letters) or (isinstance(node, Sequence) and node.is_flat)
        return self.is_certain and is_flat


@remembered
def expression(text: str) -> Expression:
    """An expression read; raises RecordRefused for what is none, or cannot be drawn.

    >>> codes = expression("B-[0-9]{3}")
    >>> codes.node.size, codes.node.text(7), codes.is_flat
    (1000, 'B-007', True)
    """
    return Expression(text)


@remembered
def compiled(text: str) -> re.Pattern[str]:
    """The expression as Python has it; raises RecordRefused for what is none."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return re.compile(python_syntax(text))
    except (re.error, OverflowError, RecursionError) as why:
        raise RecordRefused(f"the pattern {text!r} is no regular expression: {why}") from None


def python_syntax(text: str) -> str:
    """The expression as Python writes it: other languages write named groups without the P."""
    return re.sub(r"\(\?<(?=[A-Za-z_])", "(?P<", text)


class _Reader:
    """Reads an expression of which it is known that its syntax is right."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._at = 0
        self.has_conditions = False

    def whole(self) -> Node:
        node = self._alternatives(True)
        if self._at < len(self._text):
            raise self._refused("an unopened ')'")
        return node

    def _alternatives(self, is_outermost: bool) -> Node:
        ways = [self._sequence(is_outermost)]
        while self._take("|"):
            ways.append(self._sequence(is_outermost))
        return ways[0] if len(ways) == 1 else Choice(ways)

    def _sequence(self, is_outermost: bool) -> Node:
        parts: list[Node] = []
        while self._at < len(self._text) and self._text[self._at] not in "|)":
            if self._take_anchor(is_outermost and not parts):
                continue
            atom = self._atom()
            if atom is not None:
                parts += self._repeated(atom)
        return parts[0] if len(parts) == 1 else Sequence(parts)

    def _take_anchor(self, is_first: bool) -> bool:
        """Anchors say nothing at the ends; elsewhere what is drawn must be tried."""
        for anchor in ("^", "$", r"\A", r"\Z", r"\z", r"\b", r"\B"):
            if self._take(anchor):
                rest = self._text[self._at :]
                is_last = anchor in ("$", r"\Z", r"\z") and (not rest or rest[0] == "|")
                if not (is_last or (is_first and anchor in ("^", r"\A"))):
                    self.has_conditions = True
                return True
        return False

    def _atom(self) -> Node | None:
        letter = self._next()
        if letter == "(":
            return self._group()
        if letter == "[":
            return Letters(self._class())
        if letter == ".":
            return Letters(_ANY)
        if letter == "\\":
            return Letters(self._escaped())
        return Letters(letter)

    def _group(self) -> Node | None:
        if self._take("?:") or self._take("?>"):
            pass
        elif self._take("?P<") or (
            self._text[self._at : self._at + 2] == "?<"
            and self._text[self._at + 2] not in "=!"
            and self._take("?<")
        ):
            self._at = self._text.index(">", self._at) + 1
        elif self._text[self._at : self._at + 1] == "?":
            return self._condition()
        inner = self._alternatives(False)
        self._take(")")
        return inner

    def _condition(self) -> Node | None:
        """A look-around, a comment or flags; none of them draws anything."""
        flags = re.compile(r"\?([aiLmsu]*)(-[ims]+)?([:)])").match(self._text, self._at)
        if flags is not None:
            self._at = flags.end()
            if flags[3] == ")":
                return None
            inner = self._alternatives(False)
            self._take(")")
            return inner
        if not any(self._text.startswith(sign, self._at) for sign in ("?=", "?!", "?<", "?#")):
            raise self._refused("a condition, a back-reference or a flag")
        self.has_conditions = True
        self._at += 3 if self._text.startswith("?<", self._at) else 2
        if self._text[self._at - 1] == "#":
            self._at = self._text.index(")", self._at) + 1
            return None
        # read, so that its end is found, and left out
        self._alternatives(False)
        self._take(")")
        return None

    def _escaped(self) -> str:
        letter = self._next()
        if letter in _CLASSES:
            return _CLASSES[letter]
        if letter in "xuU":
            digits = {"x": 2, "u": 4, "U": 8}[letter]
            code = self._text[self._at : self._at + digits]
            self._at += digits
            return chr(int(code, 16))
        if letter.isdigit() and letter != "0":
            raise self._refused(f"the back-reference '\\{letter}'")
        return _CONTROLS.get(letter, letter)

    def _class(self) -> str:
        begin = self._at - 1
        negated = self._take("^")
        letters = self._class_member(self._next())  # a `]` that stands first is a letter
        while not self._take("]"):
            letters += self._class_member(self._next())
        if negated:
            letters = self._left_over(self._text[begin : self._at], letters)
        return "".join(dict.fromkeys(letters))

    def _class_member(self, letter: str) -> str:
        first = self._escaped_in_class() if letter == "\\" else letter
        following = self._text[self._at : self._at + 2]
        if len(first) > 1 or following[:1] != "-" or following[1:] == "]":
            return first
        self._next()
        last = self._next()
        last = self._escaped_in_class() if last == "\\" else last
        return _span(ord(first), ord(last))

    def _escaped_in_class(self) -> str:
        # there it is a backspace
        return "\b" if self._take("b") else self._escaped()

    def _left_over(self, written: str, letters: str) -> str:
        """What a negated class leaves; more is excluded than is drawn of its parts."""
        try:
            allowed = compiled(written)
        except RecordRefused:  # written as another language has it
            allowed = re.compile(f"[^{re.escape(letters)}]")
        for likely in _LIKELY:
            left = "".join(letter for letter in likely if allowed.fullmatch(letter))
            if left:
                return left
        raise self._refused("a class that leaves no letter")

    def _repeated(self, part: Node) -> list[Node]:
        fewest, often = self._counts()
        if self._take("+"):
            self.has_conditions = True  # it gives nothing back
        else:
            self._take("?")  # a lazy repeat matches the same texts
        if fewest == often and fewest < 64:
            return [part] * fewest
        return [Repeat(part, fewest, often)]

    def _counts(self) -> tuple[int, int | None]:
        for sign, counts in (("?", (0, 1)), ("*", (0, None)), ("+", (1, None))):
            if self._take(sign):
                return counts
        match = re.compile(r"\{(\d*)(,?)(\d*)\}").match(self._text, self._at)
        if match is None or (match[0] in ("{}", "{,}") and not match[2]):
            return 1, 1
        self._at = match.end()
        fewest = int(match[1] or 0)
        if match[3]:
            return fewest, int(match[3])
        return fewest, None if match[2] else fewest

    def _next(self) -> str:
        self._at += 1
        return self._text[self._at - 1]

    def _take(self, text: str) -> bool:
        if self._text.startswith(text, self._at):
            self._at += len(text)
            return True
        return False

    def _refused(self, what: str) -> RecordRefused:
        return RecordRefused(
            f"the pattern {self._text!r} cannot be drawn because of {what} (at character "
            f"{self._at})"
        )


def _span(first: int, last: int) -> str:
    """The letters of a range; of a wide one those that are usual, where there are some."""
    if last - first > _WIDE:
        usual = "".join(one for likely in _LIKELY[:2] for one in likely)
        found = "".join(one for one in usual if first <= ord(one) <= last)
        if found:
            return found
        last = first + _WIDE
    # halves of a pair are no letters
    return "".join(chr(code) for code in range(first, last + 1) if not 0xD800 <= code <= 0xDFFF)
