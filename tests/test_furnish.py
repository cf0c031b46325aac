"""Furnishing: which parameter gets what, whatever a service's constructor looks like."""

from __future__ import annotations

import asyncio
import functools
import importlib
import logging
import time
import warnings
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import InitVar, dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Annotated, Any, Generic, NamedTuple, Protocol, TypeVar

import attrs
import pydantic
import pytest

from urnshelf import FurnishRefused, InterfaceRefused, Shelf, ledger_of, tally
from urnshelf.demo.harbour import Berth, MooringDesk, PilotPager, TideService

T = TypeVar("T")


class Kept(Protocol[T]):
    def get(self, key: int) -> T: ...


class Clock(Protocol):
    def now(self) -> datetime: ...


class RealClock:
    def now(self) -> datetime:
        raise AssertionError("the real clock was reached")


class Holds:
    """Has what it was given, by name."""

    def __init__(self, **given: Any) -> None:
        self.given = given


class NamedService(Holds):
    def __init__(self, service: TideService, noted: Annotated[PilotPager, ["a list"]]) -> None:
        super().__init__(service=service, noted=noted)


@dataclass
class WithInitVar:
    tides: InitVar[TideService]
    tries: int = 3

    def __post_init__(self, tides: TideService) -> None:
        self.given = {"tides": tides}


class OfAny(Holds, Generic[T]):
    def __init__(self, kept: Kept[T]) -> None:
        super().__init__(kept=kept)


class OfBerths(OfAny[Berth]):
    pass


class Limited(Holds):
    def __init__(self, tides: TideService, limit: int) -> None:
        super().__init__(tides=tides, limit=limit)


class Meta(type):
    def __call__(cls, *args: Any, **kwargs: Any) -> Any:
        return super().__call__(*args, **kwargs)


class WithMeta(Holds, metaclass=Meta):
    def __init__(self, tides: TideService) -> None:
        super().__init__(tides=tides)


class HandsOn(Limited):
    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)


class HandsOnSome(Limited):
    def __init__(self, pilots: PilotPager, **kwargs: Any) -> None:
        super().__init__(limit=3, **kwargs)
        self.given["pilots"] = pilots


class Slotted:
    __slots__ = ("given",)

    def __new__(cls, tides: TideService) -> Slotted:
        made = object.__new__(cls)
        made.given = {"tides": tides}
        return made


class Named(NamedTuple):
    tides: TideService
    tries: int = 2

    @property
    def given(self) -> dict[str, Any]:
        return {"tides": self.tides}


class Factory:
    __hash__ = None  # type: ignore[assignment]

    def __eq__(self, other: object) -> bool:
        return True

    def __call__(self, tides: TideService) -> Holds:
        return Holds(tides=tides)

    @classmethod
    def make(cls, tides: TideService) -> Holds:
        return Holds(tides=tides)


def built(tides: TideService, /, *, pilots: PilotPager | None = None) -> Holds:
    return Holds(tides=tides, pilots=pilots)


FAKES: dict[str, Any] = {"tides": TideService, "pilots": PilotPager}


@pytest.mark.parametrize(
    ("service", "gets"),
    [
        (NamedService, {"service": TideService, "noted": PilotPager}),
        (WithInitVar, {"tides": TideService}),
        (OfAny[Berth], {"kept": Kept[Berth]}),
        (OfBerths, {"kept": Kept[Berth]}),
        (functools.partial(Limited, limit=4), {"tides": TideService, "limit": 4}),
        (functools.partial(functools.partial(Limited), limit=4), {"tides": TideService}),
        (WithMeta, {"tides": TideService}),
        (HandsOnSome, {"tides": TideService, "pilots": PilotPager, "limit": 3}),
        (Slotted, {"tides": TideService}),
        (Named, {"tides": TideService}),
        (Factory(), {"tides": TideService}),
        (Factory.make, {"tides": TideService}),
        (built, {"tides": TideService, "pilots": PilotPager}),
    ],
)
def test_each_parameter_gets_its_fake(shelf: Shelf, service: Any, gets: dict[str, Any]) -> None:
    given = shelf.furnish(service).given
    for name, form in gets.items():
        is_value = isinstance(form, int)
        assert given[name] is (form if is_value else shelf.fake(form))


def test_a_class_made_in_a_function_knows_its_names(shelf: Shelf) -> None:
    class Signals(Protocol):
        def send(self, text: str) -> None: ...

    class Mast(Holds):
        def __init__(self, signals: Signals, spare: Signals | None = None) -> None:
            super().__init__(signals=signals, spare=spare)

    mast = shelf.furnish(Mast)
    assert mast.given == {name: shelf.fake(Signals, name=name) for name in ("signals", "spare")}


