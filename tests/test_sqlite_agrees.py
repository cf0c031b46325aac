"""`str(query)`, run by SQLite, gives what the shelf gives: of values that are seldom met, too."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from enum import Enum
from itertools import combinations
from typing import Any

import pytest

from urnshelf import RecordRefused, Shelf, column
from urnshelf.records.sql import to_sql


class Colour(Enum):
    RED = "r"
    AMBER = "a"


@dataclass
class Odd:
    id: int
    text: str | None
    real: float | None
    money: Decimal | None
    colour: Colour | None
    day: date | None
    span: timedelta | None
    yes: bool | None


TEXTS = ["", "a", "A", "a\0b", "\0", "b\0", "Öst", "öst", "ß", "'", "a%", None]
REALS = [0.0, -0.0, 1.5, float("inf"), float("-inf"), float("nan"), None, 1e300]
MONEY = [Decimal(text) for text in ("0", "1.5", "-2", "NaN", "Infinity", "-Infinity", "sNaN")]
ROWS = [
    Odd(
        number,
        TEXTS[number % len(TEXTS)],
        REALS[number % len(REALS)],
        [*MONEY, None][number % 8],
        [Colour.RED, Colour.AMBER, None][number % 3],
        [date(2030, 1, 2), date(1999, 1, 1), None][number % 3],
        [timedelta(hours=1), timedelta(0), None][number % 3],
        [True, False, None][number % 3],
    )
    for number in range(1, 61)
]
TEXT, REAL, MONEYS = column("text"), column("real"), column("money")
CONDITIONS = [
    *[text == TEXT for text in TEXTS if text is not None],
    *[TEXT.contains(text) for text in ("a", "\0", "b", "")],
    *[TEXT.starts_with(text) for text in ("a", "a\0", "\0", "")],
    *[TEXT.ends_with(text) for text in ("%", "\0b", "\0", "")],
    *[text > TEXT for text in ("a", "b\0", "ö")],
    TEXT.one_of(["a", "\0", None]),
    TEXT.ignoring_case == "A",
    *[value == REAL for value in REALS if value is not None],
    *[value < REAL for value in REALS if value is not None],
    *[value == MONEYS for value in MONEY],
    *[value >= MONEYS for value in MONEY[:-1]],
    REAL.is_none(),
    MONEYS.is_none(),
    REAL.between(float("-inf"), 2),
    REAL.one_of([float("nan"), 1.5]),
    column("colour") == Colour.RED,
    column("day") >= date(2000, 1, 1),
    column("span") > timedelta(minutes=1),
    column("yes") == True,  # noqa: E712
]


@pytest.fixture(scope="module")
def database() -> Iterator[sqlite3.Connection]:
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.execute(
            "CREATE TABLE odd (id INTEGER PRIMARY KEY, text TEXT, real REAL, money NUMERIC, "
            "colour TEXT, day TEXT, span REAL, yes INTEGER)"
        )
        rows = [[to_sql(value) for value in vars(row).values()] for row in ROWS]
        connection.executemany("INSERT INTO odd VALUES (?, ?, ?, ?, ?, ?, ?, ?)", rows)
        yield connection


@pytest.fixture(scope="module")
def odd() -> Any:
    shelf = Shelf()
    shelf.stock(ROWS)
    return shelf.records(Odd)


def test_the_same_rows(database: sqlite3.Connection, odd: Any) -> None:
    both = [(a & ~b) | (b & ~a) for a, b in combinations(CONDITIONS[::3], 2)]
    for condition in [*CONDITIONS, *[~one for one in CONDITIONS], *both]:
        for query in (odd.where(condition), odd.where(condition).order_by("real", "id desc")):
            found = [row[0] for row in database.execute(query.in_order())]
            assert [one.id for one in query] == found, str(query)
            assert [one.id for one in query.limit(3).offset(2)] == found[2:5]
            assert [one.id for one in query[1:4]] == found[1:4]
            first = query.first()
            assert (first.id if first else None) == next(iter(found), None)


@pytest.mark.parametrize("field", ["text", "real", "money", "colour", "day", "span", "yes", "id"])
def test_the_same_aggregates(database: sqlite3.Connection, odd: Any, field: str) -> None:
    query = odd.where()

    def asked(what: str) -> Any:
        return database.execute(query.sql(f"SELECT {what}")).fetchone()[0]

    def told(value: Any) -> Any:
        value = to_sql(value)
        return None if value != value else value

    assert (told(query.min(field)), told(query.max(field))) == (
        asked(f"min({field})"), asked(f"max({field})"),
    )  # fmt: skip
    groups = dict(database.execute(f"{query.sql(f'SELECT {field}, count(*)')} GROUP BY 1"))
    assert {told(value): n for value, n in query.count_by(field).items()} == groups
    values = [row[0] for row in database.execute(str(query.distinct(field)))]
    assert list(map(told, query.distinct(field))) == values
    if field in ("text", "colour", "day"):
        with pytest.raises(RecordRefused, match="only numbers and spans of time can be added"):
            query.sum(field)
        with pytest.raises(RecordRefused, match=r"avg\('.*only numbers"):
            query.avg(field)
    elif field in ("span", "yes", "id"):
        assert told(query.sum(field)) == asked(f"sum({field})")
        assert told(query.avg(field)) == asked(f"avg({field})")


def test_letters_beyond_ascii_are_said_to_differ(odd: Any) -> None:
    query = odd.where(TEXT.ignoring_case == "ÖST")
    assert {one.text for one in query} == {"Öst", "öst"}
    assert str(query).endswith("lower('ÖST') /* SQLite's lower has A to Z only */")


def test_the_first_ones_stop_early(odd: Any) -> None:
    looked: list[int] = []

    def looks(record: Odd) -> bool:
        looked.append(record.id)
        return record.id > 3

    asks: list[Callable[[Any], Any]] = [
        lambda q: q.first(), lambda q: q[0], lambda q: q[:1], lambda q: list(q.limit(1))[:1],
    ]  # fmt: skip
    for ask in asks:
        for query in (odd.where(looks), odd.where(looks).order_by("id")):
            looked.clear()
            ask(query)
            assert max(looked) <= 4
    assert odd.where(looks)[-1].id == 60


def test_the_first_ones_by_an_index_come_in_order() -> None:
    shelf = Shelf()
    table = shelf.records(Odd)
    for number in [*range(1, 80, 2), *range(80, 0, -2)]:
        table.add(Odd(number, "ab"[number % 3 > 1], None, None, None, None, None, None))
    for _ in range(4):  # an index is made of what is asked often
        wanted = [one.id for one in table if one.text == "a"]
        assert [one.id for one in table.where(text="a").limit(9)] == wanted[:9]
        assert table.where(text="a").first() == table.get(wanted[0])
        table.save(table.get(wanted[0]))
        table.remove(wanted[3])
    assert table.where(text="z").first() is None
    assert table.where(id=2, text="b").first() == table.get(2)
    assert table.where(id=2, text="a").first() is None
