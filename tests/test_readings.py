"""Readings: repositories in the styles that people write them in, and what their methods do on the shelf's records."""

from __future__ import annotations

import asyncio
import inspect
import re
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta, timezone, tzinfo
from typing import Any, Protocol

import pytest

import repositories as kinds
from repositories import Owner
from urnshelf import (
    ClockRefused,
    CueRefused,
    InterfaceRefused,
    RecordMissing,
    RecordRefused,
    ReplyRefused,
    Shelf,
    UnansweredCall,
    UnitRefused,
    column,
    cue,
    ledger_of,
    tally,
)
from urnshelf.cli.main import main
from urnshelf.demo.harbour import (
    Berth,
    Vessel,
    VesselRepository,
)
from urnshelf.store.conditions import Condition

GENERIC: dict[str, Any] = {
    "GenericRepository": kinds.GenericRepository[Vessel, int],
    "LooksUp": kinds.LooksUp[Vessel],
    "KeepsMany": kinds.KeepsMany[Vessel],
    "KeepsOne": kinds.KeepsOne[Vessel],
}
INTERFACES = {
    name: GENERIC.get(name, thing)
    for name, thing in vars(kinds).items()
    if inspect.isclass(thing)
    and thing.__module__ == kinds.__name__
    and not issubclass(thing, (tuple, kinds.Enum))
    if any(inspect.isfunction(function) and function.__doc__ for function in vars(thing).values())
}
EXPECTED = [
    (name, method, function.__doc__)
    for name, interface in INTERFACES.items()
    for method, function in vars(getattr(interface, "__origin__", interface)).items()
    if inspect.isfunction(function) and function.__doc__
]


def test_there_are_enough_styles() -> None:
    assert len(INTERFACES) >= 40


@pytest.mark.parametrize(
    ("name", "method", "expected"), EXPECTED, ids=[f"{n}.{m}" for n, m, _ in EXPECTED]
)
def test_reading(shelf: Shelf, name: str, method: str, expected: str) -> None:
    [explained] = [e for e in shelf.explain(INTERFACES[name]) if e.method.startswith(f"{method}(")]
    told = explained.read_as or f"not read: {explained.advice.partition('; cue it')[0]}"
    assert told == expected


# --- what readings do -------------------------------------------------------------------------------------------------


@pytest.fixture
def owners(shelf: Shelf) -> list[Owner]:
    """Four owners on the shelf."""
    for age, name in enumerate(["Ada", "Bo", "Cy", "Ada"], 21):
        shelf.stock(Owner, name=name, age=age)
    return list(shelf.records(Owner))


def test_finders(shelf: Shelf, owners: list[Owner]) -> None:
    finders = shelf.fake(kinds.Finders)
    ada, bo, _, other = owners
    assert finders.find_by_email(bo.email) == bo
    assert finders.get_by_name_and_age("Ada", 24) == other
    assert finders.find_all_by_name("Ada") == [ada, other]
    assert finders.find_by_age_in([21, 22]) == [ada, bo]
    assert finders.find_by_name_containing("d") == [ada, other]
    assert finders.find_first_by_name("Ada") == ada
    assert finders.find_by_joined_at_after(max(o.joined_at for o in owners)) == []
    assert (finders.count_by_name("Ada"), finders.exists_by_email("x")) == (2, False)
    assert finders.delete_by_email(bo.email) == 1
    with pytest.raises(RecordMissing, match="no Owner has"):
        finders.get_by_name_and_age("Bo", 22)


