"""Values as files hold them: texts, numbers, lists and tables of JSON."""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping
from datetime import date, datetime, time, timedelta
from enum import Enum
from typing import Any

from urnshelf.records.shapes import shape_of, values_of


def plain(value: Any) -> Any:
    """The value as JSON can hold it; records become tables, moments ISO 8601 texts, Decimals and UUIDs texts.

    >>> from decimal import Decimal
    >>> plain({"day": date(2030, 6, 1), "rate": Decimal("1.50")})
    {'day': '2030-06-01', 'rate': '1.50'}
    """
    if value is None or (isinstance(value, (bool, str)) and type(value) in (bool, str)):
        return value
    if isinstance(value, Enum):
        return plain(value.value)
    if isinstance(value, (int, float)):
        return value
    if isinstance(value, (datetime, date, time)):
        return value.isoformat()
    if isinstance(value, timedelta):
        return value.total_seconds()
    if isinstance(value, (bytes, bytearray)):
        return base64.b64encode(value).decode("ascii")
    if isinstance(value, Mapping):
        return {str(plain(key)): plain(item) for key, item in value.items()}
    if isinstance(value, (set, frozenset)):
        return _sorted([plain(item) for item in value])
    shape = shape_of(type(value))
    if shape is not None:
        return {name: plain(item) for name, item in values_of(value, shape).items()}
    if isinstance(value, (list, tuple)) or type(value).__name__ == "deque":
        return [plain(item) for item in value]
    return str(value)


def _sorted(items: list[Any]) -> list[Any]:
    try:
        return sorted(items)
    except TypeError:  # of several kinds
        return sorted(items, key=json.dumps)


def cell(value: Any) -> Any:
    """The value as one cell of a table: nested values as JSON text, None as an empty cell."""
    simple = plain(value)
    if isinstance(simple, (list, dict)):
        return json.dumps(simple, ensure_ascii=False)
    return "" if simple is None else simple


def part(record: Any, name: str) -> Any:
    """One field of a record; None where it is left out."""
    if isinstance(record, Mapping):
        return record.get(name)
    return getattr(record, name, None)
