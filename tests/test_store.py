"""The store: queries that SQLite answers alike, keys, unique fields, references, versions, views and savepoints."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

import pytest
from hypothesis import HealthCheck, given
from hypothesis import strategies as st

from record_types import Row
from repositories import Address, Buoy, Chart, Colour, CrewPlace, Light, Owner
from thorough import examples
from urnshelf import RecordMissing, RecordOutdated, RecordRefused, Shelf, column, fitting, whatever
from urnshelf.demo.harbour import Berth, BerthUnknown, Mooring, Vessel
from urnshelf.records.sql import to_sql
from urnshelf.store.conditions import Condition
from urnshelf.store.queries import Query


@dataclass
class Stay:
    id: int
    harbour: str | None
    nights: int | None
    depth_m: float | None
    dues: Decimal
    paid: bool
    colour: Colour
    begun_at: datetime | None
    on: date
    length: timedelta
    owner: Address | None


def database(stays: list[Stay]) -> sqlite3.Connection:
    """A real database with the same rows."""
    connection = sqlite3.connect(":memory:")
    connection.execute(
        "CREATE TABLE stay (id INTEGER PRIMARY KEY, harbour TEXT, nights INTEGER, depth_m REAL, dues NUMERIC, paid INTEGER, "
        'colour TEXT, begun_at TEXT, "on" TEXT, length REAL, owner TEXT)'
    )
    rows = [[to_sql(value) for value in vars(stay).values()] for stay in stays]
    connection.executemany(f"INSERT INTO stay VALUES ({', '.join('?' * 11)})", rows)
    return connection


TEXTS = st.sampled_from(["Ternhythe", "ternhythe", "Curlhythe", "", "O'Hara", "50%", "a_b", "Öst"])
MOMENTS = st.sampled_from(
    [datetime(2030, 6, day, hour, tzinfo=UTC) for day in (1, 2) for hour in (0, 12)]
)
NUMBERS = st.integers(-2, 4)
STAYS = st.lists(
    st.builds(
        Stay, id=st.just(0), harbour=st.none() | TEXTS, nights=st.none() | NUMBERS,
        depth_m=st.none() | st.sampled_from([0.0, 1.5, 4.0, 6.25]), dues=st.sampled_from([Decimal("1.50"), Decimal(2), Decimal("99.9")]),
        paid=st.booleans(), colour=st.sampled_from(Colour), begun_at=st.none() | MOMENTS,
        on=st.sampled_from([date(2030, 1, 1), date(2031, 5, 5)]), length=st.sampled_from([timedelta(1), timedelta(seconds=1.5)]),
        owner=st.none() | st.builds(Address, street=TEXTS, city=TEXTS),
    ),
    max_size=12,
)  # fmt: skip


def simple_conditions() -> st.SearchStrategy[Condition]:
    values: dict[str, st.SearchStrategy[Any]] = {
        "harbour": TEXTS, "nights": NUMBERS, "depth_m": st.sampled_from([0.0, 1.5, 4.0]), "dues": st.sampled_from([Decimal("1.50"), Decimal(2)]),
        "begun_at": MOMENTS, "on": st.just(date(2030, 1, 1)), "length": st.just(timedelta(seconds=1.5)),
    }  # fmt: skip
    compared = [
        st.builds(compare, st.just(column(name)), value)
        for name, value in values.items()
        for compare in (
            lambda c, v: c == v, lambda c, v: c != v, lambda c, v: c < v, lambda c, v: c <= v, lambda c, v: c > v, lambda c, v: c >= v,
        )
    ]  # fmt: skip
    texts = [column("harbour"), column("harbour").ignoring_case, column("owner.city")]
    return st.one_of(
        *compared,
        st.builds(lambda c: column("colour") == c, st.sampled_from(Colour)),
        st.builds(lambda p: column("paid") == p, st.booleans()),
        st.builds(lambda v: column("nights").one_of(v), st.lists(st.none() | NUMBERS, max_size=3)),
        st.builds(
            lambda v: column("owner.city").one_of(v), st.lists(st.none() | TEXTS, max_size=3)
        ),
        st.builds(lambda low, high: column("nights").between(low, high), NUMBERS, NUMBERS),
        st.sampled_from(["harbour", "nights", "owner", "owner.city"]).map(
            lambda name: column(name).is_none()
        ),
        st.builds(lambda c, v: c == v, st.sampled_from(texts), TEXTS),
        st.builds(
            lambda c, v: c.contains(v),
            st.sampled_from(texts),
            st.sampled_from(["", "vik", "VIK", "'", "%", "_"]),
        ),
        st.builds(
            lambda c, v: c.starts_with(v),
            st.sampled_from(texts),
            st.sampled_from(["", "S", "s", "O'"]),
        ),
        st.builds(
            lambda c, v: c.ends_with(v), st.sampled_from(texts), st.sampled_from(["", "vik", "b"])
        ),
    )


CONDITIONS = st.recursive(
    simple_conditions(),
    lambda inner: st.one_of(
        st.builds(lambda a, b: a & b, inner, inner), st.builds(lambda a, b: a | b, inner, inner), st.builds(lambda a: ~a, inner)
    ),
    max_leaves=6,
)  # fmt: skip
FIELDS = [
    "id",
    "harbour",
    "nights",
    "depth_m",
    "dues",
    "paid",
    "colour",
    "begun_at",
    "on",
    "owner.city",
]
ORDERS = st.lists(
    st.builds(
        lambda name, desc: name + desc, st.sampled_from(FIELDS), st.sampled_from(["", " desc"])
    ),
    max_size=3,
)
QUERIES = st.tuples(CONDITIONS, ORDERS, st.none() | st.integers(0, 5), st.integers(0, 3))


def stocked(stays: list[Stay]) -> Shelf:
    shelf = Shelf()
    for number, stay in enumerate(stays, 1):
        stay.id = number
        shelf.stock(stay)
    return shelf


def built(shelf: Shelf, told: tuple[Any, ...]) -> Query[Stay]:
    condition, order, limit, offset = told
    return shelf.records(Stay).where(condition).order_by(*order).limit(limit).offset(offset)


@examples(300, suppress_health_check=list(HealthCheck))
@given(STAYS, QUERIES)
def test_sqlite_gives_the_same_rows(stays: list[Stay], told: tuple[Any, ...]) -> None:
    query = built(stocked(stays), told)
    with closing(database(stays)) as connection:
        found = [row[0] for row in connection.execute(str(query))]
    ours = [stay.id for stay in query]
    _, _, limit, offset = told
    if limit is None and not offset:  # without a limit, SQL leaves the order of equals open
        assert sorted(found) == sorted(ours)
    else:
        assert found == ours
    assert query.count() == len(ours) == len(query)


@examples(60, suppress_health_check=list(HealthCheck))
@given(STAYS, CONDITIONS)
def test_sqlite_gives_the_same_numbers(stays: list[Stay], condition: Condition) -> None:
    query = stocked(stays).records(Stay).where(condition)
    what = "SELECT count(*), coalesce(sum(nights), 0), min(nights), max(nights), avg(nights)"
    different, nights = (
        query.distinct("harbour", "paid").order_by("harbour desc", "paid"),
        query.distinct("nights"),
    )
    with closing(database(stays)) as connection:
        told = connection.execute(query.sql(what)).fetchone()
        groups = dict(
            connection.execute(f"{query.sql('SELECT harbour, count(*)')} GROUP BY harbour")
        )
        pairs = list(connection.execute(str(different)))
        singles = [row[0] for row in connection.execute(str(nights))]
    assert told == (
        query.count(), query.sum("nights"), query.min("nights"), query.max("nights"), query.avg("nights"),
    )  # fmt: skip
    assert query.count_by("harbour") == groups
    assert [(h, int(p)) for h, p in different] == pairs
    assert list(nights) == singles


@examples(60, suppress_health_check=list(HealthCheck))
@given(
    st.lists(st.tuples(TEXTS, NUMBERS), min_size=70, max_size=90),
    st.lists(st.tuples(TEXTS, NUMBERS, NUMBERS), max_size=20),
)
def test_indexes_change_nothing_but_the_time(
    rows: list[tuple[str, int]], steps: list[tuple[str, int, int]]
) -> None:
    shelf = Shelf()
    table = shelf.records(Chart)
    for number, (_, scale) in enumerate(rows):
        shelf.stock(Chart(f"{number:03}", scale))
    for number, (text, scale, high) in enumerate(steps):
        table.save(Chart(f"{number:03}", high))
        table.remove(f"{number + 30:03}")
        plain = list(table)
        assert list(table.where(scale=scale)) == [c for c in plain if c.scale == scale]
        assert list(table.where(column("scale").between(scale, high))) == [
            c for c in plain if scale <= c.scale <= high
        ]
        assert list(table.where(column("scale") > high)) == [c for c in plain if c.scale > high]
        assert list(table.where(column("chart_id").one_of([text, "001", "050"]))) == [
            c for c in plain if c.chart_id in ("001", "050")
        ]


# --- queries as people write them -------------------------------------------------------------------------------------


def test_a_query_is_readable_sql(shelf: Shelf) -> None:
    berths = shelf.records(Berth)
    query = berths.where(
        (column("depth_m") >= 4) | (column("code").starts_with("B") & ~column("defect").is_none()), harbour="O'Hara", in_service=True
    ).order_by("depth_m desc", "code").limit(3).offset(6)  # fmt: skip
    assert str(query) == (
        "SELECT * FROM berth WHERE (depth_m >= 4 OR (substr(code, 1, 1) = 'B' AND defect IS NOT NULL)) "
        "AND harbour = 'O''Hara' AND in_service = TRUE ORDER BY depth_m DESC, code, id LIMIT 3 OFFSET 6"
    )
    assert repr(query).startswith("<SELECT")
    assert str(shelf.records(Mooring).where(arrival=datetime(2030, 6, 1, 14, tzinfo=UTC))).endswith(
        "WHERE arrival = '2030-06-01 14:00:00.000000+00:00'"
    )
    assert str(shelf.records(Stay).where(on=date(2030, 1, 1)).distinct("on")) == (
        """SELECT DISTINCT "on" FROM stay WHERE "on" = '2030-01-01' ORDER BY "on\""""
    )
    assert (
        str(berths.where(lambda berth: berth.depth_m > 4))
        == "SELECT * FROM berth WHERE python_lambda(*)"
    )
    assert str(berths.where()) == "SELECT * FROM berth"


