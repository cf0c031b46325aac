"""Limits on values, gathered from the notes that libraries of types attach to annotations."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from typing import Any, NamedTuple

_NAMES = (
    "ge", "gt", "le", "lt", "multiple_of", "min_length", "max_length", "pattern", "max_digits",
    "decimal_places",
)  # fmt: skip


class Limits(NamedTuple):
    """The limits on one value; what is not limited is None. They are never changed in place."""

    ge: Any = None
    gt: Any = None
    le: Any = None
    lt: Any = None
    multiple_of: Any = None
    min_length: int | None = None
    max_length: int | None = None
    pattern: str | None = None
    max_digits: int | None = None
    decimal_places: int | None = None
    choices: tuple[Any, ...] | None = None
    checks: tuple[Callable[[Any], object], ...] = ()

    def __bool__(self) -> bool:
        return any(value is not None for value in self[:-1]) or bool(self.checks)

    def whole(self) -> tuple[int | None, int | None]:
        """The least and the greatest whole number that the bounds allow; None for no bound."""
        lows = [] if self.ge is None else [_up(self.ge)]
        lows += [] if self.gt is None else [_up(self.gt, beyond=True)]
        # the same for the highs, looked at from the other side
        highs = [] if self.le is None else [_up(-self.le)]
        highs += [] if self.lt is None else [_up(-self.lt, beyond=True)]
        low = max((one for one in lows if one is not None), default=None)
        high = max((one for one in highs if one is not None), default=None)
        return low, None if high is None else -high

    @property
    def is_of_length(self) -> bool:
        """Whether the length is limited."""
        return self.min_length is not None or self.max_length is not None

    @property
    def is_tried(self) -> bool:
        """Whether a value must be drawn first and then tested."""
        return bool(self.checks)

    @property
    def bounds(self) -> bool:
        """Whether the value itself is limited, and not its length or what it is made of."""
        return any(
            limit is not None
            for limit in (self.ge, self.gt, self.le, self.lt, self.multiple_of, self.max_digits)
        )

    def allow(self, value: object) -> bool:
        """Whether a drawn value keeps the limits of length, the pattern and the checks."""
        if self.pattern is not None and not re.search(self.pattern, str(value)):
            return False
        if isinstance(value, (str, bytes, list, tuple, set, frozenset, dict)):
            if self.min_length is not None and len(value) < self.min_length:
                return False
            if self.max_length is not None and len(value) > self.max_length:
                return False
        return all(check(value) for check in self.checks)

    def bound(self, value: Any) -> bool:
        """Whether a number or a moment keeps the bounds, the multiple and the decimal places.

        >>> Limits(ge=3, multiple_of=2).bound(4), Limits(lt=3).bound(3)
        (True, False)
        """
        try:
            is_inside = (
                (self.ge is None or value >= self.ge)
                and (self.gt is None or value > self.gt)
                and (self.le is None or value <= self.le)
                and (self.lt is None or value < self.lt)
            )
            if not is_inside or (self.multiple_of is not None and value % self.multiple_of):
                return False
        except TypeError:  # of another kind than its bounds
            return False
        if self.decimal_places is None and self.max_digits is None:
            return True
        digits = Decimal(str(value)).as_tuple()
        places = max(0, -int(digits.exponent))
        most = self.max_digits
        return places <= (20 if self.decimal_places is None else self.decimal_places) and (
            most is None or len(digits.digits) <= most
        )


NO_LIMITS = Limits()


def limits_of(notes: Iterable[Any], limits: Limits = NO_LIMITS) -> Limits:
    """The limits that these notes set: of annotated-types, pydantic, msgspec, attrs, and columns.

    They are told by their attributes, so that none of these libraries is imported.

    Args:
        notes: a later one goes before an earlier one.
        limits: what was limited before.
    """
    limited = limits._asdict()
    for note in _spread(notes):
        for name in _NAMES:
            value = getattr(note, name, None)
            # a method of the same name is no limit
            if value is not None and not callable(value):
                limited[name] = getattr(value, "pattern", value) if name == "pattern" else value
        check = getattr(note, "func", None)
        if type(note).__name__ == "Predicate" and callable(check):
            limited["checks"] = (*limited["checks"], check)
        limited.update(_of_attrs_validator(note))
    return Limits(**limited)


def _spread(notes: Iterable[Any]) -> Iterator[Any]:
    for note in notes:
        yield note
        inner = getattr(note, "metadata", None)
        kind = type(note).__name__
        # a field of pydantic carries its limits as notes of its own
        if isinstance(inner, (list, tuple)):
            yield from _spread(inner)
        elif kind in ("Interval", "Len", "StringConstraints") and hasattr(note, "__iter__"):
            yield from _spread(note)


_SIGNS = {"<": "lt", "<=": "le", ">=": "ge", ">": "gt"}


def _of_attrs_validator(note: Any) -> dict[str, Any]:
    """What a validator of attrs limits."""
    kind = type(note).__name__
    if kind == "_NumberValidator":
        return {_SIGNS[note.compare_op]: note.bound}
    if kind == "_MinLengthValidator":
        return {"min_length": note.min_length}
    if kind == "_MaxLengthValidator":
        return {"max_length": note.max_length}
    if kind == "_MatchesReValidator":
        whole = note.match_func.__name__ == "fullmatch"
        return {"pattern": f"^(?:{note.pattern.pattern})$" if whole else note.pattern.pattern}
    if kind == "_InValidator":
        return {"choices": tuple(note.options)}
    if kind == "_OptionalValidator":
        return _of_attrs_validator(note.validator)
    found: dict[str, Any] = {}
    for inner in note._validators if kind == "_AndValidator" else ():
        found |= _of_attrs_validator(inner)
    return found


def _up(bound: Any, beyond: bool = False) -> int | None:
    """The least whole number from a bound on, or beyond it; None for a bound that is infinite."""
    if isinstance(bound, int):
        return bound + beyond
    from decimal import Decimal  # only limits that are drawn within pay for it

    # by its text: 0.1 is meant to be a tenth
    exact = Decimal(str(bound))
    if not exact.is_finite():
        return None
    whole = int(exact.to_integral_value("ROUND_CEILING"))
    return whole + (beyond and whole == exact)
