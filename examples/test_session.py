"""A service over a database session: real SQLite, and of its statements only some are cued."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from sqlalchemy import create_engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from urnshelf import Shelf, asking, column, cue, raising, tally, whatever
from urnshelf.demo.harbour.adaptors.orm import Base, QuayBook, Slot


@pytest.fixture
def session(shelf: Shelf) -> Iterator[Session]:
    engine = create_engine("sqlite://")
    Base.metadata.create_all(engine)
    with Session(engine) as real:
        real.add_all(shelf.urn.draw(Slot, 6, harbour="Ternhythe", is_open=True))
        real.commit()
        yield shelf.wrap(real)
    engine.dispose()


def test_the_other_statements_reach_the_database(session: Session) -> None:
    book = QuayBook(session)
    assert book.deep_enough("Ternhythe", 0.0) == [1, 2, 3, 4, 5, 6]
    assert book.close_shallow("Ternhythe", 10_000.0) == 6
    assert book.deep_enough("Ternhythe", 0.0) == []


def test_one_statement_is_answered_by_a_cue(session: Session) -> None:
    deep = asking(Slot, column("depth_m") >= 4.1)
    # a list is given as the result's rows; the checkers know of the result alone
    cue(session.scalars, deep).gives([Slot(id=40), Slot(id=41)])  # type: ignore[arg-type]
    book = QuayBook(session)
    assert book.deep_enough("Ternhythe", 4.1) == [40, 41]
    assert book.deep_enough("Ternhythe", 4.1) == [40, 41]
    assert book.deep_enough("Ternhythe", 0.0) == [1, 2, 3, 4, 5, 6]


def test_the_database_fails_in_the_middle(session: Session) -> None:
    locked = OperationalError("UPDATE slot …", {}, Exception("database is locked"))
    closing = asking(Slot, column("id").one_of([1, 2, 3, 4, 5, 6]), only=True)
    cue(session.execute, closing).gives(raising(locked))
    with pytest.raises(OperationalError, match="locked"):
        QuayBook(session).close_shallow("Ternhythe", 10_000.0)
    assert tally(session.commit) == 0
    assert tally(session.scalars, asking(Slot, column("is_open") == True)) == 1  # noqa: E712
    session.rollback()
    assert QuayBook(session).deep_enough("Ternhythe", 0.0) == [1, 2, 3, 4, 5, 6]
    assert tally(session.execute, whatever) == 1
