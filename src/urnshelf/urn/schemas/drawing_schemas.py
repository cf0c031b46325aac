"""JSON Schema (2020-12) and OpenAPI's schema objects drawn: plain dictionaries, lists, texts and
numbers, each of which was tried against the schema.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.copies import keep
from urnshelf.types.limits import NO_LIMITS
from urnshelf.types.nodes import node_of
from urnshelf.urn.by_type import DEEPEST, Drawer
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import TRIES, Rule, computed
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.texts import nested_number
from urnshelf.urn.schemas.checking import Checker
from urnshelf.urn.schemas.containers import Lists, Objects, Unfit
from urnshelf.urn.schemas.formats import text_of
from urnshelf.urn.schemas.joining import (
    TYPES,
    Choice,
    Impossible,
    Joined,
    Joining,
    NotKept,
)
from urnshelf.urn.schemas.references import References

_ANYTHING = among(None, True, 7, 4.5, "Ternhythe")


def schema_rule(schema: Mapping[str, Any]) -> Rule:
    """The rule of a JSON Schema: it draws plain dictionaries, lists, texts and numbers.

    Raises:
        RecordRefused: a keyword that is not kept, or cannot be drawn, with its path in the schema.
    """
    return Schemas(References(schema)).drawn(schema, "#")


class _Tried(Rule):
    """A rule whose values are drawn again until they keep the schema."""

    vectorised = False

    def __init__(self, rule: Rule, allows: Callable[[Any], bool], path: str) -> None:
        self._rule, self._allows, self._path = rule, allows, path

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        for number in range(TRIES):
            try:
                value = self._rule.one(bits.sub(number) if number else bits)
            except Unfit:
                continue
            if self._allows(value):
                return value
        raise RecordRefused(
            f"cannot draw {self._path}: none of {TRIES} values kept all that is said there"
        )


class _Late(Rule):
    """A rule that is made when it is first needed: a schema may hold itself."""

    vectorised = False

    def __init__(self, make: Callable[[], Rule]) -> None:
        self._make = make
        self._rule: Rule | None = None

    def one(self, bits: Bits, *inputs: object) -> Any:
        self._rule = self._rule or self._make()
        return self._rule.one(bits, *inputs)


class _OneOf(Rule):
    """One of several rules; another, where that one cannot be drawn."""

    vectorised = False

    def __init__(self, ways: list[Rule]) -> None:
        self._ways = ways

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        first = bits.below(len(self._ways))
        why: Exception | None = None
        for step in range(len(self._ways)):
            way = (first + step) % len(self._ways)
            try:
                return self._ways[way].one(bits.sub(way))
            except NotKept:
                raise
            except (RecordRefused, Unfit) as refused:
                why = why or refused
        raise why or Unfit


class Schemas:
    """Makes rules of the schemas of one document.

    Args:
        references: of the document.
        leaves_out: properties that say so of themselves, `writeOnly`, are not drawn.
    """

    def __init__(self, references: References, leaves_out: str = "") -> None:
        self._joining = Joining(references, leaves_out)
        self.allows = Checker(references, leaves_out).allows
        self._plain = Drawer(lambda *_: constant(None))

    def drawn(self, schema: Any, path: str) -> Rule:
        """The rule of a schema; each value is tried.

        Args:
            schema: of the document.
            path: where it stands, for messages.
        """
        rule = self.rule([schema], path, 0, "")
        return _Tried(rule, lambda value: self.allows(schema, value), path)

    def rule(self, schemas: list[Any], path: str, depth: int, name: str) -> Rule:
        """The rule of what keeps these schemas together.

        Args:
            schemas: all of them hold.
            path: where they stand, for messages.
            depth: how many objects and lists deep.
            name: of the property; empty for none.
        """
        return self._of(self._joined(schemas, path, None), depth, name)

    def _joined(self, schemas: list[Any], path: str, onto: Joined | None) -> Joined:
        said = self._joining.joined(schemas, path, onto)
        if said is None:
            raise Impossible(f"cannot draw {path}: no value keeps all that is said there")
        return said

    def _of(self, said: Joined, depth: int, name: str) -> Rule:
        ways = self._ways(said)
        if ways is not None:
            rules = [self._way(said, more, path, depth, name) for more, path in ways]
            return self._tried(_OneOf(rules), said)
        if depth > 4 * DEEPEST:
            start = said.path[:60].rpartition("/")[0]
            raise RecordRefused(f"cannot draw {start}/…: it holds itself without end")
        if said.values is not None:
            return self._among(said)
        kinds = _kinds(said)
        if len(kinds) == 1:
            rule = self._typed(kinds[0], said, depth, name)
        else:  # of one of them there may be no value
            rule = _OneOf([self._late(kind, said, depth, name) for kind in kinds])
        return self._tried(rule, said) if said.is_tried else rule

    def _way(self, said: Joined, more: list[Any], path: str, depth: int, name: str) -> Rule:
        return _Late(lambda: self._of(self._joined(more, path, said), depth, name))

    def _tried(self, rule: Rule, said: Joined) -> Rule:
        sources = list(said.sources)
        return _Tried(
            rule, lambda value: all(self.allows(one, value) for one in sources), said.path
        )

    def _among(self, said: Joined) -> Rule:
        kept = [
            value
            for value in said.values or ()
            if all(self.allows(source, value) for source in said.sources)
        ]
        if not kept:
            raise Impossible(f"cannot draw {said.path}: none of its values keeps all of it")
        return computed(lambda bits: keep(kept[bits.below(len(kept))]))

    # --- ways -----------------------------------------------------------------------------------

    def _ways(self, said: Joined) -> list[tuple[list[Any], str]] | None:
        """The ways in which a part of what is said may be kept; that part is taken out of it."""
        path = said.path
        if said.choices:
            choice = said.choices.pop(0)
            return [
                ([way, *self._told(choice, number)], f"{choice.path}/{number}")
                for number, way in enumerate(choice.ways)
            ]
        if said.conditions:
            condition, then, other = said.conditions.pop(0)
            return [([condition, then], f"{path}/then"), ([other], f"{path}/else")]
        if said.dependent:
            name, schema = said.dependent.pop(0)
            there = ([{"required": [name]}, schema], f"{path}/dependentSchemas/{name}")
            lacking = ([{"properties": {name: False}}], path)
            return [there] if name in said.required else [there, lacking]
        return None

    def _told(self, choice: Choice, number: int) -> list[Any]:
        """What a discriminator says of a way, where that does not say it itself."""
        if not choice.names:
            return []
        way = self._joining.joined([choice.ways[number]], choice.path)
        own = way.properties.get(choice.discriminator) if way is not None else None
        # only an object has a property by which it is told from others
        if isinstance(own, Mapping) and ("enum" in own or "const" in own):
            return [{"type": "object"}]
        name = choice.discriminator
        told = {"properties": {name: {"const": choice.names[number]}}, "required": [name]}
        return [{"type": "object", **told}]

    # --- types ----------------------------------------------------------------------------------

    def _typed(self, kind: str, said: Joined, depth: int, name: str) -> Rule:
        if kind == "any":
            return _ANYTHING
        if kind in ("boolean", "null"):
            return among(False, True) if kind == "boolean" else constant(None)
        if kind == "string":
            return text_of(said, name, self._plain)
        if kind in ("integer", "number"):
            return self._number(kind, said, depth, name)
        inner = self._inner(depth)
        if kind == "array":
            return computed(Lists(said, inner, depth >= DEEPEST).draw)
        return computed(Objects(said, inner, self.allows, depth >= DEEPEST).draw)

    def _late(self, kind: str, said: Joined, depth: int, name: str) -> Rule:
        return _Late(lambda: self._typed(kind, said, depth, name))

    def _inner(self, depth: int) -> Callable[[list[Any], str, str], Rule]:
        """What gives the rules of schemas inside."""

        def late(schemas: list[Any], path: str, name: str) -> Rule:
            return _Late(lambda: self.rule(schemas, path, depth + 1, name))

        return late

    def _number(self, kind: str, said: Joined, depth: int, name: str) -> Rule:
        unit = said.multiple
        limits = NO_LIMITS._replace(
            ge=said.low,
            gt=said.above,
            le=said.high,
            lt=said.below,
            multiple_of=None if unit is None else Decimal(unit.numerator) / unit.denominator,
        )
        if kind == "integer":
            low, high = _WIDTHS.get(said.format, (None, None))
            limits = limits._replace(
                ge=max((one for one in (said.low, low) if one is not None), default=None),
                le=min((one for one in (said.high, high) if one is not None), default=None),
            )
        is_nested = name == "id" and depth != 1
        if is_nested and kind == "integer" and not limits:
            return nested_number()
        form = node_of(int if kind == "integer" else float)
        return self._plain.field("" if is_nested else name, form, limits, said.path, {})


_WIDTHS = {"int32": (-(2**31), 2**31 - 1), "int64": (-(2**63), 2**63 - 1)}
_SIGNS: dict[str, Callable[[Joined], object]] = {
    "object": lambda said: (
        said.properties or said.required or said.additional is not True or said.names
        or said.pattern_properties or said.min_properties or said.max_properties is not None
        or said.dependent_required
    ),
    "array": lambda said: (
        said.prefix or said.items is not True or said.contains or said.min_items or said.unique
        or said.max_items is not None
    ),
    "number": lambda said: (
        any(one is not None for one in (said.low, said.high, said.above, said.below, said.multiple))
    ),
    "string": lambda said: (
        said.patterns or said.format or said.min_length is not None or said.max_length is not None
    ),
}  # fmt: skip


def _kinds(said: Joined) -> list[str]:
    """The types that are drawn: those that are allowed, or those that something is said of."""
    if not said.says_type:
        told = [kind for kind, sign in _SIGNS.items() if sign(said)]
        return [kind for kind in told if kind in said.types] or ["any"]
    kinds = [kind for kind in TYPES if kind in said.types]
    # a whole number is a number
    return [kind for kind in kinds if kind != "integer" or "number" not in kinds]
