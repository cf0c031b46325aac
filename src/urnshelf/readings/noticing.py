"""Whether somebody would notice that a method which promises None did nothing: then None is not
its obvious reply.
"""

from __future__ import annotations

from typing import Any

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.acts import SETTING, Act, told_by
from urnshelf.readings.entities import entity, item_record, record_types_of
from urnshelf.readings.results import is_record_type, is_row_type, result_of
from urnshelf.readings.stores import VALUES
from urnshelf.readings.told_keys import keys_told_by
from urnshelf.readings.units import is_unit_of_work
from urnshelf.readings.verbs import (
    CLEARS,
    HOUSEKEEPING,
    PUSHES,
    REMOVES,
    STORING,
    twin_of,
    words_of,
)
from urnshelf.records.recognising import describe
from urnshelf.store.definition import plain_definition
from urnshelf.types.forms import full_name
from urnshelf.types.nodes import Kind, Node

_KEYS = frozenset({"id", "ids", "pk", "key", "keys", "uuid", "token"})
_KEY_ENDS = ("_id", "_ids", "_key", "_keys", "_uuid")
_LOOKING = frozenset({"__contains__", "__getitem__", "__iter__", "__call__"})
_SHOWING = _LOOKING | {"__len__"}
_UNDOING = frozenset({"rollback", "abort", "revert", "undo"})
_REMOVING = REMOVES | {"drop", "discard", "unset", "forget", "evict", "expire"}
_SCALARS = frozenset(
    f"builtins.{name}" for name in "int str float bool bytes complex object NoneType type".split()
) | {
    "datetime.datetime",
    "datetime.date",
    "datetime.time",
    "datetime.timedelta",
    "datetime.tzinfo",
    "decimal.Decimal",
    "uuid.UUID",
    "fractions.Fraction",
}


@remembered
def noticed(member: Member, interface: Interface) -> str:
    """What would show that the method did nothing; empty where it only tells somebody something.

    Args:
        member: a method that promises None.
        interface: where it stands.
    """
    name = member.name
    if name in ("__setitem__", "__delitem__") and not _SHOWING.isdisjoint(interface.members):
        return "the language has what it sets given back"
    if member.kind != "method" or (name.startswith("__") and not interface.is_mapping_or_set):
        return ""
    if is_housekeeping(member, interface):
        return ""
    if words_of(twin_of(name, interface.members)) == ["flush"] and not member.parameters:
        return "to flush may be to forget everything"
    if interface.is_mapping_or_set:
        return f"{interface.name} is a mapping or a set"
    if is_unit_of_work(interface):
        return f"{interface.name} is a unit of work"
    return _by_itself(member, interface) or _beside_another(member, interface)


def _by_itself(member: Member, interface: Interface) -> str:
    words = words_of(twin_of(member.name, interface.members))
    if words[0] in _UNDOING:
        return f"{member.name!r} undoes something"
    return (
        _stores(member, words, interface)
        or _given_back(member, interface)
        or _mirrored(member, interface)
        or _empties(member, words, interface)
    )


def _beside_another(member: Member, interface: Interface) -> str:
    """It is given a value that another method stores: `move(src, dest, value)` beside
    `save(key, value)`.
    """
    for other in interface.members.values():
        if other is member or other.kind != "method" or not other.promise.is_nothing:
            continue
        shared = [
            name
            for name, node in member.parameter_nodes.items()
            if name in other.parameter_nodes and other.parameter_nodes[name].written == node.written
            if name in VALUES or _is_thing(node)
        ]
        if shared and _by_itself(other, interface):
            return f"{other.name!r} stores what it is given as {shared[0]!r}"
    return ""


def is_housekeeping(member: Member, interface: Interface) -> bool:
    """Whether it is one of the methods that every dependency may have, and that change nothing
    which another could give back: `close()`, `ping()`.
    """
    word = "_".join(words_of(twin_of(member.name, interface.members)))
    is_unclear = word == "flush" and _may_be_emptied(interface)
    return word in HOUSEKEEPING and not member.parameters and not is_unclear


def _may_be_emptied(interface: Interface) -> bool:
    """Whether to flush may be to forget everything, as with a cache or a queue, and not to write
    what waits, as with a log or the session of a database.
    """
    if is_unit_of_work(interface):
        return False
    records = [one for one in record_types_of(interface) if describe(one) is not None]
    if records and all(_has_key(one, interface) for one in records):
        return False
    methods = [one for one in interface.members.values() if not one.name.startswith("_")]
    return any(one.kind == "method" and not one.promise.is_nothing for one in methods)


def _has_key(record_type: Any, interface: Interface) -> bool:
    told = keys_told_by(interface, record_type)
    return bool(plain_definition(record_type).key_fields) or len(told) == 1


