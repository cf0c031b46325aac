"""What records are written as, and not read again: Python, and SQL. A file each, found by the
ending of a path; each has `write(path, chunks, table)`.
"""

from __future__ import annotations

from typing import Any


def exports() -> dict[str, Any]:
    """The module of each, by the ending of its files."""
    from urnshelf.files.exports import as_python, as_sql

    return {".py": as_python, ".sql": as_sql}
