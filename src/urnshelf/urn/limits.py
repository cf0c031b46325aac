"""Limits on values, gathered from the notes that libraries of types attach to annotations."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

_NAMES = ("ge", "gt", "le", "lt", "multiple_of", "min_length", "max_length", "pattern", "max_digits", "decimal_places")


class Limits:
    """The limits on one value; what is not limited is None."""

    def __init__(self) -> None:
        self.ge: Any = None
        self.gt: Any = None
        self.le: Any = None
        self.lt: Any = None
        self.multiple_of: Any = None
        self.min_length: int | None = None
        self.max_length: int | None = None
        self.pattern: str | None = None
        self.max_digits: int | None = None
        self.decimal_places: int | None = None
        self.choices: tuple[Any, ...] | None = None
        self.checks: list[Any] = []

    def __bool__(self) -> bool:
        return any(value not in (None, []) for value in vars(self).values())

    def allow(self, value: Any) -> bool:
        """Whether a drawn value keeps within the limits of length and of the checks."""
        if isinstance(value, (str, bytes, list, tuple, set, frozenset, dict)):
            if self.min_length is not None and len(value) < self.min_length:
                return False
            if self.max_length is not None and len(value) > self.max_length:
                return False
        return all(check(value) for check in self.checks)


def limits_of(notes: Iterable[Any]) -> Limits:
    """The limits that these notes set: of annotated-types, pydantic, msgspec and attrs, told by their attributes."""
    limits = Limits()
    for note in _spread(notes):
        for name in _NAMES:
            value = getattr(note, name, None)
            if value is not None and not callable(value):
                setattr(limits, name, getattr(value, "pattern", value) if name == "pattern" else value)
        if isinstance(note, Limits):
            limits.choices, limits.checks = note.choices, [*note.checks]
        check = getattr(note, "func", None)
        if type(note).__name__ == "Predicate" and callable(check):
            limits.checks.append(check)
        _attrs_validator(note, limits)
    return limits


def _spread(notes: Iterable[Any]) -> Iterable[Any]:
    for note in notes:
        yield note
        inner = getattr(note, "metadata", None)
        if isinstance(inner, (list, tuple)):
            yield from _spread(inner)
        elif type(note).__name__ in ("Interval", "Len", "StringConstraints") and hasattr(note, "__iter__"):
            yield from _spread(note)


def _attrs_validator(note: Any, limits: Limits) -> None:
    """The validators of attrs that limit a value."""
    kind = type(note).__name__
    if kind == "_NumberValidator":
        setattr(limits, {"<": "lt", "<=": "le", ">=": "ge", ">": "gt"}[note.compare_op], note.bound)
    elif kind == "_MinLengthValidator":
        limits.min_length = note.min_length
    elif kind == "_MaxLengthValidator":
        limits.max_length = note.max_length
    elif kind == "_MatchesReValidator":
        limits.pattern = note.pattern.pattern
    elif kind == "_InValidator":
        limits.choices = tuple(note.options)
    elif kind == "_AndValidator":
        for inner in note._validators:
            _attrs_validator(inner, limits)
    elif kind == "_OptionalValidator":
        _attrs_validator(note.validator, limits)
