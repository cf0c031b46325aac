"""Whether a JSON Schema is one: each keyword with a value that it may have.

Source: the meta-schema of JSON Schema 2020-12; OpenAPI 3.0.4, section 4.7.24 (Schema Object).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.urn.bounded_patterns import bounded_pattern
from urnshelf.urn.schemas.joining import REFUSED, TYPES
from urnshelf.urn.schemas.pointers import escaped


def _is_number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def _is_count(value: Any) -> bool:
    return _is_number(value) and value >= 0 and value == int(value)


def _are_texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(one, str) for one in value)


def _is_type(value: Any) -> bool:
    kinds = value if isinstance(value, list) else [value]
    return bool(kinds) and all(isinstance(one, str) and one in TYPES for one in kinds)


def _is_bound(value: Any) -> bool:
    return _is_number(value) or isinstance(value, bool)


_Shape = tuple[Callable[[Any], bool], str]
_COUNT: _Shape = (_is_count, "a whole number from 0")
_NUMBER: _Shape = (_is_number, "a number")
_TEXT: _Shape = (lambda value: isinstance(value, str), "a text")
_FLAG: _Shape = (lambda value: isinstance(value, bool), "true or false")
_SHAPES: dict[str, _Shape] = {
    "type": (_is_type, f"one of {', '.join(TYPES)}"),
    "enum": (lambda value: isinstance(value, list) and bool(value), "a list of values"),
    "required": (_are_texts, "a list of names"),
    "minimum": _NUMBER,
    "maximum": _NUMBER,
    "exclusiveMinimum": (_is_bound, "a number"),
    "exclusiveMaximum": (_is_bound, "a number"),
    "multipleOf": (lambda value: _is_number(value) and value > 0, "a number above 0"),
    "pattern": _TEXT,
    "format": _TEXT,
    "$ref": _TEXT,
    "nullable": _FLAG,
    "readOnly": _FLAG,
    "writeOnly": _FLAG,
    "uniqueItems": _FLAG,
    **dict.fromkeys(
        ("minLength", "maxLength", "minItems", "maxItems", "minProperties", "maxProperties",
         "minContains", "maxContains"),
        _COUNT,
    ),
}  # fmt: skip
_ONE = frozenset(
    "items not additionalProperties propertyNames contains if then else "
    "unevaluatedItems unevaluatedProperties".split()
)
_SOME = frozenset(["allOf", "anyOf", "oneOf", "prefixItems"])
_BY_NAME = frozenset(["properties", "patternProperties", "$defs", "dependentSchemas"])


class Shapes:
    """Looks schemas through; each once, whatever refers to it."""

    def __init__(self) -> None:
        self._seen: set[int] = set()
        self.unkept: dict[str, str] = {}
        """Pointers to keywords that say something and are not kept, and that in words."""
        self.other_patterns: list[dict[str, Any]] = []
        """Schemas with a pattern that Python has not."""

    def wrong(self, schema: Any, pointer: str) -> Iterator[tuple[str, str]]:
        """What is wrong with a schema and those in it: the pointer, and what.

        Args:
            schema: as it was read.
            pointer: where it stands.
        """
        if isinstance(schema, bool):
            return
        if not isinstance(schema, Mapping):
            yield pointer, f"a schema is wanted, not {show(schema, 40)}"
            return
        if id(schema) in self._seen:
            return
        self._seen.add(id(schema))
        for word, value in schema.items():
            shape = _SHAPES.get(word)
            if shape is not None:
                if not shape[0](value):
                    yield f"{pointer}/{word}", f"{shape[1]} is wanted, not {show(value, 40)}"
            elif word in _ONE or word in _SOME or word in _BY_NAME:
                yield from self._inside(word, value, f"{pointer}/{word}")
            if word in REFUSED:
                self.unkept[f"{pointer}/{word}"] = f"{word} is not kept"
            if word == "pattern" and isinstance(value, str):
                yield from self._pattern(schema, value, f"{pointer}/pattern")
            if word == "patternProperties" and isinstance(value, Mapping):
                for pattern in value:
                    yield from self._pattern_of_names(str(pattern), f"{pointer}/{word}")

    def _pattern(self, schema: Any, pattern: str, pointer: str) -> Iterator[tuple[str, str]]:
        wrong = _wrong_pattern(pattern)
        if wrong and re.search(r"\\[pP]\{|\[\[:", pattern):  # classes of Unicode
            self.unkept[pointer] = f"{pattern!r} is not kept: Python has no such pattern"
            self.other_patterns.append(schema)
        elif wrong:
            yield pointer, wrong

    def _pattern_of_names(self, pattern: str, pointer: str) -> Iterator[tuple[str, str]]:
        wrong = _wrong_pattern(pattern)
        if wrong:
            yield f"{pointer}/{escaped(pattern)}", wrong

    def _inside(self, word: str, value: Any, pointer: str) -> Iterator[tuple[str, str]]:
        if word in _ONE:
            yield from self.wrong(value, pointer)
        elif word in _SOME:
            if not isinstance(value, list) or not value:
                yield pointer, f"a list of schemas is wanted, not {show(value, 40)}"
                return
            for number, one in enumerate(value):
                yield from self.wrong(one, f"{pointer}/{number}")
        elif not isinstance(value, Mapping):
            yield pointer, f"a mapping of names to schemas is wanted, not {show(value, 40)}"
        else:
            for name, one in value.items():
                yield from self.wrong(one, f"{pointer}/{escaped(str(name))}")


def _wrong_pattern(pattern: str) -> str:
    """Why a pattern cannot be kept: it is none, or one request could stop all; empty if it can."""
    try:
        return bounded_pattern(pattern).why_refused()
    except RecordRefused as why:
        return str(why)
