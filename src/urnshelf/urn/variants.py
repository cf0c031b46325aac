"""Variants of a record type: rules that go together, with a name of their own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Generic, TypeVar, overload

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show

T = TypeVar("T")


class Variant(Generic[T]):
    """A record type with rules for some of its fields; made by `variant(…)`.

    Args:
        form: the record type.
        fields: for each field a value, a rule, or a function of other fields.
    """

    def __init__(self, form: type[T], fields: Mapping[str, Any]) -> None:
        self.form = form
        self.fields = dict(fields)

    def __repr__(self) -> str:
        told = ", ".join(f"{name}={show(value, 40)}" for name, value in self.fields.items())
        return f"variant({self.form.__name__}{', ' if told else ''}{told})"


@overload
def variant(of: type[T], /, **fields: object) -> Variant[T]: ...
@overload
def variant(of: Variant[T], /, **fields: object) -> Variant[T]: ...
def variant(of: Any, /, **fields: object) -> Variant[Any]:
    """Rules that go together, as a value: it is drawn and stocked like the type itself, also with
    more fields, which go before. Defined once, in a module that tests import, it says what a
    departed mooring is.

    Args:
        of: a record type, or another variant that this one builds on.
        fields: for each field a value, a rule, or a function of other fields; `home__city=` inside.

    Raises:
        RecordRefused: no record type, an unknown field, or a value of another type than the
            field's.

    >>> from urnshelf.demo.harbour import Mooring, MooringState
    >>> departed = variant(Mooring, state=MooringState.DEPARTED, days=3)
    >>> briefly = variant(departed, days=1)
    >>> [mooring.days for mooring in Urn(seed=7).draw(briefly, 2)]
    [1, 1]
    """
    form, earlier = (of.form, of.fields) if isinstance(of, Variant) else (of, {})
    if not isinstance(form, type):
        raise RecordRefused(f"variant({show(of, 60)}): it takes a record type, or a variant")
    from urnshelf.urn.field_rules import FieldRules  # a shelf that draws nothing does not load it
    from urnshelf.urn.layouts import record_type

    told = merged(form, earlier, fields)
    FieldRules(lambda _, __: tuple).given(record_type(form), told)
    return Variant(form, told)


def merged(form: Any, earlier: Mapping[str, Any], fields: Mapping[str, Any]) -> dict[str, Any]:
    """Fields that were told, and others that go before them."""
    from urnshelf.urn.field_rules import nearest_last
    from urnshelf.urn.layouts import record_type

    return nearest_last(record_type(form), earlier, fields) if earlier else dict(fields)


def untold(what: Any, fields: Mapping[str, Any]) -> tuple[Any, dict[str, Any]]:
    """The type of what is to be drawn, and all fields that are given for it."""
    if isinstance(what, Variant):
        return what.form, merged(what.form, what.fields, fields)
    return what, dict(fields)
