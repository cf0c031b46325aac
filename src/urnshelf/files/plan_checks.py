"""What any part of a plan file must keep."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show


def refuse_unknown(table: Mapping[str, Any], known: frozenset[str], where: str) -> None:
    """Refuse a word that a plan does not know."""
    unknown = sorted(table.keys() - known)
    if unknown:
        raise RecordRefused(
            f"{where}: {unknown[0]!r} is not known; {nearest(unknown[0], sorted(known))}"
        )


def whole_number(table: Mapping[str, Any], key: str, default: int, where: str) -> int:
    """A whole number that a plan tells; raises RecordRefused for anything else."""
    value = table.get(key, default)
    if isinstance(value, bool) or not isinstance(value, int) or (value < 0 and key != "seed"):
        raise RecordRefused(f"{where}: {key} = {value!r}, but a whole number from 0 is needed")
    return value


def rules_told(table: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    """The rules of a table; raises RecordRefused for what is no table of rules."""
    told = table.get("rules", {})
    if not isinstance(told, Mapping):
        raise RecordRefused(
            f"{where}: rules = {show(told, 40)}, but a table is needed, [tables.{name}.rules]"
        )
    return told
