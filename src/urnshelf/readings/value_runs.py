"""What the methods of key–value stores do: the runs of their readings."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from inspect import Parameter
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.declared import Manners
from urnshelf.readings.operations import NotCertain, Role
from urnshelf.readings.stores import MOMENTS, Kept
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.store.entries import KeyValues
from urnshelf.store.journal import ABSENT
from urnshelf.types.nodes import ITEM_TYPES, Kind

__tracebackhide__ = True  # a failing test shows its own lines, not ours

NUMBERS = (int, float, Decimal)
_EMPTY: Any = Parameter.empty
_IDEMPOTENT = frozenset({"delete", "evict", "invalidate", "unset", "forget", "discard", "clear"})
"""Verbs after which the usual stores say nothing where there was nothing."""


class Doing:
    """One call of a method of a key–value store.

    Args:
        store: the values.
        member: the method.
        kept: what it is about.
        given: which arguments are what.
        values: the arguments.
        manners: what was told of the store.
    """

    __slots__ = ("_given", "_values", "kept", "manners", "member", "store")

    def __init__(
        self,
        store: KeyValues,
        member: Member,
        kept: Kept,
        given: dict[Role, tuple[int, ...]],
        values: tuple[Any, ...],
        manners: Manners,
    ) -> None:
        self.store = store
        self.member = member
        self.kept = kept
        self.manners = manners
        self._given = given
        self._values = values

    def __contains__(self, role: Role) -> bool:
        return role in self._given

    def get(self, role: Role, lacking: object = None) -> Any:
        """The argument of a role; `lacking` where there is none."""
        positions = self._given.get(role)
        return lacking if positions is None else self._values[positions[0]]

    def parameter(self, role: Role) -> Parameter:
        """The parameter of a role."""
        return list(self.member.signature.parameters.values())[self._given[role][0]]

    @property
    def key(self) -> Any:
        """The key: a tuple where several parameters make it."""
        positions = self._given.get(Role.KEY, ())
        several = tuple(self._values[position] for position in positions)
        return several[0] if len(several) == 1 else several

    @property
    def keys(self) -> list[Any]:
        """Those of a method that is about many."""
        return list(self.get(Role.KEYS, ()))

    def found(self) -> Any:
        """The value, or `ABSENT`."""
        return self.find(self.key)

    def find(self, key: object) -> Any:
        """The value of a key, or `ABSENT`."""
        try:
            return self.store.find(key)
        except TypeError:
            raise NotCertain(f"{show(key)} cannot be a key: it can change") from None

    def put(self, key: object, value: object) -> None:
        """Keep a value, as long as the call says."""
        self.find(key)
        self.store.put(key, value, self.until())

    def until(self) -> datetime | None:
        """When the value ends that the call sets."""
        expires = self.get(Role.EXPIRES)
        if expires is None:
            return None
        name = self.parameter(Role.EXPIRES).name
        clock = self.store.clock
        if isinstance(expires, datetime):
            return clock.as_shown(expires)
        if isinstance(expires, timedelta):
            span = expires
        elif isinstance(expires, bool) or not isinstance(expires, NUMBERS):
            raise NotCertain(f"{name}={show(expires)} is no length of time and no moment")
        elif name in MOMENTS:
            return clock.as_shown(datetime.fromtimestamp(float(expires), UTC))
        else:
            span = timedelta(seconds=float(expires))
        if span <= timedelta():
            raise NotCertain(
                f"{name}={show(expires)}: for some stores that is at once, for others never"
            )
        return clock.now + span

    def promises(self, *forms: type) -> bool:
        """Whether the method promises one of these types."""
        return self.member.promise.node.bare in forms

    def yes(self) -> Any:
        """What it replies where it did what it is called for."""
        return True if self.promises(bool) else None

    def no(self, what: str) -> Any:
        """What it replies where it did not; refused where its promise cannot say so."""
        promised = self.member.promise.node
        if promised.bare is bool and not promised.optional:
            return False
        raise NotCertain(
            f"{what}, and with {self.member.promise.name} as its promise it is not certain what "
            f"{self.member.name!r} does then"
        )

    def missed(self, key: object) -> Any:
        """What a miss gives, or raises; refused where nothing tells."""
        if Role.DEFAULT in self:
            return self._default()
        if self.manners.missing is not None:
            raise self.manners.missing(key, self._nothing_for(key))
        if self.manners.default is not ABSENT:
            return keep(self.manners.default)
        promised = self.member.promise.node
        if self.member.name == "__getitem__":
            raise KeyError(key)
        # `get` without more gives None, as that of a dictionary does
        is_get = promised.kind is Kind.ANY and self.member.name in ("get", "aget")
        if promised.optional or promised.kind is Kind.NONE or is_get:
            return None
        raise NotCertain(
            f"{self._nothing_for(key)}, and its promise does not say what then: tell it with "
            "default=… or missing=… of shelf.keyed()"
        )

    def _default(self) -> Any:
        default = self.get(Role.DEFAULT)
        if type(default) is object and default is self.parameter(Role.DEFAULT).default:
            raise NotCertain("what it gives where there is no value and no default is not certain")
        return default

    def _nothing_for(self, key: object) -> str:
        known = ", ".join(show(k, 20) for k in self.store.keys()[:8]) or "none"
        what = f"{self.kept.name} " if self.kept.name else "value "
        there = f"there is no {what}for {show(key)}" if key != () else f"there is no {what}yet"
        return f"{there}; there are values for: {known}"


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
    lacking = doing.get(Role.DEFAULT)
    promised = doing.member.promise.node
    by_key = promised.kind is not Kind.ITEMS
    each: list[tuple[Any, Any]] = []
    for key in doing.keys:
        found = doing.find(key)
        if found is not ABSENT:
            each.append((key, found))
        elif not by_key or Role.DEFAULT in doing:
            # as many values as keys: None, or the default, stands where there is none
            each.append((key, lacking))
    if by_key:
        return dict(each)
    return ITEM_TYPES.get(promised.origin, list)([value for _, value in each])


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
        keys, values = doing.keys, list(given)
        if len(keys) != len(values):
            raise NotCertain(f"there are {len(keys)} keys and {len(values)} values")
        pairs = list(zip(keys, values, strict=True))
    else:
        pairs = list(given.items() if hasattr(given, "items") else given)
    for key, value in pairs:
        doing.put(key, value)
    return doing.yes()


def drop(doing: Doing) -> Any:
    """Forget a value, or some."""
    if Role.KEYS in doing:
        gone = sum([doing.store.drop(key) for key in doing.keys])
        return gone if doing.promises(int) else bool(gone) if doing.promises(bool) else None
    found = doing.found()
    if found is not ABSENT:
        doing.store.drop(doing.key)
        if doing.promises(int):
            return 1
        is_value = doing.member.promise.node.is_known and not doing.promises(bool, type(None))
        return found if is_value and not doing.member.promise.is_nothing else doing.yes()
    return _nothing_to_drop(doing)


def _nothing_to_drop(doing: Doing) -> Any:
    promised, verb = doing.member.promise.node, doing.member.name.strip("_").removeprefix("a")
    if doing.member.name == "__delitem__":
        raise KeyError(doing.key)
    if doing.promises(int):
        return 0
    if doing.manners.missing is not None and promised.bare is not bool:
        return doing.missed(doing.key)
    if doing.kept.is_plain and verb in _IDEMPOTENT and promised.bare is not bool:
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
        return sum(doing.find(key) is not ABSENT for key in doing.keys)
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
    return found is not ABSENT if doing.promises(bool) else None


def size(doing: Doing) -> Any:
    """How many values there are."""
    return len(doing.store.keys())
