"""Values as plain code, and code that is a plain value."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from enum import Enum
from typing import Any
from uuid import UUID

_MADE = ("Decimal", "date", "datetime", "time", "timedelta", "UUID", "approx")
"""What may be called in a literal."""


class _NoLiteral(Exception):
    """A value that has no plain code."""


def is_literal(node: ast.expr) -> bool:
    """Whether an expression is a plain value: a number, a text, None, a list of such, an amount or
    a moment, a member of an enumeration.

    >>> is_literal(ast.parse('[1, Decimal("1.50"), State.BOOKED]', mode="eval").body)
    True
    >>> is_literal(ast.parse("berth.code", mode="eval").body)
    False
    """
    if isinstance(node, ast.Constant):
        return True
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, (ast.USub, ast.UAdd)):
        return is_literal(node.operand)
    if isinstance(node, (ast.List, ast.Tuple, ast.Set)):
        return all(map(is_literal, node.elts))
    if isinstance(node, ast.Dict):
        keys = [key for key in node.keys if key is not None]
        return len(keys) == len(node.keys) and all(map(is_literal, [*keys, *node.values]))
    if isinstance(node, ast.Call):
        return _is_made(node)
    return _is_member(node)


def _is_member(node: ast.expr) -> bool:
    """Whether it is written as a member of an enumeration is: `State.OPEN`."""
    if not isinstance(node, ast.Attribute) or not isinstance(node.value, ast.Name):
        return False
    return node.value.id[:1].isupper() and node.attr.isupper()


def _is_made(node: ast.Call) -> bool:
    name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
    given = [*node.args, *(one.value for one in node.keywords)]
    return name in _MADE and all(is_literal(one) or _is_utc(one) for one in given)


def _is_utc(node: ast.expr) -> bool:
    return (isinstance(node, ast.Name) and node.id == "UTC") or (
        isinstance(node, ast.Attribute) and node.attr in ("UTC", "utc")
    )


def source_of(value: object, names: Mapping[str, Any], like: object = None) -> str | None:
    """A value as code; None for one that has no plain code there.

    Args:
        value: any.
        names: those of the module in which it is to stand.
        like: the value that stood there.

    >>> source_of([1, "it's", Decimal("1.50")], {"Decimal": Decimal})
    '[1, "it\\'s", Decimal("1.50")]'
    >>> source_of(Decimal("1.50"), {}) is None
    True
    """
    try:
        if isinstance(like, float) and isinstance(value, int) and not isinstance(value, bool):
            return _source(float(value), names)
        return _source(value, names)
    except _NoLiteral:
        return None


def _source(value: Any, names: Mapping[str, Any]) -> str:
    kind = type(value)
    if value is None or kind in (bool, int):
        return repr(value)
    if kind is bytes:
        return f"b{_text(repr(value)[1:], is_shown=True)}"
    if kind is float:
        if value != value or value in (float("inf"), float("-inf")):
            raise _NoLiteral
        return repr(value)
    if kind is str:
        return _text(value)
    if kind in (list, tuple, set, dict):
        return _several(value, names)
    if isinstance(value, Enum):
        return f"{_named(kind, names)}.{value.name}"
    if kind in _WRITTEN:
        return _WRITTEN[kind](value, names)
    raise _NoLiteral


def _several(value: Any, names: Mapping[str, Any]) -> str:
    if isinstance(value, dict):
        pairs = [f"{_source(n, names)}: {_source(one, names)}" for n, one in value.items()]
        return f"{{{', '.join(pairs)}}}"
    # the order of a set is nobody's, and that of its texts is the same everywhere
    texts = [_source(one, names) for one in value]
    if isinstance(value, set):
        if not texts:
            raise _NoLiteral
        return f"{{{', '.join(sorted(texts))}}}"
    if isinstance(value, tuple):
        return f"({', '.join(texts)}{',' if len(texts) == 1 else ''})"
    return f"[{', '.join(texts)}]"


def _text(value: str, is_shown: bool = False) -> str:
    """With double quotes, where nothing speaks against them."""
    shown = value if is_shown else repr(value)
    if shown[0] == "'" and '"' not in shown:
        return f'"{shown[1:-1]}"'
    return shown


def _named(kind: type, names: Mapping[str, Any]) -> str:
    """How a type is called in a module."""
    for name, one in names.items():
        if one is kind:
            return name
    raise _NoLiteral


def _moment(value: datetime, names: Mapping[str, Any]) -> str:
    parts = [value.year, value.month, value.day, value.hour, value.minute]
    parts += [value.second] if value.second or value.microsecond else []
    parts += [value.microsecond] if value.microsecond else []
    zone = ""
    if value.tzinfo is not None:
        if value.fold:
            raise _NoLiteral
        zone = f", tzinfo={_zone_of(value, names)}"
    return f"{_named(datetime, names)}({', '.join(map(str, parts))}{zone})"


def _hour(value: time, names: Mapping[str, Any]) -> str:
    parts = [value.hour, value.minute, value.second]
    parts += [value.microsecond] if value.microsecond else []
    if value.tzinfo not in (None, UTC) or value.fold:
        raise _NoLiteral
    zone = "" if value.tzinfo is None else f", tzinfo={_zone(names)}"
    return f"{_named(time, names)}({', '.join(map(str, parts))}{zone})"


def _zone_of(value: datetime, names: Mapping[str, Any]) -> str:
    offset = value.utcoffset()
    if value.tzinfo is UTC or type(value.tzinfo) is not timezone or offset is None:
        return _zone(names) if value.tzinfo is UTC else _no_literal()
    return f"{_named(timezone, names)}({_span(offset, names)})"


def _zone(names: Mapping[str, Any]) -> str:
    return next((name for name, one in names.items() if one is UTC), "") or _no_literal()


def _no_literal() -> str:
    raise _NoLiteral


def _span(value: timedelta, names: Mapping[str, Any]) -> str:
    parts = {"days": value.days, "seconds": value.seconds, "microseconds": value.microseconds}
    told = ", ".join(f"{name}={number}" for name, number in parts.items() if number)
    return f"{_named(timedelta, names)}({told})"


_WRITTEN: dict[type, Callable[[Any, Mapping[str, Any]], str]] = {
    Decimal: lambda value, names: f'{_named(Decimal, names)}("{value}")',
    UUID: lambda value, names: f'{_named(UUID, names)}("{value}")',
    datetime: _moment,
    date: lambda value, names: f"{_named(date, names)}({value.year}, {value.month}, {value.day})",
    time: _hour,
    timedelta: _span,
}
