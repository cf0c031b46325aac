"""Typed dictionaries: their records are plain dictionaries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.records.description import Description, Field, Fill, Part
from urnshelf.records.recognising import filled_hints
from urnshelf.types.forms import is_typed_dict
from urnshelf.types.nodes import node_of


class _TypedDict(Description):
    kind = "typed dictionary"

    def fetch(self, record: Any, name: str) -> Any:
        return record.get(name)

    def values(self, record: Any) -> dict[str, Any]:
        return dict(record)

    def fits(self, record: object) -> bool:
        return isinstance(record, dict)

    def build(self, values: Mapping[str, Any]) -> Any:
        return dict(values)

    def changed(self, record: Any, values: Mapping[str, Any]) -> Any:
        record.update(values)
        return record

    def copy(self, record: object, part: Part) -> tuple[Any, Fill | None]:
        return {}, _fill


def _fill(copy: Any, record: Any, part: Part) -> None:
    copy.update((name, part(value)) for name, value in record.items())


def describe(form: Any, origin: Any) -> Description | None:
    """A TypedDict, of the standard library or of its extensions."""
    if not is_typed_dict(origin):
        return None
    required: frozenset[str] = origin.__required_keys__
    fields = []
    for name, hint in filled_hints(form, origin).items():
        node = node_of(hint)
        said = node.qualifiers & {"required", "not required"}
        is_optional = "not required" in said if said else name not in required
        fields.append(Field(name, node, name, is_optional=is_optional))
    return _TypedDict(form, fields)
