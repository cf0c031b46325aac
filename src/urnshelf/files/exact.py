"""Values as JSON, and back exactly as they were, by the types that their fields are annotated with.

A value that is not of its field's type, and one in a field that allows several types, carries its type's name:
`{"$type": "Decimal", "value": "1.50"}`. A moment with a named time zone is written as RFC 9557 has it, a time span as
ISO 8601 has it.
"""

from __future__ import annotations

import base64
import collections.abc as abc
import json
import re
from collections import deque
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import Decimal, InvalidOperation
from enum import Enum
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network
from pathlib import Path, PurePath
from types import UnionType
from typing import Any, Literal, NamedTuple, TypeVar, Union, get_args, get_origin
from uuid import UUID

from urnshelf.interfaces.hints import type_name
from urnshelf.interfaces.promises import misfit
from urnshelf.records.display import show
from urnshelf.urn.fields import RecordType, describe, describe_class, unwrapped

TAG = "$type"


class Unfit(Exception):
    """A value that cannot be written, or read; `path` is the field."""

    def __init__(self, why: str, path: str = "") -> None:
        super().__init__(why)
        self.path = path


class _Text(NamedTuple):
    """A type whose values are written as texts."""

    write: Callable[[Any], str]
    read: Callable[[str], Any]


def _write_moment(moment: datetime) -> str:
    zone = getattr(moment.tzinfo, "key", None)
    return moment.isoformat() + (f"[{zone}]" if zone else "") + "~" * moment.fold


def _read_moment(text: str) -> datetime:
    text, fold = text.removesuffix("~"), int(text.endswith("~"))
    match = re.fullmatch(r"(.+)\[(.+)\]", text)
    if match is None:
        return datetime.fromisoformat(text).replace(fold=fold)
    from zoneinfo import ZoneInfo

    moment = datetime.fromisoformat(match[1]).replace(tzinfo=None)
    return moment.replace(tzinfo=ZoneInfo(match[2]), fold=fold)


def _write_span(span: timedelta) -> str:
    parts = f"{span.days}D" * bool(span.days)
    return f"P{parts}T{span.seconds}" + f".{span.microseconds:06}" * bool(span.microseconds) + "S"


def _read_span(text: str) -> timedelta:
    match = re.fullmatch(r"P(?:(-?\d+)D)?(?:T(\d+)(?:\.(\d{6}))?S)?", text)
    if match is None:
        raise ValueError("a span is written as P1DT3600S")
    return timedelta(days=int(match[1] or 0), seconds=int(match[2] or 0), microseconds=int(match[3] or 0))


_TEXTS: dict[type, _Text] = {
    Decimal: _Text(str, Decimal),
    datetime: _Text(_write_moment, _read_moment),
    date: _Text(date.isoformat, date.fromisoformat),
    time: _Text(time.isoformat, time.fromisoformat),
    timedelta: _Text(_write_span, _read_span),
    UUID: _Text(str, UUID),
    bytes: _Text(lambda raw: base64.b64encode(raw).decode(), lambda text: base64.b64decode(text, validate=True)),
    bytearray: _Text(lambda raw: base64.b64encode(raw).decode(), lambda text: bytearray(base64.b64decode(text))),
    complex: _Text(str, complex),
    Path: _Text(str, Path),
    PurePath: _Text(str, PurePath),
    **{form: _Text(str, form) for form in (IPv4Address, IPv6Address, IPv4Network, IPv6Network)},
}
_NATIVE = (bool, int, str)
_UNORDERED = {set: set, frozenset: frozenset, abc.Set: frozenset}
_ORDERED = {list: list, tuple: tuple, deque: deque, abc.Sequence: list, abc.MutableSequence: list}
_ORDERED |= dict.fromkeys((abc.Collection, abc.Iterable), list)
_MAPPINGS = (dict, abc.Mapping, abc.MutableMapping)


def encode(value: Any, form: Any) -> Any:
    """The value as JSON holds it; raises Unfit for one that cannot be written."""
    form = bare(form)
    if value is None:
        return None
    if form is Any or _is_union(form) or isinstance(form, TypeVar):
        return _encode_any(value, form)
    if misfit(value, form) is not None:
        data = _encode_any(value, Any)
        return data if isinstance(data, dict) and TAG in data else _tagged(value, data)
    if get_origin(form) is Literal:
        return _encode_any(value, Any)
    return _encode(value, form)


def decode(data: Any, form: Any) -> Any:
    """The value that `encode` was given; raises Unfit for data that is none of the type's."""
    form = bare(form)
    if data is None:
        return None
    if isinstance(data, dict) and TAG in data:
        return _decode_tagged(data, form)
    if form is Any or isinstance(form, TypeVar):
        return [decode(item, Any) for item in data] if isinstance(data, list) else data
    if _is_union(form):
        native = float if type(data) is float else type(data)
        if native in (bool, int, str, float) and misfit(data, form) is None:
            return data
        raise Unfit(f"{show(data, 60)} is no {type_name(form)}")
    if _is_of_pydantic(form):
        return data
    value = _decode(data, form)
    wrong = misfit(value, form)
    if wrong is not None:
        raise Unfit(wrong)
    return value


