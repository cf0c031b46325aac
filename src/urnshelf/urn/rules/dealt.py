"""The rule of children: each is dealt to a parent; and of what is missing together."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import snake_case
from urnshelf.records.display import show
from urnshelf.urn.dealing import Counts, Dealing, Indexed, hand_of
from urnshelf.urn.mixing import Bits, mix
from urnshelf.urn.rules.base import Place, PlanRule, Rule, planned, table
from urnshelf.urn.rules.given import as_rule


class Dealt(Rule):
    """The parent of each child.

    Args:
        record_type: of the parents.
        field: of a parent that is taken; its key where none is named.
        counts: how many children a parent has.
        reach: gives the parents, or a field of each, by their indexes.
    """

    vectorised = False
    in_series = True

    def __init__(
        self,
        record_type: Any,
        counts: Any,
        field: str | None = None,
        reach: Callable[[str | None], Callable[[], Sequence[Any]]] | None = None,
    ) -> None:
        self.record_type, self.field, self.counts = record_type, field, counts
        self.hand = hand_of(counts, f"dealt({getattr(record_type, '__name__', record_type)})")
        self._reach = reach
        self._parents = None if reach is None else reach(field)
        self._dealings: dict[int, Dealing] = {}

    def placed(self, place: Place) -> Rule:
        """The same, its parents known."""
        if self._parents is not None:
            return self

        def reach(field: str | None) -> Callable[[], Sequence[Any]]:
            return place.parents(Dealt(self.record_type, self.counts, field), place)

        return Dealt(self.record_type, self.counts, self.field, reach)

    def reaching(self, field: str) -> Rule | None:
        """Another field of the same parent."""
        if self._reach is None:
            return None
        found = Dealt(self.record_type, self.counts, field, self._reach)
        found._dealings = self._dealings
        return found

    def dealing(self, key: int) -> Dealing:
        """How it is dealt, for the key of its field's column."""
        if key not in self._dealings:
            self._dealings[key] = Dealing(self.hand, mix(key))
        return self._dealings[key]

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """The parent of the child with this index."""
        parent, _ = self.dealing(bits.key).of_child(bits.index)
        return self._all_parents()[parent]

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:  # noqa: ARG002
        """The parents of all children."""
        indexes = lanes.index.tolist()
        numbers = self.dealing(lanes.key).of_children(indexes)
        parents = self._all_parents()
        if isinstance(parents, Indexed):
            return list(parents.at(numbers))
        return [parents[number] for number in numbers]

    def _all_parents(self) -> Sequence[Any]:
        if self._parents is None:
            raise RecordRefused("dealt() stands for a field of a record that is drawn")
        return self._parents()

    def to_plan(self) -> dict[str, Any]:
        """The other table is called after its records."""
        counts: Any = self.counts
        told: Any = list(counts) if isinstance(counts, (tuple, list)) else counts
        if isinstance(counts, Mapping):
            told = {str(key): one for key, one in counts.items()}
        name = f"{snake_case(self.record_type.__name__)}s"
        return table("dealt", name, children=told, field=self.field)


@planned("dealt", "children", "field")
def _dealt_of(entry: PlanRule) -> Rule:
    if "children" not in entry.options:
        raise RecordRefused(
            f"{entry.where}: dealt needs the numbers of children: children = [0, 5], or "
            "{ 0 = 2, 1 = 5 }"
        )
    counts = entry.options["children"]
    return entry.link_to(entry.value, entry.options.get("field"), counts)


def dealt(record_type: Any, children: Counts, field: str | None = None) -> Rule:
    """Each record is the child of a record of another type: their children in turn, each parent
    with as many as its hand says; in any slice the same.

    Args:
        record_type: the parents' type.
        children: how many one has: a number, the least and the most, or each number with how often
            it comes.
        field: the field of the parent that is taken; its key where none is given.

    Raises:
        RecordRefused: no numbers of children.

    >>> moorings = Urn(seed=7).draw(Mooring, 6, vessel_id=rules.dealt(Vessel, 2))
    >>> [mooring.vessel_id for mooring in moorings]
    [1, 1, 2, 2, 3, 3]
    """
    return Dealt(record_type, children, field)


class NoneWith(Rule):
    """None where another field is.

    Args:
        field: the other one.
        inner: draws it where that one is there.
    """

    tells_none = True
    vectorised = False

    def __init__(self, field: str, inner: Rule) -> None:
        self.needs = (field, *inner.needs)
        self.inner = inner
        self.gives_none = True

    def placed(self, place: Place) -> Rule:
        """The same, what is in it placed."""
        return NoneWith(self.needs[0], self.inner.placed(place))

    def beside(self, rules: Mapping[str, Rule]) -> Rule:
        """The same, what is in it bound."""
        return NoneWith(self.needs[0], self.inner.beside(rules))

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One value, or None."""
        return None if inputs[0] is None else self.inner.one(bits, *inputs[1:])

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes."""
        values = self.inner.many(lanes, *inputs[1:])
        return [
            None if one is None else value for one, value in zip(inputs[0], values, strict=True)
        ]

    def to_plan(self) -> dict[str, Any]:
        """The other field, and what it is else."""
        return table("none_with", self.needs[0], rule=self.inner.to_plan())


@planned("none_with", "rule")
def _none_with_of(entry: PlanRule) -> Rule:
    if "rule" not in entry.options:
        raise RecordRefused(f"{entry.where}: none_with needs a rule for all others, rule = {{ … }}")
    return none_with(entry.value, entry.rule_of(entry.options["rule"]))


def none_with(field: str, rule: object) -> Rule:
    """None where another field is None, and otherwise as the rule says: what is missing together.

    Args:
        field: the other one.
        rule: a rule, or a value.

    >>> noted = rules.none_with("defect", "seen by the watch")
    >>> berths = Urn(seed=7).draw(Berth, 9, code=noted)
    >>> all((berth.code is None) is (berth.defect is None) for berth in berths)
    True
    """
    if not isinstance(field, str):
        raise RecordRefused(f"none_with({show(field, 40)}): it takes the name of another field")
    return NoneWith(field, as_rule(rule))
