"""Hostile programs, a row a point: what once proved nothing, or said something untrue, is refused;
and the legitimate styles beside them, which must go on working.
"""

from __future__ import annotations

import asyncio
import copy
import functools
import inspect
import json
import socket
import threading
from collections.abc import AsyncIterator, Callable, Iterable, Iterator
from contextlib import (
    AbstractAsyncContextManager,
    AbstractContextManager,
    asynccontextmanager,
    contextmanager,
    suppress,
)
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Generic, NoReturn, Protocol, TypeVar, overload

import httpx
import pydantic
import pytest
import trio

import awkward
from urnshelf import (
    ArgumentMissing,
    CallMissing,
    CueRefused,
    EndlessCalls,
    FurnishRefused,
    LookRefused,
    NotInTime,
    RecordMissing,
    RefusalHidden,
    ReplyRefused,
    SettingRefused,
    Shelf,
    UnansweredCall,
    attribute,
    cue,
    fitting,
    holding,
    ledger_of,
    of_type,
    raising,
    some_of,
    tally,
    unseen,
    whatever,
)
from urnshelf.cli.main import main
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    MooringDesk,
    MooringRegister,
    PilotPager,
    QuayPatrol,
    TideService,
    Vessel,
)

NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
T = TypeVar("T")
Program = Callable[[Shelf], object]
HOSTILE: list[tuple[Program, type[BaseException], str]] = []
LEGITIMATE: list[Program] = []


def hostile(error: type[BaseException], says: str) -> Callable[[Program], Program]:
    """A program that must end with this error."""

    def noted(program: Program) -> Program:
        HOSTILE.append((program, error, says))
        return program

    return noted


def legitimate(program: Program) -> Program:
    """A program whose own assertions must hold."""
    LEGITIMATE.append(program)
    return program


# --- what they are about --------------------------------------------------------------------------


class Watch:
    def __init__(self, main: TideService, backup: TideService) -> None:
        self.main, self.backup = main, backup

    def depth(self) -> float:
        return self.main.depth_at("Ternhythe", NOON)


class Reads(Protocol):
    def find(self, berth_id: int) -> Berth | None: ...


class Stores(Reads, Protocol):
    def save(self, berth: Berth) -> None: ...


class Keeper:
    def __init__(self, store: Stores) -> None:
        self.store = store


class Kept(Protocol[T]):
    def get(self, key: int) -> T: ...
    def save(self, one: T) -> None: ...


class AnyKeeper(Generic[T]):
    def __init__(self, kept: Kept[T]) -> None:
        self.kept = kept


class BerthKeeper:
    def __init__(self, kept: Kept[Berth], others: Kept[Vessel]) -> None:
        self.kept, self.others = kept, others


class Report:
    """Built by hand, with what it is given."""

    def __init__(self, *given: Any) -> None:
        self.given = given

    def run(self) -> None: ...


@dataclass
class Toll:
    id: int
    total: float


class Tolls(Protocol):
    def charge(self, toll: Toll) -> None: ...
    def charge_all(self, tolls: list[Toll]) -> None: ...
    def find_cheapest(self) -> Toll | None: ...


class Posts(Protocol):
    def post(self, toll: dict[str, int]) -> None: ...


class Http(Protocol):
    def request(
        self, method: str, url: str, *parts: str, timeout: float = 5.0, **more: Any
    ) -> int: ...


class Rings(Protocol):
    def __call__(self, times: int) -> None: ...
    def stop(self) -> None: ...


class Locks(Protocol):
    def hold(self, berth: str) -> AbstractContextManager[bool]: ...
    def tides(self) -> AbstractContextManager[TideService]: ...
    def tides_async(self) -> AbstractAsyncContextManager[TideService]: ...
    @contextmanager
    def numbered(self) -> Iterator[int]:
        yield 0

    @asynccontextmanager
    async def numbered_async(self) -> AsyncIterator[int]:
        yield 0


REGISTRY: dict[str, str] = {}


class Realm:
    pass


@dataclass(frozen=True)
class Reach:
    metres: int


class Settled:
    limit = 5
    places = ("Ternhythe", 2)
    reach = Reach(3)
    Unknown = KeyError
    registry = REGISTRY
    realm = Realm()
    make = Realm
    connect = socket.socket
    convert = int
    depth_m: float


def handing_on(function: Any) -> Any:
    @functools.wraps(function)
    def inner(*args: Any) -> Any:
        return function(*args)

    return inner


class Odd(Protocol):
    def lines(self) -> Iterator[str]: ...
    def untold(self): ...  # type: ignore[no-untyped-def]
    def fail(self) -> NoReturn: ...
    def take(self, number: int) -> int: ...
    @overload
    def go(self, a: int) -> int: ...
    @overload
    def go(self, a: str, b: int = ...) -> str: ...
    @overload
    def either(self, a: int) -> int: ...
    @overload
    def either(self, *, b: str) -> str: ...


