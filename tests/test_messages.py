"""Messages of failures, word for word. To see what a change does to them: run with WRITE_GOLDEN=1
and read the diff.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Protocol

import pytest

import urnshelf
from urnshelf import Shelf, attribute, cue, holding, ledger_of, raising, tally, unseen, whatever
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    Mooring,
    MooringDesk,
    MooringRegister,
    PilotPager,
    QuayPatrol,
    TideService,
    Vessel,
)
from urnshelf.kiosk import Request, response

GOLDEN = Path(__file__).parent / "golden"
NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
SCREEN = (130, 40)


class Mast(Protocol):
    height_m: float

    def hang(self, lamps: dict[str, Any], by: Any) -> None: ...


class Signals(Protocol):
    def send(self, flags: list[Any], text: str = "", **more: Any) -> None: ...


def desk_with_a_vessel(shelf: Shelf) -> MooringDesk:
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1))
    return shelf.furnish(MooringDesk)


def failing(look: object) -> None:
    raise AssertionError(str(look))


def no_cue(shelf: Shelf) -> None:
    desk_with_a_vessel(shelf).moor(7, NOON)


def nearest_cue(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at, "Curlhythe", whatever).gives(1.0)
    cue(tides.depth_at, "Ternhythe", datetime(2030, 6, 1, 13, tzinfo=UTC)).gives(6.3)
    desk_with_a_vessel(shelf).moor(7, NOON)


def cue_used_up(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at, "Ternhythe", whatever).gives(raising(GaugeSilent())).for_calls(1)
    desk_with_a_vessel(shelf).moor(7, NOON)


def record_differs(shelf: Shelf) -> None:
    register = shelf.fake(MooringRegister)
    mooring = shelf.urn.draw(Mooring, vessel_id=7, id=None)
    register.add(mooring)
    mooring.days += 2
    mooring.id = None
    failing(tally(register.add, mooring))


def text_differs(shelf: Shelf) -> None:
    pilots = shelf.fake(PilotPager)
    long = "to all pilots: " + "the harbour is closed, " * 12
    pilots.page(7, long + "come at noon")
    failing(tally(pilots.page, 7, long + "come at once"))


def never_called(shelf: Shelf) -> None:
    berths = shelf.fake(BerthRepository)
    berths.count()
    failing(tally(berths.save))


def called_too_often(shelf: Shelf) -> None:
    pilots = shelf.fake(PilotPager)
    for _ in range(7):
        pilots.page(7, "Gray Heron")
    failing(tally(pilots.page, 7, whatever))


def two_hundred_calls(shelf: Shelf) -> None:
    signals = shelf.fake(Signals)
    for number in range(200):
        signals.send(list(range(10_000)), f"signal {number}", channel=number % 3)
    wanted = tally(signals.send, list(range(9_999)), "signal 150", channel=0)
    failing(wanted)


def matcher_differs(shelf: Shelf) -> None:
    register = shelf.fake(MooringRegister)
    register.add(shelf.urn.draw(Mooring, vessel_id=7, days=3))
    failing(tally(register.add, holding(vessel_id=7, days=4)))


def something_else_was_called(shelf: Shelf) -> None:
    pilots = shelf.fake(PilotPager)
    pilots.page(7, "Gray Heron")
    pilots.page(8, "Long Eider", urgent=True)
    assert tally(pilots.page, 7, whatever) == 1
    failing(unseen(pilots))


def cue_refused(shelf: Shelf) -> None:
    cue(shelf.fake(TideService).depth_at, "Ternhythe", when=NOON)  # type: ignore[call-overload]


def reply_refused(shelf: Shelf) -> None:
    cue(shelf.fake(BerthRepository).find_by_harbour, "Ternhythe").gives(
        [shelf.urn.draw(Berth), "B-02"]
    )  # type: ignore[list-item]


def values_exhausted(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at).gives(raising(GaugeSilent()), when_spent="refuse")
    desk_with_a_vessel(shelf).moor(7, NOON)


def refusal_hidden(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    for _ in range(3):
        try:
            tides.depth_at("Ternhythe", NOON)
        except Exception:
            continue


def called_without_end(shelf: Shelf) -> None:
    berths = shelf.fake(BerthRepository)
    cue(berths.count).gives(3, 0)
    while berths.count() != 5:
        pass


def refused_without_end(shelf: Shelf) -> None:
    while True:
        with suppress(Exception):
            shelf.fake(TideService).depth_at("Ternhythe", NOON)


def look_at_nothing(shelf: Shelf) -> None:
    shelf.furnish(MooringDesk)
    tally(shelf.fake(TideService, name="backup").depth_at)


def one_call_of_two(shelf: Shelf) -> None:
    for number in (7, 8):
        shelf.fake(PilotPager).page(number, "Gray Heron")
    [_call] = ledger_of(shelf.fake(PilotPager).page)


def never_awaited(shelf: Shelf) -> None:
    shelf.fake(QuayPatrol).light_up("B-01").close()
    failing(tally(shelf.fake(QuayPatrol).light_up, "B-01"))


def computed_another_type(shelf: Shelf) -> None:
    cue(shelf.fake(BerthRepository).find_by_harbour).computes(lambda harbour: {harbour: []})
    shelf.fake(BerthRepository).find_by_harbour("Ternhythe")


def omitted_arguments(shelf: Shelf) -> None:
    shelf.fake(PilotPager).page(7, "Gray Heron", urgent=True)
    failing(tally(shelf.fake(PilotPager).page, 7, whatever))


def spent_and_differing(shelf: Shelf) -> None:
    tides = shelf.fake(TideService)
    cue(tides.depth_at, "Curlhythe", whatever).raises(GaugeSilent).for_calls(1)
    with suppress(GaugeSilent):
        tides.depth_at("Curlhythe", NOON)
    tides.depth_at("Ternhythe", NOON)


def never_fetched(shelf: Shelf) -> None:
    mast = shelf.fake(Mast)
    mast.height_m = 9.0
    cue(attribute(mast, "height_m").assigned, 5.0).raises(ValueError)
    failing(tally(attribute(mast, "height_m")))


def objects_without_a_repr(shelf: Shelf) -> None:
    class Lamp:
        def __init__(self, colour: str) -> None:
            self.colour = colour

    mast = shelf.fake(Mast)
    mast.hang({"port": Lamp("red"), "aft": Lamp("white")}, by=lambda: None)
    failing(tally(mast.hang, {"port": Lamp("red"), "aft": whatever}, by=whatever))


def caught_outside_pytest(shelf: Shelf) -> None:
    with suppress(Exception):
        shelf.fake(TideService).depth_at("Ternhythe", NOON)
    raise ValueError("the berth is too short")


def spent_within_a_computed_reply(_: Shelf) -> None:
    inner, shelf = Shelf(), Shelf()
    tides, berths = inner.fake(TideService), shelf.fake(BerthRepository)
    cue(tides.depth_at).gives(6.3, when_spent="refuse")
    cue(berths.count).computes(lambda: int(tides.depth_at("Ternhythe", NOON)))
    berths.count()
    berths.count()


def no_reading(shelf: Shelf) -> None:
    class Berths(Protocol):
        def find_deepest(self, harbour: str) -> Berth: ...

    shelf.fake(Berths).find_deepest("Ternhythe")


def missing_record(shelf: Shelf) -> None:
    shelf.stock(Berth, 3)
    shelf.fake(BerthRepository).get(9)


def lacking_dependency(shelf: Shelf) -> None:
    class Service:
        def __init__(self, tides: TideService, retries: int, berths) -> None: ...  # type: ignore[no-untyped-def]

    shelf.furnish(Service)


def not_an_interface(shelf: Shelf) -> None:
    shelf.fake(int)


def tides_of_a_document(shelf: Shelf) -> Any:
    document = Path(__file__).parent.parent / "examples" / "tides.yaml"
    return shelf.kiosk("tides", openapi=document)


def asked(kiosk: Any, url: str) -> str:
    """What a client gets; without one, for other tests may have made its code a user's."""
    answer = kiosk.answer(Request("GET", f"https://tides.example{url}"), sys._getframe(1))
    return answer.response.body.decode()


