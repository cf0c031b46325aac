"""The rule of a field that is drawn as one of another name is."""

from __future__ import annotations

from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Place, PlanRule, Rule, planned, table


class Called(Rule):
    """What the name of a field means, for a field of another name.

    Args:
        name: the other one.
        length: the least and the greatest length of a text.
    """

    vectorised = False

    def __init__(self, name: str, length: tuple[int, int] | None, form: Any = str) -> None:
        self._name, self._length = name, length
        self._rule = _named(name, form, length)

    def placed(self, place: Place) -> Rule:
        """The same, for the field's type."""
        node = place.field.node
        return Called(self._name, self._length, node.bare if node.is_known else str)

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        return self._rule.one(bits)

    def many(self, lanes: Any, *inputs: Any) -> list[Any]:  # noqa: ARG002
        """The values of all lanes."""
        return self._rule.many(lanes)

    def narrowed(self, limits: Limits) -> Rule | None:
        """The same within limits."""
        return self._rule.narrowed(limits)

    def to_plan(self) -> dict[str, Any]:
        """The name, and the lengths."""
        return table("called", self._name, length=self._length and list(self._length))


def _named(name: str, form: Any, length: tuple[int, int] | None) -> Rule:
    # by their names rules are found a floor above the rules themselves
    from urnshelf.urn.by_name import rule_for

    rule = rule_for(name, form, {})
    if rule is None or rule.needs:
        raise RecordRefused(
            f"called({name!r}): no field of type {form.__name__} means something by this name; "
            "docs/what-names-mean.md has the names that do"
        )
    if length is None:
        return rule
    found = rule.narrowed(Limits(min_length=length[0], max_length=length[1]))
    if found is None:
        raise RecordRefused(
            f"called({name!r}, length={length}): there are none of such a length; give another"
        )
    return found


@planned("called", "length")
def _called_of(entry: PlanRule) -> Rule:
    length = entry.options.get("length")
    return called(entry.value, tuple(length) if isinstance(length, list) else length)


def called(name: str, length: tuple[int, int] | None = None) -> Rule:
    """A value as a field of this name has it: for fields whose own name means nothing, or something
    else.

    Args:
        name: `email`, `phone`, `full_name`, `city`, `description`, and all that names mean.
        length: the least and the greatest length, for texts.

    Raises:
        RecordRefused: nothing is known by this name.

    >>> captains = rules.called("full_name")
    >>> [vessel.name for vessel in Urn(seed=7).draw(Vessel, 2, name=captains)]
    ['Ranvelira Highstrand', 'Linovor Featherwether']
    """
    if not isinstance(name, str):
        raise RecordRefused(f"called({show(name, 40)}): it takes the name of a field")
    is_range = length is None or (
        isinstance(length, tuple)
        and len(length) == 2
        and all(type(one) is int and one >= 0 for one in length)
        and length[0] <= length[1]
    )
    if not is_range:
        raise RecordRefused(
            f"called({name!r}, length={show(length, 40)}): the least and the greatest length are "
            "needed, (20, 80)"
        )
    return Called(name, length)