def test_a_query_can_be_looked_at_like_a_list(shelf: Shelf) -> None:
    shelf.stock(Berth, 6, harbour="Ternhythe")
    berths = shelf.records(Berth)
    query = berths.where(harbour="Ternhythe").order_by("id desc")
    assert [b.id for b in query[:2]] == [6, 5]
    assert query[0] == query.first() == berths.get(6)
    assert berths.where(id=3).one().id == 3
    assert berths.where(harbour="x").first() is None
    assert [b.id for b in berths.where(lambda b: b.id % 2 == 0)] == [2, 4, 6]
    assert [b.id for b in berths.where(id=fitting(lambda n: n > 4))] == [5, 6]
    assert berths.where(harbour=whatever).count() == 6
    assert list(berths.where(harbour="Ternhythe").where(column("id") < 3).distinct("id")) == [1, 2]
    assert (
        query.sum("id"),
        query.avg("id"),
        berths.where(id=99).sum("id"),
        berths.where(id=99).avg("id"),
    ) == (
        21,
        3.5,
        0,
        None,
    )
    assert query.count_by("harbour") == {"Ternhythe": 6}
    assert query.limit(4).remove() == 4
    assert [b.id for b in berths] == [1, 2]


def test_a_predicate_cannot_change_records(shelf: Shelf) -> None:
    shelf.stock(Berth, 2, harbour="Ternhythe")

    def vandal(berth: Berth) -> bool:
        berth.harbour = "changed"
        return True

    assert [b.harbour for b in shelf.records(Berth).where(vandal)] == ["Ternhythe", "Ternhythe"]


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (lambda b: b.where(harbor="x"), "Berth has no field 'harbor'; did you mean 'harbour'"),
        (lambda b: b.where(column("deep.est") == 1), "has no field 'deep'"),
        (
            lambda b: b.where("harbour = 'x'"),
            'is no condition: compare a column, as in column\\("depth_m"\\) >= 4',
        ),
        (
            lambda b: b.where((column("id") == 1) and (column("id") == 2)),
            "join conditions with & and |",
        ),
        (
            lambda b: list(b.where(column("harbour") > 3)),
            "harbour holds 'Ternhythe', and str and int have no order",
        ),
        (lambda b: list(b.where(column("id").contains("x"))), "id holds 1, which is no text"),
        (lambda b: b.where(column("id") > None), r"use .is_none\(\)"),
        (lambda b: b.where(column("id").one_of("12")), "give a list of values"),
        (lambda b: b.where(column("code").contains(3)), "a text is needed, not 3"),
        (lambda b: column(""), "the name of a field is needed"),
        (lambda b: b.where().order_by("depth_m down"), 'write "depth_m", or "depth_m desc"'),
        (lambda b: b.where().order_by("depth"), "no field 'depth'; did you mean 'depth_m'"),
        (lambda b: b.where().limit(-1), "limit\\(-1\\): a whole number from 0"),
        (lambda b: b.where().offset(True), "a whole number from 0"),
        (lambda b: b.where().limit(1).where(id=1), r"narrow a query before .limit\(\)"),
        (lambda b: b.where().distinct(), "needs the names of fields"),
        (lambda b: b.where().distinct("id").order_by("code"), "ordered only by themselves: id"),
        (lambda b: b.where().one(), "2 Berth records, not one, are found by SELECT"),
        (lambda b: b.where(id=9).one(), "no Berth is found by SELECT \\* FROM berth WHERE id = 9"),
    ],
)
def test_a_wrong_query_says_why(shelf: Shelf, wrong: Callable[[Any], Any], complaint: str) -> None:
    shelf.stock(Berth, 2, harbour="Ternhythe")
    with pytest.raises((RecordRefused, RecordMissing), match=complaint):
        wrong(shelf.records(Berth))


