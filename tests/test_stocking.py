"""What an urn draws next, and what is stocked: keys, unique fields, defaults, references, and
fields inside of fields.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import islice
from typing import Any, Literal
from uuid import UUID

import attrs
import msgspec
import pydantic
import pytest
import sqlalchemy as sa
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from urnshelf import RecordRefused, Shelf, Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel


@dataclass
class Address:
    street: str
    city: str


@dataclass
class Line:
    id: int
    price: int
    stored_at: Address | None = None


@dataclass
class Invoice:
    id: int | None
    home: Address
    lines: list[Line]
    n: int = 0
    what: str = ""
    tags: list[str] = field(default_factory=list)
    state: str = "new"


@dataclass
class Thing:
    thing_id: int
    label: str


@dataclass
class Side:
    id: Literal["a", "b"]


@dataclass
class Pair:
    left: Literal[1, 2]
    right: bool


# --- an urn goes on -------------------------------------------------------------------------------


def test_each_drawing_gives_the_next() -> None:
    urn = Urn(7)
    first, second = urn.draw(Vessel), urn.draw(Vessel)
    assert (first.id, second.id) == (1, 2)
    ten, ninety = Urn(7), Urn(7)
    assert ten.draw(Vessel, 10) + ten.draw(Vessel, 90) == ninety.draw(Vessel, 100)
    assert [ten.draw(int) for _ in range(3)] == Urn(7).draw(int, 3)
    schema: dict[str, Any] = {"type": "string", "pattern": "[a-z]{9}"}
    assert ten.draw(schema) != ten.draw(schema)


def test_slices_streams_and_frames_move_nothing_on() -> None:
    urn = Urn(7)
    urn.draw(Vessel, range(50))
    list(islice(urn.stream(Vessel, 3), 5)), urn.data_frame(Vessel, 20), list(urn.chunks(Vessel, 9))
    assert urn.draw(Vessel).id == 1
    assert [v.id for v in urn.draw(Vessel, range(9, 0, -4))] == [10, 6, 2]


def test_several_threads_get_no_record_twice() -> None:
    urn = Urn(7)
    found: list[int] = []

    def draws() -> None:
        for _ in range(60):
            found.append(urn.draw(Vessel).id)
            found.extend(v.id for v in urn.draw(Vessel, 3))

    threads = [threading.Thread(target=draws) for _ in range(6)]
    [one.start() for one in threads], [one.join() for one in threads]
    assert sorted(found) == list(range(1, 6 * 60 * 4 + 1))


def test_several_threads_stock(shelf: Shelf) -> None:
    def stocks() -> None:
        for _ in range(20):
            shelf.stock(Vessel, 3)
            with pytest.raises(RecordRefused):
                shelf.stock([Vessel(10**6, "a", "b"), Vessel(1, "taken", "c")])

    threads = [threading.Thread(target=stocks) for _ in range(4)]
    [one.start() for one in threads], [one.join() for one in threads]
    assert [vessel.id for vessel in shelf.records(Vessel)] == list(range(1, 4 * 20 * 3 + 1))


def test_a_drawn_record_is_never_a_stocked_one(shelf: Shelf) -> None:
    shelf.stock(Vessel, 3)
    mine = shelf.stock(Vessel(id=5, name="Gray Heron", call_sign="GH-0005"))
    new = [shelf.urn.draw(Vessel), *shelf.urn.draw(Vessel, 2)]
    assert [vessel.id for vessel in new] == [4, 6, 7]
    for vessel in new:
        shelf.records(Vessel).save(vessel)
    assert shelf.records(Vessel).count() == 7
    assert shelf.records(Vessel).get(5) == mine
    assert [v.id for v in shelf.stock(Vessel, 2)] == [8, 9]


# --- keys -----------------------------------------------------------------------------------------


def test_an_optional_key_is_none_until_it_is_stocked(shelf: Shelf) -> None:
    assert {mooring.id for mooring in Urn(7).draw(Mooring, 600)} == {None}
    assert [mooring.id for mooring in shelf.stock(Mooring, 3)] == [1, 2, 3]
    mooring = shelf.urn.draw(Mooring)
    assert mooring.id is None
    assert shelf.records(Mooring).save(mooring).id == 4

    @dataclass
    class Ticket:
        id: UUID | None
        what: str

    assert Urn(7).draw(Ticket).id is None
    assert len({ticket.id for ticket in shelf.stock(Ticket, 9)} - {None}) == 9


def test_a_key_named_after_its_type_is_a_serial(shelf: Shelf) -> None:
    assert [thing.thing_id for thing in shelf.stock(Thing, 1000)] == list(range(1, 1001))

    @dataclass
    class Buoy:
        buoy_id: int = pydantic.Field(ge=100)

    model = pydantic.create_model("Lamp", id=(int, pydantic.Field(gt=9, le=11)))
    assert [one.id for one in Urn(7).draw(model, 2)] == [10, 11]  # type: ignore[attr-defined]
    with pytest.raises(RecordRefused, match=r"Lamp.id: record 3 has no value left.* only 2 "):
        Urn(7).draw(model, 3)


def test_a_space_that_is_too_small_ends(shelf: Shelf) -> None:
    assert {side.id for side in shelf.stock(Side, 2)} == {"a", "b"}
    with pytest.raises(RecordRefused, match="there are only 2 different ones"):
        shelf.stock(Side)
    shelf.define(Pair, key=["left", "right"])
    assert len(shelf.stock(Pair, 4)) == 4
    with pytest.raises(
        RecordRefused, match="4 are on the shelf, and no further one has left and right.*only 4"
    ):
        shelf.stock(Pair)
    other = Shelf(seed=3)
    with pytest.raises(RecordRefused, match="there are only 3"):
        other.stock(Vessel, 4, id=rules.among(1, 2, 3))
    assert other.records(Vessel).count() == 0  # all or nothing


def test_unique_fields_are_passed_over_like_keys() -> None:
    shelf = Shelf(seed=7)
    shelf.define(Vessel, unique=["flag"])
    flags = [vessel.flag for vessel in shelf.stock(Vessel, 12)]
    assert len(set(flags)) == 12
    with pytest.raises(RecordRefused, match="no further one has flag for itself"):
        shelf.stock(Vessel)
    with pytest.raises(RecordRefused, match="is there already"):
        shelf.stock(Vessel, flag=flags[0])  # what was asked for is not passed over
    assert shelf.records(Vessel).count() == 12


# --- one's own, and values ------------------------------------------------------------------------


def test_several_of_ones_own(shelf: Shelf) -> None:
    mine = [Thing(7, "one"), Thing(8, "two")]
    assert shelf.stock(mine) == mine
    assert shelf.stock([]) == []
    with pytest.raises(RecordRefused, match="is there already"):
        shelf.stock([Thing(9, "three"), Thing(7, "again")])
    assert [thing.thing_id for thing in shelf.records(Thing)] == [7, 8]
    with pytest.raises(RecordRefused, match=r"stock\(\[…\]\): 5 is no record"):
        shelf.stock([Thing(9, "three"), 5])
    assert shelf.records(Thing).count() == 2


@pytest.mark.parametrize(
    ("what", "given", "complaint"),
    [
        (Berth, {"depth_m": "five"}, r"Berth.depth_m: it is 'five', a str, not float; .*"
         r"depth_m=rules.constant\('five'\)"),
        (Berth, {"in_service": 1}, "a int, not bool|an int, not bool"),
        (Mooring, {"state": "booked"}, "not MooringState"),
        (Invoice, {"home": {"city": "Ternhythe"}}, "Invoice.home: .*not Address"),
        (Invoice, {"home__town": "x"}, "no field 'town'"),
        (Invoice, {"home": Address("a", "b"), "home__city": "x"}, "Invoice.home is given whole"),
        (Invoice, {"state__x": "x"}, "Invoice.state is str, and has no field 'x' inside"),
        (Berth, {"n": 10}, r"what is no field goes by position, as in draw\(Berth, 10\)"),
    ],
)  # fmt: skip
def test_what_is_given_must_fit(shelf: Shelf, what: Any, given: Any, complaint: str) -> None:
    for draws in (Urn(7).draw, shelf.stock):
        with pytest.raises(RecordRefused, match=complaint):
            draws(what, **given)
    assert shelf.records(what).count() == 0


def test_a_wrong_value_on_purpose_and_one_that_its_type_converts() -> None:
    assert Urn(7).draw(Berth, depth_m=rules.constant("five")).depth_m == "five"
    model = pydantic.create_model("Lamp", watts=(int, ...))
    assert Urn(7).draw(model, watts="60").watts == 60  # type: ignore[attr-defined]
    made = attrs.make_class("Made", {"watts": attrs.field(type=int, converter=int)})
    assert Urn(7).draw(made, watts="60").watts == 60  # type: ignore[attr-defined]


def test_a_function_is_the_value_of_a_field_of_functions() -> None:
    @dataclass
    class Handler:
        id: int
        run: Callable[[int], int]

    assert Urn(7).draw(Handler, run=abs).run is abs
    with pytest.raises(RecordRefused, match="a type is needed, and not its name"):
        Urn(7).draw("Handler")


def test_a_mutable_value_is_copied_for_each_record() -> None:
    shared = ["a"]
    for n in (3, 600):
        drawn = Urn(7).draw(Invoice, n, tags=shared, home=Address("x", "y"))
        assert len({id(one.tags) for one in drawn}) == n == len({id(one.home) for one in drawn})
        drawn[0].tags.append("b")
        assert drawn[1].tags == ["a"] == shared


def test_fields_of_any_name_can_be_fixed(shelf: Shelf) -> None:
    invoice = shelf.stock(Invoice, n=5, what="oars")
    assert (invoice.n, invoice.what) == (5, "oars")
    assert Urn(7).draw(Invoice, 2, n=rules.serial())[1].n == 2


# --- defaults -------------------------------------------------------------------------------------


@attrs.define
class Attrs:
    name: str
    tags: list[str] = attrs.field(factory=list)
    twice: str = attrs.field(default=attrs.Factory(lambda self: self.name * 2, takes_self=True))
    size: int = 5


class Struct(msgspec.Struct):
    name: str
    tags: list[str] = []
    at: dict[str, int] = msgspec.field(default_factory=lambda: {"x": 1})
    size: int = 5


class Model(pydantic.BaseModel):
    name: str
    tags: list[str] = pydantic.Field(default_factory=list)
    size: int = 5


@pytest.mark.parametrize("kind", [Invoice, Attrs, Struct, Model])
def test_defaults_as_their_type_declares_them(kind: Any) -> None:
    told = Urn(7, defaults="declared").draw(kind, 600)
    assert {tuple(one.tags) for one in told} == {()}
    assert len({id(one.tags) for one in told}) == 600
    drawn = Urn(7).draw(kind, 600)
    assert len({tuple(one.tags) for one in drawn}) > 10
    if kind is Attrs:
        assert all(one.twice == one.name * 2 and one.size == 5 for one in told)
    one_field = Urn(7).draw(kind, 50, tags=rules.declared())
    assert {tuple(one.tags) for one in one_field} == {()}


def test_defaults_by_shelf_and_by_marker(pytester: pytest.Pytester) -> None:
    assert {v.flag for v in Shelf(seed=7, defaults="declared").stock(Vessel, 30)} == {"SE"}
    assert len({v.flag for v in Shelf(seed=7).stock(Vessel, 30)}) > 3
    with pytest.raises(RecordRefused, match="Vessel.name: rules.declared.. keeps what the type"):
        Urn(7).draw(Vessel, name=rules.declared())
    with pytest.raises(RecordRefused, match="choose 'drawn' or 'declared'"):
        Urn(7, defaults="kept")  # type: ignore[arg-type]
    pytester.makepyprojecttoml('[tool.urnshelf]\ndefaults = "declared"\n')
    pytester.makepyfile(
        """
        import pytest
        from urnshelf.demo.harbour import Vessel

        def test_project(shelf):
            assert {v.flag for v in shelf.stock(Vessel, 30)} == {"SE"}

        @pytest.mark.urnshelf(defaults="drawn")
        def test_one(shelf):
            assert len({v.flag for v in shelf.stock(Vessel, 30)}) > 3
        """
    )
    assert pytester.runpytest().ret == 0


# --- references -----------------------------------------------------------------------------------


class Tables(DeclarativeBase):
    pass


class Quay(Tables):
    __tablename__ = "quay"
    quay_no: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(sa.String(20), unique=True)


class Bollard(Tables):
    __tablename__ = "bollard"
    id: Mapped[int] = mapped_column(primary_key=True)
    quay: Mapped[int] = mapped_column(sa.ForeignKey("quay.quay_no"))
    quay_code: Mapped[str] = mapped_column(sa.ForeignKey("quay.code"))


@dataclass
class Member:
    id: int
    captain_id: int | None


def test_references_are_used(shelf: Shelf) -> None:
    shelf.define(Mooring, references={"berth_id": Berth, "vessel_id": Vessel})
    shelf.stock(Berth, 2)
    moorings = shelf.stock(Mooring, 40)
    assert {mooring.berth_id for mooring in moorings} == {1, 2}
    assert shelf.records(Vessel).count() == 10  # there were none: some were stocked
    assert {mooring.vessel_id for mooring in moorings} <= set(range(1, 11))
    assert shelf.urn.draw(Mooring).berth_id in {1, 2}
    with pytest.raises(RecordRefused, match="refers to a Berth that is not on the shelf"):
        shelf.stock(Mooring, berth_id=9)


def test_what_is_told_later_holds_from_then_on(shelf: Shelf) -> None:
    shelf.stock(Berth, 2)
    shelf.urn.draw(Mooring)
    shelf.define(Mooring, references={"berth_id": Berth})
    assert {mooring.berth_id for mooring in shelf.urn.draw(Mooring, 40)} == {1, 2}


def test_references_to_records_of_the_same_type(shelf: Shelf) -> None:
    shelf.define(Member, references={"captain_id": Member})
    crew = shelf.stock(Member, 60)
    assert crew[0].captain_id is None
    assert all(one.captain_id is None or one.captain_id < one.id for one in crew)
    assert len({one.captain_id for one in crew}) > 10


def test_two_types_that_need_each_other_are_told() -> None:
    @dataclass
    class Egg:
        id: int
        hen_id: int

    @dataclass
    class Hen:
        id: int
        egg_id: int

    shelf = Shelf(seed=7)
    shelf.define(Egg, references={"hen_id": Hen})
    shelf.define(Hen, references={"egg_id": Egg})
    with pytest.raises(RecordRefused, match=r"Hen.egg_id refers to a Egg.*rules\.link"):
        shelf.stock(Egg, 2)
    assert shelf.records(Hen).count() == 0


def test_mapped_classes_link_by_their_foreign_keys(shelf: Shelf) -> None:
    bollards = shelf.stock(Bollard, 30)
    quays = list(shelf.records(Quay))
    assert [quay.quay_no for quay in quays] == list(range(1, 11))
    assert {one.quay for one in bollards} <= {quay.quay_no for quay in quays}
    assert {one.quay_code for one in bollards} <= {quay.code for quay in quays}
    with pytest.raises(RecordRefused, match="is there already"):
        shelf.stock(Quay, 2, code=quays[0].code)
    engine = sa.create_engine("sqlite://")
    Tables.metadata.create_all(engine)
    with sa.orm.Session(engine) as session:
        session.execute(sa.text("PRAGMA foreign_keys = ON"))
        session.add_all(quays)
        session.flush()
        session.add_all(shelf.records(Bollard))
        session.commit()
    engine.dispose()


# --- inside ---------------------------------------------------------------------------------------


def test_fields_inside_are_steered(shelf: Shelf) -> None:
    drawn = Urn(7).draw(Invoice, 30, home__city="Ternhythe", **{"lines.price": 5})
    assert {one.home.city for one in drawn} == {"Ternhythe"}
    assert {line.price for one in drawn for line in one.lines} == {5}
    plain = Urn(7).draw(Invoice, 30)
    assert [one.home.street for one in drawn] == [one.home.street for one in plain]
    deep = shelf.stock(Invoice, 30, lines__stored_at__city=rules.among("Curlhythe", "Gullkeld"))
    found = [line.stored_at for one in deep for line in one.lines]
    assert {place.city for place in found if place} == {"Curlhythe", "Gullkeld"}
    assert None not in found  # what is given a part is there


def test_set_rules_reach_inside() -> None:
    urn = Urn(7)
    urn.set_rules(Address, city="Ternhythe")
    drawn = urn.draw(Invoice, 30)
    assert {one.home.city for one in drawn} == {"Ternhythe"}
    assert urn.draw(Address).city == "Ternhythe"
    assert {a.city for a in urn.draw(list[Address], 9)[3]} <= {"Ternhythe"}
    urn.set_rules(Line, price=rules.link(Vessel, count=2))
    assert {line.price for one in urn.draw(Invoice, 60) for line in one.lines} == {1, 2}
    urn.set_rules(Invoice, home__street="Eiderwake Walk 1")
    assert urn.draw(Invoice).home == Address("Eiderwake Walk 1", "Ternhythe")
    # what is given with the draw goes before what was set, and leaves the rest of it
    drawn = urn.draw(Invoice, home__city="Curlhythe").home
    assert drawn == Address("Eiderwake Walk 1", "Curlhythe")
    assert urn.draw(Invoice, home=Address("a", "b")).home == Address("a", "b")
    urn.set_rules(Invoice, home=Address("c", "d"))
    assert urn.draw(Invoice).home == Address("c", "d")
    assert urn.draw(Invoice, home__city="Gullkeld").home.city == "Gullkeld"


def test_keys_inside_differ() -> None:
    drawn = Urn(7).draw(Invoice, 2000)
    ids = [line.id for one in drawn for line in one.lines]
    assert len(ids) > 2000
    assert len(set(ids)) == len(ids)


def test_a_function_that_draws_itself_differs_from_record_to_record() -> None:
    urn = Urn(7)
    drawn = urn.draw(Invoice, 5, home=lambda: urn.draw(Address))
    assert len({one.home.street for one in drawn}) > 1