def bare(form: Any) -> Any:
    """The type without its wrappings, and without None among others."""
    form = unwrapped(form)[0]
    if _is_union(form):
        inner = [arg for arg in get_args(form) if arg is not type(None)]
        return bare(inner[0]) if len(inner) == 1 else Union[tuple(inner)]  # noqa: UP007
    return form


def record_type_of(form: Any) -> RecordType | None:
    """How a record of this type is taken apart and built."""
    return describe(form) or (describe_class(form) if isinstance(get_origin(form) or form, type) else None)


def encode_record(record: Any, told: RecordType, fields: tuple[str, ...]) -> dict[str, Any]:
    """A record as a table of JSON."""
    data = {}
    for name in fields:
        if isinstance(record, dict) and name not in record:
            continue
        value = record[name] if isinstance(record, dict) else getattr(record, name, None)
        try:
            data[name] = encode(value, told.fields[name].form if name in told.fields else Any)
        except Unfit as why:
            raise Unfit(str(why), ".".join(filter(None, [name, why.path]))) from None
    return data


def decode_record(data: Any, told: RecordType, fields: tuple[str, ...]) -> Any:
    """The record that a table of JSON holds."""
    if not isinstance(data, dict):
        raise Unfit(f"a record is a JSON object, not {show(data, 60)}")
    unknown = [name for name in data if name not in fields]
    if unknown:
        raise Unfit(f"there is no such field; the fields are {', '.join(fields)}", unknown[0])
    values = {}
    for name in fields:
        field = told.fields.get(name)
        if name not in data:
            if isinstance(told.form, type) and issubclass(told.form, dict):
                continue
            raise Unfit("the field is missing", name)
        try:
            values[name] = decode(data[name], field.form if field else Any)
        except Unfit as why:
            raise Unfit(str(why), ".".join(filter(None, [name, why.path]))) from None
    return build(told, values)


def build(told: RecordType, values: dict[str, Any]) -> Any:
    """A record with just these values: what a constructor would add or change is left out where that is possible."""
    origin = get_origin(told.form) or told.form
    if hasattr(origin, "__dataclass_fields__") and not hasattr(origin, "__pydantic_fields__"):
        record = object.__new__(origin)
        for name, value in values.items():
            object.__setattr__(record, name, value)
        return record
    given = {told.fields[name].key: value for name, value in values.items() if name in told.fields}
    try:
        return told.build(given)
    except Exception as why:
        raise Unfit(f"no {told.name.rpartition('.')[2]} can be made of it: {why}") from None


def is_text(form: Any) -> bool:
    """Whether the values of a type are always written as texts."""
    form = bare(form)
    return form is str or form in _TEXTS or (isinstance(form, type) and issubclass(form, Enum))


def _is_union(form: Any) -> bool:
    return get_origin(form) is Union or get_origin(form) is UnionType


def _encode(value: Any, form: Any) -> Any:
    """A value that is of its type."""
    if isinstance(value, Enum):
        return value.name if value.name is not None else value.value  # a set of flags with none of them has no name
    if type(value) in _NATIVE:
        return value
    if type(value) is float:
        return value if value == value and value not in (float("inf"), float("-inf")) else str(value)
    known = _text_type(type(value))
    if known is not None:
        return _TEXTS[known].write(value)
    if _is_of_pydantic(type(value)):  # an address or a secret: the model makes it again of its text
        return value.get_secret_value() if hasattr(value, "get_secret_value") else str(value)
    args = get_args(form)
    if isinstance(value, (list, tuple, deque)) and not hasattr(value, "_fields"):
        forms = args if isinstance(value, tuple) and args and args[-1] is not ... else None
        item = args[0] if args else Any
        return [encode(one, forms[n] if forms else item) for n, one in enumerate(value)]
    if isinstance(value, (set, frozenset)):
        return sorted((encode(one, args[0] if args else Any) for one in value), key=json.dumps)
    told = record_type_of(form)
    if told is not None:
        return encode_record(value, told, _fields_of(told, value))
    if isinstance(value, abc.Mapping):
        return _encode_mapping(value, *(args if len(args) == 2 else (Any, Any)))
    raise Unfit(f"{show(value, 60)} is a {type(value).__name__}, and such values cannot be kept in a file")


def _is_of_pydantic(form: Any) -> bool:
    return getattr(form, "__module__", "").partition(".")[0].startswith("pydantic")


def _fields_of(told: RecordType, value: Any) -> tuple[str, ...]:
    if isinstance(value, dict):
        return tuple(value)
    from urnshelf.records.shapes import storage_shape

    shape = storage_shape(type(value))
    return shape.fields if shape else tuple(told.fields)


def _encode_mapping(value: abc.Mapping[Any, Any], key: Any, item: Any) -> Any:
    if all(type(one) is str for one in value) and TAG not in value:
        return {name: encode(one, item) for name, one in value.items()}
    return [[encode(name, key), encode(one, item)] for name, one in value.items()]


