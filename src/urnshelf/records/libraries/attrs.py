"""Classes made by attrs."""

from __future__ import annotations

from typing import Any

from urnshelf.records.description import NOT_THERE, ByAttributes, Description, Field
from urnshelf.records.recognising import filled_hints, is_written_for
from urnshelf.types.nodes import node_of


class _Attrs(ByAttributes):
    kind = "attrs"
    validates = True


def describe(form: Any, origin: Any) -> Description | None:
    """A class that carries its own list of attributes."""
    attributes = origin.__dict__.get("__attrs_attrs__")
    if attributes is None:
        return None
    hints = filled_hints(form, origin)
    setter: Any = origin.__setattr__
    return _Attrs(
        form,
        [_field(one, hints) for one in attributes],
        # attrs marks frozen classes by the method that refuses, and by nothing else
        is_frozen=setter is not object.__setattr__ and "frozen" in setter.__name__,
        has_plain_equality=is_written_for(origin),
    )


def _field(attribute: Any, hints: dict[str, Any]) -> Field:
    is_made = type(attribute.default).__name__ == "Factory"
    is_lacking = is_made or type(attribute.default).__name__ in ("_Nothing", "NOTHING")
    return Field(
        attribute.name,
        node_of(hints.get(attribute.name, Any)),
        attribute.alias or attribute.name,
        notes=(attribute.validator,) if attribute.validator else (),
        default=NOT_THERE if is_lacking else attribute.default,
        is_made=is_made,
        factory=attribute.default.factory if is_made and not attribute.default.takes_self else None,
        is_converted=attribute.converter is not None,
        is_given=attribute.init,
        is_compared=bool(attribute.eq),
        is_shown=bool(attribute.repr),
    )
