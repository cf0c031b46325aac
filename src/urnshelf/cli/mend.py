"""`urnshelf mend`: the literals in a test file's assertions, brought up to date once it is told."""

from __future__ import annotations

import json
import os
import subprocess
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from rich.text import Text

from urnshelf.calls.wording import plural
from urnshelf.cli.showing import console
from urnshelf.cli.tests_file import need_pytest, pytest_words, read_tests, write_tests
from urnshelf.drafting.mending import Doubt, Mended, difference, mended
from urnshelf.drafting.observing import Seen, Site
from urnshelf.errors import FileRefused
from urnshelf.files.whole import why

_STYLES = {"+": "green", "-": "red", "@": "cyan"}


def mend(file: str, is_written: bool) -> int:
    """Show what the assertions of a test file met; the exit code is 0 where nothing is to be
    mended, or all of it was.

    Args:
        file: the test file.
        is_written: whether the new values are written into it.

    Raises:
        FileRefused: no file of tests, or one that is no Python.
    """
    path = Path(file)
    try:
        mark, text = read_tests(path)
    except FileNotFoundError as error:
        raise FileRefused(f"{path} cannot be read: {why(error)}") from None
    told = _observed(path)
    found = mended(text, [Site(*one) for one in told["sites"]], [Seen(*o) for o in told["seen"]])
    doubts = [*found.doubts, *_changed([tuple(one) for one in told["failed"]], path)]
    if not told["ran"] and not doubts:
        raise FileRefused(f"{path.name}: there are no tests in it")
    _show(text, found, doubts, path)
    if not found.tests:
        return 1 if doubts else 0
    if not is_written:
        print(f"{plural(len(found.tests), 'test')} to be mended: urnshelf mend {file} --write")
        return 1
    write_tests(path, mark + found.text)
    print(f"{path}: {plural(len(found.tests), 'test')} mended")
    return 1 if doubts else _judged(path)


def _observed(path: Path) -> dict[str, Any]:
    """What a run of the file saw, in a process of its own."""
    need_pytest("mend")
    from urnshelf import observed_run  # it needs pytest

    with TemporaryDirectory(prefix="urnshelf-") as folder:
        result = Path(folder) / "seen.json"
        told = {observed_run.TARGET: str(path.resolve()), observed_run.RESULT: str(result)}
        run = subprocess.run(
            pytest_words(path, "-p", observed_run.__name__, "--assert=plain"),
            env={**os.environ, **told}, capture_output=True, text=True, check=False,
        )  # fmt: skip
        if not result.is_file():
            lines = [line for line in f"{run.stdout}\n{run.stderr}".splitlines() if line.strip()]
            raise FileRefused(f"{path.name}: pytest could not run it: {lines[-1] if lines else ''}")
        data: dict[str, Any] = json.loads(result.read_text("utf-8"))
        return data


def _changed(failed: list[tuple[str, str, int, str]], path: Path) -> list[Doubt]:
    """Tests that failed by something else than a literal; those with several parameters once."""
    doubts: dict[Doubt, None] = {}
    for test, file, line, told in failed:
        is_own = bool(file) and Path(file).resolve() == path.resolve()
        if is_own and told.startswith(("AssertionError", "assert ")):
            doubts[Doubt(test, line, "it compares with no literal, and fails: look at it")] = None
        else:
            is_pytests = told.startswith("Failed:")  # where it says so tells nothing
            at = "" if is_own or is_pytests or not file else f" ({Path(file).name}:{line})"
            why = f"its path has changed, {told}{at}: draft it again"
            doubts[Doubt(test, line if is_own else 0, why)] = None
    return list(doubts)


def _show(text: str, found: Mended, doubts: list[Doubt], path: Path) -> None:
    out = console()
    for line in difference(text, found.text, path.name).splitlines():
        out.print(Text(line, style=_STYLES.get(line[:1], "")), soft_wrap=True)
    for one in doubts:
        place = f"{path.name}:{one.line}" if one.line else path.name
        out.print(Text(f"{place}  {one.test}: {one.why}", style="yellow"), soft_wrap=True)
    if not found.tests and not doubts:
        out.print(f"{path.name}: nothing to be mended")


def _judged(path: Path) -> int:
    """Run the mended file as it is; its exit code."""
    run = subprocess.run(pytest_words(path), capture_output=True, text=True, check=False)
    if run.returncode:
        print(run.stdout)
    return 1 if run.returncode else 0
