"""Schemas that must all hold, joined into one: what a value must keep, keyword by keyword."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import lcm
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused
from urnshelf.urn.bounded_patterns import is_in
from urnshelf.urn.schemas.checking import same
from urnshelf.urn.schemas.references import References

TYPES = ("null", "boolean", "integer", "number", "string", "array", "object")
REFUSED = (
    "unevaluatedProperties", "unevaluatedItems", "$dynamicRef", "$recursiveRef", "dependencies",
    "additionalItems",
)  # fmt: skip
"""Keywords that say something and are not kept: they are refused, never passed over."""
MOST_PARTS = 200


class NotKept(RecordRefused):
    """A keyword that says something and is not kept: no other way makes that good."""


class Impossible(RecordRefused):
    """No value keeps a schema: what need not be there is left out."""


class Contains(NamedTuple):
    """Items of a kind that a list must have, from so many to so many."""

    schema: Any
    least: int
    most: int | None


class Choice(NamedTuple):
    """Schemas of which one, or some, must hold."""

    ways: list[Any]
    path: str
    names: list[str]
    """What the discriminator says of each; empty where there is none."""
    discriminator: str


@dataclass
class Joined:
    """All that some schemas say of a value together; None and empty for nothing."""

    path: str
    types: set[str] = field(default_factory=lambda: set(TYPES))
    says_type: bool = False
    values: list[Any] | None = None
    low: Any = None
    high: Any = None
    above: Any = None
    below: Any = None
    multiple: Fraction | None = None
    min_length: int | None = None
    max_length: int | None = None
    patterns: list[str] = field(default_factory=list)
    format: str = ""
    prefix: list[Any] = field(default_factory=list)
    items: Any = True
    min_items: int = 0
    max_items: int | None = None
    unique: bool = False
    contains: list[Contains] = field(default_factory=list)
    properties: dict[str, Any] = field(default_factory=dict)
    pattern_properties: dict[str, Any] = field(default_factory=dict)
    additional: Any = True
    required: list[str] = field(default_factory=list)
    min_properties: int = 0
    max_properties: int | None = None
    names: list[Any] = field(default_factory=list)
    dependent_required: dict[str, list[str]] = field(default_factory=dict)
    dependent: list[tuple[str, Any]] = field(default_factory=list)
    choices: list[Choice] = field(default_factory=list)
    conditions: list[tuple[Any, Any, Any]] = field(default_factory=list)
    nots: list[Any] = field(default_factory=list)
    sources: list[Any] = field(default_factory=list)
    """The schemas themselves, which what is drawn is tried by."""

    def copied(self, path: str) -> Joined:
        """The same, to say more."""
        found = replace(self, path=path)
        for name, value in vars(self).items():
            if isinstance(value, (list, dict, set)):
                setattr(found, name, type(value)(value))
        return found

    @property
    def is_tried(self) -> bool:
        """Whether something is said that cannot be drawn outright."""
        return bool(
            self.nots or self.contains or self.names or self.unique or len(self.patterns) > 1
            or self.pattern_properties or self.multiple is not None or self.dependent_required
        )  # fmt: skip


class Joining:
    """Joins the schemas of one document.

    Args:
        references: of the document.
        leaves_out: properties that say so of themselves, `writeOnly`, are not drawn.
    """

    def __init__(self, references: References, leaves_out: str = "") -> None:
        self._references = references
        self._leaves_out = leaves_out

    def joined(self, schemas: list[Any], path: str, onto: Joined | None = None) -> Joined | None:
        """What schemas say together; None where nothing keeps them all.

        Args:
            schemas: all of them must hold.
            path: where they stand, for messages.
            onto: what was said before, and holds, too.

        Raises:
            RecordRefused: a keyword that is not kept, a reference that leads nowhere, or a circle.
        """
        found = Joined(path) if onto is None else onto.copied(path)
        found.sources += schemas
        waiting = [(schema, path) for schema in schemas]
        number = 0
        while waiting:
            schema, where = waiting.pop(0)
            number += 1
            if number > MOST_PARTS:
                raise RecordRefused(f"cannot draw {path}: its references run in a circle")
            if schema is False:
                return None
            if schema is True:
                continue
            if not isinstance(schema, Mapping):
                raise RecordRefused(f"cannot draw {where}: {schema!r} is no schema")
            waiting += self._led_to(schema, where)
            _refuse_unkept(schema, where)
            _join(found, schema, where)
        if self._leaves_out:
            self._leave_out(found)
        possible = found.types and found.values != []
        return found if possible else None

    def _leave_out(self, found: Joined) -> None:
        for name, one in found.properties.items():
            if self._references.says(one, self._leaves_out):
                found.properties[name] = False
                found.required = [other for other in found.required if other != name]

    def _led_to(self, schema: Mapping[str, Any], where: str) -> list[tuple[Any, str]]:
        led = [(part, f"{where}/allOf/{n}") for n, part in enumerate(schema.get("allOf", []))]
        if "$ref" in schema:
            led.append((self._references.resolved(schema, where), where))
        return led


def _refuse_unkept(schema: Mapping[str, Any], where: str) -> None:
    for word in REFUSED:
        if word in schema and not (word.startswith("unevaluated") and schema[word] is True):
            raise NotKept(
                f"cannot draw {where}/{word}: this keyword is not kept; say it with others, or "
                "leave it out of what is drawn"
            )
    if isinstance(schema.get("items"), list):
        raise NotKept(f"cannot draw {where}/items: a list of schemas is prefixItems")


def _join(into: Joined, schema: Mapping[str, Any], where: str) -> None:
    _join_types(into, schema, where)
    _join_values(into, schema)
    _join_numbers(into, schema, where)
    _join_strings(into, schema, where)
    _join_arrays(into, schema)
    _join_objects(into, schema)
    for word in ("oneOf", "anyOf"):
        if word in schema:
            into.choices.append(_choice(schema, word, where))
    if "if" in schema and ("then" in schema or "else" in schema):
        into.conditions.append((schema["if"], schema.get("then", True), schema.get("else", True)))
    if "not" in schema:
        _join_not(into, schema["not"])


def _choice(schema: Mapping[str, Any], word: str, where: str) -> Choice:
    ways = list(schema[word])
    told = schema.get("discriminator")
    if not isinstance(told, Mapping) or not isinstance(told.get("propertyName"), str):
        return Choice(ways, f"{where}/{word}", [], "")
    by_target = {target: name for name, target in told.get("mapping", {}).items()}
    targets = [str(way.get("$ref", "")) if isinstance(way, Mapping) else "" for way in ways]
    names = [by_target.get(target, target.rpartition("/")[2]) for target in targets]
    return Choice(ways, f"{where}/{word}", names, told["propertyName"])


def _join_types(into: Joined, schema: Mapping[str, Any], where: str) -> None:
    if "type" not in schema:
        return
    told = schema["type"]
    kinds = [told] if isinstance(told, str) else list(told)
    for kind in kinds:
        if kind not in TYPES:
            raise RecordRefused(f"cannot draw {where}: the type {kind!r} is none of JSON's")
    allowed = {*kinds, *(["integer"] if "number" in kinds else [])}
    allowed |= {"null"} if schema.get("nullable") is True else set()
    into.types &= allowed
    into.says_type = True


def _join_values(into: Joined, schema: Mapping[str, Any]) -> None:
    told = [schema["const"]] if "const" in schema else None
    for values in (told, schema.get("enum")):
        if values is not None:
            kept = into.values
            into.values = [
                one for one in values if kept is None or any(same(one, other) for other in kept)
            ]


def _least(*bounds: Any) -> Any:
    return min((one for one in bounds if one is not None), default=None)


def _most(*bounds: Any) -> Any:
    return max((one for one in bounds if one is not None), default=None)


def _join_numbers(into: Joined, schema: Mapping[str, Any], where: str) -> None:
    low, high = schema.get("minimum"), schema.get("maximum")
    above, below = schema.get("exclusiveMinimum"), schema.get("exclusiveMaximum")
    # older documents say whether the bound itself is excluded
    if isinstance(above, bool):
        low, above = (None, low) if above else (low, None)
    if isinstance(below, bool):
        high, below = (None, high) if below else (high, None)
    into.low, into.above = _most(into.low, low), _most(into.above, above)
    into.high, into.below = _least(into.high, high), _least(into.below, below)
    unit = schema.get("multipleOf")
    if unit is not None:
        told, known = Fraction(str(unit)), into.multiple
        if told <= 0:
            raise RecordRefused(f"cannot draw {where}/multipleOf: {unit} is not above 0")
        into.multiple = told if known is None else _common(told, known)


def _common(a: Fraction, b: Fraction) -> Fraction:
    """The least common multiple of two fractions."""
    bottom = lcm(a.denominator, b.denominator)
    return Fraction(lcm(int(a * bottom), int(b * bottom)), bottom)


def _join_strings(into: Joined, schema: Mapping[str, Any], where: str) -> None:
    into.min_length = _most(into.min_length, schema.get("minLength"))
    into.max_length = _least(into.max_length, schema.get("maxLength"))
    pattern, form = schema.get("pattern"), schema.get("format", "")
    if pattern is not None and pattern not in into.patterns:
        into.patterns.append(pattern)
    if form and into.format and form != into.format:
        raise RecordRefused(
            f"cannot draw {where}/format: it is {into.format!r} and {form!r} at the same time"
        )
    into.format = form or into.format


def both(a: Any, b: Any) -> Any:
    """A schema that two others make together."""
    if a is True or a == b:
        return b
    return a if b is True else {"allOf": [a, b]}


def _join_arrays(into: Joined, schema: Mapping[str, Any]) -> None:
    prefix, items = list(schema.get("prefixItems", [])), schema.get("items", True)
    length = max(len(prefix), len(into.prefix))
    mine = [*into.prefix, *[into.items] * (length - len(into.prefix))]
    theirs = [*prefix, *[items] * (length - len(prefix))]
    into.prefix = list(map(both, mine, theirs))
    into.items = both(into.items, items)
    into.min_items = max(into.min_items, schema.get("minItems", 0))
    into.max_items = _least(into.max_items, schema.get("maxItems"))
    into.unique = into.unique or bool(schema.get("uniqueItems"))
    if "contains" in schema:
        least, most = schema.get("minContains", 1), schema.get("maxContains")
        into.contains.append(Contains(schema["contains"], least, most))


def _join_objects(into: Joined, schema: Mapping[str, Any]) -> None:
    theirs = dict(schema.get("properties", {}))
    patterns, additional = schema.get("patternProperties", {}), schema.get("additionalProperties")
    mine = into.properties
    properties = {}
    for name in [*mine, *(name for name in theirs if name not in mine)]:
        before = _said_of(name, mine, into.pattern_properties, into.additional)
        properties[name] = both(before, _said_of(name, theirs, patterns, additional))
    into.properties = properties
    for pattern, one in patterns.items():
        into.pattern_properties[pattern] = both(into.pattern_properties.get(pattern, True), one)
    into.additional = both(into.additional, True if additional is None else additional)
    into.required += [name for name in schema.get("required", ()) if name not in into.required]
    into.min_properties = max(into.min_properties, schema.get("minProperties", 0))
    into.max_properties = _least(into.max_properties, schema.get("maxProperties"))
    into.names += [schema["propertyNames"]] if "propertyNames" in schema else []
    for name, needed in schema.get("dependentRequired", {}).items():
        into.dependent_required.setdefault(name, []).extend(needed)
    into.dependent += list(schema.get("dependentSchemas", {}).items())


def _said_of(
    name: str, properties: Mapping[str, Any], patterns: Mapping[str, Any], additional: Any
) -> Any:
    """What is said of a property: by its name; else by the patterns, or as of any other."""
    if name in properties:
        return properties[name]
    fitting = [one for pattern, one in patterns.items() if is_in(pattern, name)]
    if fitting:
        return fitting[0] if len(fitting) == 1 else {"allOf": fitting}
    return True if additional is None else additional


def _join_not(into: Joined, schema: Any) -> None:
    """What must not hold; simple cases are kept outright, the others are tried."""
    into.nots.append(schema)
    if schema in (True, {}):
        into.types.clear()
    if not isinstance(schema, Mapping):
        return
    if set(schema) == {"type"}:
        told = [schema["type"]] if isinstance(schema["type"], str) else schema["type"]
        into.types -= {*told, *(["integer"] if "number" in told else [])}
        into.says_type = True
    if set(schema) == {"required"} and len(schema["required"]) == 1:
        into.properties[schema["required"][0]] = False
