"""The mooring desk, tested by a class of unittest's; `python -m unittest` runs it, too."""

import unittest
from datetime import UTC, datetime
from typing import Annotated

from urnshelf import Faked, Furnished, cue, stocked, tally, whatever
from urnshelf.cases import ShelfCase
from urnshelf.demo.harbour import (
    Berth,
    Mooring,
    MooringDesk,
    NoBerthFits,
    PilotPager,
    TideService,
    Vessel,
    VesselUnknown,
)

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)


class MooringDeskCase(ShelfCase, unittest.TestCase):
    desk: Furnished[MooringDesk]
    tides: Faked[TideService]
    pilots: Faked[PilotPager]
    berths: Annotated[
        list[Berth], stocked(12, harbour="Ternhythe", in_service=True, length_m=90.0, depth_m=2.0)
    ]
    heron: Annotated[Vessel, stocked(name="Gray Heron", draught_m=4.1, length_m=40.0)]

    def test_the_smallest_berth_that_fits(self) -> None:
        cue(self.tides.depth_at, "Ternhythe", whatever).gives(6.3)
        mooring = self.desk.moor(self.heron.id, NOON)
        self.assertIn(mooring.berth_id, {berth.id for berth in self.berths})
        self.assertEqual(self.shelf.records(Mooring).count(), 1)
        self.assertEqual(tally(self.pilots.page, self.heron.id, whatever), 1)

    def test_depths(self) -> None:
        cue(self.tides.depth_at, "Ternhythe", whatever).gives(0.5, 1.0, 2.0)
        for number in range(3):
            with self.subTest(number), self.assertRaises(NoBerthFits):
                self.desk.moor(self.heron.id, NOON)
        self.assertEqual(tally(self.pilots.page), 0)

    def test_nobody_knows_the_vessel(self) -> None:
        with self.assertRaises(VesselUnknown):
            self.desk.moor(vessel_id=999, arrival=NOON)


class LaterCase(ShelfCase, unittest.IsolatedAsyncioTestCase):
    tides: Faked[TideService]

    async def test_in_a_loop(self) -> None:
        cue(self.tides.depth_at).gives(6.3)
        self.assertEqual(self.tides.depth_at("Ternhythe", NOON), 6.3)
