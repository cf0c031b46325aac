"""Database statements as arguments: shown as SQL, the same by SQL and values, found by their
conditions.
"""

from __future__ import annotations

import asyncio
from datetime import date
from typing import Any, Protocol

import pytest
import sqlalchemy as sa
from sqlalchemy import (
    Connection,
    ScalarResult,
    and_,
    delete,
    func,
    insert,
    or_,
    select,
    text,
    update,
)
from sqlalchemy.orm import Session, aliased

from urnshelf import (
    RecordRefused,
    Shelf,
    asking,
    column,
    cue,
    ledger_of,
    tally,
    unseen,
    whatever,
)
from urnshelf.demo.harbour import Berth
from urnshelf.demo.harbour.adaptors.orm import Base, QuayBook, Slot
from urnshelf.records.display import show
from urnshelf.records.equality import same

dated = sa.table("dated", sa.column("day"), sa.column("slot_id"))
of_text = text("SELECT id FROM slot WHERE id = :id AND harbour LIKE 'T%'").bindparams(id=3)

SHOWN: dict[str, tuple[Any, str]] = {
    "whole": (select(Slot).where(Slot.id == 3), "SELECT slot.* FROM slot WHERE slot.id = 3"),
    "columns": (select(Slot.id), "SELECT slot.id FROM slot"),
    "list": (select(Slot.id).where(Slot.id.in_([2, 1])), "SELECT slot.id FROM slot WHERE slot.id IN (2, 1)"),
    "text": (select(Slot.id).where(Slot.harbour == "O'Hythe"), "SELECT slot.id FROM slot WHERE slot.harbour = 'O''Hythe'"),
    "none": (select(Slot.id).where(Slot.harbour.is_(None)), "SELECT slot.id FROM slot WHERE slot.harbour IS NULL"),
    "date": (select(dated.c.slot_id).where(dated.c.day == date(2030, 6, 1)), "SELECT dated.slot_id FROM dated WHERE dated.day = '2030-06-01'"),
    "update": (update(Slot).where(Slot.id == 3).values(is_open=False), "UPDATE slot SET is_open=false WHERE slot.id = 3"),
    "insert": (insert(Slot).values(id=1, harbour="T"), "INSERT INTO slot (id, harbour, is_open) VALUES (1, 'T', :is_open)"),
    "delete": (delete(Slot).where(Slot.depth_m < 2.5), "DELETE FROM slot WHERE slot.depth_m < 2.5"),
    "by hand": (of_text, "SELECT id FROM slot WHERE id = 3 AND harbour LIKE 'T%'"),
    "lacking": (text("SELECT 1 FROM slot WHERE id = :id"), "SELECT 1 FROM slot WHERE id = :id"),
    "cast": (text("SELECT id::text FROM slot"), "SELECT id::text FROM slot"),
    "making a table": (sa.schema.CreateTable(sa.Table("log", sa.MetaData(), sa.Column("n", sa.Integer))), "CREATE TABLE log ( n INTEGER )"),
    "join": (select(Slot.id).join(dated, dated.c.slot_id == Slot.id), "SELECT slot.id FROM slot JOIN dated ON dated.slot_id = slot.id"),
}  # fmt: skip


@pytest.mark.parametrize("name", SHOWN)
def test_shown_as_sql_with_its_values(name: str) -> None:
    statement, shown = SHOWN[name]
    assert show(statement, 200) == shown


def test_the_shown_sql_is_what_the_database_would_do() -> None:
    engine = sa.create_engine("sqlite://")
    Base.metadata.create_all(engine)
    statement = select(Slot).where(
        Slot.depth_m.between(1, 7), or_(Slot.harbour == "O'Hythe", Slot.is_open)
    )
    with Session(engine) as session:
        session.add_all(Shelf(seed=7).urn.draw(Slot, 40))
        session.commit()
        wanted = [one.id for one in session.scalars(statement)]
        found = [row[0] for row in session.execute(text(show(statement, 300)))]
        assert wanted == found != []
    engine.dispose()


def test_the_same_by_sql_and_values() -> None:
    one = select(Slot).where(Slot.id == 3, Slot.harbour == "Ternhythe")
    assert same(one, select(Slot).where(Slot.id == 3, Slot.harbour == "Ternhythe"))
    assert same(one, select(Slot).filter_by(id=3).filter_by(harbour="Ternhythe"))
    for other in (
        select(Slot).where(Slot.id == 4, Slot.harbour == "Ternhythe"),
        select(Slot).where(Slot.id == 3),
        select(Slot.id).where(Slot.id == 3, Slot.harbour == "Ternhythe"),
        one.limit(1),
        "SELECT",
        None,
    ):
        assert not same(one, other), str(other)
    assert same(of_text, text(of_text.text).bindparams(id=3))
    assert not same(of_text, text(of_text.text).bindparams(id=True))
    # a matcher among the values
    assert same(
        {"by": select(Slot).where(Slot.id.in_([1, 2]))},
        {"by": select(Slot).where(Slot.id.in_([1, 2]))},
    )


