"""The command line: no traceback whatever is wrong, hints where a name is wrong, previews that can
be read.
"""

from __future__ import annotations

import os
import re
import resource
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from rich.cells import cell_len

import odd_types
from urnshelf import Urn
from urnshelf.cli.main import main
from urnshelf.cli.showing import cell, record_table
from urnshelf.near_names import nearest

LAMP = "odd_types:Lamp"
MODULES = {
    "fails": "y = 1 / 0",
    "syntax": "def (",
    "leaves": "import sys; sys.exit(3)",
    "lacks": "import no_such_thing",
}


def command(*words: str, **options: Any) -> subprocess.CompletedProcess[str]:
    # what measures the tests would want to write to a full place, too
    environment = {name: told for name, told in os.environ.items() if not name.startswith("COV")}
    environment["PYTHONPATH"] = str(Path(__file__).parent)
    return subprocess.run(
        [sys.executable, "-m", "urnshelf.cli", *words],
        capture_output=True, text=True, env=environment, check=False, **options,
    )  # fmt: skip


@pytest.fixture
def here(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder of one's own, with some modules and plans."""
    for name, text in MODULES.items():
        (tmp_path / f"{name}.py").write_text(text + "\n")
    (tmp_path / "folder.csv").mkdir()
    (tmp_path / "folder.toml").mkdir()
    plan = 'format = 1\n[tables.a]\ntype = "odd_types:Lamp"\n'
    for name, more in {
        "rules": "rules = 5", "count": 'count = "many"', "seed": "", "type": "", "schema": "",
    }.items():  # fmt: skip
        text = plan + more
        text = text.replace('"odd_types:Lamp"', "5") if name == "type" else text
        text = text.replace('type = "odd_types:Lamp"', "schema = [1]") if name == "schema" else text
        (tmp_path / f"{name}.toml").write_text(("seed = true\n" if name == "seed" else "") + text)
    (tmp_path / "five.toml").write_text("format = 1\ntables = 5\n")
    (tmp_path / "list.toml").write_text('format = 1\n[tables.a]\nschema = "list.json"\n')
    (tmp_path / "list.json").write_text("[1]")
    monkeypatch.chdir(tmp_path)
    return tmp_path


@pytest.mark.parametrize(
    ("words", "complaint"),
    [
        ("draw fails:X", "cannot be imported: ZeroDivisionError: division by zero (line 1 of"),
        ("draw syntax:X", "cannot be imported: SyntaxError"),
        ("draw leaves:X", "cannot be imported: SystemExit: 3"),
        ("draw lacks:X", "cannot be imported: No module named 'no_such_thing'"),
        ("draw urnshelf.demo.harbor:Vessel", "did you mean 'urnshelf.demo.harbour'?"),
        ("draw jsn:X", "there is no module jsn; did you mean 'json'"),
        ("draw qqqqqq:X", "there is no module qqqqqq; modules are looked for from here on"),
        ("draw urnshelf.demo.harbour:Vesel", "has no 'Vesel'; did you mean 'Vessel'"),
        ("draw odd_types:Lamp.nam", "Lamp has no 'nam'"),
        ("draw odd_types", "a type is named as MODULE:NAME"),
        ("explain urnshelf.demo.harbour:BerthRepositry", "did you mean 'BerthRepository'"),
        ("explain urnshelf.demo.harbour:BerthRepository.gett", "has no 'gett'; did you mean 'get'"),
        ("explain odd_types:Lamp[", "write the type arguments as MODULE:INTERFACE[TYPE]"),
        ("explain odd_types:Lamp[int]", "'Lamp' is not subscriptable"),
        (f"draw {LAMP} --set nam=x", "Lamp has no field 'nam'; did you mean 'name'"),
        (f"draw {LAMP} --set name", "write it as field=value"),
        (f"draw {LAMP} -o folder.csv", "folder.csv is a directory, and a file is to be written"),
        (f"draw {LAMP} -o fails.py/x.csv", "cannot be made: "),
        (f"draw {LAMP} -o /proc/x.csv", "/proc/x.csv cannot be written: "),
        (f"draw {LAMP} -o x.doc", "the ending must be one of"),
        (f"draw {LAMP} --picture /proc/x.png", "/proc/"),
        (f"draw {LAMP} --picture x.jpg", "the ending must be .png"),
        ("draw folder.toml", "folder.toml cannot be read: Is a directory"),
        ("draw gone.toml", "gone.toml cannot be read: No such file"),
        ("draw rules.toml", "table 'a': rules = 5, but a table is needed, [tables.a.rules]"),
        ("draw count.toml", "count = 'many', but a whole number from 0 is needed"),
        ("draw seed.toml", "seed = True, but a whole number from 0 is needed"),
        ("draw type.toml", "type = 5, but a text is needed"),
        ("draw schema.toml", "schema = [1], but a text is needed"),
        ("draw five.toml", "there are no tables"),
        ("draw list.toml", "list.json is no JSON Schema, but [1]"),
        ("draw odd_types:Late", "nothing can be set (line"),
    ],
)
def test_whatever_is_wrong_there_is_no_traceback(
    here: Path, capsys: pytest.CaptureFixture[str], words: str, complaint: str
) -> None:
    assert main(words.split()) in (2, 3)
    captured = capsys.readouterr()
    assert captured.err.startswith("urnshelf: ")
    assert complaint in captured.err
    assert captured.err.count("\n") == 1
    assert captured.out == ""


@pytest.mark.parametrize("words", ["-n abc", "-n -3", "-n 1.5", "--seed x"])
def test_numbers_that_are_none(capsys: pytest.CaptureFixture[str], words: str) -> None:
    with pytest.raises(SystemExit):
        main(["draw", LAMP, *words.split()])
    error = capsys.readouterr().err.splitlines()[-1]
    assert words.split()[1] in error
    assert "_count" not in error


def test_a_full_place_and_a_closed_pipe(tmp_path: Path) -> None:
    def full() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)

    for ending in ("csv", "json", "jsonl", "parquet"):
        out = str(tmp_path / f"x.{ending}")
        done = command("draw", LAMP, "-n", "5000", "-o", out, preexec_fn=full)
        assert (done.returncode, done.stderr.count("\n")) == (2, 1), done.stderr
        assert "cannot be written: File too large" in done.stderr
        assert list(tmp_path.iterdir()) == []
    draw = f"{sys.executable} -m urnshelf.cli draw {LAMP} -n 20"
    done = subprocess.run(
        ["bash", "-c", f"set -o pipefail; ({draw}; echo code $? >&2) | true"],
        capture_output=True, text=True, check=False,
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parent)},
    )  # fmt: skip
    assert done.stderr == "code 0\n"


