"""Looking at calls: tallies, calls in order, places, what nobody looked at, refusals."""

from __future__ import annotations

import asyncio
import functools
import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple, Protocol

import attrs
import numpy
import pydantic
import pytest

from urnshelf import (
    CueRefused,
    RefusalHidden,
    Shelf,
    UnansweredCall,
    cue,
    holding,
    ledger_of,
    raising,
    tally,
    unseen,
    whatever,
)
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    PilotPager,
    QuayPatrol,
    QuayReport,
    TideService,
)

NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
HERE = Path(__file__).name


class Log(Protocol):
    def write(self, entry: Any, *more: Any, **fields: Any) -> None: ...
    def flush(self) -> None: ...
    async def send(self, entry: Any) -> None: ...


@pytest.fixture
def log(shelf: Shelf) -> Log:
    return shelf.fake(Log)


# --- counting -------------------------------------------------------------------------------------


def test_a_tally_is_an_int_of_its_moment(log: Log) -> None:
    log.write("a")
    count = tally(log.write, "a")
    log.write("a")
    assert (count, tally(log.write, "a"), tally(log.write), tally(log.write, "b")) == (1, 2, 2, 0)
    assert count + 1 == 2
    assert isinstance(count, int)
    assert f"{count:03}" == "001"
    assert str(count).startswith("1 call of Log.write('a')\n  #1  write(entry='a')")
    assert f"{count}" == str(count)
    assert not tally(log.flush)


def test_calls_are_opened_by_name(log: Log) -> None:
    log.write("a", 1, 2, level="high")
    call = ledger_of(log.write)[-1]
    assert call.method == "Log.write"
    assert call.number == 1
    assert (call.arguments.entry, call.arguments.more, call.arguments.level) == (
        "a",
        (1, 2),
        "high",
    )
    assert dict(call.arguments) == {"entry": "a", "more": (1, 2), "fields": {"level": "high"}}
    assert (call.reply, call.error, call.answered_by) == (None, None, "the obvious reply")
    with pytest.raises(AttributeError, match="it has entry, more, fields"):
        _ = call.arguments.colour
    with pytest.raises(KeyError):
        call.arguments["colour"]
    with pytest.raises(IndexError, match="Log.write: there is no call \\[3\\], only 1"):
        ledger_of(log.write)[3]


def test_names_one_argument_of_each_and_order(shelf: Shelf, log: Log) -> None:
    for entry in ("a", "b"):
        log.write(entry)
    log.flush()
    assert ledger_of(log).names == ["Log.write", "Log.write", "Log.flush"]
    assert ledger_of(log.write).each("entry") == ["a", "b"]
    assert ledger_of(log.write).before(ledger_of(log.flush))
    assert not ledger_of(log.flush).before(ledger_of(log.write))
    assert not ledger_of(log.write).before(ledger_of(shelf.fake(PilotPager)))
    assert [call.number for call in ledger_of(shelf)[1:]] == [2, 3]
    assert str(ledger_of(log.flush)) == "Log.flush: 1 call\n  #3  Log.flush()"


def test_replies_and_errors_are_noted(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at).gives(raising(GaugeSilent("dark")), 6.3)
    with pytest.raises(GaugeSilent):
        tides.depth_at("Ternhythe", NOON)
    tides.depth_at("Ternhythe", NOON)
    first, second = ledger_of(tides)
    assert isinstance(first.error, GaugeSilent)
    assert (second.error, second.reply) == (None, 6.3)
    assert second.answered_by.startswith("cue(TideService.depth_at).gives(raising(")
    shelf.stock(Berth, 2)
    shelf.fake(BerthRepository).count()
    assert (
        ledger_of(shelf.fake(BerthRepository))[0].answered_by
        == "the shelf's records: SELECT count(*) FROM berth"
    )


def test_nothing_else(shelf: Shelf, log: Log) -> None:
    log.write("a")
    log.write("b")
    assert not unseen(shelf.fake(PilotPager))
    assert tally(log.write, "a") == 1
    left = unseen(log)
    assert len(left) == 1
    assert left[0].arguments.entry == "b"
    ledger_of(log)
    assert not unseen(log)
    assert not unseen(shelf)


def test_look_ups_that_the_shelf_answered_need_no_look(shelf: Shelf) -> None:
    shelf.stock(Berth(id=1, code="B-1", harbour="Ternhythe", length_m=1.0, depth_m=1.0, day_rate=1))  # type: ignore[arg-type]
    berths = shelf.fake(BerthRepository)
    berth = berths.get(1)
    assert not unseen(berths)
    berths.save(berth)
    assert unseen(berths, shelf.fake(TideService)).names == ["BerthRepository.save"]


