"""Comma-separated values: a row a record, each cell a text or JSON."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.tables import Chunks, Kept, TableForm, unfinished
from urnshelf.records.codec import ABSENT, from_cell, to_cell
from urnshelf.types.nodes import Node


def write(path: Path, chunks: Chunks, table: TableForm) -> None:
    """Write the records."""
    with unfinished(path) as part, part.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(table.columns)
        for chunk in chunks:
            writer.writerows(_row(table.data(record), table) for record in chunk)


def _row(data: dict[str, Any], table: TableForm) -> list[str]:
    return [
        to_cell(data[name], node) if name in data else ABSENT
        for name, node in table.columns.items()
    ]


def read(path: Path, table: TableForm) -> Iterator[Kept]:
    """The records' data, each with its place."""
    with path.open(newline="", encoding="utf-8") as file:
        reader = csv.reader(file, strict=True)
        try:
            header = next(reader, [])
            if sorted(header) != sorted(table.columns):
                raise FileRefused(
                    f"{path.name}, line 1: the columns are {header}, not {list(table.columns)}"
                )
            for cells in reader:
                place = f"{path.name}, line {reader.line_num}"
                if len(cells) != len(header):
                    raise FileRefused(
                        f"{place}: {len(cells)} cells in a table of {len(header)} columns"
                    )
                pairs = zip(header, cells, strict=True)
                yield Kept(
                    {
                        n: data_of(c, table.columns[n], f"{place}, field {n}")
                        for n, c in pairs
                        if c != ABSENT
                    },
                    place,
                )
        except (csv.Error, UnicodeDecodeError) as why:
            raise FileRefused(f"{path.name}, line {reader.line_num}: {why}") from None


def data_of(cell: str, node: Node, place: str) -> Any:
    """The data of one cell; raises FileRefused, with its place, for what is neither a text nor
    JSON.
    """
    try:
        return from_cell(cell, node)
    except json.JSONDecodeError as why:
        raise FileRefused(f"{place}, column {why.colno}: it is no JSON: {why.msg}") from None
