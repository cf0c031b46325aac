"""What both checkers must accept in their strict modes, without an ignore."""
# pyright: strict

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import (
    AsyncGenerator,
    AsyncIterator,
    Awaitable,
    Callable,
    Generator,
    Iterable,
    Iterator,
)
from contextlib import (
    AbstractAsyncContextManager,
    AbstractContextManager,
    asynccontextmanager,
    contextmanager,
)
from datetime import datetime
from functools import partial
from typing import Annotated, Any, Generic, Protocol, TypeVar, assert_type

from urnshelf import (
    Faked,
    Furnished,
    Shelf,
    Urn,
    asking,
    attribute,
    column,
    cue,
    faked,
    fitting,
    holding,
    ledger_of,
    of_type,
    passing_through,
    raising,
    rules,
    some_of,
    stocked,
    tally,
    unseen,
    whatever,
)
from urnshelf.calls.taken import Calls
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    MooringDesk,
    MooringRegister,
    PilotPager,
    QuayPatrol,
    QuayReport,
    TideService,
)
from urnshelf.kiosk import Request, RequestCue, Response, response

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)
K_contra = TypeVar("K_contra", contravariant=True)


class Repository(Protocol[T_co, K_contra]):
    def get(self, key: K_contra) -> T_co: ...


class Gauge(ABC):
    @abstractmethod
    def history(self, station: str) -> Iterator[float]: ...
    @abstractmethod
    def follow(self, station: str) -> AsyncIterator[float]: ...
    @abstractmethod
    async def open(self, station: str) -> AsyncIterator[float]: ...
    @abstractmethod
    def later(self, station: str) -> Awaitable[float]: ...
    @abstractmethod
    def depths(self) -> Iterable[float]: ...
    @abstractmethod
    def deepest(self, *stations: str) -> float | None: ...
    @abstractmethod
    def anything(self) -> Any: ...
    @abstractmethod
    def pick(self) -> Callable[[int], str]: ...


class Notify(Protocol):
    def __call__(self, text: str, *, urgent: bool = False) -> int: ...


class Locks(Protocol):
    def hold(self, berth: str) -> AbstractContextManager[bool]: ...
    def hold_async(self, berth: str) -> AbstractAsyncContextManager[bool]: ...
    @contextmanager
    def numbered(self) -> Generator[int, None, None]:
        yield 0

    @asynccontextmanager
    async def numbered_async(self) -> AsyncGenerator[int, None]:
        yield 0


def send(text: str, copies: int = 1) -> bool:
    return bool(text) and copies > 0


def fakes(shelf: Shelf) -> None:
    assert_type(shelf.fake(TideService), TideService)
    assert_type(shelf.fake(BerthRepository, name="backup"), BerthRepository)
    assert_type(shelf.fake(Repository[Berth, int]), Repository[Berth, int])
    assert_type(shelf.fake(Callable[[int], str]), Callable[[int], str])
    assert_type(shelf.furnish(MooringDesk, home="Curlhythe"), MooringDesk)
    shelf.fake(send)("text", copies=2)


async def waiting() -> None:
    shelf = Shelf(7, unused_cues="refuse", unanswered="empty", refusal_limit=9, repeat_limit=9)
    await shelf.wait_until_async(lambda: not unseen(shelf))
    assert shelf.fake(TideService, name="backup", spare=True)


def records(shelf: Shelf) -> None:
    assert_type(shelf.stock(Berth, 3, harbour="Ternhythe"), list[Berth])
    assert_type(shelf.stock(Berth), Berth)
    assert_type(shelf.records(Berth).get(3), Berth)
    deep = shelf.records(Berth).where(
        column("depth_m") >= 4.0, lambda b: b.in_service, harbour="Ternhythe"
    )
    assert_type(list(deep.order_by("depth_m desc").limit(3)), list[Berth])
    assert_type(deep.first(), Berth | None)
    assert_type(deep[0], Berth)
    assert_type(deep[:2], list[Berth])
    assert_type(shelf.fake(BerthRepository, view=shelf.view(Berth, deep)), BerthRepository)
    assert_type(shelf.clock.advance(hours=1), datetime)
    shelf.define(Berth, key=["harbour", "code"], unique=["code"], missing=KeyError)
    with shelf.limited_to(deep), shelf.rolled_back():
        shelf.roll_back_to(shelf.savepoint())

    @shelf.teach(BerthRepository.get)
    def get(shelf: Shelf, berth_id: int) -> Berth:
        return shelf.records(Berth).get(berth_id)

    assert_type(get(shelf, 3), Berth)


