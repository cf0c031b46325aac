"""Matchers: values that stand for many."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from urnshelf.errors import CueRefused
from urnshelf.records.display import PartWise
from urnshelf.records.equality import Matcher, is_truth, same

T = TypeVar("T")


class _Whatever(Matcher):
    """Any value at all, in a cue, a tally, or inside a container or a record.

    >>> pilots = shelf.fake(PilotPager)
    >>> pilots.page(7, "Gray Heron")
    >>> tally(pilots.page, whatever, "Gray Heron") == 1
    True
    """

    __slots__ = ()

    def accepts(self, value: object) -> bool:  # noqa: ARG002
        return True

    def __repr__(self) -> str:
        return "whatever"


class _Fitting(Matcher):
    __slots__ = ("_predicate",)

    def __init__(self, predicate: Callable[[Any], object]) -> None:
        self._predicate = predicate

    def accepts(self, value: object) -> bool:
        return bool(self._predicate(value))

    def why_not(self, value: object) -> str:
        try:
            self.accepts(value)
        except Exception as error:
            return f"{type(error).__name__}: {error}"
        return ""

    def __repr__(self) -> str:
        return f"fitting({getattr(self._predicate, '__name__', self._predicate)!s})"


class _OfType(Matcher):
    __slots__ = ("_type",)

    def __init__(self, expected: type | tuple[type, ...]) -> None:
        self._type = expected

    def accepts(self, value: object) -> bool:
        wanted = self._type if isinstance(self._type, tuple) else (self._type,)
        # to isinstance a bool is an int; to a test they are two answers
        if is_truth(value) and bool not in wanted and object not in wanted:
            return False
        return isinstance(value, self._type)

    def __repr__(self) -> str:
        if isinstance(self._type, tuple):
            return f"of_type(({', '.join(one.__name__ for one in self._type)}))"
        return f"of_type({self._type.__name__})"


class _Holding(PartWise):
    __slots__ = ("_parts",)

    def __init__(self, parts: dict[str, Any]) -> None:
        self._parts = parts

    def accepts(self, value: object) -> bool:
        return not self.differing(value)

    def differing(self, value: object) -> dict[str, tuple[Any, Any]]:
        """The parts that are not as wanted: name → (wanted, found)."""
        found = {name: (wanted, _part(value, name)) for name, wanted in self._parts.items()}
        # what is not there is like nothing, and not even like `whatever`
        return {
            name: (Wanted(wanted), part) if part is ABSENT else (wanted, part)
            for name, (wanted, part) in found.items()
            if part is ABSENT or not same(wanted, part)
        }

    def __repr__(self) -> str:
        return f"holding({', '.join(f'{k}={v!r}' for k, v in self._parts.items())})"


class _Beginning(Matcher):
    __slots__ = ("_items",)

    def __init__(self, items: tuple[Any, ...]) -> None:
        self._items = items

    def accepts(self, value: Any) -> bool:
        return len(value) >= len(self._items) and all(map(same, self._items, value))

    def __repr__(self) -> str:
        return f"({', '.join(map(repr, self._items))}, …)"


def beginning(items: tuple[Any, ...]) -> Matcher:
    """Any tuple that begins with these items."""
    return _Beginning(items)


def expected_types(matcher: Matcher) -> tuple[type, ...]:
    """The types that a matcher accepts, where it accepts by type."""
    if not isinstance(matcher, _OfType):
        return ()
    return matcher._type if isinstance(matcher._type, tuple) else (matcher._type,)


def wanted_parts(matcher: Matcher) -> dict[str, Any]:
    """The fields that a matcher wants, where it wants some."""
    return matcher._parts if isinstance(matcher, _Holding) else {}


class Absent:
    """Stands for a part that is not there."""

    def __repr__(self) -> str:
        return "nothing of that name"


ABSENT = Absent()


class Wanted:
    """Stands for what is wanted where there is nothing."""

    def __init__(self, wanted: object) -> None:
        self._wanted = wanted

    def __repr__(self) -> str:
        return repr(self._wanted)


def _part(value: object, name: str) -> Any:
    if isinstance(value, Mapping):
        return value.get(name, ABSENT)
    return getattr(value, name, ABSENT)


whatever: Any = _Whatever()
"""Any value at all: `cue(tides.depth_at, "Ternhythe", whatever)`."""


def fitting(predicate: Callable[[Any], object]) -> Any:
    """Any value for which the predicate is true; one that makes it raise does not fit.

    Args:
        predicate: called with the value.

    >>> from urnshelf.records.equality import same
    >>> same(fitting(lambda metres: metres > 4), 4.5)
    True
    """
    if not callable(predicate):
        raise CueRefused(
            f"fitting() takes a function of one value, not {predicate!r}; for an equal value, "
            "write it plainly"
        )
    return _Fitting(predicate)


def of_type(expected: type[T] | tuple[type[T], ...]) -> T:
    """Any value of this type, or of one of these; a bool is no int here.

    Args:
        expected: a class, or a tuple of classes.

    >>> from urnshelf.records.equality import same
    >>> same(of_type(int), 3), same(of_type(int), True)
    (True, False)
    """
    try:
        isinstance(None, expected)
    except TypeError:
        raise CueRefused(
            f"of_type() takes a class or a tuple of classes, not {expected!r}"
        ) from None
    # it stands for a T wherever a T is expected
    return _OfType(expected)  # type: ignore[return-value]


def holding(**fields: object) -> Any:
    """Any record or mapping that has these fields with these values (matchers among them); other
    fields do not matter.

    Args:
        fields: field name and the value, or matcher, that it must have.

    >>> from urnshelf.records.equality import same
    >>> same(holding(harbour="Ternhythe"), {"harbour": "Ternhythe", "depth_m": 6.3})
    True
    """
    return _Holding(fields)
