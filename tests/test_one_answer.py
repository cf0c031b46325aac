"""One answer to what a type, a record, a value is: whoever asks, a fake, a message, a rule, a file,
gets the same.
"""

from __future__ import annotations

import asyncio
import json
import re
import sqlite3
import sys
import threading
from collections import OrderedDict
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import closing
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import (
    TYPE_CHECKING,
    Annotated,
    Any,
    ClassVar,
    Final,
    Literal,
    NewType,
    NotRequired,
    ParamSpec,
    Protocol,
    Required,
    Self,
    TypedDict,
    TypeVar,
    Unpack,
)
from uuid import UUID

import attrs
import numpy
import pydantic
import pytest
import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

import checker_only
import record_types as kinds
import repositories
from urnshelf import (
    RecordRefused,
    ReplyRefused,
    Shelf,
    UnansweredCall,
    Urn,
    cue,
    holding,
    ledger_of,
    rules,
    tally,
    whatever,
)
from urnshelf.cli.main import main
from urnshelf.demo.harbour import Berth, BerthRepository, TideService, Vessel, VesselKind
from urnshelf.types.nodes import node_of

if TYPE_CHECKING:
    from somewhere_else import Missing  # type: ignore[import-not-found]


class Sink(Protocol):
    """Takes anything."""

    def put(self, thing: Any, /, **more: Any) -> None: ...
    def weigh(self, thing: Any) -> int: ...


def booked(thing: Any, change: Callable[[], object] = lambda: None) -> Any:
    """What the ledger keeps of an argument that is changed after the call."""
    shelf = Shelf()
    sink = shelf.fake(Sink)
    cue(sink.put).gives(None)
    sink.put(thing)
    change()
    return ledger_of(sink.put)[0].arguments.thing


def message(of: Callable[[Shelf], object]) -> str:
    with pytest.raises(Exception) as caught:
        of(Shelf())
    return str(caught.value)


# --- what a record is -----------------------------------------------------------------------------


class Mapper(DeclarativeBase):
    pass


class Quay(Mapper):
    __tablename__ = "quay"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    lamps: Mapped[list[QuayLamp]] = relationship(back_populates="quay")


class QuayLamp(Mapper):
    __tablename__ = "quay_lamp"
    code: Mapped[str] = mapped_column(primary_key=True)
    place: Mapped[int]
    quay_id: Mapped[int] = mapped_column(sa.ForeignKey("quay.id"))
    quay: Mapped[Quay] = relationship(back_populates="lamps")
    __table_args__ = (sa.UniqueConstraint("quay_id", "place"),)


def test_a_mapped_record_is_kept_as_it_was_at_the_call() -> None:
    quay = Quay(id=1, name="North")
    kept = booked(quay, lambda: setattr(quay, "name", "South"))
    assert (kept.id, kept.name) == (1, "North")


def test_a_copy_of_a_mapped_record_takes_no_related_object_away() -> None:
    quay = Quay(id=1, name="North")
    lamp = QuayLamp(code="L-1", place=1, quay=quay)
    assert booked(lamp).code == "L-1"
    assert quay.lamps == [lamp]


def test_stored_records_are_shown_by_their_fields(shelf: Shelf) -> None:
    shelf.records(kinds.ByConstructor).add(kinds.ByConstructor(1, "Ada"))
    shelf.records(Quay).add(Quay(id=1, name="North"))
    with pytest.raises(
        RecordRefused, match=r"ByConstructor\(id=1, name='Ada', depth=2.0, unknown=None\)$"
    ):
        shelf.records(kinds.ByConstructor).add(kinds.ByConstructor(1, "Bo"))
    with pytest.raises(RecordRefused, match=r"Quay\(id=1, name='North'\)$"):
        shelf.records(Quay).add(Quay(id=1, name="South"))


class Signal(TypedDict):
    id: int
    code: str
    at: NotRequired[str]


