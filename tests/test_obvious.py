"""When doing nothing is an answer: a promised None is obvious only where nobody could notice."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, MutableMapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Protocol, TypeVar

import pytest

import inner
from urnshelf import (
    InterfaceRefused,
    RecordRefused,
    Shelf,
    UnansweredCall,
    attribute,
    cue,
    ledger_of,
    passing_through,
    raising,
)
from urnshelf.demo.harbour import Berth, Mooring, Vessel

T = TypeVar("T")


@dataclass
class Mail:
    to: str
    text: str


@dataclass
class Entry:
    id: int | None
    what: str


class Widget:
    """A plain class."""

    def __init__(self, size: int) -> None:
        self.size = size


class StoresRecords(Protocol):
    def archive(self, mail: Mail) -> None: ...
    async def aregister(self, mails: list[Mail]) -> None: ...
    def replace(self, values: dict[str, Any]) -> None: ...
    def store_result(self, task_id: str, result: object) -> None: ...
    def find_mail(self, to: str) -> Mail: ...


class User(Protocol):
    name: str


class Users(Protocol):
    def get(self, name: str) -> User | None: ...
    def create(self, values: dict[str, str]) -> User: ...


class Factory(Protocol):
    def create(self, name: str) -> User: ...


def test_a_fake_is_not_given_for_what_should_have_been_stored(shelf: Shelf) -> None:
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="'get' looks one up"):
        shelf.fake(Users).create({"name": "Ada"})
    assert shelf.fake(Factory).create("Ada") is shelf.fake(User)


class GivesBack(Protocol):
    def get_limit(self, name: str) -> int: ...
    def lift(self, name: str) -> None: ...
    def show(self, widget: Widget) -> None: ...
    def widgets(self) -> list[Widget]: ...
    def purge(self) -> None: ...


class Basket(Protocol):
    def lay(self, widget: Widget) -> None: ...
    def empty(self) -> None: ...
    def widgets(self) -> list[Widget]: ...


class Sketch(Protocol[T]):
    def add(self, value: str) -> None: ...
    def __contains__(self, value: str) -> bool: ...
    def feed(self, item: T) -> None: ...
    def read(self) -> T: ...
    def delete(self) -> None: ...


class Level(Protocol):
    def set_level(self, level: float) -> None: ...
    def get_level(self) -> float: ...
    def rollback(self) -> None: ...
    def clear(self) -> None: ...
    def __len__(self) -> int: ...


class KeepsParts(Protocol):
    def save(self, key: bytes, value: bytes) -> None: ...
    def fetch(self, key: bytes) -> list[bytes]: ...
    def move(self, src: bytes, dest: bytes, value: bytes) -> None: ...


class Sessions(Protocol):
    def __enter__(self) -> Sessions: ...
    def __exit__(self, *args: object) -> None: ...
    def commit(self) -> None: ...
    def refresh(self, what: object) -> None: ...


class Keys(MutableMapping[str, int]):
    def compact(self, level: int) -> None: ...


def test_a_method_that_somebody_could_notice_is_not_answered_by_nothing(shelf: Shelf) -> None:
    calls: list[tuple[str, Callable[[], Any]]] = [
        ("'find_mail' could give back", lambda: shelf.fake(StoresRecords).archive(Mail("a", "b"))),
        ("'aregister' changes a record", lambda: run(shelf.fake(StoresRecords).aregister([]))),
        ("'replace' changes values", lambda: shelf.fake(StoresRecords).replace({"to": "b"})),
        ("the word 'result' of its name", lambda: shelf.fake(StoresRecords).store_result("t", 5)),
        ("'get_limit' gives something by the same", lambda: shelf.fake(GivesBack).lift("desk")),
        ("'widgets' could give back", lambda: shelf.fake(GivesBack).show(Widget(3))),
        ("'get_limit' looks up what it removes", lambda: shelf.fake(GivesBack).purge()),
        ("'get_level' gives what it sets", lambda: shelf.fake(Level).set_level(6.3)),
        ("'rollback' undoes something", lambda: shelf.fake(Level).rollback()),
        ("'__len__' looks up what it removes", lambda: shelf.fake(Level).clear()),
        ("'lay' stores what it removes", lambda: shelf.fake(Basket).empty()),
        ("'__contains__' gives something", lambda: shelf.fake(Sketch).add("a")),
        ("'read' could give back", lambda: shelf.fake(Sketch).feed("a")),
        ("'add' stores what it removes", lambda: shelf.fake(Sketch).delete()),
        ("'save' stores what it is given", lambda: shelf.fake(KeepsParts).move(b"a", b"b", b"v")),
        ("is a unit of work", lambda: shelf.fake(Sessions).refresh(5)),
        ("is no method of a dictionary", lambda: shelf.fake(Keys).compact(2)),
    ]
    for why, call in calls:
        with shelf.refusals_expected(), pytest.raises(UnansweredCall, match=why):
            call()


def run(awaitable: Any) -> Any:
    return asyncio.run(awaitable)


class Mailer(Protocol):
    def send(self, mail: Mail) -> None: ...
    def publish(self, event: Entry, topic: str = "all") -> None: ...
    def close(self) -> None: ...


class Gauge(Protocol):
    def set(self, value: float) -> None: ...
    def inc(self, amount: float = 1.0) -> None: ...


class Progress(Protocol):
    total: int

    def update(self, n: int) -> None: ...
    def clear(self) -> None: ...


class Screen(Protocol):
    def show(self, lines: list[str]) -> None: ...
    def width(self) -> int: ...


class Listener(Protocol):
    def on_change(self, vessel: Vessel, field: str) -> None: ...


class Outbox(Protocol):
    async def push(self, mail: Mail) -> None: ...
    def flush(self) -> None: ...


def test_what_only_tells_somebody_gets_none(shelf: Shelf) -> None:
    shelf.fake(Mailer).send(Mail("a", "b"))
    shelf.fake(Mailer).publish(Entry(1, "moored"))
    shelf.fake(Mailer).close()
    shelf.fake(Gauge).set(6.3)
    shelf.fake(Gauge).inc()
    shelf.fake(Progress).update(3)
    shelf.fake(Progress).clear()
    shelf.fake(Screen).show(["a"])
    shelf.fake(Listener).on_change(Vessel(1, "Gray Heron", "GH"), "name")
    run(shelf.fake(Outbox).push(Mail("a", "b")))
    shelf.fake(Outbox).flush()
    assert [call.answered_by for call in ledger_of(shelf)] == ["the obvious reply"] * 11


class AuditLog(Protocol):
    def save(self, entry: Entry) -> None: ...
    def store(self, berth_id: int, what: str) -> None: ...
    def level(self) -> int: ...


def test_an_interface_that_is_said_to_tell_only(shelf: Shelf) -> None:
    log = shelf.fake(AuditLog)
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="'store' is read with one Entry"),
    ):
        log.store(7, "closed")
    shelf.tells(AuditLog)
    log.store(7, "closed")
    log.save(Entry(1, "closed"))
    log.save(Entry(1, "closed"))
    assert ledger_of(log.save)[0].answered_by == "shelf.tells(…): nothing to do"
    assert shelf.records(Entry).count() == 0
    assert shelf.unused_cues() == []
    assert "shelf.tells(…): nothing to do" in str(shelf.explain(AuditLog))
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        log.level()
    with pytest.raises(InterfaceRefused, match="no method of it promises None"):
        shelf.tells(Counter)


class Counter(Protocol):
    def count(self) -> int: ...


TELLING_TEST = """
from typing import Protocol
class AuditLog(Protocol):
    def store(self, berth_id: int, what: str) -> None: ...
