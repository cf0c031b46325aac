"""`urnshelf draft`: tests for every path of a service, written into a file of their own."""

from __future__ import annotations

import ast
import json
import os
import subprocess
import sys
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, NamedTuple
from xml.etree import ElementTree

from rich.console import Console
from rich.padding import Padding
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn
from rich.text import Text

from urnshelf.calls.wording import plural
from urnshelf.cli.draft_picture import picture, text_picture
from urnshelf.cli.picture_file import check_picture
from urnshelf.cli.showing import console
from urnshelf.cli.tests_file import need_pytest, pytest_words, read_tests, write_tests
from urnshelf.drafting import Drafts
from urnshelf.drafting import draft as drafted
from urnshelf.drafting.appending import added
from urnshelf.errors import DraftRefused, FileRefused
from urnshelf.types.loading import load_type

_WIDTH = 88


class Wanted(NamedTuple):
    """What the command line says.

    Args:
        what: `MODULE:Service`, `MODULE:Service.method`, or `MODULE:function`.
        output: the file; None to print.
        runs: for each method.
        seed: of what is left to chance.
        bugs: how many are planted; 0 for none.
        picture: a file for one; `-` for text.
        allows: whether side effects are.
    """

    what: str
    output: str | None
    runs: int
    seed: int
    bugs: int
    picture: str | None
    allows: bool


def draft(wanted: Wanted) -> int:
    """Draft tests; the exit code is 0 where some were written, or none was lacking.

    Raises:
        DraftRefused: nothing can be drafted.
        FileRefused: the file cannot be read or written.
    """
    need_pytest("draft")
    if wanted.picture not in (None, "-"):
        check_picture(Path(str(wanted.picture)))
    thing, names = _loaded(wanted.what)
    folder = Path(wanted.output).parent if wanted.output else Path()
    with _bar() as progress:
        drafts = drafted(
            thing, *names, runs=wanted.runs, seed=wanted.seed, plant_bugs=wanted.bugs,
            allow_side_effects=wanted.allows, fixtures=_fixtures(folder),
            width=_line_length(folder), progress=progress,
        )  # fmt: skip
    if wanted.output is None:
        out = Console(stderr=True, highlight=False, markup=False)
        drafts = _passing(drafts, out)
        print(drafts.text, end="")
        _tell(drafts, "", len(drafts.tests), out)
    else:
        drafts = _written(drafts, Path(wanted.output), wanted)
    if wanted.picture == "-":
        print(text_picture(drafts))
    elif wanted.picture:
        picture(drafts, Path(wanted.picture))
    return 0


def _loaded(what: str) -> tuple[Any, list[str]]:
    """What is drafted, and its method."""
    module, colon, names = what.partition(":")
    if not colon:
        raise DraftRefused(
            f"{what!r}: what to draft for is named as MODULE:SERVICE or MODULE:SERVICE.METHOD, for "
            "example urnshelf.demo.harbour.services:MooringDesk.moor"
        )
    holder, dot, method = names.rpartition(".")
    if dot:
        found = load_type(f"{module}:{holder}")
        if isinstance(found, type) and not isinstance(getattr(found, method, None), type):
            return found, [method]
    return load_type(what), []


# --- the file -------------------------------------------------------------------------------------


def _written(drafts: Drafts, path: Path, wanted: Wanted) -> Drafts:
    """Write the file, or what it lacks; the drafts that hold."""
    out = console()
    try:
        mark, old = read_tests(path)
    except FileNotFoundError:
        mark, old = "", None
    if old is None:
        write_tests(path, drafts.text)
        kept = drafts.only(_holding(drafts.tests, drafts.text, "", path, out))
        if len(kept.tests) < len(drafts.tests):
            if kept.tests:
                write_tests(path, kept.text)
            else:
                path.unlink()
        _tell(kept, str(path), len(kept.tests), out)
        return kept
    names = drafts.missing({one: _taken(path, wanted.what, one) for one in drafts.labels})
    if not names:
        out.print(f"{path}: every path that was found has its test there already")
        return drafts
    whole = added(old, drafts.only(names).text)
    write_tests(path, mark + whole)
    kept_names = _holding(names, whole, old, path, out)
    if len(kept_names) < len(names):
        whole = added(old, drafts.only(kept_names).text) if kept_names else old
        write_tests(path, mark + whole)
    _tell(drafts, str(path), len(kept_names), out)
    return drafts


def _holding(names: Sequence[str], text: str, old: str, path: Path, out: Console) -> list[str]:
    """Those of the new tests that pass; the others are told."""
    failed = _failures(path)
    # a name that was there already was changed
    before = _functions_in(old)
    new = [name for name in _functions_in(text) if name not in before]
    called = dict(zip(names, [one for one in new if one.startswith("test_")], strict=False))
    # where no test is named, the file itself cannot be run
    is_broken = any(not name.startswith("test_") for name in failed)
    kept = [name for name in names if not is_broken and called.get(name, name) not in failed]
    for name in names:
        if name not in kept:
            out.print(f"left out, for it fails when pytest runs it: {name}", soft_wrap=True)
    return kept


def _functions_in(text: str) -> list[str]:
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef)
    return [one.name for one in ast.parse(text).body if isinstance(one, kinds)]


# --- running it -----------------------------------------------------------------------------------


def _pytest(path: Path, *words: str, **told: str) -> None:
    paths = [os.getcwd(), *filter(None, [os.environ.get("PYTHONPATH")])]
    subprocess.run(
        pytest_words(path, *words),
        env={**os.environ, **told, "PYTHONPATH": os.pathsep.join(paths)},
        capture_output=True, check=False,
    )  # fmt: skip