def test_ctrl_c_is_no_error_of_ours(tmp_path: Path) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "urnshelf.cli", "draw", LAMP, "-n", "3000000", "-o", "x.jsonl"],
        cwd=tmp_path, stderr=subprocess.PIPE, text=True,
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parent)},
    )  # fmt: skip
    for _ in range(200):
        time.sleep(0.05)
        if list(tmp_path.iterdir()):
            break
    said = ""
    for _ in range(5):
        process.send_signal(signal.SIGINT)
        try:
            said = process.communicate(timeout=3)[1]
            break
        except subprocess.TimeoutExpired:
            pass  # Python loses one that comes within the callback of a weak reference
    assert (said.splitlines()[-1:], process.returncode) == (["urnshelf: stopped"], 130)
    assert list(tmp_path.iterdir()) == []


def test_values_are_shown_as_they_are(capsys: pytest.CaptureFixture[str]) -> None:
    for value, shown in (
        ("[/b]", "[/b]"),
        ("[bold]x", "[bold]x"),
        (":smile:", ":smile:"),
        ("a\x1b[31mred", r"'a\x1b[31mred'"),
        ("two\nlines", r"'two\nlines'"),
        ("$x_{$", "$x_{$"),
    ):
        assert main(["draw", LAMP, "-n", "2", "--set", f"name={value}"]) == 0
        assert capsys.readouterr().out.count(shown) == 2


