"""Rules of texts: patterns, templates, serials."""

from __future__ import annotations

import string
from collections.abc import Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.types.limits import Limits
from urnshelf.urn.expressions import expression
from urnshelf.urn.mixing import Bits
from urnshelf.urn.patterns import ANY_LENGTH, texts
from urnshelf.urn.rules.base import TRIES, Place, PlanRule, Rule, planned, table


class _Pattern(Rule):
    def __init__(self, pattern: str, low: int = 0, high: int = ANY_LENGTH) -> None:
        self._expression = expression(pattern)
        self._node, self._matches = self._expression.node, self._expression.compiled.fullmatch
        self._low, self._high = low, high
        if high < self._node.least or low > self._node.most:
            raise RecordRefused(f"no text that matches {pattern!r} has {_length(low, high)}")
        self._is_flat = self._expression.is_flat and bool(self._matches(self._node.text(0)))
        self._few: list[str] = []
        self.size = self._counted() if low == 0 and high == ANY_LENGTH else None
        self.vectorised = self._is_flat and self._node.size < 1 << 62

    def _counted(self) -> int | None:
        """How many texts there are; None where one text comes about in several ways, of many."""
        node = self._node
        if self._is_flat or (self._expression.is_certain and node.is_plain(frozenset())):
            return node.size
        if node.size > FEW:
            return None
        every = dict.fromkeys(map(node.text, range(node.size)))
        self._few = [text for text in every if self._matches(text)]
        return len(self._few)

    def narrowed(self, limits: Limits) -> Rule | None:
        low = limits.min_length or 0
        high = ANY_LENGTH if limits.max_length is None else limits.max_length
        return _Pattern(self._expression.text, max(low, self._low), min(high, self._high))

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        if self._is_flat:
            return self._node.text(self.raw(bits))
        for number in range(TRIES):
            text = self._node.draw(bits.sub(number), self._low, self._high)
            if self._low <= len(text) <= self._high and self._matches(text):
                return text
        raise RecordRefused(
            f"the pattern {self._expression.text!r} cannot be drawn: none of {TRIES} texts of "
            f"{_length(self._low, self._high)} matches it; give another rule"
        )

    def raw(self, bits: Any) -> Any:
        count = self._node.size
        if count <= 1 << 62:
            return bits.below(count)
        number, room = 0, 1
        while room < count:
            number, room = (number << 64) | bits.next(), room << 64
        return number * count // room

    def finish_all(self, raw: object) -> list[Any]:
        return texts(self._node, raw)

    def at(self, number: int) -> str:
        return self._few[number] if self._few else self._node.text(number)

    def to_plan(self) -> dict[str, Any]:
        return table("pattern", self._expression.text)


FEW = 4096
"""So many texts of a pattern are listed, to count them."""


def _length(low: int, high: int) -> str:
    if high == ANY_LENGTH:
        return f"{low} letters or more" if low else "any length"
    return f"{low} to {high} letters"


@planned("pattern")
def _pattern_of(entry: PlanRule) -> Rule:
    return pattern(entry.value)


def pattern(expression: str) -> Rule:
    """A text that matches a regular expression, from beginning to end; lengths and alternatives are
    chosen evenly.

    Args:
        expression: as Python's `re` has them. Unbounded repeats end after 8 more; look-arounds and
            word boundaries are kept by trying.

    Raises:
        RecordRefused: no regular expression, or one with back-references, conditions or verbose
            flags.

    >>> from urnshelf.urn.mixing import Bits
    >>> pattern("[A-Z]{2}-7").one(Bits(1, 0))[2:]
    '-7'
    """
    return _Pattern(expression)


class _Template(Rule):
    vectorised = False

    def __init__(self, text: str) -> None:
        self._text = text
        fields = [name for _, name, _, _ in string.Formatter().parse(text) if name is not None]
        self.needs = tuple(
            dict.fromkeys(name.partition(".")[0].partition("[")[0] for name in fields if name)
        )

    def one(self, bits: Bits, *inputs: object) -> str:  # noqa: ARG002
        return self._text.format(**dict(zip(self.needs, inputs, strict=True)))

    def to_plan(self) -> dict[str, Any]:
        return table("template", self._text)


@planned("template")
def _template_of(entry: PlanRule) -> Rule:
    return template(entry.value)


def template(text: str) -> Rule:
    """A text made from other fields of the record: `"{code}@{harbour}"`.

    Args:
        text: as for `str.format`, the fields by name.

    >>> named = rules.template("{id}/{harbour}")
    >>> [berth.code for berth in Urn(seed=7).draw(Berth, 2, harbour="Ternhythe", code=named)]
    ['1/Ternhythe', '2/Ternhythe']
    """
    return _Template(text)


class _Serial(Rule):
    in_series = True

    def __init__(self, prefix: str, start: int, digits: int, most: int | None = None) -> None:
        self._prefix, self._start, self._digits, self._most = prefix, start, digits, most
        self.size = 1 << 60 if most is None else most - start + 1
        self._where = "serial"

    def placed(self, place: Place) -> Rule:
        found = type(self)(self._prefix, self._start, self._digits, self._most)
        found._where = place.where
        return found

    def raw(self, bits: Any) -> Any:
        return bits.index

    def finish(self, raw: int) -> Any:
        if self._most is not None and raw + self._start > self._most:
            raise RecordRefused(
                f"{self._where}: record {raw + 1} has no value left, there are only {self.size} "
                "different ones"
            )
        return self._written(raw + self._start)

    def _written(self, number: int) -> Any:
        return f"{self._prefix}{number:0{self._digits}}"

    def at(self, number: int) -> Any:
        return self.finish(number)

    def to_plan(self) -> dict[str, Any]:
        return table("serial", self._prefix, start=self._start, digits=self._digits)


@planned("serial", "start", "digits")
def _serial_of(entry: PlanRule) -> Rule:
    return serial(entry.value or None, **entry.options)


class _Number(_Serial):
    def _written(self, number: int) -> Any:
        return number

    def narrowed(self, limits: Limits) -> Rule | None:
        """From the least number on that the limits allow, up to the greatest."""
        if limits.multiple_of is not None or limits.choices is not None or limits.is_tried:
            return None
        low, high = limits.whole()
        start = self._start if low is None else max(self._start, low)
        if high is not None and high < start:
            return None
        return _Number(self._prefix, start, self._digits, high)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        if self._most is not None:
            return self.many(lanes, *inputs)
        return lanes.index.astype("int64") + self._start


class _NestedNumber(Rule):
    """The number of a record inside another: no two records have the same inside of them."""

    def raw(self, bits: Any) -> Any:
        # millions by the outer record, so that they stay small for the first some hundred
        return bits.index * 1_000_000 + bits.below(1_000_000) + 1

    vectorised = False


def nested_number() -> Rule:
    """The rule of a whole number that is the key of a record inside another one."""
    return _NestedNumber()


def serial(prefix: str | None = None, start: int = 1, digits: int = 4) -> Rule:
    """Numbers in order of the records: 1, 2, 3 …; with a prefix, texts: B-0001, B-0002 …

    Args:
        prefix: what stands before the number; none for a plain number.
        start: the number of the first record.
        digits: how many digits a text has at least.

    >>> from urnshelf.urn.mixing import Bits
    >>> serial("B-").one(Bits(1, 0)), serial(start=100).one(Bits(1, 4))
    ('B-0001', 104)
    """
    return _Number("", start, digits) if prefix is None else _Serial(prefix, start, digits)
