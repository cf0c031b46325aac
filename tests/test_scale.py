"""Drawing beyond one machine: parts, an engine, pipes, Dask's data frames."""

from __future__ import annotations

import csv
import hashlib
import json
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path

import pandas
import pyarrow.parquet
import pytest
from pandas.testing import assert_frame_equal

from urnshelf import RecordRefused, Shelf, Urn, rules
from urnshelf.cli.main import main
from urnshelf.demo.harbour import Berth, Mooring, Vessel

SEASON = Path(__file__).parents[1] / "examples" / "season.toml"


def files_of(folder: Path) -> dict[str, str]:
    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("part-*"))
    }


def rows_of(path: Path) -> list[dict[str, str]]:
    return list(csv.DictReader(path.read_text().splitlines()))


def test_the_parts_together_are_what_one_process_writes(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "parts"
    assert main(["draw", str(SEASON), "-o", str(folder), "--format", "jsonl", "--parts", "5"]) == 0
    assert main(["draw", str(SEASON), "-o", str(tmp_path / "*.jsonl")]) == 0
    for table in ("vessels", "moorings", "lines"):
        parts = sorted((folder / table).glob("part-*.jsonl"))
        assert len(parts) == 5
        together = b"".join(part.read_bytes() for part in parts)
        assert together == (tmp_path / f"{table}.jsonl").read_bytes()
    manifest = json.loads((folder / "manifest.json").read_text())
    assert {name: one["sha256"] for name, one in manifest["files"].items()} == files_of(folder)
    assert manifest["seed"] == 7
    assert "SHA-256 of each file" in capsys.readouterr().out


def test_one_part_is_drawn_alone_anywhere(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = ["draw", str(SEASON), "--format", "csv", "-o"]
    assert main([*words, str(tmp_path / "all"), "--parts", "3"]) == 0
    for number in (3, 1, 2):
        assert main([*words, str(tmp_path / "alone"), "--part", f"{number}/3"]) == 0
    told = capsys.readouterr().out
    assert "2 of 3 parts are lacking" in told
    assert files_of(tmp_path / "all") == files_of(tmp_path / "alone")


def test_a_run_that_was_stopped_goes_on(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    words = ["draw", str(SEASON), "-o", str(tmp_path / "a"), "--format", "csv", "--parts", "4"]
    assert main(words) == 0
    whole = files_of(tmp_path / "a")
    # one part is gone, and another was written only half
    (tmp_path / "a" / "lines" / "part-00002.csv").unlink()
    broken = tmp_path / "a" / "vessels" / "part-00003.csv"
    broken.write_bytes(broken.read_bytes()[:100])
    untouched = (tmp_path / "a" / "lines" / "part-00001.csv").stat().st_mtime_ns
    assert main(words) == 0
    assert files_of(tmp_path / "a") == whole
    assert (tmp_path / "a" / "lines" / "part-00001.csv").stat().st_mtime_ns == untouched
    assert "2 of 4 parts were there already" in capsys.readouterr().out


def test_other_work_in_the_same_folder_is_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = ["draw", str(SEASON), "-o", str(tmp_path / "a"), "--parts", "2"]
    assert main(words) == 0
    before = files_of(tmp_path / "a")
    assert main([*words, "--seed", "8"]) == 2
    assert "seed is 7 there, and 8 here; give another folder" in capsys.readouterr().err
    assert main([*words[:-1], "3"]) == 2
    assert "parts is 2 there, and 3 here" in capsys.readouterr().err
    assert files_of(tmp_path / "a") == before


def test_dask_draws_the_same_files_in_other_processes(tmp_path: Path) -> None:
    words = ["draw", str(SEASON), "--format", "parquet", "--parts", "4", "-o"]
    assert main([*words, str(tmp_path / "here")]) == 0
    command = [sys.executable, "-m", "urnshelf.cli", *words, str(tmp_path / "dask")]
    done = subprocess.run(
        [*command, "--engine", "dask", "--workers", "2"],
        capture_output=True,
        timeout=240,
        check=False,
    )
    assert done.returncode == 0, done.stderr.decode()
    assert files_of(tmp_path / "dask") == files_of(tmp_path / "here")
    frame = pandas.read_parquet(tmp_path / "dask" / "lines")
    assert (frame.quantity * frame.unit_price).round(2).equals(frame.amount.astype(float))


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["--part", "4/3"], "write it as I/N"),
        (["--part", "1/3", "--parts", "4"], "say two things"),
        (["--part", "1/3", "--engine", "dask"], "give no engine"),
        (["--parts", "2", "--engine", "abacus"], "--engine abacus: there is dask"),
        (["--parts", "2", "--scheduler", "tcp://127.0.0.1:1"], "belong to an engine"),
        (["--parts", "0"], "one part at the least"),
        (["--parts", "2", "--format", "xls"], "--format xls: it must be one of csv, json"),
    ],
)
def test_what_the_command_line_says_wrongly_of_parts(
    words: list[str], told: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["draw", str(SEASON), "-o", str(tmp_path / "a"), *words]) == 2
    assert told in capsys.readouterr().err
    assert not list(tmp_path.rglob("part-*"))


