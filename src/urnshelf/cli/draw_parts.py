"""`urnshelf draw --parts`: a plan drawn in parts, one after the other, or many at once."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from urnshelf.errors import FileRefused, RecordRefused
from urnshelf.scaling.engines import checked_engine, drawn_by_dask
from urnshelf.scaling.part_files import Part, Work, begun, draw_part, finish, lacking

USUAL = 8


class Parted(NamedTuple):
    """What the command line says of parts.

    Attributes:
        parts: how many; None where it does not say.
        part: `I/N`, of which only one is drawn.
        engine: that draws them; None for this process.
        scheduler: the address of a cluster.
        workers: how many processes the engine starts.
    """

    parts: int | None
    part: str | None
    engine: str | None
    scheduler: str | None
    workers: int | None

    @property
    def is_told(self) -> bool:
        """Whether anything is drawn in parts."""
        return any(one is not None for one in (self.parts, self.part, self.engine, self.scheduler))


def draw_in_parts(plan: Path, seed: int | None, folder: Path, format: str, told: Parted) -> None:
    """Draw what the command line asks for in parts.

    Args:
        plan: the plan file.
        seed: goes before that of the plan.
        folder: where the parts are written.
        format: the ending of their files.
        told: how.
    """
    engine = checked_engine(told.engine)
    if (told.scheduler or told.workers) and engine is None:
        raise RecordRefused("--scheduler and --workers belong to an engine: --engine dask")
    if told.part is not None:
        number, parts = _one_of(told)
        work = Work(plan, seed, folder, f".{format}", parts)
        begun(work)
        _told(work, draw_part(work, number))
        left = len(lacking(work))
        if not left:
            _finished(work)
        else:
            print(f"{folder}: {left} of {parts} parts are lacking")
        return
    parts = USUAL if told.parts is None else told.parts
    if engine is not None:  # its workers may be elsewhere
        plan, folder = plan.resolve(), folder.resolve()
    work = Work(plan, seed, folder, f".{format}", parts)
    begun(work)
    with _progress(parts) as advance:
        if engine is None:
            for number in range(1, parts + 1):
                advance(draw_part(work, number))
        else:
            numbers = list(range(1, parts + 1))
            drawn_by_dask(work, numbers, told.scheduler, told.workers, advance)
            if lacking(work):
                raise FileRefused(
                    f"{folder}: the parts were drawn, and {len(lacking(work))} of them are not "
                    "here: give a folder that the workers and this machine share"
                )
    _finished(work)


def _one_of(told: Parted) -> tuple[int, int]:
    text = told.part or ""
    number, _, parts = text.partition("/")
    if not (number.isdigit() and parts.isdigit()) or not 1 <= int(number) <= int(parts):
        raise RecordRefused(f"--part {text}: write it as I/N, 3/16, the first is 1")
    if told.parts is not None and told.parts != int(parts):
        raise RecordRefused(f"--part {text} and --parts {told.parts} say two things; give one")
    if told.engine is not None:
        raise RecordRefused(f"--part {text} draws one part here: give no engine")
    return int(number), int(parts)


def _told(work: Work, part: Part) -> None:
    records = sum(one["records"] for one in part.files.values())
    there = ", which was there" if part.was_there else ""
    print(f"{work.folder}: part {part.number} of {work.parts}, {records:,} records{there}")


def _finished(work: Work) -> None:
    manifest: dict[str, Any] = finish(work)
    for name, count in manifest["tables"].items():
        print(f"{work.folder / name}: {count:,} records in {work.parts} parts")
    print(f"{work.folder / 'manifest.json'}: the seed, the plan, and the SHA-256 of each file")


@contextmanager
def _progress(parts: int) -> Iterator[Any]:
    """A bar in a terminal; otherwise nothing."""
    kept = [0]
    if not sys.stderr.isatty():

        def note(part: Part) -> None:
            kept[0] += part.was_there

        yield note
    else:
        columns = (
            TextColumn("{task.description}"), BarColumn(complete_style="cyan"),
            MofNCompleteColumn(), TextColumn("parts"), TimeRemainingColumn(),
        )  # fmt: skip
        with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
            task = bar.add_task("draw", total=parts)

            def advance(part: Part) -> None:
                kept[0] += part.was_there
                bar.advance(task)

            yield advance
    if kept[0]:
        print(f"{kept[0]} of {parts} parts were there already, and are kept")
