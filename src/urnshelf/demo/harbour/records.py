"""What the harbour office keeps: vessels, berths and moorings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import Enum


class VesselKind(Enum):
    """What a vessel is built for."""

    CARGO = "cargo"
    FERRY = "ferry"
    FISHING = "fishing"
    PLEASURE = "pleasure"


class MooringState(Enum):
    """Where a mooring stands between booking and departure."""

    BOOKED = "booked"
    ALONGSIDE = "alongside"
    DEPARTED = "departed"


@dataclass
class Vessel:
    """A vessel known to the harbour."""

    id: int
    name: str
    call_sign: str
    kind: VesselKind = VesselKind.CARGO
    length_m: float = 40.0
    draught_m: float = 3.0
    owner: str = ""
    flag: str = "SE"
    insured_until: datetime | None = None


@dataclass
class Berth:
    """A place at a quay where one vessel can lie."""

    id: int
    code: str
    harbour: str
    length_m: float
    depth_m: float
    day_rate: Decimal
    in_service: bool = True
    defect: str | None = None


@dataclass
class Mooring:
    """A vessel's stay at a berth; `id` is None until the register has numbered it."""

    id: int | None
    vessel_id: int
    berth_id: int
    arrival: datetime
    days: int
    depth_at_arrival_m: float
    dues: Decimal
    state: MooringState = MooringState.BOOKED


@dataclass(frozen=True)
class QuayReport:
    """What the patrol saw at one berth."""

    berth_code: str
    fenders_intact: bool
    note: str | None = None
