"""Comma-separated values: a row a record, each cell a text or JSON."""

from __future__ import annotations

import csv
import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, Entry, FileTable
from urnshelf.records.codec import ABSENT, from_cell, to_cell
from urnshelf.types.nodes import Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records."""
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(table.columns)
        for chunk in chunks:
            writer.writerows(_row(table.data(record), table) for record in chunk)


def _row(data: dict[str, Any], table: FileTable) -> list[str]:
    table.check_columns(data)
    return [
        to_cell(data[name], node) if name in data else ABSENT
        for name, node in table.columns.items()
    ]


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
            for cells in reader:
                at = f"{path.name}, line {reader.line_num}"
                if len(cells) != len(header):
                    raise FileRefused(
                        f"{at}: {len(cells)} cells in a table of {len(header)} columns"
                    )
                pairs = zip(header, cells, strict=True)
                yield Entry(
                    {
                        n: data_of(c, table.columns[n], f"{at}, field {n}")
                        for n, c in pairs
                        if c != ABSENT
                    },
                    at,
                )
        except (csv.Error, UnicodeDecodeError) as why:
            raise FileRefused(f"{path.name}, line {reader.line_num}: {why}") from None


def data_of(cell: str, node: Node, at: str) -> Any:
    """The data of one cell; raises FileRefused, which tells where, for what is neither a text
    nor JSON.
    """
    try:
        return from_cell(cell, node)
    except json.JSONDecodeError as why:
        raise FileRefused(f"{at}, column {why.colno}: it is no JSON: {why.msg}") from None
