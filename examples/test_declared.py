"""The mooring desk, its fakes and records declared by the tests' own parameters and fields."""

from datetime import UTC, datetime
from typing import Annotated

import pytest

from urnshelf import Faked, Furnished, cue, raising, stocked, tally, whatever
from urnshelf.demo.harbour import (
    Berth,
    GaugeSilent,
    MooringDesk,
    NoBerthFits,
    PilotPager,
    TideService,
    Vessel,
)

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)
Berths = Annotated[
    list[Berth], stocked(12, harbour="Ternhythe", in_service=True, length_m=90.0, depth_m=2.0)
]
Heron = Annotated[Vessel, stocked(name="Gray Heron", draught_m=4.1, length_m=40.0)]


@pytest.mark.parametrize("days", [1, 3])
def test_a_berth_for_some_days(
    desk: Furnished[MooringDesk],
    tides: Faked[TideService],
    pilots: Faked[PilotPager],
    berths: Berths,
    heron: Heron,
    days: int,
) -> None:
    cue(tides.depth_at, "Ternhythe", whatever).gives(raising(GaugeSilent()), 6.3)
    mooring = desk.moor(heron.id, NOON, days)
    assert mooring.days == days
    assert mooring.berth_id in {berth.id for berth in berths}
    assert tally(pilots.page, heron.id, whatever) == 1


class TestLowTide:
    desk: Furnished[MooringDesk]
    tides: Faked[TideService]
    pilots: Faked[PilotPager]
    heron: Heron

    def setup_method(self) -> None:
        cue(self.tides.depth_at, "Ternhythe", whatever).gives(2.0)

    def test_no_berth_without_water(self, berths: Berths) -> None:
        with pytest.raises(NoBerthFits):
            self.desk.moor(self.heron.id, NOON)
        assert tally(self.pilots.page) == 0
        assert len(berths) == 12

    def test_no_berth_where_there_is_none(self) -> None:
        with pytest.raises(NoBerthFits):
            self.desk.moor(self.heron.id, NOON)