def test_a_typed_dictionary_has_one_order_of_fields(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Signal, 20)
    shelf.save(tmp_path, "csv")
    drawn = next(record for record in Urn(1).draw(Signal, 20) if len(record) == 3)
    assert list(drawn) == ["id", "code", "at"]
    assert (tmp_path / "signal.csv").read_text().splitlines()[0].split(",") == list(drawn)


def test_a_link_takes_the_key_wherever_it_is_told(shelf: Shelf) -> None:
    @dataclass
    class Sighting:
        id: int
        buoy: str
        row: int

    @dataclass
    class Report:
        id: int
        buoy_ref: UUID

    @dataclass
    class Beacon:
        ref: UUID
        name: str

    @dataclass
    class Lamp:
        code: str
        watts: int

    assert {
        type(one.buoy_ref) for one in shelf.urn.draw(Report, 5, buoy_ref=rules.link(Beacon))
    } == {UUID}
    shelf.define(Lamp, key="code")
    shelf.stock(Lamp, 3)
    codes = {lamp.code for lamp in shelf.records(Lamp)}
    drawn = shelf.urn.draw(Sighting, 20, buoy=rules.link(Lamp), row=rules.link(kinds.Row))
    assert {one.buoy for one in drawn} <= codes
    assert {type(one.row) for one in drawn} == {int}


def test_a_link_to_what_has_no_single_key_asks_for_the_field(shelf: Shelf) -> None:
    @dataclass
    class Turn:
        id: int
        place: int

    with pytest.raises(
        RecordRefused, match=r"Turn.place: link\(Address\): it has no key; name the field to take"
    ):
        shelf.urn.draw(Turn, place=rules.link(kinds.Address))
    with pytest.raises(RecordRefused, match="Address has no such field; it has street, postcode"):
        shelf.urn.draw(Turn, place=rules.link(kinds.Address, "town"))


def test_a_mapped_class_tells_its_key_unique_fields_and_references() -> None:
    from urnshelf.records.recognising import describe

    quay, lamp = describe(Quay), describe(QuayLamp)
    assert quay is not None
    assert lamp is not None
    assert (quay.key, quay.unique, quay.references) == (("id",), (("name",),), {})
    assert (lamp.key, lamp.unique, lamp.references) == (
        ("code",),
        (("quay_id", "place"),),
        {"quay_id": (Quay, "id")},
    )


class Keepers(Protocol):
    def get_keeper(self, keeper_id: int) -> Keeper: ...
    def list_keepers(self) -> list[Keeper]: ...
    def add_keeper(self, keeper: Keeper) -> None: ...


class Keeper(Mapper):
    __tablename__ = "keepers"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]


def test_methods_speak_of_the_class_and_statements_of_its_table(shelf: Shelf) -> None:
    keepers = shelf.fake(Keepers)
    keepers.add_keeper(Keeper(id=1, name="Ada"))
    assert keepers.get_keeper(1).name == "Ada"
    assert [keeper.id for keeper in keepers.list_keepers()] == [1]
    assert [call.statement for call in ledger_of(keepers)] == [
        "INSERT INTO keepers VALUES (1, 'Ada')",
        "SELECT * FROM keepers WHERE id = 1",
        "SELECT * FROM keepers ORDER BY id",
    ]


class Winch:
    """No library's record: it is one only where somebody says so."""

    def __init__(self, id: int, load_t: float) -> None:
        self.id, self.load_t = id, load_t

    def lift(self) -> None:
        raise AssertionError("never run")


