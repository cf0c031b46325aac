"""Replies: what a cue can give, when it answers, and what it refuses."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any, Protocol, TypedDict

import numpy
import pytest

import awkward
from urnshelf import (
    CueRefused,
    RefusalHidden,
    RepliesSpent,
    ReplyRefused,
    Shelf,
    UnansweredCall,
    attribute,
    cue,
    fitting,
    holding,
    ledger_of,
    of_type,
    raising,
    tally,
    whatever,
)
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    Mooring,
    PilotPager,
    QuayPatrol,
    QuayReport,
    TideService,
    Vessel,
)

NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)


class Forecast(TypedDict):
    depth_m: float
    at: datetime


class Gauge(Protocol):
    def read(self, station: str, *, unit: str = "m", samples: int = 1) -> float: ...
    def compare(self, reading: Any) -> float: ...
    def history(self, station: str) -> Iterator[float]: ...
    def follow(self, station: str) -> AsyncIterator[float]: ...
    async def aread(self, station: str) -> float: ...
    async def afollow(self, station: str) -> AsyncIterator[float]: ...
    def forecast(self, station: str) -> Forecast: ...
    def store(self, readings: list[float], tags: dict[str, Any] | None = None) -> None: ...


class WithCode:
    unit = "m"

    def read(self, station: str) -> float:
        return self.raw(station) * 2

    def raw(self, station: str) -> float:
        raise NotImplementedError

    async def aread(self, station: str) -> float:
        return self.read(station) + 1

    @classmethod
    def kind(cls, a: int) -> str:
        return f"{cls.__name__} {a}"

    @staticmethod
    def twice(a: int) -> int:
        return a * 2

    @property
    def label(self) -> str:
        return f"gauge in {self.unit}"


@pytest.fixture
def gauge(shelf: Shelf) -> Gauge:
    return shelf.fake(Gauge)


# --- values ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("when_spent", "seen"), [("repeat", [100, 10, 0, 0, 0]), ("cycle", [100, 10, 0, 100, 10])]
)
def test_values_in_turn(shelf: Shelf, when_spent: Any, seen: list[int]) -> None:
    berths = shelf.fake(BerthRepository)
    cue(berths.count).gives(100, 10, 0, when_spent=when_spent)
    assert [berths.count() for _ in range(5)] == seen


def test_values_that_refuse_when_spent_cannot_be_hidden() -> None:
    shelf = Shelf()
    berths = shelf.fake(BerthRepository)
    cue(berths.count).gives(1, 2, when_spent="refuse")
    assert [berths.count(), berths.count()] == [1, 2]
    with pytest.raises(RepliesSpent, match="gives\\(1, 2, when_spent='refuse'\\) has values: 2"):
        berths.count()
    with pytest.raises(RefusalHidden, match="gives\\(1, 2, when_spent='refuse'\\) has values: 2"):
        shelf.close()


def test_exceptions_among_values(gauge: Gauge) -> None:
    cue(gauge.read, "A").gives(raising(GaugeSilent("dark"), times=2), 6.3)
    for _ in range(2):
        with pytest.raises(GaugeSilent, match="dark"):
            gauge.read("A")
    assert gauge.read("A") == 6.3


def test_a_class_of_exceptions_is_made_afresh_and_an_instance_is_raised_itself(
    gauge: Gauge,
) -> None:
    mine = GaugeSilent("mine")
    cue(gauge.read, "A").raises(mine)
    cue(gauge.read, "B").raises(TimeoutError)
    with pytest.raises(GaugeSilent) as caught:
        gauge.read("A")
    assert caught.value is mine
    with pytest.raises(TimeoutError):
        gauge.read("B")
    assert [type(call.error) for call in ledger_of(gauge.read)] == [GaugeSilent, TimeoutError]


def test_the_same_object_is_given_each_time(shelf: Shelf) -> None:
    berths, berth = shelf.fake(BerthRepository), shelf.urn.draw(Berth)
    cue(berths.get, 1).gives(berth)
    assert berths.get(1) is berth is berths.get(1)


# --- which cue answers ----------------------------------------------------------------------------


def test_arguments_by_position_by_name_and_by_default_are_the_same(gauge: Gauge) -> None:
    cue(gauge.read, station="A", unit="m").gives(1.0)
    assert gauge.read("A") == gauge.read("A", samples=1) == gauge.read(station="A", unit="m") == 1.0
    cue(gauge.read, "A", unit="ft").gives(2.0)
    assert gauge.read("A", unit="ft") == 2.0


def test_the_newest_cue_that_fits_answers(gauge: Gauge) -> None:
    cue(gauge.read).gives(1.0)
    cue(gauge.read, "A").gives(2.0)
    cue(gauge.read, fitting(lambda station: station.startswith("A"))).gives(3.0)
    assert [gauge.read("Z"), gauge.read("A"), gauge.read("Ab")] == [1.0, 3.0, 3.0]


def test_a_cue_for_some_calls_steps_aside(gauge: Gauge) -> None:
    cue(gauge.read).gives(1.0)
    cue(gauge.read, "A").gives(2.0, 3.0).for_calls(2)
    assert [gauge.read("A") for _ in range(4)] == [2.0, 3.0, 1.0, 1.0]


@pytest.mark.parametrize(
    ("expected", "fits", "not_fits"),
    [
        (whatever, [1, None, [2]], []),
        (1, [1, 1.0, Decimal(1)], [True, 2, "1", None]),
        (True, [True], [1, 1.0]),
        (0, [0, 0.0], [False, None]),
        (float("nan"), [float("nan")], [1.0]),
        ("A", ["A"], ["a", b"A"]),
        (None, [None], [0, "", []]),
        (of_type(int), [1], [True, "1", 1.5]),
        (of_type((int, bool)), [1, True], ["x"]),
        (fitting(lambda v: v > 3), [4, 5.5], [1, "text"]),
        ([1, whatever], [[1, 2], [1, "x"]], [[1], [2, 2], (1, 2), [True, 1]]),
        ({"a": of_type(str)}, [{"a": "x"}], [{"a": 1}, {"a": "x", "b": 1}, {}]),
        ({1, 2}, [{2, 1}], [{1}, {True, 2}]),
        (
            holding(harbour="Ternhythe"),
            [{"harbour": "Ternhythe", "b": 1}],
            [{"harbour": "Curlhythe"}, {}, 5],
        ),
        (
            Vessel(7, whatever, "GH"),
            [Vessel(7, "Gray Heron", "GH"), Vessel(7, "Red Heron", "GH")],
            [Vessel(8, "x", "GH"), None],
        ),
        (holding(id=7, name=of_type(str)), [Vessel(7, "x", "y")], [Vessel(8, "x", "y")]),
        (
            numpy.array([1.0, numpy.nan]),
            [numpy.array([1.0, numpy.nan])],
            [numpy.array([1.0, 2.0]), numpy.array([1.0])],
        ),
        (timedelta(hours=1), [timedelta(minutes=60)], [timedelta(0)]),
    ],
)
def test_one_equality(gauge: Gauge, expected: Any, fits: list[Any], not_fits: list[Any]) -> None:
    cue(gauge.compare, whatever).gives(0.0)
    cue(gauge.compare, expected).gives(1.0)
    assert [gauge.compare(value) for value in fits] == [1.0] * len(fits)
    assert [gauge.compare(value) for value in not_fits] == [0.0] * len(not_fits)
    assert tally(gauge.compare, expected) == len(fits)


class RaisesWhenCompared:
    def __eq__(self, other: object) -> bool:
        raise RuntimeError("cannot compare")

    __hash__ = None  # type: ignore[assignment]


class NoEquality:
    def __init__(self, a: int) -> None:
        self.a = a


def test_an_equality_that_raises_means_different(gauge: Any) -> None:
    cue(gauge.read).gives(0.0)
    cue(gauge.read, "A").gives(1.0)
    assert gauge.read(RaisesWhenCompared()) == 0.0
    cue(gauge.read, RaisesWhenCompared()).gives(2.0)
    assert gauge.read("B") == 0.0
    assert tally(gauge.read, "A") == 0


def test_an_object_without_equality_is_itself(gauge: Any) -> None:
    mine = NoEquality(1)
    cue(gauge.read).gives(0.0)
    cue(gauge.read, mine).gives(1.0)
    assert (gauge.read(mine), gauge.read(NoEquality(1))) == (1.0, 0.0)


# --- other replies --------------------------------------------------------------------------------


def test_computed_replies_get_the_call_as_it_was_made(gauge: Gauge) -> None:
    cue(gauge.read).computes(lambda station, *, unit, samples: float(len(station) * samples))
    assert gauge.read("ABC", samples=2) == 6.0

    async def later(station: str) -> float:
        await asyncio.sleep(0)
        return 2.5

    cue(gauge.aread).computes(later)
    assert asyncio.run(gauge.aread("A")) == 2.5
    cue(gauge.aread).computes(lambda station: 3.5)
    assert asyncio.run(gauge.aread("A")) == 3.5

    def history(station: str) -> Iterator[float]:
        yield from (1.0, 2.0)

    cue(gauge.history).computes(history)
    assert list(gauge.history("A")) == [1.0, 2.0]


def test_streams_are_fresh_for_each_call_and_note_what_was_taken(gauge: Gauge) -> None:
    cue(gauge.history, "A").streams(1.0, 2.0, raising(GaugeSilent()))
    assert next(gauge.history("A")) == 1.0
    taken = []
    with pytest.raises(GaugeSilent):
        for depth in gauge.history("A"):
            taken.append(depth)
    assert taken == [1.0, 2.0]
    assert [call.taken for call in ledger_of(gauge.history)] == [1, 2]


def test_async_streams_plain_and_awaited(gauge: Gauge) -> None:
    cue(gauge.follow).streams(1.0, 2.0)
    cue(gauge.afollow).streams(3.0)

    async def use() -> list[float]:
        return [d async for d in gauge.follow("A")] + [d async for d in await gauge.afollow("A")]

    assert asyncio.run(use()) == [1.0, 2.0, 3.0]


def test_a_reply_may_wait(gauge: Gauge) -> None:
    cue(gauge.read).gives(1.0).waits(0.03)
    cue(gauge.history).streams(1.0).waits(0.03)
    cue(gauge.aread).gives(1.0).waits(0.03)
    cue(gauge.follow).streams(1.0).waits(0.03)

    def slow(work: Any) -> bool:
        start = time.perf_counter()
        work()
        return time.perf_counter() - start >= 0.03

    async def ten() -> None:
        await asyncio.gather(*(gauge.aread("A") for _ in range(10)))

    async def first() -> None:
        async for _ in gauge.follow("A"):
            return

    assert slow(lambda: gauge.read("A"))
    assert not slow(lambda: gauge.history("A"))
    assert slow(lambda: next(gauge.history("A")))
    assert slow(lambda: asyncio.run(ten()))
    assert slow(lambda: asyncio.run(first()))


def test_the_interfaces_own_code_may_run(shelf: Shelf) -> None:
    gauge = shelf.fake(WithCode)
    cue(gauge.read).passes_through()
    cue(gauge.aread).passes_through()
    cue(gauge.raw, "A").gives(4.0)
    cue(gauge.kind).passes_through()
    cue(gauge.twice).passes_through()
    cue(attribute(gauge, "label")).passes_through()
    assert gauge.read("A") == 8.0
    assert asyncio.run(gauge.aread("A")) == 9.0
    assert (gauge.kind(3), gauge.twice(3), gauge.label) == ("WithCode 3", 6, "gauge in m")
    assert tally(gauge.raw, "A") == 2


def test_a_method_that_promises_an_awaitable_gives_one(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.AwaitableByHand)
    cue(fake.go, 1).gives(5)

    async def use() -> int:
        return await fake.go(1)

    assert asyncio.run(use()) == 5


def test_an_uncued_async_call_is_refused_when_awaited_and_a_none_is_obvious(shelf: Shelf) -> None:
    shelf.tells(QuayPatrol)
    patrol = shelf.fake(QuayPatrol)
    assert asyncio.run(patrol.light_up("B-01")) is None  # type: ignore[func-returns-value]
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="report_on"):
        asyncio.run(patrol.report_on("B-01"))


# --- what is refused ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("method", "value", "complaint"),
    [
        ("read", "deep", "it is 'deep', a str, not float"),
        ("read", None, "it is None, a NoneType, not float"),
        ("aread", "deep", "not float"),
        ("forecast", {"depth_m": "deep", "at": NOON}, r"\['depth_m'\] is 'deep', a str, not float"),
        ("forecast", {"depth_m": 1.0}, "not Forecast"),
        ("history", [1.0], "not Iterator"),
        ("store", 5, "promises None"),
    ],
)
def test_a_value_of_another_type_is_refused_there_and_then(
    gauge: Gauge, method: str, value: Any, complaint: str
) -> None:
    with pytest.raises(ReplyRefused, match=complaint) as refused:
        cue(getattr(gauge, method)).gives(value)
    assert f"Gauge.{method} promises" in str(refused.value)


def test_the_check_can_be_switched_off() -> None:
    shelf = Shelf(check_replies=False)
    cue(shelf.fake(Gauge).read).gives("deep")  # type: ignore[arg-type]
    assert shelf.fake(Gauge).read("A") == "deep"  # type: ignore[comparison-overlap]


def test_an_int_keeps_a_promise_of_a_float_and_a_fake_one_of_its_interface(
    shelf: Shelf, gauge: Gauge
) -> None:
    cue(gauge.read).gives(3)
    assert gauge.read("A") == 3
    crane = shelf.fake(awkward.Covariant[TideService])
    cue(crane.make).gives(shelf.fake(TideService))
    assert crane.make() is shelf.fake(TideService)


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (lambda g: cue(g.read), "was given no reply"),
        (
            lambda g: cue(g.read, "A", 5),
            r"it takes 1 positional argument but 2 were given\n  the method is   read\(station: "
            r"str, ",
        ),
        (lambda g: cue(g.read, stations="A"), "there is no argument 'stations'"),
        (lambda g: cue(g.read("A")), "UnansweredCall"),
        (lambda g: cue(Gauge.read), "that one is real"),
        (lambda g: cue(len), "that one is real"),
        (lambda g: cue(5), "without calling it"),
        (lambda g: cue(g), r"not the fake itself"),
        (lambda g: cue(g.read).gives(), "needs a value"),
        (
            lambda g: cue(g.read).gives(1.0, when_spent="stop"),
            "choose 'repeat', 'cycle' or 'refuse'",
        ),
        (lambda g: cue(g.read).gives(whatever), "a matcher stands for arguments"),
        (lambda g: cue(g.read).gives(1.0).gives(2.0), "has a reply already"),
        (lambda g: cue(g.read).raises("text"), "only an exception can be raised"),
        (lambda g: cue(g.read).raises(UnicodeDecodeError), "cannot be made without arguments"),
        (lambda g: cue(g.read).gives(raising(GaugeSilent(), times=0)), "whole number from 1"),
        (lambda g: cue(g.read).computes(5), "must be a function"),
        (lambda g: cue(g.read).computes(lambda: 1.0), "cannot be called as the method is"),
        (lambda g: cue(g.read).streams(1.0), "which is no stream"),
        (lambda g: cue(g.history).streams("x"), "the stream's items are float"),
        (lambda g: cue(g.read).gives(1.0).waits(-1), "number of seconds from 0"),
        (lambda g: cue(g.read).gives(1.0).for_calls(0), "whole number from 1"),
        (lambda g: cue(g.aread).gives(g.aread("A")), "give the awaited value"),
        (lambda g: cue(attribute(g, "read")), "a method; cue it without"),
        (lambda g: cue(attribute(g, "depth")), "unknown"),
        (lambda g: cue(attribute(5, "depth")), "is no fake"),
        (lambda g: cue(g.read, fitting(5)), "takes a function"),
        (lambda g: cue(g.read, of_type(5)), "takes a class"),
    ],
)
def test_a_wrong_cue_is_refused_with_what_to_do(wrong: Any, complaint: str) -> None:
    with pytest.raises(Exception) as refused:
        with Shelf() as shelf:
            wrong(shelf.fake(Gauge))
    told = f"{type(refused.value).__name__}: {refused.value}"
    assert isinstance(refused.value, (CueRefused, ReplyRefused, UnansweredCall))
    import re

    assert re.search(complaint, told)


def test_a_refused_reply_does_not_count_as_a_cue(shelf: Shelf, gauge: Gauge) -> None:
    with pytest.raises(ReplyRefused):
        cue(gauge.read).gives("deep")  # type: ignore[arg-type]
    assert shelf.unused_cues() == []


def test_arguments_and_replies_of_records(shelf: Shelf) -> None:
    patrol, pilots = shelf.fake(QuayPatrol), shelf.fake(PilotPager)
    cue(patrol.report_on, "B-01").gives(QuayReport("B-01", True))
    cue(pilots.page, 7, fitting(lambda text: "Heron" in text), urgent=True).raises(GaugeSilent)
    assert asyncio.run(patrol.report_on("B-01")).fenders_intact
    pilots.page(7, "Gray Heron")
    with pytest.raises(GaugeSilent):
        pilots.page(7, "Gray Heron", urgent=True)
    assert shelf.records(Mooring).count() == 0
    assert tally(shelf.fake(TideService).depth_at, "Ternhythe", NOON) == 0
