"""One call of a method that is about values by key: its arguments by what they are."""

from __future__ import annotations

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
from urnshelf.store.entries import KeyValues
from urnshelf.store.journal import ABSENT
from urnshelf.types.nodes import Kind

NUMBERS = (int, float, Decimal)


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
    def keys(self) -> dict[Any, Any]:
        """The keys of a method that is about many, by what the caller calls them."""
        return {first: self.whole(first) for first in self.get(Role.KEYS, ())}

    def whole(self, first: object) -> Any:
        """The key that begins with this, where the rest is the same for many."""
        rest = tuple(self._values[position] for position in self._given.get(Role.KEY, ()))
        return (first, *rest) if rest else first

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
        """What it replies where it did what it is called for; a caller without a promise may ask
        for the truth of it.
        """
        promised = self.member.promise.node
        return True if promised.bare is bool or not promised.is_known else None

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
        # a `get` that promises anything gives None, as that of a dictionary does
        is_get = promised.kind is Kind.ANY and self.member.name in ("get", "aget")
        is_get = is_get and self.member.signature.return_annotation is not Parameter.empty
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
