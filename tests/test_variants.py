"""Variants, edge records, and records written as Python and as SQL."""

from __future__ import annotations

import importlib
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Any

import annotated_types as at
import pytest
import sqlalchemy

import postgres
import record_types as kinds
from urnshelf import RecordRefused, Shelf, Urn, rules, variant
from urnshelf.demo.harbour import Berth, Mooring, MooringState, Vessel

DEPARTED = variant(Mooring, state=MooringState.DEPARTED, days=rules.between(2, 4))
BRIEFLY = variant(DEPARTED, days=1)


def test_a_variant_is_drawn_and_stocked_like_its_type() -> None:
    moorings = Urn(7).draw(DEPARTED, 20)
    assert {one.state for one in moorings} == {MooringState.DEPARTED}
    assert {one.days for one in moorings} == {2, 3, 4}
    assert Urn(7).draw(BRIEFLY).days == 1
    assert Urn(7).draw(BRIEFLY, days=9).days == 9  # what is given goes before
    assert Urn(7).draw(DEPARTED, range(3)) == Urn(7).draw(DEPARTED, 3)
    with Shelf(seed=7) as shelf:
        assert shelf.stock(BRIEFLY).days == 1
        assert len(shelf.stock(DEPARTED, 3, vessel_id=4)) == 3
        assert shelf.records(Mooring).where(vessel_id=4).count() == 3
        assert [one.id for one in shelf.stock(Mooring, 2)] == [5, 6]  # one sequence


def test_it_says_what_it_is() -> None:
    assert repr(BRIEFLY) == "variant(Mooring, state=MooringState.DEPARTED, days=1)"
    assert "days=rules.between(2, 4)" in repr(DEPARTED)


@pytest.mark.parametrize(
    ("make", "told"),
    [
        (lambda: variant(Mooring, dayz=1), "no field 'dayz'; did you mean 'days'"),
        (lambda: variant(Mooring, days="one"), "it is 'one', a str, not int"),
        (lambda: variant(int), "int is no record type"),
        (lambda: variant("Mooring"), "it takes a record type, or a variant"),
    ],
)
def test_what_is_wrong_is_told_where_it_is_made(make: Any, told: str) -> None:
    with pytest.raises(RecordRefused, match=told):
        make()


def test_fields_inside_and_whole_ones(tmp_path: Path) -> None:
    somewhere = variant(kinds.Nested, plain__name="Ternhythe")
    assert Urn(7).draw(somewhere).plain.name == "Ternhythe"
    whole = variant(somewhere, plain=kinds.Frozen("Curlhythe"))
    assert Urn(7).draw(whole).plain.name == "Curlhythe"


PLAN = """
format = 1
[variants.departed]
type = "urnshelf.demo.harbour:Mooring"
[variants.departed.rules]
state = "departed"
days = { between = [2, 4] }
[variants.briefly]
variant = "departed"
rules.days = 1
[tables.moorings]
variant = "briefly"
count = 5
rules.vessel_id = 3
"""


def drawn(folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "urnshelf.cli", "draw", *words],
        cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip


def test_plan_files_have_variants(tmp_path: Path) -> None:
    (tmp_path / "plan.toml").write_text(PLAN)
    assert drawn(tmp_path, "plan.toml", "-o", "*.jsonl").returncode == 0
    with Shelf() as shelf:
        moorings = shelf.load(tmp_path / "moorings.jsonl", Mooring) or shelf.records(Mooring)
        told = {(one.state, one.days, one.vessel_id) for one in shelf.records(Mooring)}
        assert moorings is not None
    assert told == {(MooringState.DEPARTED, 1, 3)}
    cases = [
        ('\nvariant = "departed"', '\nvariant = "gone"', "no variant 'gone' above it"),
        ("count = 5", 'count = 5\ntype = "x:Y"', "the variant 'briefly' tells its type"),
        ("[variants.briefly]\nvariant", "[variants.briefly]\nkind", "'kind' is not known"),
        ("rules.days = 1", 'type = "x:Y"', "either a type, or another variant above it"),
    ]
    for old, new, said in cases:
        (tmp_path / "plan.toml").write_text(PLAN.replace(old, new))
        assert said in drawn(tmp_path, "plan.toml").stderr


# --- edges ----------------------------------------------------------------------------------------


@dataclass
class Lot:
    id: int
    weight_kg: Annotated[float, at.Interval(ge=0.5, le=20)]
    count: Annotated[int, at.Ge(1), at.Lt(100)]
    price: Annotated[Decimal, at.Gt(0)]
    email: str
    label: Annotated[str, at.MaxLen(8)]
    note: str | None
    sold_at: datetime | None


EDGES = Urn(7).edges(Lot, id=3)


def test_one_field_is_at_its_edge_and_the_others_are_drawn() -> None:
    told = dict(zip(EDGES.told, EDGES, strict=True))
    assert told["weight_kg is the least"].weight_kg == 0.5
    assert told["weight_kg is one below the greatest"].weight_kg == 19.99
    assert told["count is the greatest"].count == 99
    assert told["price is the least"].price == Decimal("0.01")
    assert told["note is None"].note is None
    assert told["label is the longest"].label == "aaaaaaaa"
    assert told["sold_at is on a leap day"].sold_at == datetime(2028, 2, 29, 12, tzinfo=UTC)
    assert told["texts of two lines"].label == told["texts of two lines"].note == "one\ntwo"
    assert all("@example." in one.email or one.email.endswith(".test") for one in EDGES)
    assert {one.id for one in EDGES} == {3}  # what is told stays
    assert "count is zero" not in told  # its limits refuse that
    assert repr(EDGES).startswith(f"{len(EDGES)} edges:\n  weight_kg is the least\n")
    assert EDGES[1:3] == [EDGES[1], EDGES[2]]
    assert Urn(7).edges(Lot, id=3).told == EDGES.told