@pytest.mark.parametrize("wrong", [5, "text", None])
def test_looking_at_something_else_is_refused(wrong: Any) -> None:
    for look in (ledger_of, unseen, tally):
        with pytest.raises(CueRefused, match="takes a method of a fake"):
            look(wrong)


# --- arguments as they were at the call -----------------------------------------------------------


@dataclass
class Crew:
    names: list[str]
    ship: Any = None


@dataclass(frozen=True)
class Frozen:
    names: list[str]


@dataclass(slots=True)
class Slotted:
    names: list[str]
    unset: int = field(init=False)


class Named(NamedTuple):
    names: list[str]


@attrs.define
class WithAttrs:
    names: list[str]


class WithPydantic(pydantic.BaseModel):
    names: list[str]


@pytest.mark.parametrize(
    "make",
    [Crew, Frozen, Slotted, Named, WithAttrs, lambda n: WithPydantic.model_construct(names=n)],
)
def test_records_are_kept_as_they_were(log: Log, make: Any) -> None:
    names = ["a"]
    record = make(names)
    log.write(record)
    record.names.append("b")
    kept = ledger_of(log.write)[0].arguments.entry
    assert kept.names == ["a"]
    assert type(kept) is type(record)
    assert tally(log.write, holding(names=["a"])) == 1
    assert tally(log.write, holding(names=["a", "b"])) == 0


def test_containers_are_kept_and_cycles_too(log: Log) -> None:
    ring: list[Any] = [1]
    ring.append(ring)
    boat = Crew(["a"])
    boat.ship = boat
    log.write(ring, {"a": {1, 2}}, bytearray(b"x"), numpy.zeros(2), boat)
    kept = ledger_of(log.write)[0].arguments
    ring[0] = 2
    kept_ring = kept.entry
    assert kept_ring[0] == 1
    assert kept_ring[1] is kept_ring
    assert kept.more[3].ship is kept.more[3]
    assert kept.more[3] is not boat


def test_things_that_cannot_change_are_not_copied(log: Log) -> None:
    frozen, whole, thing = Named(()), ("a", (1, 2)), object()  # type: ignore[arg-type]
    log.write(frozen, whole, thing)
    kept = ledger_of(log.write)[0].arguments
    assert kept.more[0] is whole
    assert kept.more[1] is thing


# --- where a call came from -----------------------------------------------------------------------


def line_of(text: str) -> int:
    lines = Path(__file__).read_text().splitlines()
    return next(
        n for n, line in enumerate(lines, 1) if f"# {text}" in line and "line_of" not in line
    )


def place_of_last(what: Any) -> tuple[str, int, str]:
    place = ledger_of(what)[-1].called_from
    return Path(place.file).name, place.line, place.function.rpartition(".")[2]


def test_the_place_is_the_line_that_called(log: Log) -> None:
    log.write(
        "a",
    )
    assert place_of_last(log)[0] == HERE
    log.write("b")  # plain
    assert place_of_last(log) == (HERE, line_of("plain"), "test_the_place_is_the_line_that_called")


def test_library_frames_are_passed_over(log: Log) -> None:
    list(map(functools.partial(log.write, "x"), [1]))  # mapped
    assert place_of_last(log) == (HERE, line_of("mapped"), "test_library_frames_are_passed_over")
    sorted([2, 1], key=lambda n: log.write(n) or n)  # in a lambda  # type: ignore[func-returns-value]
    assert place_of_last(log) == (HERE, line_of("in a lambda"), "<lambda>")


def test_the_place_of_awaited_calls(log: Log) -> None:
    async def service() -> None:
        await log.send("a")  # awaited
        await asyncio.wait_for(log.send("b"), 1)  # waited for
        await asyncio.gather(log.send("c"), log.send("d"))  # gathered
        task = asyncio.create_task(log.send("e"))  # a task
        await task

    asyncio.run(service())
    seen = {call.arguments.entry: call.called_from for call in ledger_of(log.send)}
    expected = {"a": "awaited", "b": "waited for", "c": "gathered", "d": "gathered", "e": "a task"}
    assert {entry: place.line for entry, place in seen.items()} == {
        e: line_of(text) for e, text in expected.items()
    }
    assert {place.function.rpartition(".")[2] for place in seen.values()} == {"service"}
    assert "service" in seen["a"].task
    assert seen["e"].task.startswith("task 'Task-")


