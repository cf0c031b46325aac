"""Readings of key–value stores and caches: values by key, which may expire."""

from __future__ import annotations

from collections.abc import Callable, Set
from decimal import Decimal
from inspect import Parameter
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.errors import RecordMissing
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Reading,
    ReadParameter,
    Role,
    Unread,
)
from urnshelf.readings.subject import Subject
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.store.entries import KeyValues
from urnshelf.store.journal import ABSENT
from urnshelf.types.nodes import ITEM_TYPES, Kind, Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_KEYS = frozenset({"key", "k", "name", "id", "token", "item_key", "cache_key"})
_MANY_KEYS = frozenset({"keys", "names", "ids", "tokens"})
_VALUES = frozenset(
    {"value", "val", "v", "data", "obj", "item", "payload", "content", "default_value", "amount"}
)
_SECONDS = frozenset(
    """
    expires expires_in expire ttl ttl_seconds ttl_s timeout timeout_seconds ex seconds max_age
    lifetime expiry expires_at expire_at expiration until
    """.split()
)
_ONLY_IF_ABSENT = frozenset(
    {"add", "set_if_absent", "put_if_absent", "set_nx", "setnx", "setdefault"}
)


_MANY = frozenset({Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM})
_SETTERS = frozenset({"set", "put", "store", "save"})
_GETTERS = frozenset({"get", "load", "fetch", "read"})

Positions = dict[Role, int]
"""Which argument is what."""


class Given:
    """The arguments of one call, by what they are."""

    def __init__(self, positions: Positions, values: tuple[Any, ...]) -> None:
        self._positions = positions
        self._values = values

    def __contains__(self, role: Role) -> bool:
        return role in self._positions

    def __getitem__(self, role: Role) -> Any:
        return self._values[self._positions[role]]

    def get(self, role: Role, lacking: object = None) -> Any:
        """The argument; `lacking` where there is none."""
        position = self._positions.get(role)
        return lacking if position is None else self._values[position]


Run = Callable[[KeyValues, Given, Member], Any]


@remembered
def is_key_value_store(interface: Interface) -> bool:
    """Whether the interface sets a value by its key, and gives it by its key."""
    members = interface.members
    setters, getters = _SETTERS & members.keys(), _GETTERS & members.keys()
    if not setters or not getters:
        return False
    for name in getters:
        if next(iter(members[name].signature.parameters), "") in _KEYS:
            promised = members[name].promise.node
            return any(_is_setter(members[setter], promised) for setter in setters)
    return False


def _is_setter(member: Member, promised: Node) -> bool:
    """Whether it sets the value that a getter with this promise gives."""
    names = member.parameters
    if len(names) < 2 or names[0] not in _KEYS or names[1] not in _VALUES:
        return False
    value = member.parameter_nodes[names[1]]
    # to give many of what is set one by one, a store keeps several values for a key
    keeps_many = promised.kind in _MANY and value.is_known and promised.item.bare == value.bare
    return set(names[2:]) <= _SECONDS and not keeps_many


def read_key_value(subject: Subject) -> Reading | Unread | None:
    """What a method of a key–value store does; None for one that is no such store's."""
    member = subject.member
    if member.kind == "attribute" or not is_key_value_store(subject.interface):
        return None
    found = _BY_NAME.get(member.name)
    if found is None:
        return Unread(
            f"{member.name!r} is not among the methods of a key–value store that are read"
        )
    positions = _positions(member, takes_number=found.operation in _COUNTING)
    if isinstance(positions, str):
        return Unread(f"the parameter {positions!r} is not accounted for")
    if not any(set(wanted) <= positions.keys() for wanted in found.needs):
        return Unread(
            f"{member.name!r} lacks what it is about: "
            f"{' and '.join(one.value for one in found.needs[0])}"
        )
    promised = member.promise.node
    if promised.is_known and not found.shape.fits(promised):
        return Unread(f"{member.name!r} is read where it promises {found.shape.text}")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        given = Given(positions, values)
        access.did(lambda: _statement(found.meaning, given))
        store: Any = access.table  # what a fake of such a store sees is its values
        return found.run(store, given, member)

    parameters = tuple(
        ReadParameter(member.parameters[position], role) for role, position in positions.items()
    )
    return Reading(None, found.operation, parameters, lambda: found.meaning, answer)


def _positions(member: Member, takes_number: bool) -> Positions | str:
    """Which parameter is what, or the one that cannot be told."""
    found: Positions = {}
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        role = _role(name, parameter, takes_number, Role.KEY in found)
        if role is None or role in found:
            return name
        found[role] = position
    return found


