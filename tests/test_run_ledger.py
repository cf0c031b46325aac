"""The ledger of a run: written while it runs, listed, pictured, and as a page."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from pathlib import Path
from textwrap import dedent
from typing import Any
from xml.etree import ElementTree as ET

import pytest
from matplotlib.image import imread

import inner
from urnshelf.cli.main import main

TESTS = """
    from datetime import UTC, datetime
    from typing import Protocol
    import pytest
    from urnshelf import Shelf, cue, raising, whatever
    from urnshelf.demo.harbour import *

    NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)

    class Door(Protocol):
        def open(self, who: str, password: str, pin: int) -> bool: ...

    def test_moor(shelf):
        shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True, length_m=90.0, depth_m=9.0)
        shelf.stock(Vessel(7, "Gray <Heron>", "GH", draught_m=4.1))
        cue(shelf.fake(TideService).depth_at).gives(raising(GaugeSilent("</script>")), 6.3)
        shelf.furnish(MooringDesk).moor(7, NOON)

    def test_door(shelf):
        cue(shelf.fake(Door).open).gives(True)
        shelf.fake(Door).open("ann", password="hunter", pin=1234)

    @pytest.mark.urnshelf(unanswered="empty")
    def test_empty(shelf):
        shelf.fake(TideService).depth_at("Ternhythe", NOON)

    def test_fails(shelf):
        shelf.fake(TideService).depth_at("Curlhythe", NOON)

    @pytest.mark.parametrize("n", range(3))
    def test_none(shelf, n): ...