def _stores(member: Member, words: list[str], interface: Interface) -> str:
    """It takes records, their values or their keys, and its verb stores, or another gives them."""
    # to push is to tell somebody, where nobody gives back what was pushed
    verb_stores = words[0] in STORING - PUSHES
    promised = {result_of(other.promise.node).record_type for other in interface.members.values()}
    known = [one for one in promised if one is not None and describe(one) is not None]
    for name, node in member.parameter_nodes.items():
        what = _record_given(name, node) if verb_stores else ""
        if what:
            return f"{member.name!r} changes {what}"
        of_key = [one for one in known if entity(plain_definition(one)).is_key(name)]
        if of_key:
            return f"another method gives {of_key[0].__name__} records, and it is given a key"
    return ""


def _record_given(name: str, node: Node) -> str:
    # of a type that only the checker imports nothing is known: it may be a record
    is_unknown = node.kind is Kind.UNKNOWN or node.item.kind is Kind.UNKNOWN
    if is_record_type(node.bare) or item_record(node) is not None or is_unknown:
        return "a record"
    if name in _KEYS or name.endswith(_KEY_ENDS):
        return f"what has the key {name!r}"
    is_values = is_row_type(node) or node.kind is Kind.TYPED_DICT
    return "values of a record" if is_values else ""


def _given_back(member: Member, interface: Interface) -> str:
    """Another method gives a value and shares a parameter, or gives what one of them holds."""
    for other in interface.members.values():
        is_special = other.name.startswith("__") and other.name not in _LOOKING
        if other is member or is_special or other.promise.is_nothing:
            continue
        if other.promise.node.kind is Kind.NEVER:
            continue
        given = _things_in(other.promise.node)
        for name, node in member.parameter_nodes.items():
            theirs = other.parameter_nodes.get(name)
            if theirs is not None and theirs.written == node.written:
                return f"{other.name!r} gives something by the same {name!r}"
            if any(_is_kind_of(mine, one) for mine in _things_in(node) for one in given):
                return f"{other.name!r} could give back what it is given as {name!r}"
    return ""


def _mirrored(member: Member, interface: Interface) -> str:
    """It sets what a getter of the same name gives: `set_level(level)` beside `get_level()`."""
    told = told_by(member.name, interface.members)
    if told is None or told.act not in SETTING:
        return ""
    given = [node.written for node in member.parameter_nodes.values()]
    for other in interface.members.values():
        theirs = told_by(other.name, interface.members) if other.kind == "method" else None
        is_getter = theirs is not None and theirs.act is Act.GET and theirs.noun == told.noun
        if is_getter and other.promise.node.written in given:
            return f"{other.name!r} gives what it sets"
    return ""


def _is_kind_of(given: Any, promised: Any) -> bool:
    if given == promised:
        return True
    # by their bases: some classes refuse to be asked
    bases = getattr(given, "__mro__", ()), getattr(promised, "__mro__", ())
    return promised in bases[0] or given in bases[1]


def _things_in(node: Node) -> list[Any]:
    """The types in a type that are more than numbers, texts and moments: itself, or its items."""
    if node.kind is Kind.TYPED_DICT:
        return [node.bare]
    inner = [thing for part in node.args for thing in _things_in(part)]
    if node.args and node.kind is not Kind.CLASS:
        return inner
    is_known = node.is_known and node.kind is not Kind.VARIABLE
    return [node.origin if is_known else node.written, *inner] if _is_thing(node) else inner


def _empties(member: Member, words: list[str], interface: Interface) -> str:
    """It has no parameter, its verb removes, and another looks something up by a key."""
    is_clearing = words[0] in CLEARS | _REMOVING or words[-1] in ("all", "everything")
    if member.parameters or not is_clearing:
        return ""
    for other in interface.members.values():
        gives = other.kind == "method" and not other.promise.is_nothing
        is_special = other.name.startswith("__")
        if other.name in _SHOWING or (gives and other.parameters and not is_special):
            return f"{other.name!r} looks up what it removes"
        is_other = other is not member and other.kind == "method" and other.promise.is_nothing
        if is_other and other.parameters and _fills(other, interface):
            return f"{other.name!r} stores what it removes"
    return ""


def _fills(member: Member, interface: Interface) -> bool:
    words = words_of(twin_of(member.name, interface.members))
    return bool(_stores(member, words, interface) or _given_back(member, interface))


def _is_thing(node: Node) -> bool:
    """Whether a type is more than a number, a text or a moment."""
    if node.kind in (Kind.UNKNOWN, Kind.VARIABLE):
        return True
    if node.is_enum or node.kind not in (Kind.CLASS, Kind.TYPED_DICT):
        return False
    return not isinstance(node.bare, type) or full_name(node.bare) not in _SCALARS


@remembered
def stored_interface(member: Member, interface: Interface) -> str:
    """What shows that an interface which a method promises is a thing that is kept, such as a user:
    then its fake is not the obvious reply.
    """
    promised = member.promise.node.origin
    for other in interface.members.values():
        if other.kind != "method":
            continue
        theirs = other.promise.node
        in_many = any(part.origin is promised for part in theirs.args)
        if in_many or (theirs.origin is promised and theirs.optional):
            return f"{other.name!r} looks one up"
        words = words_of(twin_of(other.name, interface.members))
        if words[0] in STORING and any(
            node.origin is promised for node in other.parameter_nodes.values()
        ):
            return f"{other.name!r} stores one"
    return ""
