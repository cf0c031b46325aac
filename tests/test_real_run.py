"""`--urnshelf-real`: the same tests over the real adaptors; what cannot be carried over is skipped,
with the reason. And the command `urnshelf twin`, and the fixture.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from urnshelf.cli.main import main

HEAD = """
from datetime import UTC, datetime
from decimal import Decimal
import sqlite3
import pytest
from urnshelf import Shelf, cue, raising, tally, unseen, whatever
from urnshelf.demo.harbour import *
NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
"""
CONFTEST = """
from urnshelf.demo.harbour import *
from urnshelf.demo.harbour.adaptors.sqlite import fresh_harbour
real_adaptors = {(VesselRepository, BerthRepository, MooringRegister): fresh_harbour}
"""
OVER_BOTH = """
def test_moor(shelf):
    shelf.stock(Berth, 3, harbour="Ternhythe", length_m=90.0, in_service=True)
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007"))
    desk = shelf.furnish(MooringDesk)
    cue(shelf.fake(TideService).depth_at).gives(raising(GaugeSilent()), 6.3)
    mooring = desk.moor(vessel_id=7, arrival=NOON)
    moorings = shelf.records(Mooring)
    assert moorings.get(mooring.id) == mooring
    assert moorings.where(vessel_id=7).count() == 1
    register = shelf.fake(MooringRegister)
    assert tally(register.add) == 1
    assert not unseen(register)
    assert mooring.berth_id in {one.id for one in shelf.records(Berth)}

def test_what_the_service_writes_is_read_back(shelf):
    [mooring] = shelf.stock(Mooring, 1, id=None)
    register = shelf.fake(MooringRegister)
    register.delete(mooring.id)
    assert list(shelf.records(Mooring)) == []
    added = register.add(Mooring(None, 1, 1, NOON, 2, 3.5, Decimal(10)))
    assert shelf.records(Mooring).get(added.id).days == 2
    shelf.records(Vessel).save(Vessel(1, "Gray Heron", "GH-1"))
    assert shelf.fake(VesselRepository).find_by_call_sign("GH-1").id == 1

def test_an_error_is_the_real_ones(shelf):
    shelf.define(Berth, missing=BerthUnknown)
    with pytest.raises(BerthUnknown):
        shelf.fake(BerthRepository).get(3)
"""
OVER_FAKES_ONLY = """
def test_cue(shelf):
    try:
        cue(shelf.fake(BerthRepository).count).gives(7)
    except Exception:
        pass
    assert shelf.fake(BerthRepository).count() == 7

def test_savepoint(shelf):
    with shelf.rolled_back():
        shelf.stock(Vessel, 1)

def test_other_object(shelf):
    class Own:
        def find(self, vessel_id): return None
        def find_by_call_sign(self, call_sign): return None
        def list(self): return []
        def save(self, vessel): pass
    assert shelf.fake(VesselRepository, over=Own()).list() == []

def test_removed_where_no_method_removes(shelf):
    shelf.stock(Berth, 1)
    assert shelf.records(Berth).remove(1)
