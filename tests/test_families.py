"""Parents with their children: on a shelf, from an urn alone, in plan files."""

from __future__ import annotations

import csv
import subprocess
import sys
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from urnshelf import RecordRefused, Shelf, Urn, rules, variant
from urnshelf.demo.harbour import Berth, Mooring, MooringState, Vessel


@dataclass
class Notice:
    id: int
    mooring_id: int
    text: str


@dataclass
class Enrolment:
    student_id: int
    course_id: int


@dataclass
class Student:
    id: int
    name: str


@dataclass
class Course:
    id: int
    title: str


@dataclass
class Tug:
    id: int
    vessel: Vessel


@pytest.fixture
def shelf() -> Any:
    with Shelf(seed=7) as shelf:
        yield shelf


# --- on a shelf -----------------------------------------------------------------------------------


def test_children_are_stocked_with_their_parents(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 60, rules.children(Mooring, (0, 5), days=3), flag="SE")
    moorings = list(shelf.records(Mooring))
    counted = Counter(one.vessel_id for one in moorings)
    assert {vessel.flag for vessel in vessels} == {"SE"}
    assert {one.days for one in moorings} == {3}
    assert counted.keys() <= {vessel.id for vessel in vessels}
    # the hand is dealt whole to each block: each number comes equally often
    assert Counter(counted[v.id] for v in vessels) == dict.fromkeys(range(6), 10)


def test_it_goes_on_where_it_was(shelf: Shelf) -> None:
    with Shelf(seed=7) as at_once:
        at_once.stock(Vessel, 10, rules.children(Mooring, (0, 3)))
        whole = [one.vessel_id for one in at_once.records(Mooring)]
    shelf.stock(Vessel, 4, rules.children(Mooring, (0, 3)))
    shelf.stock(Vessel, 6, rules.children(Mooring, (0, 3)))
    assert [one.vessel_id for one in shelf.records(Mooring)] == whole


def test_each_number_as_often_as_it_comes(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 40, rules.children(Mooring, {0: 1, 1: 2, 4: 1}))
    counted = Counter(one.vessel_id for one in shelf.records(Mooring))
    assert Counter(counted[v.id] for v in vessels) == {0: 10, 1: 20, 4: 10}


def test_grandchildren_variants_and_one_parent(shelf: Shelf) -> None:
    left = variant(Mooring, state=MooringState.DEPARTED)
    vessel = shelf.stock(
        Vessel, None, rules.children(left, 2, rules.children(Notice, 3, text="noon"), days=1)
    )
    moorings = list(shelf.records(Mooring).where(vessel_id=vessel.id))
    assert [(one.state, one.days) for one in moorings] == [(MooringState.DEPARTED, 1)] * 2
    notices = Counter(one.mooring_id for one in shelf.records(Notice))
    assert notices == {one.id: 3 for one in moorings}


def test_several_kinds_of_children_and_whole_parents(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 3, rules.children(Mooring, 1), rules.children(Tug, 2))
    assert shelf.records(Mooring).count() == 3
    assert [tug.vessel for tug in shelf.records(Tug)] == [v for v in vessels for _ in range(2)]


def test_many_to_many(shelf: Shelf) -> None:
    shelf.define(
        Enrolment,
        key=("student_id", "course_id"),
        references={"student_id": Student, "course_id": Course},
    )
    shelf.stock(Course, 6)
    students = shelf.stock(Student, 40, rules.children(Enrolment, (1, 4)))
    pairs = [(one.student_id, one.course_id) for one in shelf.records(Enrolment)]
    assert len(pairs) == len(set(pairs)) == 100
    assert {student for student, _ in pairs} == {one.id for one in students}
    assert {course for _, course in pairs} == set(range(1, 7))


@dataclass
class Clerk:
    id: int
    deputy_of: int | None


def test_links_to_its_own_type_make_no_circle() -> None:
    clerks = Urn(7).draw(Clerk, 200, deputy_of=rules.link(Clerk))
    assert all(one.deputy_of is None or one.deputy_of < one.id for one in clerks)
    assert sum(one.deputy_of is not None for one in clerks) > 150
    assert Urn(7).draw(Clerk, range(90, 99), deputy_of=rules.link(Clerk)) == clerks[90:99]


