"""The README's first test: copy it, and put your own service in the place of the mooring desk."""

from datetime import UTC, datetime

from urnshelf import Shelf, cue, raising, tally, unseen, whatever
from urnshelf.demo.harbour import (
    Berth,
    GaugeSilent,
    Mooring,
    MooringDesk,
    PilotPager,
    TideService,
    Vessel,
)

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)


def test_the_gauge_is_asked_again_when_it_is_silent(shelf: Shelf) -> None:
    shelf.stock(Berth, 12, harbour="Ternhythe", in_service=True)
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1))
    desk = shelf.furnish(MooringDesk)
    tides, pilots = shelf.fake(TideService), shelf.fake(PilotPager)
    cue(tides.depth_at, "Ternhythe", whatever).gives(raising(GaugeSilent()), 6.3)

    mooring = desk.moor(vessel_id=7, arrival=NOON)

    assert mooring.berth_id in {berth.id for berth in shelf.records(Berth)}
    assert shelf.records(Mooring).count() == 1
    assert tally(tides.depth_at) == 2
    assert tally(pilots.page, 7, whatever) == 1
    assert not unseen(pilots)
