"""Values with parts: one of several, tuples, containers, and values that limits refuse."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.types.limits import Limits
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import TRIES, Rule
from urnshelf.urn.rules.ranges import as_told


def lengths(limits: Limits, low: int, high: int) -> tuple[int, int]:
    """The least and the greatest length, where these two are usual and the limits allow it."""
    least = limits.min_length if limits.min_length is not None else low
    if limits.max_length is None:
        return least, max(high, least)
    if limits.min_length is None:
        least = min(low, limits.max_length)
    return least, min(limits.max_length, max(high, least))


class OneOf(Rule):
    """One of several rules: a member of a union."""

    vectorised = False

    def __init__(self, ways: list[Rule]) -> None:
        self._ways = ways

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        way = bits.below(len(self._ways))
        # each way has bits of its own: to add a member must not change what the others draw
        return self._ways[way].one(bits.sub(way))


class Tuple(Rule):
    """A rule for each part."""

    vectorised = False

    def __init__(self, parts: list[Rule]) -> None:
        self._parts = parts

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        return tuple(part.one(bits.sub(i)) for i, part in enumerate(self._parts))


class Items(Rule):
    """A container of several items: none to three, where nothing is said of its length."""

    vectorised = False

    def __init__(
        self,
        make: Callable[[Any], Any],
        limits: Limits,
        path: str,
        item: Rule,
        value: Rule | None = None,
    ) -> None:
        self._make, self._path, self._item, self._value = make, path, item, value
        self._low, self._high = lengths(limits, 0, 3)

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        wanted = bits.between(self._low, self._high)
        made = self._make([])
        for extra in range(TRIES):
            # a set or a mapping may lose equal ones, so more are drawn until enough differ
            made = self._make([self._part(bits.sub(i)) for i in range(wanted + extra)])
            if len(made) >= min(wanted, max(self._low, 0)) and len(made) >= self._low:
                return made
        raise RecordRefused(
            f"cannot draw {self._path}: {self._low} different items are wanted, but there are too "
            "few"
        )

    def _part(self, bits: Bits) -> Any:
        if self._value is None:
            return self._item.one(bits)
        return self._item.one(bits.sub(0)), self._value.one(bits.sub(1))


SOME_TRIES = 20


class Fitted(Rule):
    """A rule, and another where its values do not keep the limits."""

    vectorised = False

    def __init__(self, rule: Rule, limits: Limits, other: Rule) -> None:
        self._rule, self._limits, self._other = rule, limits, other
        self.needs, self.tells_none = rule.needs, rule.tells_none

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        value = as_told(self._rule.one(bits, *inputs), self._limits)
        for number in range(1, SOME_TRIES):
            if value is None or self._keeps(value):
                return value
            value = as_told(self._rule.one(bits.sub(number), *inputs), self._limits)
        return self._other.one(bits.sub(0))

    def _keeps(self, value: Any) -> bool:
        limits = self._limits
        return limits.allow(value) and (not limits.bounds or limits.bound(value))


class Checked(Rule):
    """A rule whose values are drawn again until the checks hold."""

    vectorised = False

    def __init__(self, rule: Rule, limits: Limits, path: str) -> None:
        self._rule, self._limits, self._path = rule, limits, path
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value."""
        for number in range(TRIES):
            # other bits for each try, the same on every machine
            value = self._rule.one(bits.sub(number), *inputs)
            if self._limits.allow(value):
                return value
        raise RecordRefused(
            f"cannot draw {self._path}: no value in {TRIES} tries keeps its limits; give a rule"
        )
