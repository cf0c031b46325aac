"""JSON Lines: a JSON object a line."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TextIO

from urnshelf.files.file_table import Chunks, Entry, FileTable, line_of, parsed_line, text_of


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records."""
    with path.open("w", encoding="utf-8", newline="\n") as file:
        write_to(file, chunks, table)


def write_to(file: TextIO, chunks: Chunks, table: FileTable) -> None:
    """Write the records to an open file, or a pipe."""
    for chunk in chunks:
        file.writelines(line_of(table.data(record)) + "\n" for record in chunk)


def read(path: Path, table: FileTable) -> Iterator[Entry]:  # noqa: ARG001
    """The records' data, each with where it stands."""
    at = f"{path.name}, line"
    for number, line in enumerate(text_of(path).split("\n"), 1):
        if line and not line.isspace():
            yield parsed_line(line, at, number), at, number
