"""Records written to one file, some thousands at a time, so that memory stays the same for any
number.
"""

from __future__ import annotations

from pathlib import Path

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, FileTable
from urnshelf.files.formats import formats

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write records to a file whose ending says the format.

    Args:
        path: ends in one of `endings()`.
        chunks: the records, some at a time.
        table: their columns.

    Raises:
        FileRefused: another ending, a package that is lacking, or a value that cannot be written.
    """
    format = formats().get(path.suffix)
    if format is None:
        raise FileRefused(f"{path.name}: the ending must be one of {', '.join(endings())}")
    format.write(path, chunks, table)


def endings() -> tuple[str, ...]:
    """The endings that can be written."""
    return tuple(formats())
