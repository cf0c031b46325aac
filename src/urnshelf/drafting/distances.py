"""How far a comparison was from coming out otherwise, as a number.

Source: B. Korel, "Automated software test data generation", IEEE Transactions on Software
Engineering 16, 1990.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any

from urnshelf.drafting.carrying import wanted_operator
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.trial import Trial

FAR = 1e12


def distance(trial: Trial, decision: Decision, way: Way) -> float:
    """How far a trial was from a way; 0 where it took it, `FAR` where nothing is known.

    Args:
        trial: any.
        decision: of the way.
        way: the one that is wanted.
    """
    if way in trial.ways:
        return 0.0
    pairs = trial.operands.get(way.site)
    if not pairs:
        return FAR
    if not decision.operator:
        return FAR / 10
    operator = wanted_operator(decision, way)
    return min(_apart(operator, one, other) for one, other in pairs) + 1e-9


def _apart(operator: str, one: Any, other: Any) -> float:
    if operator in ("In", "NotIn"):
        if operator == "NotIn" or not isinstance(other, Iterable) or isinstance(other, str):
            return FAR / 100
        with contextlib.suppress(TypeError):
            return min((_apart("Eq", one, each) for each in list(other)[:20]), default=FAR / 100)
        return FAR / 100
    difference = between(one, other)
    if difference is not None:
        return abs(difference)
    if isinstance(one, str) and isinstance(other, str):
        return _texts_apart(one, other)
    if isinstance(one, Enum):
        return FAR / 1000
    return FAR / 100


def between(one: Any, other: Any) -> float | None:
    """The difference of two numbers, moments or spans; None for others."""
    if isinstance(one, bool) or isinstance(other, bool):
        return None
    numbers = (int, float, Decimal)
    with contextlib.suppress(TypeError, OverflowError, ArithmeticError, ValueError):
        if isinstance(one, numbers) and isinstance(other, numbers):
            found = float(one) - float(other)
            return found if found == found else None
        if isinstance(one, datetime) and isinstance(other, datetime):
            return _seconds(one - other)
        if type(one) is date and type(other) is date:
            return _seconds(one - other)
        if isinstance(one, timedelta) and isinstance(other, timedelta):
            return _seconds(one - other)
    return None


def _seconds(span: timedelta) -> float:
    return span.total_seconds()


def _texts_apart(one: str, other: str) -> float:
    unequal = sum(a != b for a, b in zip(one, other, strict=False))
    return float(unequal + abs(len(one) - len(other))) * 10