"""


def the_project(pytester: pytest.Pytester, conftest: str, *tests: str) -> None:
    pytester.makeconftest(conftest)
    pytester.makepyfile(test_harbour=HEAD + "".join(tests))


def test_the_same_tests_run_over_fakes_and_over_the_real_ones(pytester: pytest.Pytester) -> None:
    other = "def test_tides(shelf):\n    assert shelf.urn.draw(Berth).id\n"
    the_project(pytester, CONFTEST, OVER_BOTH, OVER_FAKES_ONLY, other)
    pytester.runpytest_subprocess().assert_outcomes(passed=8)
    run = pytester.runpytest_subprocess("--urnshelf-real", "-rs")
    run.assert_outcomes(passed=4, skipped=4)
    run.stdout.fnmatch_lines(
        [
            "*over real adaptors*",
            "3 tests ran over real adaptors, as they do over fakes; 4 run only over fakes; 1 use *",
        ]
    )
    text = run.stdout.str()
    assert "runs only over fakes: it has a cue on BerthRepository.count" in text
    assert "1  a savepoint is of the shelf's own records alone" in text
    assert "1  something else stands behind shelf.fake(VesselRepository)" in text
    assert "1  a Berth cannot be removed: no method does it by key" in text


def test_a_run_of_two_processes_counts_all(pytester: pytest.Pytester) -> None:
    the_project(pytester, CONFTEST, OVER_BOTH, OVER_FAKES_ONLY)
    run = pytester.runpytest_subprocess("--urnshelf-real", "-n", "2")
    run.stdout.fnmatch_lines(["3 tests ran over real adaptors*4 run only over fakes*"])


def test_a_difference_between_both_fails_the_test_over_the_real_one(
    pytester: pytest.Pytester,
) -> None:
    conftest = CONFTEST + (
        "from contextlib import contextmanager\n"
        "from urnshelf.demo.harbour.adaptors.sqlite import SqliteMoorings\n"
        "def forgets(self): return 0\n"
        "SqliteMoorings.count = forgets\n"
    )
    test = (
        "def test_count(shelf):\n    shelf.stock(Mooring, 2, id=None)\n"
        "    assert shelf.fake(MooringRegister).count() == 2\n"
    )
    the_project(pytester, conftest, test)
    pytester.runpytest_subprocess().assert_outcomes(passed=1)
    pytester.runpytest_subprocess("--urnshelf-real").assert_outcomes(failed=1)


def test_never_on_a_store_that_is_not_empty_unless_told(pytester: pytest.Pytester) -> None:
    conftest = CONFTEST + (
        "from contextlib import contextmanager\n"
        "@contextmanager\n"
        "def filled():\n"
        "    with fresh_harbour() as (vessels, berths, moorings):\n"
        "        vessels.save(Vessel(9, 'Old Tern', 'OT-9'))\n"
        "        yield vessels, berths, moorings\n"
        "real_adaptors = {(VesselRepository, BerthRepository, MooringRegister): filled}\n"
    )
    test = (
        "def test_find(shelf):\n    shelf.stock(Vessel(1, 'Gray Heron', 'GH-1'))\n"
        "    assert shelf.fake(VesselRepository).find(1).name == 'Gray Heron'\n"
    )
    the_project(pytester, conftest, test)
    refused = pytester.runpytest_subprocess("--urnshelf-real")
    refused.assert_outcomes(errors=1)
    refused.stdout.fnmatch_lines(
        ["*the real store holds some Vessel from the start: VesselRepository.list() says so*"]
    )
    run = pytester.runpytest_subprocess("--urnshelf-real", "--urnshelf-real-filled")
    run.assert_outcomes(passed=1)


def test_keys_that_the_real_one_numbers_otherwise(pytester: pytest.Pytester) -> None:
    conftest = CONFTEST + (
        "from contextlib import contextmanager\n"
        "@contextmanager\n"
        "def later():\n"
        "    with fresh_harbour() as (vessels, berths, moorings):\n"
        "        connection = moorings._connection\n"
        "        connection.execute(\"INSERT INTO sqlite_sequence VALUES ('mooring', 40)\")\n"
        "        yield vessels, berths, moorings\n"
        "real_adaptors = {(VesselRepository, BerthRepository, MooringRegister): later}\n"
    )
    test = "def test_stock(shelf):\n    assert shelf.stock(Mooring, id=None).id\n"
    the_project(pytester, conftest, test)
    run = pytester.runpytest_subprocess("--urnshelf-real", "-rs")
    run.assert_outcomes(skipped=1)
    run.stdout.fnmatch_lines(["*the key of a stocked Mooring cannot be carried over*it 41*"])


UNITS = """
from __future__ import annotations
from collections.abc import AsyncIterator
from typing import Protocol
from urnshelf.demo.harbour import *
from urnshelf.demo.harbour.adaptors.sqlite import SqliteMoorings, open_harbour

class Unit(Protocol):
    moorings: MooringRegister
    def __enter__(self) -> Unit: ...
    def __exit__(self, *error: object) -> None: ...
    def commit(self) -> None: ...
    def rollback(self) -> None: ...

class SqliteUnit:
    def __init__(self):
        self.connection = open_harbour()
    def __enter__(self):
        self.moorings = SqliteMoorings(self.connection)
        return self
    def __exit__(self, *error): pass
    def commit(self): pass
    def rollback(self): pass

class Watch(Protocol):
    async def save(self, vessel: Vessel) -> None: ...
    async def get(self, vessel_id: int) -> Vessel | None: ...
    def all(self) -> AsyncIterator[Vessel]: ...

