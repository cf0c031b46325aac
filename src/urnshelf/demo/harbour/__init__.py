"""A harbour office: vessels ask for a berth, the desk finds one, the tide decides.

The application is laid out as small services often are: `records` (what is stored), `ports` (what
the services depend on), `services` (the rules) and `adaptors` (SQLite and HTTP).
"""

from urnshelf.demo.harbour.errors import (
    BerthUnknown,
    GaugeSilent,
    HarbourError,
    MooringUnknown,
    NoBerthFits,
    TideUnknown,
    VesselUnknown,
)
from urnshelf.demo.harbour.ports import (
    BerthRepository,
    MooringRegister,
    PilotPager,
    QuayPatrol,
    TideService,
    VesselRepository,
)
from urnshelf.demo.harbour.records import (
    Berth,
    Mooring,
    MooringState,
    QuayReport,
    Vessel,
    VesselKind,
)
from urnshelf.demo.harbour.services import DuesOffice, MooringDesk, NightShift

__all__ = [
    "Berth",
    "BerthRepository",
    "BerthUnknown",
    "DuesOffice",
    "GaugeSilent",
    "HarbourError",
    "Mooring",
    "MooringDesk",
    "MooringRegister",
    "MooringState",
    "MooringUnknown",
    "NightShift",
    "NoBerthFits",
    "PilotPager",
    "QuayPatrol",
    "QuayReport",
    "TideService",
    "TideUnknown",
    "Vessel",
    "VesselKind",
    "VesselRepository",
    "VesselUnknown",
]
