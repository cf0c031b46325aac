"""Rules made of what the user gives: a value, or a function of other fields."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import PlanRule, Rule, data_of, planned, table

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class _Constant(Rule):
    size = 1

    def __init__(self, value: object) -> None:
        self._value = value

    def raw(self, bits: Any) -> Any:
        return bits.index

    def finish(self, raw: object) -> Any:  # noqa: ARG002
        return self._value

    def at(self, number: int) -> Any:  # noqa: ARG002
        return self._value

    def to_plan(self) -> dict[str, Any]:
        return table("constant", data_of(self._value))


@planned("constant")
def _constant_of(entry: PlanRule) -> Rule:
    return constant(entry.typed(entry.value))


def constant(value: object) -> Rule:
    """Always this value.

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


def as_rule(value: object) -> Rule:
    """What the user gives for a field: a rule, a function of other fields, or a value."""
    if isinstance(value, Rule):
        return value
    if callable(value) and not isinstance(value, type):
        return derived(value)
    return constant(value)
