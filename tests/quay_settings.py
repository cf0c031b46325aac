"""A module with what services reach for without being given it: to be swapped in tests."""

from __future__ import annotations

from datetime import datetime
from typing import Final

from urnshelf.demo.harbour import TideService


class Gauge:
    """The real thing, which no test should meet."""

    limit = 3
    calls = 0

    def depth_at(self, harbour: str, at: datetime) -> float:
        raise OSError("no gauge here")

    @staticmethod
    def unit() -> str:
        return "m"

    @classmethod
    def made(cls, limit: int) -> Gauge:
        raise OSError("no gauge here")

    @property
    def is_calm(self) -> bool:
        raise OSError("no wind here")

    async def ping(self, times: int = 1) -> str:
        raise OSError("no gauge here")


tide_source: TideService = Gauge()
gauge = Gauge()
MARGIN_M: Final = 0.5
HARBOUR = "Ternhythe"
LIMITS = {"berths": 12}


def depth_now(harbour: str, margin: float = 0.0) -> float:
    raise OSError("no gauge here")


async def ask_pilot(vessel_id: int) -> str:
    raise OSError("no pilot here")
