"""Types of records as an urn sees them: their fields with types and limits, and how a record is built from values."""

from __future__ import annotations

import dataclasses
import inspect
import typing
from collections.abc import Callable
from typing import Any, NamedTuple, get_args, get_origin

from urnshelf.interfaces.hints import hints_of, is_typed_dict, resolve, signature_of, substitute, type_arguments
from urnshelf.urn.limits import Limits, limits_of


class Field(NamedTuple):
    """One field: its type, the limits on it, the key under which a builder takes it, and whether it may be left out."""

    form: Any
    limits: Limits
    key: str
    optional: bool = False


class RecordType(NamedTuple):
    """A type of records."""

    form: Any
    name: str
    """The qualified name, from which the keys of its columns are made."""
    fields: dict[str, Field]
    build: Callable[[dict[str, Any]], Any]
    validates: bool = False
    """Whether building may refuse values, so that others must be tried."""
    in_order: bool = False
    """Whether the values may be given by position, which is quicker."""


def describe(form: Any) -> RecordType | None:
    """The record type, or None for what is none."""
    origin = get_origin(form) or form
    if not isinstance(origin, type) or origin.__module__ in ("builtins", "datetime", "decimal", "uuid"):
        return None
    for recognise in (_typed_dict, _named_tuple, _pydantic, _msgspec, _attrs, _mapped, _dataclass):
        found = recognise(form, origin)
        if found is not None:
            return found
    return None


def describe_class(form: Any) -> RecordType | None:
    """A plain class, by its annotated constructor; None when a parameter has neither annotation nor default."""
    origin = get_origin(form) or form
    if not isinstance(origin, type) or _constructor(origin) is object.__init__ or inspect.isabstract(origin):
        return None
    if getattr(origin, "_is_protocol", False) or issubclass(origin, BaseException):
        return None
    try:
        parameters = list(signature_of(origin).parameters.values())
    except (TypeError, ValueError):
        return None
    fields = {}
    for p in parameters:
        if p.kind in (p.VAR_POSITIONAL, p.VAR_KEYWORD):
            continue
        if p.annotation is p.empty:
            if p.default is p.empty:
                return None
            continue
        fields[p.name] = _field(resolve(p.annotation, origin, _constructor(origin)), p.name)
    return RecordType(form, _qualified(origin), fields, _by_keywords(origin), validates=True) if fields else None


def _constructor(cls: type) -> Any:
    return inspect.getattr_static(cls, "__init__")


def _qualified(cls: type) -> str:
    return f"{cls.__module__}.{cls.__qualname__}"


def _field(form: Any, key: str, notes: tuple[Any, ...] = (), optional: bool = False) -> Field:
    form, inner = unwrapped(form)
    return Field(form, limits_of([*inner, *notes]), key, optional)


def unwrapped(form: Any) -> tuple[Any, tuple[Any, ...]]:
    """A type without `Annotated`, `NewType` and qualifiers, and the notes that were attached to it."""
    notes: tuple[Any, ...] = ()
    while True:
        origin = get_origin(form)
        if origin is typing.Annotated:
            form, *added = get_args(form)
            notes = (*added, *notes)
        elif origin in (typing.Required, typing.NotRequired, typing.Final, typing.ClassVar):
            form = get_args(form)[0]
        elif hasattr(form, "__supertype__"):
            form = form.__supertype__
        elif type(form).__name__ == "TypeAliasType":
            form = form.__value__
        elif isinstance(form, dataclasses.InitVar):
            form = form.type
        else:
            return form, notes


def _by_keywords(cls: Any) -> Callable[[dict[str, Any]], Any]:
    return lambda values: cls(**values)


def _filled_hints(form: Any, origin: type) -> dict[str, Any]:
    """The annotated fields' types, type parameters filled in."""
    arguments = type_arguments(form)
    hints = hints_of(origin)
    filled: dict[Any, Any] = {}
    for known in arguments.values():
        filled |= known
    return {name: substitute(hint, filled) for name, hint in hints.items()}


