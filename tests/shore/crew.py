"""The crew office: watches, fitness and pay; awaited, paged, enumerations, protected methods."""

from __future__ import annotations

import asyncio
import enum
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Protocol


class Rank(enum.IntEnum):
    HAND = 1
    MATE = 2
    MASTER = 3


class Fitness(enum.Enum):
    FIT = "fit"
    LIGHT = "light duty"
    UNFIT = "unfit"


@dataclass
class Sailor:
    badge: str
    name: str
    rank: Rank
    joined: datetime
    languages: list[str] = field(default_factory=list)
    active: bool = True


@dataclass
class Watch:
    vessel: str
    badges: list[str]
    starts: datetime
    hours: int
    lead: str | None = None


@dataclass
class Page:
    sailors: list[Sailor]
    next_token: str | None = None


class NotEnoughHands(Exception):
    """Too few sailors are fit."""


class Crew(Protocol):
    async def page(self, token: str | None = None) -> Page: ...
    async def certificate(self, badge: str) -> datetime | None: ...


class Doctor(Protocol):
    async def examine(self, badge: str) -> Fitness:
        """Raises TimeoutError."""
        ...


class Watches(Protocol):
    async def save(self, watch: Watch) -> None: ...


class Clock(Protocol):
    def now(self) -> datetime: ...


class Radio(Protocol):
    async def announce(self, vessel: str, text: str, urgent: bool = False) -> None: ...


class CrewOffice:
    most_pages = 4

    def __init__(
        self, crew: Crew, doctor: Doctor, watches: Watches, clock: Clock, radio: Radio
    ) -> None:
        self.crew = crew
        self.doctor = doctor
        self.watches = watches
        self.clock = clock
        self.radio = radio

    async def man(self, vessel: str, hands: int, hours: int = 4) -> Watch:
        if hours not in (4, 6, 8):
            raise ValueError("a watch has four, six or eight hours")
        candidates = [one async for one in self._active()]
        states = await asyncio.gather(*(self._state(one) for one in candidates))
        chosen: list[Sailor] = []
        light = 0
        for sailor, state in zip(candidates, states, strict=True):
            match state:
                case Fitness.FIT:
                    chosen.append(sailor)
                case Fitness.LIGHT if light == 0:
                    light += 1
                    chosen.append(sailor)
                case Fitness.LIGHT | Fitness.UNFIT:
                    continue
        if len(chosen) < hands:
            await self.radio.announce(vessel, f"{hands - len(chosen)} hands short", urgent=True)
            raise NotEnoughHands(f"{len(chosen)} of {hands} for {vessel}")
        chosen.sort(key=lambda one: (-one.rank, one.badge))
        lead = await self._lead(chosen[:hands])
        watch = Watch(vessel, [one.badge for one in chosen[:hands]], self.clock.now(), hours, lead)
        await self.watches.save(watch)
        return watch

    async def _active(self) -> AsyncIterator[Sailor]:
        token: str | None = None
        for _ in range(self.most_pages):
            page = await self.crew.page(token)
            for sailor in page.sailors:
                if sailor.active and self._has_served(sailor):
                    yield sailor
            token = page.next_token
            if token is None:
                break

    def _has_served(self, sailor: Sailor) -> bool:
        served = self.clock.now() - sailor.joined
        needed = timedelta(days=90) if sailor.rank is Rank.HAND else timedelta(days=30)
        return served >= needed

    async def _state(self, sailor: Sailor) -> Fitness:
        try:
            return await self.doctor.examine(sailor.badge)
        except TimeoutError:
            return Fitness.UNFIT

    async def _lead(self, sailors: list[Sailor]) -> str | None:
        for sailor in sailors:
            if sailor.rank < Rank.MATE:
                continue
            until = await self.crew.certificate(sailor.badge)
            if until is not None and until > self.clock.now():
                return sailor.badge
        return None