def test_a_true_is_no_one_in_a_query(shelf: Shelf) -> None:
    shelf.stock(Vessel, 3)
    assert shelf.records(Vessel).where(id=True).count() == 0
    assert shelf.records(Vessel).where(id=1).count() == 1


# --- keys and constraints ---------------------------------------------------------------------------------------------


@dataclass
class Parcel:
    name: str
    id: int = 0


@dataclass(frozen=True)
class Note:
    text: str
    note_id: UUID | None = None
    version: int = 0


def test_keys_are_found_and_assigned(shelf: Shelf) -> None:
    parcels, notes, crew = shelf.records(Parcel), shelf.records(Note), shelf.records(CrewPlace)
    first, second = Parcel("a"), Parcel("b")
    assert (parcels.add(first).id, parcels.add(second).id, second.id) == (1, 2, 2)
    note = notes.add(Note("x"))
    assert isinstance(note.note_id, UUID)
    assert notes.get(note.note_id) == note
    assert (
        Shelf(seed=shelf.seed).records(Note).add(Note("x")) == note
    )  # the same seed, the same keys
    assert Shelf(seed=shelf.seed + 1).records(Note).add(Note("x")) != note
    shelf.define(CrewPlace, key=["vessel_id", "place"])
    crew = shelf.records(CrewPlace)
    crew.add(CrewPlace(7, 1, "Ada"))
    crew.add(CrewPlace(7, 2, "Bo"))
    assert crew.get((7, 2)).name == "Bo"
    assert crew.remove((7, 1))
    with pytest.raises(RecordMissing, match="no CrewPlace has vessel_id=7 and place=1"):
        crew.get((7, 1))
    with pytest.raises(
        RecordRefused, match="a CrewPlace with vessel_id=7 and place=2 is there already"
    ):
        crew.add(CrewPlace(7, 2, "Cy"))
    assert str(crew.where().limit(1)).endswith("ORDER BY vessel_id, place LIMIT 1")
    assert "ORDER BY code" in str(shelf.records(Buoy).where().limit(1))
    assert "ORDER BY id" in str(shelf.records(Row).where().limit(1))
    lights = shelf.records(Light)
    assert lights.add({"id": None, "harbour": "Ternhythe"})["id"] == 1  # type: ignore[typeddict-item]