def _failures(path: Path) -> set[str]:
    """The tests of a file that fail."""
    with TemporaryDirectory(prefix="urnshelf-") as folder:
        result = Path(folder) / "result.xml"
        _pytest(path, f"--junitxml={result}")
        if not result.is_file():
            raise FileRefused(f"{path.name}: pytest could not run it")
        cases = ElementTree.parse(result).iter("testcase")
        return {
            str(case.get("name"))
            for case in cases
            if case.find("failure") is not None or case.find("error") is not None
        }


def _passing(drafts: Drafts, out: Console) -> Drafts:
    """Those that pass, of tests that are only printed."""
    with TemporaryDirectory(prefix="urnshelf-") as folder:
        path = Path(folder) / "test_drafted.py"
        path.write_text(drafts.text, "utf-8")
        return drafts.only(_holding(drafts.tests, drafts.text, "", path, out))


def _taken(path: Path, what: str, label: str) -> list[list[tuple[int, Any]]]:
    """The ways of a method that each test of a file takes."""
    from urnshelf import taken_run  # it needs pytest

    method = label.rpartition(".")[2] if "." in label else ""
    where = what.rpartition(".")[0] if what.endswith(f".{method}") and method else what
    with TemporaryDirectory(prefix="urnshelf-") as folder:
        result = Path(folder) / "taken.json"
        told = {taken_run.TARGET: f"{where} {method}", taken_run.RESULT: str(result)}
        _pytest(path, "-p", taken_run.__name__, **told)
        if not result.is_file():
            raise FileRefused(f"{path.name}: pytest could not run it, so nothing is added")
        return [[(way[0], way[1]) for way in one] for one in json.loads(result.read_text("utf-8"))]


# --- the project ----------------------------------------------------------------------------------


def _fixtures(folder: Path) -> dict[str, str]:
    """The fixtures of the project's conftest files that take a shelf, by the type they promise."""
    found: dict[str, str] = {}
    here = folder.resolve()
    above = [one for one in (here, *here.parents) if one.is_relative_to(Path.cwd())]
    for place in reversed(above):
        try:
            tree = ast.parse((place / "conftest.py").read_text("utf-8"))
        except (OSError, SyntaxError, UnicodeError):
            continue
        for node in tree.body:
            if isinstance(node, ast.FunctionDef) and _is_fixture(node) and node.returns is not None:
                found[ast.unparse(node.returns).strip("'\"").rpartition(".")[2]] = node.name
    return found


def _is_fixture(node: ast.FunctionDef) -> bool:
    names = [ast.unparse(one).partition("(")[0] for one in node.decorator_list]
    takes_a_shelf = any(one.arg == "shelf" for one in node.args.args)
    return takes_a_shelf and any(name.endswith("fixture") for name in names)


def _line_length(folder: Path) -> int:
    """The longest line, as the project says it to its formatter."""
    import tomllib

    here = folder.resolve()
    for place in (here, *here.parents):
        for name in ("ruff.toml", "pyproject.toml"):
            try:
                data = tomllib.loads((place / name).read_text("utf-8"))
            except (OSError, UnicodeError, tomllib.TOMLDecodeError):
                continue
            tools = data.get("tool", {}) if name == "pyproject.toml" else {"ruff": data}
            for tool in ("ruff", "black"):
                length = tools.get(tool, {}).get("line-length")
                if isinstance(length, int):
                    return length
    return _WIDTH


# --- telling --------------------------------------------------------------------------------------


@contextmanager
def _bar() -> Iterator[Any]:
    """A bar on a terminal that shows how many ways were taken."""
    out = Console(file=sys.stderr)  # the very one: the code that is tried out prints nowhere
    if not out.is_terminal:
        yield None
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(),
               TextColumn("ways, {task.fields[runs]} runs"))  # fmt: skip
    with Progress(*columns, console=out, transient=True) as bar:
        tasks: dict[str, Any] = {}

        def progress(label: str, taken: int, of: int, runs: int) -> None:
            if label not in tasks:
                tasks[label] = bar.add_task(label, runs=0)
            bar.update(tasks[label], completed=taken, total=of, runs=runs)

        yield progress


def _tell(drafts: Drafts, path: str, count: int, out: Console) -> None:
    taken, of = drafts.ways
    where = f"{path}: " if path else ""
    head = f"{where}{plural(count, 'test')}, {taken} of {of} ways, {drafts.runs:,} runs"
    out.print(Text(head, style="bold"), soft_wrap=True)
    parts: list[tuple[str, Collection[Any], str]] = [
        ("ways that no test takes", drafts.unreached, "yellow"),
        ("crashes that no code raises on purpose", drafts.findings, "red"),
        ("defaults that decide", drafts.deciding_replies, "yellow"),
        ("to be looked at", drafts.doubts, "yellow"),
        ("kept from reaching outside", drafts.stopped, "red"),
    ]
    for title, items, style in parts:
        if items:
            out.print(Text(f"{title}:", style=style))
        for item in items:
            _print(out, str(item), "")
    if drafts.planted:
        _tell_planted(drafts, out)


def _print(out: Console, text: str, style: str) -> None:
    """A line that is set in; on a terminal it is folded between words."""
    if out.is_terminal:
        out.print(Padding(Text(text, style=style), (0, 0, 0, 2)))
    else:
        out.print(Text(f"  {text}"), soft_wrap=True)


def _tell_planted(drafts: Drafts, out: Console) -> None:
    killed = [one for one in drafts.planted if one.is_noticed]
    share = 100 * len(killed) // len(drafts.planted)
    out.print(Text(
        f"planted bugs: {len(killed)} of {len(drafts.planted)} noticed ({share} %)", style="bold"
    ))  # fmt: skip
    for one in drafts.planted:
        if not one.is_noticed:
            _print(out, str(one), "yellow")