def test_arguments_by_any_name(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    assert shelf.furnish(NamedService, service=tides).given["service"] is tides
    partly = functools.partial(Limited, limit=4)
    assert shelf.furnish(partly, limit=9).given["limit"] == 9
    assert shelf.furnish(HandsOn, limit=7).given == {"tides": tides, "limit": 7}
    assert shelf.furnish(Holds, anything=5).given == {"anything": 5}


def test_each_of_two_gets_a_fake_of_its_own_name(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)

    class Watch(Holds):
        def __init__(self, main: TideService, backup: TideService | None = None) -> None:
            super().__init__(main=main, backup=backup)

    given = shelf.furnish(Watch).given
    assert given["main"] is not given["backup"]
    assert shelf.fake(TideService) not in given.values()
    other = Shelf()
    other.furnish(Watch)
    with pytest.raises(InterfaceRefused) as refused:
        other.fake(TideService)
    assert str(refused.value).splitlines() == [
        "there are 2 fakes of TideService, and each has a name: say which one",
        "    shelf.fake(TideService, name='main')    # Watch(main=…)",
        "    shelf.fake(TideService, name='backup')    # Watch(backup=…)",
    ]


# --- defaults -------------------------------------------------------------------------------------


def told(_: str) -> None:
    raise AssertionError("never called")


class Timed(Holds):
    def __init__(
        self,
        clock: Clock = RealClock(),
        sleep: Callable[[float], None] = time.sleep,
        rest: Any = asyncio.sleep,
        now: Any = datetime.now,
        today: Callable[[], date] = date.today,
        ticks: Callable[[], float] = time.monotonic,
        utc: Callable[[], datetime] = functools.partial(datetime.now, UTC),
        tell: Callable[[str], None] = told,
        done: Callable[[], None] | None = None,
        pick: Callable[[int], int] = ...,  # type: ignore[assignment]
        tries: int = 3,
        log: logging.Logger = logging.getLogger("quay"),
    ) -> None:
        super().__init__(**{k: v for k, v in locals().items() if k not in ("self", "__class__")})


def test_the_real_clock_is_never_reached(shelf: Shelf) -> None:
    service: Any = shelf.furnish(Timed)
    has = service.given
    begin = shelf.clock.now
    assert has["clock"].now() == has["now"]() == begin
    has["sleep"](60)
    asyncio.run(has["rest"](60))
    assert (has["now"](UTC) - begin).total_seconds() == 120
    assert has["today"]() == begin.date()
    assert has["ticks"]() == shelf.clock.timestamp
    assert has["utc"]() == shelf.clock.now
    assert tally(shelf.fake(time.sleep), 60) == 1
    assert str(ledger_of(shelf.fake(asyncio.sleep))).startswith("asyncio.sleep: 1 call")


def test_other_defaults_stay(shelf: Shelf) -> None:
    has = shelf.furnish(Timed).given
    assert (has["tell"], has["done"], has["pick"], has["tries"]) == (told, None, ..., 3)
    assert has["log"] is logging.getLogger("quay")

    class Bare(Holds):
        def __init__(self, tell: Callable[[str], None]) -> None:
            super().__init__(tell=tell)

    assert shelf.furnish(Bare).given["tell"] is shelf.fake(Callable[[str], None])


# --- settings -------------------------------------------------------------------------------------


@dataclass
class Settings:
    tries: int = 3
    names: list[str] = field(default_factory=list)


@attrs.define
class AttrsSettings:
    tries: int = 3


class PydanticSettings(pydantic.BaseModel):
    tries: int = 3


class PlainSettings:
    tries = 3
    url: str = "quay"


class MadeSettings:
    def __init__(self, tries: int = 3) -> None:
        self.tries = tries


class Client:
    tries = 3

    def ask(self) -> int: ...


@dataclass
class Strict:
    url: str
    tries: int = 3


@dataclass
class Failing:
    tries: int = 3

    def __post_init__(self) -> None:
        raise OSError("no such file")


@pytest.mark.parametrize(
    "settings", [Settings, AttrsSettings, PydanticSettings, PlainSettings, MadeSettings]
)
def test_settings_are_built_of_their_defaults(shelf: Shelf, settings: Any) -> None:
    class Service(Holds):
        def __init__(self, config: settings, client: Client, log: logging.Logger) -> None:
            super().__init__(config=config, client=client, log=log)

    has = shelf.furnish(Service).given
    assert type(has["config"]) is settings
    assert has["config"].tries == 3
    assert has["client"] is shelf.fake(Client)
    assert has["log"] is logging.getLogger(__name__)


# --- what cannot be built -------------------------------------------------------------------------


class Lacking:
    def __init__(
        self,
        strict: Strict,
        number: int,
        bare,
        either: TideService | PilotPager,
        gone: Gone,  # noqa: F821
    ) -> None: ...


class Abstract(ABC):
    @abstractmethod
    def go(self) -> None: ...


class OfFailing:
    def __init__(self, config: Failing) -> None: ...


class Fragile:
    def __init__(self, tides: TideService) -> None:
        raise TypeError("its own")


class Misfitting:
    def __init__(self, tides: TideService) -> None:
        Limited(tides)  # type: ignore[call-arg]


@pytest.mark.parametrize(
    ("service", "says"),
    [
        (Lacking, "strict: Strict is data that has no default for url, and it has no default"),
        (Lacking, "number: int is no interface"),
        (Lacking, "bare: it has no annotation"),
        (Lacking, r"either: it may be any of TideService | PilotPager, as shelf.fake\(TideServ"),
        (Lacking, "gone: its annotation Gone cannot be resolved"),
        (Lacking, r"Give it: shelf.furnish\(Lacking, strict=…, number=…, bare=…, either=…, gone"),
        (functools.partial(Limited), r"shelf.furnish\(partial\(Limited\), limit=…\)"),
        (Abstract, r"Abstract is abstract.* it lacks go; .* shelf.fake\(Abstract\)"),
        (TideService, r"TideService is an interface, and no service: shelf.fake\(TideService\)"),
        (OfFailing, "settings config: Failing cannot be made .* OSError: no such file\nGive them:"),
        (Misfitting, "Misfitting cannot be built: .*missing 1 required .*'limit'\nGive it what"),
        (HandsOn, "HandsOn cannot be built: .*missing 1 required .*'limit'"),
        (5, "takes the service's class, not 5"),
    ],
)
def test_what_cannot_be_built_says_what_to_give(shelf: Shelf, service: Any, says: str) -> None:
    with pytest.raises(FurnishRefused, match=says):
        shelf.furnish(service)


def test_a_misspelt_keyword_and_an_error_of_its_own(shelf: Shelf) -> None:
    with pytest.raises(FurnishRefused, match="no parameter 'tide'; did you mean 'tides'?"):
        shelf.furnish(MooringDesk, tide=1)
    with pytest.raises(FurnishRefused, match="given by name, as vessels=7, berths='B-1'"):
        shelf.furnish(MooringDesk, 7, "B-1")  # type: ignore[arg-type]
    with pytest.raises(TypeError, match="its own"):
        shelf.furnish(Fragile)


# --- published services ---------------------------------------------------------------------------

BUILT = """
requests.Session requests.adapters.HTTPAdapter httpx.Client httpx.AsyncClient httpx.HTTPTransport
cachecontrol.CacheControlAdapter cachecontrol.controller.CacheController
limits.storage.MemoryStorage
aiocache.SimpleMemoryCache apscheduler.schedulers.background.BackgroundScheduler
apscheduler.jobstores.memory.MemoryJobStore huey.api.Huey dogpile.cache.CacheRegion
starsessions.SessionMiddleware starsessions.stores.InMemoryStore
keyring.backends.chainer.ChainerBackend minimalkv.decorator.StoreDecorator
key_value.aio.wrappers.read_only.ReadOnlyWrapper key_value.aio.wrappers.retry.RetryWrapper
sqlalchemy.orm.Session
""".split()
REFUSED = {
    "limits.strategies.FixedWindowRateLimiter": "storage: it may be any of Storage",
    "tinydb.table.Table": "name: str is no interface",
    "tinydb.TinyDB": "missing 1 required positional argument: 'path'\nGive it what is lacking",
    "zict.LRU": r"Give it: shelf.furnish\(LRU, n=…, d=…\)",
    "aiocache.lock.RedLock": "key: str is no interface",
    "huey.consumer.Consumer": "huey: it has no annotation",
    "dogpile.lock.Lock": "mutex: it has no annotation",
    "pyrate_limiter.Limiter": "argument: it may be any of BucketFactory",
    "redis.retry.Retry": "backoff: its annotation AbstractBackoff cannot be resolved",
    "jsonschema.Draft202012Validator": "schema: bool . Mapping.* is no interface",
}


def published(name: str) -> Any:
    module, _, cls = name.rpartition(".")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        return getattr(importlib.import_module(module), cls)


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("name", BUILT)
def test_a_published_service_is_built(
    shelf: Shelf, name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    assert isinstance(shelf.furnish(published(name)), published(name))


@pytest.mark.parametrize(("name", "says"), REFUSED.items())
def test_a_published_service_says_what_to_give(shelf: Shelf, name: str, says: str) -> None:
    with pytest.raises(FurnishRefused, match=says):
        shelf.furnish(published(name))
