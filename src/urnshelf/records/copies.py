"""Copies of values: mutable containers and records are copied, everything else is shared."""

from __future__ import annotations

from collections import OrderedDict, defaultdict, deque
from collections.abc import Callable
from types import MappingProxyType
from typing import Any, TypeVar

from urnshelf.records.shapes import Shape, shape_of

T = TypeVar("T")
Copier = Callable[[Any, dict[int, Any]], Any]

PLAIN: set[type] = {int, str, float, bool, bytes, complex, type(None), range, type}
"""Types that need no copy. It grows: a type found to need none joins it, so that fakes can ask it quickly."""

_copiers: dict[type, Copier] = {}


def keep(value: T, memo: dict[int, Any] | None = None) -> T:
    """The value as it is now: what may change later is copied, deeply, and cycles are kept.

    >>> harbours = ["Skarvik"]
    >>> kept = keep(harbours)
    >>> harbours.append("Norrvik")
    >>> kept
    ['Skarvik']
    """
    cls = type(value)
    if cls in PLAIN:
        return value
    copier = _copiers.get(cls)
    if copier is None:
        copier = _find_copier(cls)
    if copier is _share:
        return value
    memo = {} if memo is None else memo
    known: T | None = memo.get(id(value))
    if known is not None:
        return known
    copy: T = copier(value, memo)
    return copy


def copier_of(cls: type) -> Callable[[Any], Any]:
    """A function that copies records of one class, for those who copy many of them.

    Args:
        cls: the records' class; a record of another class is copied, too, but not as quickly.
    """
    shape = shape_of(cls)
    if shape is None or shape.kind not in ("dataclass", "attrs") or shape.frozen:
        return keep
    count, new, are_plain = len(shape.fields), object.__new__, PLAIN.issuperset

    def copy(record: Any) -> Any:
        state = getattr(record, "__dict__", None)
        if state is None or len(state) != count or type(record) is not cls or not are_plain(map(type, state.values())):
            return keep(record)
        made = new(cls)
        made.__dict__.update(state)
        return made

    return copy


def keep_each(values: tuple[Any, ...]) -> tuple[Any, ...]:
    """A call's arguments as they are now."""
    if PLAIN.issuperset(map(type, values)):
        return values
    memo: dict[int, Any] = {}
    return tuple([keep(value, memo) for value in values])


def _find_copier(cls: type) -> Copier:
    copier = _BY_TYPE.get(cls)
    if copier is None:
        shape = None if hasattr(cls, "__mapper__") else shape_of(cls)
        copier = _copier_of_shape(shape) if shape else _array if _is_array(cls) else _share
    if "<locals>" not in cls.__qualname__:  # a class made inside a function must stay free to go
        _copiers[cls] = copier
        if copier is _share:
            PLAIN.add(cls)
    return copier


def _share(value: Any, _memo: dict[int, Any]) -> Any:
    return value


def _list(value: Any, memo: dict[int, Any]) -> Any:
    copy: list[Any] = []
    memo[id(value)] = copy
    copy.extend([keep(item, memo) for item in value])
    return copy


def _deque(value: Any, memo: dict[int, Any]) -> Any:
    return deque([keep(item, memo) for item in value], value.maxlen)


def _dict(value: Any, memo: dict[int, Any]) -> Any:
    copy: dict[Any, Any] = {}
    memo[id(value)] = copy
    copy.update((key, keep(item, memo)) for key, item in value.items())
    return copy


def _ordered(value: Any, memo: dict[int, Any]) -> Any:
    return OrderedDict((key, keep(item, memo)) for key, item in value.items())


def _with_default(value: Any, memo: dict[int, Any]) -> Any:
    return defaultdict(value.default_factory, _dict(value, memo))


def _proxy(value: Any, memo: dict[int, Any]) -> Any:
    return MappingProxyType(_dict(value, memo))


def _set(value: Any, _memo: dict[int, Any]) -> Any:
    return value.copy()  # members are hashable: as good as immutable


def _tuple(value: Any, memo: dict[int, Any]) -> Any:
    copy = tuple([keep(item, memo) for item in value])
    return value if all(a is b for a, b in zip(copy, value, strict=True)) else copy


def _array(value: Any, _memo: dict[int, Any]) -> Any:
    return value.copy()


def _is_array(cls: type) -> bool:
    return hasattr(cls, "shape") and hasattr(cls, "copy") and hasattr(cls, "__array__")


def _copier_of_shape(shape: Shape) -> Copier:
    by_kind = {"pydantic": _pydantic, "msgspec": _msgspec, "named tuple": _named_tuple}
    if shape.kind in by_kind:
        return by_kind[shape.kind]
    count, new, are_plain = len(shape.fields), object.__new__, PLAIN.issuperset

    def copy(value: Any, memo: dict[int, Any]) -> Any:
        state = getattr(value, "__dict__", None)
        if shape.frozen or state is None or len(state) != count or not are_plain(map(type, state.values())):
            return _by_fields(value, memo, shape)
        made = memo[id(value)] = new(type(value))
        made.__dict__.update(state)
        return made

    return copy


def _by_fields(value: Any, memo: dict[int, Any], shape: Shape) -> Any:
    copy = object.__new__(type(value))
    memo[id(value)] = copy
    state = getattr(value, "__dict__", None) or {}
    kept = {name: keep(item, memo) for name, item in state.items()}
    if kept:
        copy.__dict__.update(kept)
    for name in shape.fields:
        if name not in state and hasattr(value, name):
            object.__setattr__(copy, name, keep(getattr(value, name), memo))
    if shape.frozen and all(getattr(copy, n, None) is getattr(value, n, None) for n in shape.fields):
        memo[id(value)] = value
        return value
    return copy


def _pydantic(value: Any, memo: dict[int, Any]) -> Any:
    copy = value.model_copy()
    memo[id(value)] = copy
    copy.__dict__.update({name: keep(item, memo) for name, item in value.__dict__.items()})
    return copy


def _msgspec(value: Any, memo: dict[int, Any]) -> Any:
    return type(value)(**{name: keep(getattr(value, name), memo) for name in value.__struct_fields__})


def _named_tuple(value: Any, memo: dict[int, Any]) -> Any:
    return type(value)._make(_tuple(tuple(value), memo))


_BY_TYPE: dict[type, Copier] = {
    list: _list,
    dict: _dict,
    tuple: _tuple,
    set: _set,
    frozenset: _share,
    bytearray: _set,
    deque: _deque,
    OrderedDict: _ordered,
    defaultdict: _with_default,
    MappingProxyType: _proxy,
}