def _role(name: str, parameter: Parameter, takes_number: bool, has_key: bool) -> Role | None:
    several = parameter.kind is Parameter.VAR_POSITIONAL
    if name in _KEYS and not has_key and not several:
        return Role.KEY
    if name in _MANY_KEYS or (name in _KEYS and several):
        return Role.KEYS
    if takes_number and name in ("amount", "delta", "by", "n", "value", "step"):
        return Role.AMOUNT
    if name in _SECONDS:
        return Role.EXPIRES
    if name == "default":
        return Role.DEFAULT
    return (
        Role.VALUE if name in _VALUES or name in ("mapping", "values", "items", "pairs") else None
    )


def _statement(meaning: str, given: Given) -> str:
    role = Role.KEY if Role.KEY in given else Role.KEYS
    return f"{meaning.partition(' ')[0]} {show(given[role], 60)}" if role in given else meaning


def _promises(member: Member, form: type) -> bool:
    return member.promise.node.bare is form


def _get(store: KeyValues, given: Given, member: Member) -> Any:
    key = given[Role.KEY]
    found = store.find(key)
    if found is not ABSENT:
        return _fitting(found, member)
    if Role.DEFAULT in given:
        return given[Role.DEFAULT]
    promised = member.promise.node
    if promised.optional or not promised.is_known:
        return None
    raise (KeyError(key) if member.name == "__getitem__" else _missing(store, key))


def _fitting(reply: object, member: Member) -> Any:
    """The reply, if it is what the method promises: whoever set a value was bound by no type."""
    wrong = misfit(reply, member.promise.node)
    if wrong is not None:
        raise NotCertain(f"what the store holds is not what {member.name!r} promises: {wrong}")
    return reply


def _missing(store: KeyValues, key: object) -> RecordMissing:
    known = ", ".join(show(k, 20) for k in store.keys()[:8]) or "none"
    return RecordMissing(f"there is no value for {show(key)}; there are values for: {known}")


def _get_many(store: KeyValues, given: Given, member: Member) -> Any:
    keys = list(given[Role.KEYS])
    found = {key: store.find(key) for key in keys}
    promised = member.promise.node
    if promised.kind is Kind.ITEMS:
        # as many values as keys, in their order: None stands where there is none
        each = [None if found[key] is ABSENT else found[key] for key in keys]
        return _fitting(ITEM_TYPES.get(promised.origin, list)(each), member)
    return _fitting({key: it for key, it in found.items() if it is not ABSENT}, member)


def _set(store: KeyValues, given: Given, member: Member) -> Any:
    key = given[Role.KEY]
    if member.name in _ONLY_IF_ABSENT and store.find(key) is not ABSENT:
        return False if _promises(member, bool) else None
    store.put(key, given[Role.VALUE], given.get(Role.EXPIRES))
    return True if _promises(member, bool) else None


def _set_many(store: KeyValues, given: Given, member: Member) -> Any:
    for key, value in dict(given[Role.VALUE]).items():
        store.put(key, value, given.get(Role.EXPIRES))
    return True if _promises(member, bool) else None


def _delete(store: KeyValues, given: Given, member: Member) -> Any:
    keys = list(given[Role.KEYS]) if Role.KEYS in given else [given[Role.KEY]]
    if member.name == "__delitem__" and store.find(keys[0]) is ABSENT:
        raise KeyError(keys[0])
    gone = sum(store.drop(key) for key in keys)
    return {bool: bool(gone), int: gone}.get(member.promise.node.bare)


def _pop(store: KeyValues, given: Given, member: Member) -> Any:
    found = _get(store, given, member)
    store.drop(given[Role.KEY])
    return found


def _has(store: KeyValues, given: Given, member: Member) -> Any:  # noqa: ARG001
    return store.find(given[Role.KEY]) is not ABSENT


def _counted(sign: int) -> Run:
    def run(store: KeyValues, given: Given, member: Member) -> Any:
        key = given[Role.KEY]
        found = store.find(key)
        if found is not ABSENT and not isinstance(found, _NUMBERS):
            raise NotCertain(f"the value of {show(key)} is {show(found)}, which is no number")
        step = given.get(Role.AMOUNT, 1)
        number = (0 if found is ABSENT else found) + sign * step
        # what it counts expires when it would have
        store.change(key, number)
        return None if member.promise.is_nothing else number

    return run


def _clear(store: KeyValues, given: Given, member: Member) -> Any:  # noqa: ARG001
    gone = sum(map(store.drop, store.keys()))
    return {bool: True, int: gone}.get(member.promise.node.bare)