def test_every_kind_of_record_has_edges() -> None:
    for record_type in (kinds.Plain, kinds.Model, kinds.Struct, kinds.WithAttrs, kinds.Options):
        assert len(Urn(7).edges(record_type)) > 3
    assert all(isinstance(one, kinds.Model) for one in Urn(7).edges(kinds.Model))


def test_a_test_is_named_by_its_edge(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        """
        import pytest
        from urnshelf import Urn, variant
        from urnshelf.demo.harbour import Berth

        @pytest.mark.parametrize("berth", Urn(7).edges(variant(Berth, harbour="Ternhythe")))
        def test_it_is_deep_enough(berth):
            assert berth.depth_m > 0 and berth.harbour == "Ternhythe"

        @pytest.mark.parametrize("other", [1, "a"])
        def test_others_keep_their_names(other):
            assert other
        """
    )
    result = pytester.runpytest_subprocess("-v", "-n0", "-p", "no:cacheprovider")
    result.stdout.fnmatch_lines(
        [
            "*test_it_is_deep_enough?depth_m is negative? FAILED*",
            "*test_others_keep_their_names?a? PASSED*",
        ]
    )
    result.assert_outcomes(passed=len(Urn(7).edges(Berth, harbour="x")) - 2 + 2, failed=2)


# --- as Python, as SQL ----------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["Vessel", "Berth", "Mooring", "QuayReport"])
def test_records_are_written_as_python(
    name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    done = drawn(tmp_path, f"urnshelf.demo.harbour:{name}", "-n", "40", "-o", "kept.py")
    assert done.returncode == 0, done.stderr
    monkeypatch.syspath_prepend(str(tmp_path))
    sys.modules.pop("kept", None)
    kept = importlib.import_module("kept")
    (found,) = (value for key, value in vars(kept).items() if key.isupper() and key != "UTC")
    demo = importlib.import_module("urnshelf.demo.harbour")
    assert found == Urn(0).draw(getattr(demo, name), 40)
    lint = ["-m", "ruff", "check", "--select", "E,F,I,W", "--line-length", "100", "kept.py"]
    linted = subprocess.run(
        [sys.executable, *lint], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert linted.returncode == 0, linted.stdout
    sys.modules.pop("kept", None)


def test_records_are_written_as_sql(tmp_path: Path) -> None:
    assert (
        drawn(tmp_path, "urnshelf.demo.harbour:Berth", "-n", "1200", "-o", "a.sql").returncode == 0
    )
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript((tmp_path / "a.sql").read_text("utf-8"))
        rows = connection.execute(
            "SELECT id, code, harbour, length_m, day_rate, in_service, defect FROM berth "
            "ORDER BY id"
        ).fetchall()
    berths = Urn(0).draw(Berth, 1200)
    assert [row[:4] for row in rows] == [(b.id, b.code, b.harbour, b.length_m) for b in berths]
    assert [round(Decimal(row[4]), 2) for row in rows] == [b.day_rate for b in berths]
    assert [(bool(row[5]), row[6]) for row in rows] == [(b.in_service, b.defect) for b in berths]


@dataclass
class Order:
    id: int
    group: str
    sent_at: datetime
    parts: list[int]


def test_names_and_texts_of_every_kind_stand_in_sql(tmp_path: Path) -> None:
    from urnshelf.files.exports.as_sql import write
    from urnshelf.files.file_table import file_table

    orders = Urn(7).draw(Order, 3, group='it\'s "x"; --', parts=[1, 2])
    write(tmp_path / "a.sql", [orders], file_table(Order))
    text = (tmp_path / "a.sql").read_text("utf-8")
    assert 'CREATE TABLE "order" (' in text
    assert "sent_at TIMESTAMP WITH TIME ZONE NOT NULL" in text
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript(text)
        rows = connection.execute('SELECT "group", parts FROM "order"').fetchall()
    assert rows == [('it\'s "x"; --', "[1, 2]")] * 3


def test_keys_that_a_database_is_to_give_are_no_primary_key(tmp_path: Path) -> None:
    for name in ("Mooring", "Berth"):
        file = tmp_path / f"{name}.sql"
        drawn(tmp_path, f"urnshelf.demo.harbour:{name}", "-n", "50", "-o", file.name)
        assert ("PRIMARY KEY (id)" in file.read_text("utf-8")) is (name == "Berth")
    if postgres.found() is None:
        pytest.skip("PostgreSQL is not installed")
    with postgres.running() as url:
        engine = sqlalchemy.create_engine(url, poolclass=sqlalchemy.NullPool)
        with engine.begin() as connection:
            for name in ("Mooring", "Berth"):
                text = (tmp_path / f"{name}.sql").read_text("utf-8")
                connection.exec_driver_sql(text.replace("%", "%%"))
            count = "SELECT count(*), count(id) FROM "
            assert connection.exec_driver_sql(f"{count} mooring").one() == (50, 0)
            assert connection.exec_driver_sql(f"{count} berth").one() == (50, 50)


def test_what_has_no_code_is_refused(tmp_path: Path) -> None:
    (tmp_path / "odd.py").write_text(
        "from dataclasses import dataclass\n@dataclass\nclass Odd:\n    id: int\n    n: complex\n"
    )
    done = drawn(tmp_path, "odd:Odd", "-o", "kept.py")
    assert "Odd.n: " in done.stderr
    assert "has no plain code; write a .jsonl or .json file" in done.stderr
    assert not (tmp_path / "kept.py").exists()
    assert isinstance(Urn(0).draw(Vessel), Vessel)