def request_not_answered(shelf: Shelf) -> None:
    kiosk = shelf.kiosk("tides")
    depth = kiosk.route("GET", "/stations/{code}/depth")
    cue(depth, code="TER").asked_with(query={"at": "noon"}).gives(response(json={"depth_m": 6.3}))
    failing(asked(kiosk, "/stations/TER/depth?at=dusk"))


def request_forbidden(shelf: Shelf) -> None:
    kiosk = tides_of_a_document(shelf)
    failing(asked(kiosk, "/v2/stations/ter/depth?att=2030-06-01T12:00:00Z"))


def reply_not_promised(shelf: Shelf) -> None:
    kiosk = tides_of_a_document(shelf)
    depth = kiosk.route("GET", "/stations/{code}/depth")
    cue(depth, code="TER").gives(response(json={"code": "TER", "depth_m": 99}))


def cannot_draw(shelf: Shelf) -> None:
    from dataclasses import dataclass

    @dataclass
    class Engine:
        power: type

    shelf.stock(Engine, 3)


SCENARIOS: list[Callable[[Shelf], None]] = [
    no_cue,
    nearest_cue,
    cue_used_up,
    record_differs,
    text_differs,
    never_called,
    called_too_often,
    two_hundred_calls,
    matcher_differs,
    something_else_was_called,
    cue_refused,
    reply_refused,
    values_exhausted,
    refusal_hidden,
    called_without_end,
    refused_without_end,
    look_at_nothing,
    one_call_of_two,
    never_awaited,
    computed_another_type,
    omitted_arguments,
    spent_and_differing,
    never_fetched,
    objects_without_a_repr,
    caught_outside_pytest,
    spent_within_a_computed_reply,
    no_reading,
    missing_record,
    lacking_dependency,
    not_an_interface,
    request_not_answered,
    request_forbidden,
    reply_not_promised,
    cannot_draw,
]


