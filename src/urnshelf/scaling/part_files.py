"""The parts of a plan: each is drawn alone, anywhere, and all together are what one machine draws.

A folder has a file for each part of each table, and what says that a part is whole: its checksums.
So a run that was stopped goes on where it was, and several machines may share one folder.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.errors import FileRefused, RecordRefused
from urnshelf.files.file_table import file_table, plain_name
from urnshelf.files.plan_file import read_plan
from urnshelf.files.planned_table import PlannedTable
from urnshelf.files.whole import unfinished, why
from urnshelf.files.writing import endings, made_folder, write

FORMAT, VERSION = "urnshelf parts", 1
MANIFEST, DONE = "manifest.json", ".parts"
_BLOCK = 1 << 20
_TOLD_BY = 1000
"""By so many records the columns of files get their types."""


class Work(NamedTuple):
    """What is drawn in parts.

    Attributes:
        plan: the plan file.
        seed: goes before that of the plan.
        folder: where the parts are written.
        ending: of their files.
        parts: how many.
    """

    plan: Path
    seed: int | None
    folder: Path
    ending: str
    parts: int

    def told(self, tables: dict[str, PlannedTable], seed: int) -> dict[str, Any]:
        """What the manifest says of it before anything is drawn."""
        return {
            "format": FORMAT, "version": VERSION, "plan": _digest(self.plan), "seed": seed,
            "ending": self.ending, "parts": self.parts,
            "tables": {name: table.count for name, table in tables.items()},
        }  # fmt: skip


class Part(NamedTuple):
    """A part that is whole.

    Attributes:
        number: from 1.
        files: each file by its name in the folder, with its records and its SHA-256.
        was_there: whether it was drawn before.
    """

    number: int
    files: dict[str, dict[str, Any]]
    was_there: bool


def begun(work: Work) -> int:
    """Write what is to be drawn into the folder, or see that it is what is there already.

    Returns:
        How many records there are in all.

    Raises:
        FileRefused: the folder has parts of other work.
        RecordRefused: the plan cannot be read.
    """
    _check(work)
    plan = read_plan(work.plan, work.seed)
    told = work.told(plan.tables, plan.seed)
    path = work.folder / MANIFEST
    known = _read(path)
    if known is not None:
        other = [key for key in told if known.get(key) != told[key]]
        if other:
            raise FileRefused(
                f"{path} is of other work: {other[0]} is {known.get(other[0])!r} there, and "
                f"{told[other[0]]!r} here; give another folder, or take that one away"
            )
    else:
        _write_json(path, told)
    return sum(table.count for table in plan.tables.values())


def draw_part(work: Work, number: int) -> Part:
    """Draw one part, unless it is there and whole.

    Args:
        work: what is drawn.
        number: of the part, from 1.

    Raises:
        FileRefused: a place that cannot be written to.
        RecordRefused: records that cannot be drawn.
    """
    known = _whole_part(work, number)
    if known is not None:
        return Part(number, known, True)
    tables = read_plan(work.plan, work.seed).tables
    files: dict[str, dict[str, Any]] = {}
    with unfinished() as written:
        places = []
        for table in tables.values():
            indexes = slice_of(table.count, number, work.parts)
            path = work.folder / part_name(table.name, number, work)
            made_folder(path)
            shape = file_table(table.what)
            # all parts have the same types, whatever is in them
            shape.told_by = table.first(min(table.count, _TOLD_BY)) if _has_types(path) else None
            write(path, _chunks(table, indexes), shape, written)
            places.append((path, len(indexes)))
    for path, count in places:
        name = path.relative_to(work.folder).as_posix()
        files[name] = {"records": count, "sha256": _digest(path)}
    _write_json(_done(work, number), files)
    return Part(number, files, False)


def finish(work: Work) -> dict[str, Any]:
    """The manifest of all parts, written once every one of them is whole.

    Raises:
        FileRefused: a part is lacking.
    """
    files: dict[str, Any] = {}
    for number in range(1, work.parts + 1):
        known = _read(_done(work, number))
        if known is None:
            raise FileRefused(
                f"{work.folder}: part {number} of {work.parts} is not there; draw it with "
                f"--part {number}/{work.parts}"
            )
        files |= known
    manifest = {**(_read(work.folder / MANIFEST) or {}), "files": files}
    _write_json(work.folder / MANIFEST, manifest)
    return manifest


def lacking(work: Work) -> list[int]:
    """The parts that are not there yet; of those that are there only the names are looked at."""
    every = range(1, work.parts + 1)
    return [number for number in every if not _done(work, number).exists()]


def slice_of(count: int, number: int, parts: int) -> range:
    """The indexes of one part; all parts together have each index once.

    >>> [len(slice_of(10, number, 4)) for number in (1, 2, 3, 4)]
    [2, 3, 2, 3]
    """
    return range(count * (number - 1) // parts, count * number // parts)


def part_name(table: str, number: int, work: Work) -> str:
    """The file of a part, in the folder."""
    width = max(len(str(work.parts)), 5)
    return f"{plain_name(table)}/part-{number:0{width}}{work.ending}"


def _has_types(path: Path) -> bool:
    return path.suffix == ".parquet"


def _chunks(table: PlannedTable, indexes: range) -> Iterator[list[Any]]:
    found = table.chunks(indexes)
    first = next(found, None)
    # a part without records is a file without rows, and has its columns
    yield [] if first is None else first
    yield from found


def _check(work: Work) -> None:
    if work.ending not in endings():
        raise FileRefused(
            f"--format {work.ending.removeprefix('.')}: it must be one of "
            f"{', '.join(one.removeprefix('.') for one in endings())}"
        )
    if work.parts < 1:
        raise RecordRefused(f"--parts {work.parts}: there is one part at the least")


def _done(work: Work, number: int) -> Path:
    return work.folder / DONE / f"{number:05}.json"


def _whole_part(work: Work, number: int) -> dict[str, Any] | None:
    """The files of a part that is there, each as it was written; None where it must be drawn."""
    known = _read(_done(work, number))
    if known is None:
        return None
    for name, told in known.items():
        path = work.folder / name
        if not path.exists() or _digest(path) != told["sha256"]:
            return None
    return known


def _digest(path: Path) -> str:
    found = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while block := file.read(_BLOCK):
                found.update(block)
    except OSError as error:
        raise FileRefused(f"{path} cannot be read: {why(error)}") from None
    return found.hexdigest()


def _read(path: Path) -> dict[str, Any] | None:
    try:
        found = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return None
    except (OSError, ValueError) as error:
        raise FileRefused(f"{path} cannot be read: {error}") from None
    return found if isinstance(found, dict) else None


def _write_json(path: Path, data: dict[str, Any]) -> None:
    made_folder(path)
    try:
        with unfinished() as files:
            files.part(path).write_text(json.dumps(data, indent=2) + "\n", encoding="utf-8")
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None
