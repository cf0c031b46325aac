"""Readings of key–value stores and caches: values by key, which may expire."""

from __future__ import annotations

import re
from collections.abc import Callable, Set
from inspect import Parameter
from typing import Any, NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings import value_runs as runs
from urnshelf.readings.acts import SETTING, Act, Told, told_by
from urnshelf.readings.declared import NO_MANNERS
from urnshelf.readings.doing import NUMBERS, Doing
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Reading,
    ReadParameter,
    Role,
    Unread,
)
from urnshelf.readings.stores import (
    AMOUNTS,
    EXPIRING,
    KEYS,
    VALUES,
    Kept,
    is_said,
    kept_by,
    place_of,
    value_of_pairs,
)
from urnshelf.readings.subject import Subject
from urnshelf.records.display import show
from urnshelf.types.nodes import Kind, Node

_MANY_KEYS = frozenset({"keys", "names", "ids", "tokens"})
_PAIRS = frozenset({"mapping", "values", "items", "pairs", "key_value_pairs", "data"})
_COLLECTIONS = frozenset({Kind.ITEMS, Kind.TUPLE})

_NUMBERS: tuple[type, ...] = (*NUMBERS, str)

Roles = dict[Role, tuple[int, ...]]
"""Which arguments are what."""


class _Shape(NamedTuple):
    """What a method may promise."""

    text: str
    fits: Callable[[Node, Kept], bool]


def _is_value(node: Node, kept: Kept) -> bool:
    return not node.is_known or not kept.value.is_known or node.bare == kept.value.bare


def _is_said(node: Node, kept: Kept) -> bool:  # noqa: ARG001
    return is_said(node)


_ANYTHING = _Shape("anything", lambda node, kept: True)
_SAID = _Shape("None or bool", _is_said)
_GIVEN_BACK = _Shape("the value", _is_value)
_TAKEN = _Shape(
    "None, bool, int or the value",
    lambda node, kept: _is_said(node, kept) or node.bare is int or _is_value(node, kept),
)
_NUMBER = _Shape(
    "a number, its text or None",
    lambda node, kept: not node.is_known or node.kind is Kind.NONE or node.bare in _NUMBERS,
)
_HOW_MANY = _Shape("int", lambda node, kept: not node.is_known or node.bare is int)
_YES_OR_NO = _Shape("bool or int", lambda node, kept: not node.is_known or node.bare in (bool, int))
_CLEARED = _Shape("None, bool or int", lambda node, kept: _is_said(node, kept) or node.bare is int)
_KEPT_KEYS = _Shape(
    "a collection of keys",
    lambda node, kept: (
        not node.is_known or node.kind in (Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM)
    ),
)
_EACH = _Shape(
    "a mapping, or the values in the order of the keys",
    lambda node, kept: (
        node.kind is Kind.MAPPING or (node.kind is Kind.ITEMS and not issubclass(node.origin, Set))
    ),
)
_BY_KEY = _Shape("a mapping", lambda node, kept: node.kind is Kind.MAPPING)


class _Way(NamedTuple):
    """One way of doing something with values: the roles that it needs, and what it does."""

    operation: Operation
    needs: frozenset[Role]
    meaning: str
    run: Callable[[Doing], Any]
    shape: _Shape = _ANYTHING


def _way(
    operation: Operation, needs: str, meaning: str, run: Callable[[Doing], Any], shape: _Shape
) -> _Way:
    return _Way(operation, frozenset(Role[word] for word in needs.split()), meaning, run, shape)


