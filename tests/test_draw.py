"""`urnshelf draw`: previews, files, plans and pictures, as their users meet them."""

from __future__ import annotations

import csv
import hashlib
import importlib
import json
import os
import subprocess
import sys
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any
from uuid import UUID

import matplotlib.image
import pandas
import pytest

from urnshelf import Urn
from urnshelf.cli.main import main
from urnshelf.demo.harbour import Berth, Mooring, Vessel

VESSEL, MOORING = "urnshelf.demo.harbour:Vessel", "urnshelf.demo.harbour:Mooring"


@dataclass
class Rich:
    id: int
    code: UUID
    raw: bytes
    day: date
    hour: time
    span: timedelta
    table: dict[str, list[int]]
    bag: set[int]
    money: Decimal
    maybe: float | None


def run(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, str, str]:
    code = main(["draw", *words])
    captured = capsys.readouterr()
    return code, captured.out, captured.err


def test_a_preview_is_a_table(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(
        capsys, VESSEL, "-n", "30", "--seed", "7", "--set", "flag=NO", "--set", "length_m=12"
    )
    assert code == 0
    assert "vessel: 20 of 30" in out
    first = Urn(7).draw(Vessel)
    assert first.name in out
    assert out.count(" NO ") == 20
    assert "12.0" in out


def test_files_hold_the_drawn_records(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    moorings = Urn(7).draw(Mooring, 300)
    for ending in ("csv", "json", "jsonl", "parquet"):
        code, out, _ = run(
            capsys, MOORING, "-n", "300", "--seed", "7", "-o", str(tmp_path / f"m.{ending}")
        )
        assert (code, out) == (0, f"{tmp_path}/m.{ending}: 300 records\n")
    lines = [json.loads(line) for line in (tmp_path / "m.jsonl").read_text().splitlines()]
    assert lines == json.loads((tmp_path / "m.json").read_text())
    with (tmp_path / "m.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))
    frame = pandas.read_parquet(tmp_path / "m.parquet")
    for i, m in enumerate(moorings):
        assert lines[i]["dues"] == str(m.dues) == rows[i]["dues"]
        assert (
            datetime.fromisoformat(rows[i]["arrival"])
            == m.arrival
            == frame["arrival"][i].to_pydatetime()
        )
        assert frame["state"][i] == m.state.value == lines[i]["state"]
        assert frame["dues"][i] == m.dues
    assert sorted(path.name for path in tmp_path.iterdir()) == [
        "m.csv",
        "m.json",
        "m.jsonl",
        "m.parquet",
    ]


def test_every_type_finds_its_place_in_files(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for ending in ("csv", "jsonl", "parquet"):
        code, _, err = run(
            capsys, "test_draw:Rich", "-n", "50", "-o", str(tmp_path / f"r.{ending}")
        )
        assert (code, err) == (0, "")
    records = Urn(0).draw(
        importlib.import_module("test_draw").Rich, 50
    )  # under the name that the command used
    line = json.loads((tmp_path / "r.jsonl").read_text().splitlines()[3])
    assert (line["code"], line["day"]) == (str(records[3].code), records[3].day.isoformat())
    assert (line["table"], line["bag"]) == (records[3].table, sorted(records[3].bag))
    frame = pandas.read_parquet(tmp_path / "r.parquet")
    assert (frame["day"][3], frame["raw"][3], json.loads(frame["table"][3])) == (
        records[3].day, records[3].raw, records[3].table,
    )  # fmt: skip


def test_the_same_file_on_every_run_and_slice_by_slice(tmp_path: Path) -> None:
    sums = set()
    for number, hash_seed in enumerate(("0", "1", "random")):
        path = tmp_path / f"{number}.jsonl"
        words = [
            sys.executable,
            "-m",
            "urnshelf.cli",
            "draw",
            VESSEL,
            "-n",
            "4000",
            "--seed",
            "7",
            "-o",
            str(path),
        ]
        subprocess.run(
            words, check=True, capture_output=True, env={**os.environ, "PYTHONHASHSEED": hash_seed}
        )
        sums.add(hashlib.sha256(path.read_bytes()).hexdigest())
    assert len(sums) == 1
    from urnshelf.files.file_table import file_table
    from urnshelf.files.whole import unfinished
    from urnshelf.files.writing import write

    slices = (Urn(7).draw(Vessel, range(start, start + 100)) for start in range(0, 4_000, 100))
    with unfinished() as files:
        write(tmp_path / "slices.jsonl", slices, file_table(Vessel), files)
    assert sums == {hashlib.sha256((tmp_path / "slices.jsonl").read_bytes()).hexdigest()}


def test_a_plan_draws_tables_whose_references_hold(
    root: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    plan = str(root / "examples" / "harbour.toml")
    code, out, _ = run(capsys, plan)
    assert code == 0
    assert [title in out for title in ("vessels: 20", "berths: 8", "moorings: 20 of 62")] == [
        True
    ] * 3
    code, out, _ = run(capsys, plan, "-o", f"{tmp_path}/*.jsonl")
    assert code == 0
    tables = {
        name: [json.loads(line) for line in (tmp_path / f"{name}.jsonl").read_text().splitlines()]
        for name in ("vessels", "berths", "moorings")
    }
    assert {m["vessel_id"] for m in tables["moorings"]} <= {v["id"] for v in tables["vessels"]}
    assert {m["berth_id"] for m in tables["moorings"]} == {b["id"] for b in tables["berths"]}
    assert len({b["code"] for b in tables["berths"]}) == 8
    assert {m["state"] for m in tables["moorings"]} == {"booked", "alongside", "departed"}
    assert run(capsys, plan, "-o", str(tmp_path / "folder"))[0] == 0
    assert sorted(path.name for path in (tmp_path / "folder").iterdir()) == [
        "berths.csv",
        "lots.csv",
        "moorings.csv",
        "vessels.csv",
    ]


PLAN = """
format = 1
seed = 3
[tables.a]
type = "urnshelf.demo.harbour:Berth"
count = 3
[tables.a.rules]
{rule}
"""


@pytest.mark.parametrize(
    ("rule", "check"),
    [
        ('harbour = "Ternhythe"', lambda b: b.harbour == "Ternhythe"),
        ("day_rate = 12.5", lambda b: b.day_rate == Decimal("12.5")),
        ("depth_m = { between = [3, 4] }", lambda b: 3 <= b.depth_m <= 4),
        ("code = { pattern = 'Q[0-9]' }", lambda b: b.code[0] == "Q"),
        ("code = { serial = 'Q-', start = 5 }", lambda b: b.code == f"Q-{b.id + 4:04}"),
        ("code = { template = '{harbour}/{id}' }", lambda b: b.code == f"{b.harbour}/{b.id}"),
        ("defect = { sometimes_none = 'x', rate = 0.0 }", lambda b: b.defect == "x"),
        ("defect = { constant = 'x' }", lambda b: b.defect == "x"),
        ("depth_m = { drift = 5.0, step = 0.1 }", lambda b: 4 < b.depth_m < 6),
        ("depth_m = { distribution = 'uniform', args = [2, 3] }", lambda b: 2 <= b.depth_m <= 5),
    ],
)
def test_rules_of_a_plan(tmp_path: Path, rule: str, check: Any) -> None:
    from urnshelf.files.plan_file import read_plan

    (tmp_path / "p.toml").write_text(PLAN.format(rule=rule))
    [table] = read_plan(tmp_path / "p.toml").tables.values()
    [chunk] = table.chunks()
    assert len(chunk) == 3
    assert all(check(berth) for berth in chunk)


def test_a_plan_may_hold_json_schemas(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    schema = {
        "type": "object",
        "required": ["id"],
        "properties": {"id": {"type": "integer"}, "city": {"type": "string"}},
    }
    (tmp_path / "s.json").write_text(json.dumps(schema))
    (tmp_path / "p.toml").write_text('format = 1\n[tables.t]\nschema = "s.json"\ncount = 5\n')
    code, _, _ = run(capsys, str(tmp_path / "p.toml"), "-o", f"{tmp_path}/*.jsonl")
    assert code == 0
    assert all("id" in json.loads(line) for line in (tmp_path / "t.jsonl").read_text().splitlines())


@pytest.mark.parametrize(
    ("text", "complaint"),
    [
        ("format = 2", "p.toml: format = 2, but this version reads format = 1"),
        ("format = [", "p.toml is no TOML"),
        ("format = 1", "there are no tables"),
        (
            "format = 1\ncolour = 3\n[tables.a]",
            "p.toml: 'colour' is not known; it has format, kiosk, seed, tables",
        ),
        ("format = 1\n[tables.a]", "p.toml, table 'a': a type or a schema is needed, or rules"),
        (
            "format = 1\n[tables.a]\ntype = 'nowhere:X'",
            "table 'a': 'nowhere:X': there is no module nowhere",
        ),
        (
            "format = 1\n[tables.a]\nschema = 'gone.json'",
            "table 'a': the schema gone.json cannot be read",
        ),
        (
            "format = 1\n[tables.a]\ntype = 'test_draw:Rich'\ncount = -1",
            "count = -1, but a whole number",
        ),
        (PLAN.format(rule="harbor = 'x'"), "table 'a': Berth has no field 'harbor'"),
        (PLAN.format(rule="depth_m = 'deep'"), "table 'a', field 'depth_m': 'deep' is no float"),
        (
            PLAN.format(rule="depth_m = { betwen = [1, 2] }"),
            "field 'depth_m': a rule is a table with one of .*between",
        ),
        (PLAN.format(rule="depth_m = { between = [1] }"), "field 'depth_m': between is a list"),
        (
            PLAN.format(rule="depth_m = { between = [4, 3] }"),
            "field 'depth_m': between.*must not be the greater",
        ),
        (
            PLAN.format(rule="depth_m = { between = [1, 2], step = 1 }"),
            "the rule 'between' has no option 'step'",
        ),
        (
            PLAN.format(rule="depth_m = { distribution = 'gone' }"),
            "scipy.stats has no distribution 'gone'",
        ),
        (
            PLAN.format(rule="id = { link = 'b' }"),
            "a link to 'b', but no such table stands above it",
        ),
    ],
)
def test_a_wrong_plan_says_where(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str, complaint: str
) -> None:
    (tmp_path / "p.toml").write_text(text)
    code, out, err = run(capsys, str(tmp_path / "p.toml"))
    assert (code, out) == (2, "")
    import re

    assert re.search(complaint, err), err


def test_a_picture_of_a_plan_is_saved(
    root: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "graph.png"
    code, out, _ = run(capsys, str(root / "examples" / "harbour.toml"), "--picture", str(path))
    assert (code, out) == (0, f"{path}: 4 tables\n")
    assert path.read_bytes().startswith(b"\x89PNG")
    code, _, err = run(capsys, str(root / "examples" / "harbour.toml"), "--picture", "x.gif")
    assert (code, "the ending must be .png" in err) == (2, True)


def test_a_picture_is_saved(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "fields.png"
    code, out, _ = run(capsys, "test_draw:Rich", "-n", "200", "--picture", str(path))
    assert (code, out) == (0, f"{path}: 10 fields of 200 records\n")
    data = path.read_bytes()
    assert data[:4] == b"\x89PNG"
    assert (int.from_bytes(data[16:20]), int.from_bytes(data[20:24])) == (1280, 800)
    for panel in range(10, 12):  # two of the panels are not needed, and stay empty
        across, below = panel % 4 * 320, panel // 4 * 267
        assert (
            matplotlib.image.imread(path)[
                below + 30 : below + 260, across + 40 : across + 300
            ].min()
            == 1
        )


@pytest.mark.parametrize(
    ("words", "complaint"),
    [
        ([VESSEL, "--set", "kin=boat"], "Vessel has no field 'kin'; did you mean 'kind'?"),
        ([VESSEL, "--set", "kind=boat"], "'boat' is no VesselKind; choose one of cargo, ferry"),
        ([VESSEL, "--set", "kind"], "write it as field=value"),
        ([VESSEL, "-o", "x.xls"], "must be one of .csv, .json, .jsonl, .parquet"),
        ([VESSEL, "--picture", "x.gif"], "must be .png"),
        (["urnshelf.demo.harbour:Vesse"], "has no 'Vesse'"),
        (["nowhere:Vessel"], "there is no module nowhere"),
        (["Vessel"], "is named as MODULE:NAME"),
        (["builtins:int"], "is no record type"),
        (["gone.toml"], "gone.toml cannot be read"),
        (["gone.toml", "-n", "3"], "tells the counts and rules itself"),
    ],
)
def test_wrong_words_are_told(
    capsys: pytest.CaptureFixture[str], words: list[str], complaint: str
) -> None:
    code, out, err = run(capsys, *words)
    assert (code, out) == (2, "")
    assert complaint in err


def test_typed_dicts_and_mapped_records_can_be_stocked() -> None:
    import record_types as kinds
    from urnshelf import Shelf

    shelf = Shelf(seed=7)
    for kind in (kinds.Row, kinds.ByConstructor, kinds.Struct, kinds.WithAttrs, kinds.Model):
        stored: list[Any] = shelf.stock(kind, 5)
        first = shelf.records(kind).get(stored[0].id)
        first.__dict__.update(id=77) if hasattr(first, "__dict__") else None
        assert [r.id for r in shelf.records(kind)] == sorted(r.id for r in stored)
        assert shelf.records(kind).count() == 5
    assert [type(d) for d in shelf.stock(kinds.Options, 3)] == [dict] * 3
    assert len(shelf.records(kinds.Options).where(depth=shelf.stock(kinds.Options)["depth"])) >= 1
    assert shelf.stock(kinds.ByConstructor(50, "Gull")).id == 50
    assert {type(b) for b in shelf.stock(Berth, 3)} == {Berth}
    assert shelf.urn.draw(datetime, 3)[0].tzinfo is UTC