other_name = aliased(Slot)
FOUND: dict[str, tuple[Any, tuple[Any, ...]]] = {
    "equal": (select(Slot).where(Slot.id == 3), (column("id") == 3,)),
    "turned": (select(Slot).where(Slot.id > 3), (column("id") > 3,)),
    "in": (select(Slot).where(Slot.id.in_([2, 1])), (column("id").one_of([1, 2]),)),
    "not in": (select(Slot).where(Slot.id.not_in([2, 1])), (~column("id").one_of([1, 2]),)),
    "between": (select(Slot).where(Slot.depth_m.between(2, 5)), (column("depth_m").between(2, 5),)),
    "between as two": (
        select(Slot).where(Slot.depth_m <= 5, Slot.depth_m >= 2), (column("depth_m").between(2, 5),)
    ),
    "none": (select(Slot).where(Slot.harbour.is_(None)), (column("harbour").is_none(),)),
    "not none": (select(Slot).where(Slot.harbour.is_not(None)), (~column("harbour").is_none(),)),
    "true": (select(Slot).where(Slot.is_open), (column("is_open") == True,)),  # noqa: E712
    "false": (select(Slot).where(~Slot.is_open), (column("is_open") == False,)),  # noqa: E712
    "is true": (select(Slot).where(Slot.is_open.is_(True)), (column("is_open") == True,)),  # noqa: E712
    "unequal": (select(Slot).where(Slot.id != 3), (column("id") != 3,)),
    "not equal": (select(Slot).where(sa.not_(Slot.id == 3)), (~(column("id") == 3),)),
    "contains": (select(Slot).where(Slot.harbour.contains("hy")), (column("harbour").contains("hy"),)),
    "starts": (
        select(Slot).where(Slot.harbour.startswith("T")), (column("harbour").starts_with("T"),)
    ),
    "escaped": (
        select(Slot).where(Slot.harbour.contains("h%y", autoescape=True)),
        (column("harbour").contains("h%y"),),
    ),
    "or": (
        select(Slot).where(or_(Slot.id == 3, and_(Slot.id == 4, Slot.is_open))),
        (((column("is_open") == True) & (column("id") == 4)) | (column("id") == 3),),  # noqa: E712
    ),
    "nested and": (
        select(Slot).where(and_(Slot.id == 3, and_(Slot.harbour == "T", Slot.depth_m > 2))),
        (column("depth_m") > 2, column("id") == 3, column("harbour") == "T"),
    ),
    "joined": (
        select(Slot).join(dated, dated.c.slot_id == Slot.id).where(dated.c.day == "x", Slot.id == 1),
        (column("dated.day") == "x", column("id") == 1),
    ),
    "alias": (select(other_name).where(other_name.id == 3), (column("id") == 3,)),
    "update": (update(Slot).where(Slot.id == 3).values(is_open=False), (column("id") == 3,)),
    "delete": (delete(Slot).where(Slot.id == 3), (column("id") == 3,)),
    "insert": (insert(Slot).values(id=1), ()),
    "by hand": (of_text, (column("id") == 3,)),
    "by hand, many": (
        text("""select * from slot s -- all of them
                where s.id in (1, 2) and "depth_m" between 1 and 2.5 and harbour is not null
                  and is_open <> false and (id = 1 or id = 2) order by id"""),
        (column("id").one_of([2, 1]), column("depth_m").between(1, 2.5),
         ~column("harbour").is_none(), column("is_open") != False),  # noqa: E712
    ),
    "by hand, expanded": (
        text("DELETE FROM slot WHERE id NOT IN :ids").bindparams(
            sa.bindparam("ids", [1, 2], expanding=True)
        ),
        (~column("id").one_of([1, 2]),),
    ),
    "any value": (select(Slot).where(Slot.id == sa.bindparam("id")), (column("id") == whatever,)),
}  # fmt: skip


@pytest.mark.parametrize("name", FOUND)
def test_found_by_its_conditions(name: str) -> None:
    statement, conditions = FOUND[name]
    assert same(asking(Slot, *conditions), statement)
    assert same(asking("slot"), statement)
    assert not same(asking("berth", *conditions), statement)
    for condition in conditions:
        lacking = [one for one in conditions if one is not condition]
        assert same(asking(Slot, *lacking), statement)
        assert not same(asking(Slot, *lacking, only=True), statement)
        assert not same(asking(Slot, *lacking, column("id") == 99), statement)
    # of two texts the rest is more than what was asked for
    is_whole = name not in ("by hand", "by hand, many")
    assert same(asking(Slot, *conditions, only=True), statement) is is_whole


