"""A picture of drawn records: one small panel a field, a histogram, bars of categories, or a
timeline.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from enum import Enum
from math import ceil
from pathlib import Path
from typing import Any

from urnshelf.cli.picture_file import check_picture, save_figure
from urnshelf.cli.showing import cell, number_of
from urnshelf.files.planned_table import PlannedTable
from urnshelf.store.paths import fetcher

MOST = 10_000
MOST_PANELS = 20
BARS = 12
_BLUE, _GREY = "#24618f", "#7d878d"


def save_picture(table: PlannedTable, path: Path) -> None:
    """Draw the picture, 1280 by 800 dots, and save it.

    Args:
        table: what to picture; at most its first 10,000 records.
        path: ends in .png or .svg.

    Raises:
        FileRefused: another ending, Matplotlib is not installed, or the file cannot be written.
    """
    check_picture(path)
    from matplotlib.figure import Figure

    records = next(table.chunks(), [])[:MOST]
    fields = list(table.columns)[:MOST_PANELS]
    across = min(5, max(1, ceil(len(fields) ** 0.5)))
    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
    figure.suptitle(f"{table.name}: {len(fields)} fields of {number_of(records)}", fontsize=13)
    panels = figure.subplots(ceil(len(fields) / across), across, squeeze=False).flat
    for name, panel in zip(fields, panels, strict=False):
        _panel(panel, name, list(map(fetcher(name), records)))
    for panel in list(panels):
        panel.set_axis_off()
    save_figure(figure, path)


def _panel(panel: Any, name: str, values: Sequence[Any]) -> None:
    there = [value for value in values if value is not None]
    none = len(values) - len(there)
    panel.set_title(
        name + (f"  ({none / len(values):.0%} none)" if none else ""), fontsize=10, loc="left"
    )
    panel.tick_params(labelsize=8)
    panel.spines[["top", "right"]].set_visible(False)
    kinds = {type(value) for value in there}
    numbers = kinds <= {int, float, Decimal} and bool(kinds)
    if (
        kinds == {int}
        and there == list(range(there[0], there[0] + len(there)))
        and len(there) > BARS
    ):
        _words(panel, f"{there[0]} to {there[-1]}, in order")
    elif numbers and len(set(there)) > BARS:
        panel.hist([float(value) for value in there], bins=30, color=_BLUE)
    elif there and kinds <= {datetime, date} and len(kinds) == 1:
        panel.hist(there, bins=30, color=_BLUE)
        low, high = min(there), max(there)
        ticks = [low + (high - low) * step / 3 for step in range(4)]
        panel.set_xticks(ticks, [f"{tick:%Y-%m-%d}" for tick in ticks])
    else:
        _bars(panel, there)


def _bars(panel: Any, values: Sequence[Any]) -> None:
    counts = Counter(value.name if isinstance(value, Enum) else cell(value) for value in values)
    if len(counts) > 2 * BARS:
        _words(panel, f"{len(counts)} different, such as", *list(counts)[:6])
        return
    shown = counts.most_common(BARS)
    rest = sum(counts.values()) - sum(count for _, count in shown)
    shown += [(f"{len(counts) - BARS} others", rest)] if rest else []
    colours = [_BLUE] * min(len(shown), BARS) + [_GREY] * (len(shown) > BARS)
    panel.barh(
        [_cut(text) for text, _ in shown][::-1],
        [count for _, count in shown][::-1],
        color=colours[::-1],
    )


def _words(panel: Any, *lines: str) -> None:
    panel.text(
        0.02, 0.95, "\n".join(map(_cut, lines)), va="top", fontsize=9, transform=panel.transAxes
    )
    panel.spines[["left", "bottom"]].set_visible(False)
    panel.set_xticks([])
    panel.set_yticks([])


def _cut(text: str) -> str:
    return text if len(text) <= 28 else text[:27] + "…"
