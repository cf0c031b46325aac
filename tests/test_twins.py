"""The twin check: what differs between a fake and what it stands for is found, made small and told
in lines that run.
"""

from __future__ import annotations

import asyncio
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import AsyncIterator, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass, field, replace
from datetime import timedelta
from pathlib import Path
from typing import Any, Protocol

import cachelib
import psycopg
import pytest
from key_value.aio.protocols.key_value import AsyncKeyValue
from key_value.aio.stores.memory import MemoryStore
from sqlalchemy import ForeignKey, create_engine, event, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column

import harbour_in_postgres
from twin_adaptors import MORE, PLANTED, MooringBook, SqliteBook, arrange, over, reusing_keys
from urnshelf import Shelf, TwinRefused, rules
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringRegister,
    MooringUnknown,
    TideService,
    Vessel,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.sqlite import (
    SqliteBerths,
    SqliteMoorings,
    SqliteVessels,
    fresh_harbour,
    fresh_register,
    open_harbour,
)
from urnshelf.twins import Again, Checked, Twin

PORTS = (VesselRepository, BerthRepository, MooringRegister)


def states(checked: Checked) -> dict[str, str]:
    return {one.method.partition(".")[2]: one.state for one in checked.methods}


def code_of(report: str) -> str:
    """The lines of a report that can be run."""
    lines = report.split("\n\n", 1)[1].split("    steps(")[0].split("    await steps(")[0]
    return "\n".join(line[4:] for line in lines.splitlines())


def steps_of(report: str) -> Any:
    space: dict[str, Any] = {}
    exec(code_of(report), space)
    return space["steps"]


def outcome(work: Any, *given: Any) -> Any:
    try:
        return work(*given)
    except Exception as error:
        return type(error)


# --- what was planted -----------------------------------------------------------------------------


@pytest.mark.parametrize("name", PLANTED)
def test_what_an_adaptor_does_otherwise_is_found_and_its_lines_show_it(name: str) -> None:
    interface, real, said = PLANTED[name]
    [report] = Twin(interface, real=real, arrange=arrange).check().differences
    assert said in report.splitlines()[0]
    steps = steps_of(report)
    body = re.findall(r"^    (?![\w ]+ = [A-Z]\w+\()\w.*", code_of(report), re.MULTILINE)
    assert len(body) <= 5, body  # and one gives back what differs
    shelf = Shelf()
    arrange(shelf)
    made = iter(real())
    assert outcome(steps, shelf.fake(interface)) != outcome(steps, next(made))
    assert next(made, None) is None


@pytest.mark.parametrize("name", MORE)
def test_other_things_that_adaptors_do_otherwise(name: str) -> None:
    interface, real, said = MORE[name]
    report, *_ = Twin(interface, real=real, arrange=arrange).check().differences
    assert said in report.splitlines()[0]


def test_clean_adaptors_have_no_report() -> None:
    assert not Twin(MooringBook, real=over(SqliteBook), arrange=arrange).check().differences
    checked = Twin(*PORTS, real=fresh_harbour, arrange=arrange, sequences=100).check()
    assert not checked.differences
    assert set(states(checked).values()) == {"confirmed"}


def test_the_advice_settles_what_differs() -> None:
    told = Twin(MooringRegister, real=fresh_register).check()
    lines = [line.strip() for one in told.differences for line in one.splitlines()]
    advice = [line for line in lines if line.startswith(("shelf.define", "from sqlite3"))]
    assert sorted(set(advice)) == [
        "from sqlite3 import IntegrityError",
        "shelf.define(Mooring, duplicate=IntegrityError)",
        "shelf.define(Mooring, missing=MooringUnknown)",
    ]

    def settled(shelf: Shelf) -> None:
        exec(
            "from sqlite3 import IntegrityError\n"
            "shelf.define(Mooring, duplicate=IntegrityError, missing=MooringUnknown)",
            {"shelf": shelf, "Mooring": Mooring, "MooringUnknown": MooringUnknown},
        )

    assert not Twin(MooringRegister, real=fresh_register, arrange=settled).check().differences