def test_many_to_many_without_a_shelf() -> None:
    enrolments = Urn(7).draw(
        Enrolment,
        600,
        student_id=rules.dealt(Student, (1, 6)),
        course_id=rules.link(Course, count=6, once_per="student_id"),
    )
    pairs = [(one.student_id, one.course_id) for one in enrolments]
    assert len(set(pairs)) == 600
    assert Counter(course for _, course in pairs).keys() == set(range(1, 7))
    again = Urn(7).draw(
        Enrolment,
        range(300, 310),
        student_id=rules.dealt(Student, (1, 6)),
        course_id=rules.link(Course, count=6, once_per="student_id"),
    )
    assert again == enrolments[300:310]


@pytest.mark.parametrize(
    ("stock", "told"),
    [
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(Berth, 1)),
         r'Say it: children\(Berth, …, "vessel_id"\), or'),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(Mooring, 1, "vesel_id")),
         "did you mean 'vessel_id'"),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(Mooring, (3, 1))),
         "tells no numbers of children"),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(Mooring, -1)),
         "-1 is no number of children"),
        (lambda shelf: shelf.stock(Vessel, 2, Mooring), "stand children of these records"),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(int, 1, 2)),
         "after the numbers stand the field"),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children("Mooring", 1)),
         "it takes a record type, or a variant"),
        (lambda shelf: shelf.stock(Vessel, 2, rules.children(Mooring, 1, dayz=2)),
         "no field 'dayz'"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_and_nothing_is_stocked(shelf: Shelf, stock: Any, told: str) -> None:
    with pytest.raises(RecordRefused, match=told):
        stock(shelf)
    assert shelf.records(Vessel).count() == 0


# --- from an urn alone ----------------------------------------------------------------------------


def test_any_slice_is_dealt_alone() -> None:
    given: Any = {"vessel_id": rules.dealt(Vessel, {0: 3, 1: 2, 7: 1})}
    whole = Urn(7).draw(Mooring, 3000, **given)
    assert Urn(7).draw(Mooring, range(2000, 2040), **given) == whole[2000:2040]
    counted = Counter(one.vessel_id for one in whole)
    parents = max(counted)
    assert [one.vessel_id for one in whole] == sorted(one.vessel_id for one in whole)
    numbers = Counter(counted[n] for n in range(1, parents // 6 * 6 + 1))
    assert numbers == {0: parents // 6 * 3, 1: parents // 6 * 2, 7: parents // 6}
    assert [one.vessel_id for one in Urn(8).draw(Mooring, 9, **given)] != [
        one.vessel_id for one in whole[:9]
    ]


def test_a_field_of_the_parent_is_taken() -> None:
    names = {one.name for one in Urn(7).draw(Vessel, 40)}
    notices = Urn(7).draw(Notice, 60, text=rules.dealt(Vessel, (1, 2), "name"))
    assert {one.text for one in notices} <= names
    with Shelf(seed=7) as shelf:
        shelf.stock(Vessel, 2)
        with pytest.raises(RecordRefused, match="there are only 2 parents on the shelf"):
            shelf.stock(Mooring, 9, vessel_id=rules.dealt(Vessel, 2))


# --- in plan files --------------------------------------------------------------------------------

PLAN = """
format = 1
seed = 3
[tables.vessels]
type = "urnshelf.demo.harbour:Vessel"
count = 128
[tables.moorings]
type = "urnshelf.demo.harbour:Mooring"
[tables.moorings.rules]
id = { serial = "" }
vessel_id = { dealt = "vessels", children = { 0 = 1, 2 = 3 } }
[tables.lots]
[tables.lots.rules]
id = { serial = "L-" }
mooring_id = { dealt = "moorings", children = [1, 2], field = "id" }
vessel_id = { link = "vessels", once_per = "mooring_id" }
weight = { between = [0.5, 9.0], decimals = 1 }
price = { formula = "weight * 3", decimals = 2 }
note = { sometimes_none = { among = ["wet", "dry"] }, rate = 0.5 }
seen = { none_with = "note", rule = { between = [2030-01-01, 2030-02-01] } }
"""


def drawn(folder: Path, text: str) -> subprocess.CompletedProcess[str]:
    (folder / "plan.toml").write_text(text)
    return subprocess.run(
        [sys.executable, "-m", "urnshelf.cli", "draw", "plan.toml", "-o", "*.csv"],
        cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip


def test_tables_of_a_plan_are_dealt_and_need_no_type(tmp_path: Path) -> None:
    done = drawn(tmp_path, PLAN)
    assert done.returncode == 0, done.stderr
    moorings = list(csv.DictReader((tmp_path / "moorings.csv").read_text("utf-8").splitlines()))
    lots = list(csv.DictReader((tmp_path / "lots.csv").read_text("utf-8").splitlines()))
    counted = Counter(row["vessel_id"] for row in moorings)
    assert len(moorings) == 192
    assert Counter(counted[str(n)] for n in range(1, 129)) == {0: 32, 2: 96}
    assert Counter(row["mooring_id"] for row in lots).keys() == {row["id"] for row in moorings}
    assert len({(row["mooring_id"], row["vessel_id"]) for row in lots}) == len(lots)
    for row in lots:
        assert float(row["price"]) == round(float(row["weight"]) * 3, 2)
        assert (row["note"] == "") is (row["seen"] == "")
        assert row["seen"] == "" or row["seen"].startswith("2030-0")
    assert lots[0]["id"] == "L-0001"


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("children = [1, 2]", "children = []", "tells no numbers of children"),
        (", children = [1, 2]", "", "dealt needs the numbers of children"),
        ('dealt = "moorings"', 'dealt = "mooring"', "did you mean 'moorings'"),
        ('{ none_with = "note", rule', '{ none_with = "note", rules', "has no option 'rules'"),
        ("[tables.lots.rules]", "[tables.lots.rule]", "'rule' is not known"),
    ],
)
def test_what_is_wrong_in_a_plan(tmp_path: Path, old: str, new: str, told: str) -> None:
    done = drawn(tmp_path, PLAN.replace(old, new))
    assert done.returncode == 2
    assert told in done.stderr
    assert list(tmp_path.glob("*.csv")) == []


TOTALS = """
format = 1
[tables.customers]
[tables.customers.rules]
id = { serial = "" }
spent = { gathered = "sum orders.total" }
[tables.orders]
count = 40
[tables.orders.rules]
id = { serial = "O-" }
customer_id = { dealt = "customers", children = [2, 5], field = "id" }
total = { gathered = "sum lines.amount" }
pieces = { gathered = "count lines" }
[tables.lines]
[tables.lines.rules]
order_id = { dealt = "orders", children = [0, 3], field = "id" }
amount = { between = [0.5, 9.0], decimals = 2 }
"""


def test_parents_have_the_totals_of_their_children(tmp_path: Path) -> None:
    done = drawn(tmp_path, TOTALS.replace("count = 40\n", ""))
    assert done.returncode == 0, done.stderr
    tables = {
        name: list(csv.DictReader((tmp_path / f"{name}.csv").read_text("utf-8").splitlines()))
        for name in ("customers", "orders", "lines")
    }
    for order in tables["orders"]:
        amounts = [float(r["amount"]) for r in tables["lines"] if r["order_id"] == order["id"]]
        assert float(order["total"]) == round(sum(amounts), 2)
        assert int(order["pieces"]) == len(amounts)
    for customer in tables["customers"]:
        totals = [r["total"] for r in tables["orders"] if r["customer_id"] == customer["id"]]
        assert float(customer["spent"]) == round(sum(map(float, totals)), 2)
        assert 2 <= len(totals) <= 5


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("sum lines.amount", "sum line.amount", "did you mean 'lines'"),
        ("sum orders.total", "sum lines.amount", "are not dealt to those of 'customers'"),
        ("sum lines.amount", "most lines.amount", "it takes one of sum, count"),
    ],
)
def test_what_cannot_be_gathered_is_told(tmp_path: Path, old: str, new: str, told: str) -> None:
    done = drawn(tmp_path, TOTALS.replace(old, new))
    assert done.returncode == 2
    assert told in done.stderr
