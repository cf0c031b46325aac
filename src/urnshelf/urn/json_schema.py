"""JSON Schema (2020-12) drawn: types, formats, enum, const, bounds, pattern, items, $ref, oneOf,
anyOf, allOf.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.types.limits import NO_LIMITS, Limits
from urnshelf.types.nodes import node_of
from urnshelf.urn.by_name import EMAILS, URLS, UUIDS, rule_for
from urnshelf.urn.by_type import DEEPEST, Drawer
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import pattern

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def schema_rule(schema: Mapping[str, Any]) -> Rule:
    """The rule of a JSON Schema: it draws plain dictionaries, lists, texts and numbers.

    Raises:
        RecordRefused: a keyword that cannot be drawn, with its path in the schema.
    """
    return _Reader(schema).rule(schema, "#", 0)


class _Reader:
    def __init__(self, root: Mapping[str, Any]) -> None:
        self._root = root
        self._plain = Drawer(lambda *_: constant(None))

    def rule(self, schema: object, path: str, depth: int, name: str = "") -> Rule:
        if schema is True or schema == {}:
            return among(None, True, 7, 4.5, "Ternhythe")
        if not isinstance(schema, Mapping):
            raise RecordRefused(f"cannot draw {path}: {schema!r} is no schema that allows a value")
        schema = self._joined(schema, path)
        if "const" in schema:
            return constant(schema["const"])
        if "enum" in schema:
            return among(*schema["enum"])
        for keyword in ("oneOf", "anyOf"):
            if keyword in schema:
                return self._one_of(schema, keyword, path, depth, name)
        return self._typed(schema, path, depth, name)

    def _joined(self, schema: Mapping[str, Any], path: str) -> dict[str, Any]:
        """The schema with its `$ref` and `allOf` put into it."""
        joined = dict(schema)
        seen = 0
        # what a reference leads to may refer on
        while "$ref" in joined or "allOf" in joined:
            seen += 1
            if seen > 50:
                raise RecordRefused(f"cannot draw {path}: its references run in a circle")
            parts = joined.pop("allOf", [])
            if "$ref" in joined:
                parts = [self._resolved(joined.pop("$ref"), path), *parts]
            for number, part in enumerate(parts):
                _merge(joined, part, f"{path}/allOf/{number}")
        return joined

    def _resolved(self, reference: str, path: str) -> Any:
        if not reference.startswith("#"):
            raise RecordRefused(
                f"cannot draw {path}: the reference {reference!r} leads outside; put the schema "
                "under $defs"
            )
        found: Any = self._root
        for part in filter(None, reference[1:].split("/")):
            # in this order, as RFC 6901 has it
            name = part.replace("~1", "/").replace("~0", "~")
            if isinstance(found, Mapping) and name in found:
                found = found[name]
            else:
                raise RecordRefused(
                    f"cannot draw {path}: the reference {reference!r} leads nowhere"
                )
        return found

    def _one_of(
        self, schema: dict[str, Any], keyword: str, path: str, depth: int, name: str
    ) -> Rule:
        rest = {k: v for k, v in schema.items() if k != keyword}
        ways = []
        for number, way in enumerate(schema[keyword]):
            merged = dict(rest)
            _merge(
                merged,
                self._joined(way, path) if isinstance(way, Mapping) else {},
                f"{path}/{keyword}/{number}",
            )
            ways.append(self._late(merged, f"{path}/{keyword}/{number}", depth, name))
        return _way(ways)

    def _late(self, schema: object, path: str, depth: int, name: str = "") -> Rule:
        return _Late(lambda: self.rule(schema, path, depth, name))

    def _typed(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        kind = schema.get("type") or _guessed(schema)
        if isinstance(kind, list):
            return _way([self._typed({**schema, "type": one}, path, depth, name) for one in kind])
        make = {
            "object": self._object,
            "array": self._array,
            "string": self._string,
            "integer": self._integer,
            "number": self._number,
        }.get(kind)
        if make is not None:
            return make(schema, path, depth, name)
        if kind in ("boolean", "null"):
            return among(False, True) if kind == "boolean" else constant(None)
        raise RecordRefused(f"cannot draw {path}: the type {kind!r} is none of JSON's")

    def _object(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        required = set(schema.get("required", ()))
        properties = dict(schema.get("properties", {}))
        # required, and nothing said of it: a text fits
        for missing in sorted(required - properties.keys()):
            properties[missing] = {"type": "string"}
        if depth >= DEEPEST:
            # deep inside, only what must be: a schema that holds itself comes to an end
            properties = {k: v for k, v in properties.items() if k in required}
        if depth > 4 * DEEPEST:
            raise RecordRefused(f"cannot draw {path}: it holds itself without end")
        parts = {
            key: self._late(value, f"{path}/properties/{key}", depth + 1, key)
            for key, value in properties.items()
        }
        return computed(lambda bits: _drawn_object(bits, parts, required))

    def _array(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        low = schema.get("minItems", 0)
        high = schema.get("maxItems", max(low, 3))
        if depth >= DEEPEST:
            high = low
        first = [
            self.rule(item, f"{path}/prefixItems/{i}", depth + 1)
            for i, item in enumerate(schema.get("prefixItems", []))
        ]
        item = self._late(schema.get("items", True), f"{path}/items", depth + 1)
        unique = schema.get("uniqueItems", False)

        def draw(bits: Bits) -> list[Any]:
            wanted, tried = bits.between(low, high), 0
            found: list[Any] = []
            while len(found) < wanted and tried < wanted + 200:
                rule = first[len(found)] if len(found) < len(first) else item
                value = rule.one(bits.sub(tried))
                if not unique or value not in found:
                    found.append(value)
                tried += 1
            if len(found) < low:
                raise RecordRefused(
                    f"cannot draw {path}: {low} different items are wanted, but there are too few"
                )
            return found

        return computed(draw)

    def _string(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        rule = _FORMATS.get(schema.get("format", ""))
        if rule is not None:
            return rule
        limits = NO_LIMITS._replace(
            min_length=schema.get("minLength"),
            max_length=schema.get("maxLength"),
            pattern=schema.get("pattern"),
        )
        return self._plain.field(name, node_of(str), limits, path, {})

    def _integer(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        return self._plain.field(name, node_of(int), _bounds(schema), path, {})

    def _number(self, schema: dict[str, Any], path: str, depth: int, name: str) -> Rule:
        limits = _bounds(schema)
        if limits.multiple_of is not None:
            rule = self._plain.value(node_of(Decimal), path, 0, limits)
            return computed(lambda bits: float(rule.one(bits)))
        return self._plain.field(name, node_of(float), limits, path, {})


def _merge(into: dict[str, Any], part: object, path: str) -> None:
    """Join two schemas that must both hold; raises RecordRefused where they cannot be joined."""
    if not isinstance(part, Mapping):
        return
    for key, value in part.items():
        if key not in into:
            into[key] = value
        elif key == "properties":
            merged = dict(into[key])
            for name, schema in value.items():
                # joined when it is drawn, as every other allOf
                merged[name] = {"allOf": [merged[name], schema]} if name in merged else schema
            into[key] = merged
        elif key == "required":
            into[key] = [*into[key], *value]
        elif key in ("minimum", "minLength", "minItems", "exclusiveMinimum"):
            into[key] = max(into[key], value)
        elif key in ("maximum", "maxLength", "maxItems", "exclusiveMaximum"):
            into[key] = min(into[key], value)
        elif key == "enum":
            into[key] = [option for option in into[key] if option in value]
        elif key == "allOf":
            into[key] = [*into[key], *value]
        elif into[key] != value and key not in (
            "title",
            "description",
            "$id",
            "$schema",
            "$defs",
            "examples",
            "default",
        ):
            raise RecordRefused(
                f"cannot draw {path}: {key!r} is {into[key]!r} and {value!r} at the same time"
            )


def _guessed(schema: Mapping[str, Any]) -> str:
    for kind, keys in (
        ("object", ("properties", "required", "additionalProperties")),
        ("array", ("items", "prefixItems", "minItems", "maxItems")),
        ("number", ("minimum", "maximum", "multipleOf", "exclusiveMinimum", "exclusiveMaximum")),
    ):
        if any(key in schema for key in keys):
            return kind
    return "string"


def _bounds(schema: Mapping[str, Any]) -> Limits:
    return NO_LIMITS._replace(
        ge=schema.get("minimum"),
        le=schema.get("maximum"),
        gt=schema.get("exclusiveMinimum"),
        lt=schema.get("exclusiveMaximum"),
        multiple_of=schema.get("multipleOf"),
    )


def _drawn_object(bits: Bits, parts: dict[str, Rule], required: set[str]) -> dict[str, Any]:
    drawn = {}
    for key, rule in parts.items():
        # by its name, not its position: a new property must not change what the others draw
        source = bits.sub(key_of(0, key) >> 2)
        if key in required or source.below(4):
            drawn[key] = rule.one(source.sub(0))
    return drawn


class _Late(Rule):
    """A rule that is made when it is first needed: a schema may hold itself."""

    vectorised = False

    def __init__(self, make: Callable[[], Rule]) -> None:
        self._make = make
        self._rule: Rule | None = None

    def one(self, bits: Bits, *inputs: object) -> Any:
        self._rule = self._rule or self._make()
        return self._rule.one(bits, *inputs)


def _way(ways: list[Rule]) -> Rule:
    def draw(bits: Bits) -> Any:
        way = bits.below(len(ways))
        return ways[way].one(bits.sub(way))

    return computed(draw)


_MOMENTS = between(datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, tzinfo=UTC))
_DAYS = between(date(2028, 1, 1), date(2030, 5, 31))
_FORMATS: dict[str, Rule] = {
    "date-time": computed(lambda bits: _MOMENTS.one(bits).isoformat().replace("+00:00", "Z")),
    "date": computed(lambda bits: _DAYS.one(bits).isoformat()),
    "time": Composed(lambda h, m, s: f"{h:02}:{m:02}:{s:02}Z", 24, 60, 60),
    "duration": Composed(lambda h, m: f"PT{h}H{m}M", 24, 60),
    "email": EMAILS,
    "idn-email": EMAILS,
    "uri": URLS,
    "uri-reference": URLS,
    "iri": URLS,
    "uuid": computed(lambda bits: str(UUIDS.one(bits))),
    **{
        name: rule
        for name, field in (
            ("hostname", "host"),
            ("idn-hostname", "host"),
            ("ipv4", "ip"),
            ("ipv6", "ipv6"),
        )
        if (rule := rule_for(field, str, {})) is not None
    },
    "regex": constant("^[a-z]+$"),
    "json-pointer": pattern("/[a-z]{3,8}/[0-9]"),
}
