"""The shelf: records drawn and stored, repositories read, services furnished."""

from __future__ import annotations

import asyncio
from abc import ABC, abstractmethod
from collections.abc import AsyncIterator, Callable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Any, Literal, NamedTuple, Protocol
from uuid import UUID

import pytest

from urnshelf import (
    FurnishRefused,
    InterfaceRefused,
    RecordMissing,
    RecordRefused,
    Shelf,
    UnansweredCall,
    Urn,
    cue,
    ledger_of,
    rules,
    tally,
)
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringDesk,
    MooringRegister,
    MooringUnknown,
    PilotPager,
    TideService,
    Vessel,
    VesselRepository,
)


class Flag(Enum):
    RED = 1
    GREEN = 2


class Point(NamedTuple):
    id: int
    x: float


@dataclass
class Everything:
    id: int
    text: str
    flag: Flag
    number: int
    real: float
    money: Decimal
    yes: bool
    raw: bytes
    code: UUID
    day: date
    moment: datetime
    hour: time
    span: timedelta
    maybe: int | None
    either: int | str
    word: Literal["a", "b"]
    many: list[int]
    row: tuple[str, ...]
    bag: frozenset[int]
    inner: Point
    later: int = field(init=False, default=5)


# --- drawing --------------------------------------------------------------------------------------


def test_a_record_is_drawn_whole() -> None:
    records = Urn(7).draw(Everything, 300)
    first = records[0]
    assert [
        type(getattr(first, name)).__name__
        for name in ("text", "flag", "money", "code", "moment", "span")
    ] == [
        "str",
        "Flag",
        "Decimal",
        "UUID",
        "datetime",
        "timedelta",
    ]
    assert first.moment.tzinfo is not None
    assert {r.yes for r in records} == {True, False}
    assert {r.flag for r in records} == set(Flag)
    assert {r.word for r in records} == {"a", "b"}
    assert {type(r.either) for r in records} == {int, str}
    assert {r.maybe is None for r in records} == {True, False}
    assert [r.id for r in records[:3]] == [1, 2, 3]
    assert isinstance(first.inner, Point)
    assert first.later == 5


def test_drawing_is_pure() -> None:
    whole = Urn(7).draw(Vessel, 100)
    assert Urn(7).draw(Vessel, range(40, 60)) == whole[40:60]
    assert Urn(7).draw(Vessel) == whole[0]
    assert Urn(8).draw(Vessel, 100) != whole
    swedish = Urn(7).draw(Vessel, 100, flag="SE")
    assert {v.flag for v in swedish} == {"SE"}
    assert [v.call_sign for v in swedish] == [v.call_sign for v in whole]