def test_an_async_call_is_entered_when_awaited(log: Log) -> None:
    async def use() -> list[int]:
        pending = log.send("a")
        before = len(ledger_of(log))
        await pending
        return [before, len(ledger_of(log))]

    assert asyncio.run(use()) == [0, 1]


def test_the_place_in_threads(log: Log) -> None:
    def work() -> None:
        log.write("a")  # in a thread

    thread = threading.Thread(target=work)
    thread.start()
    thread.join()
    assert place_of_last(log) == (HERE, line_of("in a thread"), "work")
    with ThreadPoolExecutor(1) as pool:
        pool.submit(work).result()
    assert place_of_last(log)[1] == line_of("in a thread")


# --- many at once ---------------------------------------------------------------------------------


def test_threads_lose_nothing_and_share_values_out(shelf: Shelf) -> None:
    berths, log = shelf.fake(BerthRepository), shelf.fake(Log)
    cue(berths.count).gives(*range(2_000))
    got: list[list[int]] = []

    def work() -> None:
        mine = [berths.count() for _ in range(250)]
        for number in range(4_000):
            log.write(number)
        got.append(mine)

    threads = [threading.Thread(target=work) for _ in range(8)]
    usual = sys.getswitchinterval()
    sys.setswitchinterval(1e-5)  # many more changes of thread than in a longer run
    try:
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    finally:
        sys.setswitchinterval(usual)
    assert sorted(n for mine in got for n in mine) == list(range(2_000))
    assert tally(log.write) == 32_000
    assert [call.number for call in ledger_of(shelf)] == list(range(1, 34_001))


def test_tasks_share_values_out(shelf: Shelf) -> None:
    patrol = shelf.fake(QuayPatrol)
    cue(patrol.report_on).gives(*[QuayReport(f"B-{n}", True) for n in range(100)]).waits(0.001)

    async def walk() -> set[str]:
        return {
            report.berth_code
            for report in await asyncio.gather(*[patrol.report_on("x") for _ in range(100)])
        }

    assert len(asyncio.run(walk())) == 100


# --- cues and refusals at the end -----------------------------------------------------------------


def test_unused_and_hidden_cues_are_listed(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    used = cue(tides.depth_at, "Curlhythe", whatever).gives(1.0)
    hidden = cue(tides.depth_at, "Ternhythe", NOON).gives(1.0)
    hiding = cue(tides.depth_at, "Ternhythe", whatever).gives(2.0)
    idle = cue(tides.depth_at, "Gullkeld", whatever).gives(3.0)
    tides.depth_at("Curlhythe", NOON)
    tides.depth_at("Ternhythe", NOON)
    assert shelf.unused_cues() == [hidden, idle]
    assert (hidden.hidden_by, idle.hidden_by, used.hidden_by) == (hiding, None, None)
    assert used.used
    cue(tides.depth_at).gives(4.0)
    assert idle.hidden_by is not None
    assert str(idle.place).startswith(f"tests/{HERE}") or HERE in str(idle.place)


def test_a_cue_for_some_calls_hides_nothing(shelf: Shelf) -> None:
    berths = shelf.fake(BerthRepository)
    old = cue(berths.count).gives(1)
    cue(berths.count).gives(2).for_calls(3)
    assert old.hidden_by is None


def test_a_refusal_that_was_caught_still_fails_the_test(log: Log) -> None:
    with (
        pytest.raises(
            RefusalHidden, match="TideService.depth_at.*was called, and nothing answers it"
        ),
        Shelf() as shelf,
    ):
        try:
            shelf.fake(TideService).depth_at("Ternhythe", NOON)
        except Exception:
            log.flush()


def test_a_refusal_never_covers_up_what_ended_the_test() -> None:
    with pytest.raises(ZeroDivisionError), Shelf() as shelf:
        try:
            shelf.fake(TideService).depth_at("Ternhythe", NOON)
        except UnansweredCall:
            raise ZeroDivisionError from None


def test_refusals_can_be_what_the_test_is_about() -> None:
    with Shelf() as shelf:
        with shelf.refusals_expected(), pytest.raises(UnansweredCall):
            shelf.fake(TideService).depth_at("Ternhythe", NOON)
        assert ledger_of(shelf)[0].answered_by == "nobody"
