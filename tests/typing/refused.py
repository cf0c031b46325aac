"""Each line marked `# refused` must be refused by both checkers, and no other line by either."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Awaitable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from datetime import datetime
from functools import partial
from typing import Protocol

import urnshelf
from urnshelf import Shelf, cue, some_of, tally
from urnshelf.demo.harbour import Berth, BerthRepository, QuayPatrol, TideService, Vessel


class Gauge(ABC):
    @abstractmethod
    def history(self, station: str) -> Iterator[float]: ...
    @abstractmethod
    def follow(self, station: str) -> AsyncIterator[float]: ...
    @abstractmethod
    async def opened(self) -> AsyncIterator[float]: ...
    @abstractmethod
    def later(self) -> Awaitable[float]: ...
    @abstractmethod
    def depths(self) -> Iterable[float]: ...
    @abstractmethod
    def deepest(self) -> float | None: ...


class Locks(Protocol):
    def hold(self) -> AbstractContextManager[bool]: ...
    @contextmanager
    def numbered(self) -> Iterator[int]:
        yield 0


class Notify(Protocol):
    def __call__(self, text: str) -> int: ...


def arguments(shelf: Shelf, noon: datetime) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at, 5, noon)  # refused
    cue(tides.depth_at, "Ternhythe")  # refused
    cue(tides.depth_at, "Ternhythe", when=noon)  # refused
    cue(tides.depth_at, "Ternhythe", noon, 3)  # refused
    cue(shelf.fake(Notify), 5)  # refused
    tally(tides.depth_at, 5, noon)  # refused
    tally(tides.depth_at, "Ternhythe", at="noon")  # refused
    cue("text")  # refused


def replies(shelf: Shelf) -> None:
    tides, patrol, gauge = shelf.fake(TideService), shelf.fake(QuayPatrol), shelf.fake(Gauge)
    cue(tides.depth_at).gives("deep")  # refused
    cue(tides.depth_at).gives(None)  # refused
    cue(tides.depth_at).gives(1.0, "deep")  # refused
    cue(tides.depth_at).gives(1.0, when_spent="stop")  # refused
    cue(tides.depth_at).raises("error")  # refused
    cue(tides.depth_at).streams(1.0)  # refused
    cue(tides.depth_at).computes(lambda harbour: 1.0)  # refused
    cue(tides.depth_at).computes(lambda h, t, more: 1.0)  # refused
    cue(tides.depth_at).computes(lambda h, t: "deep")  # refused
    cue(patrol.report_on).computes(lambda code: "fine")  # refused
    cue(gauge.depths).streams("deep")  # refused
    cue(gauge.opened).streams("deep")  # refused
    cue(gauge.deepest).gives("deep")  # refused
    cue(gauge.later).gives("deep")  # refused
    cue(patrol.report_on).gives(5)  # refused
    cue(patrol.light_up).gives(5)  # refused
    cue(gauge.history).streams("deep")  # refused
    cue(gauge.follow).streams("deep")  # refused
    cue(shelf.fake(BerthRepository).get, 3).gives(shelf.stock(Vessel))  # refused
    cue(shelf.fake(Locks).hold).enters(5)  # refused
    cue(shelf.fake(Locks).numbered).enters("seven")  # refused
    cue(tides.depth_at).enters(1.0)  # refused
    cue(some_of(tides.depth_at)).gives("deep")  # refused


def shelves(shelf: Shelf) -> None:
    shelf.fake(TideService).depth("Ternhythe")  # refused
    shelf.stock(Berth, "three")  # refused
    vessel: Vessel = shelf.records(Berth).get(3)  # refused
    desk: int = shelf.furnish(TideService)  # refused
    assert vessel and desk


def settings() -> None:
    Shelf(unanswered="ignore")  # refused
    Shelf(limit=5)  # refused


def queries(shelf: Shelf) -> None:
    berths = shelf.records(Berth)
    berths.where("harbour = 'Ternhythe'")  # refused
    berths.where(lambda berth: berth.colour == "red")  # refused
    berths.where().order_by(3)  # refused
    shelf.define(Berth, missing="BerthUnknown")  # refused
    shelf.fake(BerthRepository, view=Berth)  # refused
    shelf.view(Berth, "harbour")  # refused


def names(shelf: Shelf) -> None:
    shelf.stok(Berth)  # refused
    cue(shelf.fake(TideService).depth_at).give(6.3)  # refused
    urnshelf.talley  # refused
    from urnshelf import tallly  # refused

    tallly(shelf)


class Office:
    def __init__(self, tides: TideService, limit: int) -> None: ...


def furnished(shelf: Shelf) -> None:
    shelf.furnish(partial(Office, limit="four"))  # refused
    shelf.furnish(partial(Office, limits=4))  # refused
    shelf.furnish(Office, 4)  # refused
    office: int = shelf.furnish(Office, limit=4)  # refused
    assert office


def kiosks(shelf: Shelf) -> None:
    depth = shelf.kiosk("tides").route("GET", "/depth")
    cue(depth).gives({"depth_m": 6.3})  # refused
    cue(depth).asked_with(path="/depth")  # refused
