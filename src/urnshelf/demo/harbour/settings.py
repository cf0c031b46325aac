"""What older parts of the office reach for themselves: nobody hands it to them."""

from __future__ import annotations

from datetime import UTC, datetime

from urnshelf.demo.harbour.errors import GaugeSilent
from urnshelf.demo.harbour.ports import TideService


class QuayGauge:
    """The gauge at the home quay; here its cable ends in nothing."""

    def depth_at(self, harbour: str, at: datetime) -> float:
        raise GaugeSilent(f"{harbour} {at:%H:%M}")


HOME = "Ternhythe"
MARGIN_M = 0.5
"""How much water there must be below the keel, in metres."""
LIMITS = {"vessels": 40}
tide_source: TideService = QuayGauge()


def harbour_time() -> datetime:
    """Now."""
    return datetime.now(UTC)