_MANY_SET = "SET each of {values}"
_WAYS: dict[Act, tuple[_Way, ...]] = {
    Act.GET: (
        _way(Operation.VALUE_GET_MANY, "KEYS", "GET each of {keys}", runs.get_many, _EACH),
        _way(Operation.VALUE_GET, "KEY", "GET {key}", runs.get, _ANYTHING),
    ),
    Act.SET: (
        _way(Operation.VALUE_SET_MANY, "KEYS VALUES", _MANY_SET, runs.put_many, _SAID),
        _way(Operation.VALUE_SET_MANY, "VALUES", _MANY_SET, runs.put_many, _SAID),
        _way(Operation.VALUE_SET, "KEY VALUE", "SET {key} to {value}", runs.put, _SAID),
    ),
    Act.ADD: (
        _way(
            Operation.VALUE_SET,
            "KEY VALUE",
            "SET {key} to {value} where it has none",
            runs.add,
            _SAID,
        ),
    ),
    Act.SET_IF_ABSENT: (
        _way(
            Operation.VALUE_SET,
            "KEY VALUE",
            "SET {key} to {value} where it has none",
            runs.put_if_absent,
            _SAID,
        ),
    ),
    Act.SET_DEFAULT: (
        _way(
            Operation.VALUE_SET_DEFAULT,
            "KEY VALUE",
            "GET {key}, SET to {value} where it has none",
            runs.set_default,
            _GIVEN_BACK,
        ),
        _way(
            Operation.VALUE_SET_DEFAULT,
            "KEY DEFAULT",
            "GET {key}, SET to {default} where it has none",
            runs.set_default,
            _GIVEN_BACK,
        ),
    ),
    Act.UPDATE: (
        _way(
            Operation.VALUE_SET,
            "KEY VALUE",
            "SET {key} to {value} where it has one",
            runs.update,
            _SAID,
        ),
    ),
    Act.DELETE: (
        _way(Operation.VALUE_DELETE, "KEYS", "DELETE each of {keys}", runs.drop, _CLEARED),
        _way(Operation.VALUE_DELETE, "KEY", "DELETE {key}", runs.drop, _TAKEN),
    ),
    Act.POP: (_way(Operation.VALUE_POP, "KEY", "GET and DELETE {key}", runs.pop, _GIVEN_BACK),),
    Act.EXISTS: (
        _way(Operation.VALUE_EXISTS, "KEYS", "how many of {keys} EXIST", runs.exists, _HOW_MANY),
        _way(Operation.VALUE_EXISTS, "KEY", "EXISTS {key}", runs.exists, _YES_OR_NO),
    ),
    Act.COUNT_UP: (
        _way(Operation.VALUE_COUNT_UP, "KEY", "INCREMENT {key}", runs.counted(1), _NUMBER),
    ),
    Act.COUNT_DOWN: (
        _way(Operation.VALUE_COUNT_DOWN, "KEY", "DECREMENT {key}", runs.counted(-1), _NUMBER),
    ),
    Act.KEYS: (_way(Operation.VALUE_KEYS, "", "every key", runs.keys, _KEPT_KEYS),),
    Act.TOUCH: (_way(Operation.VALUE_TOUCH, "KEY EXPIRES", "EXPIRE {key}", runs.touch, _SAID),),
    Act.SIZE: (_way(Operation.VALUE_SIZE, "", "how many keys", runs.size, _HOW_MANY),),
    Act.CLEAR: (
        _way(Operation.VALUE_DELETE, "KEYS", "DELETE each of {keys}", runs.drop, _CLEARED),
        _way(Operation.VALUE_DELETE, "KEY", "DELETE {key}", runs.drop, _TAKEN),
        _way(Operation.VALUE_CLEAR, "", "DELETE every key", runs.clear, _CLEARED),
    ),
}
_ALL_VALUES = _way(Operation.VALUE_GET_ALL, "", "every value by its key", runs.all_values, _BY_KEY)
_OF_ALL = {Act.GET: _ALL_VALUES, Act.DELETE: _WAYS[Act.CLEAR][-1]}


def read_key_value(subject: Subject) -> Reading | Unread | None:
    """What a method does with values that are kept by key; None for one that is not about any."""
    member, interface = subject.member, subject.interface
    # by far the most methods of repositories
    has_key = subject.definition is not None and subject.definition.key_fields
    gives_record = has_key and subject.result.record_type is not None
    gives_record = gives_record and KEYS.isdisjoint(member.parameters)
    is_private = member.name.startswith("_") and not member.name.startswith("__")
    if member.kind == "attribute" or gives_record or is_private:
        return None
    kept = kept_by(interface)
    if not kept:
        return None
    is_store = subject.definition is None or any(one.is_plain for one in kept)
    told = told_by(member.name, interface.members)
    about = None if told is None else place_of(told, kept)
    if told is None or about is None:
        if not is_store or member.name.startswith("_") or subject.is_housekeeping:
            return None
        return Unread(
            f"{member.name!r} is not among the methods of a key–value store that are read"
        )
    found = value_reading(member, told, about)
    # a method that is none of the pair's may be one of the records'
    return None if isinstance(found, Unread) and not is_store else found


def value_reading(member: Member, told: Told, kept: Kept) -> Reading | Unread:
    """What one method does with what is kept."""
    if told.act is Act.UPDATE and kept.value.kind in (Kind.MAPPING, Kind.TYPED_DICT):
        return Unread(f"{member.name!r} may put the new values beside the old, or in their place")
    roles = _roles(member, told, kept)
    if isinstance(roles, str):
        return Unread(f"the parameter {roles!r} is not accounted for")
    way = _way_of(told, kept, roles)
    if way is None:
        lacking = _WAYS[told.act][-1].needs
        return Unread(
            f"{member.name!r} lacks what it is about: "
            f"{' and '.join(sorted(role.value for role in lacking)) or 'nothing but its name'}"
        )
    promised = member.promise.node
    if not way.shape.fits(promised, kept):
        return Unread(f"{member.name!r} is read where it promises {way.shape.text}")
    return reading_of(
        member, kept, way.operation, way.run, roles, _meaning(way, kept, member, roles)
    )