def _keys(store: KeyValues, given: Given, member: Member) -> Any:  # noqa: ARG001
    promised = member.promise.node
    make = iter if promised.kind is Kind.STREAM else ITEM_TYPES.get(promised.origin, list)
    return _fitting(make(store.keys()), member)


def _touch(store: KeyValues, given: Given, member: Member) -> Any:
    key = given[Role.KEY]
    found = store.find(key)
    if found is not ABSENT:
        store.put(key, found, given.get(Role.EXPIRES))
    return found is not ABSENT if _promises(member, bool) else None


def _len(store: KeyValues, given: Given, member: Member) -> Any:  # noqa: ARG001
    return len(store.keys())


class _Shape(NamedTuple):
    """What a method may promise."""

    text: str
    fits: Callable[[Node], bool]


_NUMBERS = (int, float, Decimal)
_ANYTHING = _Shape("anything", lambda node: True)
_NUMBER = _Shape("a number or None", lambda node: node.kind is Kind.NONE or node.bare in _NUMBERS)
_KEPT_KEYS = _Shape("a collection of keys", lambda node: node.kind in (Kind.ITEMS, Kind.STREAM))
_EACH = _Shape(
    "a mapping, or the values in the order of the keys",
    lambda node: (
        node.kind is Kind.MAPPING or (node.kind is Kind.ITEMS and not issubclass(node.origin, Set))
    ),
)


class _Method(NamedTuple):
    """A method of key–value stores: its names, what it does, and the roles that it needs, in one
    way or another.
    """

    names: tuple[str, ...]
    operation: Operation
    meaning: str
    run: Run
    needs: tuple[tuple[Role, ...], ...] = ((Role.KEY,),)
    shape: _Shape = _ANYTHING


_COUNTING = (Operation.VALUE_COUNT_UP, Operation.VALUE_COUNT_DOWN)
_METHODS = (
    _Method(("get", "load", "fetch", "read", "__getitem__"), Operation.VALUE_GET, "GET :key", _get),
    _Method(
        ("get_many", "mget", "get_all", "get_multi"),
        Operation.VALUE_GET_MANY,
        "GET each of :keys",
        _get_many,
        ((Role.KEYS,),),
        _EACH,
    ),
    _Method(
        ("set", "put", "store", "save", "__setitem__"),
        Operation.VALUE_SET,
        "SET :key to :value",
        _set,
        ((Role.KEY, Role.VALUE),),
    ),
    _Method(
        tuple(sorted(_ONLY_IF_ABSENT)),
        Operation.VALUE_SET,
        "SET :key to :value where it has none",
        _set,
        ((Role.KEY, Role.VALUE),),
    ),
    _Method(
        ("set_many", "mset", "put_many", "set_multi"),
        Operation.VALUE_SET_MANY,
        "SET each of :mapping",
        _set_many,
        ((Role.VALUE,),),
    ),
    _Method(
        (
            "delete",
            "remove",
            "evict",
            "invalidate",
            "unset",
            "forget",
            "delete_many",
            "__delitem__",
        ),
        Operation.VALUE_DELETE,
        "DELETE :key",
        _delete,
        ((Role.KEY,), (Role.KEYS,)),
    ),
    _Method(("pop",), Operation.VALUE_POP, "GET and DELETE :key", _pop),
    _Method(
        ("has", "exists", "contains", "has_key", "__contains__"),
        Operation.VALUE_EXISTS,
        "EXISTS :key",
        _has,
    ),
    _Method(
        ("incr", "increment", "incrby"),
        Operation.VALUE_COUNT_UP,
        "INCREMENT :key",
        _counted(1),
        shape=_NUMBER,
    ),
    _Method(
        ("decr", "decrement", "decrby"),
        Operation.VALUE_COUNT_DOWN,
        "DECREMENT :key",
        _counted(-1),
        shape=_NUMBER,
    ),
    _Method(
        ("clear", "flush", "flush_all", "delete_all"),
        Operation.VALUE_CLEAR,
        "DELETE every key",
        _clear,
        ((),),
    ),
    _Method(("keys",), Operation.VALUE_KEYS, "every key", _keys, ((),), _KEPT_KEYS),
    _Method(("touch", "expire"), Operation.VALUE_TOUCH, "EXPIRE :key", _touch),
    _Method(("__len__", "size", "count"), Operation.VALUE_SIZE, "how many keys", _len, ((),)),
)
_BY_NAME = {name: method for method in _METHODS for name in method.names}
