"""Rules made of what the user gives: a value, or a function of other fields; and what the type
itself declares.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.copies import keep
from urnshelf.records.description import NOT_THERE, Field
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.types.nodes import Kind
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import ABSENT, Place, PlanRule, Rule, data_of, planned, table


class _Constant(Rule):
    size = 1

    def __init__(self, value: object) -> None:
        self._value = value

    def raw(self, bits: Any) -> Any:
        return bits.index

    def finish(self, raw: object) -> Any:  # noqa: ARG002
        # no two records may share what can be changed
        return keep(self._value)

    def at(self, number: int) -> Any:
        return self.finish(number)

    def to_plan(self) -> dict[str, Any]:
        return table("constant", data_of(self._value))


@planned("constant")
def _constant_of(entry: PlanRule) -> Rule:
    return constant(entry.typed(entry.value))


def constant(value: object) -> Rule:
    """Always this value, whatever it is; what can be changed is copied for each record.

    >>> from urnshelf.urn.mixing import Bits
    >>> constant("SE").one(Bits(1, 5))
    'SE'
    """
    return _Constant(value)


class _Derived(Rule):
    vectorised = False

    def __init__(self, function: Callable[..., Any], needs: tuple[str, ...]) -> None:
        self._function = function
        self.needs = needs

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        return self._function(*inputs)


def derived(function: Callable[..., Any], *fields: str) -> Rule:
    """Computed from other fields of the record.

    Args:
        function: takes the fields' values, in order.
        fields: their names; those of the function's parameters, where none is given.

    >>> derived(lambda days, rate: days * rate).needs
    ('days', 'rate')
    """
    if not callable(function):
        raise RecordRefused(f"derived() takes a function of other fields, not {show(function)}")
    if not fields:
        import inspect

        fields = tuple(inspect.signature(function).parameters)
    return _Derived(function, fields)


class _Declared(Rule):
    """A field left as its type declares it."""

    vectorised = False

    def __init__(self, field: Field | None = None) -> None:
        self._field = field

    def placed(self, place: Place) -> Rule:
        if not place.field.has_default and not place.field.is_optional:
            raise RecordRefused(
                f"{place.where}: rules.declared() keeps what the type declares, and it declares no "
                "default; give a value or another rule"
            )
        return _Declared(place.field)

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        field = self._field
        if field is None or field.is_optional:
            return ABSENT
        if field.factory is not None:
            return field.factory()
        # one that only the constructor can make is left to it
        return ABSENT if field.default is NOT_THERE else keep(field.default)

    def to_plan(self) -> dict[str, Any]:
        return table("declared", True)


@planned("declared")
def _declared_of(entry: PlanRule) -> Rule:
    if entry.value is not True:
        raise RecordRefused(f"{entry.where}: write it as {{ declared = true }}")
    return declared()


def declared() -> Rule:
    """The default that the type itself declares, made anew for each record where it is made.

    >>> [vessel.flag for vessel in Urn(seed=7).draw(Vessel, 3, flag=rules.declared())]
    ['SE', 'SE', 'SE']
    """
    return _Declared()


def as_rule(value: object) -> Rule:
    """What the user gives for a field: a rule, a function of other fields, or a value."""
    if isinstance(value, Rule):
        return value
    if callable(value) and not isinstance(value, type):
        return derived(value)
    return constant(value)


def given_rule(value: object, place: Place) -> Rule:
    """The rule of what the user gives for a field; a value must be one of the field's type.

    Raises:
        RecordRefused: it is not.
    """
    # to a field of functions a function is its value
    is_meant = place.field.node.kind is Kind.CALLABLE and not isinstance(value, Rule)
    rule = constant(value) if is_meant else as_rule(value)
    is_value = type(rule) is _Constant and value is not rule
    # a key that is None is assigned when the record is stored
    if is_value and not place.field.is_converted and not (value is None and place.is_key):
        wrong = misfit(value, place.field.node)
        if wrong is not None:
            name = place.where.rpartition(".")[2]
            raise RecordRefused(
                f"{place.where}: {wrong}; for a wrong value on purpose: "
                f"{name}=rules.constant({show(value, 40)})"
            )
    return rule.placed(place)