def test_it(shelf):
    shelf.fake(AuditLog).store(7, "closed")
"""


@pytest.mark.parametrize(
    ("table", "passes", "says"),
    [
        ('tells = ["test_told:AuditLog"]', True, ""),
        ('tells = ["test_told:AuditLogs"]', False, "test_told has no 'AuditLogs'"),
        (
            'tell = ["test_told:AuditLog"]',
            False,
            r"tell=.*: there is no such setting; did you mean 'tells'",
        ),
        ('tells = "test_told:AuditLog"', False, "tells = .*Interface"),
        ("", False, "'store' changes what has the key 'berth_id'"),
    ],
)
def test_pyproject_says_which_interfaces_only_tell(
    pytester: pytest.Pytester, table: str, passes: bool, says: str
) -> None:
    pytester.makepyprojecttoml(f"[tool.urnshelf]\n{table}\n")
    pytester.makepyfile(test_told=TELLING_TEST)
    result = pytester.runpytest_subprocess()
    assert (result.ret == 0) is passes
    if says:
        result.stdout.re_match_lines([f".*{says}.*"]) if result.outlines else (
            result.stderr.re_match_lines([f".*{says}.*"])
        )


# --- a key ----------------------------------------------------------------------------------------


@dataclass
class Chart:
    reference: str
    scale: int


class Charts(Protocol):
    def save(self, chart: Chart) -> None: ...
    def add(self, chart: Chart) -> None: ...
    def remove(self, chart: Chart) -> None: ...
    def list(self) -> list[Chart]: ...


class ChartsByReference(Charts, Protocol):
    def get(self, reference: str) -> Chart | None: ...


class ChartsByScale(Charts, Protocol):
    def find(self, scale: int) -> Chart | None: ...


class ChartsByBoth(ChartsByReference, Protocol):
    def find(self, scale: int) -> Chart | None: ...


def test_a_write_by_key_needs_a_key(shelf: Shelf) -> None:
    charts = shelf.fake(Charts)
    charts.add(Chart("north", 5))
    with shelf.refusals_expected():
        for write in (charts.save, charts.remove):
            with pytest.raises(UnansweredCall, match=r"shelf.define\(Chart, key='reference'\)"):
                write(Chart("north", 6))
    with pytest.raises(RecordRefused, match="Chart has no key.*saved by its key"):
        shelf.records(Chart).save(Chart("north", 6))
    for look in (shelf.records(Chart).get, shelf.records(Chart).find, shelf.records(Chart).remove):
        with pytest.raises(RecordRefused, match="by its key"):
            look("north")
    with (
        pytest.raises(RecordRefused, match="shown alone by its key"),
        shelf.limited_to(Chart("north", 5)),
    ):
        pass
    assert charts.list() == [Chart("north", 5)]
    assert str(shelf.explain(Charts)).splitlines()[-1] == (
        "  Chart has no key: shelf.define(Chart, key='reference')"
    )


def test_a_bare_look_up_by_a_field_tells_the_key(shelf: Shelf) -> None:
    table = shelf.records(Chart)
    shelf.stock(Chart("north", 5))
    charts = shelf.fake(ChartsByReference)
    charts.save(Chart("north", 6))
    charts.save(Chart("south", 6))
    assert charts.get("north") == Chart("north", 6)
    assert charts.list() == list(table) == [Chart("north", 6), Chart("south", 6)]
    assert table.get("south").scale == 6
    assert str(shelf.explain(ChartsByReference)).splitlines()[-1] == "  key of Chart: reference"


def test_two_fields_that_may_be_the_key_are_none(shelf: Shelf) -> None:
    told = {e.method.partition("(")[0]: e for e in shelf.explain(ChartsByBoth)}
    assert told["save"].advice.startswith(
        "Chart has no key: shelf.define(Chart, key='reference'); it is asked for by reference and"
    )
    assert told["save"].read_as == ""
    shelf.fake(ChartsByReference).save(Chart("north", 5))
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="by its reference, Charts"):
        shelf.fake(ChartsByScale).save(Chart("north", 6))
    other = Shelf()
    other.stock(Chart("north", 5)), other.stock(Chart("north", 6))
    with other.refusals_expected(), pytest.raises(UnansweredCall, match="the same twice"):
        other.fake(ChartsByReference).save(Chart("north", 7))
    assert other.records(Chart).count() == 2


class Journal(Protocol):
    def append(self, entry: Entry) -> None: ...
    def entries(self) -> list[Entry]: ...


def test_an_append_is_no_upsert(shelf: Shelf) -> None:
    journal = shelf.fake(Journal)
    first = Entry(None, "moored")
    journal.append(first)
    with pytest.raises(RecordRefused, match="is there already"):
        journal.append(Entry(first.id, "left"))
    journal.append(Entry(None, "left"))
    assert [entry.what for entry in journal.entries()] == ["moored", "left"]


# --- whose records --------------------------------------------------------------------------------


class Rights(Protocol):
    def may_enter(self, user: Entry, gate: str) -> bool: ...
    def count(self, user: Entry) -> int: ...
    def names(self) -> list[str]: ...


def test_a_record_that_is_only_handed_along_is_not_the_interfaces_own(shelf: Shelf) -> None:
    shelf.stock(Entry, 3)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="is about no record"):
        shelf.fake(Rights).count(Entry(1, "x"))


class Judge(Protocol):
    def judge(self, text: str) -> Entry: ...
    def count(self) -> int: ...


def test_what_is_computed_is_not_what_is_kept(shelf: Shelf) -> None:
    shelf.stock(Entry, 3)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="is about no record"):
        shelf.fake(Judge).count()


class MooringDao(Protocol):
    def get(self, mooring_id: int) -> dict[str, Any] | None: ...
    def list_for(self, vessel_id: int) -> list[dict[str, Any]]: ...
    def delete(self, mooring_id: int) -> int: ...


class PlainRows(MooringDao, Protocol):
    pass


def test_rows_of_a_record_that_was_told(shelf: Shelf) -> None:
    assert not any(method.read_as for method in shelf.explain(PlainRows))
    shelf.define(Mooring, interfaces=[PlainRows])
    mooring = shelf.stock(Mooring, vessel_id=7)
    rows = shelf.fake(PlainRows)
    assert rows.get(mooring.id or 0) == vars(mooring)
    assert len(rows.list_for(7)) == rows.delete(mooring.id or 0) == 1


def test_a_record_that_was_told_is_known_by_the_interfaces_name() -> None:
    shelf = Shelf(3)
    shelf.define(Mooring)
    mooring = shelf.stock(Mooring)
    assert shelf.fake(MooringDao).get(mooring.id or 0) == vars(mooring)


# --- a cue and a store operation ------------------------------------------------------------------


class Work(Protocol):
    berths: Berths

    def __enter__(self) -> Work: ...
    def __exit__(self, *args: object) -> None: ...
    def commit(self) -> None: ...


class Berths(Protocol):
    def get(self, berth_id: int) -> Berth: ...
    def save(self, berth: Berth) -> None: ...


def close(shelf: Shelf, berth: Berth) -> None:
    with shelf.fake(Work) as work:
        berth.defect = "loose ladder"
        work.berths.save(berth)
        work.commit()


def test_the_second_commit_commits(shelf: Shelf) -> None:
    berth = shelf.stock(Berth, defect=None)
    cue(shelf.fake(Work).commit).gives(raising(TimeoutError()), passing_through)
    with pytest.raises(TimeoutError):
        close(shelf, berth)
    assert shelf.records(Berth).get(berth.id).defect is None
    close(shelf, berth)
    assert shelf.records(Berth).get(berth.id).defect == "loose ladder"
    assert shelf.unused_cues() == []


def test_to_pass_through_is_as_without_the_cue(shelf: Shelf) -> None:
    class WithCode:
        told: list[str]

        def level(self) -> int:
            return 7

        def note(self, what: str) -> None:
            self.told.append(what)

        def depth(self) -> float: ...

    shelf.stock(Berth, 2)
    berths, own = shelf.fake(Berths), shelf.fake(WithCode)
    cue(berths.get).raises(TimeoutError)
    cue(berths.get, 2).passes_through().for_calls(1)
    with pytest.raises(TimeoutError):
        berths.get(2)  # the older cue
    other = shelf.fake(Berths, "other")
    cue(other.get).passes_through()
    assert other.get(2).id == 2
    cue(own.level).gives(1, passing_through, 3)
    assert [own.level(), own.level(), own.level()] == [1, 7, 3]
    cue(own.note).passes_through()
    told: list[str] = []
    cue(attribute(own, "told")).gives(told)
    own.note("moored")
    assert told == ["moored"]
    station = shelf.fake(Station)
    cue(attribute(station, "limit")).gives(passing_through, 9)
    assert (station.limit, station.limit) == (5, 9)
    cue(own.depth).passes_through()
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="lets the call pass"):
        own.depth()


def test_what_a_cue_left_undone_is_in_the_report(pytester: pytest.Pytester) -> None:
    source = """
        from urnshelf import cue
        from urnshelf.demo.harbour import Berth, BerthRepository
        def test_it(shelf):
            berths = shelf.fake(BerthRepository)
            cue(berths.save).gives(None)
            berths.save(shelf.urn.draw(Berth))
            assert shelf.records(Berth).count() == 1
    """
    result = inner.run(pytester, source)
    result.stdout.fnmatch_lines(
        [
            "1 store operation answered by a cue, and so not done:",
            "  #1  BerthRepository.save(*: INSERT OR REPLACE INTO berth VALUES (:berth)",
            "  To do it all the same: .passes_through(), or passing_through among the values",
        ]
    )


# --- attributes -----------------------------------------------------------------------------------


class Station(Protocol):
    limit: int = 5
    name: str

    @property
    def now(self) -> datetime: ...


def test_attributes_are_explained_and_are_no_calls(shelf: Shelf) -> None:
    told = {one.method: one.read_as or one.advice for one in shelf.explain(Station)}
    assert told == {
        "limit: int": "5, a constant",
        "now: datetime": "the shelf's clock",
        "name: str": "an attribute is told by nothing; cue it: "
        'cue(attribute(shelf.fake(Station), "name"))',
    }
    station = shelf.fake(Station)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall) as refusal:
        _ = station.name
    assert str(refusal.value).splitlines()[0] == "Station.name was fetched, and nothing answers it."
    assert "teach" not in str(refusal.value)
    cue(attribute(station, "name")).gives("north")
    assert station.name == "north"
    assert str(ledger_of(station)[-1]) == "Station.name"