def test_a_plain_class_is_no_record_until_it_is_defined(shelf: Shelf) -> None:
    winch = Winch(1, 2.0)
    assert booked(winch) is winch
    assert repr(shelf.fake(Winch)) == "<fake Winch>"  # it has public methods: an interface

    class Windlass(Winch):
        def __init__(self, id: int, load_t: float) -> None:
            super().__init__(id, load_t)

    shelf.define(Windlass, key="id")
    mine = Windlass(1, 2.0)
    kept = booked(mine, lambda: setattr(mine, "load_t", 9.0))
    assert (kept.load_t, mine.load_t) == (2.0, 9.0)
    other = Shelf().fake(Sink)
    cue(other.put, Windlass(1, 2.0)).gives(None)
    other.put(Windlass(1, 2.0))  # compared field by field, in the whole process
    assert "Windlass(id=1, load_t=2.0)" in str(tally(other.put, 5))


class Buoys(Protocol):
    """`Marker` is a plain class; here it stands in a store operation."""

    def get(self, marker_id: int) -> Marker: ...
    def save(self, marker: Marker) -> None: ...


class Marker:
    def __init__(self, id: int, colour: str) -> None:
        self.id, self.colour = id, colour


def test_a_plain_class_that_a_store_operation_speaks_of_is_a_record(shelf: Shelf) -> None:
    markers = shelf.fake(Buoys)
    markers.save(Marker(3, "red"))
    found = markers.get(3)
    assert found is not markers.get(3)
    assert (found.id, found.colour) == (3, "red")


# --- what a type is -------------------------------------------------------------------------------

Depths = NewType("Depths", list[float])
Metres = NewType("Metres", float)


class Charts(Protocol):
    def list_by_harbour(self, harbour: str) -> Annotated[list[Berth], "in order"]: ...
    def find_by_depth_m(self, depth_m: Depths) -> list[Berth]: ...
    def depth(self) -> Metres: ...
    def note(self) -> Annotated[str, "free text"]: ...


class Watch:
    def __init__(self, tides: Annotated[TideService, "of the harbour"]) -> None:
        self.tides = tides


def test_wrapped_types_are_what_they_wrap(shelf: Shelf) -> None:
    assert shelf.furnish(Watch).tides is shelf.fake(TideService)
    shelf.stock(Berth, 3, harbour="Ternhythe")
    assert len(shelf.fake(Charts).list_by_harbour("Ternhythe")) == 3
    told = {method.method.partition("(")[0]: method.read_as for method in shelf.explain(Charts)}
    assert told["find_by_depth_m"] == "SELECT * FROM berth WHERE depth_m IN (:depth_m) ORDER BY id"
    empty = Shelf(unanswered="empty").fake(Charts)
    assert (empty.depth(), empty.note()) == (0.0, "")


class Unresolved(Protocol):
    def stream(self) -> AsyncIterator[Missing]: ...
    def many(self) -> list[Missing]: ...
    def callback(self) -> Callable[[Missing], None]: ...
    def one(self) -> Missing: ...
    def lazily(self) -> Iterator[Missing]: ...


def test_a_name_that_cannot_be_resolved_leaves_the_rest(shelf: Shelf) -> None:
    fake = shelf.fake(Unresolved)
    cue(fake.stream).streams(1, 2)

    async def taken() -> list[Any]:
        return [item async for item in fake.stream()]

    assert asyncio.run(taken()) == [1, 2]
    cue(fake.lazily).streams(1)
    assert list(fake.lazily()) == [1]
    cue(fake.one).gives("anything")
    with pytest.raises(
        ReplyRefused, match=r"promises list\[Missing\], but it is 5, an int, not list\[Missing\]"
    ):
        cue(fake.many).gives(5)  # type: ignore[arg-type]
    with pytest.raises(ReplyRefused, match=r"Callable\[\[Missing\], None\]"):
        cue(fake.callback).gives(5)  # type: ignore[arg-type]


def test_names_that_only_a_checker_imports_are_filled_in_from_where_they_come(
    shelf: Shelf,
) -> None:
    drawn = shelf.stock(checker_only.Sounding, 40)
    kinds_of = {type(value) for one in drawn for value in vars(one).values()}
    assert kinds_of == {UUID, datetime, date, type(None), Decimal}
    fake = shelf.fake(checker_only.Soundings)
    assert fake.all() == sorted(drawn, key=lambda one: one.ref)
    cue(fake.context).gives("not that of decimal")
    cue(fake.counter).gives("not that of typing")
    with pytest.raises(ReplyRefused, match=r"promises Sequence\[Sounding\]"):
        cue(fake.all).gives([5])  # type: ignore[list-item]