def test_stock_goes_on_where_it_ended() -> None:
    one, two = Shelf(seed=7), Shelf(seed=7)
    assert one.stock(Berth, 10) + one.stock(Berth, 90) == two.stock(Berth, 100)
    assert one.stock(Berth).id == 101


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (
            lambda s: s.stock(Berth, 3, harbor="x"),
            "Berth has no field 'harbor'; did you mean 'harbour'",
        ),
        (lambda s: s.stock(Berth, -1), "whole number from 0"),
        (lambda s: s.stock(int, 3), "is no record type"),
        (lambda s: s.stock("text"), "takes a record type and a number, or one record"),
        (lambda s: s.records(Berth).where(harbor="x"), "has no field 'harbor'"),
        (lambda s: s.records(Berth).add(Point(1, 2.0)), "is a Point, not a Berth"),
        (
            lambda s: (s.stock(Point(1, 2.0)), s.stock(Point(1, 3.0))),
            "a Point with id=1 is there already",
        ),
        (lambda s: s.define(Berth, key="number"), "has no field 'number'"),
        (
            lambda s: (s.stock(Berth), s.define(Berth, key="code")),
            "must come before the first record",
        ),
    ],
)
def test_bad_records_are_refused(shelf: Shelf, wrong: Any, complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        wrong(shelf)


@dataclass
class Engine:
    id: int
    power: type
    fuel: Callable[[], None]


def test_a_field_that_cannot_be_drawn_can_be_given(shelf: Shelf) -> None:
    with pytest.raises(
        RecordRefused, match=r"cannot draw Engine.power: nothing is known of the type type"
    ):
        shelf.stock(Engine, 2, fuel=rules.constant(print))
    with pytest.raises(
        RecordRefused, match=r"for a function as the value itself, give rules.constant"
    ):
        shelf.stock(Engine, 2, power=lambda level: None, fuel=print)
    for fuel in (print, rules.constant(print)):
        engines = shelf.stock(Engine, 2, power=int, fuel=fuel)
        assert [(engine.power, engine.fuel) for engine in engines] == [(int, print)] * 2


# --- the shelf's records --------------------------------------------------------------------------


def test_records_go_in_and_come_out_as_copies(shelf: Shelf) -> None:
    berth = shelf.stock(Berth)
    berth.harbour = "elsewhere"
    assert shelf.records(Berth).get(1).harbour != "elsewhere"
    taken = shelf.records(Berth).get(1)
    taken.defect = "changed, not saved"
    assert shelf.records(Berth).get(1).defect != "changed, not saved"
    shelf.records(Berth).save(taken)
    assert shelf.records(Berth).get(1).defect == "changed, not saved"


def test_records_by_key_and_by_value(shelf: Shelf) -> None:
    shelf.stock(Berth, 4, harbour="Ternhythe")
    shelf.stock(Berth, 3, harbour="Curlhythe")
    berths = shelf.records(Berth)
    assert (berths.count(), len(berths), len(list(berths))) == (7, 7, 7)
    assert [b.id for b in berths.where(harbour="Curlhythe")] == [5, 6, 7]
    assert berths.remove(5)
    assert not berths.remove(5)
    assert berths.find(5) is None
    with pytest.raises(RecordMissing, match="no Berth has id=5; on the shelf: 1, 2, 3, 4, 6, 7"):
        berths.get(5)
    assert repr(berths) == "<6 Berth records>"


def test_an_empty_key_is_assigned_on_the_callers_object_too(shelf: Shelf) -> None:
    draft = shelf.urn.draw(Mooring, id=None)
    stored = shelf.records(Mooring).add(draft)
    assert (draft.id, stored.id) == (1, 1)
    draft.days = 99
    assert shelf.records(Mooring).get(1).days != 99


def test_a_key_can_be_told_and_a_record_can_be_given_as_a_mapping(shelf: Shelf) -> None:
    shelf.define(Point, key="x", missing=KeyError)
    shelf.stock(Point, {"id": 3, "x": 1.5})
    assert shelf.records(Point).get(1.5).id == 3
    with pytest.raises(KeyError):
        shelf.records(Point).get(2.5)


def test_drawn_records_pass_over_keys_that_are_taken(shelf: Shelf) -> None:
    shelf.stock(Point(2, 0.5))
    assert [p.id for p in shelf.stock(Point, 3)] == [1, 3, 4]


# --- readings -------------------------------------------------------------------------------------


def test_the_demos_repositories_work_without_a_cue(shelf: Shelf) -> None:
    shelf.define(Berth, missing=BerthUnknown)
    shelf.define(Mooring, missing=MooringUnknown)
    vessels, berths, moorings = (
        shelf.fake(VesselRepository),
        shelf.fake(BerthRepository),
        shelf.fake(MooringRegister),
    )
    [heron] = shelf.stock(Vessel, 1, call_sign="GH-0007")
    shelf.stock(Berth, 3, harbour="Ternhythe")
    assert vessels.find(1) == heron == vessels.find_by_call_sign("GH-0007")
    assert vessels.find(2) is None
    assert vessels.list() == [heron]
    heron.owner = "changed"
    vessels.save(heron)
    assert vessels.find(1) == heron
    assert berths.get(2).id == 2
    assert [b.id for b in berths.find_by_harbour("Ternhythe")] == [1, 2, 3]
    assert berths.count() == 3
    with pytest.raises(BerthUnknown, match="no Berth has id=9"):
        berths.get(9)
    mooring = moorings.add(shelf.urn.draw(Mooring, id=None, vessel_id=7))
    assert mooring.id is not None
    assert moorings.exists(mooring.id)
    assert moorings.find_by_vessel_id(7) == moorings.all() == [mooring]
    moorings.delete(mooring.id)
    assert (moorings.count(), moorings.exists(1)) == (0, False)
    with pytest.raises(MooringUnknown):
        moorings.delete(1)
    assert {call.answered_by.partition(":")[0] for call in ledger_of(shelf)} == {
        "the shelf's records"
    }


class Berths(Protocol):
    def get_by_id(self, berth_id: int) -> Berth | None: ...
    def find_by_harbour_and_code(self, harbour: str, code: str) -> Berth: ...
    def list_by_harbour(self, harbour: str) -> tuple[Berth, ...]: ...
    def get_all_berths(self) -> Iterator[Berth]: ...
    def moor_all(self) -> Iterator[Berth]: ...
    def remove(self, berth: Berth) -> bool: ...
    def insert(self, berth: Berth) -> int: ...
    def count_by_harbour(self, harbour: str) -> int: ...
    async def load(self, id: int) -> Berth: ...
    async def all(self) -> AsyncIterator[Berth]: ...
    def find_deepest(self, harbour: str) -> Berth: ...
    def find_by_owner(self, owner: str) -> Berth: ...
    def list(self, colour: str) -> list[Berth]: ...
    def save(self, berth: Berth, force: bool) -> None: ...
    def delete(self, harbour: str) -> None: ...
    def count(self, harbour: str, limit: int) -> int: ...
    def exists(self, berth_id: int) -> Berth: ...
    def get(self) -> Berth: ...
    def insert_twice(self, berth: Berth) -> None: ...
    def delete_all(self) -> None: ...
    def save_and_tell(self, berth: Berth) -> str: ...
    def add(self, berth: Berth) -> str: ...


def test_more_readings(shelf: Shelf) -> None:
    berths = shelf.fake(Berths)
    one, two = shelf.stock(Berth, 2, harbour="Ternhythe")
    assert berths.get_by_id(1) == one
    assert berths.get_by_id(9) is None
    assert berths.find_by_harbour_and_code("Ternhythe", two.code) == two
    assert berths.list_by_harbour("Ternhythe") == (one, two)
    assert list(berths.get_all_berths()) == [one, two]
    assert berths.remove(two)
    assert not berths.remove(two)
    two.id = 12
    assert berths.insert(two) == 12
    assert berths.count_by_harbour("Ternhythe") == 2
    assert asyncio.run(berths.load(1)) == one

    async def all_of_them() -> list[Berth]:
        return [berth async for berth in await berths.all()]

    assert asyncio.run(all_of_them()) == [one, two]


@pytest.mark.parametrize(
    ("call", "why"),
    [
        (lambda b: b.find_deepest("x"), "the word 'deepest' of its name is not accounted for"),
        (lambda b: b.find_by_owner("x"), "Berth has no field 'owner'"),
        (lambda b: b.list("red"), "Berth has no field 'colour'"),
        (lambda b: b.save(None, True), "the parameter 'force' is not accounted for"),
        (lambda b: b.delete("Ternhythe"), "the parameter 'harbour' is not the key of Berth"),
        (lambda b: b.count("Ternhythe", 3), "'count' is not read with a 'limit'"),
        (lambda b: b.exists(1), "'exists' is read where it promises bool"),
        (lambda b: b.get(), "says not which"),
        (lambda b: b.insert_twice(None), "the word 'twice' of its name is not accounted for"),
        (lambda b: b.add(None), "promises the record, its key or None"),
        (lambda b: b.moor_all(), "the verb 'moor' is not one that is read"),
    ],
)
def test_what_is_not_certain_is_not_read(shelf: Shelf, call: Any, why: str) -> None:
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match=why):
        call(shelf.fake(Berths))


