"""Records shown as a table in a terminal or a pipe."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from datetime import datetime
from decimal import Decimal
from enum import Enum
from typing import Any

from rich import box
from rich.console import Console
from rich.table import Table

from urnshelf.records.display import show
from urnshelf.store.paths import fetcher


def console() -> Console:
    """Standard output; wide enough for a table when it is no terminal, and then without colour."""
    return Console(width=None if sys.stdout.isatty() else 120, highlight=False)


def record_table(title: str | None, fields: Sequence[str], records: Iterable[Any]) -> Table:
    """The records as a table, a column for each field."""
    table = Table(
        title=title, title_justify="left", box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False
    )
    for field in fields:
        table.add_column(field, overflow="fold")
    for record in records:
        table.add_row(*[cell(fetcher(name)(record)) for name in fields])
    return table


def cell(value: object) -> str:
    """A value as a person reads it."""
    if isinstance(value, Enum):
        return value.name
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%d %H:%M}"
    if value is None:
        return ""
    return str(value) if isinstance(value, (str, int, float, Decimal)) else show(value, 40)
