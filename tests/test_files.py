"""Records kept in files and databases: exactly as they were, or an error that says where, and nothing changed."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from pathlib import Path
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
import sqlalchemy

import record_types as kinds
import repositories
from urnshelf import FileRefused, Shelf, column, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel

FORMATS = ["json", "jsonl", "csv", "parquet"]
TYPES = [
    kinds.Plain, kinds.Frozen, kinds.Child, kinds.Node, kinds.Nested, kinds.Point, kinds.Options, kinds.Loose,
    kinds.Limited, kinds.WithAttrs, kinds.FrozenAttrs, kinds.Model, kinds.Struct, kinds.ByConstructor, kinds.Row,
    repositories.Owner, repositories.Buoy, repositories.CrewPlace, Berth, Mooring, Vessel,
]  # fmt: skip


def kept(shelf: Shelf, folder: Path, format: str, *types: type) -> Shelf:
    """What another shelf has, after saving and loading."""
    path = folder / ("shelf.json" if format == "json" else "shelf")
    shelf.save(path, "" if format == "json" else format)
    other = Shelf()
    other.load(path, *types)
    return other


@pytest.mark.parametrize("format", FORMATS)
@pytest.mark.parametrize("record_type", TYPES, ids=lambda t: t.__name__)
def test_what_is_loaded_is_what_was_saved(
    shelf: Shelf, tmp_path: Path, format: str, record_type: type
) -> None:
    told = {
        "anything": rules.among(
            [1, "x", None, 2.5, [1, "a"], (1, 2), {3}, date(2030, 1, 1), {"a": b"x", "b": [(1,)]}]
        )
    }
    shelf.stock(record_type, 25, **(told if record_type is kinds.Plain else {}))
    again = kept(shelf, tmp_path, format, record_type)
    mine, theirs = list(shelf.records(record_type)), list(again.records(record_type))
    if record_type in (kinds.ByConstructor, kinds.Row):  # they have no equality of their own
        mine, theirs = (
            [{k: v for k, v in vars(one).items() if k[0] != "_"} for one in rows]
            for rows in (mine, theirs)
        )
    assert theirs == mine
    assert [unordered(one) for one in theirs] == [unordered(one) for one in mine]


def unordered(record: Any) -> str:
    """A text that shows types too, and no order where there is none."""
    return re.sub(r"\{[^{}:]*\}", lambda match: "".join(sorted(match[0])), repr(record))


@dataclass
class Awkward:
    id: int
    text: str
    maybe: str | None
    real: float
    money: Decimal
    moment: datetime
    hour: time
    span: timedelta
    raw: bytes
    either: int | str | datetime | list[int]
    anything: Any
    table: dict[int, str]
    code: UUID | None


AWKWARD = [
    Awkward(1, "", None, float("inf"), Decimal("1.500"), datetime(2030, 1, 1, tzinfo=UTC), time(1, 2, 3, 4),
            timedelta(days=-1, microseconds=7), b"\0\xff", 5, None, {}, None),
    Awkward(2, '"quoted"', "", -0.0, Decimal("NaN"), datetime(2030, 7, 1, 12, tzinfo=ZoneInfo("Europe/Stockholm")),
            time(23, tzinfo=UTC), timedelta(0), b"", "5", {"urnshelf": "x"}, {1: "a", 2: "b"}, UUID(int=7)),
    Awkward(2**70, "two\nlines, and a comma", "{", 4, Decimal("1E+9"), datetime(2030, 1, 1, 2, 30, fold=1),
            time(0), timedelta.max, b"x", datetime(2030, 1, 1, tzinfo=timezone(timedelta(hours=-3))), (1, (2, {3})), {}, None),
    Awkward(4, "<absent>", "null", float("nan"), Decimal(0), datetime(1, 1, 1), time(0), timedelta(1), b"a", [1, 2], {1: 2}, {}, None),
]  # fmt: skip


@pytest.mark.parametrize("format", FORMATS)
def test_awkward_values_are_kept(shelf: Shelf, tmp_path: Path, format: str) -> None:
    for record in AWKWARD:
        shelf.stock(record)
    again = list(kept(shelf, tmp_path, format, Awkward).records(Awkward))
    assert [repr(one) for one in again] == [repr(one) for one in shelf.records(Awkward)]


def test_a_value_of_another_type_than_its_field_says_is_kept(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(replace(AWKWARD[0], text=5, real=Decimal(2), money="much"))  # type: ignore[arg-type]
    [again] = kept(shelf, tmp_path, "csv", Awkward).records(Awkward)
    assert (again.text, again.real, again.money) == (5, Decimal(2), "much")


def test_a_saved_file_can_be_compared_line_by_line(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007"))
    shelf.stock(Vessel(id=3, name="Sea Fox", call_sign="SF-0003"))
    shelf.records(Berth)
    shelf.save(tmp_path / "harbour.json")
    lines = (tmp_path / "harbour.json").read_text().splitlines()
    assert lines[:5] == [
        "{",
        '  "format": "urnshelf records",',
        '  "version": 1,',
        '  "tables": {',
        '    "Berth": [],',
    ]
    assert lines[6].startswith('      {"id": 3, "name": "Sea Fox"')
    assert lines[7].startswith('      {"id": 7, "name": "Gray Heron"')
    shelf.save(tmp_path / "again.json")
    assert (tmp_path / "again.json").read_text().splitlines() == lines


def test_a_directory_tells_what_it_has(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Berth, 3)
    shelf.save(tmp_path / "data", "csv")
    manifest = json.loads((tmp_path / "data" / "shelf.json").read_text())
    assert manifest["tables"] == {"Berth": {"file": "berth.csv", "records": 3}}
    assert (tmp_path / "data" / "berth.csv").read_text().startswith("id,code,harbour,")
    assert sorted(p.name for p in (tmp_path / "data").iterdir()) == ["berth.csv", "shelf.json"]


def broken(change: Callable[[str], str], file: str = "harbour.json") -> Callable[[Path], None]:
    """Changes a saved file."""

    def apply(folder: Path) -> None:
        path = folder / file
        path.write_text(change(path.read_text()))

    return apply


FAULTS = {
    "cut off": ("harbour.json", broken(lambda t: t[:300]), r"harbour.json, line \d+, column \d+: it is no JSON"),
    "foreign": ("harbour.json", broken(lambda t: '{"berths": []}'), "harbour.json: it is no file of records that shelf.save"),
    "newer": ("harbour.json", broken(lambda t: t.replace('"version": 1', '"version": 2')), "its version is 2; this release"),
    "field": ("harbour.json", broken(lambda t: t.replace('"id": 2', '"id": "two"')), "harbour.json, line 7, field id: it is 'two', a str, not int"),
    "moment": ("harbour.json", broken(lambda t: re.sub(r'"day_rate": "[^"]+"', '"day_rate": "dear"', t, count=2)), "line 6, field day_rate: 'dear' is no Decimal"),
    "unknown": ("harbour.json", broken(lambda t: t.replace('"harbour"', '"harbor"', 1)), "line 6, field harbor: there is no such field; did you mean 'harbour'"),
    "lacking": ("harbour.json", broken(lambda t: t.replace('"id": 3, ', "")), "line 8, field id: the field is missing"),
    "twice": ("harbour.json", broken(lambda t: t.replace('"id": 3', '"id": 2')), "line 8: a Berth with id=2 is there already"),
    "other layout": ("harbour.json", broken(lambda t: json.dumps(json.loads(t.replace('"id": 2', '"id": []')))), "harbour.json, Berth record 2, field id"),
    "bytes": ("harbour.json", lambda folder: (folder / "harbour.json").write_bytes(b"\xff\xfe"), "no text in UTF-8"),
    "no file": ("nothing.json", lambda folder: None, "nothing.json cannot be read: No such file"),
    "csv cells": ("csv", broken(lambda t: t.replace("\n2,", "\n2,2,"), "csv/berth.csv"), "berth.csv, line 3: 9 cells in a table of 8 columns"),
    "csv field": ("csv", broken(lambda t: t.replace("\n2,", "\ntwo,"), "csv/berth.csv"), "berth.csv, line 3, field id, column 1: it is no JSON"),
    "csv columns": ("csv", broken(lambda t: t.replace("harbour", "port", 1), "csv/berth.csv"), "berth.csv, line 1: the columns are"),
    "csv cut": ("csv", broken(lambda t: "\n".join(t.split("\n")[:3]), "csv/berth.csv"), "it has 2 records, but shelf.json speaks of 3"),
    "jsonl": ("jsonl", broken(lambda t: t.replace('"id": 2', '"id": '), "jsonl/berth.jsonl"), r"berth.jsonl, line 2, column \d+: it is no JSON"),
    "no manifest": ("jsonl", lambda folder: (folder / "jsonl/shelf.json").unlink(), "jsonl has no shelf.json"),
    "no table": ("jsonl", lambda folder: (folder / "jsonl/berth.jsonl").unlink(), "there is no file 'berth.jsonl'"),
    "parquet": ("parquet", lambda folder: (folder / "parquet/berth.parquet").write_bytes(b"PAR1"), "berth.parquet: "),
}  # fmt: skip


@pytest.mark.parametrize("fault", FAULTS)
def test_a_broken_file_changes_nothing(shelf: Shelf, tmp_path: Path, fault: str) -> None:
    source = Shelf(seed=7)
    source.stock(Berth, 3)
    source.save(tmp_path / "harbour.json")
    for format in ("csv", "jsonl", "parquet"):
        source.save(tmp_path / format, format)
    path, breaking, complaint = FAULTS[fault]
    breaking(tmp_path)
    shelf.stock(Vessel, 2)
    with pytest.raises(FileRefused, match=complaint):
        shelf.load(tmp_path / path, Berth)
    assert shelf.records(Berth).count() == 0
    assert shelf.records(Vessel).count() == 2


def test_types_are_told_by_the_user(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Berth, 1)
    shelf.stock(Vessel, 1)
    shelf.save(tmp_path / "harbour.json")
    with pytest.raises(
        FileRefused, match=r"has records of Vessel, too: give their types, shelf.load\(…, Vessel\)"
    ):
        Shelf().load(tmp_path / "harbour.json", Berth)
    with pytest.raises(FileRefused, match="has no records of Mooring; it has Berth, Vessel"):
        Shelf().load(tmp_path / "harbour.json", Berth, Vessel, Mooring)


@dataclass
class Holder:
    id: int
    thing: Any


def test_what_cannot_be_written_is_refused(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Holder(1, object()))
    with pytest.raises(
        FileRefused, match=r"Holder.thing: <object> is a object, and the field's type"
    ):
        shelf.save(tmp_path / "holder.json")
    assert not (tmp_path / "holder.json").exists()
    with pytest.raises(FileRefused, match="choose 'csv', 'jsonl', 'parquet'"):
        Shelf().save(tmp_path / "x", "xml")
    with pytest.raises(FileRefused, match="is one JSON file"):
        Shelf().save(tmp_path / "x.json", "csv")
    (tmp_path / "taken").write_text("")
    with pytest.raises(FileRefused, match="taken cannot be written"):
        Shelf().save(tmp_path / "taken", "csv")


# --- databases --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "record_type",
    [
        Berth,
        Vessel,
        Mooring,
        repositories.Owner,
        repositories.Buoy,
        repositories.CrewPlace,
        kinds.Nested,
        kinds.Limited,
    ],
    ids=lambda t: t.__name__,
)
def test_a_database_and_back(shelf: Shelf, tmp_path: Path, record_type: type) -> None:
    url = f"sqlite:///{tmp_path / 'harbour.db'}"
    shelf.stock(record_type, 20)
    shelf.save_sql(url)
    shelf.save_sql(url)  # the tables are replaced
    other = Shelf()
    other.load_sql(url, record_type)
    assert list(other.records(record_type)) == list(shelf.records(record_type))


def test_some_rows_of_a_foreign_database(shelf: Shelf, tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'harbour.db'}"
    engine = sqlalchemy.create_engine(url, poolclass=sqlalchemy.NullPool)
    with engine.begin() as connection:
        connection.exec_driver_sql(
            "CREATE TABLE berths (id INTEGER, code TEXT, harbour TEXT, length_m REAL, depth_m NUMERIC, day_rate TEXT, "
            "in_service INTEGER, defect TEXT, extra TEXT)"
        )
        connection.exec_driver_sql(
            "INSERT INTO berths VALUES (1, 'A:1', 'Ternhythe', 80, 5, '120.50', 1, NULL, 'x'), "
            "(2, 'A:2', 'Curlhythe', 60.5, 4.5, '90', 0, 'narrow', 'y'), (3, 'B:1', 'Ternhythe', 1, 1, '1', 1, NULL, '')"
        )
    shelf.load_sql(url, Berth, where=(column("harbour") == "Ternhythe") & (column("code") == "A:1"))
    assert list(shelf.records(Berth)) == [
        Berth(1, "A:1", "Ternhythe", 80.0, 5.0, Decimal("120.50"))
    ]
    with engine.begin() as connection:
        connection.exec_driver_sql("UPDATE berths SET day_rate = 'dear' WHERE id = 3")
    with pytest.raises(
        FileRefused, match="table berths, row 3, field day_rate: 'dear' is no Decimal"
    ):
        Shelf().load_sql(url, Berth)
    with pytest.raises(FileRefused, match="row 1: a Berth with id=1 is there already"):
        shelf.load_sql(url, Berth, where=column("id") == 1)
    with pytest.raises(
        FileRefused, match="no column 'vessel_id' for Mooring; it has code, day_rate"
    ):
        shelf.load_sql(url, Mooring, table="berths")
    with pytest.raises(FileRefused, match="no table 'vessel'; it has berths"):
        shelf.load_sql(url, Vessel)
    with pytest.raises(FileRefused, match="cannot be opened"):
        shelf.load_sql("sqlite:////nowhere/at/all.db", Vessel)
    with pytest.raises(FileRefused, match="cannot be read: no such column: colour"):
        shelf.load_sql(url, Berth, where=column("colour") == "red")
    assert shelf.records(Berth).count() == 1
