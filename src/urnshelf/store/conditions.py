"""Conditions on records: values that can be joined, turned round, tested and shown as SQL.

They follow SQL's logic of three values: a comparison with a field that is None is neither true nor
false, and a record is taken only where the whole condition is true.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show

Test = Callable[[Any], bool | None]
Copies = Callable[[Iterable[Any]], list[Any]]


class Condition:
    """What a record must fulfil; made by comparing a `column`, combined with `&`, `|` and `~`.

    >>> condition = column("depth_m") >= 4
    >>> condition, ~condition, condition | (column("id") == 7)
    (depth_m >= 4, NOT (depth_m >= 4), depth_m >= 4 OR id = 7)
    """

    @property
    def fields(self) -> tuple[str, ...]:
        """The paths that it reads.

        >>> ((column("depth_m") >= 4) & (column("harbour") == "Ternhythe")).fields
        ('depth_m', 'harbour')
        """
        return ()

    def test(self) -> Test:
        """A function that says of a record whether it fulfils this: True, False, or None for
        unknown.

        >>> test = (column("depth_m") >= 4).test()
        >>> test({"depth_m": 5.0}), test({"depth_m": 3.0}), test({"depth_m": None})
        (True, False, None)
        """
        raise NotImplementedError

    def chosen(self, records: list[Any]) -> list[Any]:
        """Those of the records that fulfil it.

        >>> (column("id") > 1).chosen([{"id": 1}, {"id": 2}])
        [{'id': 2}]
        """
        return list(filter(self.test(), records))

    def negated_text(self) -> str:
        """The SQL of its contrary.

        >>> column("defect").is_none().negated_text()
        'defect IS NOT NULL'
        """
        return f"NOT ({self})"

    def __and__(self, other: Condition) -> Condition:
        return AllOf((*_parts(self, AllOf), *_parts(checked(other), AllOf)))

    def __or__(self, other: Condition) -> Condition:
        return AnyOf((*_parts(self, AnyOf), *_parts(checked(other), AnyOf)))

    def __invert__(self) -> Condition:
        return Not(self)

    def __bool__(self) -> bool:
        raise RecordRefused(
            f"{self} is a condition, not a yes or no: join conditions with & and |, turn one with ~"
        )

    def __repr__(self) -> str:
        return str(self)


class Predicate(Condition):
    """A function of the record: the last resort, for no database can run it."""

    def __init__(self, function: Callable[[Any], object], copies: Copies = list) -> None:
        self._function = function
        self._copies = copies

    def test(self) -> Test:
        """The function, given a copy of the record."""
        return lambda record: bool(self._function(self._copies((record,))[0]))

    def with_copies(self, copies: Copies) -> Predicate:
        """The same, safe from a function that changes what it is given."""
        return Predicate(self._function, copies)

    def __str__(self) -> str:
        name = getattr(self._function, "__qualname__", type(self._function).__name__).rpartition(
            "."
        )[2]
        return f"python_{name.strip('<>')}(*)"


class Shown(Condition):
    """What a reading will ask for once the arguments are known; it is shown, and never tested."""

    def __init__(self, text: str) -> None:
        self._text = text

    def __str__(self) -> str:
        return self._text


class Joined(Condition):
    """Several conditions, one of which may decide alone."""

    decisive: bool
    """The verdict of a part that is the verdict of the whole."""

    def __init__(self, parts: Iterable[Condition]) -> None:
        self.parts = tuple(parts)

    @property
    def fields(self) -> tuple[str, ...]:
        """Those of all its parts."""
        return tuple(field for part in self.parts for field in part.fields)

    def test(self) -> Test:
        """Decided by one part; else unknown where a part is unknown."""
        tests = [part.test() for part in self.parts]
        if len(tests) == 1:
            return tests[0]
        decisive = self.decisive

        def verdict(record: object) -> bool | None:
            unknown = False
            for test in tests:
                one = test(record)
                if one is decisive:
                    return decisive
                unknown = unknown or one is None
            return None if unknown else not decisive

        return verdict


class AllOf(Joined):
    """Conditions that all hold."""

    decisive = False

    def chosen(self, records: list[Any]) -> list[Any]:
        """One part after the other: each leaves fewer records to the next."""
        for part in self.parts:
            records = part.chosen(records)
        return records

    def __str__(self) -> str:
        return (
            " AND ".join(
                f"({part})" if isinstance(part, AnyOf) else str(part) for part in self.parts
            )
            or "1 = 1"
        )


class AnyOf(Joined):
    """Conditions of which one holds."""

    decisive = True

    def __str__(self) -> str:
        return (
            " OR ".join(
                f"({part})" if isinstance(part, AllOf) else str(part) for part in self.parts
            )
            or "1 = 0"
        )


class Not(Condition):
    """A condition that does not hold."""

    def __init__(self, part: Condition) -> None:
        self.part = part

    @property
    def fields(self) -> tuple[str, ...]:
        """Those of what it turns round."""
        return self.part.fields

    def test(self) -> Test:
        """What is unknown stays unknown."""
        test = self.part.test()

        def verdict(record: object) -> bool | None:
            one = test(record)
            return None if one is None else not one

        return verdict

    def __str__(self) -> str:
        return self.part.negated_text()


def _parts(condition: Condition, kind: type[AllOf] | type[AnyOf]) -> tuple[Condition, ...]:
    return condition.parts if isinstance(condition, kind) else (condition,)


def checked(condition: object) -> Condition:
    """The condition; raises RecordRefused for what is none."""
    if not isinstance(condition, Condition):
        raise RecordRefused(
            f'{show(condition)} is no condition: compare a column, as in column("depth_m") >= 4, '
            "or name a field, "
            'as in harbour="Ternhythe"'
        )
    return condition
