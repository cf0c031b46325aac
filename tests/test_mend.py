"""Test files mended: literals of assertions, and nothing else, as they are now."""

import subprocess
import sys
from pathlib import Path

import pytest

from urnshelf.cli.main import main

SERVICE = """
from datetime import UTC, date, datetime
from decimal import Decimal
from enum import Enum


class State(Enum):
    OPEN = "open"
    SHUT = "shut"


class Ferry:
    def __init__(self, tides):
        self.tides = tides

    def fare(self, people):
        return Decimal("2.50") * people

    def state(self, depth_m):
        return State.OPEN if depth_m > 2 else State.SHUT

    def board(self, people):
        if people > 20:
            raise ValueError(f"no room for {people} (of 20)")
        return {"people": people, "at": datetime(2030, 6, 1, 12, tzinfo=UTC), "day": date(2030, 6, 1)}

    def wait(self):
        for _ in range(2):
            try:
                return self.tides.depth_at("Ternhythe", datetime(2030, 6, 1, tzinfo=UTC))
            except OSError:
                continue
"""
TESTS = """
import re
from datetime import UTC, date, datetime
from decimal import Decimal

import pytest
from ferry import Ferry, State

from urnshelf import cue, raising, tally
from urnshelf.demo.harbour import TideService


@pytest.fixture
def ferry(shelf):
    return Ferry(shelf.fake(TideService))


def test_fare(ferry):
    assert ferry.fare(2) == Decimal("5.00")  # é: in bytes
    assert Decimal("7.50") == ferry.fare(3) and ferry.state(1) is State.SHUT


def test_full(ferry):
    with pytest.raises(ValueError, match="no room for 21"):
        ferry.board(21)
    with pytest.raises(ValueError, match=re.escape("21 (of 20)")) as told:
        ferry.board(21)
    assert str(told.value) == "no room for 21 (of 20)"


class TestBoarding:
    def test_few(self, ferry):
        assert ferry.board(4) == {
            "people": 4,
            "at": datetime(2030, 6, 1, 12, tzinfo=UTC),
            "day": date(2030, 6, 1),
        }


def test_silent(ferry, shelf):
    tides = shelf.fake(TideService)
    cue(tides.depth_at).gives(raising(OSError()))
    assert ferry.wait() is None
    assert tally(tides.depth_at) == 2


@pytest.mark.parametrize("people", [1, 2])
def test_each(ferry, people):
    assert ferry.board(people)["day"] == date(2030, 6, 1)
    assert ferry.fare(people) / people == pytest.approx(Decimal("2.50"))
"""


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    Path("ferry.py").write_text(SERVICE)
    Path("test_ferry.py").write_text(TESTS)
    return tmp_path


def mend(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, str]:
    code = main(["mend", "test_ferry.py", *words])
    told = capsys.readouterr()
    return code, told.out + told.err


def change(old: str, new: str) -> None:
    assert old in SERVICE
    Path("ferry.py").write_text(Path("ferry.py").read_text().replace(old, new))


def changes(told: str) -> list[str]:
    return [
        line for line in told.splitlines() if line[:1] in "+-" and line[:3] not in ("+++", "---")
    ]