def test_signs_in_a_picture(tmp_path: Path) -> None:
    path = tmp_path / "x.png"
    assert main(["draw", LAMP, "--set", "name=$x_{$ 日本", "--picture", str(path)]) == 0
    assert path.read_bytes().startswith(b"\x89PNG")


# --- previews -------------------------------------------------------------------------------------


def preview(what: Any, width: int, n: int = 5) -> list[str]:
    from io import StringIO

    from rich.console import Console

    out = Console(file=StringIO(), width=width, markup=False)
    fields = list(what.__dataclass_fields__)
    out.print(record_table("title", fields, Urn(7).draw(what, n), width))
    return out.file.getvalue().splitlines()  # type: ignore[attr-defined, no-any-return]


@pytest.mark.parametrize("width", [60, 120, 200])
def test_many_columns_are_shown_downwards(width: int) -> None:
    lines = preview(odd_types.Wide, width)
    assert all(cell_len(line) <= width for line in lines)
    text = "\n".join(lines)
    # each name whole, in one line, with its value beside it
    for name in odd_types.Wide.__dataclass_fields__:
        assert re.search(rf"(?m)^{name}\s+\S", text)
    shown = len(re.findall(r"record \d", text))
    assert shown == {60: 1, 120: 3, 200: 5}[width]
    assert (f"there is room for {shown}" in text) == (shown < 5)
    assert Urn(7).draw(odd_types.Wide).measure_number_29 in text  # type: ignore[attr-defined]


@pytest.mark.parametrize("width", [40, 60, 200])
def test_wide_letters_keep_the_columns(width: int) -> None:
    drawn: Callable[..., Any] = Urn(7).draw
    records = drawn(odd_types.Signs, 3, note="漢字" * 30, tail="end")
    from io import StringIO

    from rich.console import Console

    out = Console(file=StringIO(), width=width)
    fields = list(odd_types.Signs.__dataclass_fields__)
    out.print(record_table(None, fields, records, width))
    lines = out.file.getvalue().splitlines()  # type: ignore[attr-defined]
    assert all(cell_len(line) <= width for line in lines)
    assert sum(line.count("字") for line in lines) == 90 if width > 40 else 30
    assert "日本語の名前" in "\n".join(lines)
    assert cell("漢字") == "漢字"


def test_a_name_that_is_near_nothing_is_not_guessed() -> None:
    assert nearest("zzz", ["harbour"]) == "it has harbour"


# --- help and completion --------------------------------------------------------------------------


def helped(*words: str) -> str:
    return command(*words, "--help").stdout


def test_every_command_shows_an_example_that_is_one_of_its_own() -> None:
    from urnshelf.cli.main import _parser

    commands = re.findall(r"^    ([a-z]+) ", helped(), re.M)
    assert len(commands) >= 9
    for name in commands:
        example = helped(name).partition("example:\n")[2]
        line = re.search(rf"urnshelf ({name} [^;]*)", example.replace("\\\n", " "))
        assert line is not None, name
        assert _parser().parse_args(line[1].split()).command == name


def test_the_examples_of_drawing_explaining_and_comparing_run(tmp_path: Path) -> None:
    for name in ("draw", "explain", "tour"):
        example = helped(name).partition("example:\n")[2].strip()
        done = command(*example.split()[1:], cwd=tmp_path)
        assert done.returncode == 0, done.stderr
    assert (tmp_path / "vessels.csv").read_text().count("\n") == 101


def test_a_shell_is_told_how_a_line_goes_on(tmp_path: Path) -> None:
    line = "urnshelf dr"
    environment = {
        **os.environ, "_ARGCOMPLETE": "1", "COMP_LINE": line, "COMP_POINT": str(len(line)),
        "_ARGCOMPLETE_IFS": "\n", "_ARGCOMPLETE_SHELL": "bash", "ARGCOMPLETE_USE_TEMPFILES": "1",
    }  # fmt: skip
    told = tmp_path / "told"
    environment["_ARGCOMPLETE_STDOUT_FILENAME"] = str(told)
    words = [sys.executable, "-m", "urnshelf.cli"]
    subprocess.run(words, env=environment, timeout=60, check=False)
    assert sorted(told.read_text().split()) == ["draft", "draw"]
