"""Comma-separated values: a row a record, each cell a text or JSON."""

from __future__ import annotations

import csv
import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, Entry, FileTable
from urnshelf.records.cells import ABSENT, cell_reader, cell_writer, from_cell
from urnshelf.types.nodes import Node


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records."""
    with path.open("w", newline="", encoding="utf-8") as file:
        write_to(file, chunks, table)


def write_to(file: TextIO, chunks: Chunks, table: FileTable) -> None:
    """Write the records to an open file, or a pipe."""
    cells = [(name, cell_writer(node)) for name, node in table.columns.items()]
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow(table.columns)
    for chunk in chunks:
        writer.writerows(_row(table.data(record), cells, table) for record in chunk)


def _row(
    data: dict[str, Any], cells: list[tuple[str, Callable[[Any], str]]], table: FileTable
) -> list[str]:
    table.check_columns(data)
    return [write(data[name]) if name in data else ABSENT for name, write in cells]


@contextmanager
def _cells_of_any_length() -> Iterator[None]:
    """The reader has one limit for the whole process, and texts may be longer."""
    before = csv.field_size_limit(sys.maxsize)
    try:
        yield
    finally:
        csv.field_size_limit(before)


def read(path: Path, table: FileTable) -> Iterator[Entry]:
    """The records' data, each with where it stands."""
    with path.open(newline="", encoding="utf-8") as file, _cells_of_any_length():
        reader = csv.reader(file, strict=True)
        try:
            header = next(reader, [])
            if sorted(header) != sorted(table.columns):
                raise FileRefused(
                    f"{path.name}, line 1: the columns are {header}, not {list(table.columns)}"
                )
            readers = [(name, cell_reader(table.columns[name])) for name in header]
            at = f"{path.name}, line"
            for cells in reader:
                number = reader.line_num
                if len(cells) != len(header):
                    raise FileRefused(
                        f"{at} {number}: {len(cells)} cells in a table of {len(header)} columns"
                    )
                yield _data(cells, readers, at, number), at, number
        except (csv.Error, UnicodeDecodeError) as why:
            raise FileRefused(f"{path.name}, line {reader.line_num}: {why}") from None


def _data(
    cells: list[str], readers: list[tuple[str, Callable[[str], Any]]], at: str, number: int
) -> Any:
    name = ""
    try:
        data = {}
        for (name, read), cell in zip(readers, cells, strict=False):
            if cell != ABSENT:
                data[name] = read(cell)
    except json.JSONDecodeError as why:
        raise FileRefused(
            f"{at} {number}, field {name}, column {why.colno}: it is no JSON: {why.msg}"
        ) from None
    return data


def data_of(cell: str, node: Node, at: str) -> Any:
    """The data of one cell; raises FileRefused, which tells where, for what is neither a text
    nor JSON.
    """
    try:
        return from_cell(cell, node)
    except json.JSONDecodeError as why:
        raise FileRefused(f"{at}, column {why.colno}: it is no JSON: {why.msg}") from None