def test_lists_in_order_and_by_page(shelf: Shelf) -> None:
    berths = shelf.stock(Berth, 7, harbour="Ternhythe")
    paged, filtered = shelf.fake(kinds.Paged), shelf.fake(kinds.Filtered)
    assert paged.list(limit=2, offset=3) == berths[3:5]
    assert paged.list_page(3, 2) == berths[4:6]
    assert paged.paginate(page=4, per_page=2) == (berths[6:], 7)
    assert paged.list_and_count(harbour="Ternhythe", limit=3) == (berths[:3], 7)
    assert paged.list_and_count(harbour="x") == ([], 0)
    assert paged.list_after(5, 10) == berths[5:]
    assert filtered.list() == berths
    assert filtered.list(harbour="Curlhythe") == []
    assert filtered.search(min(b.depth_m for b in berths)) == berths
    deepest = max(b.depth_m for b in berths)
    assert {b.depth_m for b in filtered.find(depth_m=deepest)} == {deepest}
    assert filtered.find(min_depth_m=deepest, id__in=[b.id for b in berths]) == filtered.find(
        depth_m=deepest
    )
    assert filtered.find_one(id=3) == berths[2]
    assert filtered.filter({"id": 4}) == [berths[3]]
    assert filtered.find_where(lambda b: b.id > 5) == berths[5:]
    assert filtered.any("Ternhythe")
    names = [v.name for v in shelf.stock(Vessel, 5)]
    assert [v.name for v in shelf.fake(kinds.Literals).list("-name")] == sorted(names, reverse=True)
    assert [v.name for v in shelf.fake(kinds.Literals).list_sorted(["name desc"])] == sorted(
        names, reverse=True
    )


def test_filters_that_are_known_only_when_called(shelf: Shelf) -> None:
    shelf.stock(Berth, 2)
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="not read      because Berth has no field 'colour'"),
    ):
        shelf.fake(kinds.Filtered).find(colour="red")


def test_an_empty_default_is_not_certain(shelf: Shelf) -> None:
    class Berths(Protocol):
        def list(self, harbour: str = "", code_prefix: str = "") -> list[Berth]: ...

    berths = shelf.fake(Berths)
    stocked = shelf.stock(Berth, 2, harbour="Ternhythe")
    assert berths.list("Ternhythe") == stocked
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="harbour='' may ask for nothing, or for what is empty"),
    ):
        berths.list()


def test_a_condition_may_be_an_argument(shelf: Shelf) -> None:
    class Berths(Protocol):
        def find(self, where: Condition) -> list[Berth]: ...

    berths = shelf.stock(Berth, 5)
    assert shelf.fake(Berths).find(column("id") > 3) == berths[3:]
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="Berth has no field 'colour'"),
    ):
        shelf.fake(Berths).find(column("colour") == "red")


def test_specifications(shelf: Shelf) -> None:
    berths = shelf.stock(Berth, 6, harbour="Ternhythe")
    fake = shelf.fake(kinds.BySpec)
    limit = sorted(b.depth_m for b in berths)[3]
    deep = [b for b in berths if b.depth_m >= limit]
    assert (
        fake.matching(kinds.BerthSpec(min_depth_m=limit))
        == fake.find_all(kinds.DeepEnough(limit))
        == deep
    )
    assert fake.count(kinds.BerthSpec(harbour="Curlhythe")) == 0
    assert fake.find(kinds.BerthSpec()) == berths


def test_many_at_once_and_other_shapes(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 4)
    many = shelf.fake(kinds.ManyKeys)
    assert many.get_many([4, 2, 9]) == [vessels[3], vessels[1]]
    assert many.get_by_ids([1, 3]) == {1: vessels[0], 3: vessels[2]}
    assert many.fetch(2, 3) == (vessels[1], vessels[2])
    assert many.delete_many([1, 2, 99]) == 2
    shelf.stock(kinds.Category(1, "quays"))
    shapes = shelf.fake(kinds.Shapes)
    assert shapes.all() == {kinds.Category(1, "quays")} == shapes.list()
    assert shapes.by_key() == {1: kinds.Category(1, "quays")}
    assert next(shapes.get_all()).title == "quays"