def drawn(urn: Urn) -> None:
    assert_type(urn.draw(Berth), Berth)
    assert_type(urn.draw(Berth, 3, harbour=rules.among("Ternhythe", "Curlhythe")), list[Berth])
    assert_type(urn.draw(Berth, range(3, 9)), list[Berth])
    assert_type(urn.draw(list[int]), list[int])
    urn.set_rules(Berth, depth_m=rules.between(2.0, 9.0, decimals=1), code=rules.pattern("B-[0-9]"))
    first = next(urn.stream(Berth))
    assert first.harbour


def cues(shelf: Shelf, noon: datetime) -> None:
    tides, patrol, gauge = shelf.fake(TideService), shelf.fake(QuayPatrol), shelf.fake(Gauge)
    cue(tides.depth_at).gives(6.3)
    cue(tides.depth_at, "Ternhythe", noon).gives(
        raising(GaugeSilent(), times=2), 6.3, when_spent="cycle"
    )
    cue(tides.depth_at, "Ternhythe", at=whatever).raises(GaugeSilent)
    cue(tides.depth_at, of_type(str), fitting(lambda at: at > noon)).gives(6).for_calls(2).waits(
        0.1
    )
    cue(tides.depth_at).computes(lambda harbour, at: float(len(harbour)))
    cue(patrol.report_on, "B-01").gives(QuayReport("B-01", True))
    cue(gauge.history).streams(1.0, raising(GaugeSilent()))
    cue(gauge.follow, "A").streams(1.0, 2.0)
    cue(gauge.open, "A").streams(1.0)
    cue(gauge.later, "A").gives(1.0)
    cue(gauge.depths).streams(1.0, 2.0)
    cue(gauge.depths).gives([1.0])
    cue(gauge.deepest).gives(None, 6.3)
    cue(gauge.anything).gives(5)
    cue(gauge.anything).gives("five")
    cue(gauge.pick).gives(lambda number: str(number))
    cue(shelf.fake(Notify), "text", urgent=True).gives(3)
    cue(shelf.fake(send), "text").gives(True)
    cue(shelf.fake(Repository[Berth, int]).get, 3).gives(shelf.stock(Berth))
    cue(attribute(tides, "depth")).gives(5)
    locks = shelf.fake(Locks)
    cue(locks.hold, "B-1").enters(True)
    cue(locks.hold_async).enters(raising(GaugeSilent()))
    cue(locks.numbered).enters(7).waits(0.1)
    cue(locks.numbered_async).enters(7)
    cue(some_of(tides.depth_at), "Ternhythe").gives(6.3)


def computed(shelf: Shelf) -> None:
    berths, pilots = shelf.fake(BerthRepository), shelf.fake(PilotPager)
    patrol, tides = shelf.fake(QuayPatrol), shelf.fake(TideService)
    cue(berths.get).computes(lambda number: shelf.urn.draw(Berth, id=number))
    cue(shelf.fake(MooringRegister).add).computes(lambda m: m)
    cue(berths.count).computes(lambda: 3)
    cue(tides.depth_at).computes(lambda h, t: float(len(h) + t.hour))
    cue(tides.depth_at).computes(depth_there)
    cue(pilots.page).computes(lambda v, text, *, urgent=False: None)
    cue(patrol.report_on).computes(lambda code: QuayReport(code, True))
    cue(patrol.report_on).computes(report_later)
    cue(shelf.fake(Notify)).computes(lambda words, *, urgent=False: len(words))
    assert_type(cue(tides.depth_at).gives(6.3).place.line, int)
    assert_type(cue(tides.depth_at).raises(GaugeSilent).waits(0.1).for_calls(2).used, bool)


def depth_there(place: str, moment: datetime) -> float:
    return len(place) * moment.hour / 2


async def report_later(code: str) -> QuayReport:
    return QuayReport(code, fenders_intact=False)


class Locker(Generic[T]):
    def __init__(self, inside: Repository[T, int]) -> None:
        self.inside = inside


class Office:
    def __init__(self, tides: TideService, limit: int) -> None:
        self.tides, self.limit = tides, limit


