"""Records shown as a table in a terminal or a pipe."""

from __future__ import annotations

import sys
import unicodedata
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from enum import Enum
from typing import Any

from rich import box
from rich.cells import cell_len
from rich.console import Console
from rich.table import Table
from rich.text import Text

from urnshelf.records.display import show
from urnshelf.store.paths import fetcher

WIDEST = 40
"""A longer text is folded."""
NARROWEST = 12
"""Columns that must be narrower than this are not read any more."""
GAP = 2


def console() -> Console:
    """Standard output; wide enough for a table when it is no terminal, and then without colour.

    What is printed is printed as it is: nothing in a value is taken for a sign to the terminal.
    """
    width = None if sys.stdout.isatty() else 120
    return _Console(width=width, highlight=False, markup=False, emoji=False)


class _Console(Console):
    def on_broken_pipe(self) -> None:
        """Whoever reads has seen enough; the command ends by it as it does elsewhere."""
        raise BrokenPipeError


def record_table(
    title: str | None, fields: Sequence[str], records: Sequence[Any], width: int
) -> Table:
    """The records as a table: a column for each field where these have room, else a row for each
    field, and as many records beside each other as there is room for.

    Args:
        title: what stands above.
        fields: which fields, in order.
        records: some.
        width: of the terminal, in letters.
    """
    cells = [[cell(fetcher(name)(record)) for name in fields] for record in records]
    wanted = [
        min(WIDEST, max(map(cell_len, [name, *column])))
        for name, column in zip(fields, zip(*cells, strict=True), strict=True)
    ] or [cell_len(name) for name in fields]
    least = sum(min(NARROWEST, one) for one in wanted) + GAP * (len(wanted) - 1)
    if least > width:
        return _downwards(title, fields, cells, width)
    table = _table(title)
    for field in fields:
        table.add_column(Text(field), overflow="fold")
    for row in cells:
        table.add_row(*map(Text, row))
    return table


def _downwards(
    title: str | None, fields: Sequence[str], cells: Sequence[Sequence[str]], width: int
) -> Table:
    names = max(map(cell_len, [*fields, "field"]))
    room = max(1, (width - names) // (GAP + 24))
    shown = cells[:room]
    few = f"; there is room for {len(shown)}" if len(shown) < len(cells) else ""
    table = _table(f"{title or ''}{few}" or None)
    table.add_column(Text("field"), no_wrap=True)
    for number in range(1, len(shown) + 1):
        table.add_column(Text(f"record {number}"), overflow="fold", max_width=WIDEST)
    for at, name in enumerate(fields):
        table.add_row(Text(name), *[Text(row[at]) for row in shown])
    return table


def _table(title: str | None) -> Table:
    return Table(
        title=None if title is None else Text(title, style="italic"),
        title_justify="left",
        box=box.SIMPLE_HEAD,
        pad_edge=False,
        show_edge=False,
    )


def number_of(records: Sequence[Any]) -> str:
    """`1 record`, `20 records`."""
    return "1 record" if len(records) == 1 else f"{len(records)} records"


def cell(value: object) -> str:
    """A value as a person reads it; what would move the terminal's cursor is written out."""
    if isinstance(value, Enum):
        return value.name or show(value, WIDEST)
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%d %H:%M}"
    if isinstance(value, date):
        return value.isoformat()
    if value is None:
        return ""
    text = str(value) if isinstance(value, (str, int, float, Decimal)) else show(value, WIDEST)
    is_plain = not any(
        unicodedata.category(sign) in ("Cc", "Cf", "Cs", "Zl", "Zp") for sign in text
    )
    return text if is_plain else ascii(text)