def test_writes(shelf: Shelf, owners: list[Owner]) -> None:
    creating, changing, removing = (
        shelf.fake(kinds.Creating),
        shelf.fake(kinds.Changing),
        shelf.fake(kinds.Removing),
    )
    values = {name: value for name, value in vars(owners[0]).items() if name != "id"}
    made = creating.create_owner(**values)
    assert (made.id, made.name) == (5, "Ada")
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="no Owner can be made of these values: .*'email'"),
    ):
        creating.create_owner(name="Di")
    drafts = [replace(owners[0], id=None), replace(owners[0], id=None)]
    assert (creating.create_many(drafts), [d.id for d in drafts]) == (2, [6, 7])
    assert changing.update(owners[1], {"name": "Bea"}).name == "Bea"
    assert changing.update_owner(2, age=50).age == 50
    changing.update_name(2, "Bo")
    assert changing.set_is_active(2, True)
    assert not changing.set_is_active(99, True)
    assert changing.patch(2, age=51) == replace(owners[1], age=51, name="Bo", is_active=True)
    assert changing.patch(99) is None
    with pytest.raises(RecordMissing, match="no Owner has id=99"):
        changing.update_owner(99, age=1)
    with pytest.raises(RecordMissing):
        shelf.fake(kinds.GenericRepository[Owner, int]).update(replace(owners[0], id=99))
    removing.remove(owners[0])
    assert removing.delete(1) is None
    assert removing.delete(2) is not None
    assert removing.delete_all_by_name("Ada") == 4
    removing.remove_all(list(shelf.records(Owner)))
    assert shelf.records(Owner).count() == 0


def test_rows_go_in_and_out_as_dictionaries(shelf: Shelf) -> None:
    shelf.stock(Vessel(7, "Gray Heron", "GH-0007", flag="SE"))
    rows = shelf.fake(kinds.RowDao)
    row = rows.get(7)
    assert row is not None
    assert (row["name"], rows.get(8), rows.list("SE")) == ("Gray Heron", None, [row])
    row["name"] = "changed"
    assert shelf.records(Vessel).get(7).name == "Gray Heron"
    assert rows.insert({"name": "Sea Fox", "call_sign": "SF-1"}) == 8
    rows.update(8, {"name": "Sea Wolf"})
    assert shelf.records(Vessel).get(8).name == "Sea Wolf"
    assert (rows.delete(8), rows.delete(8)) == (1, 0)


def test_without_annotations_only_what_is_certain(shelf: Shelf, owners: list[Owner]) -> None:
    dao = shelf.fake(kinds.OwnerDao)
    assert dao.get(1) == owners[0]
    assert dao.find_all() == owners
    assert dao.list_by_name("Ada") == [owners[0], owners[3]]
    assert (dao.count(), dao.exists(9)) == (4, False)
    assert dao.delete(1)
    with shelf.refusals_expected():
        with pytest.raises(UnansweredCall, match="not certain whether to raise or to give None"):
            dao.get(1)
        with pytest.raises(UnansweredCall, match="not certain what then"):
            dao.delete(1)
        with pytest.raises(
            UnansweredCall, match="does not tell whether it gives one record or many"
        ):
            dao.find_by_email("x")


def test_a_method_that_is_given_a_record_does_not_do_nothing(
    shelf: Shelf, owners: list[Owner]
) -> None:
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="the verb 'archive' is not one that is read"),
    ):
        shelf.fake(kinds.Removing).archive(owners[0])


def test_async_repositories_and_streams(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 3)
    fake = shelf.fake(kinds.AsyncRepository)

    async def use() -> list[Vessel]:
        assert await fake.get(2) == vessels[1]
        await fake.delete(vessels[0])
        return [vessel async for vessel in fake.stream()]

    assert asyncio.run(use()) == vessels[1:]
    assert list(shelf.fake(kinds.Streams).stream_all()) == vessels[1:]


