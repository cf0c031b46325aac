"""Whether a text or a number is of the format that a schema says: those that have one meaning.

Sources: RFC 3339, section 5.6 (dates and times); RFC 9562 (UUIDs); OpenAPI's registry of formats.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime
from ipaddress import IPv4Address, IPv6Address
from typing import Any

_TIME = r"[0-9]{2}:[0-9]{2}:[0-9]{2}(\.[0-9]+)?([zZ]|[-+][0-9]{2}:[0-9]{2})"
_DATE_TIME = re.compile(rf"[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}}[tT ]{_TIME}")
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_UUID = re.compile(r"[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")


def _is_moment(text: str) -> bool:
    if not _DATE_TIME.fullmatch(text):
        return False
    # a leap second is one, and Python has none; of fractions it knows six digits
    shown = re.sub(r"\.[0-9]+", "", text.upper().replace(" ", "T").replace(":60", ":59"))
    return datetime.fromisoformat(shown) is not None


def _is_date(text: str) -> bool:
    return bool(_DATE.fullmatch(text)) and date.fromisoformat(text) is not None


_TEXTS: dict[str, Callable[[str], object]] = {
    "date-time": _is_moment,
    "date": _is_date,
    "time": lambda text: re.fullmatch(_TIME, text) and _is_moment(f"2028-01-01T{text}"),
    "uuid": _UUID.fullmatch,
    "ipv4": lambda text: bool(IPv4Address(text)) or True,
    "ipv6": lambda text: bool(IPv6Address(text)) or True,
}
_WIDTHS = {"int32": 31, "int64": 63}


def is_of_format(name: Any, value: Any) -> bool:
    """Whether a value is of a format; one that is not known says nothing.

    >>> is_of_format("date", "2028-02-30"), is_of_format("int32", 2**31), is_of_format("x", "y")
    (False, False, True)
    """
    if isinstance(value, str) and name in _TEXTS:
        try:
            return bool(_TEXTS[name](value))
        except ValueError:
            return False
    is_number = isinstance(value, (int, float)) and not isinstance(value, bool)
    if is_number and name in _WIDTHS:
        return bool(-(2 ** _WIDTHS[name]) <= value < 2 ** _WIDTHS[name])
    return True
