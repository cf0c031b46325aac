"""What the services depend on: repositories, the tide gauge, the pilots' pager and the patrol."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from datetime import datetime
from typing import Protocol

from urnshelf.demo.harbour.records import Berth, Mooring, QuayReport, Vessel


class VesselRepository(Protocol):
    """The vessels known to the harbour."""

    def find(self, vessel_id: int) -> Vessel | None:
        """The vessel with this number, or None."""

    def find_by_call_sign(self, call_sign: str) -> Vessel | None:
        """The vessel with this call sign, or None."""

    def list(self) -> Sequence[Vessel]:
        """Every vessel, in order of number."""
        ...

    def save(self, vessel: Vessel) -> None:
        """Store the vessel, new or changed."""


class BerthRepository(ABC):
    """The berths of all harbours."""

    @abstractmethod
    def get(self, berth_id: int) -> Berth:
        """The berth with this number; raises BerthUnknown."""

    @abstractmethod
    def find_by_harbour(self, harbour: str) -> list[Berth]:
        """The berths of one harbour, in order of number."""

    @abstractmethod
    def save(self, berth: Berth) -> None:
        """Store the berth, new or changed."""

    @abstractmethod
    def count(self) -> int:
        """How many berths there are."""


class MooringRegister(Protocol):
    """The book of moorings."""

    def add(self, mooring: Mooring) -> Mooring:
        """Number the mooring and store it."""
        ...

    def get(self, mooring_id: int) -> Mooring:
        """The mooring with this number; raises MooringUnknown."""
        ...

    def exists(self, mooring_id: int) -> bool:
        """Whether a mooring has this number."""
        ...

    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        """The moorings of one vessel, in order of number."""
        ...

    def all(self) -> list[Mooring]:
        """Every mooring, in order of number."""
        ...

    def delete(self, mooring_id: int) -> None:
        """Remove the mooring; raises MooringUnknown."""

    def count(self) -> int:
        """How many moorings there are."""
        ...


class TideService(Protocol):
    """A remote gauge that foretells the tide."""

    def depth_at(self, harbour: str, at: datetime) -> float:
        """Metres of tide above the chart at this time; raises GaugeSilent."""
        ...


class PilotPager(Protocol):
    """The pager that calls a pilot to a vessel."""

    def page(self, vessel_id: int, message: str, *, urgent: bool = False) -> None:
        """Send the pilots a message about a vessel."""


class QuayPatrol(Protocol):
    """The people who walk the quays at night; each answer takes its time."""

    async def report_on(self, berth_code: str) -> QuayReport:
        """What the patrol sees at this berth."""
        ...

    async def light_up(self, berth_code: str) -> None:
        """Switch the lamps of this berth on."""
