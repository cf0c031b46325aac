"""Records written to one file, some thousands at a time, so that memory stays the same for any
number.
"""

from __future__ import annotations

from pathlib import Path

from urnshelf.errors import FileRefused
from urnshelf.files.exports import exports
from urnshelf.files.file_table import Chunks, FileTable
from urnshelf.files.formats import formats
from urnshelf.files.whole import Unfinished, why


def write(path: Path, chunks: Chunks, table: FileTable, files: Unfinished) -> None:
    """Write records to a file whose ending says the format.

    Args:
        path: ends in one of `endings()`.
        chunks: the records, some at a time.
        table: their columns.
        files: the files that appear together with this one.

    Raises:
        FileRefused: another ending, a package that is lacking, a place that cannot be written to,
            or a value that cannot be written.
    """
    format = formats().get(path.suffix) or exports().get(path.suffix)
    if format is None:
        raise FileRefused(f"{path.name}: the ending must be one of {', '.join(endings())}")
    try:
        format.write(files.part(path), chunks, table)
    except (OSError, UnicodeEncodeError) as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None


def made_folder(path: Path) -> None:
    """Make the folder of a file; raises FileRefused where that is not allowed."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileRefused(f"{path.parent} cannot be made: {why(error)}") from None


def endings() -> tuple[str, ...]:
    """The endings that can be written."""
    return (*formats(), *exports())