"""


def run(pytester: pytest.Pytester, *options: str) -> Path:
    pytester.makepyprojecttoml('[tool.urnshelf]\nmasks = ["pin"]')
    inner.run(pytester, dedent(TESTS), "--urnshelf-ledger", "out/run.jsonl", *options)
    return pytester.path / "out" / "run.jsonl"


def lines(file: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in file.read_text().splitlines()]


@pytest.fixture
def ledger(pytester: pytest.Pytester) -> Path:
    return run(pytester)


@pytest.mark.parametrize("options", [(), ("-n", "2")], ids=["one process", "xdist"])
def test_written_while_it_runs(pytester: pytest.Pytester, options: tuple[str, ...]) -> None:
    head, *found = lines(run(pytester, *options))
    assert head == {"format": "urnshelf ledger", "version": 1}
    tests = {one["test"]: one for one in found if "outcome" in one}
    assert len(tests) == 7
    assert tests["test_it.py::test_fails"]["outcome"] == "failed"
    assert tests["test_it.py::test_moor"]["calls"] == 7
    calls = [one for one in found if one["test"] == "test_it.py::test_moor" and "method" in one]
    assert [one["call"] for one in calls] == list(range(1, 8))
    assert calls[1] == {
        "test": "test_it.py::test_moor", "call": 2, "fake": "TideService",
        "method": "TideService.depth_at", "error": "GaugeSilent('</script>')",
        "arguments": {"harbour": "'Ternhythe'", "at": "datetime(2030, 6, 1, 12, 0, tzinfo=UTC)"},
        "from": calls[1]["from"],
        "answered_by": "cue(TideService.depth_at).gives(raising(GaugeSilent('</script>')), 6.3)",
    }  # fmt: skip
    assert calls[0]["statement"] == "SELECT * FROM vessel WHERE id = 7"
    assert calls[0]["from"].endswith("services.py:47 in MooringDesk.moor")


def test_secrets_are_masked(ledger: Path) -> None:
    [door] = [one for one in lines(ledger) if one.get("fake") == "Door"]
    assert door["arguments"] == {"who": "'ann'", "password": "…", "pin": "…"}
    assert "hunter" not in ledger.read_text()


def listed(capsys: pytest.CaptureFixture[str], *words: object) -> str:
    assert main(["ledger", *map(str, words)]) == 0
    return capsys.readouterr().out


def test_listed_and_filtered(ledger: Path, capsys: pytest.CaptureFixture[str]) -> None:
    told = listed(capsys, ledger)
    assert "✗ test_it.py::test_fails  1 call" in told
    assert re.search(r"#1 +VesselRepository.find\(vessel_id=7\) +→ Vessel\(id=7", told)
    assert told.endswith("7 tests, 10 calls\n")
    told = listed(capsys, ledger, "--method", "depth_at", "--test", "moor")
    assert told.endswith("1 test, 2 calls\n")
    assert listed(capsys, ledger, "--errors").endswith("2 tests, 2 calls\n")
    unanswered = listed(capsys, ledger, "--unanswered")
    assert "test_empty" in unanswered
    assert "test_fails" in unanswered
    assert unanswered.endswith("2 tests, 2 calls\n")
    assert listed(capsys, ledger, "--test", "nowhere") == "0 tests, 0 calls\n"


def test_pictured(ledger: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    png, svg = tmp_path / "seq.png", tmp_path / "seq.svg"
    assert "test_moor" in listed(capsys, ledger, "--test", "moor", "--picture", png)
    height, width = imread(png).shape[:2]
    assert width == 1280
    assert height >= 800
    listed(capsys, ledger, "--test", "test_it.py::test_moor", "--picture", svg)
    assert ET.parse(svg).getroot().tag.endswith("svg")
    assert main(["ledger", str(ledger), "--picture", str(png)]) == 2
    told = capsys.readouterr().err
    assert "draws one test, and 4 fit: say which, --test NAME" in told
    assert main(["ledger", str(ledger), "--test", "moor", "--picture", "x.gif"]) == 2
    assert "must be .png or .svg" in capsys.readouterr().err


def test_a_page_has_everything(
    ledger: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    page = tmp_path / "run.html"
    assert listed(capsys, ledger, "--page", page).endswith("7 tests, 10 calls\n")
    text = page.read_text()
    assert not re.findall(r"(?:src|href)=|https?:", text)  # it needs no network
    assert text.count("</script>") == 2
    data = json.loads(re.findall(r'<script type="application/json".*?>(.*?)</script>', text)[0])
    assert [one["g"] for one in data["entries"]] == sorted(one["g"] for one in data["entries"])
    assert len(data["entries"]) == 10
    assert data["entries"][1]["r"] == "raised GaugeSilent('</script>')"
    assert text.count('class="group ') == 7
    assert main(["ledger", str(ledger), "--page", "x.txt"]) == 2
    assert "must be .html" in capsys.readouterr().err


@pytest.mark.skipif(not shutil.which("chromium"), reason="Chromium is not installed")
def test_a_page_of_ten_thousand_calls_in_a_browser(
    ledger: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    head, *rest = lines(ledger)
    [call] = [one for one in rest if one.get("fake") == "Door"]
    many = [head]
    for number in range(500):
        test = f"test_many.py::test_{number}"
        many += [{**call, "test": test, "call": n, "reply": f"'r{n}'"} for n in range(1, 21)]
        many.append({"test": test, "outcome": "passed", "calls": 20, "seeds": [7], "real": []})
    big, page = tmp_path / "big.jsonl", tmp_path / "big.html"
    big.write_text("".join(f"{json.dumps(one)}\n" for one in many))
    assert "500 tests, 10,000 calls" in listed(capsys, big, "--page", page)
    searches = {
        "": "500 tests, 10,000 calls",
        "test_499": "1 test, 20 calls",
        "'r7'": "500 tests, 500 calls",
        "nowhere": "0 tests, 0 calls",
    }
    for word, told in searches.items():
        dumped = subprocess.run(
            ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--dump-dom",
             f"{page.as_uri()}#{word}"],
            capture_output=True, text=True, timeout=60,
        ).stdout  # fmt: skip
        assert told in dumped, word


def test_a_file_that_was_cut_in_the_middle(
    ledger: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    whole = ledger.read_text()
    ledger.write_text(whole[: whole.index("test_door") + 40])
    assert main(["ledger", str(ledger)]) == 1
    told = capsys.readouterr()
    assert "its last line, 10, is cut off; what stands before it is shown" in told.err
    assert told.out.endswith("1 test, 7 calls\n")
    # without its own line the test is there all the same
    ledger.write_text("\n".join(whole.splitlines()[:5]))
    assert main(["ledger", str(ledger)]) == 0
    assert "? test_it.py::test_moor  4 calls" in capsys.readouterr().out


def test_what_is_no_ledger(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "x.jsonl"
    head = '{"format": "urnshelf ledger", "version": 1}'
    for text, told in (
        ("", "it is no ledger"),
        ("{}", "it is no ledger"),
        ("[1]\n", "it is no ledger"),
        (head.replace("1}", "2}"), "its version is 2"),
        (f"{head}\n{{\n{{}}\n", "line 2, column"),
    ):
        file.write_text(text)
        assert main(["ledger", str(file)]) == 2
        assert told in capsys.readouterr().err
    assert main(["ledger", str(tmp_path / "none.jsonl")]) == 2
    assert "cannot be read" in capsys.readouterr().err


def test_a_place_that_cannot_be_written(pytester: pytest.Pytester) -> None:
    (pytester.path / "file").write_text("")
    result = inner.run(pytester, "def test_it(): ...", "--urnshelf-ledger", "file/run.jsonl")
    assert result.ret == 4
    assert "cannot be written" in result.stderr.str()