# --- copies ---------------------------------------------------------------------------------------


class Headers(dict[str, str]):
    pass


class Stack(list[int]):
    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name


def test_subclasses_of_containers_are_copied() -> None:
    headers, stack = Headers(a="1"), Stack("s")
    stack.append(1)
    assert booked(headers, lambda: headers.update(a="2")) == {"a": "1"}
    kept = booked(stack, lambda: stack.append(2))
    assert (list(kept), kept.name, type(kept)) == ([1], "s", Stack)
    assert booked(OrderedDict(a=[1])) == OrderedDict(a=[1])


def test_an_empty_container_is_copied_too(shelf: Shelf) -> None:
    sink, options = shelf.fake(Sink), dict[str, int]()
    cue(sink.weigh, {}).gives(1)
    sink.weigh(options)
    options["late"] = 1
    assert ledger_of(sink.weigh)[0].arguments.thing == {}


class Stubborn(list[int]):
    def __iter__(self) -> Iterator[int]:
        raise RuntimeError("not now")

    def __eq__(self, other: object) -> bool:
        raise RuntimeError("never")

    __hash__ = None  # type: ignore[assignment]


@pytest.mark.parametrize(
    "thing",
    [ValueError("x"), threading.Lock(), print, lambda: 1, object(), Stubborn, iter([1])],
    ids=lambda thing: type(thing).__name__,
)
def test_what_is_no_data_is_shared(thing: Any) -> None:
    assert booked(thing) is thing


def test_a_connection_is_shared() -> None:
    with closing(sqlite3.connect(":memory:")) as connection:
        assert booked(connection) is connection


def test_what_cannot_be_copied_never_breaks_the_call() -> None:
    assert booked(Stubborn([1])) is not None
    assert booked({"deep": Stubborn([1])})


def deep(levels: int, around: Callable[[Any], Any]) -> Any:
    value: Any = [1]
    for _ in range(levels):
        value = around(value)
    return value


@pytest.mark.parametrize(
    "around",
    [lambda v: [v], lambda v: {"in": v}, lambda v: kinds.Box(v, [])],
    ids=["list", "dict", "record"],
)
def test_no_depth_is_too_much(around: Callable[[Any], Any]) -> None:
    value, twin = deep(5_000, around), deep(5_000, around)
    kept = booked(value)
    assert kept is not value
    shelf = Shelf()
    sink = shelf.fake(Sink)
    cue(sink.put, twin).gives(None)
    sink.put(value)
    assert tally(sink.put, kept) == 1
    assert "never" not in str(tally(sink.put, 5))
    for held in (value, twin, kept):
        free(held)


def free(held: Any) -> None:
    """Taken apart by hand: Python itself would recurse to free so deep a value."""
    while isinstance(held, (list, dict, kinds.Box)) and held:
        if isinstance(held, list):
            held = held.pop()
        else:
            parts = held if isinstance(held, dict) else vars(held)
            held = parts.pop(next(iter(parts)))


# --- equality and display -------------------------------------------------------------------------


@dataclass
class Ring:
    name: str
    next: Any = None

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Ring) and (self.name, self.next) == (other.name, other.next)

    __hash__ = None  # type: ignore[assignment]


def test_an_equality_that_raises_falls_back_to_the_fields(shelf: Shelf) -> None:
    one, two, other = Ring("a"), Ring("a"), Ring("b")
    one.next, two.next, other.next = one, two, other
    sink = shelf.fake(Sink)
    cue(sink.weigh, one).gives(1)
    sink.weigh(two)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match=r"thing.name"):
        sink.weigh(other)