@pytest.mark.parametrize("name", ["case", "delete of a missing one", "duplicate overwrites"])
def test_a_fake_that_is_taught_as_advised_is_like_the_real_one(name: str) -> None:
    interface, real, _ = PLANTED[name]
    [report] = Twin(interface, real=real, arrange=arrange).check().differences
    lesson = report[report.index("    @shelf.teach") :]
    lines = "\n".join(line[4:] for line in lesson.splitlines() if line.startswith("    "))

    def taught(shelf: Shelf) -> None:
        arrange(shelf)
        space = {one.__name__: one for one in (MooringBook, VesselRepository, Mooring, Vessel)}
        exec(f"from urnshelf import column\n{lines}", {**space, "shelf": shelf})

    assert not Twin(interface, real=real, arrange=taught, sequences=60).check().differences


def test_options_settle_what_nobody_relies_on() -> None:
    interface, order, _ = PLANTED["order"]
    checked = Twin(
        interface, real=order, arrange=arrange, any_order=[MooringBook.find_by_vessel_id]
    ).check()
    assert not checked.differences
    interface, days, _ = PLANTED["a field not saved"]
    checked = Twin(interface, real=days, arrange=arrange, except_fields=["Mooring.days"]).check()
    assert not checked.differences
    interface, half, _ = PLANTED["float32"]
    checked = Twin(interface, real=half, arrange=arrange, tolerance=1e-6).check()
    assert not checked.differences
    interface, counting, _ = PLANTED["counts deleted"]
    checked = Twin(interface, real=counting, arrange=arrange, except_methods=["count"]).check()
    assert not checked.differences
    assert states(checked)["count"] == "not compared"


# --- one cause, one report ------------------------------------------------------------------------


class Lossy(SqliteBook):
    """Loses three fields as it saves, and forgets nothing else."""

    def save(self, mooring: Mooring) -> None:
        if mooring.id is not None and self.exists(mooring.id):
            known = self.get(mooring.id)
            mooring = replace(mooring, days=known.days, dues=known.dues, state=known.state)
        super().save(mooring)


def test_fields_that_the_same_write_loses_are_one_report() -> None:
    checked = Twin(MooringBook, real=over(Lossy), arrange=arrange).check()
    report, *_ = checked.differences
    assert all(f"Mooring.{name}" in report.splitlines()[0] for name in ("days", "dues", "state"))
    assert "a defect of MooringBook.save" in " ".join(report.split())


class Two(SqliteBook):
    def count(self) -> int:
        return super().count() + 1

    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        return super().find_by_vessel_id(vessel_id)[:1]


def test_two_causes_are_two_reports() -> None:
    checked = Twin(MooringBook, real=over(Two), arrange=arrange, except_methods=[]).check
    with pytest.raises(TwinRefused, match=r"not empty from the start: MooringBook.count\(\) gives"):
        checked()

    class Later(Two):
        def count(self) -> int:
            found = len(self._where("1 = ?", 1))
            return found + (found > 1)

    told = Twin(MooringBook, real=over(Later), arrange=arrange).check()
    heads = [one.splitlines()[0] for one in told.differences]
    assert len(heads) == 2
    assert {one.partition(":")[0] for one in heads} == {
        "MooringBook.count", "MooringBook.find_by_vessel_id"
    }  # fmt: skip
    numbers = {one.method: one.reports for one in told.methods if one.reports}
    assert sorted(numbers.values()) == [(1,), (2,)]


# --- several interfaces, units of work ------------------------------------------------------------


@contextmanager
def constrained() -> Iterator[tuple[SqliteVessels, SqliteBerths, SqliteMoorings]]:
    """A database that refuses moorings of vessels that it does not know."""
    with closing(open_harbour()) as connection:
        connection.executescript(
            "PRAGMA foreign_keys = ON; DROP TABLE mooring; CREATE TABLE mooring (id INTEGER PRIMARY"
            " KEY AUTOINCREMENT, vessel_id INTEGER NOT NULL REFERENCES vessel (id) ON DELETE"
            " RESTRICT, berth_id INTEGER NOT NULL, arrival TEXT NOT NULL, days INTEGER NOT NULL,"
            " depth_at_arrival_m REAL NOT NULL, dues TEXT NOT NULL, state TEXT NOT NULL);"
        )
        yield Keeping(connection), SqliteBerths(connection), SqliteMoorings(connection)


class Keeping(SqliteVessels):
    def save(self, vessel: Vessel) -> None:
        with self._connection:
            self._connection.execute("PRAGMA defer_foreign_keys = ON")
            self._connection.execute("DELETE FROM vessel WHERE id = ?", (vessel.id,))
            super().save(vessel)


