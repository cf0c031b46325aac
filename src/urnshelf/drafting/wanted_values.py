"""What one side of a comparison should be, so that it comes out as it is wanted."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.drafting.usual_values import others
from urnshelf.drafting.values import node_for


def targets(operator: str, old: Any, other: Any) -> Iterator[Any]:
    """Values for one side of a comparison, so that it holds."""
    if operator in ("Eq", "Is"):
        yield other
    elif operator in ("NotEq", "IsNot"):
        yield from _different(old, other)
    elif operator in ("Lt", "LtE", "Gt", "GtE"):
        if operator in ("LtE", "GtE"):
            yield other
        below = operator in ("Lt", "LtE")
        yield from _beside(other, old, -1 if below else 1)
    elif operator == "In":
        with contextlib.suppress(TypeError):
            yield from [other] if isinstance(other, str) else _some_of(other)
    elif operator == "NotIn":
        yield from _different(old, other)


def _some_of(many: Any) -> list[Any]:
    """The first items; those of a set in an order that is the same in each process."""
    is_set = isinstance(many, (set, frozenset))
    return (sorted(many, key=repr) if is_set else list(many))[:5]


def _different(old: Any, other: Any) -> Iterator[Any]:
    if old is None:
        return
    for value in others(old, node_for(old)):
        yield value
        break
    yield from _beside(other, old, 1)


def _beside(value: Any, like: Any, sign: int) -> Iterator[Any]:
    """Values a little and a good deal beyond another one."""
    steps: tuple[Any, ...] = ()
    if isinstance(value, bool):
        return
    if isinstance(value, int):
        steps = (1, 10)
        if isinstance(like, (float, Decimal)):
            value = type(like)(value)
            steps = (type(like)("0.01"), type(like)(1), type(like)(10))
    elif isinstance(value, float):
        steps = (0.5, 0.01, 10.0)
    elif isinstance(value, Decimal):
        steps = (Decimal("0.01"), Decimal(1), Decimal(10))
    elif isinstance(value, datetime):
        steps = (timedelta(hours=1), timedelta(days=1), timedelta(seconds=1), timedelta(days=40))
    elif isinstance(value, date):
        steps = (timedelta(days=1), timedelta(days=40))
    elif isinstance(value, timedelta):
        steps = (timedelta(hours=1), timedelta(seconds=1), timedelta(days=1))
    elif isinstance(value, str):
        yield value + "a" if sign > 0 else value[:-1]
    for step in steps:
        with contextlib.suppress(OverflowError, ArithmeticError):
            found = value + sign * step
            yield round(found, 6) if isinstance(found, float) else found