def test_exceptions_are_equal_by_type_and_arguments(shelf: Shelf) -> None:
    sink = shelf.fake(Sink)
    cue(sink.weigh, KeyError("a", 1)).gives(1)
    sink.weigh(KeyError("a", 1))
    for other in (KeyError("a", 2), LookupError("a", 1)):
        with shelf.refusals_expected(), pytest.raises(UnansweredCall):
            sink.weigh(other)


def test_numpy_scalars_are_numbers_and_its_truth_values_are_not(shelf: Shelf) -> None:
    sink = shelf.fake(Sink)
    for expected in (3, 2.5, True, "x"):
        cue(sink.weigh, expected).gives(1)
    for actual in (numpy.int64(3), numpy.float32(2.5), numpy.bool_(True), numpy.str_("x")):
        sink.weigh(actual)
    cue(sink.weigh, 1).gives(1)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        sink.weigh(numpy.bool_(False))
    assert tally(sink.weigh, True) == 1
    assert tally(sink.weigh, numpy.int64(3)) == 1


@dataclass
class Login:
    id: int
    name: str
    password: str = field(default="", repr=False)


@attrs.define
class Pass:
    id: int
    pin: str = attrs.field(repr=False)


class Badge(pydantic.BaseModel):
    id: int
    chip: str = pydantic.Field(repr=False)


class Logins(Protocol):
    def add(self, login: Login) -> None: ...
    def update(self, login: Login) -> None: ...


@pytest.mark.parametrize(
    ("record", "changed"),
    [
        (Login(1, "ada", "hunter-2"), Login(1, "ada", "hunter-3")),
        (Pass(1, "hunter-2"), Pass(1, "hunter-3")),
        (Badge(id=1, chip="hunter-2"), Badge(id=1, chip="hunter-3")),
    ],
)
def test_fields_that_are_not_shown_stay_out_of_messages(
    record: Any, changed: Any, shelf: Shelf
) -> None:
    sink = shelf.fake(Sink)
    cue(sink.weigh, record).gives(1)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall) as refused:
        sink.weigh(changed)
    assert "hunter" not in str(refused.value)
    assert re.search(r"thing\.(password|pin|chip)  <-- differs", str(refused.value))


def test_fields_that_are_not_shown_stay_out_of_statements(shelf: Shelf) -> None:
    logins = shelf.fake(Logins)
    logins.add(Login(1, "ada", "hunter-2"))
    logins.update(Login(1, "ada", "hunter-3"))
    told = [call.statement for call in ledger_of(logins)]
    assert told == [
        "INSERT INTO login VALUES (1, 'ada', :password)",
        "UPDATE login SET name = 'ada', password = :password WHERE id = 1",
    ]
    assert "hunter" not in str(ledger_of(logins))


@pytest.mark.parametrize(
    ("expected", "actual", "told"),
    [
        ({1, 2, 3}, {2, 3, 4, 5}, ["3 members; missing are 1", "4 members; extra are 4, 5"]),
        (
            list(range(20)),
            [*range(12), 99, *range(13, 19)],
            ["20 items, [12] is 12", "19 items, [12] is 99"],
        ),
        (
            list(range(20)),
            list(range(19)),
            ["20 items, [19] is 19", "19 items, it ends before [19]"],
        ),
    ],
)
def test_sets_and_long_lists_show_what_differs(
    shelf: Shelf, expected: Any, actual: Any, told: list[str]
) -> None:
    sink = shelf.fake(Sink)
    cue(sink.put).gives(None)
    sink.put(actual)
    text = str(tally(sink.put, expected))
    assert [one in text for one in told] == [True, True]


# --- one codec ------------------------------------------------------------------------------------


class Grade(Enum):
    LOW = "a"
    HIGH = "b"


class Step(Enum):
    ONE = 1
    TWO = 2


