"""`urnshelf draw`: records previewed as a table, written to files, or pictured."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from urnshelf.cli.draw_parts import Parted, draw_in_parts
from urnshelf.cli.showing import console, number_of, record_table
from urnshelf.errors import RecordRefused
from urnshelf.files.file_table import file_table, plain_name
from urnshelf.files.formats import csv, jsonl
from urnshelf.files.plan_file import read_plan
from urnshelf.files.plan_values import from_text
from urnshelf.files.planned_table import PlannedTable, columns_of
from urnshelf.files.whole import unfinished
from urnshelf.files.writing import endings, made_folder, write
from urnshelf.near_names import nearest
from urnshelf.types.forms import type_name
from urnshelf.types.loading import load_type
from urnshelf.urn.drawing import Urn
from urnshelf.urn.rules.given import constant

SHOWN = 20
LONG = 50_000


def draw(
    what: str,
    count: int | None,
    seed: int | None,
    fields: list[str],
    out: str | None,
    picture: str | None,
    format: str | None,
    only: str | None,
    parted: Parted,
) -> None:
    """Draw what the command line asks for.

    Args:
        what: MODULE:TYPE, or a plan file.
        count: how many records; 20 where not given; not for a plan file.
        seed: the seed; 0, or the plan's, where not given.
        fields: `field=value` words.
        out: a file, or a folder for the tables of a plan.
        picture: a PNG file.
        only: one table of a plan.
        format: of the files in a folder, or of what is written to a pipe.
        parted: whether and how it is drawn in parts.
    """
    if parted.is_told:
        _in_parts(what, count, fields, seed, out, format or "parquet", parted)
        return
    if format is not None and out is None:
        raise RecordRefused(f"--format {format} is that of files, or of a pipe: -o FOLDER, or -o -")
    if what.endswith(".toml"):
        if count is not None or fields:
            raise RecordRefused(
                "a plan file tells the counts and rules itself: -n and --set go with MODULE:TYPE"
            )
        _draw_plan(_tables(Path(what), seed, only), out, picture, format)
        return
    table = _table(load_type(what), SHOWN if count is None else count, seed or 0, fields)
    if picture is not None:
        from urnshelf.cli.picture import save_picture

        save_picture(table, Path(picture))
        print(f"{picture}: {len(table.columns)} fields of {number_of(range(table.count))}")
    if out == "-":
        _stream([table], format)
    elif out is not None:
        _write([(table, _of_format(Path(out), format))])
    if out is None and picture is None:
        _preview(table)


def _table(what: object, count: int, seed: int, fields: list[str]) -> PlannedTable:
    columns = columns_of(what)
    rules = {}
    for word in fields:
        name, equals, text = word.partition("=")
        if not equals:
            raise RecordRefused(f"--set {word}: write it as field=value")
        if name not in columns:
            raise RecordRefused(
                f"--set {word}: {type_name(what)} has no field {name!r}; {nearest(name, columns)}"
            )
        rules[name] = constant(from_text(text, columns[name], f"--set {word}"))
    return PlannedTable(type_name(what).lower(), what, count, 0, Urn(seed), rules)


def _tables(path: Path, seed: int | None, only: str | None) -> list[PlannedTable]:
    plan = read_plan(path, seed)
    if not plan.tables:
        raise RecordRefused(f"{path.name} has no tables: urnshelf serve {path} serves its kiosks")
    if only is not None and only not in plan.tables:
        raise RecordRefused(f"--table {only}: {path.name} has none; {nearest(only, plan.tables)}")
    return [one for name, one in plan.tables.items() if only in (None, name)]


def _of_format(path: Path, format: str | None) -> Path:
    if format is not None and path.suffix != f".{format}":
        raise RecordRefused(f"-o {path.name} --format {format}: these say two things; give one")
    return path


def _in_parts(
    what: str,
    count: int | None,
    fields: list[str],
    seed: int | None,
    out: str | None,
    format: str,
    parted: Parted,
) -> None:
    if not what.endswith(".toml") or count is not None or fields:
        raise RecordRefused(
            "parts are of a plan file, which tells counts and rules: write one with "
            f'[tables.records], type = "{what}", count = {count or 1_000_000}'
        )
    if out is None or out == "-" or Path(out).suffix in endings():
        raise RecordRefused("parts go into a folder: -o FOLDER")
    draw_in_parts(Path(what), seed, Path(out), format, parted)


def _stream(tables: list[PlannedTable], format: str | None) -> None:
    """Write records to standard output, as they are drawn."""
    if len(tables) > 1:
        names = ", ".join(table.name for table in tables)
        raise RecordRefused(
            f"-o - writes one table, and the plan has {names}: --table NAME chooses it"
        )
    writers = {"jsonl": jsonl.write_to, "csv": csv.write_to}
    if (format or "jsonl") not in writers:
        raise RecordRefused(f"-o - --format {format}: a pipe takes {' or '.join(writers)}")
    sys.stdout.flush()
    with open(sys.stdout.fileno(), "w", encoding="utf-8", newline="", closefd=False) as file:
        table = tables[0]
        writers[format or "jsonl"](file, table.chunks(), file_table(table.what))


def _draw_plan(
    tables: list[PlannedTable], out: str | None, picture: str | None, format: str | None
) -> None:
    if picture is not None:
        from urnshelf.cli.plan_picture import save_plan_picture

        save_plan_picture(tables, Path(picture))
        print(f"{picture}: {len(tables)} tables")
    if out is None and picture is None:
        for table in tables:
            _preview(table)
    if out is None:
        return
    if out == "-":
        _stream(tables, format)
        return
    _write([(table, _place(table, out, format)) for table in tables])


def _place(table: PlannedTable, out: str, format: str | None) -> Path:
    name = plain_name(table.name)
    if "*" in out:
        return _of_format(Path(out.replace("*", name)), format)
    return Path(out) / f"{name}.{format or 'csv'}"


def _preview(table: PlannedTable) -> None:
    first = next(table.chunks(), [])[:SHOWN]
    title = (
        f"{table.name}: {len(first)} of {table.count}"
        if table.count > len(first)
        else f"{table.name}: {table.count}"
    )
    out = console()
    out.print(record_table(title, list(table.columns), first, out.width), "")


def _write(tables: list[tuple[PlannedTable, Path]]) -> None:
    """Write tables, all of them or none."""
    for _, path in tables:
        if path.suffix not in endings():
            raise RecordRefused(f"-o {path.name}: the ending must be one of {', '.join(endings())}")
    paths = [path for _, path in tables]
    twice = [path for path in paths if paths.count(path) > 1]
    if twice:
        raise RecordRefused(
            f"-o: several tables would be written to {twice[0]}; put a * in its name"
        )
    with unfinished() as files:
        for table, path in tables:
            made_folder(path)
            write(path, _with_progress(table, path.name), file_table(table.what), files)
    for table, path in tables:
        print(f"{path}: {number_of(range(table.count))}")


def _with_progress(table: PlannedTable, name: str) -> Iterator[list[Any]]:
    if table.count < LONG or not sys.stderr.isatty():
        yield from table.chunks()
        return
    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(complete_style="cyan"),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=Console(stderr=True), transient=True) as progress:
        task = progress.add_task(name, total=table.count)
        for chunk in table.chunks():
            yield chunk
            progress.advance(task, len(chunk))