def test_a_key_must_not_change(shelf: Shelf) -> None:
    with pytest.raises(RecordRefused, match=r"\[1\] cannot be a key of Berth"):
        shelf.records(Berth).get([1])


def test_records_without_a_key_are_kept_too(shelf: Shelf) -> None:
    table = shelf.records(Address)
    for street in ("a", "b", "c"):
        table.add(Address(street, "Ternhythe"))
    assert table.where(street="b").remove() == 1
    table.add(Address("d", "Ternhythe"))
    assert [a.street for a in table] == ["a", "c", "d"]


def test_unique_fields(shelf: Shelf) -> None:
    shelf.define(Vessel, unique=["call_sign", ("name", "flag")], duplicate=ValueError)
    shelf.stock(Vessel(1, "Gray Heron", "GH-0007"))
    shelf.stock(Vessel(2, "Gray Heron", "GH-0008", flag="NO"))
    vessels = shelf.records(Vessel)
    with pytest.raises(
        ValueError, match="a Vessel with call_sign='GH-0007' is there already: Vessel"
    ):
        vessels.add(Vessel(3, "Sea Fox", "GH-0007"))
    with pytest.raises(ValueError, match="with name='Gray Heron' and flag='SE' is there already"):
        vessels.save(Vessel(2, "Gray Heron", "GH-0008"))
    with pytest.raises(ValueError, match="with id=1 is there already"):
        vessels.add(Vessel(1, "Other", "O-1"))
    vessels.save(Vessel(1, "Gray Heron", "GH-0009"))
    vessels.add(Vessel(3, "Sea Fox", "GH-0007"))
    assert vessels.where(call_sign="GH-0007").one().id == 3