class Memory:
    def __init__(self): self.vessels = {}
    async def save(self, vessel): self.vessels[vessel.id] = vessel
    async def get(self, vessel_id): return self.vessels.get(vessel_id)
    async def all(self):
        for one in self.vessels.values(): yield one
"""


def test_units_of_work_and_async_ones_are_in_the_ledger_too(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(parts=UNITS)
    conftest = (
        "from parts import *\n"
        "def unit():\n    one = SqliteUnit()\n    yield one\n    one.connection.close()\n"
        "real_adaptors = {Unit: unit, Watch: Memory}\n"
    )
    tests = """
import asyncio
from parts import Unit, Watch

class Desk:
    def __init__(self, unit: Unit, watch: Watch): self.unit, self.watch = unit, watch
    def moor(self, mooring):
        with self.unit as unit:
            added = unit.moorings.add(mooring)
            unit.commit()
        return added
    async def note(self, vessel):
        await self.watch.save(vessel)
        return await self.watch.get(vessel.id), [one async for one in self.watch.all()]

def test_unit(shelf):
    desk = shelf.furnish(Desk)
    assert desk.moor(Mooring(None, 1, 1, NOON, 2, 3.5, Decimal(10))).id == 1
    assert tally(shelf.fake(MooringRegister).add) == 1
    assert tally(shelf.fake(Unit).commit) == 1

def test_async(shelf):
    shelf.stock(Vessel, id=1)
    desk = shelf.furnish(Desk)
    found, every = asyncio.run(desk.note(Vessel(7, "Gray Heron", "GH-7")))
    assert found.name == "Gray Heron" and [one.id for one in every] == [1, 7]
    assert sorted(one.id for one in shelf.records(Vessel)) == [1, 7]
"""
    the_project(pytester, conftest, tests)
    pytester.runpytest_subprocess().assert_outcomes(passed=2)
    run = pytester.runpytest_subprocess("--urnshelf-real")
    run.assert_outcomes(passed=2)
    run.stdout.fnmatch_lines(["2 tests ran over real adaptors*"])


def test_a_shelf_that_tests_share_has_no_real_ones(pytester: pytest.Pytester) -> None:
    pytester.makepyprojecttoml('[tool.urnshelf]\nshelf_scope = "class"\n')
    the_project(pytester, CONFTEST, "def test_draw(shelf):\n    shelf.urn.draw(Berth)\n")
    run = pytester.runpytest_subprocess("--urnshelf-real")
    run.stderr.fnmatch_lines(["*each test has real ones of its own, so shelf_scope*"])


def test_unittest_over_the_real_ones(pytester: pytest.Pytester) -> None:
    tests = (
        "import unittest\nfrom urnshelf.cases import ShelfCase\n"
        "class TestRegister(ShelfCase, unittest.TestCase):\n"
        "    def test_add(self):\n"
        "        register = self.shelf.fake(MooringRegister)\n"
        "        assert register.add(Mooring(None, 1, 1, NOON, 2, 3.5, Decimal(10))).id == 1\n"
        "        assert self.shelf.records(Mooring).count() == 1\n"
    )
    the_project(pytester, CONFTEST, tests)
    run = pytester.runpytest_subprocess("--urnshelf-real")
    run.assert_outcomes(passed=1)
    run.stdout.fnmatch_lines(["1 test ran over real adaptors*"])


@pytest.mark.parametrize(
    ("conftest", "told"),
    [
        ("", "*is there real_adaptors = {INTERFACE: factory} in a conftest.py*"),
        ("real_adaptors = [1]", "*give a mapping of interfaces to factories*"),
        (
            "from urnshelf.demo.harbour import *\nreal_adaptors = {BerthRepository: lambda: 1/0}",
            "*could not make one: ZeroDivisionError*",
        ),
        (
            "from urnshelf.demo.harbour import *\nfrom urnshelf.demo.harbour.adaptors.sqlite import"
            " *\nreal_adaptors = {BerthRepository: SqliteBerths}",
            "*real_adaptors[*needs connection: give a function that makes a fresh one*",
        ),
    ],
)
def test_what_conftest_lacks_is_told(pytester: pytest.Pytester, conftest: str, told: str) -> None:
    the_project(pytester, conftest, "def test_draw(shelf):\n    shelf.urn.draw(Berth)\n")
    pytester.runpytest_subprocess("--urnshelf-real").stdout.fnmatch_lines([told])


# --- the fixture ----------------------------------------------------------------------------------


def test_the_fixture_fails_a_test_with_the_report(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        HEAD
        + """
