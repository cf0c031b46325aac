"""Rules that keep the fields and limits of a record type."""

from __future__ import annotations

from typing import Any

from urnshelf.errors import RecordRefused, SampleRefused
from urnshelf.files.plan_values import rule_from
from urnshelf.learning.column_rule import ColumnRule
from urnshelf.learning.sample import SampleTable
from urnshelf.near_names import nearest
from urnshelf.types.forms import type_name
from urnshelf.urn.layouts import record_type
from urnshelf.urn.rules.base import Rule


def type_of(form: Any) -> str:
    """A record type as a plan names it."""
    module, name = getattr(form, "__module__", ""), getattr(form, "__qualname__", "")
    if not name or "<locals>" in name:
        raise SampleRefused(
            f"types: a plan names a record type by its module, and {type_name(form)} is none of a "
            "module; define it outside of functions"
        )
    return f"{module}:{name}"


def closed_fields(form: Any) -> frozenset[str]:
    """The fields of a type that do not take any text: members of an enum, of a choice."""
    return frozenset(
        name for name, field in record_type(form).given.items() if field.node.bare is not str
    )


def fitted_to_type(rules: list[ColumnRule], table: SampleTable, form: Any) -> list[ColumnRule]:
    """The rules of the columns that are fields of a type; others are left out, and told.

    Args:
        rules: of the columns.
        table: of the sample.
        form: the record type.

    Raises:
        SampleRefused: no column is a field of it, or a value is none of a field's.
    """
    record = record_type(form)
    kept = []
    for one in rules:
        if one.name not in record.given:
            table.left_out[one.name] = (
                f"{record.name} has no such field; {nearest(one.name, record.given)}"
            )
            continue
        field = record.given[one.name]
        where = f"{table.origin}, column {one.name!r}"
        rule = _read(one, field.node, where)
        within = rule.narrowed(field.limits) if rule is not None and field.limits.bounds else None
        if within is not None and "quantiles" in one.rule:
            one.rule = within.to_plan()
        kept.append(one)
    if not kept:
        raise SampleRefused(
            f"{table.origin}: none of its columns is a field of {record.name}, which has "
            f"{', '.join(record.given)}"
        )
    return kept


def _read(one: ColumnRule, node: Any, where: str) -> Rule | None:
    if any(word in one.rule for word in ("dealt", "link")):
        return None

    def no_link(*_: object) -> Rule:
        raise RecordRefused("no link")

    try:
        return rule_from(one.rule, node, where, no_link)
    except RecordRefused as refused:
        raise SampleRefused(
            f"{refused}; the field of the record type takes no such value: leave the column out, "
            f"--without {one.name}"
        ) from None
