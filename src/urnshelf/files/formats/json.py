"""JSON: one list of objects, a record a line."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count, repeat
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, Entry, FileTable, line_of, parsed, text_of


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records."""
    with path.open("w", encoding="utf-8", newline="\n") as file:
        between = "[\n"
        for chunk in chunks:
            for record in chunk:
                file.write(between + line_of(table.data(record)))
                between = ",\n"
        file.write("[]\n" if between == "[\n" else "\n]\n")


def read(path: Path, table: FileTable) -> Iterator[Entry]:
    """The records' data, each with where it stands."""
    text = text_of(path)
    rows = parsed(text, path.name)
    if not isinstance(rows, list):
        raise FileRefused(f"{path.name}: a list of {table.name} records is wanted")
    lines = lines_of_records(text)
    yield from entries_of(rows, path.name, table.name, lines)


def entries_of(rows: list[Any], file: str, table: str, lines: list[int]) -> Iterator[Entry]:
    """The rows of one table, each with its line; where somebody laid the file out anew, with its
    number: no line is better than a wrong one.
    """
    is_known = len(lines) == len(rows)
    at = f"{file}, line" if is_known else f"{file}, {table} record"
    return zip(rows, repeat(at), lines if is_known else count(1), strict=False)


def lines_of_records(text: str) -> list[int]:
    """The numbers of the lines on which a record begins, where nobody laid the file out anew."""
    return [
        number
        for number, line in enumerate(text.split("\n"), 1)
        if line.strip().startswith("{") and number > 1
    ]
