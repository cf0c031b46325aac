"""Models of pydantic."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.records.description import NOT_THERE, Description, Field, Fill, Part
from urnshelf.types.nodes import node_of


class _Model(Description):
    kind = "pydantic"
    validates = True

    @property
    def takes_more(self) -> bool:
        return bool(self.origin.model_config.get("extra") == "allow")

    def build(self, values: Mapping[str, Any]) -> Any:
        # by validation: the record is one that the model accepts, its own coercions included
        return self.form.model_validate(self.arguments_of(values))

    def changed(self, record: Any, values: Mapping[str, Any]) -> Any:
        return (
            record.model_copy(update=dict(values))
            if self.is_frozen
            else super().changed(record, values)
        )

    def copy(self, record: Any, part: Part) -> tuple[Any, Fill | None]:
        return record.model_copy(), _fill


def _fill(copy: object, record: object, part: Part) -> None:
    copy.__dict__.update({name: part(value) for name, value in record.__dict__.items()})


def describe(form: Any, origin: Any) -> Description | None:
    """A model, a generic one with its arguments, too."""
    infos = getattr(origin, "__pydantic_fields__", None)
    if infos is None or not hasattr(origin, "model_validate"):
        return None
    fields = [_field(name, info, origin) for name, info in infos.items()]
    return _Model(form, fields, is_frozen=bool(origin.model_config.get("frozen")))


def _field(name: str, info: Any, origin: object) -> Field:
    return Field(
        name,
        node_of(info.annotation),
        _key(name, info, origin),
        notes=tuple(info.metadata),
        default=NOT_THERE if info.is_required() or info.default_factory else info.default,
        is_made=info.default_factory is not None,
        is_converted=True,
        is_compared=True,
        is_shown=bool(info.repr),
    )


def _key(name: str, info: Any, origin: Any) -> str:
    alias = info.validation_alias or info.alias
    by_name = origin.model_config.get("populate_by_name") or origin.model_config.get(
        "validate_by_name"
    )
    if alias is None or by_name:
        return name
    # of several names the first; a path into the data cannot be given as an argument
    first = getattr(alias, "choices", [alias])[0]
    return first if isinstance(first, str) else name