def test_references_that_the_real_one_holds_are_told_and_then_respected() -> None:
    told = Twin(*PORTS, real=constrained, arrange=arrange).check()
    assert 'shelf.define(Mooring, references={"vessel_id": Vessel})' in str(told)

    def settled(shelf: Shelf) -> None:
        import sqlite3

        shelf.define(
            Mooring, missing=MooringUnknown, duplicate=sqlite3.IntegrityError,
            references={"vessel_id": Vessel},
        )  # fmt: skip
        shelf.define(Berth, missing=BerthUnknown)

    checked = Twin(*PORTS, real=constrained, arrange=settled).check()
    assert not checked.differences, checked
    taken = {one.method: (one.taken, one.raised) for one in checked.methods}
    assert min(taken["MooringRegister.add"]) > 20  # stored, and refused


class Unit(Protocol):
    moorings: MooringBook

    def __enter__(self) -> Unit: ...
    def __exit__(self, *error: object) -> None: ...
    def commit(self) -> None: ...
    def rollback(self) -> None: ...


class Within(SqliteBook):
    """Commits nothing by itself."""

    def add(self, mooring: Mooring) -> Mooring:
        commits = self._connection.isolation_level
        try:
            return _added(self._connection, mooring)
        finally:
            assert commits is not None

    def save(self, mooring: Mooring) -> None:
        self._connection.execute("DELETE FROM mooring WHERE id = ?", (mooring.id,))
        self.add(mooring)

    def delete(self, mooring_id: int) -> None:
        gone = self._connection.execute("DELETE FROM mooring WHERE id = ?", (mooring_id,)).rowcount
        if not gone:
            raise MooringUnknown(f"no mooring has the number {mooring_id}")


def _added(connection: Any, mooring: Mooring) -> Mooring:
    values = (
        mooring.id, mooring.vessel_id, mooring.berth_id, mooring.arrival.isoformat(), mooring.days,
        mooring.depth_at_arrival_m, str(mooring.dues), mooring.state.value,
    )  # fmt: skip
    cursor = connection.execute("INSERT INTO mooring VALUES (?, ?, ?, ?, ?, ?, ?, ?)", values)
    mooring.id = cursor.lastrowid
    return mooring


class SqliteUnit:
    keeps_all = False

    def __init__(self, connection: Any) -> None:
        self._connection = connection

    def __enter__(self) -> SqliteUnit:
        self.moorings = Within(self._connection)
        return self

    def __exit__(self, *error: object) -> None:
        if self.keeps_all:
            self._connection.commit()
        self._connection.rollback()

    def commit(self) -> None:
        self._connection.commit()

    def rollback(self) -> None:
        self._connection.rollback()


class KeepsAll(SqliteUnit):
    keeps_all = True


def test_units_of_work_commit_and_roll_back_in_both() -> None:
    checked = Twin(Unit, real=over(SqliteUnit), arrange=arrange).check()
    assert not checked.differences, checked
    assert states(checked)["rollback"] == "confirmed"
    told = Twin(Unit, real=over(KeepsAll), arrange=arrange).check()
    assert "with unit:" in told.differences[0]
    assert "unit.commit()" not in told.differences[0]


# --- values by key, async, streams, filters -------------------------------------------------------


class Lamps(Protocol):
    def get(self, key: str) -> str | None: ...
    def set(self, key: str, value: str, ttl: int | None = None) -> None: ...
    def delete(self, key: str) -> None: ...


@dataclass
class Board:
    late_s: float = 0.0
    now_s: float = 0.0
    values: dict[str, tuple[str, float]] = field(default_factory=dict)

    def get(self, key: str) -> str | None:
        value, until = self.values.get(key, (None, 0.0))
        return value if until + self.late_s > self.now_s else None

    def set(self, key: str, value: str, ttl: int | None = None) -> None:
        self.values[key] = (value, float("inf") if ttl is None else self.now_s + ttl)

    def delete(self, key: str) -> None:
        self.values.pop(key, None)


def advance(board: Board, span: timedelta) -> None:
    board.now_s += span.total_seconds()


def test_values_expire_in_both_where_the_real_clock_can_be_moved() -> None:
    checked = Twin(Lamps, real=Board, advance=advance).check()
    assert not checked.differences
    assert set(states(checked).values()) == {"confirmed"}
    [report] = Twin(Lamps, real=lambda: Board(late_s=31), advance=advance).check().differences
    shelf, board = Shelf(), Board(late_s=31)
    steps = steps_of(report)
    assert steps(shelf.fake(Lamps), shelf.clock.advance) is None
    assert steps(board, lambda span: advance(board, span)) is not None
    assert not Twin(Lamps, real=lambda: Board(late_s=31)).check().differences  # nothing expires