def reading_of(
    member: Member,
    kept: Kept,
    operation: Operation,
    run: Callable[[Doing], Any],
    roles: Roles,
    meaning: str,
) -> Reading:
    """The reading of a method that does this with what is kept."""

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        spaces: Any = access.table  # what a fake of such a store sees is its values
        store = spaces.space(kept.space)
        doing = Doing(store, member, kept, roles, values, access.manners or NO_MANNERS)
        access.did(lambda: _statement(meaning, member, values))
        try:
            reply = run(doing)
        except TypeError as why:
            raise NotCertain(f"its arguments are not of their types: {why}") from None
        return runs.fitting(reply, member)

    parameters = tuple(
        ReadParameter(member.parameters[position], role)
        for role, positions in roles.items()
        for position in positions
    )
    return Reading(None, operation, parameters, lambda: meaning, answer)


def _way_of(told: Told, kept: Kept, roles: Roles) -> _Way | None:
    given = roles.keys() - {Role.EXPIRES, Role.AMOUNT, Role.PREFIX}
    if not given and told.is_all and kept.keys and told.act in _OF_ALL:
        return _OF_ALL[told.act]
    for way in _WAYS[told.act]:
        # what is kept without a key has none to be given
        needs = way.needs if kept.keys else way.needs - {Role.KEY}
        if needs <= roles.keys() and not (Role.VALUES in given and Role.VALUES not in needs):
            return way
    return None


def _roles(member: Member, told: Told, kept: Kept) -> Roles | str:
    """Which parameter is what, or the one that cannot be told."""
    found: dict[Role, list[int]] = {}
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        role = _role(name, parameter, member.parameter_nodes[name], told, kept, found)
        if role is None or (role in found and role is not Role.KEY):
            return name
        found.setdefault(role, []).append(position)
    # of many keys, or pairs, the parameters are the rest of each
    is_many = Role.KEYS in found or Role.VALUES in found
    wanted = len(kept.keys) - (1 if is_many else 0)
    number = len(found.get(Role.KEY, ()))
    if (number or is_many) and number != wanted:
        lacking = [name for name in kept.keys if name not in member.parameters]
        return lacking[0] if lacking else member.parameters[found[Role.KEY][0]]
    if len(kept.keys) > 1 and Role.KEY in found:
        # in the order in which the getter names them
        found[Role.KEY].sort(key=lambda position: kept.keys.index(member.parameters[position]))
    return {role: tuple(positions) for role, positions in found.items()}


def _role(
    name: str,
    parameter: Parameter,
    node: Node,
    told: Told,
    kept: Kept,
    found: dict[Role, list[int]],
) -> Role | None:
    several = parameter.kind is Parameter.VAR_POSITIONAL
    is_many = several or node.kind in _COLLECTIONS
    own = kept.keys[0] if len(kept.keys) == 1 else ""
    if name in kept.keys and not is_many:
        return Role.KEY
    if own and name in KEYS and not is_many and Role.KEY not in found:
        return Role.KEY
    if (
        told.act in SETTING
        and kept.keys
        and value_of_pairs(node) is not None
        and Role.KEY not in found
    ):
        return Role.VALUES
    # many of the first part of a key, the rest of it being the same for all
    first = kept.keys[0] if kept.keys else ""
    is_plural = name == f"{first}s" or (own and name in _MANY_KEYS)
    if first and (is_plural or (several and name in {first, *KEYS})):
        return Role.KEYS
    if told.act in (Act.COUNT_UP, Act.COUNT_DOWN) and name in AMOUNTS:
        return Role.AMOUNT
    if name in EXPIRING:
        return Role.EXPIRES
    if name == "default":
        return Role.DEFAULT
    if name == "prefix" and told.act is Act.KEYS:
        return Role.PREFIX
    if told.act not in SETTING:
        return None
    if Role.KEY not in found and kept.keys:
        return Role.VALUES if name in _PAIRS else None
    return Role.VALUE if name in VALUES or _is_value(node, kept) else None


def _meaning(way: _Way, kept: Kept, member: Member, roles: Roles) -> str:
    """What a method does, its parameters as `:name`."""
    named = {
        role: ", ".join(f":{member.parameters[position]}" for position in positions)
        for role, positions in roles.items()
    }
    key = named.get(Role.KEY, "")
    what = f"{kept.name} of {key}" if kept.name and key else key or kept.name or "the value"
    if Role.PREFIX in named:
        return f"every key that begins with {named[Role.PREFIX]}"
    return way.meaning.format(
        key=what,
        keys=", ".join(filter(None, (named.get(Role.KEYS), key))),
        value=named.get(Role.VALUE, ""),
        values=named.get(Role.VALUES, ""),
        default=named.get(Role.DEFAULT, ""),
    )


def _statement(meaning: str, member: Member, values: tuple[Any, ...]) -> str:
    """The meaning, with the arguments in the place of their names."""
    given = dict(zip(member.parameters, values, strict=True))
    return re.sub(
        r":(\w+)", lambda name: show(given[name[1]], 60) if name[1] in given else name[0], meaning
    )
