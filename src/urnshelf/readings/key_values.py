"""Readings of key–value stores and caches: values by key, which may expire."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from inspect import Parameter
from types import UnionType
from typing import Any, NamedTuple, Union, get_args, get_origin

from urnshelf.errors import RecordMissing
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.reading import Access, Reading, Unread
from urnshelf.records.display import show
from urnshelf.store.journal import ABSENT
from urnshelf.store.key_values import KeyValues

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_KEYS = frozenset({"key", "k", "name", "id", "token", "item_key", "cache_key"})
_MANY_KEYS = frozenset({"keys", "names", "ids", "tokens"})
_VALUES = frozenset({"value", "val", "v", "data", "obj", "item", "payload", "content", "default_value", "amount"})
_SECONDS = frozenset(
    """
    expires expires_in expire ttl ttl_seconds ttl_s timeout timeout_seconds ex seconds max_age lifetime expiry
    expires_at expire_at expiration until
    """.split()
)
_ONLY_IF_ABSENT = frozenset({"add", "set_if_absent", "put_if_absent", "set_nx", "setnx", "setdefault"})


class _Roles(NamedTuple):
    """Which argument is what."""

    key: int | None = None
    keys: int | None = None
    value: int | None = None
    expires: int | None = None
    default: int | None = None
    amount: int | None = None


Run = Callable[[KeyValues, tuple[Any, ...], _Roles, Member], Any]


@lru_cache(maxsize=1024)
def is_key_value_store(interface: Interface) -> bool:
    """Whether the interface sets a value by its key, and gives it by its key."""
    setters = [m for name, m in interface.members.items() if name in ("set", "put", "store", "save")]
    getters = [m for name, m in interface.members.items() if name in ("get", "load", "fetch", "read")]
    return any(_is_setter(m) for m in setters) and any(m.parameters[:1] and m.parameters[0] in _KEYS for m in getters)


def _is_setter(member: Member) -> bool:
    names = member.parameters
    return len(names) >= 2 and names[0] in _KEYS and names[1] in _VALUES and set(names[2:]) <= _SECONDS


def read_key_value(member: Member) -> Reading | Unread:
    """What a method of a key–value store does."""
    found = _OPERATIONS.get(member.name)
    roles = _roles(member, found is not None and found[1] == "number")
    if found is None:
        return Unread(f"{member.name!r} is not among the methods of a key–value store that are read")
    if isinstance(roles, str):
        return Unread(f"the parameter {roles!r} is not accounted for")
    meaning, _, run, is_look_up = found

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        access.did(lambda: _told(meaning, values, roles))
        return run(access.table, values, roles, member)  # type: ignore[arg-type]  # its table is the key–value store

    return Reading(None, meaning, answer, is_look_up)


def _roles(member: Member, takes_number: bool) -> _Roles | str:
    """Which parameter is what, or the one that cannot be told."""
    found: dict[str, int] = {}
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        if name in _KEYS and "key" not in found and parameter.kind is not Parameter.VAR_POSITIONAL:
            role = "key"
        elif name in _MANY_KEYS or (name in _KEYS and parameter.kind is Parameter.VAR_POSITIONAL):
            role = "keys"
        elif takes_number and name in ("amount", "delta", "by", "n", "value", "step"):
            role = "amount"
        elif name in _SECONDS:
            role = "expires"
        elif name == "default":
            role = "default"
        elif name in _VALUES or name in ("mapping", "values", "items", "pairs"):
            role = "value"
        else:
            return name
        if role in found:
            return name
        found[role] = position
    return _Roles(**found)


def _told(meaning: str, values: tuple[Any, ...], roles: _Roles) -> str:
    key = roles.key if roles.key is not None else roles.keys
    return f"{meaning.partition(' ')[0]} {show(values[key], 60)}" if key is not None else meaning


def _get(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    assert roles.key is not None
    found = store.find(values[roles.key])
    if found is not ABSENT:
        return found
    if roles.default is not None:
        return values[roles.default]
    promised = member.promise.type
    if promised is Any or (get_origin(promised) in (Union, UnionType) and type(None) in get_args(promised)):
        return None
    raise (KeyError(values[roles.key]) if member.name == "__getitem__" else _missing(store, values[roles.key]))


def _missing(store: KeyValues, key: Any) -> RecordMissing:
    known = ", ".join(show(k, 20) for k in store.keys()[:8]) or "none"
    return RecordMissing(f"there is no value for {show(key)}; there are values for: {known}")


def _get_many(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    keys = list(values[roles.keys or 0])
    found = {key: store.find(key) for key in keys}
    if (get_origin(member.promise.type) or member.promise.type) in (list, tuple):
        return [None if found[key] is ABSENT else found[key] for key in keys]
    return {key: value for key, value in found.items() if value is not ABSENT}


def _set(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    assert roles.key is not None
    assert roles.value is not None
    if member.name in _ONLY_IF_ABSENT and store.find(values[roles.key]) is not ABSENT:
        return False if member.promise.type is bool else None
    store.put(values[roles.key], values[roles.value], None if roles.expires is None else values[roles.expires])
    return True if member.promise.type is bool else None


def _set_many(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    for key, value in dict(values[roles.value or 0]).items():
        store.put(key, value, None if roles.expires is None else values[roles.expires])
    return True if member.promise.type is bool else None


def _delete(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    keys = list(values[roles.keys]) if roles.keys is not None else [values[roles.key or 0]]
    if member.name == "__delitem__" and store.find(keys[0]) is ABSENT:
        raise KeyError(keys[0])
    gone = sum(store.drop(key) for key in keys)
    return {bool: bool(gone), int: gone}.get(member.promise.type)


def _pop(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    found = _get(store, values, roles, member)
    store.drop(values[roles.key or 0])
    return found


def _has(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:  # noqa: ARG001
    return store.find(values[roles.key or 0]) is not ABSENT


def _counted(sign: int) -> Run:
    def run(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
        assert roles.key is not None
        found = store.find(values[roles.key])
        number = (0 if found is ABSENT else found) + sign * (1 if roles.amount is None else values[roles.amount])
        store.change(values[roles.key], number)
        return None if member.promise.type is type(None) else number

    return run


def _clear(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:  # noqa: ARG001
    gone = sum(map(store.drop, store.keys()))
    return {bool: True, int: gone}.get(member.promise.type)


def _keys(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:  # noqa: ARG001
    origin = get_origin(member.promise.type)
    return set(store.keys()) if origin in (set, frozenset) else store.keys()


def _touch(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:
    assert roles.key is not None
    found = store.find(values[roles.key])
    if found is not ABSENT:
        store.put(values[roles.key], found, None if roles.expires is None else values[roles.expires])
    return found is not ABSENT if member.promise.type is bool else None


def _len(store: KeyValues, values: tuple[Any, ...], roles: _Roles, member: Member) -> Any:  # noqa: ARG001
    return len(store.keys())


_OPERATIONS: dict[str, tuple[str, str, Run, bool]] = {
    **dict.fromkeys(("get", "load", "fetch", "read", "__getitem__"), ("GET :key", "", _get, True)),
    **dict.fromkeys(("get_many", "mget", "get_all", "get_multi"), ("GET each of :keys", "", _get_many, True)),
    **dict.fromkeys(("set", "put", "store", "save", "__setitem__"), ("SET :key to :value", "", _set, False)),
    **dict.fromkeys(_ONLY_IF_ABSENT, ("SET :key to :value where it has none", "", _set, False)),
    **dict.fromkeys(("set_many", "mset", "put_many", "set_multi"), ("SET each of :mapping", "", _set_many, False)),
    **dict.fromkeys(
        ("delete", "remove", "evict", "invalidate", "unset", "forget", "delete_many", "__delitem__"),
        ("DELETE :key", "", _delete, False),
    ),
    "pop": ("GET and DELETE :key", "", _pop, False),
    **dict.fromkeys(("has", "exists", "contains", "has_key", "__contains__"), ("EXISTS :key", "", _has, True)),
    **dict.fromkeys(("incr", "increment", "incrby"), ("INCREMENT :key", "number", _counted(1), False)),
    **dict.fromkeys(("decr", "decrement", "decrby"), ("DECREMENT :key", "number", _counted(-1), False)),
    **dict.fromkeys(("clear", "flush", "flush_all", "delete_all"), ("DELETE every key", "", _clear, False)),
    "keys": ("every key", "", _keys, True),
    **dict.fromkeys(("touch", "expire"), ("EXPIRE :key", "", _touch, False)),
    **dict.fromkeys(("__len__", "size", "count"), ("how many keys", "", _len, True)),
}
"""By the method's name: what it does, whether it takes a number, the work, and whether it only looks."""