@dataclass
class Sounding:
    id: int
    grade: Grade
    step: Step | None
    every: timedelta
    money: Decimal
    depths: list[Decimal]
    extra: Any


def test_what_the_command_writes_the_shelf_loads(tmp_path: Path) -> None:
    for ending in ("json", "jsonl", "csv", "parquet"):
        path = tmp_path / f"soundings.{ending}"
        assert (
            main(["draw", f"{__name__}:Sounding", "-n", "50", "--seed", "3", "-o", str(path)]) == 0
        )
        shelf = Shelf()
        shelf.load(path, Sounding)
        assert list(shelf.records(Sounding)) == Urn(3).draw(Sounding, 50), ending


def test_one_form_of_a_value_in_every_file(shelf: Shelf, tmp_path: Path) -> None:
    made = {
        "grade": Grade.LOW,
        "step": Step.TWO,
        "every": timedelta(minutes=2),
        "money": Decimal("1.50"),
    }
    shelf.stock(Sounding(1, **made, depths=[Decimal("2.0")], extra=Decimal("1.50")))
    shelf.save(tmp_path / "shelf.json")
    shelf.save(tmp_path / "lines", "jsonl")
    shelf.save(tmp_path / "cells", "csv")
    [kept] = json.loads((tmp_path / "shelf.json").read_text())["tables"]["Sounding"]
    assert kept == {
        "id": 1,
        "grade": "a",
        "step": 2,
        "every": "PT120S",
        "money": "1.50",
        "depths": ["2.0"],
        "extra": {"urnshelf": "Decimal", "text": "1.50"},
    }
    assert json.loads((tmp_path / "lines" / "sounding.jsonl").read_text()) == kept
    cells = (tmp_path / "cells" / "sounding.csv").read_text().splitlines()[1]
    assert cells.startswith('1,a,2,PT120S,1.50,"[""2.0""]"')
    path = tmp_path / "drawn.jsonl"
    words = ["--set", "grade=a", "--set", "every=PT120S", "--set", "money=1.50"]
    assert main(["draw", f"{__name__}:Sounding", "-n", "1", *words, "-o", str(path)]) == 0
    drawn = json.loads(path.read_text())
    assert [drawn[name] for name in ("grade", "every", "money")] == [
        kept[name] for name in ("grade", "every", "money")
    ]


def test_one_type_can_be_loaded_from_a_file_of_its_own_only_alone(
    shelf: Shelf, tmp_path: Path
) -> None:
    path = tmp_path / "vessels.jsonl"
    assert main(["draw", "urnshelf.demo.harbour:Vessel", "-n", "5", "-o", str(path)]) == 0
    with pytest.raises(
        Exception, match="has the records of one type: give that type alone, not Vessel, Berth"
    ):
        shelf.load(path, Vessel, Berth)
    shelf.load(path, Vessel)
    assert {vessel.kind for vessel in shelf.records(Vessel)} <= set(VesselKind)


# --- user-facing objects --------------------------------------------------------------------------


def shown(thing: Any) -> set[str]:
    return {name for name in dir(thing) if not name.startswith("_")}


def test_what_users_hold_shows_no_machine(shelf: Shelf) -> None:
    berths = shelf.fake(BerthRepository)
    a_cue = cue(berths.count).gives(1)
    assert berths.count() == 1
    assert shown(a_cue) == {
        "computes",
        "enters",
        "for_calls",
        "gives",
        "hidden_by",
        "passes_through",
        "place",
        "raises",
        "streams",
        "used",
        "waits",
    }
    assert shown(shelf.records(Berth)) == {"add", "count", "find", "get", "remove", "save", "where"}
    assert shown(ledger_of(berths)) == {"before", "count", "each", "index", "names"}
    assert shown(ledger_of(berths)[0]) == {
        "answered_by",
        "arguments",
        "called_from",
        "error",
        "method",
        "number",
        "reply",
        "statement",
        "taken",
    }
    assert shown(shelf) == {
        "clock",
        "close",
        "define",
        "explain",
        "fake",
        "furnish",
        "keyed",
        "kiosk",
        "limited_to",
        "load",
        "load_sql",
        "records",
        "refusals_expected",
        "roll_back_to",
        "rolled_back",
        "save",
        "save_sql",
        "savepoint",
        "seed",
        "stock",
        "teach",
        "tells",
        "unused_cues",
        "wait_until",
        "wait_until_async",
        "lend_to",
        "swap",
        "swapped",
        "forget_calls",
        "wrap",
        "urn",
        "view",
    }


