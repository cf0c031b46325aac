"""Moving a number until a comparison comes out otherwise: one step tells the slope, and the slope
where to go.

The secant method, as in any textbook of numerical analysis.
"""

from __future__ import annotations

import contextlib
from collections.abc import Generator, Iterator
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.carrying import resized
from urnshelf.drafting.decisions import Way
from urnshelf.drafting.distances import between
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.values import Leaf

_ROUNDS = 8
_FARTHEST = 1e7
Trying = Generator[Arrangement, Trial, None]
"""Gives arrangements, and is sent what became of each."""


def by_slope(trial: Trial, way: Way, leaves: list[Leaf]) -> Trying:
    """Arrangements nearer and nearer to where both operands are equal.

    Args:
        trial: that reached the decision.
        way: the one that is wanted.
        leaves: the trial's.
    """
    start = _nearest(trial, way.site)
    if start is None:
        return
    for leaf in leaves:
        if _moved(leaf.value, 1) is None:
            continue
        first = yield trial.put(leaf.path, _moved(leaf.value, 1))
        slope = _change(start, _nearest(first, way.site))
        if slope:
            yield from _follow(trial, leaf, way, start, slope)


def _follow(trial: Trial, leaf: Leaf, way: Way, start: float, slope: float) -> Trying:
    """Go where the slope leads, and try both sides of it."""
    last, difference, at = 0.0, start, -start / slope
    for _ in range(_ROUNDS):
        if abs(at) > _FARTHEST:
            return
        here = None
        for steps in _around(at, leaf.value):
            value = _moved(leaf.value, steps)
            if value is None:
                continue
            found = yield trial.put(leaf.path, value)
            if here is None:
                here, at = _nearest(found, way.site), steps
        if here is None or here == difference or at == last:
            return
        last, difference, at = at, here, at - here * (at - last) / (here - difference)


def _around(steps: float, value: Any) -> Iterator[float]:
    whole = round(steps)
    if isinstance(value, (float, Decimal)):
        yield round(steps, 6)
        yield round(steps, 2)
    yield from (whole, whole + 1, whole - 1)


def _moved(value: Any, steps: float) -> Any:
    """A value so many steps away; None for one that has no steps."""
    if value is None or isinstance(value, bool):
        return None
    with contextlib.suppress(OverflowError, ArithmeticError, ValueError):
        if isinstance(value, int):
            return type(value)(value + round(steps)) if type(value) is int else None
        if isinstance(value, float):
            return round(value + steps, 6)
        if isinstance(value, Decimal):
            return value + Decimal(str(round(steps, 2)))
        if isinstance(value, datetime):
            return value + timedelta(seconds=round(steps * 3600))
        if isinstance(value, date):
            return value + timedelta(days=round(steps))
        if isinstance(value, timedelta):
            return value + timedelta(seconds=round(steps * 3600))
        if isinstance(value, (str, list, tuple)) and 0 <= len(value) + steps < 100:
            return resized(value, len(value) + round(steps))
    return None


def _nearest(trial: Trial, site: int) -> float | None:
    """The smallest difference of operands at a place."""
    found = [between(one, other) for one, other in trial.operands.get(site, [])]
    known = [one for one in found if one is not None]
    return min(known, key=abs) if known else None


def _change(one: float | None, other: float | None) -> float:
    return 0.0 if one is None or other is None else other - one
