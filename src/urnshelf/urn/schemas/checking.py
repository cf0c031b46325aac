"""Whether a value keeps a JSON Schema: what is drawn is tried by it, so that nothing invalid comes
out.

Source: JSON Schema Validation 2020-12, section 6, and Core 2020-12, sections 10 and 11. Formats are
checked where it is asked for: what is drawn is drawn as such.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any

from urnshelf.urn.bounded_patterns import is_in
from urnshelf.urn.schemas.format_checks import is_of_format
from urnshelf.urn.schemas.references import References

Value = Any
_Check = Callable[["Checker", Any, Any, Mapping[str, Any]], bool]
_CHECKS: dict[str, _Check] = {}


class Checker:
    """Checks values against the schemas of one document.

    Args:
        references: of the document.
        leaves_out: `readOnly` in a request, `writeOnly` in a reply: such properties need not be
            there, even where they are required (OpenAPI 3.1.1, section 4.8.24.1).
        has_formats: whether texts and numbers must be of their format.
    """

    def __init__(
        self, references: References, leaves_out: str = "", has_formats: bool = False
    ) -> None:
        self.references = references
        self._leaves_out = leaves_out
        self._has_formats = has_formats

    def allows(self, schema: Any, value: Any) -> bool:
        """Whether a value keeps a schema."""
        if isinstance(schema, bool):
            return schema
        if "$ref" in schema and not self.allows(self.references.resolved(schema, "#"), value):
            return False
        return all(self.keeps(word, schema, value) for word in _CHECKS if word in schema)

    def keeps(self, word: str, schema: Mapping[str, Any], value: Value) -> bool:
        """Whether a value keeps one keyword of a schema."""
        return word not in _CHECKS or _CHECKS[word](self, schema[word], value, schema)

    def is_left_out(self, name: str, schema: Mapping[str, Any]) -> bool:
        """Whether a property is not said in this direction."""
        own = schema.get("properties", {}).get(name)
        return bool(self._leaves_out) and self.references.says(own, self._leaves_out)


def same(a: object, b: object) -> bool:
    """Equality as JSON has it: 1 is 1.0, and true is not 1."""
    if isinstance(a, bool) or isinstance(b, bool):
        return a is b
    if isinstance(a, Mapping) and isinstance(b, Mapping):
        return a.keys() == b.keys() and all(same(a[name], b[name]) for name in a)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same, a, b))
    return type(a) is type(b) and a == b if isinstance(a, str) else a == b


def is_of(kind: str, value: object) -> bool:
    """Whether a value is of a type of JSON."""
    if isinstance(value, bool):
        return kind == "boolean"
    if isinstance(value, (int, float)):
        return kind == "number" or (kind == "integer" and value == int(value))
    kinds = {type(None): "null", str: "string", list: "array", dict: "object"}
    return kind == kinds.get(type(value))


def is_multiple(value: Any, of: Any) -> bool:
    """Whether a number is a multiple: exactly, and as a division of floats tells it."""
    if Fraction(str(value)) % Fraction(str(of)):
        return False
    quotient = value / of
    return bool(quotient == int(quotient))


def _check(*words: str) -> Callable[[_Check], _Check]:
    def register(check: _Check) -> _Check:
        for word in words:
            _CHECKS[word] = check
        return check

    return register


def _of(kind: str, word: str, keeps: Callable[[Any, Any], bool]) -> None:
    """A check that says something of one type only."""
    _CHECKS[word] = lambda _, told, value, __: not is_of(kind, value) or keeps(value, told)


_of("number", "minimum", lambda value, told: value >= told)
_of("number", "maximum", lambda value, told: value <= told)
_of("number", "multipleOf", is_multiple)
_of("string", "minLength", lambda value, told: len(value) >= told)
_of("string", "maxLength", lambda value, told: len(value) <= told)
_of("string", "pattern", lambda value, told: is_in(told, value))
_of("array", "minItems", lambda value, told: len(value) >= told)
_of("array", "maxItems", lambda value, told: len(value) <= told)
_of("array", "uniqueItems", lambda value, told: not told or not _repeats(value))
_of("object", "minProperties", lambda value, told: len(value) >= told)
_of("object", "maxProperties", lambda value, told: len(value) <= told)
_of(
    "object",
    "dependentRequired",
    lambda value, told: all(
        all(one in value for one in names) for name, names in told.items() if name in value
    ),
)


def _repeats(items: Sequence[Any]) -> bool:
    """Whether an item stands there twice, found in time that grows with the list alone."""
    return len({_identity(item) for item in items}) < len(items)


def _identity(value: Any) -> Any:
    """What two values share that are the same in JSON, and no others: to look them up by."""
    if isinstance(value, bool):
        return ("bool", value)
    if isinstance(value, Mapping):
        return frozenset((name, _identity(inner)) for name, inner in value.items())
    if isinstance(value, list):
        return tuple(map(_identity, value))
    return (str, value) if isinstance(value, str) else value


@_check("required")
def _required(checker: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    return not isinstance(value, dict) or all(
        name in value or checker.is_left_out(name, schema) for name in told
    )


@_check("format")
def _format(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not checker._has_formats or is_of_format(told, value)


@_check("exclusiveMinimum")
def _above(_: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    # older documents say whether the bound itself is excluded
    bound = schema.get("minimum") if told is True else told
    return not is_of("number", value) or bound is None or told is False or bool(value > bound)


@_check("exclusiveMaximum")
def _below(_: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    bound = schema.get("maximum") if told is True else told
    return not is_of("number", value) or bound is None or told is False or bool(value < bound)


@_check("type")
def _type(_: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    # OpenAPI 3.0.4, section 4.7.24.1: it adds null to the type, and says nothing else
    if value is None and schema.get("nullable") is True:
        return True
    return any(is_of(kind, value) for kind in ([told] if isinstance(told, str) else told))


@_check("const")
def _const(_: Checker, told: Any, value: Any, __: Mapping[str, Any]) -> bool:
    return same(told, value)


@_check("enum")
def _enum(_: Checker, told: Any, value: Any, __: Mapping[str, Any]) -> bool:
    return any(same(one, value) for one in told)


@_check("allOf")
def _all_of(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return all(checker.allows(one, value) for one in told)


@_check("anyOf")
def _any_of(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return any(checker.allows(one, value) for one in told)


@_check("oneOf")
def _one_of(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return sum(checker.allows(one, value) for one in told) == 1


@_check("not")
def _not(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not checker.allows(told, value)


@_check("if")
def _if(checker: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    word = "then" if checker.allows(told, value) else "else"
    return checker.allows(schema.get(word, True), value)


@_check("dependentSchemas")
def _dependent(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not isinstance(value, dict) or all(
        checker.allows(one, value) for name, one in told.items() if name in value
    )


@_check("propertyNames")
def _names(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not isinstance(value, dict) or all(checker.allows(told, name) for name in value)


@_check("properties")
def _properties(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not isinstance(value, dict) or all(
        checker.allows(one, value[name]) for name, one in told.items() if name in value
    )


@_check("patternProperties")
def _patterns(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not isinstance(value, dict) or all(
        checker.allows(one, value[name])
        for pattern, one in told.items()
        for name in value
        if is_in(pattern, name)
    )


@_check("additionalProperties")
def _additional(checker: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    if not isinstance(value, dict):
        return True
    patterns = schema.get("patternProperties", {})
    return all(
        checker.allows(told, one)
        for name, one in value.items()
        if name not in schema.get("properties", {})
        and not any(is_in(pattern, name) for pattern in patterns)
    )


@_check("prefixItems")
def _prefix(checker: Checker, told: Any, value: Any, _: Mapping[str, Any]) -> bool:
    return not isinstance(value, list) or all(map(checker.allows, told, value))


@_check("items")
def _items(checker: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    first = len(schema.get("prefixItems", ()))
    return not isinstance(value, list) or all(checker.allows(told, one) for one in value[first:])


@_check("contains")
def _contains(checker: Checker, told: Any, value: Any, schema: Mapping[str, Any]) -> bool:
    if not isinstance(value, list):
        return True
    found = sum(checker.allows(told, one) for one in value)
    return bool(schema.get("minContains", 1) <= found <= schema.get("maxContains", found))