class Watch(Protocol):
    async def save(self, vessel: Vessel) -> None: ...
    async def get(self, vessel_id: int) -> Vessel | None: ...
    def stream_by_flag(self, flag: str) -> AsyncIterator[Vessel]: ...
    async def find(self, **filters: object) -> list[Vessel]: ...
    async def count(self) -> int: ...


class Memory:
    def __init__(self) -> None:
        self.vessels: dict[int, Vessel] = {}

    async def save(self, vessel: Vessel) -> None:
        self.vessels[vessel.id] = replace(vessel)

    async def get(self, vessel_id: int) -> Vessel | None:
        await asyncio.sleep(0)
        found = self.vessels.get(vessel_id)
        return replace(found) if found else None

    async def stream_by_flag(self, flag: str) -> AsyncIterator[Vessel]:
        for _, one in sorted(self.vessels.items()):
            if one.flag == flag:
                yield replace(one)

    async def find(self, **filters: object) -> list[Vessel]:
        found = [replace(one) for _, one in sorted(self.vessels.items())]
        return [one for one in found if all(getattr(one, n) == v for n, v in filters.items())]

    async def count(self) -> int:
        return len(self.vessels)


async def memory() -> Memory:
    return Memory()


class Hurried(Memory):
    async def find(self, **filters: object) -> list[Vessel]:
        return await super().find(**dict(list(filters.items())[:1]))


def test_async_methods_streams_and_filters_by_keyword() -> None:
    checked = Twin(Watch, real=memory).check()
    assert not checked.differences, checked
    assert set(states(checked).values()) == {"confirmed"}
    [report] = Twin(Watch, real=Hurried).check().differences
    assert "Watch.find" in report.splitlines()[0]
    assert "await watch.find(**{" in report

    async def within_a_loop() -> Checked:
        return Twin(Watch, real=memory, sequences=10).check()

    assert not asyncio.run(within_a_loop()).differences


@dataclass(frozen=True)
class QuaySpec:
    harbour: str | None = None
    min_depth_m: float | None = None


class Quays(Protocol):
    def save(self, berth: Berth) -> None: ...
    def matching(self, spec: QuaySpec) -> list[Berth]: ...
    def list_by(self, filters: dict[str, object]) -> list[Berth]: ...
    def iterate(self) -> Iterator[Berth]: ...


class ListedQuays:
    too_deep = 0.0

    def __init__(self) -> None:
        self.berths: dict[int, Berth] = {}

    def save(self, berth: Berth) -> None:
        self.berths[berth.id] = replace(berth)

    def matching(self, spec: QuaySpec) -> list[Berth]:
        def fits(one: Berth) -> bool:
            least = spec.min_depth_m
            is_deep = least is None or one.depth_m >= least + self.too_deep
            return is_deep and spec.harbour in (None, one.harbour)

        return [one for one in self.iterate() if fits(one)]

    def list_by(self, filters: dict[str, object]) -> list[Berth]:
        return [
            one
            for one in self.iterate()
            if all(getattr(one, name) == value for name, value in filters.items())
        ]

    def iterate(self) -> Iterator[Berth]:
        return iter([replace(one) for _, one in sorted(self.berths.items())])


class DeepQuays(ListedQuays):
    too_deep = 0.1


class QuaysAsTuples(ListedQuays):
    def matching(self, spec: QuaySpec) -> Any:
        return tuple(super().matching(spec))

    def list_by(self, filters: dict[str, object]) -> Any:
        return iter(super().list_by(filters))

    def save(self, berth: Berth) -> None:
        if berth.code == "":
            sys.exit("no code")
        super().save(berth)


def test_collections_of_another_kind_and_a_real_one_that_ends_the_process() -> None:
    told = Twin(Quays, real=QuaysAsTuples).check().differences
    assert sorted(one.splitlines()[0] for one in told) == [
        "Quays.list_by: the result differs",
        "Quays.matching: the result differs",
        "Quays.save: only the real one raises SystemExit",
    ]


