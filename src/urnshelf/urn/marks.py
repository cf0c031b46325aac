"""What comes of a percentage that somebody reached: a mark, and whether it is enough."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.rules.choices import among
from urnshelf.urn.siblings import Siblings, beside, plain, split

_REACHED = ("percentage", "percent", "score_percent", "pct")
_MARKS = ("grade", "letter_grade", "mark")
_PASSED = ("passed", "is_passed", "has_passed")
_LETTERS = "ABCDEF"
_ENOUGH = 50


def mark_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a mark, or of whether somebody passed; None for any other field.

    Args:
        name: of the field.
        form: its type.
        siblings: all fields of the record.
    """
    reached = beside(siblings, _REACHED, "")
    if reached is not None and siblings[reached].bare in (int, float, Decimal):
        if siblings[reached].optional:
            reached = None
    else:
        reached = None
    if form is bool:
        is_asked = plain(name) in _PASSED and reached is not None
        return Composed(_is_enough, needs=(reached,)) if is_asked and reached else None
    if split(name, _MARKS) is None or form not in (str, int):
        return None
    if reached is not None:
        return Composed(_letter if form is str else _number, needs=(reached,))
    return among(*_LETTERS) if form is str else None


def _is_enough(reached: Any) -> bool:
    return bool(reached >= _ENOUGH)


def _number(reached: Any) -> int:
    """From 1, the best, to 6: a step for ten of a hundred."""
    return 6 - min(5, max(0, (int(reached) - _ENOUGH + 10) // 10))


def _letter(reached: Any) -> str:
    return _LETTERS[_number(reached) - 1]