def test_a_cue_goes_before_a_reading(shelf: Shelf) -> None:
    shelf.stock(Berth, 3)
    cue(shelf.fake(BerthRepository).count).gives(99)
    assert shelf.fake(BerthRepository).count() == 99


# --- furnishing -----------------------------------------------------------------------------------


class Mailer:
    def __init__(self, host: str) -> None:
        raise AssertionError("a fake never runs the constructor")

    def mail(self, text: str) -> None: ...


class Clockwork(ABC):
    @abstractmethod
    def tick(self) -> int: ...


class Office:
    def __init__(
        self,
        main: TideService,
        backup: TideService,
        mailer: Mailer,
        now: Callable[[], datetime],
        clockwork: Clockwork | None = None,
        retries: int = 3,
    ) -> None:
        self.main, self.backup, self.mailer, self.now = main, backup, mailer, now
        self.clockwork, self.retries = clockwork, retries


@dataclass
class DataOffice:
    pilots: PilotPager
    home: str
    limits: Point = Point(1, 2.0)


def test_furnish_gives_each_parameter_its_fake(shelf: Shelf) -> None:
    office = shelf.furnish(Office)
    assert office.main is shelf.fake(TideService, name="main")
    assert office.backup is shelf.fake(TideService, name="backup")
    assert office.mailer is shelf.fake(Mailer)
    assert office.clockwork is shelf.fake(Clockwork)
    assert office.retries == 3
    assert callable(office.now)
    with pytest.raises(InterfaceRefused, match=r"name='main'\)    # Office\(main=…\)\n"):
        shelf.fake(TideService)
    assert shelf.fake(office.main) is office.main
    with pytest.raises(InterfaceRefused, match="is a fake already"):
        shelf.fake(office.main, name="third")
    with pytest.raises(InterfaceRefused, match="of another shelf"):
        Shelf().fake(office.main)


def test_given_arguments_go_first(shelf: Shelf) -> None:
    class RealTides:
        def depth_at(self, harbour: str, at: datetime) -> float:
            return 1.0

    real = RealTides()
    office = shelf.furnish(Office, backup=real, retries=5)
    assert (office.backup, office.retries) == (real, 5)
    assert office.main is shelf.fake(TideService, name="main")
    data = shelf.furnish(DataOffice, home="Ternhythe")
    assert data == DataOffice(shelf.fake(PilotPager), "Ternhythe")


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (
            lambda s: s.furnish(DataOffice),
            r"home: str is no interface, and it has no default\nGive it: .*home=…",
        ),
        (
            lambda s: s.furnish(MooringDesk, tide=1),
            "MooringDesk has no parameter 'tide'; did you mean 'tides'",
        ),
        (lambda s: s.furnish(5), "takes the service's class"),
    ],
)
def test_what_cannot_be_furnished_says_why(shelf: Shelf, wrong: Any, complaint: str) -> None:
    with pytest.raises(FurnishRefused, match=complaint):
        wrong(shelf)


@pytest.mark.parametrize("wrong", [int, "text", 5, Path, ValueError, [1], None])
def test_what_is_no_interface_is_refused(shelf: Shelf, wrong: Any) -> None:
    if wrong is Path:
        assert (
            tally(shelf.fake(Path).exists) == 0
        )  # a class of the standard library may be a dependency
        return
    with pytest.raises(InterfaceRefused, match="cannot fake"):
        shelf.fake(wrong)
