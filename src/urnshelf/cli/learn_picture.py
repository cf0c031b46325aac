"""The picture of what was learnt: sample and drawn over one another, a panel a field, and how the
fields go together in both.
"""

from __future__ import annotations

from math import ceil
from pathlib import Path
from typing import Any

import numpy as np

from urnshelf.cli.picture_file import check_picture, save_figure
from urnshelf.learning import Learnt
from urnshelf.learning.how_far import correlations, ordered_columns
from urnshelf.learning.sample import SampleColumn, SampleTable

A_PAGE, ACROSS = 12, 4
_BARS = 8
_SAMPLE, _DRAWN = "#8a949b", "#24618f"


def save_learnt(found: Learnt, path: Path) -> list[Path]:
    """Draw the pictures, 1280 by 800 dots each, twelve fields on one.

    Args:
        found: what was learnt.
        path: ends in .png or .svg; with several pages the table and the number come before that.

    Returns:
        The files.

    Raises:
        FileRefused: another ending, Matplotlib is not installed, or a file cannot be written.
    """
    check_picture(path)
    pages = [
        (name, number, fields, found.compared(name))
        for name, rules in found.columns.items()
        for number, fields in enumerate(_paged([one.name for one in rules if one.is_compared]), 1)
    ]
    written = []
    for name, number, fields, drawn in pages:
        where = path
        if len(pages) > 1:
            of = f"-{name}" if len(found.columns) > 1 else ""
            where = path.with_name(f"{path.stem}{of}-{number}{path.suffix}")
        save_figure(_page(found.samples[name], drawn, fields), where)
        written.append(where)
    return written


def _paged(names: list[str]) -> list[list[str]]:
    return [names[start : start + A_PAGE] for start in range(0, len(names), A_PAGE)] or [[]]


def _page(sample: SampleTable, drawn: SampleTable, fields: list[str]) -> Any:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
    figure.suptitle(
        f"{sample.name}: {sample.count:,} rows of the sample, grey; {drawn.count:,} drawn, blue",
        fontsize=12,
    )
    rows = max(ceil(len(fields) / ACROSS), 3)
    grid = figure.add_gridspec(rows * 3, ACROSS + 1, width_ratios=[*[1] * ACROSS, 1.15])
    for place, name in enumerate(fields):
        row, column = divmod(place, ACROSS)
        panel = figure.add_subplot(grid[row * 3 : row * 3 + 3, column])
        _panel(panel, name, sample.columns[name], drawn.columns[name])
    both = {*ordered_columns(sample)} & {*ordered_columns(drawn)}
    ordered = [name for name in fields if name in both]
    if len(ordered) > 1:
        _matrices(figure, grid, rows, sample, drawn, ordered)
    return figure


def _panel(panel: Any, name: str, one: SampleColumn, other: SampleColumn) -> None:
    none = 1 - float(one.there.mean()), 1 - float(other.there.mean())
    told = f"  none {none[0]:.0%} / {none[1]:.0%}" if max(none) > 0 else ""
    panel.set_title(f"{_cut(name, 24)}{told}", fontsize=9, loc="left")
    panel.tick_params(labelsize=7)
    panel.spines[["top", "right"]].set_visible(False)
    if one.is_labelled or other.is_labelled:
        _bars(panel, one, other)
        return
    a, b = one.numbers[one.there], other.numbers[other.there]
    low, high = np.quantile(np.concatenate([a, b]), [0.002, 0.998])
    bins = np.linspace(low, high if high > low else low + 1, 31)
    few = np.unique(np.concatenate([a, b]))
    if len(few) <= 30:
        gaps = (few[1:] + few[:-1]) / 2 if len(few) > 1 else few
        bins = np.concatenate([[few[0] - 0.5], gaps, [few[-1] + 0.5]])
    panel.hist(a, bins, density=True, color=_SAMPLE, alpha=0.55)
    panel.hist(b, bins, density=True, color=_DRAWN, histtype="step", linewidth=1.4)
    panel.set_yticks([])
    if one.form in ("day", "moment"):
        ticks = [low + (high - low) * step for step in (0.05, 0.5, 0.95)]
        panel.set_xticks(ticks, [f"{one.value(tick):%Y-%m-%d}" for tick in ticks])


def _bars(panel: Any, one: SampleColumn, other: SampleColumn) -> None:
    shares = [_shares(column) for column in (one, other)]
    labels = sorted({*shares[0], *shares[1]}, key=lambda label: -shares[0].get(label, 0))[:_BARS]
    places = np.arange(len(labels))[::-1]
    for share, color, move in zip(shares, (_SAMPLE, _DRAWN), (0.2, -0.2), strict=True):
        panel.barh(places + move, [share.get(label, 0) for label in labels], 0.4, color=color)
    panel.set_yticks(places, [_cut(label, 12) for label in labels])
    panel.xaxis.set_major_formatter(lambda part, _: f"{part:.0%}")


def _shares(column: SampleColumn) -> dict[str, float]:
    codes = column.codes[column.there]
    counts = np.bincount(codes, minlength=len(column.labels)) / max(len(codes), 1)
    return {str(label): float(part) for label, part in zip(column.labels, counts, strict=True)}


def _matrices(
    figure: Any, grid: Any, rows: int, sample: SampleTable, drawn: SampleTable, names: list[str]
) -> None:
    told, made = correlations(sample, names), correlations(drawn, names)
    third = rows
    parts = (("rank correlations: sample", told), ("drawn", made), ("difference", made - told))
    for number, (title, matrix) in enumerate(parts):
        panel = figure.add_subplot(grid[number * third : (number + 1) * third, ACROSS])
        panel.imshow(matrix, vmin=-1, vmax=1, cmap="RdBu_r")
        panel.set_title(title, fontsize=9, loc="left")
        panel.set_yticks(range(len(names)), [_cut(name, 10) for name in names], fontsize=6)
        panel.set_xticks([])
        if len(names) <= 8:
            for row in range(len(names)):
                for column in range(len(names)):
                    value = matrix[row, column]
                    color = "white" if abs(value) > 0.6 else "black"
                    panel.text(column, row, _tenth(value), fontsize=6,
                               ha="center", va="center", color=color)  # fmt: skip


def _tenth(value: float) -> str:
    return f"{value + 0:.1f}".replace("-0.0", "0").replace("0.0", "0").replace("0.", ".")


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