def test_specifications_filters_and_iterators() -> None:
    checked = Twin(Quays, real=ListedQuays).check()
    assert not checked.differences, checked
    assert set(states(checked).values()) == {"confirmed"}
    [report] = Twin(Quays, real=DeepQuays).check().differences
    assert report.startswith("Quays.matching: the real one gives less")
    assert "QuaySpec(min_depth_m=" in report


# --- a mapper's session ---------------------------------------------------------------------------


class Tables(DeclarativeBase):
    pass


class Quay(Tables):
    __tablename__ = "quay"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)


class Place(Tables):
    __tablename__ = "place"
    id: Mapped[int] = mapped_column(primary_key=True)
    quay_id: Mapped[int] = mapped_column(ForeignKey("quay.id"))
    is_open: Mapped[bool] = mapped_column(default=True)


class QuayBook(Protocol):
    def add(self, quay: Quay) -> Quay: ...
    def get(self, quay_id: int) -> Quay | None: ...
    def find_by_name(self, name: str) -> Quay | None: ...


class Places(Protocol):
    def add(self, place: Place) -> Place: ...
    def list_open(self) -> list[Place]: ...
    def list_by_quay_id(self, quay_id: int) -> list[Place]: ...


class InSession:
    def __init__(self, session: Session) -> None:
        self.session = session

    def add(self, record: Any) -> Any:
        with self.session.begin_nested():
            self.session.add(record)
        return record

    def get(self, quay_id: int) -> Quay | None:
        return self.session.get(Quay, quay_id)

    def find_by_name(self, name: str) -> Quay | None:
        return self.session.scalars(select(Quay).where(Quay.name == name)).first()

    def list_open(self) -> list[Place]:
        return list(self.session.scalars(select(Place).where(Place.is_open).order_by(Place.id)))

    def list_by_quay_id(self, quay_id: int) -> list[Place]:
        wanted = select(Place).where(Place.quay_id == quay_id).order_by(Place.id)
        return list(self.session.scalars(wanted))


def in_a_session() -> Iterator[tuple[InSession, InSession]]:
    engine = create_engine("sqlite://")
    event.listen(engine, "connect", lambda one, _: one.execute("PRAGMA foreign_keys = ON"))
    Tables.metadata.create_all(engine)
    with Session(engine) as session:
        yield InSession(session), InSession(session)
    engine.dispose()


def test_a_session_of_a_mapper_and_what_its_repositories_do_otherwise() -> None:
    told = str(Twin(QuayBook, Places, real=in_a_session).check())
    duplicate = "duplicate=lambda record_type, key, message: IntegrityError(message, None, None))"
    assert f"shelf.define(Quay, {duplicate}" in told
    assert 'shelf.define(Place, references={"quay_id": Quay})' in told
    assert "assigns=False" in told  # its objects are the very ones that it keeps

    def arrange(shelf: Shelf) -> None:
        def taken(record_type: type, key: object, message: str) -> Exception:
            return IntegrityError(message, None, Exception(message))

        shelf.define(Quay, duplicate=taken, unique=["name"])
        shelf.define(Place, duplicate=taken, references={"quay_id": Quay})

    checked = Twin(QuayBook, Places, real=in_a_session, arrange=arrange, assigns=False).check()
    # what is added once more is there already, and that is all right with a session
    heads = [one.splitlines()[0] for one in checked.differences]
    assert sorted(heads) == [
        "Places.add: only the fake raises IntegrityError",
        "QuayBook.add: only the fake raises IntegrityError",
    ]
    rest = {name: state for name, state in states(checked).items() if name != "add"}
    assert set(rest.values()) == {"confirmed"}


# --- real parts of others -------------------------------------------------------------------------


def in_files() -> Iterator[cachelib.FileSystemCache]:
    folder = tempfile.mkdtemp()
    yield cachelib.FileSystemCache(folder, default_timeout=0)
    shutil.rmtree(folder)


CACHE = {
    "get": "confirmed", "delete": "confirmed", "get_many": "confirmed", "get_dict": "confirmed",
    "set": "confirmed", "add": "confirmed", "set_many": "not compared",
    "delete_many": "not compared", "has": "confirmed", "clear": "confirmed", "inc": "confirmed",
    "dec": "confirmed",
}  # fmt: skip


