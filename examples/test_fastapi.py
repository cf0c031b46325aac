"""The office on the web: one line lends it the shelf's fakes."""

from __future__ import annotations

import asyncio

import httpx
import pytest

from office import app
from urnshelf import Faked, Shelf, cue, tally, whatever
from urnshelf.demo.harbour import Berth, Mooring, PilotPager, TideService, Vessel


def post(path: str) -> httpx.Response:
    async def answered() -> httpx.Response:
        transport = httpx.ASGITransport(app=app)
        async with httpx.AsyncClient(transport=transport, base_url="http://office") as client:
            return await client.post(path, params={"arrival": "2030-06-01T12:00:00Z"})

    return asyncio.run(answered())


@pytest.fixture(autouse=True)
def lent(shelf: Shelf) -> None:
    shelf.lend_to(app)
    shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True, length_m=90.0, depth_m=2.0)
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1))


def test_a_berth_is_booked(shelf: Shelf, tides: Faked[TideService]) -> None:
    cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
    assert post("/moorings/7").json() == {"id": 1, "berth": 1}
    assert shelf.records(Mooring).get(1).vessel_id == 7
    assert tally(shelf.fake(PilotPager).page, 7, whatever) == 1


def test_no_water(shelf: Shelf, tides: Faked[TideService]) -> None:
    cue(tides.depth_at, "Ternhythe", whatever).gives(0.5)
    answer = post("/moorings/7")
    assert answer.status_code == 409
    assert answer.json() == {"detail": "no free berth at Ternhythe holds Gray Heron"}
    assert tally(shelf.fake(PilotPager).page) == 0
