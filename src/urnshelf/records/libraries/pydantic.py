"""Models and dataclasses of pydantic."""

from __future__ import annotations

import dataclasses
import json
from collections.abc import Mapping
from functools import cached_property
from typing import Any

from urnshelf.records.description import NOT_THERE, ByAttributes, Description, Field, Fill, Part
from urnshelf.types.nodes import node_of

Path = tuple[str | int, ...]
"""Where in the data that a model is made of a field is looked for."""


class _Model(Description):
    kind = "pydantic"
    validates = True

    def __init__(self, form: Any, fields: list[Field], paths: Mapping[str, Path]) -> None:
        super().__init__(form, fields, is_frozen=bool(form.model_config.get("frozen")))
        self._paths = paths

    @property
    def takes_more(self) -> bool:
        return bool(self.origin.model_config.get("extra") == "allow")

    def build(self, values: Mapping[str, Any]) -> Any:
        # by validation: the record is one that the model accepts, its own coercions included
        taken = {name: self._as_taken(name, value) for name, value in values.items()}
        if getattr(self.origin, "__pydantic_root_model__", False):
            return self.form.model_validate(taken["root"])
        data = self.arguments_of({n: v for n, v in taken.items() if n not in self._paths})
        for name, path in self._paths.items():
            if name in taken:
                _put(data, path, taken[name])
        return self.form.model_validate(data)

    def _as_taken(self, name: str, value: Any) -> Any:
        """A value as the model takes it: some types are given encoded."""
        for note in self._encoded.get(name, ()):
            value = _encoded(value, note)
        return value

    @cached_property
    def _encoded(self) -> dict[str, list[Any]]:
        """The notes of fields whose values are given encoded."""
        found = {
            name: [one for one in (*field.node.notes, *field.notes) if _is_encoder(one)]
            for name, field in self.given.items()
        }
        return {name: notes for name, notes in found.items() if notes}

    def changed(self, record: Any, values: Mapping[str, Any]) -> Any:
        return (
            record.model_copy(update=dict(values))
            if self.is_frozen
            else super().changed(record, values)
        )

    def copy(self, record: Any, part: Part) -> tuple[Any, Fill | None]:
        return record.model_copy(), _fill


def _is_encoder(note: Any) -> bool:
    return _is_json(note) or hasattr(getattr(note, "encoder", None), "encode")


def _is_json(note: Any) -> bool:
    return getattr(note, "__name__", type(note).__name__) == "Json"


def _encoded(value: Any, note: Any) -> Any:
    if _is_json(note):
        # a text is taken as it is: it is JSON already
        return value if isinstance(value, (str, bytes)) else json.dumps(plain_json(value))
    if isinstance(value, str):
        return note.encoder.encode(value.encode()).decode()
    return note.encoder.encode(value) if isinstance(value, bytes) else value


def plain_json(value: Any) -> Any:
    """What JSON has for a value: as pydantic writes it."""
    from pydantic_core import to_jsonable_python  # who has such a field has it

    return to_jsonable_python(value)


class _DataClass(ByAttributes):
    kind = "dataclass"
    validates = True


def _put(data: Any, path: Path, value: object) -> None:
    """Put a value into data, with what is lacking on the way."""
    for step, following in zip(path, [*path[1:], None], strict=True):
        if isinstance(step, int):
            data.extend([None] * (step + 1 - len(data)))
        if following is None:
            data[step] = value
        elif isinstance(step, int):
            data[step] = data[step] if data[step] is not None else _empty(following)
            data = data[step]
        else:
            data = data.setdefault(step, _empty(following))


def _empty(following: object) -> Any:
    return [] if isinstance(following, int) else {}


def _fill(copy: object, record: object, part: Part) -> None:
    copy.__dict__.update({name: part(value) for name, value in record.__dict__.items()})


def describe(form: Any, origin: Any) -> Description | None:
    """A model, a generic one with its arguments, too; or a dataclass that pydantic validates."""
    infos = _infos(origin)
    if infos is None:
        return None
    if hasattr(origin, "model_validate"):
        by_name = origin.model_config.get("populate_by_name") or origin.model_config.get(
            "validate_by_name"
        )
        found = {name: _path(name, info, by_name) for name, info in infos.items()}
        fields = [_field(name, info, str(found[name][0])) for name, info in infos.items()]
        return _Model(form, fields, {n: path for n, path in found.items() if len(path) > 1})
    if not dataclasses.is_dataclass(origin):
        return None
    config = getattr(origin, "__pydantic_config__", {})
    by_name = config.get("populate_by_name") or config.get("validate_by_name")
    own = vars(origin)["__dataclass_params__"]
    fields = [
        _field(name, info, str(_path(name, info, by_name)[0])) for name, info in infos.items()
    ]
    return _DataClass(form, fields, is_frozen=own.frozen, has_plain_equality=own.eq)


def _infos(origin: Any) -> Mapping[str, Any] | None:
    """What pydantic knows of each field; None of what is not its own."""
    if hasattr(origin, "__pydantic_fields__"):
        return origin.__pydantic_fields__  # type: ignore[no-any-return]
    # models before version 2.10
    return origin.model_fields if hasattr(origin, "__pydantic_validator__") else None


def _field(name: str, info: Any, key: str) -> Field:
    return Field(
        name,
        node_of(info.annotation),
        key,
        notes=tuple(info.metadata),
        default=NOT_THERE if info.is_required() or info.default_factory else info.default,
        is_made=info.default_factory is not None,
        is_converted=True,
        is_given=info.init is not False,
        is_compared=True,
        is_shown=bool(info.repr),
    )


def _path(name: str, info: Any, by_name: object) -> Path:
    """The name that the constructor has for a field, or the way to it in the data."""
    alias = info.validation_alias or info.alias
    if alias is None or by_name:
        return (name,)
    # of several names the first
    first = getattr(alias, "choices", [alias])[0]
    return (first,) if isinstance(first, str) else tuple(first.path)
