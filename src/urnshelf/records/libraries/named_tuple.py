"""Named tuples."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.records.description import NOT_THERE, Description, Field, Fill, Part
from urnshelf.records.recognising import filled_hints
from urnshelf.types.nodes import node_of


class _NamedTuple(Description):
    kind = "named tuple"
    in_order = True

    def changed(self, record: Any, values: Mapping[str, Any]) -> Any:
        return record._replace(**values)

    def copy(self, record: Any, part: Part) -> tuple[Any, Fill | None]:
        copies = [part(value) for value in record]
        if all(a is b for a, b in zip(copies, record, strict=True)):
            return record, None
        return type(record)._make(copies), None


def describe(form: Any, origin: Any) -> Description | None:
    """A tuple whose places have names."""
    names: tuple[str, ...] | None = getattr(origin, "_fields", None)
    if names is None or not issubclass(origin, tuple):
        return None
    hints = filled_hints(form, origin)
    defaults = getattr(origin, "_field_defaults", {})
    fields = [
        Field(name, node_of(hints.get(name, Any)), name, default=defaults.get(name, NOT_THERE))
        for name in names
    ]
    return _NamedTuple(
        form, fields, is_frozen=True, has_plain_equality=origin.__eq__ is tuple.__eq__
    )