def test_an_alias_changed_after_get_changes_nothing(shelf: Shelf) -> None:
    shelf.stock(Vessel(7, "Gray Heron", "GH-0007"))
    vessels = shelf.fake(VesselRepository)
    alias = vessels.find(7)
    assert alias is not None
    alias.name = "changed"
    assert vessels.find(7) == Vessel(7, "Gray Heron", "GH-0007")
    vessels.save(alias)
    alias.name = "changed again"
    assert vessels.find(7) == Vessel(7, "changed", "GH-0007")


class Renaming:
    """A service with a fault: it forgets to save."""

    def __init__(self, vessels: VesselRepository) -> None:
        self.vessels = vessels

    def rename(self, vessel_id: int, name: str) -> None:
        vessel = self.vessels.find(vessel_id)
        assert vessel is not None
        vessel.name = name


def test_a_forgotten_save_is_seen(shelf: Shelf) -> None:
    shelf.stock(Vessel(7, "Gray Heron", "GH-0007"))
    shelf.furnish(Renaming).rename(7, "Sea Fox")
    with pytest.raises(AssertionError):
        assert shelf.records(Vessel).get(7).name == "Sea Fox"


# --- the ledger -------------------------------------------------------------------------------------------------------


def test_the_ledger_shows_what_was_asked(shelf: Shelf) -> None:
    shelf.stock(Vessel(7, "O'Hara", "GH-0007"))
    vessels, filtered = shelf.fake(VesselRepository), shelf.fake(kinds.Filtered)
    vessels.find(7)
    vessels.find_by_call_sign("GH-0007")
    vessels.save(Vessel(8, "Sea Fox", "SF-1"))
    filtered.list(harbour="Ternhythe")
    filtered.count()
    shelf.fake(kinds.Changing)
    assert [call.statement for call in ledger_of(shelf)] == [
        "SELECT * FROM vessel WHERE id = 7",
        "SELECT * FROM vessel WHERE call_sign = 'GH-0007'",
        "INSERT OR REPLACE INTO vessel VALUES (8, 'Sea Fox', 'SF-1', 'cargo', 40.0, 3.0, '', 'SE', NULL)",
        "SELECT * FROM berth WHERE harbour = 'Ternhythe' ORDER BY id",
        "SELECT count(*) FROM berth",
    ]
    assert (
        ledger_of(filtered)[0].answered_by
        == "the shelf's records: SELECT * FROM berth WHERE harbour = 'Ternhythe' ORDER BY id"
    )
    assert (
        "      SELECT * FROM berth WHERE harbour = 'Ternhythe' ORDER BY id"
        in str(tally(filtered.list)).splitlines()
    )
    cue(filtered.count).gives(3)
    filtered.count()
    assert ledger_of(filtered.count)[-1].statement == ""


def test_writes_in_the_ledger(shelf: Shelf, owners: list[Owner]) -> None:
    changing, removing = shelf.fake(kinds.Changing), shelf.fake(kinds.Removing)
    changing.update_name(2, "Bea")
    removing.delete(2)
    removing.delete_all_by_name("Ada")
    removing.remove_all(owners[2:3])
    assert [call.statement for call in ledger_of(shelf)] == [
        "UPDATE owner SET name = 'Bea' WHERE id = 2",
        "DELETE FROM owner WHERE id = 2",
        "DELETE FROM owner WHERE name = 'Ada'",
        "DELETE FROM owner WHERE id IN (3)",
    ]


# --- key–value stores -------------------------------------------------------------------------------------------------


def test_values_expire_on_the_shelfs_clock(shelf: Shelf) -> None:
    cache = shelf.fake(kinds.Cache)
    cache.set("a", b"1", ttl=60)
    cache.set("b", b"2")
    shelf.clock.advance(seconds=59)
    assert (cache.get("a"), cache.get("b"), cache.get("c")) == (b"1", b"2", None)
    shelf.clock.advance(seconds=1)
    assert (cache.get("a"), cache.get("b")) == (None, b"2")
    cache.delete("b")
    assert cache.get("b") is None
    assert ledger_of(cache.get)[0].statement == "GET 'a'"
    with shelf.rolled_back():
        cache.set("d", b"4")
    assert cache.get("d") is None
    assert shelf.fake(kinds.Cache, name="second").get("b") is None