def test_what_a_statement_is_not() -> None:
    wanted = asking(Slot, column("id") == 3)
    for value in (3, "SELECT * FROM slot WHERE id = 3", None, Slot, Slot(id=3)):
        assert not same(wanted, value)
    assert not same(wanted, select(Slot).where(Slot.id == True))  # noqa: E712  # True is not 1
    lower = select(Slot).where(func.lower(Slot.harbour) == "ternhythe")
    assert same(asking(Slot), lower)
    assert not same(asking(Slot, only=True), lower)
    assert not same(asking(Slot, column("harbour") == "ternhythe"), lower)
    pattern = select(Slot).where(Slot.harbour.contains("h%y"))
    assert not same(asking(Slot, column("harbour").contains("h%y")), pattern)
    either_way = select(Slot).where(Slot.id.between(2, 1, symmetric=True))
    assert not same(asking(Slot, column("id").between(2, 1)), either_way)
    unions = select(Slot.id).union(select(Slot.id))
    assert not same(asking(Slot, column("id") == 3), unions)


def test_what_cannot_be_asked_for() -> None:
    with pytest.raises(RecordRefused, match="say which table"):
        asking(3)
    with pytest.raises(RecordRefused, match="say which table"):
        asking(int)
    folded: Any = column("harbour").ignoring_case == "x"
    for condition in (folded, lambda record: True, 3):
        with pytest.raises(RecordRefused):
            asking(Slot, condition)
    # plain record types are looked for as load_sql does
    assert same(asking(Berth), text("SELECT * FROM berths"))


@pytest.fixture
def session(shelf: Shelf) -> Any:
    engine = sa.create_engine("sqlite://")
    Base.metadata.create_all(engine)
    with Session(engine) as real:
        real.add_all(
            [Slot(id=n, harbour="Ternhythe", depth_m=n, is_open=n > 1) for n in range(1, 6)]
        )
        real.commit()
        yield shelf.wrap(real)
    engine.dispose()


def test_the_failure_marks_the_condition_that_differs(session: Session) -> None:
    QuayBook(session).deep_enough("Ternhythe", 3.0)
    told = str(tally(session.scalars, asking(Slot, column("depth_m") >= 4.0)))
    assert "statement.depth_m  <-- differs" in told
    assert "expected:    depth_m >= 4.0" in told
    assert "called with: slot.depth_m >= 3.0" in told
    told = str(tally(session.scalars, asking(Slot, column("depth_m") >= 3.0, only=True)))
    assert "statement.harbour  <-- differs" in told
    assert "expected:    no other condition" in told
    told = str(tally(session.scalars, asking("berth")))
    assert "statement.table  <-- differs" in told
    told = str(tally(session.scalars, select(Slot).where(Slot.depth_m >= 4.0)))
    assert "statement WHERE slot.depth_m  <-- differs" in told
    assert "expected:    no such condition" in told


def test_a_list_is_given_as_the_rows_of_a_result(session: Session, shelf: Shelf) -> None:
    mine: Any = [Slot(id=40), Slot(id=41)]
    cue(session.scalars, asking(Slot, column("id") > 30)).gives(mine)
    wanted = select(Slot).where(Slot.id > 30)
    for _ in range(2):  # a result can be read once, so each call has one of its own
        assert session.scalars(wanted).all() == mine
    assert [one.id for one in session.scalars(select(Slot))] == [1, 2, 3, 4, 5]
    rows: Any = [(1, "Ternhythe"), (2, "Curlhythe")]
    cue(session.execute, asking("berth")).gives(rows)
    found = session.execute(text("SELECT id, harbour FROM berth"))
    assert [(row[0], row[1]) for row in found] == rows
    cue(session.execute, asking("count")).gives([7])  # type: ignore[arg-type]
    assert session.execute(text("SELECT n FROM count")).scalar_one() == 7

    class Book(Protocol):
        def slots(self) -> ScalarResult[Slot]: ...
        async def later(self) -> ScalarResult[Slot]: ...
        def plain(self) -> list[Slot]: ...

    book = shelf.fake(Book)
    cue(book.slots).gives(mine)
    cue(book.later).gives(mine)
    cue(book.plain).gives(mine)
    assert book.slots().all() == mine
    assert asyncio.run(book.later()).all() == mine
    assert book.plain() == mine


def test_the_ledger_shows_the_conditions_of_a_long_statement(session: Session) -> None:
    QuayBook(session).close_shallow("Ternhythe", 3.0)
    told = str(ledger_of(session))
    assert "WHERE slot.harbour = 'Ternhythe' AND slot.depth_m < 3.0 AND slot.is_open" in told
    assert "UPDATE slot SET is_open=false WHERE slot.id IN (2)" in told
    assert "kw=" not in told
    assert not unseen(session)


def test_a_connection(shelf: Shelf) -> None:
    engine = sa.create_engine("sqlite://")
    Base.metadata.create_all(engine)
    with engine.connect() as real:
        connection: Connection = shelf.wrap(real)
        cue(connection.execute, asking(Slot)).gives([(1,)])  # type: ignore[arg-type]
        assert connection.execute(select(Slot.id)).scalar() == 1
        assert connection.execute(text("SELECT 2")).scalar() == 2
    engine.dispose()
