"""The variants of a plan file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.files.plan_checks import refuse_unknown
from urnshelf.near_names import nearest
from urnshelf.records.display import show

_VARIANT = frozenset({"type", "variant", "rules"})


def variants_told(told: object, file: str) -> dict[str, Mapping[str, Any]]:
    """The variants of a plan, each as the table that it stands for."""
    if not isinstance(told, Mapping):
        raise RecordRefused(
            f"{file}: variants = {show(told, 40)}, but [variants.departed] is needed"
        )
    found: dict[str, Mapping[str, Any]] = {}
    for name, one in told.items():
        where = f"{file}, variant {name!r}"
        if not isinstance(one, Mapping):
            raise RecordRefused(f"{where}: a table is needed, [variants.{name}]")
        refuse_unknown(one, _VARIANT, where)
        if ("type" in one) == ("variant" in one):
            raise RecordRefused(f"{where}: either a type, or another variant above it, is needed")
        found[name] = whole_table(one, found, where)
    return found


def whole_table(table: Any, variants: Mapping[str, Mapping[str, Any]], where: str) -> Any:
    """A table with what its variant says; its own rules go before."""
    if not isinstance(table, Mapping) or "variant" not in table:
        return table
    name = table["variant"]
    base = variants.get(name) if isinstance(name, str) else None
    if base is None:
        raise RecordRefused(
            f"{where}: there is no variant {show(name, 40)} above it; "
            f"{nearest(str(name), variants)}"
        )
    if "type" in table or "schema" in table:
        raise RecordRefused(f"{where}: the variant {name!r} tells its type")
    own, rules = table.get("rules", {}), base.get("rules", {})
    both = {**rules, **own} if isinstance(own, Mapping) and isinstance(rules, Mapping) else own
    rest = {key: value for key, value in table.items() if key != "variant"}
    return {**rest, "type": base["type"], "rules": both}