def test_a_cache_with_everything(shelf: Shelf) -> None:
    cache = shelf.fake(kinds.BigCache)
    kept = [1]
    assert cache.set("list", kept, timedelta(minutes=1))
    kept.append(2)
    assert cache.get("list") == [1]
    assert (cache.add("n", 5), cache.add("n", 6), cache.get("n")) == (True, False, 5)
    assert (cache.incr("n"), cache.incr("n", 10), cache.decr("n"), cache.incr("new")) == (
        6,
        16,
        15,
        1,
    )
    cache.set_many({"x": 1, "y": 2}, 30)
    assert cache.get_many(["x", "y"]) == {"x": 1, "y": 2}
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="left out then, or given"):
        cache.get_many(["x", "z"])
    assert cache.touch("x", 90)
    shelf.clock.advance(seconds=45)
    assert (cache.has("x"), cache.has("y"), cache.keys()) == (
        True,
        False,
        ["list", "n", "new", "x"],
    )
    assert (cache.pop("x"), cache.get("x", "none left"), cache.touch("x", 1)) == (
        1,
        "none left",
        False,
    )
    assert (cache.delete("n"), cache.delete("n")) == (True, False)
    cache.delete_many(["list"])
    cache.clear()
    assert cache.keys() == []
    sessions = shelf.fake(kinds.SessionStore)
    sessions.save("t", {"user": "Ada"}, shelf.clock.now + timedelta(hours=1))
    assert sessions.load("t") == {"user": "Ada"}
    shelf.clock.advance(hours=1)
    with (
        shelf.refusals_expected(),
        pytest.raises(
            UnansweredCall, match="there is no value for 't'; there are values for: none"
        ),
    ):
        sessions.load("t")
    shelf.keyed(kinds.SessionStore, missing=LookupError)
    with pytest.raises(LookupError, match="there is no value for 't'"):
        sessions.load("t")


# --- units of work ----------------------------------------------------------------------------------------------------


def test_a_unit_of_work_keeps_what_is_committed(shelf: Shelf, owners: list[Owner]) -> None:
    work = shelf.fake(kinds.UnitOfWork)
    with work:
        work.owners.delete(1)
        work.commit()
        work.owners.delete(2)
        shelf.stock(Berth, 1)  # not through the unit
    assert [o.id for o in shelf.records(Owner)] == [2, 3, 4]
    assert shelf.records(Berth).count() == 1
    with work:
        work.owners.delete(3)
        work.rollback()
        work.owners.delete(4)
        work.commit()
    assert [o.id for o in shelf.records(Owner)] == [2, 3]


def test_a_failed_unit_of_work_leaves_nothing(shelf: Shelf, owners: list[Owner]) -> None:
    work = shelf.fake(kinds.UnitOfWork)

    def fail() -> None:
        with work:
            work.owners.delete(1)
            work.owners.add(replace(owners[0], id=None))
            raise TimeoutError

    with pytest.raises(TimeoutError):
        fail()
    assert list(shelf.records(Owner)) == owners


def test_units_of_work_in_other_forms(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 2)
    work = shelf.fake(kinds.AsyncUnitOfWork)

    async def use() -> None:
        async with work:
            await work.vessels.delete(vessels[0])
        assert shelf.records(Vessel).count() == 2
        async with work as same:
            await same.vessels.delete(vessels[0])
            await same.commit()

    asyncio.run(use())
    assert shelf.records(Vessel).count() == 1
    plain = shelf.fake(kinds.Transactions)
    plain.begin()
    plain.rollback()
    with pytest.raises(UnitRefused, match="Transactions was entered while Transactions is open"):
        plain.begin()
    fresh = shelf.fake(kinds.Transactions, name="fresh")
    with pytest.raises(UnitRefused, match="Transactions 'fresh' cannot commit: it was not entered"):
        fresh.commit()


