"""What a rule is: how one field of a record is drawn, and how it is told in a plan file."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused
from urnshelf.records.codec import Unfit, to_json
from urnshelf.records.description import Field
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.types.nodes import Node, node_of
from urnshelf.urn.mixing import Bits

TRIES = 200
"""How often a value that does not fit is drawn again."""
ABSENT: Any = type("Absent", (), {"__repr__": lambda _: "absent"})()
"""Stands for a field that a record does without, or that is left to its constructor."""


class Place(NamedTuple):
    """Where a rule stands, for those that need to know it.

    Attributes:
        where: type and field, for messages.
        field: the field that it draws.
        parents: gives what a link to another type's records chooses from.
        is_key: whether it is the record's key alone.
    """

    where: str
    field: Field
    parents: Callable[[Any, Place], Callable[[], Sequence[Any]]]
    is_key: bool = False


class Rule:
    """How a field is drawn: a pure function of its bits and of the other fields that it names.

    A rule is written as `raw`, whole numbers from bits, which are one number or an array of them,
    and `finish`, which makes the value of one number. A rule that cannot be written so overrides
    `one`.
    """

    needs: tuple[str, ...] = ()
    """The other fields of the record that it is drawn from."""
    size: int | None = None
    """How many different values there are, where they can be counted; `at` gives each."""
    vectorised = True
    """Whether `raw` takes lanes as well as bits."""
    in_series = False
    """Whether the records' values belong together, so that none may be drawn again alone."""
    tells_none = False
    """Whether it says itself when there is none."""
    gives_none = False
    """Whether it draws None for some records, whatever they are else."""

    def placed(self, place: Place) -> Rule:  # noqa: ARG002
        """The same rule, where it stands known."""
        return self

    def beside(self, rules: Mapping[str, Rule]) -> Rule:  # noqa: ARG002
        """The same rule, those of the other fields of its record known."""
        return self

    def reaching(self, field: str) -> Rule | None:  # noqa: ARG002
        """Of a rule that draws a reference: what draws another field of the same record that is
        referred to; None for any other.
        """
        return None

    def narrowed(self, limits: Limits) -> Rule | None:  # noqa: ARG002
        """The same rule within limits; None where it has no way to keep them."""
        return None

    def raw(self, bits: object) -> Any:
        """Whole numbers drawn from bits, or from lanes of bits."""
        raise NotImplementedError

    def finish(self, raw: Any) -> Any:
        """The value that a whole number stands for."""
        return raw

    def at(self, number: int) -> Any:
        """The value with this number, below `size`."""
        raise NotImplementedError

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        """One value."""
        return self.finish(self.raw(bits))

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes, as Python objects."""
        # the quick way: whole columns of whole numbers, then the values
        if self.vectorised and not inputs:
            return self.finish_all(self.raw(lanes))
        indexes = lanes.index.tolist()
        return [
            self.one(Bits(lanes.key, i), *given)
            for i, given in zip(indexes, _rows(inputs, len(indexes)), strict=True)
        ]

    def finish_all(self, raw: Any) -> list[Any]:
        """The values that an array of whole numbers stands for."""
        return list(map(self.finish, raw.tolist()))

    def column(self, lanes: object, *inputs: Sequence[Any]) -> Any:
        """The values of all lanes, as a frame likes them best."""
        return self.many(lanes, *inputs)

    def __repr__(self) -> str:
        """As it is written: `rules.between(2, 4)`; of one that is made of code its name."""
        try:
            (name, value), *options = self.to_plan().items()
        except RecordRefused:
            return f"<rule {type(self).__name__.strip('_').lower()}>"
        given = value if name in ("between", "among") and isinstance(value, list) else [value]
        shown = [repr(one) for one in given]
        shown += [f"{key}={one!r}" for key, one in options]
        return f"rules.{name}({', '.join(shown)})"

    def to_plan(self) -> dict[str, Any]:
        """What a plan file tells of it: the table that its reader in `PLANNED` makes it of again.

        Raises:
            RecordRefused: it cannot be told in a file.
        """
        raise RecordRefused(
            f"the rule {type(self).__name__.strip('_').lower()!r} cannot be written to a plan "
            "file: "
            "it is made of Python code"
        )


class Computed(Rule):
    """A rule whose value comes of other fields alone; where nothing comes of them, and the field
    takes no None, it says so.
    """

    vectorised = False
    never_none_at = ""
    """Type and field, where the field takes no None."""

    def standing(self, place: Place) -> Rule:
        """The same, at its place."""
        node = place.field.node
        if node.is_known and not node.optional:
            self.never_none_at = place.where
        return self

    def one(self, bits: Bits, *inputs: object) -> Any:
        """What comes of the others.

        Raises:
            RecordRefused: nothing, and the field takes no None.
        """
        value = self.computed(bits, *inputs)
        if value is None and self.never_none_at:
            told = ", ".join(
                f"{name}={show(one, 40)}" for name, one in zip(self.needs, inputs, strict=False)
            )
            raise RecordRefused(
                f"{self.never_none_at}: {self!r} comes to nothing with {told}, and the field takes "
                "no None; give what it needs another value, or annotate the field with | None"
            )
        return value

    def computed(self, bits: Bits, *inputs: object) -> Any:
        """What comes of the others; None for nothing."""
        raise NotImplementedError


def _rows(columns: tuple[Sequence[Any], ...], n: int) -> Any:
    return zip(*columns, strict=True) if columns else [()] * n


# --- rules in plan files --------------------------------------------------------------------------


class PlanRule(NamedTuple):
    """A rule as a plan file tells it.

    Attributes:
        value: what stands at the rule's name.
        options: what stands beside it.
        node: the field's type.
        where: file, table and field, for messages.
        typed: makes a plain value one of the field's type.
        rule_of: makes the rule of another table of TOML, for a field that is never None.
        link_to: gives the link to a field of another table of the plan, or what deals its children.
        number_rule: makes the rule of another table of TOML that draws numbers, whatever the
            field is.
    """

    value: Any
    options: dict[str, Any]
    node: Node
    where: str
    typed: Callable[[Any], Any]
    rule_of: Callable[[Any], Rule]
    link_to: Callable[[str, str | None, Any], Rule]
    number_rule: Callable[[Any], Rule]


class Planned(NamedTuple):
    """How a rule is read from a plan file."""

    options: frozenset[str]
    make: Callable[[PlanRule], Rule]


PLANNED: dict[str, Planned] = {}
"""The rules that a plan file can tell, by name; each stands where its rule does."""


def planned(
    name: str, *options: str
) -> Callable[[Callable[[PlanRule], Rule]], Callable[[PlanRule], Rule]]:
    """Decorates what makes a rule of what a plan file tells.

    Args:
        name: of the rule.
        options: what may stand beside it.
    """

    def register(make: Callable[[PlanRule], Rule]) -> Callable[[PlanRule], Rule]:
        PLANNED[name] = Planned(frozenset(options), make)
        return make

    return register


def data_of(value: object) -> Any:
    """A value as a plan file holds it; raises RecordRefused for one that no file can hold."""
    if isinstance(value, date):
        return value  # TOML has days and moments itself
    try:
        return to_json(value, node_of(type(value)))
    except Unfit as why:
        raise RecordRefused(f"it cannot be written to a plan file: {why}") from None


def table(name: str, value: object, **options: object) -> dict[str, Any]:
    """A rule's table; options of None are left out."""
    return {name: value, **{key: one for key, one in options.items() if one is not None}}


# --- rules of our own -----------------------------------------------------------------------------


class Composed(Rule):
    """A value made from several whole numbers, each below its own bound, and perhaps from other
    fields.
    """

    def __init__(
        self, function: Callable[..., Any], *bounds: int, needs: tuple[str, ...] = ()
    ) -> None:
        self._function, self._bounds, self.needs = function, bounds, needs

    def one(self, bits: Bits, *inputs: object) -> Any:
        """What the function makes of the inputs and the numbers."""
        return self._function(*inputs, *[bits.below(bound) for bound in self._bounds])

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The same, for all lanes."""
        numbers = [lanes.below(bound).tolist() for bound in self._bounds]
        return list(map(self._function, *inputs, *numbers))


class _Computed(Rule):
    """A rule given as a function of a source of bits; for the parts of types that are not a plain
    number.
    """

    def __init__(self, function: Callable[[Bits], Any]) -> None:
        self._function = function

    vectorised = False

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        return self._function(bits)


def computed(function: Callable[[Bits], Any]) -> Rule:
    """A rule of our own that is drawn one value at a time."""
    return _Computed(function)
