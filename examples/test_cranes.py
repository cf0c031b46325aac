"""The crane office, tested over a kiosk with cranes behind it."""

import httpx
import pytest

from cranes import Crane, CraneOffice, CranesSilent, CraneTaken
from urnshelf import Shelf, cue, ledger_of, passing_through, raising, tally
from urnshelf.kiosk import response
from urnshelf.kiosks import Kiosk


@pytest.fixture
def kiosk(shelf: Shelf) -> Kiosk:
    kiosk = shelf.kiosk("cranes")
    kiosk.collection("/cranes", Crane)
    kiosk.tokens("/token", {"office": "s3cret"}, lasts=600)
    kiosk.stands_in_for("https://cranes.example")
    return kiosk


@pytest.fixture
def waits() -> list[float]:
    return []


@pytest.fixture
def office(kiosk: Kiosk, waits: list[float]) -> CraneOffice:
    return CraneOffice("https://cranes.example", "s3cret", waits.append)


def test_free_cranes_are_read_page_by_page(shelf: Shelf, kiosk: Kiosk, office: CraneOffice) -> None:
    shelf.stock(Crane, 5, lifts_t=40.0, is_free=True)
    shelf.stock(Crane, 2, lifts_t=20.0, is_free=True)
    assert [crane.id for crane in office.free(lifts_t=30)] == [1, 2, 3, 4, 5]
    assert tally(kiosk.route("POST", "/token")) == 1


def test_a_token_that_expired_is_asked_for_again(
    shelf: Shelf, kiosk: Kiosk, office: CraneOffice
) -> None:
    shelf.stock(Crane, 2, is_free=True)
    office.book(1)
    shelf.clock.advance(minutes=10)
    office.book(2)
    assert [crane.is_free for crane in shelf.records(Crane)] == [False, False]
    assert tally(kiosk.route("POST", "/token")) == 2


def test_a_crane_that_somebody_else_books_meanwhile(
    shelf: Shelf, kiosk: Kiosk, office: CraneOffice
) -> None:
    shelf.stock(Crane, is_free=True)
    cue(kiosk.route("PATCH", "/cranes/{id}")).gives(response(412))
    with pytest.raises(CraneTaken):
        office.book(1)


def test_a_service_that_is_busy_and_silent_for_a_while(
    shelf: Shelf, kiosk: Kiosk, office: CraneOffice, waits: list[float]
) -> None:
    shelf.stock(Crane, is_free=True)
    busy = response(503, headers={"Retry-After": "7"})
    get = kiosk.route("GET", "/cranes/{id}")
    cue(get).gives(busy, raising(TimeoutError()), passing_through)
    assert office.book(1) == shelf.records(Crane).get(1)
    assert waits == [7, 2]


def test_a_service_that_stays_silent(kiosk: Kiosk, office: CraneOffice, waits: list[float]) -> None:
    cue(kiosk.route("GET", "/cranes/{id}")).raises(TimeoutError())
    with pytest.raises(CranesSilent, match="tried 3 times"):
        office.book(7)
    assert waits == [1, 2, 3]


def test_a_wrong_secret(kiosk: Kiosk) -> None:
    with pytest.raises(httpx.HTTPStatusError, match="401"):
        CraneOffice("https://cranes.example", "wrong").book(7)
    assert ledger_of(kiosk).names[-1] == "cranes: POST /token"