def test_two_units_over_the_same_records_are_refused(shelf: Shelf) -> None:
    first, second = (
        shelf.fake(kinds.UnitOfWork, name="first"),
        shelf.fake(kinds.UnitOfWork, name="second"),
    )
    with (
        first,
        pytest.raises(UnitRefused, match="'second' was entered while UnitOfWork 'first' is open"),
        second,
    ):
        pass


# --- views ------------------------------------------------------------------------------------------------------------


class Handover:
    """A service that works as the system and as a user."""

    def __init__(self, system: VesselRepository, as_user: VesselRepository) -> None:
        self.system, self.as_user = system, as_user


def test_two_fakes_over_one_shelf_with_different_rights(shelf: Shelf) -> None:
    shelf.stock(Vessel, 2, flag="SE")
    shelf.stock(Vessel, 1, flag="NO")
    shelf.fake(VesselRepository, name="as_user", view=shelf.view(Vessel, flag="SE"))
    office = shelf.furnish(Handover)
    assert len(office.system.list()) == 3
    assert [v.id for v in office.as_user.list()] == [1, 2]
    assert office.as_user.find(3) is None
    with pytest.raises(RecordRefused, match="is not seen from here"):
        office.as_user.save(Vessel(3, "x", "X-1"))
    with pytest.raises(
        InterfaceRefused,
        match=r"view= takes what shelf.view\(…\) gives, not <SELECT \* FROM vessel",
    ):
        shelf.fake(
            VesselRepository, name="third", view=shelf.records(Vessel).where(column("id") > 2)
        )


# --- taught methods ---------------------------------------------------------------------------------------------------


def test_a_taught_method(shelf: Shelf, owners: list[Owner]) -> None:
    @shelf.teach(kinds.Finders.find_youngest)
    def youngest(shelf: Shelf) -> Owner | None:
        return shelf.records(Owner).where().order_by("age").first()

    finders = shelf.fake(kinds.Finders)
    found = finders.find_youngest()
    assert found == owners[0]
    assert ledger_of(finders)[0].answered_by == "taught: youngest"
    shelf.records(Owner).where().remove()
    broken = "promises Owner, but taught: youngest gave None"
    with shelf.refusals_expected(), pytest.raises(ReplyRefused, match=broken):
        finders.find_youngest()
    assert "taught: youngest" in str(shelf.explain(kinds.Finders))
    cue(finders.find_youngest).gives(owners[3])
    assert finders.find_youngest() == owners[3]


def test_teaching_all_kinds_of_methods(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 2)
    held = [1]

    @shelf.teach(kinds.AsyncRepository.get)
    async def get(shelf: Shelf, vessel_id: int) -> Vessel:
        await asyncio.sleep(0)
        return vessels[0]

    @shelf.teach(kinds.AsyncRepository.stream)
    def stream(shelf: Shelf) -> list[Vessel]:
        return list(shelf.records(Vessel))

    first, second = (
        shelf.fake(kinds.Enriched, name="first"),
        shelf.fake(kinds.Enriched, name="second"),
    )

    @shelf.teach(first.total_length)
    def total(shelf: Shelf) -> float:
        return float(shelf.records(Vessel).where().sum("length_m"))

    @shelf.teach(kinds.Enriched.list_summaries)
    def summaries(shelf: Shelf) -> Any:
        return held

    async def use() -> list[Vessel]:
        assert await shelf.fake(kinds.AsyncRepository).get(5) == vessels[0]
        return [vessel async for vessel in shelf.fake(kinds.AsyncRepository).stream()]

    assert asyncio.run(use()) == vessels
    assert first.total_length() == sum(v.length_m for v in vessels)
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        second.total_length()
    broken = r"promises list\[str\], but taught: summaries gave \[1\]"
    with shelf.refusals_expected(), pytest.raises(ReplyRefused, match=broken):
        second.list_summaries()