def _encode_any(value: Any, form: Any) -> Any:
    """A value whose type the annotation does not tell."""
    if type(value) in _NATIVE or (type(value) is float and value - value == 0):
        return value
    if form is Any and type(value) is list:
        return [_encode_any(one, Any) for one in value]
    if form is Any and type(value) is dict and TAG not in value and all(type(name) is str for name in value):
        return {name: None if one is None else _encode_any(one, Any) for name, one in value.items()}
    if value is None:
        return None
    for member in get_args(form) if _is_union(form) else ():
        if misfit(value, member) is None and (record_type_of(member) or isinstance(value, Enum) or get_args(member)):
            return {TAG: type_name(member), "value": encode(value, member)}
    if type(value) in (tuple, set, frozenset, dict, float, list, deque) or _text_type(type(value)):
        return _tagged(value, _encode(value, Any))
    raise Unfit(
        f"{show(value, 60)} is a {type(value).__name__}, and the field's type does not tell how to read it again"
    )


def _tagged(value: Any, data: Any) -> dict[str, Any]:
    return {TAG: type(value).__name__, "value": data}


def _text_type(cls: type) -> type | None:
    if cls in _TEXTS:
        return cls
    return PurePath if issubclass(cls, PurePath) and cls.__module__.startswith("pathlib") else None


_BY_NAME: dict[str, Any] = {
    cls.__name__: cls for cls in (*_TEXTS, *_NATIVE, tuple, set, frozenset, dict, float, list, deque)
}
_BY_NAME |= {"PosixPath": Path, "WindowsPath": Path}


def _decode_tagged(data: dict[str, Any], form: Any) -> Any:
    name, inner = data[TAG], data.get("value")
    for member in get_args(form) if _is_union(form) else (form,):
        if type_name(member) == name:
            return decode(inner, member)
    if name not in _BY_NAME:
        raise Unfit(f"{TAG} {name!r} is not known here")
    cls = _BY_NAME[name]
    return _decode(inner, dict[Any, Any] if cls is dict and isinstance(inner, list) else cls)


def _decode(data: Any, form: Any) -> Any:
    """Data that has no tag, by its type."""
    origin, args = get_origin(form) or form, get_args(form)
    if origin is Literal:
        return data
    if isinstance(origin, type) and issubclass(origin, Enum):
        return _enum_member(data, origin)
    if origin is float and isinstance(data, str):
        return _read(float, data, "float")
    if origin in _TEXTS:
        if not isinstance(data, str):
            raise Unfit(f"{show(data, 60)} is no {type_name(form)}: it is written as a text")
        return _read(_TEXTS[origin].read, data, type_name(form))
    if origin in _UNORDERED or origin in _ORDERED:
        return _decode_items(data, origin, args)
    told = record_type_of(form)
    if told is not None:
        from urnshelf.records.shapes import storage_shape

        shape = storage_shape(origin)
        return decode_record(data, told, shape.fields if shape else tuple(told.fields))
    if origin in _MAPPINGS:
        return _decode_mapping(data, *(args if len(args) == 2 else (Any, Any)))
    return data


def _decode_items(data: Any, origin: Any, args: tuple[Any, ...]) -> Any:
    if not isinstance(data, list):
        raise Unfit(f"{show(data, 60)} is no list")
    forms = args if origin is tuple and args and args[-1] is not ... else None
    if forms is not None and len(forms) != len(data):
        raise Unfit(f"{len(forms)} items are wanted, not {len(data)}")
    items = [decode(one, forms[n] if forms else args[0] if args else Any) for n, one in enumerate(data)]
    make: Any = _UNORDERED.get(origin) or _ORDERED[origin]
    return make(items)


def _decode_mapping(data: Any, key: Any, item: Any) -> Any:
    if isinstance(data, dict):
        return {name: decode(one, item) for name, one in data.items()}
    if not isinstance(data, list) or not all(isinstance(pair, list) and len(pair) == 2 for pair in data):
        raise Unfit(f"{show(data, 60)} is no mapping")
    return {decode(name, key): decode(one, item) for name, one in data}


def _enum_member(data: Any, origin: Any) -> Any:
    if isinstance(data, str) and data in origin.__members__:
        return origin[data]
    if isinstance(data, str) and "|" in data:  # several flags at once
        names = data.split("|")
        if set(names) <= set(origin.__members__):
            whole = origin[names[0]]
            for name in names[1:]:
                whole |= origin[name]
            return whole
    if type(data) is int and hasattr(origin, "__or__"):
        return origin(data)
    raise Unfit(f"{show(data, 60)} is no {origin.__name__}; it has {', '.join(origin.__members__)}")


def _read(read: Callable[[str], Any], text: str, name: str) -> Any:
    try:
        return read(text)
    except (ValueError, InvalidOperation, KeyError, LookupError) as why:
        raise Unfit(f"{show(text, 60)} is no {name}: {why}") from None