class Wrapped:
    @handing_on
    async def later(self, a: int) -> int:
        return a

    def _is_open(self) -> bool:
        return True

    def three(self) -> int:
        return 3


class Unit(AbstractContextManager["Unit"]):
    berths: BerthRepository

    def commit(self) -> None: ...
    def rollback(self) -> None: ...


# --- looks that prove nothing ---------------------------------------------------------------------


@hostile(LookRefused, r"name='mian'\).*proves nothing\n.*name='main'\), .*name='backup'\)")
def a_misspelt_name(shelf: Shelf) -> None:
    shelf.furnish(Watch)
    assert tally(shelf.fake(TideService, name="mian").depth_at) == 0


@hostile(LookRefused, r"in use   shelf.fake\(Stores\)\nLook at that")
def a_base_of_the_injected_interface(shelf: Shelf) -> None:
    shelf.furnish(Keeper)
    assert not unseen(shelf.fake(Reads))


@hostile(LookRefused, r"fake\(Kept\[Berth\]\), so .*\n.*fake\(Kept\[T\]\)")
def the_unfilled_interface_was_furnished(shelf: Shelf) -> None:
    shelf.furnish(AnyKeeper)
    assert not ledger_of(shelf.fake(Kept[Berth]))


@hostile(FurnishRefused, "several of TideService, main and backup, and shelf.fake\\(TideService\\)")
def a_fake_without_a_name_for_two_parameters(shelf: Shelf) -> None:
    cue(shelf.fake(TideService).depth_at).gives(6.3)
    shelf.furnish(Watch)


@hostile(LookRefused, "unseen.*two shelves; look at each by itself")
def unseen_over_two_shelves(shelf: Shelf) -> None:
    unseen(shelf.fake(PilotPager), Shelf().fake(PilotPager))


@hostile(LookRefused, "two shelves, whose calls have no common order")
def an_order_across_shelves(shelf: Shelf) -> None:
    ledger_of(shelf.fake(PilotPager)).before(ledger_of(Shelf().fake(TideService)))


@hostile(CueRefused, "nothing can fit holding.totl=3.: Toll has no field 'totl'; did you mean 'tot")
def a_field_that_there_is_not(shelf: Shelf) -> None:
    tally(shelf.fake(Tolls).charge, holding(totl=3))


@hostile(CueRefused, "Toll has no field 'totl'")
def a_field_that_there_is_not_in_a_list(shelf: Shelf) -> None:
    cue(shelf.fake(Tolls).charge_all, [whatever, holding(totl=3)])


@hostile(LookRefused, r"name='kept'\), so a look at it proves nothing")
def a_test_class_that_keeps_a_fake(shelf: Shelf) -> None:
    class TestDesk:
        def test_it(self) -> None:
            self.kept = {"tides": shelf.fake(TideService, name="kept")}
            assert tally(self.kept["tides"].depth_at) == 0

    shelf.furnish(MooringDesk)
    TestDesk().test_it()


@hostile(
    AssertionError,
    "toll.more  <-- differs\n +expected:    whatever\n +called with: nothing of that n",
)
def a_field_that_is_not_there_is_not_whatever(shelf: Shelf) -> None:
    charge = shelf.fake(Callable[[dict[str, int]], None], "toll")
    post = shelf.fake(Posts)
    shelf.tells(Posts)
    post.post({"id": 1})
    charge({"id": 1})
    assert tally(charge, holding(id=whatever)) == 1
    counted = tally(post.post, holding(id=1, more=whatever))
    assert counted == 1, str(counted)


@hostile(CueRefused, "Signal has no field 'lamps'; did you mean 'lamp'")
def a_field_that_a_model_does_not_have(shelf: Shelf) -> None:
    class Signal(pydantic.BaseModel):
        lamp: int

    tally(shelf.fake(Callable[[Signal], None]), holding(lamps=3))


@hostile(CueRefused, r"nothing can fit of_type\(int\): the value is str")
def a_type_that_it_never_is(shelf: Shelf) -> None:
    tally(shelf.fake(TideService).depth_at, of_type(int), whatever)


@hostile(AssertionError, "fitting.<lambda>., which raised AttributeError: 'Toll' .*'totl'")
def a_predicate_that_raises(shelf: Shelf) -> None:
    shelf.tells(Tolls)
    tolls = shelf.fake(Tolls)
    tolls.charge(Toll(1, 2.0))
    counted = tally(tolls.charge, fitting(lambda toll: toll.totl > 3))
    assert counted == 1, counted


