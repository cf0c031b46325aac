"""Links: references to records of another type."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from copy import copy
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import snake_case
from urnshelf.types.forms import type_name
from urnshelf.urn.dealing import Indexed
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.permutation import permuted
from urnshelf.urn.rules.base import Place, PlanRule, Rule, planned, table

Parents = Callable[[], Sequence[Any]]


class OfItsOwn(list[Any]):
    """Records of the type that links to them: one names only those drawn before it, so that none
    names itself, and there is no circle.
    """


class Link(Rule):
    """A reference to a record of another type: what it chooses from is handed in by the urn."""

    vectorised = False

    def __init__(
        self,
        record_type: Any,
        field: str | None,
        count: int,
        parents: Parents | None = None,
        once_per: str | None = None,
    ) -> None:
        self.record_type, self.field, self.count = record_type, field, count
        self.once_per = once_per
        self.needs = () if once_per is None else (once_per,)
        self.where, self.is_optional = "", False
        self._parents: Parents = parents or tuple
        self._reach: Callable[[str], Parents] | None = None

    def placed(self, place: Place) -> Rule:
        """The same link, its parents known."""
        parents = place.parents(self, place)
        found = Link(self.record_type, self.field, self.count, parents, self.once_per)

        def reach(field: str) -> Parents:
            return place.parents(Link(self.record_type, field, self.count), place)

        found._reach = reach
        found.where, found.is_optional = place.where, place.field.node.optional
        return found

    def reaching(self, field: str) -> Rule | None:
        """Another field of the same parent."""
        if self._reach is None:
            return None
        found = copy(self)
        found.field, found._parents = field, self._reach(field)
        return found

    def once(self, field: str) -> Link:
        """The same, no parent twice for one value of another field."""
        found = copy(self)
        found.once_per, found.needs = field, (field,)
        return found

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One of the parents."""
        parents = self._parents()
        if isinstance(parents, OfItsOwn):
            parents = parents[: bits.index]
        if parents and self.once_per is not None:
            # those that are dealt to one parent stand one after the other, so that these are others
            key = key_of(0, repr(inputs[0]))
            return parents[permuted(key, bits.index % len(parents), len(parents))]
        if parents:
            return parents[bits.below(len(parents))]
        if self.is_optional:
            return None
        name = type_name(self.record_type)
        raise RecordRefused(
            f"{self.where}: a link to a {name}, and there is none yet: stock one of your own, or "
            f"give the field a value"
        )

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The parents of all lanes."""
        parents = self._parents()
        if not parents or self.once_per is not None or isinstance(parents, OfItsOwn):
            return super().many(lanes, *inputs)
        numbers: list[int] = lanes.below(len(parents)).tolist()
        if isinstance(parents, Indexed):
            return list(parents.at(numbers))
        return [parents[number] for number in numbers]

    def to_plan(self) -> dict[str, Any]:
        """The other table is called after its records: `{ link = "vessels", field = "id" }`."""
        name = f"{snake_case(self.record_type.__name__)}s"
        return table("link", name, field=self.field, once_per=self.once_per)


@planned("link", "field", "once_per")
def _link_of(entry: PlanRule) -> Rule:
    rule = entry.link_to(entry.value, entry.options.get("field"), None)
    other = entry.options.get("once_per")
    return rule.once(other) if isinstance(rule, Link) and other is not None else rule


def link(
    record_type: Any, field: str | None = None, count: int = 100, *, once_per: str | None = None
) -> Rule:
    """A reference to a record of another type: one of the shelf's, or one of those that the urn
    would draw first.

    Args:
        record_type: the other type.
        field: the field of it that is taken; its key where none is given.
        count: with no records of it on a shelf, among how many drawn ones to choose.
        once_per: another field, whose records stand one after the other, such as that to which
            these are dealt: for one value of it no record is linked twice, while there are others.

    >>> _ = shelf.stock(Vessel, 5)
    >>> moorings = shelf.stock(Mooring, 20, vessel_id=rules.link(Vessel))
    >>> {mooring.vessel_id for mooring in moorings} <= {1, 2, 3, 4, 5}
    True
    """
    if not isinstance(count, int) or count < 1:
        raise RecordRefused(f"link(…, count={count!r}): a whole number from 1 is needed")
    return Link(record_type, field, count, once_per=once_per)
