"""The one equality of cues, tallies, queries and comparisons."""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Callable
from functools import partial
from typing import Any

from urnshelf.caches import remembered
from urnshelf.records.description import Description
from urnshelf.records.recognising import describe, has_own
from urnshelf.records.sa_statements import is_statement, same_statement
from urnshelf.types.forms import full_name

Pairs = list[tuple[Any, Any]]
EXACT = frozenset({int, str, bool, bytes, type(None)})
"""Types whose own `==` is the one equality among values of the same type, and which every program
has.
"""


_EXACT_BY_NAME = frozenset({"datetime.date", "datetime.datetime", "decimal.Decimal", "uuid.UUID"})
"""More such types; they are not all imported here."""


def is_exact(cls: type) -> bool:
    """Whether its own `==` is the one equality among values of a class."""
    return cls in EXACT or full_name(cls) in _EXACT_BY_NAME


class Matcher:
    """Stands for any value that it accepts, in cues and tallies, alone or inside containers and
    records.
    """

    __slots__ = ()

    def accepts(self, value: object) -> bool:
        """Whether the value fits."""
        raise NotImplementedError

    def why_not(self, value: object) -> str:  # noqa: ARG002
        """What its own function raised of the value; empty where it raised nothing."""
        return ""


def same(expected: object, actual: object) -> bool:
    """Whether a value is the expected one.

    The type's own equality decides; records whose equality is written for them, or that have none,
    are compared field by field, and so are those whose own equality raises; a NaN is itself; arrays
    compare whole; NumPy's scalars are numbers; a bool is no number; exceptions are the same by type
    and arguments.

    >>> same(1, True), same(float("nan"), float("nan")), same([1, {"a": 2}], [1, {"a": 2.0}])
    (False, True, True)
    """
    try:
        # a matcher is compared by what it accepts, even with itself
        if expected is actual and Matcher not in type(expected).__mro__:
            return True
        if type(expected) is type(actual) and type(expected) in EXACT:
            return bool(expected == actual)
        return (
            expected.accepts(actual)
            if isinstance(expected, Matcher)
            else _all_same([(expected, actual)])
        )
    except Exception:  # a foreign __eq__ or predicate may raise anything
        return False


def _all_same(pairs: Pairs) -> bool:
    """Whether the values of each pair are the same: pair by pair, so that no depth is too much."""
    met: dict[tuple[int, int], tuple[Any, Any]] = {}
    """What is being compared already: a circle leads back to it. The values are held, so that no id
    is used again.
    """
    while pairs:
        expected, actual = pairs.pop()
        if isinstance(expected, Matcher):
            if not expected.accepts(actual):
                return False
            continue
        if expected is actual or (id(expected), id(actual)) in met:
            continue
        # to Python 1 == True; to a test they are two answers
        if is_truth(expected) is not is_truth(actual):
            return False
        compare = _taken_apart(type(expected)) or _by_own_equality
        found = compare(expected, actual)
        if found is False:
            return False
        if found is not True:
            met[id(expected), id(actual)] = (expected, actual)
            pairs += found
    return True


def is_truth(value: object) -> bool:
    """Whether it is True or False, of Python or of NumPy."""
    cls = value.__class__
    return cls is bool or (cls.__module__ == "numpy" and cls.__name__ in ("bool", "bool_"))


Verdict = bool | Pairs
"""What is found at once, or the pairs that must be the same."""


@remembered
def _taken_apart(cls: type) -> Callable[[Any, Any], Verdict] | None:
    """What compares the values of a class part by part; None where their own equality decides."""
    description = describe(cls)
    if description is not None:
        return partial(_fields, description) if description.has_plain_equality else None
    if is_statement(cls):
        return same_statement
    for base, compare in _PARTWISE:
        if issubclass(cls, base) and has_own(cls, "__eq__", base):
            return compare
    # Python compares exceptions by identity, and no test means that
    is_exception = issubclass(cls, BaseException) and has_own(cls, "__eq__", object)
    return _exceptions if is_exception else None


def _fields(description: Description, expected: object, actual: object) -> Verdict:
    if type(actual) is not type(expected):
        return False
    fetch = description.fetch
    return [(fetch(expected, name), fetch(actual, name)) for name in description.compared]


def _by_own_equality(expected: object, actual: object) -> Verdict:
    try:
        verdict = expected == actual
    except Exception:
        description = describe(type(expected))
        if description is None:
            raise
        return _fields(description, expected, actual)
    if verdict is True or verdict is False:
        return verdict or bool(expected != expected and actual != actual)  # NaN
    # some libraries answer with an object: of one truth, or of one for each element
    if not hasattr(verdict, "all"):
        return bool(verdict)
    if getattr(verdict, "shape", None) == () and _is_single(expected) and _is_single(actual):
        return bool(verdict) or bool(expected != expected and actual != actual)
    return _whole(expected, actual, verdict)


def _is_single(value: object) -> bool:
    return getattr(value, "shape", ()) == ()


def _whole(expected: object, actual: object, verdict: Any) -> bool:
    """Arrays and frames: the same shape, and every element the same."""
    if getattr(expected, "shape", None) != getattr(actual, "shape", None):
        return False
    # only a NaN is unlike itself
    both_nan = (expected != expected) & (actual != actual)
    whole = verdict | both_nan
    while hasattr(whole, "all") and getattr(whole, "shape", ()) != ():
        whole = whole.all()
    return bool(whole)


def _sequences(expected: Any, actual: Any) -> Verdict:
    if type(actual) is not type(expected):
        return _by_own_equality(expected, actual)
    return list(zip(expected, actual, strict=True)) if len(expected) == len(actual) else False


def _mappings(expected: Any, actual: Any) -> Verdict:
    if type(actual) is not type(expected):
        return _by_own_equality(expected, actual)
    if len(expected) != len(actual):
        return False
    # as keys, too, True is not 1
    kinds = {(type(key) is bool, key) for key in actual}
    if not all((type(key) is bool, key) in kinds for key in expected):
        return False
    return [(expected[key], actual[key]) for key in expected]


def _ordered_mappings(expected: Any, actual: Any) -> Verdict:
    in_order = type(actual) is type(expected) and list(expected) == list(actual)
    return _mappings(expected, actual) if in_order or type(actual) is not type(expected) else False


def _sets(expected: object, actual: object) -> Verdict:
    if not isinstance(actual, (set, frozenset)):
        return _by_own_equality(expected, actual)
    return _marked(expected) == _marked(actual)


def _marked(members: Any) -> set[tuple[bool, Any]]:
    return {(type(member) is bool, member) for member in members}


def _exceptions(expected: Any, actual: Any) -> Verdict:
    if type(actual) is not type(expected):
        return False
    # what a constructor stored besides its arguments counts as well
    return [(expected.args, actual.args), (vars(expected), vars(actual))]


_PARTWISE: tuple[tuple[type, Callable[[Any, Any], Verdict]], ...] = (
    (list, _sequences),
    (tuple, _sequences),
    (deque, _sequences),
    (OrderedDict, _ordered_mappings),
    (dict, _mappings),
    (set, _sets),
    (frozenset, _sets),
)