def test_a_published_cache_in_memory_and_in_files() -> None:
    in_memory = Twin(
        cachelib.BaseCache, real=lambda: cachelib.SimpleCache(default_timeout=0)
    ).check()
    assert not in_memory.differences, in_memory
    assert states(in_memory) == CACHE
    filed = Twin(cachelib.BaseCache, real=in_files, sequences=100).check()
    # of a key that is not there it says that it deleted it
    [report] = filed.differences
    assert report.startswith("BaseCache.delete: the result differs")
    assert {name for name, state in states(filed).items() if state == "differs"} == {"delete"}


def test_a_published_key_value_interface() -> None:
    checked = Twin(AsyncKeyValue, real=MemoryStore, sequences=100).check()
    assert not checked.differences, checked
    confirmed = [name for name, state in states(checked).items() if state == "confirmed"]
    assert confirmed == ["get", "put", "delete", "get_many", "put_many", "delete_many"]


@pytest.mark.skipif("URNSHELF_POSTGRES" not in os.environ, reason="no PostgreSQL is told of")
def test_postgresql() -> None:
    url = os.environ["URNSHELF_POSTGRES"].replace("+psycopg", "")

    def told(shelf: Shelf) -> None:
        shelf.define(Mooring, missing=MooringUnknown, duplicate=psycopg.errors.UniqueViolation)
        shelf.define(Berth, missing=BerthUnknown)

    with harbour_in_postgres.harbour_at(url) as connection:

        def rolled_back() -> Iterator[Any]:
            with connection.transaction(force_rollback=True):
                yield (
                    harbour_in_postgres.PostgresVessels(connection),
                    harbour_in_postgres.PostgresBerths(connection),
                    harbour_in_postgres.PostgresMoorings(connection),
                )

        checked = Twin(*PORTS, real=rolled_back, arrange=told, sequences=100).check()
    # its keys go on from sequence to sequence: which is whose is learnt
    assert not checked.differences, checked
    assert set(states(checked).values()) == {"confirmed"}


# --- the same everywhere --------------------------------------------------------------------------


