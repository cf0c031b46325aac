"""What of a value does not keep a JSON Schema: where, and in words."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from urnshelf.records.display import show
from urnshelf.urn.bounded_patterns import is_in
from urnshelf.urn.schemas.checking import Checker

_WORDS = {
    "minimum": "is below {}",
    "maximum": "is above {}",
    "exclusiveMinimum": "is not above {}",
    "exclusiveMaximum": "is not below {}",
    "multipleOf": "is no multiple of {}",
    "minLength": "is shorter than {}",
    "maxLength": "is longer than {}",
    "pattern": "does not match {}",
    "format": "is no {}",
    "minItems": "has fewer items than {}",
    "maxItems": "has more items than {}",
    "uniqueItems": "has an item twice",
    "minProperties": "has fewer properties than {}",
    "maxProperties": "has more properties than {}",
    "const": "is not {}",
    "enum": "is none of {}",
    "not": "is what it must not be",
    "contains": "has not as many items as it must of one kind",
    "propertyNames": "has a property whose name is not allowed",
    "dependentRequired": "lacks what one of its properties needs",
    "dependentSchemas": "lacks what one of its properties needs",
}


class Fault(NamedTuple):
    """One thing that is wrong with a value.

    Args:
        pointer: where in the value: `#/berths/0/depth_m`.
        text: what is wrong there.
    """

    pointer: str
    text: str

    def __str__(self) -> str:
        return f"{self.pointer} {self.text}" if self.pointer != "#" else self.text


def faults(checker: Checker, schema: Any, value: Any, pointer: str = "#") -> list[Fault]:
    """What is wrong with a value; nothing where it keeps the schema.

    Args:
        checker: of the schema's document.
        schema: what it must keep.
        value: as JSON has it.
        pointer: where the value stands.
    """
    return [] if checker.allows(schema, value) else list(_of(checker, schema, value, pointer))


def _of(checker: Checker, schema: Any, value: Any, pointer: str) -> Iterator[Fault]:
    if schema is False:
        yield Fault(pointer, "must not be there")
    if not isinstance(schema, Mapping):
        return
    if "$ref" in schema:
        yield from faults(checker, checker.references.resolved(schema, "#"), value, pointer)
    for word in schema:
        is_too_long = "maxLength" in schema and not checker.keeps("maxLength", schema, value)
        if word == "pattern" and is_too_long:
            continue  # a text that is too long may be too long for its pattern, too
        if word != "$ref" and not checker.keeps(word, schema, value):
            yield from _of_word(checker, word, schema, value, pointer)


def _of_word(
    checker: Checker, word: str, schema: Mapping[str, Any], value: Any, pointer: str
) -> Iterator[Fault]:
    told = schema[word]
    if word == "type":
        kinds = told if isinstance(told, str) else " or ".join(told)
        yield Fault(pointer, f"{show(value, 60)} is no {kinds}")
    elif word == "allOf":
        for one in told:
            yield from faults(checker, one, value, pointer)
    elif word in ("anyOf", "oneOf"):
        yield from _of_ways(checker, word, told, value, pointer)
    elif word == "required":
        lacking = [name for name in told if name not in value]
        for name in lacking:
            if not checker.is_left_out(name, schema):
                yield Fault(pointer, f"{name!r} is lacking")
    elif word == "if":
        way = "then" if checker.allows(told, value) else "else"
        yield from faults(checker, schema.get(way, True), value, pointer)
    elif word in _INSIDE:
        for name, inner in _INSIDE[word](schema, value):
            yield from faults(checker, inner, value[name], f"{pointer}/{name}")
    elif word in _WORDS:
        yield Fault(pointer, f"{show(value, 60)} {_WORDS[word].format(show(told, 60))}")
    else:
        yield Fault(pointer, f"{show(value, 60)} does not keep {word}")


def _of_ways(
    checker: Checker, word: str, ways: list[Any], value: Any, pointer: str
) -> Iterator[Fault]:
    kept = [number for number, way in enumerate(ways) if checker.allows(way, value)]
    if kept:
        numbers = " and ".join(str(one + 1) for one in kept)
        yield Fault(pointer, f"{show(value, 60)} is as ways {numbers} of {word} say, not one alone")
        return
    # of the ways the one that is nearly kept is what was meant
    nearest = min((faults(checker, way, value, pointer) for way in ways), key=_weight, default=[])
    yield Fault(pointer, f"{show(value, 60)} is none of the {len(ways)} ways of {word}; nearest:")
    yield from nearest


def _weight(found: list[Fault]) -> tuple[bool, int]:
    # of another type altogether is farther than any number of wrong fields
    return any(" is no " in one.text and one.pointer.count("/") == 0 for one in found), len(found)


def _properties(schema: Mapping[str, Any], value: Any) -> Iterator[tuple[Any, Any]]:
    yield from ((name, one) for name, one in schema["properties"].items() if name in value)


def _by_patterns(schema: Mapping[str, Any], value: Any) -> Iterator[tuple[Any, Any]]:
    for pattern, one in schema["patternProperties"].items():
        yield from ((name, one) for name in value if is_in(pattern, name))


def _additional(schema: Mapping[str, Any], value: Any) -> Iterator[tuple[Any, Any]]:
    patterns = schema.get("patternProperties", {})
    for name in value:
        is_told = name in schema.get("properties", {})
        if not is_told and not any(is_in(one, name) for one in patterns):
            yield name, schema["additionalProperties"]


def _items(schema: Mapping[str, Any], value: Any) -> Iterator[tuple[Any, Any]]:
    first = len(schema.get("prefixItems", ()))
    yield from ((number, schema["items"]) for number in range(first, len(value)))


def _first_items(schema: Mapping[str, Any], value: Any) -> Iterator[tuple[Any, Any]]:
    yield from enumerate(schema["prefixItems"][: len(value)])


_INSIDE: dict[str, Callable[[Mapping[str, Any], Any], Iterator[tuple[Any, Any]]]] = {
    "properties": _properties,
    "patternProperties": _by_patterns,
    "additionalProperties": _additional,
    "items": _items,
    "prefixItems": _first_items,
}
