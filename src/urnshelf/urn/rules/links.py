"""Links: references to records of another type."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from urnshelf.records.description import snake_case
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import PlanRule, Rule, planned, table


class Link(Rule):
    """A reference to a record of another type: its parents are handed in by the urn."""

    vectorised = False

    def __init__(
        self,
        record_type: Any,
        field: str | None,
        count: int,
        parents: Callable[[], Sequence[Any]] = lambda: (),
    ) -> None:
        self.record_type, self.field, self.count = record_type, field, count
        self._parents = parents

    def handed(self, parents: Callable[[], Sequence[Any]]) -> Link:
        """The same link, its parents known."""
        return Link(self.record_type, self.field, self.count, parents)

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One of the parents."""
        parents = self._parents()
        return parents[bits.below(len(parents))]

    def to_plan(self) -> dict[str, Any]:
        """The other table is called after its records: `{ link = "vessels", field = "id" }`."""
        return table("link", f"{snake_case(self.record_type.__name__)}s", field=self.field)


@planned("link", "field")
def _link_of(entry: PlanRule) -> Rule:
    return entry.link_to(entry.value, entry.options.get("field"))


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
    return Link(record_type, field, count)
