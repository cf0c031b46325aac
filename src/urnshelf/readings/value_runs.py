"""What the methods of key–value stores do: the runs of their readings."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from inspect import Parameter
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.doing import NUMBERS, Doing
from urnshelf.readings.operations import NotCertain, Role
from urnshelf.readings.stores import Kept, is_said
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.store.journal import ABSENT
from urnshelf.types.nodes import ANYTHING, ITEM_TYPES, Kind, Node

_EMPTY: Any = Parameter.empty
_IDEMPOTENT = frozenset({"delete", "evict", "invalidate", "unset", "forget", "discard", "clear"})
"""Verbs after which the usual stores say nothing where there was nothing."""


def fitting(reply: object, member: Member) -> Any:
    """The reply, if it is what the method promises: whoever set a value was bound by no type."""
    wrong = None if member.promise.stream else misfit(reply, member.promise.node)
    if wrong is not None:
        raise NotCertain(f"what the store holds is not what {member.name!r} promises: {wrong}")
    return reply


def get(doing: Doing) -> Any:
    """The value of a key."""
    found = doing.found()
    return doing.missed(doing.key) if found is ABSENT else found


def get_many(doing: Doing) -> Any:
    """The values of some keys: by key, or in the order of the keys."""
    promised = doing.member.promise.node
    by_key = promised.kind is not Kind.ITEMS
    lacking = _lacking(doing, by_key)
    found = {name: doing.find(key) for name, key in doing.keys.items()}
    missing = [name for name, value in found.items() if value is ABSENT]
    if by_key and missing and lacking is ABSENT and _may_be_none(promised):
        raise NotCertain(
            f"there is no value for {show(missing[0])}, and whether it is left out then, or given "
            "as None, is not certain"
        )
    if by_key:
        filled = {name: lacking if value is ABSENT else value for name, value in found.items()}
        return {name: value for name, value in filled.items() if value is not ABSENT}
    # as many values as keys: None, or the default, stands where there is none
    filler = None if lacking is ABSENT else lacking
    each = [filler if found[name] is ABSENT else found[name] for name in doing.get(Role.KEYS)]
    return ITEM_TYPES.get(promised.origin, list)(each)


def _lacking(doing: Doing, by_key: bool) -> Any:
    """What stands where there is no value; `ABSENT` where nothing tells."""
    if Role.DEFAULT in doing:
        return doing.get(Role.DEFAULT)
    # a mapping need not hold every key
    return ABSENT if by_key else keep(doing.manners.default)


def _may_be_none(promised: Node) -> bool:
    values = promised.args[1] if len(promised.args) == 2 else ANYTHING
    return values.optional or not values.is_known


def put(doing: Doing) -> Any:
    """Set a value."""
    doing.put(doing.key, doing.get(Role.VALUE))
    return doing.yes()


def put_if_absent(doing: Doing) -> Any:
    """Set a value where there is none; where there is one, nothing."""
    if doing.found() is not ABSENT:
        return None if doing.member.promise.is_nothing else doing.no("there is a value already")
    return put(doing)


def add(doing: Doing) -> Any:
    """Set a value where there is none; where there is one, whatever was told."""
    if doing.found() is not ABSENT:
        what = f"there is a value for {show(doing.key)} already"
        if doing.manners.duplicate is not None:
            raise doing.manners.duplicate(doing.key, what)
        return doing.no(what)
    return put(doing)


def update(doing: Doing) -> Any:
    """Set a value where there is one."""
    if doing.found() is ABSENT:
        return doing.no(f"there is no value for {show(doing.key)}")
    return put(doing)


def set_default(doing: Doing) -> Any:
    """The value, set where there is none."""
    if doing.found() is ABSENT:
        doing.put(doing.key, doing.get(Role.VALUE, doing.get(Role.DEFAULT)))
    return doing.found()


def put_many(doing: Doing) -> Any:
    """Set the values of some keys."""
    given = doing.get(Role.VALUES)
    if Role.KEYS in doing:
        named, values = list(doing.get(Role.KEYS)), list(given)
        if len(named) != len(values):
            raise NotCertain(f"there are {len(named)} keys and {len(values)} values")
        pairs = [(doing.keys[name], value) for name, value in zip(named, values, strict=True)]
    else:
        named_pairs = given.items() if hasattr(given, "items") else given
        pairs = [(doing.whole(name), value) for name, value in named_pairs]
    for key, value in pairs:
        doing.put(key, value)
    return doing.yes()


def drop(doing: Doing) -> Any:
    """Forget a value, or some."""
    if Role.KEYS in doing:
        gone = sum([doing.store.drop(key) for key in doing.keys.values()])
        return {int: gone, bool: bool(gone)}.get(doing.member.promise.node.bare, doing.yes())
    found = doing.found()
    if found is not ABSENT:
        doing.store.drop(doing.key)
        if doing.promises(int):
            return 1
        return doing.yes() if is_said(doing.member.promise.node) else found
    return _nothing_to_drop(doing)


def _nothing_to_drop(doing: Doing) -> Any:
    promised, verb = doing.member.promise.node, doing.member.name.strip("_").removeprefix("a")
    if doing.member.name == "__delitem__":
        raise KeyError(doing.key)
    if doing.promises(int):
        return 0
    if doing.manners.missing is not None and promised.bare is not bool:
        return doing.missed(doing.key)
    if doing.kept.is_plain and verb in _IDEMPOTENT and promised.kind is Kind.NONE:
        return None
    if promised.optional and promised.bare is not bool:
        return None
    return doing.no(f"there is no value for {show(doing.key)}")


def pop(doing: Doing) -> Any:
    """The value of a key, which is forgotten."""
    # what cannot be given must not be lost
    found = fitting(get(doing), doing.member)
    doing.store.drop(doing.key)
    return found


def exists(doing: Doing) -> Any:
    """Whether there is a value; of some keys, how many have one."""
    if Role.KEYS in doing:
        return sum(doing.find(key) is not ABSENT for key in doing.keys.values())
    there = doing.found() is not ABSENT
    return int(there) if doing.promises(int) else there


def counted(sign: int) -> Callable[[Doing], Any]:
    """Count a value up, or down."""

    def run(doing: Doing) -> Any:
        key, found = doing.key, doing.found()
        number = _number(found, key) + sign * doing.get(Role.AMOUNT, 1)
        doing.store.put(key, _as_kept(number, found, doing.kept), _until(doing, found))
        if doing.member.promise.is_nothing:
            return None
        return str(number) if doing.promises(str) else number

    return run


def _until(doing: Doing, found: object) -> datetime | None:
    """When a counted value ends: when it would have, or as the call says."""
    before = None if found is ABSENT else doing.store.until(doing.key)
    told = doing.until()
    if told is None:
        return before
    if found is not ABSENT and before != told and doing.parameter(Role.EXPIRES).default is _EMPTY:
        # whoever may leave it out asks for a new end by giving it; whoever must give it may not
        raise NotCertain(
            f"{show(doing.key)} ends at {before or 'no time'}, and whether to count it on makes "
            "it end later is not certain"
        )
    return told


def _number(found: Any, key: object) -> Any:
    """The number that is counted on from: nothing is 0, a text is what it says."""
    if found is ABSENT:
        return 0
    if isinstance(found, (str, bytes)):
        try:
            return int(found)
        except ValueError:
            pass
    if isinstance(found, bool) or not isinstance(found, NUMBERS):
        raise NotCertain(f"the value of {show(key)} is {show(found)}, which is no number")
    return found


def _as_kept(number: Any, found: object, kept: Kept) -> Any:
    """The number as the store keeps it: as a text, where the getter promises texts."""
    form = kept.value.bare if found is ABSENT else type(found)
    if form is str:
        return str(number)
    return str(number).encode() if form is bytes else number


def clear(doing: Doing) -> Any:
    """Forget every value."""
    gone = sum(map(doing.store.drop, doing.store.keys()))
    return gone if doing.promises(int) else doing.yes()


def keys(doing: Doing) -> Any:
    """The keys, those with a prefix where one is given."""
    prefix = doing.get(Role.PREFIX)
    found = doing.store.keys()
    if prefix is not None:
        if not all(isinstance(key, str) for key in found):
            raise NotCertain("only texts have a prefix, and some keys are none")
        found = [key for key in found if key.startswith(prefix)]
    promised = doing.member.promise.node
    if promised.kind in (Kind.STREAM, Kind.ASYNC_STREAM):
        return iter(found)
    return ITEM_TYPES.get(promised.origin, list)(found)


def all_values(doing: Doing) -> Any:
    """Every value by its key."""
    return {key: doing.store.find(key) for key in list(doing.store.keys())}


def touch(doing: Doing) -> Any:
    """Let a value end at another time."""
    found = doing.found()
    if found is not ABSENT:
        doing.put(doing.key, found)
    there = found is not ABSENT
    return None if doing.member.promise.is_nothing else there


def size(doing: Doing) -> Any:
    """How many values there are."""
    return len(doing.store.keys())