def test_references_are_checked_on_request(shelf: Shelf) -> None:
    shelf.define(Mooring, references={"vessel_id": Vessel, "berth_id": Berth})
    mooring = shelf.urn.draw(Mooring, vessel_id=1, berth_id=1)
    with pytest.raises(
        RecordRefused, match="Mooring.vessel_id=1 refers to a Vessel that is not on the shelf"
    ):
        shelf.stock(mooring)
    shelf.stock(Vessel, 2)
    shelf.stock(Berth, 1)
    shelf.stock(mooring)
    with pytest.raises(RecordRefused, match="the Vessel with key 1 cannot be removed: Mooring"):
        shelf.records(Vessel).remove(1)
    assert shelf.records(Vessel).remove(2)


def test_a_version_shows_who_was_slower(shelf: Shelf) -> None:
    shelf.define(Note, version="version")
    notes = shelf.records(Note)
    mine = notes.add(Note("a"))
    theirs = notes.get(mine.note_id)
    mine = notes.save(mine)
    assert mine.version == 1
    with pytest.raises(
        RecordOutdated,
        match="was changed since it was read: its version is 1, the record to be saved has 0",
    ):
        notes.save(theirs)
    assert notes.save(mine).version == 2


@pytest.mark.parametrize(
    ("told", "complaint"),
    [
        ({"key": "number"}, "Berth has no field 'number'"),
        ({"unique": "harbor"}, "did you mean 'harbour'"),
        ({"version": "v"}, "has no field 'v'"),
        ({"references": {"x": Vessel}}, "has no field 'x'"),
    ],
)
def test_a_definition_names_real_fields(shelf: Shelf, told: dict[str, Any], complaint: str) -> None:
    with pytest.raises(RecordRefused, match=complaint):
        shelf.define(Berth, **told)
    shelf.stock(Berth)
    with pytest.raises(RecordRefused, match="must come before the first record"):
        shelf.define(Berth, key="code")


def test_a_missing_record_is_the_users_own_error(shelf: Shelf) -> None:
    shelf.define(Berth, missing=BerthUnknown)
    with pytest.raises(BerthUnknown, match="no Berth has id=3; on the shelf: none$"):
        shelf.records(Berth).get(3)


# --- copies -----------------------------------------------------------------------------------------------------------


@dataclass
class Crate:
    id: int
    marks: list[str] = field(default_factory=list)


def test_nothing_on_the_shelf_is_shared(shelf: Shelf) -> None:
    mine = Crate(1, ["a"])
    returned = shelf.stock(mine)
    mine.marks.append("b")
    returned.marks.append("c")
    shelf.records(Crate).get(1).marks.append("d")
    next(iter(shelf.records(Crate))).marks.append("e")
    shelf.records(Crate).where(id=1)[0].marks.append("f")
    assert shelf.records(Crate).get(1).marks == ["a"]


# --- views, limits, savepoints ----------------------------------------------------------------------------------------


def test_a_view_sees_some_of_the_records(shelf: Shelf) -> None:
    shelf.stock(Vessel, 3, flag="SE")
    shelf.stock(Vessel, 2, flag="NO")
    view = shelf.view(Vessel, column("id") > 1, flag="SE")
    assert [v.id for v in view] == [2, 3]
    assert (view.count(), view.find(1), view.find(4), view.remove(4)) == (2, None, None, False)
    with pytest.raises(RecordMissing, match="no Vessel has id=4; on the shelf: 2, 3"):
        view.get(4)
    with pytest.raises(RecordRefused, match="would not be seen from here"):
        view.add(Vessel(9, "x", "X-1", flag="NO"))
    with pytest.raises(
        RecordRefused, match="with id=4 is not seen from here, so it cannot be saved"
    ):
        view.save(Vessel(4, "x", "X-1"))
    view.save(Vessel(2, "Renamed", "R-1"))
    assert shelf.records(Vessel).get(2).name == "Renamed"
    assert str(view.where(name="x")) == "SELECT * FROM vessel WHERE name = 'x'"
    with pytest.raises(RecordRefused, match="no field 'colour'"):
        shelf.view(Vessel, colour="red")
    swedish = shelf.records(Vessel).where(flag="SE")
    assert shelf.view(Vessel, swedish, id=3).count() == 1
    with pytest.raises(RecordRefused, match="so it takes no limit"):
        shelf.view(Vessel, swedish.limit(1))