def test_parts_need_a_plan_and_a_folder(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["draw", "urnshelf.demo.harbour:Vessel", "-n", "9", "--parts", "2"]) == 2
    assert 'type = "urnshelf.demo.harbour:Vessel", count = 9' in capsys.readouterr().err
    assert main(["draw", str(SEASON), "--parts", "2", "-o", str(tmp_path / "a.csv")]) == 2
    assert "parts go into a folder" in capsys.readouterr().err


def piped(*words: str) -> str:
    command = [sys.executable, "-m", "urnshelf.cli", "draw", *words, "-o", "-"]
    return subprocess.run(command, capture_output=True, check=True, timeout=120).stdout.decode()


def test_a_pipe_takes_json_lines_and_csv(tmp_path: Path) -> None:
    lines = piped("urnshelf.demo.harbour:Vessel", "-n", "30000").splitlines()
    assert len(lines) == 30000
    vessel = Urn(0).draw(Vessel, range(29_999, 30_000))[0]
    assert json.loads(lines[-1])["name"] == vessel.name
    rows = piped(str(SEASON), "--table", "lines", "--format", "csv")
    assert main(["draw", str(SEASON), "-o", str(tmp_path)]) == 0
    assert rows == (tmp_path / "lines.csv").read_text()


def test_a_pipe_takes_one_table_and_no_other_format(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["draw", str(SEASON), "-o", "-"]) == 2
    assert "the plan has vessels, moorings, lines: --table NAME" in capsys.readouterr().err
    assert main(["draw", str(SEASON), "--table", "lanes", "-o", "-"]) == 2
    assert "did you mean 'lines'" in capsys.readouterr().err
    assert main(["draw", str(SEASON), "--table", "lines", "-o", "-", "--format", "parquet"]) == 2
    assert "a pipe takes jsonl or csv" in capsys.readouterr().err
    assert main(["draw", str(SEASON), "--format", "csv"]) == 2
    assert "-o FOLDER, or -o -" in capsys.readouterr().err


def test_the_folder_of_a_plan_has_the_files_of_a_format(tmp_path: Path) -> None:
    assert main(["draw", str(SEASON), "-o", str(tmp_path), "--format", "json"]) == 0
    assert len(json.loads((tmp_path / "vessels.json").read_text())) == 600


# --- data frames of Dask --------------------------------------------------------------------------


@pytest.mark.parametrize("parts", [1, 3, 7])
def test_a_dask_frame_has_the_rows_of_one_machine(parts: int) -> None:
    told = {"vessel_id": rules.dealt(Vessel, (0, 3)), "berth_id": rules.link(Berth)}
    frame = Urn(seed=3).dask_frame(Mooring, 2000, npartitions=parts, **told)
    assert frame.npartitions == parts
    whole = Urn(seed=3).data_frame(Mooring, 2000, **told)
    drawn = frame.compute(scheduler="sync")
    assert_frame_equal(drawn, whole, check_dtype=False)
    assert isinstance(drawn.dues[7], Decimal)


