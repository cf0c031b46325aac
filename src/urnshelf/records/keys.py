"""Which field of a record is its primary key, told by its name."""

from __future__ import annotations

import re
from collections.abc import Iterable


def key_name(type_name: str, fields: Iterable[str]) -> str | None:
    """`id`, or `<type>_id`; None when no field is called so.

    >>> key_name("QuayReport", ["note", "quay_report_id"])
    'quay_report_id'
    """
    known = set(fields)
    for name in ("id", f"{snake_case(type_name)}_id"):
        if name in known:
            return name
    return None


def snake_case(name: str) -> str:
    """`QuayReport` → `quay_report`."""
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", "_", name).lower()