def test_a_test_can_be_limited_to_some_records(shelf: Shelf) -> None:
    old = shelf.stock(Berth, 5, harbour="Ternhythe")
    mine = shelf.stock(Berth, 2, harbour="Ternhythe")
    shelf.stock(Vessel, 3)
    with shelf.limited_to(mine, old[0]):
        assert [b.id for b in shelf.records(Berth)] == [1, 6, 7]
        shelf.stock(Berth, 1, harbour="Ternhythe")
        assert [b.id for b in shelf.records(Berth).where(harbour="Ternhythe")] == [1, 6, 7, 8]
        assert shelf.records(Berth).find(2) is None
        assert shelf.records(Vessel).count() == 3
    assert shelf.records(Berth).count() == 8
    with shelf.limited_to(shelf.records(Berth).where(column("id") < 3)):
        assert shelf.records(Berth).count() == 2
    with shelf.limited_to(Berth):
        shelf.stock(Berth, 1)
        assert [b.id for b in shelf.records(Berth)] == [9]
    with (
        pytest.raises(
            RecordRefused, match="takes records, lists of records, queries and record types, not 5"
        ),
        shelf.limited_to(5),
    ):
        pass


def test_records_are_rolled_back_and_nothing_else(shelf: Shelf) -> None:
    shelf.stock(Berth, 3, harbour="Ternhythe")
    before = list(shelf.records(Berth))
    start = shelf.clock.now
    with shelf.rolled_back():
        shelf.records(Berth).remove(2)
        changed = shelf.records(Berth).get(1)
        changed.harbour = "Curlhythe"
        shelf.records(Berth).save(changed)
        shelf.stock(Vessel, 2)
        inner = shelf.savepoint()
        shelf.stock(Berth, 4)
        shelf.roll_back_to(inner)
        assert shelf.records(Berth).count() == 2
        shelf.clock.advance(hours=1)
    assert list(shelf.records(Berth)) == before
    assert list(shelf.records(Berth).where(harbour="Ternhythe")) == before
    assert shelf.records(Vessel).count() == 0
    assert shelf.clock.now - start == timedelta(hours=1)
    assert shelf.stock(Vessel).id == 3  # the urn goes on


@examples(60)
@given(
    st.lists(
        st.tuples(
            st.sampled_from(["save", "remove", "mark", "back"]),
            st.integers(1, 6),
            st.integers(0, 3),
        ),
        max_size=40,
    )
)
def test_rolling_back_is_as_if_nothing_had_been_done(steps: list[tuple[str, int, int]]) -> None:
    shelf = Shelf()
    shelf.define(Chart, unique=["chart_id"])
    table = shelf.records(Chart)
    marks = [(shelf.savepoint(), list(table))]
    for verb, number, scale in steps:
        if verb == "save":
            table.save(Chart(str(number), scale))
        elif verb == "remove":
            table.remove(str(number))
        elif verb == "mark":
            marks.append((shelf.savepoint(), list(table)))
        else:
            point, records = marks[-1] if len(marks) == 1 else marks.pop()
            shelf.roll_back_to(point)
            assert list(table) == records
            assert [c for c in records if c.scale == 1] == list(table.where(scale=1))


def owner(**told: Any) -> Owner:
    plain = {"id": None, "email": "a@example.com", "name": "Ada", "age": 30, "is_active": True}
    return Owner(
        **{
            **plain,
            "joined_at": datetime(2030, 1, 1, tzinfo=UTC),
            "address": Address("Quay 1", "Ternhythe"),
            **told,
        }
    )


def test_fields_of_records_inside(shelf: Shelf) -> None:
    shelf.stock(owner())
    shelf.stock(owner(email="b@example.com", address=Address("Pier 2", "Curlhythe")))
    found = shelf.records(Owner).where(column("address.city").starts_with("Curl"))
    assert found.one().email == "b@example.com"
    assert (
        str(found)
        == "SELECT * FROM owner WHERE substr(json_extract(address, '$.city'), 1, 4) = 'Curl'"
    )
    assert [o.id for o in shelf.records(Owner).where().order_by("address.city")] == [2, 1]
