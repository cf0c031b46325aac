"""The formats of files that hold the records of one type: a file each, found by the ending of a
path.

A file has `write(path, chunks, table)` and `read(path, table)`; what one writes is what the other
reads, exactly.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module
from typing import Any

from urnshelf.caches import remembered


@remembered
def formats() -> dict[str, Any]:
    """The module of each format, by the ending of its files: `.csv` …"""
    names = sorted(module.name for module in pkgutil.iter_modules(__path__))
    return {f".{name}": import_module(f"{__name__}.{name}") for name in names}
