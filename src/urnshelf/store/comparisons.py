"""Conditions on one field: comparisons, lists, parts of texts, None."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.records.equality import EXACT, Matcher, same
from urnshelf.store.conditions import AllOf, Condition, Predicate, Test, checked
from urnshelf.store.ordering import is_null
from urnshelf.store.paths import column_text, fetcher, literal
from urnshelf.types.forms import type_name


class OfField(Condition):
    """A condition on one field."""

    path: str

    @property
    def fields(self) -> tuple[str, ...]:
        """That one."""
        return (self.path,)


class Comparison(OfField):
    """A field compared with a value."""

    def __init__(self, path: str, sign: str, value: object, fold: bool) -> None:
        self.path, self.sign, self.value, self.fold = path, sign, value, fold
        self._is_exact = sign == "=" and not fold and type(value) in EXACT

    def test(self) -> Test:
        """The comparison; unknown where the field is None."""
        fetch, wanted = fetcher(self.path), folded(self.value) if self.fold else self.value
        if self._is_exact and wanted == wanted:
            return _exact_test(fetch, wanted)
        if not isinstance(wanted, Matcher) and is_null(wanted):
            return lambda record: None
        compare = self._equal if self.sign in ("=", "<>") else self._order

        def verdict(record: object) -> bool | None:
            value = fetch(record)
            if is_null(value) and not isinstance(wanted, Matcher):
                return None
            return compare(folded(value) if self.fold else value, wanted)

        return verdict

    def chosen(self, records: list[Any]) -> list[Any]:
        """The commonest question, made quick: a field of the record itself that has one plain
        value.
        """
        if not self._is_exact or "." in self.path:
            return super().chosen(records)
        path, wanted, cls = self.path, self.value, type(self.value)
        found = []
        for record in records:
            value = record.get(path) if isinstance(record, dict) else getattr(record, path, None)
            if value == wanted if type(value) is cls else value is not None and same(wanted, value):
                found.append(record)
        return found

    def _equal(self, value: object, wanted: object) -> bool:
        return same(wanted, value) is (self.sign == "=")

    def _order(self, value: object, wanted: object) -> bool:
        try:
            return bool(_ORDERS[self.sign](value, wanted))
        except TypeError:
            raise RecordRefused(
                f"{self}: {self.path} holds {show(value, 40)}, and {type_name(type(value))} and "
                f"{type_name(type(wanted))} have no order between them"
            ) from None

    def __str__(self) -> str:
        column, value = (
            _folded_text(text, self.fold) for text in (column_text(self.path), literal(self.value))
        )
        return f"{column} {self.sign} {value}"


def _exact_test(fetch: Callable[[Any], Any], wanted: object) -> Test:
    """The commonest test, made quick: a text or a number among values that are nearly always of the
    same type.
    """
    cls = type(wanted)

    def verdict(record: object) -> bool | None:
        value = fetch(record)
        if type(value) is cls:
            # what is no number is unknown, as in SQL
            return None if value != value else bool(value == wanted)
        return None if is_null(value) else same(wanted, value)

    return verdict


class Between(OfField):
    """A field from one value to another, both included."""

    def __init__(self, path: str, low: object, high: object) -> None:
        self.path, self.low, self.high = path, low, high

    def test(self) -> Test:
        """Both comparisons."""
        return AllOf(self.bounds).test()

    @property
    def bounds(self) -> tuple[Comparison, Comparison]:
        """The two comparisons it stands for."""
        return Comparison(self.path, ">=", self.low, False), Comparison(
            self.path, "<=", self.high, False
        )

    def __str__(self) -> str:
        return f"{column_text(self.path)} BETWEEN {literal(self.low)} AND {literal(self.high)}"


class OneOf(OfField):
    """A field that equals one of some values."""

    def __init__(self, path: str, values: Iterable[Any], fold: bool = False) -> None:
        # what is no number is NULL in SQL, as None is
        self.values = [None if is_null(value) else value for value in values]
        self.path, self.fold = path, fold

    def test(self) -> Test:
        """Any of the equalities; None among the values means that the field may be None."""
        fetch = fetcher(self.path)
        wanted = [folded(value) if self.fold else value for value in self.values]
        is_plain = all(type(value) in (int, str) for value in wanted)
        # with plain values, one look-up stands for a comparison with each of them
        quick = set(wanted) if wanted and is_plain else None

        def verdict(record: object) -> bool | None:
            value = fetch(record)
            if is_null(value):
                return None if wanted and None not in wanted else bool(wanted)
            value = folded(value) if self.fold else value
            if quick is not None and type(value) in (int, str):
                return value in quick
            return any(same(one, value) for one in wanted)

        return verdict

    def __str__(self) -> str:
        known = [
            _folded_text(literal(value), self.fold) for value in self.values if value is not None
        ]
        column = _folded_text(column_text(self.path), self.fold)
        parts = [f"{column} IN ({', '.join(known)})"] if known else []
        parts += [f"{column} IS NULL"] * (len(known) < len(self.values))
        either = " OR ".join(parts) or "1 = 0"
        return f"({either})" if len(parts) > 1 else either


class IsNone(OfField):
    """A field that is None."""

    def __init__(self, path: str) -> None:
        self.path = path

    def test(self) -> Test:
        """Always known."""
        fetch = fetcher(self.path)
        return lambda record: is_null(fetch(record))

    def __str__(self) -> str:
        return f"{column_text(self.path)} IS NULL"

    def negated_text(self) -> str:
        """`IS NOT NULL`, as people write it."""
        return f"{column_text(self.path)} IS NOT NULL"


class TextPart(OfField):
    """A text field that contains, starts with or ends with a text."""

    def __init__(self, path: str, where: str, part: str, fold: bool) -> None:
        self.path, self.where, self.part, self.fold = path, where, part, fold

    def test(self) -> Test:
        """The test of the text; unknown where the field is None."""
        fetch, part = fetcher(self.path), folded(self.part) if self.fold else self.part

        def verdict(record: object) -> bool | None:
            value = fetch(record)
            if value is None:
                return None
            if not isinstance(value, str):
                raise RecordRefused(
                    f"{self}: {self.path} holds {show(value, 40)}, which is no text"
                )
            text = folded(value) if self.fold else value
            return bool(_TEXT_TESTS[self.where](text, part))

        return verdict

    def __str__(self) -> str:
        column, part = (
            _folded_text(text, self.fold) for text in (column_text(self.path), literal(self.part))
        )
        if self.where == "contains" or self.part == "":
            return f"instr({column}, {part}) > 0"
        if isinstance(self.part, str) and "\0" in self.part:
            return self._of_bytes(column, part)
        length = len(self.part) if isinstance(self.part, str) else f"length({part})"
        where = f"1, {length}" if self.where == "starts" else f"-{length}"
        return f"substr({column}, {where}) = {part}"

    def _of_bytes(self, column: str, part: str) -> str:
        """The same for a part with a NUL, where SQLite ends a text whose letters it counts."""
        if self.where == "starts":
            return f"instr({column}, {part}) = 1"
        length = len(self.part.encode())
        # one more at the end, for of an empty text SQLite takes nothing, and not an empty part
        bytes_before = f"substr(CAST({column} || 'x' AS BLOB), -{length + 1}, {length})"
        return f"{bytes_before} = CAST({part} AS BLOB)"


def condition_of(conditions: Iterable[Any], fields: dict[str, Any]) -> tuple[Condition, ...]:
    """Conditions as users give them: values of `Condition`, functions of a record, and fields with
    their values.
    """
    given = [
        Predicate(one) if callable(one) and not isinstance(one, Condition) else one
        for one in conditions
    ]
    return (*map(checked, given), *(equals(name, value) for name, value in fields.items()))


def equals(path: str, value: object, fold: bool = False) -> Condition:
    """The field has this value; None means that it is None."""
    return IsNone(path) if value is None else Comparison(path, "=", value, fold)


def folded(value: object) -> Any:
    """A text in small letters, as SQL's `lower` gives it; any other value as it is."""
    return value.lower() if isinstance(value, str) else value


def _folded_text(text: str, fold: bool) -> str:
    """Small letters; where it matters it says that not every database has the same."""
    if not fold:
        return text
    return f"lower({text})" + ("" if text.isascii() else " /* SQLite's lower has A to Z only */")


_ORDERS: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
_TEXT_TESTS: dict[str, Callable[[str, str], bool]] = {
    "contains": lambda text, part: part in text,
    "starts": str.startswith,
    "ends": str.endswith,
}
