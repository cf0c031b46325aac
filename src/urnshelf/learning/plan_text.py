"""The plan file of what was learnt: sorted, rounded, commented, for a person to edit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from urnshelf.files.plan_values import toml_key, toml_of
from urnshelf.learning.column_rule import ColumnRule

_WIDE = 110


def plan_text(
    tables: Mapping[str, Sequence[ColumnRule]],
    counts: Mapping[str, int],
    types: Mapping[str, str],
    dealt: Mapping[str, str],
    head: Sequence[str],
) -> str:
    """The text of the plan.

    Args:
        tables: the rules of each, parents first.
        counts: of the records.
        types: the record type of a table, where it has one.
        dealt: the column by which a table's records are dealt: their parents tell the count.
        head: lines that stand above, as comments.
    """
    lines = [*[f"# {line}" for line in head], "format = 1", "seed = 0"]
    for name, rules in tables.items():
        lines += ["", f"[tables.{toml_key(name)}]"]
        if name in types:
            lines.append(f"type = {toml_of(types[name])}")
        if name not in dealt:
            lines.append(f"count = {counts[name]}")
        lines += ["", f"[tables.{toml_key(name)}.rules]"]
        for one in rules:
            lines += _lines_of(one)
    return "\n".join(lines) + "\n"


def _lines_of(one: ColumnRule) -> list[str]:
    key = toml_key(one.name)
    note = f"  # {one.comment}" if one.comment else ""
    rule = one.rule["constant"] if set(one.rule) == {"constant"} else one.rule
    whole = f"{key} = {toml_of(rule)}"
    if len(whole) <= _WIDE or not isinstance(rule, Mapping):
        return [whole + note]
    lines = [f"# {one.name}: {one.comment}"] if one.comment else []
    return lines + list(_dotted(key, rule))


def _dotted(key: str, value: Mapping[str, Any]) -> list[str]:
    """A table as lines, one for each key, or for each key of those that are long."""
    lines: list[str] = []
    for name, one in value.items():
        whole = f"{key}.{toml_key(str(name))} = {toml_of(one)}"
        if len(whole) > _WIDE and isinstance(one, Mapping):
            lines += _dotted(f"{key}.{toml_key(str(name))}", one)
        else:
            lines.append(whole)
    return lines
