"""Which classes are records, and what their fields are called."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, NamedTuple


class Shape(NamedTuple):
    """The fields of a record type, in order, and how its instances are laid out."""

    kind: str
    fields: tuple[str, ...]
    compared: tuple[str, ...]
    frozen: bool
    generated_eq: bool


def shape_of(cls: type) -> Shape | None:
    """The shape of a record type; None for a class that is no record."""
    return _shape_of(cls)


@lru_cache(maxsize=4096)
def _shape_of(cls: Any) -> Shape | None:
    for recognise in (_dataclass, _named_tuple, _attrs, _pydantic, _msgspec):
        shape = recognise(cls)
        if shape is not None:
            return shape
    return None


def storage_shape(cls: type) -> Shape | None:
    """The shape of a type whose records can be kept: those above, typed dictionaries, mapped and plain classes."""
    return shape_of(cls) or _typed_dict(cls) or _mapped(cls) or _by_constructor(cls)


def values_of(record: object, shape: Shape) -> dict[str, Any]:
    """A record's field values by name; a field that was never set is left out."""
    return {name: getattr(record, name) for name in shape.fields if hasattr(record, name)}


def _dataclass(cls: type) -> Shape | None:
    if not hasattr(cls, "__dataclass_fields__"):
        return None
    from dataclasses import fields as fields_of  # whoever has a dataclass has imported it

    fields = fields_of(cls)
    frozen = cls.__dataclass_params__.frozen  # type: ignore[attr-defined]
    compared = tuple(f.name for f in fields if f.compare)
    return Shape("dataclass", tuple(f.name for f in fields), compared, frozen, _eq_is_generated(cls))


def _named_tuple(cls: type) -> Shape | None:
    names = getattr(cls, "_fields", None)
    if not issubclass(cls, tuple) or names is None:
        return None
    return Shape("named tuple", tuple(names), tuple(names), True, cls.__eq__ is tuple.__eq__)


def _attrs(cls: Any) -> Shape | None:
    attributes = cls.__dict__.get("__attrs_attrs__")
    if attributes is None:
        return None
    names = tuple(a.name for a in attributes)
    compared = tuple(a.name for a in attributes if a.eq)
    frozen = cls.__setattr__ is not object.__setattr__ and "frozen" in cls.__setattr__.__name__
    return Shape("attrs", names, compared, frozen, _eq_is_generated(cls))


def _pydantic(cls: type) -> Shape | None:
    fields = getattr(cls, "__pydantic_fields__", None)
    if fields is None or not hasattr(cls, "model_copy"):
        return None
    frozen = bool(getattr(cls, "model_config", {}).get("frozen"))
    return Shape("pydantic", tuple(fields), tuple(fields), frozen, False)


def _msgspec(cls: type) -> Shape | None:
    names = getattr(cls, "__struct_fields__", None)
    if names is None:
        return None
    config = cls.__struct_config__  # type: ignore[attr-defined]
    return Shape("msgspec", tuple(names), tuple(names), config.frozen, config.eq)


def _typed_dict(cls: Any) -> Shape | None:
    if not (issubclass(cls, dict) and hasattr(cls, "__required_keys__")):
        return None
    keys: frozenset[str] = getattr(cls, "__required_keys__", frozenset()) | getattr(
        cls, "__optional_keys__", frozenset()
    )
    names = tuple(sorted(keys))
    return Shape("typed dictionary", names, names, False, False)


def _mapped(cls: Any) -> Shape | None:
    if not hasattr(cls, "__mapper__"):
        return None
    names = tuple(prop.key for prop in cls.__mapper__.column_attrs)
    return Shape("mapped", names, names, False, False)


def _by_constructor(cls: Any) -> Shape | None:
    code = getattr(cls.__init__, "__code__", None)
    if code is None or issubclass(cls, BaseException):
        return None
    names = code.co_varnames[1 : code.co_argcount + code.co_kwonlyargcount]
    return Shape("plain", names, names, False, False) if names else None


def _eq_is_generated(cls: Any) -> bool:
    """Written by a class decorator rather than by hand: such code comes from no file."""
    code = getattr(cls.__eq__, "__code__", None)
    return cls.__eq__ is object.__eq__ or (code is not None and code.co_filename.startswith("<"))