@pytest.mark.parametrize(
    ("method", "function", "complaint"),
    [
        (
            kinds.Finders.find_by_email,
            lambda shelf: None,
            r"it needs the parameters   \(shelf, email\)",
        ),
        (kinds.Finders.find_by_email, 5, "decorates a function"),
        (
            5,
            lambda shelf: None,
            "takes a method of an interface, such as BerthRepository.get, not 5",
        ),
    ],
)
def test_a_lesson_must_fit_its_method(
    shelf: Shelf, method: Any, function: Any, complaint: str
) -> None:
    with pytest.raises(CueRefused, match=complaint):
        shelf.teach(method)(function)


def test_an_explanation_is_a_table_to_read(shelf: Shelf) -> None:
    explanation = shelf.explain(kinds.Flagged)
    assert str(explanation).splitlines()[:3] == [
        "Flagged",
        "  list_in_service() -> list[Berth]",
        "      SELECT * FROM berth WHERE in_service = TRUE ORDER BY id",
    ]
    assert len(explanation) == 3
    assert [e.read_as != "" for e in explanation[:2]] == [True, True]
    told = str(shelf.explain(kinds.Enriched))
    assert "cue it, or teach it: @shelf.teach(Enriched.find_nearest)" in told


class Scales(Protocol):
    def get(self, key: int) -> kinds.Chart | None: ...


def test_a_key_that_was_told_is_read(shelf: Shelf) -> None:
    fake = shelf.fake(kinds.TextKeys)
    shelf.stock(kinds.Chart("north", 5))
    assert fake.get("north").scale == 5
    other = Shelf()
    other.define(kinds.Chart, key="scale")
    other.stock(kinds.Chart("north", 5))
    [told] = other.explain(Scales)
    assert told.read_as == "SELECT * FROM chart WHERE scale = :key"
    assert other.fake(Scales).get(5) == kinds.Chart("north", 5)


# --- clocks -----------------------------------------------------------------------------------------------------------


class HarbourClock(Protocol):
    def now(self, tz: tzinfo | None = None) -> datetime: ...
    def today(self) -> date: ...
    def time(self) -> float: ...
    def timestamp(self) -> int: ...
    def sleep(self, seconds: float) -> None: ...
    def next_tide(self) -> datetime: ...


class AsyncSleeper(Protocol):
    async def sleep(self, delay: timedelta) -> None: ...


def test_a_clock_interface_is_the_shelfs_clock(shelf: Shelf) -> None:
    clock = shelf.fake(HarbourClock)
    start = datetime(2030, 6, 1, 12, tzinfo=UTC)
    assert (clock.now(), clock.today(), clock.time()) == (
        start,
        date(2030, 6, 1),
        start.timestamp(),
    )
    clock.sleep(90)
    asyncio.run(shelf.fake(AsyncSleeper).sleep(timedelta(seconds=30)))
    assert clock.now() == start + timedelta(minutes=2)
    assert clock.now(timezone(timedelta(hours=2))).hour == 14
    assert (
        shelf.clock.set(datetime(2031, 1, 1, tzinfo=timezone(timedelta(hours=1)))) == shelf.clock()
    )
    assert clock.timestamp() == int(datetime(2030, 12, 31, 23, tzinfo=UTC).timestamp())
    assert repr(shelf.clock) == "<clock at 2031-01-01T00:00:00+01:00>"
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        clock.next_tide()


class Station(Protocol):
    @property
    def now(self) -> datetime: ...
    @property
    def next_tide(self) -> datetime: ...


class UtcClock(Protocol):
    def __call__(self) -> datetime: ...


class NextTide(Protocol):
    def __call__(self) -> datetime: ...


def today() -> date: ...


