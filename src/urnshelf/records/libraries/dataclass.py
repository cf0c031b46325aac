"""Dataclasses."""

from __future__ import annotations

import dataclasses
from typing import Any

from urnshelf.records.description import NOT_THERE, ByAttributes, Description, Field
from urnshelf.records.recognising import filled_hints, is_written_for
from urnshelf.types.nodes import node_of


class _DataClass(ByAttributes):
    kind = "dataclass"

    def __init__(self, form: Any, origin: Any, every: list[dataclasses.Field[Any]]) -> None:
        hints = filled_hints(form, origin)
        super().__init__(
            form,
            [_field(one, hints) for one in every],
            is_frozen=origin.__dataclass_params__.frozen,
            has_plain_equality=is_written_for(origin),
        )
        self.validates = hasattr(origin, "__post_init__")
        self.in_order = not any(one.kw_only for one in every) and all(one.init for one in every)


def describe(form: object, origin: object) -> Description | None:
    """A dataclass; one that is mapped to a table is not this file's."""
    # some are another library's, too
    foreign = hasattr(origin, "__mapper__") or hasattr(origin, "__pydantic_validator__")
    if not dataclasses.is_dataclass(origin) or foreign:
        return None
    every = [one for one in origin.__dataclass_fields__.values() if _kind(one) != "_FIELD_CLASSVAR"]
    return _DataClass(form, origin, every)


def _kind(field: Any) -> str:
    """Whether it is a field, a variable of the class, or known to the constructor only."""
    return str(field._field_type.name)


def _field(field: Any, hints: dict[str, Any]) -> Field:
    return Field(
        field.name,
        node_of(hints.get(field.name, field.type)),
        field.name,
        default=NOT_THERE if field.default is dataclasses.MISSING else field.default,
        is_made=field.default_factory is not dataclasses.MISSING,
        factory=None if field.default_factory is dataclasses.MISSING else field.default_factory,
        is_given=field.init,
        is_held=_kind(field) == "_FIELD",
        is_compared=field.compare,
        is_shown=field.repr,
    )
