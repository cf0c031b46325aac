"""The properties that a JSON Schema names, wherever it says so: the columns of a table."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from urnshelf.urn.schemas.joining import Joining
from urnshelf.urn.schemas.references import References


def property_names(schema: Mapping[str, Any]) -> list[str]:
    """The names of the properties, also those behind references and in some ways only.

    >>> property_names({"$ref": "#/$defs/berth", "$defs": {"berth": {"properties": {"id": {}}}}})
    ['id']
    """
    joining = Joining(References(schema))
    return list(dict.fromkeys(_names(joining, [schema], 0)))


def _names(joining: Joining, schemas: list[Any], depth: int) -> Iterator[str]:
    said = joining.joined(schemas, "#")
    if said is None or depth > 9:
        return
    yield from (name for name, one in said.properties.items() if one is not False)
    yield from said.required
    ways = [way for choice in said.choices for way in choice.ways]
    ways += [part for condition in said.conditions for part in condition]
    ways += [one for _, one in said.dependent]
    for way in ways:
        yield from _names(joining, [way], depth + 1)
