"""The one equality of cues, tallies and queries."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.records.shapes import shape_of


class Matcher:
    """Stands for any value that it accepts, in cues and tallies, alone or inside containers and records."""

    __slots__ = ()

    def accepts(self, value: object) -> bool:
        """Whether the value fits."""
        raise NotImplementedError


def same(expected: Any, actual: Any) -> bool:
    """Whether a value is the expected one.

    The type's own equality decides; records whose equality is written for them, or that have none, are compared field
    by field; a NaN is itself; arrays compare whole; a bool is no number; an equality that raises means "different".

    >>> same(1, True), same(float("nan"), float("nan")), same([1, {"a": 2}], [1, {"a": 2.0}])
    (False, True, True)
    """
    try:
        return _same(expected, actual)
    except Exception:  # a foreign __eq__ may raise anything; recursion without end is "different" too
        return False


def _same(expected: Any, actual: Any) -> bool:
    if isinstance(expected, Matcher):
        return expected.accepts(actual)
    if expected is actual:
        return True
    if (expected.__class__ is bool) is not (actual.__class__ is bool):
        return False
    compare = _PARTWISE.get(type(expected))
    if compare is not None and type(actual) is type(expected):
        return bool(compare(expected, actual))
    shape = shape_of(type(expected))
    if shape is not None and shape.generated_eq:
        return type(actual) is type(expected) and all(
            same(getattr(expected, name), getattr(actual, name)) for name in shape.compared
        )
    return _by_own_equality(expected, actual)


def _by_own_equality(expected: Any, actual: Any) -> bool:
    verdict = expected == actual
    if verdict is True or verdict is False:
        return verdict or bool(expected != expected and actual != actual)  # NaN
    if hasattr(verdict, "all"):
        return _whole(expected, actual, verdict)
    return bool(verdict)


def _whole(expected: Any, actual: Any, verdict: Any) -> bool:
    """Arrays and frames: the same shape, and every element the same."""
    if getattr(expected, "shape", None) != getattr(actual, "shape", None):
        return False
    both_nan = (expected != expected) & (actual != actual)
    whole = verdict | both_nan
    while hasattr(whole, "all") and getattr(whole, "shape", ()) != ():
        whole = whole.all()
    return bool(whole)


def _sequences(expected: Any, actual: Any) -> bool:
    return len(expected) == len(actual) and all(map(same, expected, actual))


def _mappings(expected: Mapping[Any, Any], actual: Mapping[Any, Any]) -> bool:
    if len(expected) != len(actual):
        return False
    kinds = {(type(key) is bool, key) for key in actual}
    return all((type(key) is bool, key) in kinds and same(expected[key], actual[key]) for key in expected)


def _sets(expected: Any, actual: Any) -> bool:
    return bool(expected == actual) and {(type(x) is bool, x) for x in expected} == {
        (type(x) is bool, x) for x in actual
    }


_PARTWISE: dict[type, Any] = {
    list: _sequences,
    tuple: _sequences,
    dict: _mappings,
    set: _sets,
    frozenset: _sets,
}
