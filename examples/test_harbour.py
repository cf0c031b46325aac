"""The harbour's services, tested twice with the same assertions: over fakes, and over SQLite and
HTTP.
"""

from __future__ import annotations

import asyncio
from datetime import UTC, datetime
from decimal import Decimal
from typing import TYPE_CHECKING

import pytest

from urnshelf.demo.harbour import (
    Berth,
    Mooring,
    MooringState,
    NoBerthFits,
    QuayReport,
    TideUnknown,
    Vessel,
    VesselUnknown,
)

if TYPE_CHECKING:
    from worlds import World

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)
HERON = Vessel(id=7, name="Gray Heron", call_sign="GH-0007", length_m=38.0, draught_m=4.1)


def berth(
    number: int, length_m: float = 60.0, depth_m: float = 3.0, rate: str = "100", **more: object
) -> Berth:
    return Berth(number, f"B-{number:02}", "Ternhythe", length_m, depth_m, Decimal(rate), **more)  # type: ignore[arg-type]


def stay(
    vessel_id: int, berth_id: int, days: int, state: MooringState = MooringState.ALONGSIDE
) -> Mooring:
    return Mooring(None, vessel_id, berth_id, NOON, days, 9.0, Decimal(100), state)


def test_the_smallest_berth_that_fits_is_taken(world: World) -> None:
    world.put(HERON, berth(1, length_m=120), berth(2, length_m=40), berth(3, length_m=30))
    world.tide(2.0)
    mooring = world.desk.moor(7, NOON, days=3)
    assert mooring.berth_id == 2
    assert mooring.dues == Decimal(300)
    assert world.moorings() == [mooring]
    assert world.pages() == [(7, "Gray Heron to B-02", False)]


def test_a_berth_in_use_is_passed_over_and_a_left_one_is_not(world: World) -> None:
    world.put(HERON, berth(1), berth(2), stay(9, 1, 2), stay(9, 2, 2, MooringState.DEPARTED))
    world.tide(2.0)
    assert world.desk.moor(7, NOON).berth_id == 2


def test_a_berth_out_of_service_is_passed_over(world: World) -> None:
    world.put(HERON, berth(1, in_service=False))
    world.tide(2.0)
    with pytest.raises(NoBerthFits, match="Gray Heron"):
        world.desk.moor(7, NOON)
    assert world.moorings() == []
    assert world.pages() == []


def test_the_gauge_is_asked_twice_at_most(world: World) -> None:
    world.put(HERON, berth(1))
    world.tide(None, 2.5)
    assert world.desk.moor(7, NOON).depth_at_arrival_m == 5.5
    assert world.gauge_requests() == 2


def test_a_gauge_that_stays_silent_is_told(world: World) -> None:
    world.put(HERON, berth(1))
    world.tide(None)
    with pytest.raises(TideUnknown, match="Ternhythe"):
        world.desk.moor(7, NOON)
    assert world.gauge_requests() == 2


def test_a_vessel_that_nobody_knows_is_refused(world: World) -> None:
    world.put(berth(1))
    with pytest.raises(VesselUnknown, match="99"):
        world.desk.moor(99, NOON)


def test_a_long_vessel_is_urgent_for_the_pilots(world: World) -> None:
    world.put(Vessel(id=8, name="Long Eider", call_sign="LE-0008", length_m=60.0), berth(1))
    world.tide(3.0)
    world.desk.moor(8, NOON)
    assert world.pages() == [(8, "Long Eider to B-01", True)]


def test_dues_over_many_stays_have_a_rebate_from_the_tenth_day(world: World) -> None:
    world.put(
        berth(1, rate="100"), berth(2, rate="50"), stay(7, 1, 8), stay(7, 2, 4), stay(8, 1, 30)
    )
    bill = world.dues.bill(7)
    assert (bill.days, bill.gross, bill.rebate, bill.net) == (
        12,
        Decimal(1000),
        Decimal("15.00"),
        Decimal("985.00"),
    )


def test_the_night_shift_closes_and_lights_damaged_berths(world: World) -> None:
    world.put(berth(1), berth(2), berth(3))
    world.patrol_sees(
        QuayReport("B-01", fenders_intact=True),
        QuayReport("B-02", fenders_intact=False, note="two fenders lost"),
        QuayReport("B-03", fenders_intact=True),
    )
    reports = asyncio.run(world.night.walk("Ternhythe"))
    assert [report.fenders_intact for report in reports] == [True, False, True]
    assert (world.berth(2).in_service, world.berth(2).defect) == (False, "two fenders lost")
    assert world.berth(1).in_service
    assert world.lit() == ["B-02"]