def _dataclass(form: Any, origin: type) -> RecordType | None:
    if not dataclasses.is_dataclass(origin):
        return None
    hints = _filled_hints(form, origin)
    every = [f for f in origin.__dataclass_fields__.values() if f._field_type is not dataclasses._FIELD_CLASSVAR]  # type: ignore[attr-defined]
    fields = {f.name: _field(hints.get(f.name, f.type), f.name) for f in every if f.init}
    in_order = not any(f.kw_only for f in every) and all(f.init for f in every)
    return RecordType(
        form, _qualified(origin), fields, _by_keywords(origin), hasattr(origin, "__post_init__"), in_order
    )


def _named_tuple(form: Any, origin: type) -> RecordType | None:
    if not (issubclass(origin, tuple) and hasattr(origin, "_fields")):
        return None
    hints = _filled_hints(form, origin)
    names: tuple[str, ...] = getattr(origin, "_fields", ())
    fields = {name: _field(hints.get(name, Any), name) for name in names}
    return RecordType(form, _qualified(origin), fields, _by_keywords(origin), in_order=True)


def _typed_dict(form: Any, origin: type) -> RecordType | None:
    if not is_typed_dict(origin):
        return None
    hints = _filled_hints(form, origin)
    fields = {}
    for name, hint in hints.items():
        kind = get_origin(hint)
        required = kind is typing.Required or (kind is not typing.NotRequired and name in origin.__required_keys__)  # type: ignore[attr-defined]
        fields[name] = _field(hint, name, optional=not required)
    return RecordType(form, _qualified(origin), fields, lambda values: dict(values))


def _attrs(form: Any, origin: type) -> RecordType | None:
    attributes = origin.__dict__.get("__attrs_attrs__")
    if attributes is None:
        return None
    hints = _filled_hints(form, origin)
    fields = {
        a.name: _field(hints.get(a.name, Any), a.alias or a.name, (a.validator,) if a.validator else ())
        for a in attributes
        if a.init
    }
    return RecordType(form, _qualified(origin), fields, _by_keywords(origin), validates=True)


def _pydantic(form: Any, origin: type) -> RecordType | None:
    infos = getattr(origin, "__pydantic_fields__", None)
    if infos is None or not hasattr(origin, "model_validate"):
        return None
    fields = {}
    for name, info in infos.items():
        fields[name] = _field(info.annotation, _pydantic_key(name, info, origin), tuple(info.metadata))
    return RecordType(form, _qualified(origin), fields, origin.model_validate, validates=True)


def _pydantic_key(name: str, info: Any, origin: Any) -> str:
    alias = info.validation_alias or info.alias
    if alias is None or origin.model_config.get("populate_by_name") or origin.model_config.get("validate_by_name"):
        return name
    first = getattr(alias, "choices", [alias])[0]
    return first if isinstance(first, str) else name


def _msgspec(form: Any, origin: type) -> RecordType | None:
    if not hasattr(origin, "__struct_fields__"):
        return None
    hints = _filled_hints(form, origin)
    fields = {name: _field(hints[name], name) for name in origin.__struct_fields__}
    return RecordType(form, _qualified(origin), fields, _by_keywords(origin))


def _mapped(form: Any, origin: type) -> RecordType | None:
    """A mapped class of SQLAlchemy, by the columns of its mapper."""
    if not hasattr(origin, "__mapper__") or dataclasses.is_dataclass(origin):
        return None
    fields = {}
    for prop in origin.__mapper__.column_attrs:
        column = prop.columns[0]
        fields[prop.key] = _field(_column_type(column), prop.key, (_ColumnNotes(column),))
    return RecordType(form, _qualified(origin), fields, _by_keywords(origin))


class _ColumnNotes:
    """The limits that a column's type sets."""

    def __init__(self, column: Any) -> None:
        self.max_length = getattr(column.type, "length", None)
        precision, scale = getattr(column.type, "precision", None), getattr(column.type, "scale", None)
        self.max_digits = precision if isinstance(scale, int) else None
        self.decimal_places = scale if isinstance(scale, int) else None


def _column_type(column: Any) -> Any:
    members = getattr(column.type, "enum_class", None)
    if members is not None:
        return members
    if getattr(column.type, "enums", None):
        return typing.Literal[tuple(column.type.enums)]
    try:
        form = column.type.python_type
    except NotImplementedError:
        form = Any
    return form | None if column.nullable and not column.primary_key and form is not Any else form