def test_what_was_set_holds_in_other_processes(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PYTHONHASHSEED", "0")  # the engine sets it, and leaves it so
    urn = Urn(seed=3)
    urn.set_rules(Vessel, flag=rules.among("NO", "DK"))
    frame = urn.dask_frame(Vessel, 300, npartitions=2).compute(scheduler="processes")
    assert_frame_equal(frame, urn.data_frame(Vessel, range(300)), check_dtype=False)


def test_a_dask_frame_that_cannot_be(shelf: Shelf) -> None:
    with pytest.raises(RecordRefused, match="the urn of a shelf draws by what is on it"):
        shelf.urn.dask_frame(Vessel, 10)
    with pytest.raises(RecordRefused, match="npartitions=0"):
        Urn(1).dask_frame(Vessel, 10, npartitions=0)
    with pytest.raises(RecordRefused, match="takes a record type, not int"):
        Urn(1).dask_frame(int, 10)


def test_without_dask_it_says_what_to_install(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "dask.dataframe", None)
    with pytest.raises(RecordRefused, match=r'pip install "urnshelf\[scale\]"'):
        Urn(1).dask_frame(Vessel, 10)


def test_a_link_to_many_keeps_none_of_them(tmp_path: Path, plan_of: Callable[[str], Path]) -> None:
    plan = plan_of(
        """
        [tables.vessels]
        count = 30_000
        [tables.vessels.rules]
        id = { serial = "V-" }
        kind = { among = ["cargo", "tug"] }
        [tables.moorings]
        count = 900
        [tables.moorings.rules]
        vessel_id = { link = "vessels" }
        days = { among = [1, 9], by = "vessel_id.kind", weights = { cargo = [0, 1], tug = [1, 0] } }
        """
    )
    assert main(["draw", str(plan), "-o", str(tmp_path)]) == 0
    vessels = {row["id"]: row["kind"] for row in rows_of(tmp_path / "vessels.csv")}
    moorings = rows_of(tmp_path / "moorings.csv")
    assert len({row["vessel_id"] for row in moorings}) > 800
    for row in moorings:
        assert row["days"] == ("9" if vessels[row["vessel_id"]] == "cargo" else "1")


@pytest.fixture
def plan_of(tmp_path: Path) -> Callable[[str], Path]:
    def make(text: str) -> Path:
        path = tmp_path / "plan.toml"
        path.write_text("format = 1\nseed = 7\n" + text)
        return path

    return make


def test_parts_of_parquet_have_the_same_types(
    tmp_path: Path, plan_of: Callable[[str], Path]
) -> None:
    plan = plan_of(
        """
        [tables.lamps]
        count = 40
        [tables.lamps.rules]
        id = { serial = "" }
        # none in the first part, and in others
        seen.sometimes_none = { between = [1, 9] }
        seen.rate = { "to 10" = 1, above = 0 }
        seen.by = "id"
        """
    )
    assert main(["draw", str(plan), "-o", str(tmp_path / "a"), "--parts", "4"]) == 0
    parts = sorted((tmp_path / "a" / "lamps").glob("*.parquet"))
    schemas = {str(pyarrow.parquet.read_schema(part)) for part in parts}
    assert len(parts) == 4
    assert len(schemas) == 1
    assert pandas.read_parquet(tmp_path / "a" / "lamps").seen.notna().sum() == 30


def test_an_error_in_another_process_is_told_once(
    tmp_path: Path, plan_of: Callable[[str], Path]
) -> None:
    plan = plan_of(
        '[tables.quays]\ncount = 30\n[tables.quays.rules]\nn = { serial = "" }\n'
        "code = { all_different = { between = [1, 9] } }\n"
    )
    command = [sys.executable, "-m", "urnshelf.cli", "draw", str(plan), "-o", str(tmp_path / "a")]
    done = subprocess.run(
        [*command, "--format", "csv", "--parts", "2", "--engine", "dask", "--workers", "1"],
        capture_output=True, timeout=240, check=False, text=True,
    )  # fmt: skip
    assert done.returncode == 2
    assert done.stderr.strip() == (
        "urnshelf: quays.code: record 10 has no value left, there are only 9 different ones"
    )
    assert not (tmp_path / "a" / "quays" / "part-00001.csv").exists()


@pytest.fixture
def cluster(tmp_path: Path) -> Iterator[tuple[str, Callable[[], None]]]:
    """A scheduler of its own, elsewhere, and what starts a worker of it."""
    started: list[subprocess.Popen[bytes]] = []

    def start(*words: str) -> None:
        command = [sys.executable, "-m", "dask", *words, "--no-dashboard"]
        elsewhere = tmp_path / "elsewhere"
        elsewhere.mkdir(exist_ok=True)
        started.append(subprocess.Popen(
            command, cwd=elsewhere, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        ))  # fmt: skip

    told = tmp_path / "scheduler.json"
    start("scheduler", "--host", "127.0.0.1", "--port", "0", "--scheduler-file", str(told))
    end = time.monotonic() + 60
    while not told.exists() and time.monotonic() < end:
        time.sleep(0.2)
    address = json.loads(told.read_text())["address"]
    yield address, lambda: start("worker", address, "--nthreads", "1")
    for process in reversed(started):
        process.terminate()
        process.wait(30)


def test_a_cluster_by_its_address(tmp_path: Path, cluster: tuple[str, Callable[[], None]]) -> None:
    address, start_worker = cluster
    words = ["draw", str(SEASON), "--format", "jsonl", "--parts", "3", "-o"]
    command = [sys.executable, "-m", "urnshelf.cli", *words, "big", "--engine", "dask"]

    def run() -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [*command, "--scheduler", address],
            cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False,
        )  # fmt: skip

    assert f"--scheduler {address}: it has no workers after 10 seconds" in run().stderr
    start_worker()
    assert run().returncode == 0
    assert main([*words, str(tmp_path / "here")]) == 0
    # the worker's own folder is another one
    assert files_of(tmp_path / "big") == files_of(tmp_path / "here")