def test_the_floors_above_put_answerers_before_and_after_the_desks_own(shelf: Shelf) -> None:
    from urnshelf.calls.ledger import NO_REPLY

    tides: Any = shelf.fake(TideService)
    cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
    shelf._desk.put_before(lambda call: 1.0 if call.live[0] == "Curlhythe" else NO_REPLY)
    shelf._desk.put_after(lambda call: 2.0)
    assert [tides.depth_at(name, None) for name in ("Ternhythe", "Curlhythe", "Sparkeld")] == [
        6.3,
        1.0,
        2.0,
    ]


Person = NewType("Person", str)


@pytest.mark.parametrize(
    ("form", "kind", "bare", "optional", "qualifiers"),
    [
        (Annotated[int | None, "x"], "CLASS", int, True, set()),
        (Person, "CLASS", str, False, set()),
        (NewType("Names", list[str]), "ITEMS", list[str], False, set()),  # type: ignore[valid-newtype]
        (Final[int], "CLASS", int, False, {"final"}),
        (ClassVar[list[int]], "ITEMS", list[int], False, {"class variable"}),
        (Required[str], "CLASS", str, False, {"required"}),
        (NotRequired[Annotated[str, 1]], "CLASS", str, False, {"not required"}),
        (Literal["a", None], "LITERAL", Literal["a", None], False, set()),
        (TypeVar("T", bound=int), "CLASS", int, False, set()),
        (TypeVar("U"), "VARIABLE", None, False, set()),
        (ParamSpec("P").args, "ANY", Any, False, set()),
        (Unpack[tuple[int, ...]], "ITEMS", tuple[int, ...], False, {"unpacked"}),
        (Self, "SELF", Self, False, set()),
        (int | str | None, "UNION", int | str, True, set()),
        (tuple[int, str], "TUPLE", tuple[int, str], False, set()),
        (type[int], "CLASS_OBJECT", type[int], False, set()),
        (None, "NONE", None, False, set()),
    ],
)
def test_a_type_is_one_node(
    form: Any, kind: str, bare: Any, optional: bool, qualifiers: set[str]
) -> None:
    node = node_of(form)
    assert (node.kind.name, node.optional, node.qualifiers) == (kind, optional, qualifiers)
    assert node.bare == (form if kind == "VARIABLE" else bare)


@pytest.mark.skipif(sys.version_info < (3, 12), reason="`type` aliases came with Python 3.12")
def test_an_alias_is_what_it_stands_for() -> None:
    names: dict[str, Any] = {}
    exec("type Pair[T] = dict[str, T]\ntype Tree = list[Tree | int]", names)
    node = node_of(names["Pair"][int])
    assert (node.kind.name, [arg.bare for arg in node.args]) == ("MAPPING", [str, int])
    assert node_of(names["Tree"]).item.args[0].kind.name == "ITEMS"


def test_holding_reads_mappings_and_records_alike(shelf: Shelf) -> None:
    sink = shelf.fake(Sink)
    cue(sink.put).gives(None)
    sink.put(Quay(id=1, name="North"))
    sink.put({"id": 1, "name": "North"})
    assert tally(sink.put, holding(name="North")) == 2


def test_repositories_of_all_kinds_of_records_have_their_keys(shelf: Shelf) -> None:
    assert "ORDER BY code" in str(shelf.records(repositories.Buoy).where().limit(1))