def test_nothing_is_to_be_mended(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert mend(capsys) == (0, "test_ferry.py: nothing to be mended\n")


def test_exactly_the_values_that_changed(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    change('"2.50"', '"2.75"')  # a price
    change("range(2)", "range(3)")  # a retry
    code, told = mend(capsys)
    assert code == 1
    assert changes(told) == [
        '-    assert ferry.fare(2) == Decimal("5.00")  # é: in bytes',
        '-    assert Decimal("7.50") == ferry.fare(3) and ferry.state(1) is State.SHUT',
        '+    assert ferry.fare(2) == Decimal("5.50")  # é: in bytes',
        '+    assert Decimal("8.25") == ferry.fare(3) and ferry.state(1) is State.SHUT',
        "-    assert tally(tides.depth_at) == 2",
        "+    assert tally(tides.depth_at) == 3",
        '-    assert ferry.fare(people) / people == pytest.approx(Decimal("2.50"))',
        '+    assert ferry.fare(people) / people == pytest.approx(Decimal("2.75"))',
    ]
    assert told.endswith("3 tests to be mended: urnshelf mend test_ferry.py --write\n")
    assert Path("test_ferry.py").read_text() == TESTS  # only told
    code, told = mend(capsys, "--write")
    assert (code, told.splitlines()[-1]) == (0, "test_ferry.py: 3 tests mended")
    assert mend(capsys)[0] == 0
    run = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "test_ferry.py"]
    assert subprocess.run(run, capture_output=True, check=False).returncode == 0


def test_messages_states_and_values_inside(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    change("no room for {people} (of 20)", "{people} are too many (20*1 fit)")
    change("depth_m > 2", "depth_m > 0")
    change('"people": people', '"people": people + 1')
    change("date(2030, 6, 1)}", "date(2030, 6, 2)}")
    _, told = mend(capsys)
    assert [line for line in changes(told) if line[0] == "+"] == [
        '+    assert Decimal("7.50") == ferry.fare(3) and ferry.state(1) is State.OPEN',
        r'+    with pytest.raises(ValueError, match=r"21 are too many \(20\*1 fit\)"):',
        '+    with pytest.raises(ValueError, match=re.escape("21 are too many (20*1 fit)")) as told:',
        '+    assert str(told.value) == "21 are too many (20*1 fit)"',
        '+        assert ferry.board(4) == {"people": 5, "at": datetime(2030, 6, 1, 12, 0, tzinfo=UTC), "day": date(2030, 6, 2)}',
        '+    assert ferry.board(people)["day"] == date(2030, 6, 2)',
    ]


def test_a_path_that_changed_is_drafted_again(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    change(
        "if people > 20:",
        "if people == 4:\n            raise RuntimeError('four')\n        if people > 21:",
    )
    code, told = mend(capsys, "--write")
    assert code == 1
    assert told.splitlines() == [
        "test_ferry.py  test_full: its path has changed, Failed: DID NOT RAISE ValueError: draft it again",
        "test_ferry.py  TestBoarding::test_few: its path has changed, RuntimeError: four (ferry.py:24): draft it again",
    ]
    assert Path("test_ferry.py").read_text() == TESTS


def test_what_cannot_be_mended_is_told(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    Path("test_ferry.py").write_text(
        TESTS
        + """

@pytest.mark.parametrize("people", [1, 2])
def test_another(ferry, people):
    assert ferry.fare(people) == Decimal("9.00")


def test_object(ferry):
    assert ferry.tides == 7


def test_without_a_literal(ferry):
    assert ferry.fare(1) == ferry.fare(2)
"""
    )
    code, told = mend(capsys)
    lines = told.splitlines()
    assert (code, len(lines)) == (1, 3)
    assert lines[0].endswith(
        "it met more than one value, Decimal('2.50') and Decimal('5.00'): which one is meant?"
    )
    assert "test_object: it met <" in lines[1]
    assert lines[1].endswith(">, which cannot be written there")
    assert lines[2].endswith(
        "test_without_a_literal: it compares with no literal, and fails: look at it"
    )


def test_ends_of_lines_and_odd_characters_stay(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    text = "\ufeffTEXT = 'a\u2028b'\r\n\x0c\r\ndef test_it():\r\n    x = 'é'; assert 1 + 1 == 3\r\n"
    Path("test_ferry.py").write_bytes((text + "    y = 5\r\n    assert y is None\r\n").encode())
    code, told = mend(capsys, "--write")
    assert code == 1
    assert "it met 5, which cannot be written there" in told
    mended = text.replace("== 3", "== 2") + "    y = 5\r\n    assert y is None\r\n"
    assert Path("test_ferry.py").read_bytes() == mended.encode()


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (
            "# coding: latin-1\ndef test_it(): ...\n",
            "it is written in iso-8859-1, and UTF-8 is needed",
        ),
        ("def broken(:", "test_ferry.py, line 1: it is no Python: "),
        ("import nowhere_at_all\n", "No module named 'nowhere_at_all'"),
        ("VALUE = 7\n", "test_ferry.py: there are no tests in it"),
        (None, "test_ferry.py cannot be read: "),
    ],
)
def test_a_file_that_is_none(
    folder: Path, capsys: pytest.CaptureFixture[str], text: str | None, told: str
) -> None:
    path = Path("test_ferry.py")
    path.unlink() if text is None else path.write_text(text)
    code, said = mend(capsys)
    assert code in (1, 2)
    assert told in said
