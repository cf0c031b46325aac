"""A module that imports what its annotations name for the checker only."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    import datetime as dt
    import decimal
    from collections.abc import Sequence
    from datetime import date, datetime
    from uuid import UUID

    from somewhere_else import Context, Counter  # type: ignore[import-not-found]


@dataclass
class Sounding:
    """A depth that was measured."""

    ref: UUID
    taken: datetime
    again: date | None
    ends: dt.datetime
    depth_m: decimal.Decimal


class Soundings(Protocol):
    """Soundings, and what somebody else's types make of them."""

    def all(self) -> Sequence[Sounding]: ...
    def context(self) -> Context: ...
    def counter(self) -> Counter: ...