from urnshelf.demo.harbour.adaptors.sqlite import fresh_register

def told(shelf):
    shelf.define(Mooring, missing=MooringUnknown, duplicate=sqlite3.IntegrityError)

def test_right(twin):
    checked = twin(MooringRegister, real=fresh_register, arrange=told, sequences=60)
    assert "no difference" in checked.heading

def test_drifted(twin):
    twin(MooringRegister, real=fresh_register, sequences=60)

def test_only_some(twin):
    twin(
        MooringRegister, real=fresh_register, arrange=told, sequences=5,
        except_methods=[MooringRegister.count],
    )

def test_with_a_shelf(shelf, twin):
    shelf.stock(Berth, 2)
    twin(MooringRegister, real=fresh_register, arrange=told, sequences=5)
    assert shelf.records(Berth).count() == 2
"""
    )
    run = pytester.runpytest_subprocess("--urnshelf-remarks")
    run.assert_outcomes(passed=3, failed=1)
    run.stdout.fnmatch_lines(
        [
            "MooringRegister: 2 differences; *",
            "1. MooringRegister.*: the real one raises *, the fake *",
            "*shelf.define(Mooring, *",
            "*twin checks: not confirmed*",
            "*::test_only_some: MooringRegister.count not compared: excepted",
        ]
    )


def test_the_fixture_checks_kept_replies(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        HEAD
        + """
class Gauge:
    depth = 6.3
    def depth_at(self, harbour, at): return self.depth

def test_again(twin, tmp_path):
    with Shelf() as shelf:
        shelf.fake(TideService, over=Gauge(), keep_in=tmp_path / "t.jsonl").depth_at("T", NOON)
    twin(TideService, replies=tmp_path / "t.jsonl", real=Gauge)
    Gauge.depth = 6.1
    twin(TideService, replies=tmp_path / "t.jsonl", real=Gauge)
"""
    )
    run = pytester.runpytest_subprocess()
    run.assert_outcomes(failed=1)
    run.stdout.fnmatch_lines(["t.jsonl: 1 reply changed since*", "*kept 6.3", "*now  6.1"])


# --- the command ----------------------------------------------------------------------------------

SQLITE = "urnshelf.demo.harbour.adaptors.sqlite"
REGISTER = "urnshelf.demo.harbour:MooringRegister"


def test_the_command_tells_and_its_exit_code_too(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = ["--real", f"{SQLITE}:fresh_register", "--sequences", "60"]
    assert main(["twin", REGISTER, *real]) == 1
    text = capsys.readouterr().out
    assert text.startswith("MooringRegister: 2 differences; ")
    assert "shelf.define(Mooring, missing=MooringUnknown)" in text
    (tmp_path / "told.py").write_text(
        "from urnshelf.demo.harbour import *\nimport sqlite3\n"
        "def told(shelf):\n"
        "    shelf.define(Mooring, missing=MooringUnknown, duplicate=sqlite3.IntegrityError)\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))
    assert main(["twin", REGISTER, *real, "--arrange", "told:told", "--seed", "3"]) == 0
    text = capsys.readouterr().out
    assert "no difference; 7 of 7 methods confirmed (60 sequences, seed 3)" in text


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ([REGISTER, "--real", f"{SQLITE}:SqliteMoorings"], "needs connection: give a function"),
        ([REGISTER, "--real", f"{SQLITE}:fresh_regster"], "did you mean 'fresh_register'?"),
        ([f"{REGISTER}.get", "--real", f"{SQLITE}:fresh_register"], "a whole interface is checked"),
        ([REGISTER, "--real", f"{SQLITE}:fresh_register", "--replies", "no.jsonl"], "cannot be"),
        (
            ["urnshelf.demo.harbour:PilotPager", "--real", f"{SQLITE}:fresh_register"],
            "nothing of it can be checked",
        ),
    ],
)
def test_bad_input_to_the_command(
    words: list[str], told: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["twin", *words]) == 2
    assert told in capsys.readouterr().err