class Watch:
    def __init__(
        self, now: Callable[[], datetime], pause: Callable[[float], Awaitable[None]]
    ) -> None:
        self.now, self.pause = now, pause


def test_whatever_tells_the_time_is_the_shelfs_clock(shelf: Shelf) -> None:
    watch = shelf.furnish(Watch)
    asyncio.run(watch.pause(90.0))  # type: ignore[arg-type]
    later = datetime(2030, 6, 1, 12, 1, 30, tzinfo=UTC)
    assert watch.now() == shelf.fake(UtcClock)() == shelf.fake(Station).now == later
    assert shelf.fake(today)() == date(2030, 6, 1)
    with shelf.refusals_expected():
        with pytest.raises(UnansweredCall):
            shelf.fake(NextTide)()
        with pytest.raises(UnansweredCall):
            _ = shelf.fake(Station).next_tide


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (lambda c: c.set("noon"), r"shelf.clock.set\('noon'\): give a datetime, as datetime\(2031"),
        (lambda c: c.advance(seconds=-1), "a clock runs forwards"),
        (
            lambda c: c.advance(fortnights=1),
            r"clock.advance\(fortnights=1\): give a timedelta, or days=",
        ),
        (lambda c: c.advance(5), r"clock.advance\(5\): give a timedelta"),
    ],
)
def test_a_clock_is_not_told_nonsense(
    shelf: Shelf, wrong: Callable[[Any], Any], complaint: str
) -> None:
    with pytest.raises(ClockRefused, match=complaint):
        wrong(shelf.clock)


# --- the command ------------------------------------------------------------------------------------------------------


def test_urnshelf_explain(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["explain", "urnshelf.demo.harbour:MooringRegister"]) == 0
    told = capsys.readouterr().out
    assert "MooringRegister: 7 of 7 methods need no cue" in told
    assert re.search(
        r"get\(mooring_id: int\) -> Mooring +SELECT \* FROM mooring WHERE id = :mooring_id", told
    )
    assert main(["explain", "repositories:GenericRepository[Owner, int]"]) == 0
    assert "GenericRepository[Owner, int]: 8 of 8 methods need no cue" in capsys.readouterr().out
    assert main(["explain", "repositories:Enriched"]) == 0
    assert "not read: the word 'nearest' of its name is not accounted for; cue it" in " ".join(
        capsys.readouterr().out.split()
    )


@pytest.mark.parametrize(
    ("what", "complaint"),
    [
        ("repositories:Nothing", "repositories has no 'Nothing'"),
        ("repositories", "a type is named as MODULE:NAME"),
        ("repositories:Finders[int]", "is not a generic class"),
        ("builtins:int", "cannot fake"),
    ],
)
def test_urnshelf_explain_refuses(
    capsys: pytest.CaptureFixture[str], what: str, complaint: str
) -> None:
    assert main(["explain", what]) == 2
    assert complaint in capsys.readouterr().err


@dataclass
class Lamp:
    code: str


class Lamps(Protocol):
    def find_by_code(self, code: str) -> Lamp | None: ...
    def find_by_code_ignore_case(self, code: str) -> Lamp | None: ...


def test_a_key_without_regard_to_case(shelf: Shelf) -> None:
    shelf.define(Lamp, key="code")
    shelf.stock(Lamp("L-7"))
    lamps = shelf.fake(Lamps)
    assert lamps.find_by_code("l-7") is None
    assert lamps.find_by_code_ignore_case("l-7") == Lamp("L-7")


@dataclass
class Wharf:
    id: int


class Wharfs(Protocol):
    def save(self, berth: Berth) -> None: ...
    def list(self) -> list[Berth]: ...


def test_a_type_that_no_method_mentions_is_only_called_like_the_interface(shelf: Shelf) -> None:
    wharfs = shelf.fake(Wharfs)
    berth = shelf.urn.draw(Berth)
    wharfs.save(berth)
    assert wharfs.list() == [berth]
