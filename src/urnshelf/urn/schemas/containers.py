"""Objects and lists of a JSON Schema drawn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.urn.bounded_patterns import is_in
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import TRIES, Rule
from urnshelf.urn.rules.texts import pattern
from urnshelf.urn.schemas.checking import same
from urnshelf.urn.schemas.joining import Impossible, Joined, both

Late = Callable[[list[Any], str, str], Rule]
"""The rule of schemas inside: these, with their path, and the name that is drawn by."""
Allows = Callable[[Any, Any], bool]
"""Whether a schema allows a value."""
_WORDS = pattern("[a-z]{3,9}")


class Unfit(Exception):
    """What was drawn does not keep the schema: it is drawn again."""


class Objects:
    """Draws the objects of a schema.

    Args:
        said: of them.
        inner: gives the rules of what is inside.
        allows: tries a value against a schema.
        is_deep: whether only what must be there is drawn.
    """

    def __init__(self, said: Joined, inner: Late, allows: Allows, is_deep: bool) -> None:
        self._said, self._inner, self._allows = said, inner, allows
        self._is_deep = is_deep
        self._rules: dict[str, Rule] = {}
        possible = [name for name, schema in said.properties.items() if schema is not False]
        self._optional = [
            name for name in possible if name not in said.required and self._may_be_named(name)
        ]
        for name in said.required:
            if self._schema_of(name) is False or not self._may_be_named(name):
                raise RecordRefused(
                    f"cannot draw {said.path}/properties/{name}: it is required, and nothing is "
                    "allowed there"
                )

    def draw(self, bits: Bits) -> dict[str, Any]:
        """One object."""
        found = {}
        for name in self._names(bits):
            try:
                found[name] = self._rule(name).one(bits.sub(key_of(0, name) >> 2).sub(0))
            except Impossible:
                if name in self._said.required:
                    raise
        return found

    def _names(self, bits: Bits) -> list[str]:
        """Which properties there are."""
        said = self._said
        chosen = list(said.required)
        for name in [] if self._is_deep else self._optional:
            # by its name, not its position: a new property must not change what others draw
            if bits.sub(key_of(0, name) >> 2).below(4):
                chosen.append(name)
        self._add_dependent(chosen)
        number = 0
        for name in self._optional:
            if len(chosen) < said.min_properties and name not in chosen:
                chosen.append(name)
                self._add_dependent(chosen)
        wanted = max(said.min_properties - len(chosen), self._extra(bits))
        while wanted > 0 and number < TRIES:
            name = self._made_name(bits.sub(number))
            number += 1
            if name not in chosen and self._may_be_named(name):
                chosen.append(name)
                wanted -= 1
        most = said.max_properties
        while most is not None and len(chosen) > most:
            spare = [name for name in chosen if name not in said.required]
            if not spare:
                raise Unfit
            chosen.remove(spare[-1])
        known = [name for name in said.properties if name in chosen]
        return [*known, *[name for name in chosen if name not in said.properties]]

    def _add_dependent(self, chosen: list[str]) -> None:
        for name in chosen:  # it grows on the way
            for needed in self._said.dependent_required.get(name, ()):
                if needed not in chosen:
                    chosen.append(needed)

    def _extra(self, bits: Bits) -> int:
        """How many properties are drawn that are not named."""
        said = self._said
        is_told = bool(said.pattern_properties) or isinstance(said.additional, dict)
        if self._is_deep or not is_told:
            return 0
        return bits.sub(1).below(2 if said.properties else 4)

    def _made_name(self, bits: Bits) -> str:
        said = self._said
        patterns = [one for one, schema in said.pattern_properties.items() if schema is not False]
        if patterns and (said.additional is False or bits.below(2)):
            return str(self._name_rule(patterns[bits.below(len(patterns))]).one(bits.sub(0)))
        if said.additional is False and not patterns:
            raise Unfit
        rule = self._inner(said.names, f"{said.path}/propertyNames", "") if said.names else _WORDS
        return str(rule.one(bits.sub(0)))

    def _name_rule(self, expression: str) -> Rule:
        return self._inner([{"type": "string", "pattern": expression}], self._said.path, "")

    def _may_be_named(self, name: str) -> bool:
        said = self._said
        return all(self._allows(one, name) for one in said.names) and (
            self._schema_of(name) is not False
        )

    def _schema_of(self, name: str) -> Any:
        """What is said of a property of this name."""
        said = self._said
        named = said.properties.get(name)
        found: Any = True if named is None else named
        fitting = False
        for expression, schema in said.pattern_properties.items():
            if is_in(expression, name):
                found, fitting = both(found, schema), True
        if named is None and not fitting:
            found = said.additional
        # nothing is said of it: a text fits
        return {"type": "string"} if found is True and named is None else found

    def _rule(self, name: str) -> Rule:
        if name not in self._rules:
            path = f"{self._said.path}/properties/{name}"
            self._rules[name] = self._inner([self._schema_of(name)], path, name)
        return self._rules[name]


class Lists:
    """Draws the lists of a schema.

    Args:
        said: of them.
        inner: gives the rules of what is inside.
        is_deep: whether as few items as may be are drawn.
    """

    def __init__(self, said: Joined, inner: Late, is_deep: bool) -> None:
        self._said = said
        needed = sum(one.least for one in said.contains)
        first = said.prefix.index(False) if False in said.prefix else len(said.prefix)
        room = None if said.items is not False and first == len(said.prefix) else first
        self._low = max(said.min_items, needed)
        usual = self._low if is_deep else max(self._low, 3, first)
        most = [one for one in (said.max_items, room) if one is not None]
        self._high = min([usual, *most])
        if self._low > self._high:
            raise RecordRefused(
                f"cannot draw {said.path}: {self._low} items are wanted, and at most "
                f"{self._high} are allowed"
            )
        self._inner = inner
        self._rules: dict[tuple[int, int], Rule] = {}

    def draw(self, bits: Bits) -> list[Any]:
        """One list."""
        length = bits.between(self._low, self._high)
        kinds = self._kinds(length)
        found: list[Any] = []
        tried = 0
        while len(found) < length:
            rule = self._rule(len(found), kinds[len(found)])
            try:
                value = rule.one(bits.sub(tried))
            except Impossible:
                # no item can be there: a list without it may do
                if len(found) < self._low or self._said.contains:
                    raise
                return found
            tried += 1
            if not self._said.unique or not any(same(value, one) for one in found):
                found.append(value)
            elif tried > length + TRIES:
                if len(found) >= self._low and not self._said.contains:
                    return found
                if self._said.contains:
                    raise Unfit
                raise RecordRefused(
                    f"cannot draw {self._said.path}: {self._low} different items are wanted, but "
                    "there are too few"
                )
        return found

    def _kinds(self, length: int) -> list[int]:
        """Which places hold what the list must contain: the last ones; -1 for any item."""
        wanted = [
            number for number, one in enumerate(self._said.contains) for _ in range(one.least)
        ]
        return [-1] * (length - len(wanted)) + wanted

    def _rule(self, place: int, kind: int) -> Rule:
        said = self._said
        at = min(place, len(said.prefix))
        if (at, kind) not in self._rules:
            is_first = at < len(said.prefix)
            schema = said.prefix[at] if is_first else said.items
            path = f"{said.path}/prefixItems/{at}" if is_first else f"{said.path}/items"
            more = [] if kind < 0 else [said.contains[kind].schema]
            self._rules[at, kind] = self._inner([schema, *more], path, "")
        return self._rules[at, kind]
