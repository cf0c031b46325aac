"""Schemas that lead back to themselves without going into a value: nothing can be told by them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from urnshelf.urn.schemas.references import References


class Circles:
    """Looks for them; each schema once.

    Args:
        references: of the document.
    """

    def __init__(self, references: References) -> None:
        self._references = references
        self._done: set[int] = set()

    def circle(self, schema: Any, pointer: str) -> str:
        """Where a schema leads back to itself; empty where it, and those in it, do not.

        Args:
            schema: any.
            pointer: where it stands.
        """
        return self._found(schema, pointer, set())

    def _found(self, schema: Any, pointer: str, within: set[int]) -> str:
        if not isinstance(schema, dict) or id(schema) in self._done:
            return ""
        if id(schema) in within:
            return pointer
        within.add(id(schema))
        for inner, where in self._same_value(schema, pointer):
            found = self._found(inner, where, within)
            if found:
                return found
        within.discard(id(schema))
        self._done.add(id(schema))
        for inner, where in _deeper(schema, pointer):
            found = self._found(inner, where, set())
            if found:
                return found
        return ""

    def _same_value(self, schema: Mapping[str, Any], pointer: str) -> Iterator[tuple[Any, str]]:
        """The schemas that the same value must keep."""
        if "$ref" in schema:
            yield self._references.resolved(schema, pointer), f"{pointer}/$ref"
        for word in ("allOf", "anyOf", "oneOf"):
            for number, one in enumerate(schema.get(word, ())):
                yield one, f"{pointer}/{word}/{number}"
        for word in ("not", "if", "then", "else"):
            if word in schema:
                yield schema[word], f"{pointer}/{word}"


def _deeper(schema: Mapping[str, Any], pointer: str) -> Iterator[tuple[Any, str]]:
    """The schemas of what is in a value."""
    for word in ("items", "additionalProperties", "contains", "propertyNames"):
        if word in schema:
            yield schema[word], f"{pointer}/{word}"
    for word in ("properties", "patternProperties", "dependentSchemas"):
        for name, one in schema.get(word, {}).items():
            yield one, f"{pointer}/{word}/{name}"
    for number, one in enumerate(schema.get("prefixItems", ())):
        yield one, f"{pointer}/prefixItems/{number}"
