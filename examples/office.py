"""The harbour office on the web: FastAPI builds the mooring desk of what its dependencies give."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from datetime import datetime
from typing import Annotated, Any

import httpx
from fastapi import Depends, FastAPI, HTTPException

from urnshelf.demo.harbour import (
    BerthRepository,
    HarbourError,
    MooringDesk,
    MooringRegister,
    PilotPager,
    TideService,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.http import HttpPager, HttpTides
from urnshelf.demo.harbour.adaptors.sqlite import (
    SqliteBerths,
    SqliteMoorings,
    SqliteVessels,
    open_harbour,
)

app = FastAPI()


def get_vessels() -> Iterator[VesselRepository]:
    with closing(open_harbour("office.db")) as connection:
        yield SqliteVessels(connection)


def get_berths() -> Iterator[BerthRepository]:
    with closing(open_harbour("office.db")) as connection:
        yield SqliteBerths(connection)


def get_moorings() -> Iterator[MooringRegister]:
    with closing(open_harbour("office.db")) as connection:
        yield SqliteMoorings(connection)


def get_tides() -> TideService:
    return HttpTides(httpx.Client(base_url="http://127.0.0.1:1"))


async def get_pilots() -> PilotPager:
    return HttpPager(httpx.Client(base_url="http://127.0.0.1:1"))


def get_desk(
    vessels: Annotated[VesselRepository, Depends(get_vessels)],
    berths: Annotated[BerthRepository, Depends(get_berths)],
    moorings: Annotated[MooringRegister, Depends(get_moorings)],
    tides: Annotated[TideService, Depends(get_tides)],
    pilots: Annotated[PilotPager, Depends(get_pilots)],
) -> MooringDesk:
    return MooringDesk(
        vessels=vessels, berths=berths, moorings=moorings, tides=tides, pilots=pilots
    )


@app.post("/moorings/{vessel_id}")
def moor(
    vessel_id: int, arrival: datetime, desk: Annotated[MooringDesk, Depends(get_desk)]
) -> dict[str, Any]:
    try:
        mooring = desk.moor(vessel_id, arrival)
    except HarbourError as error:
        raise HTTPException(409, str(error)) from None
    return {"id": mooring.id, "berth": mooring.berth_id}
