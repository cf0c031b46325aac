"""Links: references to records of another type."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import snake_case
from urnshelf.types.forms import type_name
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Place, PlanRule, Rule, planned, table

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Parents = Callable[[], Sequence[Any]]


class Link(Rule):
    """A reference to a record of another type: what it chooses from is handed in by the urn."""

    vectorised = False

    def __init__(
        self, record_type: Any, field: str | None, count: int, parents: Parents | None = None
    ) -> None:
        self.record_type, self.field, self.count = record_type, field, count
        self.where, self.is_optional = "", False
        self._parents: Parents = parents or tuple

    def placed(self, place: Place) -> Rule:
        """The same link, its parents known."""
        found = Link(self.record_type, self.field, self.count, place.parents(self, place))
        found.where, found.is_optional = place.where, place.field.node.optional
        return found

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One of the parents."""
        parents = self._parents()
        if parents:
            return parents[bits.below(len(parents))]
        if self.is_optional:
            return None
        name = type_name(self.record_type)
        raise RecordRefused(
            f"{self.where}: a link to a {name}, and there is none yet: stock one of your own, or "
            f"give the field a value"
        )

    def to_plan(self) -> dict[str, Any]:
        """The other table is called after its records: `{ link = "vessels", field = "id" }`."""
        return table("link", f"{snake_case(self.record_type.__name__)}s", field=self.field)


@planned("link", "field")
def _link_of(entry: PlanRule) -> Rule:
    return entry.link_to(entry.value, entry.options.get("field"), None)


def link(record_type: Any, field: str | None = None, count: int = 100) -> Rule:
    """A reference to a record of another type: one of the shelf's, or one of those that the urn
    would draw first.

    Args:
        record_type: the other type.
        field: the field of it that is taken; its key where none is given.
        count: with no records of it on a shelf, among how many drawn ones to choose.

    >>> _ = shelf.stock(Vessel, 5)
    >>> moorings = shelf.stock(Mooring, 20, vessel_id=rules.link(Vessel))
    >>> {mooring.vessel_id for mooring in moorings} <= {1, 2, 3, 4, 5}
    True
    """
    if not isinstance(count, int) or count < 1:
        raise RecordRefused(f"link(…, count={count!r}): a whole number from 1 is needed")
    return Link(record_type, field, count)
