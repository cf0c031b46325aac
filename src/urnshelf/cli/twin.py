"""`urnshelf twin`: a fake and what it stands for, run through the same random operations."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple

from rich import box
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn
from rich.table import Table
from rich.text import Text

from urnshelf.cli.explain import interface_named
from urnshelf.cli.showing import console
from urnshelf.errors import TwinRefused
from urnshelf.twins import Checked, Twin
from urnshelf.twins.again import Again
from urnshelf.twins.reports import said_of
from urnshelf.types.loading import load_type

_STYLES = {"confirmed": "green", "differs": "red", "in part": "yellow"}


class Wanted(NamedTuple):
    """What the command line says.

    Args:
        what: the interfaces, as `MODULE:INTERFACE`.
        real: what makes a real one, as `MODULE:FACTORY`.
        arrange: a function of a shelf, likewise.
        sequences: how many.
        seed: of what is drawn.
        replies: a file of kept replies, whose calls are made instead.
    """

    what: list[str]
    real: str
    arrange: str | None
    sequences: int
    seed: int
    replies: str | None


def twin(wanted: Wanted) -> int:
    """Check; the exit code is 1 where something differs.

    Raises:
        TwinRefused: they cannot be compared.
        FileRefused: the file of replies cannot be read.
    """
    forms = [_whole(one) for one in wanted.what]
    real = load_type(wanted.real)
    out = console()
    if wanted.replies is not None:
        return _again(forms, real, wanted.replies, out)
    arrange = None if wanted.arrange is None else load_type(wanted.arrange)
    check = Twin(*forms, real=real, arrange=arrange, sequences=wanted.sequences, seed=wanted.seed)
    with _bar() as progress:
        checked = check.check(progress)
    _tell(checked, out)
    return 1 if checked.differences else 0


def _whole(words: str) -> Any:
    form, method = interface_named(words)
    if method:
        raise TwinRefused(f"{words!r}: a whole interface is checked, {words.rpartition('.')[0]}")
    return form


def _again(forms: list[Any], real: Any, file: str, out: Console) -> int:
    if len(forms) > 1:
        raise TwinRefused("--replies is about one interface")
    again = Again(forms[0], file, real=real).check()
    out.print(Text(again.heading, style="bold"))
    for one in again.differences:
        _report(one, out)
    return 1 if again.differences else 0


@contextmanager
def _bar() -> Iterator[Any]:
    """A bar on a terminal."""
    out = Console(file=sys.stderr)
    if not out.is_terminal:
        yield None
        return
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(),
               TextColumn("sequences, {task.fields[found]} differences"))  # fmt: skip
    with Progress(*columns, console=out, transient=True) as bar:
        task = bar.add_task("twin", found=0)

        def progress(run: int, of: int, found: int) -> None:
            bar.update(task, completed=run, total=of, found=found)

        yield progress


def _tell(checked: Checked, out: Console) -> None:
    out.print(Text(checked.heading, style="bold"), soft_wrap=True)
    out.print()
    table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
    for name in ("method", "", "calls", "hit", "miss", "taken", "raised", ""):
        is_number = name not in ("method", "")
        table.add_column(name, justify="right" if is_number else "left", no_wrap=is_number)
    for one in checked.methods:
        counts = (one.calls, one.hit, one.miss, one.taken, one.raised)
        table.add_row(
            Text(one.method),
            Text(one.state, style=_STYLES.get(one.state, "dim")),
            *(str(count) if count else "" for count in counts),
            Text(said_of(one), style="dim"),
        )
    out.print(table)
    for number, report in enumerate(checked.differences, 1):
        _report(f"{number}. {report}", out)


def _report(report: str, out: Console) -> None:
    """Its first line stands out, and so do both values and what would settle it."""
    first, *lines = report.splitlines()
    out.print()
    out.print(Text(first, style="bold red"), soft_wrap=True)
    for line in lines:
        out.print(Text(line, style=_style(line)), soft_wrap=True)


def _style(line: str) -> str:
    if line.startswith("  ") and not line.startswith("    "):
        return "cyan"
    if line.startswith("        fake "):
        return "green"
    return "red" if line.startswith("        real ") else ""