def test_four_hash_seeds_give_the_same_text() -> None:
    code = (
        "from twin_adaptors import *\nfrom urnshelf.twins import Twin\n"
        "for name in ('stale index', 'order'):\n"
        "    interface, real, _ = PLANTED[name]\n"
        "    print(Twin(interface, real=real, arrange=arrange, sequences=40).check())\n"
    )
    texts = set()
    for seed in "0123":
        environment = {
            **os.environ,
            "PYTHONHASHSEED": seed,
            "PYTHONPATH": str(Path(__file__).parent),
        }
        run = subprocess.run(
            [sys.executable, "-c", code],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
        texts.add(run.stdout)
    assert len(texts) == 1
    assert "2. " not in texts.pop()


# --- what cannot be checked -----------------------------------------------------------------------


class Siren(Protocol):
    def howl(self, loudness: int) -> str: ...


class Loud:
    def howl(self, loudness: int) -> str:
        return "o" * max(0, loudness)


def test_an_interface_of_which_nothing_is_read_is_refused_not_passed() -> None:
    with pytest.raises(TwinRefused, match="no method is read") as refused:
        Twin(Siren, real=Loud)
    assert "Siren.howl: not read: nothing in its promise" in str(refused.value)

    def taught(shelf: Shelf) -> None:
        @shelf.teach(Siren.howl)
        def howl(shelf: Shelf, loudness: int) -> str:
            return "o" * max(0, loudness)

    checked = Twin(Siren, real=Loud, arrange=taught).check()
    assert not checked.differences


def test_what_is_lacking_or_wrong_is_said_with_what_to_do() -> None:
    with pytest.raises(TwinRefused, match=r"real=SqliteMoorings needs connection: .*=lambda: "):
        Twin(MooringRegister, real=SqliteMoorings)
    with pytest.raises(TwinRefused, match=r"real=7: give a function that makes a fresh one"):
        Twin(MooringRegister, real=7)  # type: ignore[arg-type]
    with pytest.raises(TwinRefused, match=r"real could not make one: ZeroDivisionError"):
        Twin(MooringRegister, real=lambda: 1 / 0).check()
    with pytest.raises(TwinRefused, match="which is no MooringRegister: it has no method 'add'"):
        Twin(MooringRegister, real=Board).check()
    with pytest.raises(TwinRefused, match="it must give a tuple of one object each"):
        Twin(*PORTS, real=fresh_register).check()
    with pytest.raises(TwinRefused, match=r"except_fields=\['colour'\]: no record has it"):
        Twin(MooringRegister, real=fresh_register, except_fields=["colour"])
    with pytest.raises(TwinRefused, match="give a list of methods"):
        Twin(MooringRegister, real=fresh_register, any_order=MooringRegister.all)
    with pytest.raises(TwinRefused, match=r"any_order=\[al\]: no such method; did you mean 'all'"):
        Twin(MooringRegister, real=fresh_register, any_order=["al"])
    with pytest.raises(TwinRefused, match="give the interface"):
        Twin(real=fresh_register)


def test_a_store_that_is_not_fresh_is_refused() -> None:
    with closing(open_harbour()) as connection:
        shared = SqliteMoorings(connection)
        with pytest.raises(TwinRefused, match=r"not empty from the start: \w+.all\(\) gives"):
            Twin(MooringRegister, real=lambda: shared, arrange=arrange).check()


class Sleepy(SqliteBook):
    def count(self) -> int:
        time.sleep(60)
        return 0


def test_a_call_that_does_not_come_back_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("urnshelf.twins.fresh.CALL_SECONDS", 0.2)
    with pytest.raises(TwinRefused, match=r"MooringBook.count did not come back within"):
        Twin(MooringBook, real=over(Sleepy), arrange=arrange).check()


def test_when_time_is_up_what_was_done_is_told() -> None:
    checked = Twin(*PORTS, real=fresh_harbour, arrange=arrange, seconds=0.05).check()
    assert checked.sequences < 200
    assert "of 200: the time was up" in checked.heading


class Dice(SqliteBook):
    thrown = 0

    def get(self, mooring_id: int) -> Mooring:
        Dice.thrown += 1
        return replace(super().get(mooring_id), days=Dice.thrown)


def test_a_real_one_that_differs_from_itself_is_told() -> None:
    [report] = Twin(MooringBook, real=over(Dice), arrange=arrange).check().differences
    assert "the real one differs from itself" in report.splitlines()[0]
    assert 'except_fields=["Mooring.days"]' in report


class Once(SqliteBook):
    gone = False

    def count(self) -> int:
        found = super().count()
        if found and not Once.gone:
            Once.gone = True
            return found + 1
        return found


def test_a_difference_that_does_not_come_again_is_told_all_the_same() -> None:
    [report] = Twin(MooringBook, real=over(Once), arrange=arrange).check().differences
    assert report.startswith("MooringBook.count: the real one differs from itself")


def test_rules_hold_for_what_is_drawn() -> None:
    seen: set[int] = set()

    class Noting(SqliteBook):
        def add(self, mooring: Mooring) -> Mooring:
            seen.add(mooring.days)
            return super().add(mooring)

    told = {Mooring: {"days": rules.between(3, 5)}}
    Twin(MooringBook, real=over(Noting), arrange=arrange, rules=told, sequences=40).check()
    assert seen == {3, 4, 5}


def test_keys_that_are_given_again_after_a_delete_are_found() -> None:
    [report] = Twin(MooringBook, real=reusing_keys, arrange=arrange).check().differences
    assert 'except_fields=["Mooring.id"]' in report


# --- replies that were kept -----------------------------------------------------------------------


class Gauge:
    depth_m = 6.3
    silent = False

    def depth_at(self, harbour: str, at: Any) -> float:
        if self.silent:
            raise TimeoutError("the gauge is silent")
        return self.depth_m


def test_kept_replies_are_checked_against_the_real_one_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from datetime import UTC, datetime

    file = tmp_path / "tides.jsonl"
    with Shelf() as shelf:
        tides = shelf.fake(TideService, over=Gauge(), keep_in=file)
        for harbour in ("Ternhythe", "Curlhythe"):
            tides.depth_at(harbour, datetime(2030, 6, 1, 12, tzinfo=UTC))
    assert str(Again(TideService, file, Gauge).check()) == (
        "tides.jsonl: nothing has changed since (2 calls made once more)"
    )
    monkeypatch.setattr(Gauge, "depth_m", 6.1)
    changed = Again(TideService, file, Gauge).check()
    assert changed.differences[0] == (
        "TideService.depth_at(harbour='Curlhythe', at='2030-06-01T12:00:00+00:00')\n"
        "    kept 6.3\n    now  6.1"
    )
    monkeypatch.setattr(Gauge, "silent", True)
    silent = Again(TideService, file, Gauge).check()
    assert "now  raises TimeoutError('the gauge is silent')" in str(silent)