@pytest.mark.parametrize("scenario", SCENARIOS, ids=lambda scenario: scenario.__name__)
def test_message(scenario: Callable[[Shelf], None]) -> None:
    with pytest.raises(BaseException) as failure, Shelf(seed=7) as shelf:
        shelf._is_told_by_a_runner = False
        scenario(shelf)
    notes = "".join(f"{note}\n" for note in getattr(failure.value, "__notes__", ()))
    message = f"{type(failure.value).__name__}: {failure.value}\n{notes}"
    lines = message.splitlines()
    assert len(lines) <= SCREEN[1]
    assert max(map(len, lines)) <= 3 * SCREEN[0]
    told = re.sub(r"(\.py):\d+", r"\1:NN", message.replace("<locals>.", ""))
    golden = GOLDEN / f"{scenario.__name__}.txt"
    if "WRITE_GOLDEN" in os.environ:
        golden.write_text(told)
    assert told == golden.read_text()


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("shelf.stok", "a shelf has no 'stok'; the nearest is stock: Put records on the shelf"),
        ("shelf.snapshot", "the nearest is savepoint: A point to roll the records back to"),
        ("shelf.verify", "the nearest is urnshelf.tally: How many calls of the method"),
        ("shelf.xyz", "a shelf has no 'xyz'; it has close, define, explain, fake"),
        ("one.give", "a cue has no 'give'; the nearest is gives: Reply with this value"),
        ("one.fails", "the nearest is raises: Raise this exception"),
        ("one.called", "the nearest is used: Whether it answered a call"),
        ("urnshelf.captured", "urnshelf has no 'captured'; the nearest is ledger_of: The calls of"),
        ("urnshelf.anything", "the nearest is whatever: Any value at all"),
        ("urnshelf.Shelff", "the nearest is Shelf: One test's records, fakes, urn, clock"),
    ],
)
def test_a_name_that_we_do_not_have_leads_to_ours(shelf: Shelf, name: str, told: str) -> None:
    one = cue(shelf.fake(TideService).depth_at).gives(6.3)
    with pytest.raises(AttributeError) as failure:
        eval(name, {"shelf": shelf, "one": one, "urnshelf": urnshelf})
    assert told in str(failure.value)
    assert not hasattr(shelf, "_xyz")
    assert not hasattr(urnshelf, "__xyz__")


class HarbourShelf(Shelf):
    @property
    def pilot(self) -> str:
        return self.seed.pilot  # type: ignore[attr-defined, no-any-return]


class UnmadeShelf(Shelf):
    def __init__(self) -> None:
        pass


def test_an_error_inside_a_property_is_not_covered_up() -> None:
    with pytest.raises(AttributeError, match="'int' object has no attribute 'pilot'"):
        HarbourShelf().pilot
    with pytest.raises(AttributeError, match="a shelf has no 'clock' yet: its constructor gives"):
        UnmadeShelf().clock


def test_a_refusal_needs_no_working_directory(tmp_path: Path) -> None:
    code = (
        "import os; from urnshelf import Shelf; from urnshelf.demo.harbour import TideService\n"
        "os.rmdir(os.getcwd()); Shelf().fake(TideService).depth_at('Ternhythe', None)"
    )
    words = [sys.executable, "-c", code]
    told = subprocess.run(words, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert "UnansweredCall: TideService.depth_at(" in told.stderr