def furnished(shelf: Shelf) -> None:
    assert_type(shelf.furnish(partial(Office, limit=4)), Office)
    assert_type(shelf.furnish(Office, limit=4), Office)
    assert_type(shelf.furnish(lambda: 5), int)
    assert_type(shelf.furnish(Locker[Berth]), Locker[Berth])

    @shelf.teach(Repository[Berth, int].get)
    def got(shelf: Shelf, key: int) -> Berth:
        return shelf.records(Berth).get(key)

    assert_type(got(shelf, 3), Berth)


def looks(shelf: Shelf, noon: datetime) -> None:
    tides = shelf.fake(TideService)
    count: int = tally(tides.depth_at, "Ternhythe", noon)
    assert count == tally(tides.depth_at) and not unseen(tides, shelf)
    assert tally(some_of(tides.depth_at), at=noon) == 1
    [call] = ledger_of(tides.depth_at)
    assert_type(call.arguments[0], Any)
    shelf.forget_calls()
    shelf.wait_until(lambda: tally(tides.depth_at) == 1, seconds=0.5)
    assert_type(ledger_of(tides), Calls)
    depths: list[Any] = ledger_of(tides.depth_at).each("harbour")
    assert depths == [] or holding(id=3)


class DictOfBerths:
    def get(self, key: int) -> Berth:
        raise LookupError(key)


def declarations(shelf: Shelf) -> None:
    assert_type(shelf.fake(Repository[Berth, int], over=DictOfBerths()), Repository[Berth, int])
    cue(shelf.fake(TideService).depth_at).gives(raising(GaugeSilent()), passing_through, 6.3)
    shelf.keyed(Repository, get=Repository[Berth, int].get, default=None, key=["key"])
    shelf.keyed(Repository, missing=KeyError)
    shelf.tells(Notify, Gauge)
    shelf.define(Berth, missing=lambda record_type, key, message: KeyError(key), interfaces=[Gauge])


class Plain:
    limit = 3

    def depth(self, harbour: str) -> float:
        return 6.3

    def hidden(self) -> int:
        return 1


def real(shelf: Shelf) -> None:
    plain = shelf.wrap(Plain())
    assert_type(plain, Plain)
    cue(plain.hidden).gives(2)
    cue(plain.depth, asking("berth", column("id") == 3)).gives(6.3)
    assert_type(shelf.swap(Plain, "limit", 4), int)
    assert_type(shelf.swap("module:limit", 4), int)
    with shelf.swapped("module:limit", 4) as limit:
        assert_type(limit, int)
    with shelf.swapped(Plain, "depth") as depth:
        cue(depth, whatever, "Ternhythe").gives(1.0)
    shelf.swap(Plain, "depth", passing_through)
    assert_type(shelf.fake(TideService, answer_from="tides.jsonl"), TideService)


class InATest:
    tides: Faked[TideService]
    office: Furnished[Office]
    berths: Annotated[list[Berth], stocked(12, harbour="Ternhythe")]

    def test(self, gauge: Faked[Gauge], backup: Annotated[Gauge, faked("backup")]) -> None:
        assert_type(self.tides, TideService)
        assert_type(self.office, Office)
        assert_type(self.berths, list[Berth])
        assert_type(gauge, Gauge)
        assert_type(backup, Gauge)
        cue(self.tides.depth_at).gives(6.3)


def told(code: str, request: Request) -> Response:
    return response(text=f"{code} {request.path}")


def kiosks(shelf: Shelf) -> None:
    kiosk = shelf.kiosk("tides", answer_from="tides.jsonl")
    depth = kiosk.route("GET", "/stations/{code}/depth")
    asked = cue(depth, code="TER").asked_with(query={"at": whatever}, json=holding(a=1))
    assert_type(asked.gives(response(200, json={"depth_m": 6.3})).for_calls(2), RequestCue)
    cue(depth).gives(response(503), raising(TimeoutError()), passing_through).waits(0.5)
    cue(depth).computes(told)
    assert tally(depth.asked_with(query={"at": "noon"}), code="TER") == 1
    kiosk.collection("/berths", Berth)
    with kiosk.serve(tls=True) as url, kiosk.stands_in_for("https://tides.example"):
        assert_type(url.ca_file, str | None)
