"""The rules of the harbour: giving a vessel a berth, counting dues, walking the quays at night."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from urnshelf.demo.harbour.errors import GaugeSilent, NoBerthFits, TideUnknown, VesselUnknown
from urnshelf.demo.harbour.ports import (
    BerthRepository,
    MooringRegister,
    PilotPager,
    QuayPatrol,
    TideService,
    VesselRepository,
)
from urnshelf.demo.harbour.records import Berth, Mooring, MooringState, QuayReport, Vessel

KEEL_CLEARANCE_M = 0.5
PILOT_FROM_LENGTH_M = 60.0


class MooringDesk:
    """Gives a vessel the smallest berth that holds it."""

    def __init__(
        self,
        vessels: VesselRepository,
        berths: BerthRepository,
        moorings: MooringRegister,
        tides: TideService,
        pilots: PilotPager,
        home: str = "Ternhythe",
    ) -> None:
        self._vessels = vessels
        self._berths = berths
        self._moorings = moorings
        self._tides = tides
        self._pilots = pilots
        self._home = home

    def moor(self, vessel_id: int, arrival: datetime, days: int = 1) -> Mooring:
        """Book a berth; raises VesselUnknown, TideUnknown or NoBerthFits."""
        vessel = self._vessels.find(vessel_id)
        if vessel is None:
            raise VesselUnknown(f"no vessel has the number {vessel_id}")
        tide = self._tide_at(arrival)
        berth = self._smallest_that_fits(vessel, tide)
        mooring = self._moorings.add(
            Mooring(
                id=None,
                vessel_id=vessel.id,
                berth_id=berth.id,
                arrival=arrival,
                days=days,
                depth_at_arrival_m=round(berth.depth_m + tide, 2),
                dues=berth.day_rate * days,
            )
        )
        self._pilots.page(
            vessel.id,
            f"{vessel.name} to {berth.code}",
            urgent=vessel.length_m >= PILOT_FROM_LENGTH_M,
        )
        return mooring

    def _tide_at(self, arrival: datetime) -> float:
        try:
            return self._tides.depth_at(self._home, arrival)
        except GaugeSilent:
            pass
        try:
            return self._tides.depth_at(self._home, arrival)
        except GaugeSilent as silence:
            raise TideUnknown(f"the gauge at {self._home} stayed silent") from silence

    def _smallest_that_fits(self, vessel: Vessel, tide: float) -> Berth:
        taken = {m.berth_id for m in self._moorings.all() if m.state is not MooringState.DEPARTED}
        fitting = [
            berth
            for berth in self._berths.find_by_harbour(self._home)
            if berth.in_service
            and berth.id not in taken
            and berth.length_m >= vessel.length_m
            and berth.depth_m + tide >= vessel.draught_m + KEEL_CLEARANCE_M
        ]
        if not fitting:
            raise NoBerthFits(f"no free berth at {self._home} holds {vessel.name}")
        return min(fitting, key=lambda berth: (berth.length_m, berth.id))


@dataclass(frozen=True)
class DuesBill:
    """What one vessel owes."""

    vessel_id: int
    days: int
    gross: Decimal
    rebate: Decimal
    net: Decimal


class DuesOffice:
    """Bills a vessel for all its stays: from the tenth day on, a tenth off."""

    REBATE_FROM_DAY = 10
    REBATE = Decimal("0.10")

    def __init__(self, moorings: MooringRegister, berths: BerthRepository) -> None:
        self._moorings = moorings
        self._berths = berths

    def bill(self, vessel_id: int) -> DuesBill:
        """The vessel's bill over all its moorings."""
        days, gross, rebate = 0, Decimal(0), Decimal(0)
        for mooring in self._moorings.find_by_vessel_id(vessel_id):
            rate = self._berths.get(mooring.berth_id).day_rate
            dear = max(0, min(mooring.days, self.REBATE_FROM_DAY - 1 - days))
            gross += rate * mooring.days
            rebate += rate * (mooring.days - dear) * self.REBATE
            days += mooring.days
        rebate = rebate.quantize(Decimal("0.01"))
        return DuesBill(vessel_id, days, gross, rebate, gross - rebate)


class NightShift:
    """Has every berth of a harbour looked at, all at once, and closes the damaged ones."""

    def __init__(self, berths: BerthRepository, patrol: QuayPatrol) -> None:
        self._berths = berths
        self._patrol = patrol

    async def walk(self, harbour: str) -> list[QuayReport]:
        """The patrol's reports in order of berth number; damaged berths go out of service and are
        lit.
        """
        berths = self._berths.find_by_harbour(harbour)
        reports = await asyncio.gather(*(self._patrol.report_on(berth.code) for berth in berths))
        for berth, report in zip(berths, reports, strict=True):
            if not report.fenders_intact:
                await self._close(berth, report)
        return list(reports)

    async def _close(self, berth: Berth, report: QuayReport) -> None:
        berth.in_service = False
        berth.defect = report.note
        self._berths.save(berth)
        await self._patrol.light_up(berth.code)


def total_days(moorings: Iterable[Mooring]) -> int:
    """How many days these moorings last together."""
    return sum(mooring.days for mooring in moorings)
