"""Structs of msgspec."""

from __future__ import annotations

import copy as standard_copy
from collections.abc import Mapping
from typing import Any

from urnshelf.records.description import NOT_THERE, Description, Field, Fill, Part
from urnshelf.records.recognising import filled_hints
from urnshelf.types.nodes import node_of


class _Struct(Description):
    kind = "msgspec"

    def values(self, record: object) -> dict[str, Any]:
        """Without those that are unset, which is how it says that there is none."""
        found = {name: getattr(record, name) for name in self.names}
        return {name: value for name, value in found.items() if not _is_unset(type(value))}

    def restored(self, values: Mapping[str, Any]) -> Any:
        unset = [name for name in self.names if name not in values and self.given[name].is_optional]
        if not unset:
            return self.build(values)
        from msgspec import UNSET

        return self.build({**values, **dict.fromkeys(unset, UNSET)})

    def copy(self, record: object, part: Part) -> tuple[Any, Fill | None]:
        return standard_copy.copy(record), _fill


def _fill(copy: Any, record: Any, part: Part) -> None:
    from msgspec.structs import force_setattr

    for name in record.__struct_fields__:
        # a frozen struct, too: nobody else has the copy yet
        force_setattr(copy, name, part(getattr(record, name)))


def describe(form: Any, origin: Any) -> Description | None:
    """A struct."""
    names: tuple[str, ...] | None = getattr(origin, "__struct_fields__", None)
    if names is None:
        return None
    hints = filled_hints(form, origin)
    defaults = _defaults(names, origin.__struct_defaults__)
    nodes = {name: node_of(hints[name]) for name in names}
    fields = [
        Field(
            name,
            nodes[name],
            name,
            is_optional=any(_is_unset(one.bare) for one in nodes[name].args),
            default=NOT_THERE if _is_own(defaults[name]) else defaults[name],
            is_made=hasattr(defaults[name], "factory"),
            factory=getattr(defaults[name], "factory", None),
        )
        for name in names
    ]
    config = origin.__struct_config__
    return _Struct(form, fields, is_frozen=config.frozen, has_plain_equality=config.eq)


def _defaults(names: tuple[str, ...], defaults: tuple[Any, ...]) -> dict[str, Any]:
    """The last fields have defaults."""
    lacking = len(names) - len(defaults)
    return dict(zip(names, (*[NOT_THERE] * lacking, *defaults), strict=True))


def _is_unset(cls: object) -> bool:
    return getattr(cls, "__name__", "") == "UnsetType"


def _is_own(default: object) -> bool:
    """Whether it stands for a default that must be made, or for none."""
    return type(default).__module__.startswith("msgspec")
