"""JSON Lines: a JSON object a line."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from urnshelf.files.tables import Chunks, Kept, TableForm, line_of, parsed, text_of, unfinished


def write(path: Path, chunks: Chunks, table: TableForm) -> None:
    """Write the records."""
    with unfinished(path) as part, part.open("w", encoding="utf-8", newline="\n") as file:
        for chunk in chunks:
            file.writelines(line_of(table.data(record)) + "\n" for record in chunk)


def read(path: Path, table: TableForm) -> Iterator[Kept]:  # noqa: ARG001
    """The records' data, each with its place."""
    for number, line in enumerate(text_of(path).split("\n"), 1):
        if line.strip():
            place = f"{path.name}, line {number}"
            yield Kept(parsed(line, place, of_line=True), place)