@hostile(
    CallMissing, r"there is no call \[0\], there are none; calls of others: PilotPager.page ×1"
)
def a_call_that_there_is_not(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron")
    ledger_of(shelf.fake(MooringRegister).add)[0]


@hostile(CallMissing, r"wanted 1 call of PilotPager.page, there are 2:\n  #1 .*\n  #2 ")
def one_call_of_two(shelf: Shelf) -> None:
    for number in (7, 8):
        shelf.fake(PilotPager).page(number, "Gray Heron")
    [_call] = ledger_of(shelf.fake(PilotPager).page)


@hostile(CallMissing, "wanted at least 2 calls of PilotPager.page, there are 1")
def the_first_and_the_last_of_one(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron")
    _first, *_between, _last = ledger_of(shelf.fake(PilotPager).page)


@hostile(ArgumentMissing, r"page\(vessel_id=7.*has no argument 'vessel'; did you mean 'vessel_id'")
def each_of_an_unknown_argument(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron")
    ledger_of(shelf.fake(PilotPager).page).each("vessel")


@hostile(ArgumentMissing, r"no argument \[3\]; by position it has 2, by name vessel_id")
def an_unknown_position(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron")
    ledger_of(shelf.fake(PilotPager).page)[0].arguments[3]


@hostile(AssertionError, r"light_up was made 1 time, never awaited\n +at .*test_hostile.py:\d+")
@pytest.mark.filterwarnings("ignore:coroutine")
def a_call_that_nothing_awaits(shelf: Shelf) -> None:
    shelf.tells(QuayPatrol)
    shelf.fake(QuayPatrol).light_up("B-1").close()
    counted = tally(shelf.fake(QuayPatrol).light_up)
    assert counted == 1, counted


@hostile(NotInTime, r"not true after 0.01 seconds: 0 calls of PilotPager.page\(7, whatever\)")
def waiting_for_nothing(shelf: Shelf) -> None:
    shelf.wait_until(lambda: tally(shelf.fake(PilotPager).page, 7, whatever) == 1, seconds=0.01)


@hostile(CueRefused, "there is no argument 'colour'")
def some_of_the_wrong_arguments(shelf: Shelf) -> None:
    cue(some_of(shelf.fake(PilotPager).page), colour="red")


@hostile(
    CueRefused, r"cue\(some_of\(PilotPager.page\), 7, 'a', 'b'\): too many positional arguments\n"
)
def some_of_too_many_arguments(shelf: Shelf) -> None:
    cue(some_of(shelf.fake(PilotPager).page), 7, "a", "b")


@hostile(CueRefused, r"some_of\(PilotPager.page\) is for cues and looks")
def some_of_as_the_method_itself(shelf: Shelf) -> None:
    some_of(shelf.fake(PilotPager).page)(7, "Gray Heron")


# --- loops without an end -------------------------------------------------------------------------


@hostile(
    EndlessCalls, r"depth_at was refused 200 times, and is called again.*\n\n.*nothing answers"
)
def refusals_without_end(shelf: Shelf) -> None:
    with shelf.refusals_expected():
        while True:
            with suppress(Exception):
                shelf.fake(TideService).depth_at("Ternhythe", NOON)


@hostile(EndlessCalls, r"count was called 10,000 times in a row.*\n  cue\(.*gives\(3, 0\)\n")
def waiting_for_another_value_than_the_last(shelf: Shelf) -> None:
    berths = shelf.fake(BerthRepository)
    cue(berths.count).gives(3, 0)
    with shelf.refusals_expected():
        while berths.count() != 5:
            pass


@hostile(EndlessCalls, r"allow more: Shelf\(repeat_limit=500\)")
def patience_does_not_make_it_end(_: Shelf) -> None:
    class Sleeps(Protocol):
        def sleep(self, seconds: float) -> None: ...

    shelf = Shelf(repeat_limit=50)
    cue(shelf.fake(BerthRepository).count).raises(GaugeSilent())
    while True:
        try:
            shelf.fake(BerthRepository).count()
        except GaugeSilent:
            shelf.fake(Sleeps).sleep(1.0)


# --- settings -------------------------------------------------------------------------------------


@hostile(SettingRefused, "refusal_limit=0: a whole number from 1 is needed")
def a_limit_of_nothing(_: Shelf) -> None:
    Shelf(refusal_limit=0)


@hostile(SettingRefused, "repeats=5: there is no such setting; there are check_replies, unanswered")
def a_setting_that_there_is_not(_: Shelf) -> None:
    Shelf(repeats=5)  # type: ignore[call-arg]


@hostile(CueRefused, r"1 cue never used:\n  cue\(PilotPager.page, 9, whatever\).gives\(None\)")
def an_unused_cue_where_none_may_be(_: Shelf) -> None:
    with Shelf(unused_cues="refuse") as shelf:
        cue(shelf.fake(PilotPager).page, 9, whatever).gives(None)


# --- fakes and replies ----------------------------------------------------------------------------


@hostile(UnansweredCall, r"cue\(shelf.fake\(Locks\).hold, 'B-1'\).enters\(True\)")
def a_lock_that_was_never_got(shelf: Shelf) -> None:
    with shelf.refusals_expected(), shelf.fake(Locks).hold("B-1"):
        pass


@hostile(ReplyRefused, "entering gives bool, but it is 5")
def entering_gives_something_else(shelf: Shelf) -> None:
    cue(shelf.fake(Locks).hold).enters(5)


@hostile(ReplyRefused, r"For what entering gives, use .enters\(…\)")
def the_value_for_its_manager(shelf: Shelf) -> None:
    cue(shelf.fake(Locks).hold).gives(True)  # type: ignore[arg-type]


@hostile(ValueError, "in the body")
def what_the_body_raises(shelf: Shelf) -> None:
    cue(shelf.fake(Locks).hold).enters(True)
    with shelf.fake(Locks).hold("B-1"):
        raise ValueError("in the body")


@pytest.mark.parametrize("name", ["registry", "realm", "make", "connect"])
def test_what_stands_in_a_class_is_not_reached(shelf: Shelf, name: str) -> None:
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match=f"Settled.{name} was"):
        getattr(shelf.fake(Settled), name)


@hostile(ReplyRefused, "Settled.depth_m is float, and cannot be assigned: it is 'deep'")
def an_assignment_of_another_type(shelf: Shelf) -> None:
    with shelf.refusals_expected():
        shelf.fake(Settled).depth_m = "deep"  # type: ignore[assignment]


@hostile(ReplyRefused, "Settled.depth_m is float, and cannot be assigned: it is None")
def an_assignment_of_another_type_that_is_cued(shelf: Shelf) -> None:
    cue(attribute(shelf.fake(Settled), "depth_m").assigned).gives(None)
    with shelf.refusals_expected():
        shelf.fake(Settled).depth_m = None  # type: ignore[assignment]


@hostile(EndlessCalls, "Settled.depth_m was fetched 10,000 times in a row")
def an_attribute_that_is_asked_for_ever(shelf: Shelf) -> None:
    cue(attribute(shelf.fake(Settled), "depth_m")).gives(1.0, 2.0)
    with shelf.refusals_expected():
        while shelf.fake(Settled).depth_m < 3.0:
            pass


@hostile(EndlessCalls, "QuayPatrol.report_on was refused 200 times")
def a_task_that_tries_for_ever(shelf: Shelf) -> None:
    async def tries() -> None:
        while True:
            with suppress(Exception):
                await shelf.fake(QuayPatrol).report_on("B-1")

    async def main() -> None:
        await asyncio.gather(tries())

    with shelf.refusals_expected():
        asyncio.run(main())


@hostile(RefusalHidden, "200 calls were refused")
def a_thread_that_tries_for_ever(_: Shelf) -> None:
    def tries(shelf: Shelf) -> None:
        with suppress(EndlessCalls):
            while True:
                with suppress(Exception):
                    shelf.fake(TideService).depth_at("Ternhythe", NOON)

    with Shelf() as shelf:
        thread = threading.Thread(target=tries, args=(shelf,))
        thread.start()
        thread.join(20)


@hostile(RefusalHidden, r"promises float, but computes\(deep\) gave 'deep': it is 'deep', a str")
def a_computed_reply_of_another_type(_: Shelf) -> None:
    def deep(harbour: str, at: datetime) -> Any:
        return "deep"

    with Shelf() as shelf:
        cue(shelf.fake(TideService).depth_at).computes(deep)
        with suppress(Exception):
            shelf.fake(TideService).depth_at("Ternhythe", NOON)


@hostile(RefusalHidden, r"a stream of str, but computes\(<lambda>\) gave one in which it is 5")
def an_item_of_another_type_in_a_computed_stream(_: Shelf) -> None:
    with Shelf() as shelf:
        cue(shelf.fake(Odd).lines).computes(lambda: iter(["in", 5]))  # type: ignore[arg-type]
        lines = shelf.fake(Odd).lines()
        assert next(lines) == "in"
        with suppress(Exception):
            next(lines)


@pytest.mark.parametrize(
    ("value", "says"),
    [
        (iter([1.0]), "used up by the first call"),
        ((one for one in [1.0]), r"use .streams\(…\)"),
        (GaugeSilent(), r"To raise it, use .raises\(…\), or raising\(…\)"),
        (GaugeSilent, r"To raise it, use .raises\(…\)"),
        (lambda: 1.0, r"use .computes\(…\)"),
        ([1.0, 2.0], r"For one after the other, use .gives\(1.0, 2.0\)"),
    ],
)
def test_what_was_meant_by_a_reply(shelf: Shelf, value: Any, says: str) -> None:
    with pytest.raises(ReplyRefused, match=says):
        cue(shelf.fake(TideService).depth_at).gives(value)
    if not isinstance(value, list) and not inspect.isfunction(value):
        with pytest.raises(ReplyRefused, match=says.replace("To", "To")):
            cue(shelf.fake(Odd).untold).gives(value)


@hostile(ReplyRefused, r"promises list\[Berth\], which is no stream; use .gives")
def a_stream_for_a_list(shelf: Shelf) -> None:
    cue(shelf.fake(BerthRepository).find_by_harbour).streams(shelf.urn.draw(Berth))


@hostile(UnansweredCall, r"cue\(shelf.fake\(Odd\).fail\).raises\(LookupError\)")
def a_method_that_never_comes_back(shelf: Shelf) -> None:
    with shelf.refusals_expected():
        shelf.fake(Odd).fail()


@hostile(TypeError, "missing 1 required positional argument: 'a'")
def an_overload_that_there_is_not(shelf: Shelf) -> None:
    shelf.fake(Odd).go()  # type: ignore[call-overload]


@hostile(TypeError, "no overload takes these arguments")
def neither_of_two_overloads(shelf: Shelf) -> None:
    cue(shelf.fake(Odd).either).gives(1)
    assert shelf.fake(Odd).either(b="x") == shelf.fake(Odd).either(1)  # type: ignore[comparison-overlap]
    shelf.fake(Odd).either(1, b="x")  # type: ignore[call-overload]


@hostile(UnansweredCall, r"take\(number=<an int of 16,610 bits>\) .*(\n.*)*take, whatever\).gives")
def a_number_of_five_thousand_digits(shelf: Shelf) -> None:
    with shelf.refusals_expected():
        shelf.fake(Odd).take(10**5000)


@hostile(AssertionError, r"get\(berth_id=<an int of 16,610 bits>\)\n.*\n.*WHERE id = 9e999")
def a_key_of_five_thousand_digits(shelf: Shelf) -> None:
    shelf.stock(Berth, 2)
    with suppress(RecordMissing):
        shelf.fake(BerthRepository).get(10**5000)
    counted = tally(shelf.fake(BerthRepository).get, 1)
    assert counted == 1, counted


@hostile(LookRefused, r"nothing was ever done with shelf.fake\(TideService, name='backup'\)")
def one_of_two_that_are_looked_at_together(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    shelf.fake(PilotPager).page(7, "Gray Heron")
    unseen(shelf.fake(PilotPager), shelf.fake(TideService, name="backup"))


@hostile(CallMissing, "there are none; made and never awaited: QuayPatrol.light_up")
def one_call_that_nothing_awaited(shelf: Shelf) -> None:
    shelf.fake(QuayPatrol).light_up("B-1").close()
    [_call] = ledger_of(shelf.fake(QuayPatrol).light_up)


@pytest.mark.parametrize(
    ("program", "error", "says"), HOSTILE, ids=[program.__name__ for program, *_ in HOSTILE]
)
def test_a_hostile_program(
    shelf: Shelf, program: Program, error: type[BaseException], says: str
) -> None:
    with pytest.raises(error, match=says):
        program(shelf)


# --- legitimate styles ----------------------------------------------------------------------------


@legitimate
def a_spare_fake(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    assert tally(shelf.fake(TideService, name="backup", spare=True).depth_at) == 0


@legitimate
def a_callback_that_is_given_to_the_act(shelf: Shelf) -> None:
    shelf.furnish(Watch)
    told = shelf.fake(Callable[[float], None])
    heard = shelf.fake(TideService, name="callback")
    shelf.fake(Http, "other")
    cue(shelf.fake(Http).request).computes(lambda *args, **more: told(1.0) or 200)
    shelf.fake(Http).request("GET", "/", callback=heard)
    assert tally(told) == 1
    assert tally(heard.depth_at) == 0


@legitimate
def a_callback_beside_an_injected_function(shelf: Shelf) -> None:
    class Timed:
        def __init__(self, now: Callable[[], datetime], told: Callable[[int], None]) -> None:
            self.now, self.told = now, told

        def act(self, callback: Callable[[float], None]) -> None: ...

    callback = shelf.fake(Callable[[float], None])
    shelf.furnish(Timed).act(callback)
    other = shelf.fake(Callable[[str], None])
    assert tally(callback) == tally(other) == 0


@legitimate
def a_backup_that_a_wrapper_built_by_hand_never_uses(shelf: Shelf) -> None:
    shelf.furnish(Watch)
    main, backup = shelf.fake(TideService, name="first"), shelf.fake(TideService, name="second")
    report = Report([main, backup])
    report.run()
    assert tally(backup.depth_at) == 0
    assert not unseen(main)


@legitimate
def a_wrapper_that_is_given(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    backup = shelf.fake(TideService, name="backup")
    shelf.furnish(Watch, main=shelf.fake(TideService), backup=backup)
    assert tally(backup.depth_at) == 0


@legitimate
def a_function_that_closes_over_a_fake(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    asked, kept = (shelf.fake(TideService, name=name) for name in ("asked", "kept"))
    cue(shelf.fake(BerthRepository).count).computes(lambda: int(asked.depth_at("Ternhythe", NOON)))
    report = Report(lambda: kept.depth_at("Ternhythe", NOON))
    report.run()
    made_around = shelf.fake(TideService, name="around")
    service = awkward.closing_over(made_around)
    assert tally(asked.depth_at) == tally(kept.depth_at) == tally(made_around.depth_at) == 0
    assert callable(service)


@legitimate
def a_field_that_there_may_be(shelf: Shelf) -> None:
    class Open(pydantic.BaseModel, extra="allow"):
        lamp: int

    class Lit(Toll):
        lamps: int = 0

    class Made:
        def __init__(self) -> None:
            self.lamps = 3

    for wanted in (Open, Toll, Made, dict[str, int], Any, Toll | Made):
        assert tally(shelf.fake(Callable[[wanted], None]), holding(lamps=3)) == 0  # type: ignore[valid-type]
    assert Lit(1, 2.0).lamps == 0


@legitimate
def a_helper_that_checks_all_fakes(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    for interface in (TideService, PilotPager, MooringRegister, QuayPatrol, Http):
        assert not unseen(shelf.fake(interface))


@legitimate
def a_fake_that_is_another_ones_reply(shelf: Shelf) -> None:
    class Harbour(Protocol):
        def gauge(self) -> TideService: ...

    shelf.furnish(Watch)
    given = shelf.fake(TideService, name="given")
    cue(shelf.fake(Harbour).gauge).gives(given)
    assert tally(given.depth_at) == 0


@legitimate
def two_fillings_of_one_generic(shelf: Shelf) -> None:
    keeper = shelf.furnish(BerthKeeper)
    berth = shelf.stock(Berth)
    keeper.kept.save(berth)
    assert tally(shelf.fake(Kept[Berth]).save) == 1
    assert tally(shelf.fake(Kept[Vessel]).save) == 0
    assert tally(shelf.fake(Kept[Toll]).save) == 0


@legitimate
def calls_that_were_forgotten(shelf: Shelf) -> None:
    watch = shelf.furnish(Watch)
    cue(watch.main.depth_at).gives(6.3)
    extra = shelf.fake(TideService, name="extra")
    cue(extra.depth_at).gives(1.0)
    assert watch.depth() + extra.depth_at("Ternhythe", NOON) == 7.3
    shelf.forget_calls()
    assert (tally(watch.main.depth_at), tally(extra.depth_at)) == (0, 0)
    assert not unseen(shelf)
    assert shelf.unused_cues() == []
    watch.depth()
    [call] = ledger_of(watch.main.depth_at)
    assert call.arguments.harbour == "Ternhythe"


@legitimate
def the_read_half_of_an_interface_handed_on_by_hand(shelf: Shelf) -> None:
    shelf.furnish(Keeper)
    half = shelf.fake(Reads)
    report = Report(half)
    report.run()
    assert tally(half.find) == 0


@legitimate
def a_fake_with_a_call_and_methods(shelf: Shelf) -> None:
    rings = shelf.fake(Rings)
    shelf.tells(Rings)
    rings(3)
    rings.stop()
    assert ledger_of(rings).names == ["Rings", "Rings.stop"]
    assert tally(rings, 3) == 1
    rings.stop()
    assert unseen(rings).names == ["Rings.stop"]


@legitimate
def the_whole_ledger_looks_at_nothing(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron")
    assert len(ledger_of(shelf)) == 1
    assert unseen(shelf).names == ["PilotPager.page"]


@legitimate
def look_ups_that_are_cued_or_taught_need_no_look(shelf: Shelf) -> None:
    berths, tolls = shelf.fake(BerthRepository), shelf.fake(Tolls)
    shelf.stock(Berth, 2)
    cue(berths.get, 7).raises(GaugeSilent())
    with pytest.raises(GaugeSilent):
        berths.get(7)

    @shelf.teach(Tolls.find_cheapest)
    def cheapest(shelf: Shelf) -> Toll | None:
        shelf.fake(PilotPager).page(1, "asked by the test's own function")
        return None

    assert tolls.find_cheapest() is None
    assert not unseen(shelf)
    assert "by the test's own function, taught: cheapest" in str(ledger_of(shelf)[-1])


@legitimate
def a_unit_of_work_is_entered_and_left_unseen(shelf: Shelf) -> None:
    with shelf.fake(Unit) as unit:
        unit.commit()
    assert unseen(shelf.fake(Unit)).names == ["Unit.commit"]


@legitimate
def arguments_by_position(shelf: Shelf) -> None:
    ring = shelf.fake(Callable[..., None])
    http = shelf.fake(Http)
    cue(http.request).gives(200)
    ring("B-1", 3, loud=True)
    http.request("GET", "/a", "b", "c", timeout=1.0)
    [call] = ledger_of(ring)
    assert (call.arguments[0], call.arguments[1], call.arguments[-1]) == ("B-1", 3, 3)
    assert call.arguments.loud is True
    assert ledger_of(http.request).each(2) == ["b"]


@legitimate
def and_whatever_else(shelf: Shelf) -> None:
    http = shelf.fake(Http)
    answer = cue(some_of(http.request), "GET", "/a").gives(200)
    assert repr(answer) == "cue(some_of(Http.request), 'GET', '/a').gives(200)"
    assert http.request("GET", "/a", "x", timeout=1.0, token="t") == 200
    assert tally(some_of(http.request), url="/a") == 1
    assert tally(some_of(http.request), "GET", "/a", "x") == 1
    assert tally(some_of(http.request), "GET", "/a", "y") == 0
    assert tally(some_of(http.request), token="t") == 1
    assert str(tally(http.request, "GET", "/a")).startswith("0 calls of Http.request('GET', '/a')")
    missed = tally(some_of(http.request), timeout=2.0)
    assert str(missed).startswith("0 calls of some_of(Http.request)(timeout=2.0)")


@legitimate
def some_of_what_stars_take_up(shelf: Shelf) -> None:
    class Flags(Protocol):
        def hoist(self, first: str, *more: int, **colours: int) -> int: ...

    flags = shelf.fake(Flags)
    cue(some_of(flags.hoist), "aft", 1, red=2).gives(3)
    assert flags.hoist("aft", 1, 5, red=2, white=4) == 3
    assert tally(some_of(flags.hoist), white=4) == 1
    [call] = ledger_of(flags)
    kept = copy.deepcopy(call.arguments)
    assert (kept.first, kept.more, kept.white) == ("aft", (1, 5), 4)


@legitimate
def context_managers(shelf: Shelf) -> None:
    locks, tides = shelf.fake(Locks), shelf.fake(TideService)
    with locks.tides() as found:
        assert found is tides
    cue(locks.numbered).enters(7)
    cue(locks.numbered_async).enters(8).waits(0.001)
    with locks.numbered() as one, locks.numbered() as other:
        assert one + other == 14

    async def use() -> int:
        async with locks.tides_async() as also, locks.numbered_async() as number:
            assert also is tides
            return number

    assert asyncio.run(use()) == trio.run(use) == 8
    cue(locks.hold).enters(raising(GaugeSilent()))
    with pytest.raises(GaugeSilent), locks.hold("B-1"):
        pass


@legitimate
def constants_and_what_is_assigned_are_in_the_ledger(shelf: Shelf) -> None:
    fake = shelf.fake(Settled)
    assert (fake.limit, fake.places, fake.Unknown) == (5, ("Ternhythe", 2), KeyError)
    assert (fake.reach.metres, fake.convert("4")) == (3, 4)
    fake.depth_m = 6.3
    assert fake.depth_m == 6.3
    assert len(ledger_of(fake)) == 7
    assert tally(attribute(fake, "depth_m")) == tally(attribute(fake, "limit")) == 1
    answered = [call.answered_by for call in ledger_of(fake)]
    assert answered[0] == "the constant of the class"
    assert answered[-1].startswith("Settled.depth_m = 6.3, assigned at ")
    cue(attribute(fake, "limit")).gives(9)
    assert fake.limit == 9


@legitimate
def a_computed_stream_is_read_as_it_goes(shelf: Shelf) -> None:
    closed: list[bool] = []

    def lines() -> Iterator[str]:
        try:
            yield from ("in", "out", "in")
        finally:
            closed.append(True)

    cue(shelf.fake(Odd).lines).computes(lines)
    read = shelf.fake(Odd).lines()
    assert [next(read), next(read)] == ["in", "out"]
    assert (ledger_of(shelf.fake(Odd).lines)[0].taken, closed) == (2, [])
    read.close()  # type: ignore[attr-defined]
    assert closed == [True]


@legitimate
def a_stream_for_any_iterable(shelf: Shelf) -> None:
    class Gauge(Protocol):
        def depths(self) -> Iterable[float]: ...

    cue(shelf.fake(Gauge).depths).streams(1.0, 2.0)
    assert list(shelf.fake(Gauge).depths()) == list(shelf.fake(Gauge).depths()) == [1.0, 2.0]


@legitimate
def canned_containers_are_fresh_and_their_records_the_same(shelf: Shelf) -> None:
    berths = [shelf.urn.draw(Berth)]
    cue(shelf.fake(BerthRepository).find_by_harbour).gives(berths)
    first = shelf.fake(BerthRepository).find_by_harbour("Ternhythe")
    assert first[0] is berths[0]
    first.clear()
    assert shelf.fake(BerthRepository).find_by_harbour("Ternhythe") == berths


@legitimate
def an_exception_is_raised_twice_as_if_new(shelf: Shelf) -> None:
    silent = GaugeSilent()
    silent.add_note("the test's own")
    cue(shelf.fake(TideService).depth_at).raises(silent)
    for _ in range(2):
        with pytest.raises(GaugeSilent) as raised:
            shelf.fake(TideService).depth_at("Ternhythe", NOON)
        error = raised.value
        assert error.__notes__ == ["the test's own"]
        assert (error.__cause__, error.__context__) == (None, None)
        error.add_note("the service's")
        error.__cause__ = error.__context__ = KeyError("of the service")


@legitimate
def a_method_behind_a_wrapper_of_an_async_one(shelf: Shelf) -> None:
    wrapped = shelf.fake(Wrapped)
    cue(wrapped.later).gives(4)
    cue(wrapped._is_open).gives(False)
    cue(wrapped.three).passes_through()
    assert asyncio.run(wrapped.later(1)) == 4  # type: ignore[arg-type]
    assert (wrapped._is_open(), wrapped.three()) == (False, 3)


@legitimate
def overloads_keep_their_signatures(shelf: Shelf) -> None:
    odd = shelf.fake(Odd)
    assert str(inspect.signature(odd.go)) == "(a: 'int | str', b: 'int' = Ellipsis) -> 'int | str'"
    cue(odd.go).gives(3)
    assert (odd.go(1), odd.go("x", 2)) == (3, 3)


@legitimate
def a_background_thread(shelf: Shelf) -> None:
    pilots = shelf.fake(PilotPager)
    threading.Timer(0.01, lambda: pilots.page(7, "Gray Heron")).start()
    shelf.wait_until(lambda: tally(pilots.page) == 1)


@legitimate
def tasks_under_both_event_loops(shelf: Shelf) -> None:
    patrol = shelf.fake(QuayPatrol)
    shelf.tells(QuayPatrol)
    cue(patrol.light_up).gives(None).waits(0.005)

    async def under_trio() -> None:
        async with trio.open_nursery() as nursery:
            nursery.start_soon(patrol.light_up, "B-1")
            await shelf.wait_until_async(lambda: tally(patrol.light_up, "B-1") == 1)

    async def under_asyncio() -> None:
        task = asyncio.create_task(patrol.light_up("B-2"))
        await shelf.wait_until_async(lambda: tally(patrol.light_up, "B-2") == 1)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task

    trio.run(under_trio)
    asyncio.run(under_asyncio())
    assert isinstance(ledger_of(patrol.light_up)[-1].error, asyncio.CancelledError)


@legitimate
def many_calls_of_one_value_are_no_loop(shelf: Shelf) -> None:
    berths, pilots = shelf.fake(BerthRepository), shelf.fake(PilotPager)
    cue(berths.count).gives(6)
    assert {berths.count() for _ in range(10_500)} == {6}
    cue(berths.count).gives(1, 0)
    for number in range(10_500):
        berths.count()
        if number % 5_000 == 0:
            pilots.page(number, "still counting")


def names_asked(values: Iterable[Program]) -> list[str]:
    return [program.__name__ for program in values]


@pytest.mark.parametrize("program", LEGITIMATE, ids=names_asked(LEGITIMATE))
def test_a_legitimate_program(shelf: Shelf, program: Program) -> None:
    program(shelf)


# --- files of others ------------------------------------------------------------------------------


ODD = "x=__import__('pathlib').Path('RUN').touch()"


@pytest.mark.parametrize("name", [ODD, "class", "x): pass #", "self", "x\ny", "{x}"])
def test_names_in_documents_of_others_are_never_run(
    shelf: Shelf, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str
) -> None:
    monkeypatch.chdir(tmp_path)
    told = {"required": True, "schema": {"type": "string", "default": ODD}}
    query = {"name": name, "in": "query", **told}
    paths = {
        "/berths": {"get": {"parameters": [query], "responses": {"200": {"description": name}}}}
    }
    document = {"openapi": "3.1.0", "info": {"title": name, "version": "1"}, "paths": paths}
    (tmp_path / "api.json").write_text(json.dumps(document))
    kiosk = shelf.kiosk("port", openapi="api.json")
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/berths", params={name: "1"}).status_code == 200
    assert not (tmp_path / "RUN").exists()


@pytest.mark.parametrize(
    ("plan", "told"),
    [
        ('[tables."../out"]\nrules.id = {serial = ""}', "its name is that of a file"),
        (f'[tables.a]\nrules.x = {{formula = "{ODD}"}}', "it takes fields, numbers"),
    ],
)
def test_plans_of_others_write_and_run_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, plan: str, told: str,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    (tmp_path / "plan.toml").write_text(f"format = 1\n{plan}\n")
    assert main(["draw", "plan.toml", "-o", "out"]) == 2
    assert told in capsys.readouterr().err
    assert [path.name for path in tmp_path.iterdir()] == ["plan.toml"]
