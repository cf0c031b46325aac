"""Readings: repositories in the styles that people write them in, and what their methods do on the shelf's records."""

from __future__ import annotations

import inspect
from typing import Any

import pytest

import repositories as kinds
from urnshelf import Shelf
from urnshelf.demo.harbour import Vessel

GENERIC: dict[str, Any] = {
    "GenericRepository": kinds.GenericRepository[Vessel, int],
    "CrudBase": kinds.CrudBase[Vessel],
}
INTERFACES = {
    name: GENERIC.get(name, thing)
    for name, thing in vars(kinds).items()
    if inspect.isclass(thing) and thing.__module__ == kinds.__name__ and not issubclass(thing, (tuple, kinds.Enum))
    if any(inspect.isfunction(function) and function.__doc__ for function in vars(thing).values())
}
EXPECTED = [
    (name, method, function.__doc__)
    for name, interface in INTERFACES.items()
    for method, function in vars(getattr(interface, "__origin__", interface)).items()
    if inspect.isfunction(function) and function.__doc__
]


def test_there_are_enough_styles() -> None:
    assert len(INTERFACES) >= 40


@pytest.mark.parametrize(("name", "method", "expected"), EXPECTED, ids=[f"{n}.{m}" for n, m, _ in EXPECTED])
def test_reading(shelf: Shelf, name: str, method: str, expected: str) -> None:
    [explained] = [e for e in shelf.explain(INTERFACES[name]) if e.method.startswith(f"{method}(")]
    told = explained.read_as or f"not read: {explained.advice.partition('; cue it')[0]}"
    assert told == expected
