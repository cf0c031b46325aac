"""Queries: which records, in which order, how many; run only when they are looked at."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any, Generic, Self, TypeVar, overload

from urnshelf.errors import RecordMissing, RecordRefused
from urnshelf.store.comparisons import condition_of
from urnshelf.store.conditions import AllOf, Condition
from urnshelf.store.ordering import (
    added,
    direction,
    distinct_values,
    hashed,
    in_own_order,
    is_null,
    orderly,
    sorted_by,
    without_nulls,
)
from urnshelf.store.paths import column_text, fetcher, identifier

if TYPE_CHECKING:
    from urnshelf.store.views import View

V = TypeVar("V")


class Selection(Generic[V]):
    """What a query and its distinct values have in common: conditions, order, and how many.

    >>> _ = shelf.stock(Berth, 3)
    >>> berths = shelf.records(Berth).where().order_by("id desc")
    >>> len(berths), berths[0].id, [berth.id for berth in berths[1:]]
    (3, 3, [2, 1])
    """

    def __init__(
        self,
        source: View[Any],
        condition: AllOf,
        order: tuple[tuple[str, bool], ...] = (),
        most: int | None = None,
        skipped: int = 0,
    ) -> None:
        self._source = source
        self._condition = condition
        self._order = order
        self._most = most
        self._skipped = skipped
        self.is_paged = most is not None or skipped > 0
        """Whether it gives only some of what fulfils its conditions."""

    def order_by(self, *fields: str) -> Self:
        """The same, in this order; records that are equal in it stay in order of key, and None
        comes first.

        Args:
            fields: names of fields, the first one most important; `"depth_m desc"` for the greatest
                first.

        >>> print(shelf.records(Berth).where().order_by("harbour", "depth_m desc"))
        SELECT * FROM berth ORDER BY harbour, depth_m DESC
        """
        return self._with(
            order=tuple(direction(field, self._source.check_path) for field in fields)
        )

    def limit(self, most: int | None) -> Self:
        """At most this many.

        >>> _ = shelf.stock(Berth, 3)
        >>> [berth.id for berth in shelf.records(Berth).where().limit(2)]
        [1, 2]
        """
        return self._with(most=None if most is None else _whole(most, "limit"))

    def offset(self, skipped: int) -> Self:
        """Without the first so many.

        >>> _ = shelf.stock(Berth, 3)
        >>> [berth.id for berth in shelf.records(Berth).where().offset(2)]
        [3]
        """
        return self._with(skipped=_whole(skipped, "offset"))

    def _with(self, **changed: Any) -> Self:
        changes = {"order": self._order, "most": self._most, "skipped": self._skipped} | changed
        return type(self)(self._source, self._condition, **changes)

    def _run(self, most: int | None = None) -> list[V]:
        """What it gives; the first so many, where no more are wanted."""
        raise NotImplementedError

    def __iter__(self) -> Iterator[V]:
        return iter(self._run())

    def __len__(self) -> int:
        return len(self._run())

    @overload
    def __getitem__(self, index: int) -> V: ...
    @overload
    def __getitem__(self, index: slice) -> list[V]: ...
    def __getitem__(self, index: int | slice) -> V | list[V]:
        last = index.stop if isinstance(index, slice) else index
        # from the end on, all must be known
        ends = (index.start, index.stop, index.step) if isinstance(index, slice) else (index,)
        if last is None or any(end is not None and end < 0 for end in ends):
            return self._run()[index]
        return self._run(last + (not isinstance(index, slice)))[index]

    def __repr__(self) -> str:
        return f"<{self}>"

    def _sorted(self, rows: list[Any]) -> list[Any]:
        for path, descending in reversed(self._order):
            rows = sorted_by(rows, path, descending)
        return rows

    def _cut(self, found: list[Any]) -> list[Any]:
        return found[self._skipped : None if self._most is None else self._skipped + self._most]

    def _sql(self, what: str, tie: tuple[str, ...] = (), in_order: bool = False) -> str:
        text = f"{what} FROM {identifier(self._source.table_name)}"
        if self._condition.parts:
            text += f" WHERE {self._condition}"
        order = [
            f"{column_text(path)} DESC" if descending else column_text(path)
            for path, descending in self._order
        ]
        if self._most is not None or self._skipped or in_order:
            order += [identifier(field) for field in tie if field not in dict(self._order)]
        text += f" ORDER BY {', '.join(order)}" if order else ""
        if self._most is not None or self._skipped:
            text += f" LIMIT {-1 if self._most is None else self._most}"
        return f"{text} OFFSET {self._skipped}" if self._skipped else text


class Query(Selection[V]):
    """The records that fulfil some conditions; a value that can be narrowed, ordered, counted and
    looped over.

    What it gives are copies. `str(query)` is the SQL that asks the same of a database.

    >>> from urnshelf import Shelf, column
    >>> from urnshelf.demo.harbour import Berth
    >>> shelf = Shelf(seed=7)
    >>> _ = shelf.stock(Berth, 12, harbour="Ternhythe")
    >>> deep = shelf.records(Berth).where(column("depth_m") >= 4.0, harbour="Ternhythe")
    >>> deep = deep.order_by("depth_m desc").limit(3)
    >>> print(deep)  # doctest: +NORMALIZE_WHITESPACE
    SELECT * FROM berth WHERE depth_m >= 4.0 AND harbour = 'Ternhythe' ORDER BY depth_m DESC, id
    LIMIT 3
    >>> len(deep)
    3
    """

    def where(self, *conditions: Condition | Callable[[V], object], **fields: object) -> Query[V]:
        """The records of this query that fulfil more conditions.

        Args:
            conditions: comparisons of columns; as a last resort a function of the record.
            fields: a field and the value it must have.

        >>> deep = shelf.records(Berth).where(column("depth_m") >= 4)
        >>> print(deep.where(harbour="Ternhythe"))
        SELECT * FROM berth WHERE depth_m >= 4 AND harbour = 'Ternhythe'
        """
        if self.is_paged:
            raise RecordRefused(
                f"{self}: narrow a query before .limit() and .offset(), as SQL does"
            )
        condition = AllOf((*self._condition.parts, *condition_of(conditions, fields)))
        for path in condition.fields:
            self._source.check_path(path)
        return Query(self._source, condition, self._order)

    def first(self) -> V | None:
        """The first record, or None.

        >>> shelf.records(Berth).where().first() is None
        True
        """
        found = self._rows(1)
        return self._source.copies(found)[0] if found else None

    def one(self) -> V:
        """The only record; raises RecordMissing for none, RecordRefused for several.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).where(id=2).one().id
        2
        """
        found = self._rows()
        if not found:
            raise RecordMissing(f"no {self._source.name} is found by {self}")
        if len(found) > 1:
            raise RecordRefused(
                f"{len(found)} {self._source.name} records, not one, are found by {self}"
            )
        return self._source.copies(found)[0]  # type: ignore[no-any-return]

    def count(self) -> int:
        """How many records there are.

        >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe")
        >>> shelf.records(Berth).where(harbour="Ternhythe").count()
        3
        """
        return len(self._rows())

    def sum(self, field: str) -> Any:
        """The sum of a field; None is left out, and the sum of nothing is 0.

        >>> _ = shelf.stock(Berth, 3, length_m=30.0)
        >>> shelf.records(Berth).where().sum("length_m")
        90.0
        """
        values = self._values(field)
        return added(values, f"sum({field!r})") if values else 0

    def min(self, field: str) -> Any:
        """The least value of a field; None where there is no value.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).where().min("id")
        1
        """
        return next(iter(orderly(self._values(field), lambda value: value)), None)

    def max(self, field: str) -> Any:
        """The greatest value of a field; None where there is no value.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).where().max("id")
        3
        """
        return next(iter(orderly(self._values(field), lambda value: value, True)), None)

    def avg(self, field: str) -> Any:
        """The mean of a field; None where there is no value.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).where().avg("id")
        2.0
        """
        values = self._values(field)
        return added(values, f"avg({field!r})") / len(values) if values else None

    def count_by(self, field: str) -> dict[Any, int]:
        """How many records there are for each value of a field; the values in their order.

        >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe")
        >>> _ = shelf.stock(Berth, 2, harbour="Curlhythe")
        >>> shelf.records(Berth).where().count_by("harbour")
        {'Curlhythe': 2, 'Ternhythe': 3}
        """
        fetch = fetcher(self._source.check_path(field))
        values = [None if is_null(fetch(row)) else fetch(row) for row in self._rows()]
        counts = Counter(map(hashed, values))
        return {value: counts[hashed(value)] for value in distinct_values(in_own_order(values))}

    def distinct(self, *fields: str) -> Distinct:
        """The different values of a field, in their order; of several fields, tuples.

        >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe")
        >>> list(shelf.records(Berth).where().distinct("harbour"))
        ['Ternhythe']
        """
        if not fields:
            raise RecordRefused(
                "distinct() needs the names of fields: records themselves are all different"
            )
        return Distinct(self._source, self._condition, tuple(map(self._source.check_path, fields)))

    def remove(self) -> int:
        """Take these records away; how many there were.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).where(column("id") > 1).remove()
        2
        """
        return self._source.remove_rows(self._rows())

    def all(self) -> list[V]:
        """The records, as a list; `list(query)` asks for their number first, and so runs the query
        twice.

        >>> _ = shelf.stock(Berth, 3)
        >>> [berth.id for berth in shelf.records(Berth).where().all()]
        [1, 2, 3]
        """
        return self._source.copies(self._rows())

    def _run(self, most: int | None = None) -> list[V]:
        return self._source.copies(self._rows(most))

    def _rows(self, most: int | None = None) -> list[Any]:
        wanted = most if self._most is None or most is None else min(most, self._most)
        wanted = self._most if wanted is None else wanted
        if wanted is not None and (not self._order or self._is_by_key):
            return self._source.first_rows(self._condition, self._skipped + wanted)[self._skipped :]
        rows = self._source.rows(self._condition)
        rows = self._sorted(rows) if self._order else rows
        return (self._cut(rows) if self.is_paged else rows)[:most]

    @property
    def _is_by_key(self) -> bool:
        """Whether its order is that in which records stand anyhow."""
        return self._order == tuple((field, False) for field in self._source.key_fields)

    def _values(self, field: str) -> list[Any]:
        return without_nulls(map(fetcher(self._source.check_path(field)), self._rows()))

    def sql(self, what: str = "SELECT *") -> str:
        """The SQL of something else than its records: a count, a removal.

        Args:
            what: what stands before FROM.

        >>> shelf.records(Berth).where(id=2).sql("SELECT count(*)")
        'SELECT count(*) FROM berth WHERE id = 2'
        """
        return self._sql(what, self._source.key_fields)

    def in_order(self) -> str:
        """The SQL of its records, with the order in which it gives them.

        >>> shelf.records(Berth).where(harbour="Ternhythe").in_order()
        "SELECT * FROM berth WHERE harbour = 'Ternhythe' ORDER BY id"
        """
        return self._sql("SELECT *", self._source.key_fields or ("rowid",), in_order=True)

    @property
    def conditions(self) -> tuple[Condition, ...]:
        """What its records fulfil.

        >>> shelf.records(Berth).where(column("id") > 1).conditions
        (id > 1,)
        """
        return self._condition.parts

    def __str__(self) -> str:
        return self.sql()


class Distinct(Selection[Any]):
    """The different values of some fields.

    >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True)
    >>> list(shelf.records(Berth).where().distinct("harbour", "in_service"))
    [('Ternhythe', True)]
    """

    def __init__(
        self, source: View[Any], condition: AllOf, paths: tuple[str, ...] = (), **changes: Any
    ) -> None:
        super().__init__(
            source, condition, **{"order": tuple((path, False) for path in paths), **changes}
        )
        self._paths = paths

    def _with(self, **changed: object) -> Self:
        new = super()._with(**changed)
        new._paths = self._paths
        if not {path for path, _ in new._order} <= set(self._paths):
            raise RecordRefused(
                f"distinct values can be ordered only by themselves: {', '.join(self._paths)}"
            )
        return new

    def _run(self, most: int | None = None) -> list[Any]:
        rows = self._sorted(self._source.rows(self._condition))
        fetch = [fetcher(path) for path in self._paths]
        values = [
            tuple(None if is_null(value) else value for value in [one(row) for one in fetch])
            for row in rows
        ]
        found = values if len(fetch) > 1 else [value for (value,) in values]
        return self._cut(distinct_values(found))[:most]

    def __str__(self) -> str:
        return self._sql(f"SELECT DISTINCT {', '.join(map(column_text, self._paths))}")


def _whole(number: object, verb: str) -> int:
    if isinstance(number, bool) or not isinstance(number, int) or number < 0:
        raise RecordRefused(f"{verb}({number!r}): a whole number from 0 is needed")
    return number
