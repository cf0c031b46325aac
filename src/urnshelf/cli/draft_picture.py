"""The decisions of a method as a picture: what stands under what, and which tests take each way."""

from __future__ import annotations

from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.cli.picture_file import check_picture, save_figure
from urnshelf.drafting import Drafts
from urnshelf.drafting.decisions import PART
from urnshelf.drafting.remarks_on_drafts import Taken

_BLUE, _GREY, _RED, _LINE = "#24618f", "#6b757c", "#b3261e", "#aab4ba"
_ROW = 0.3
"""The height of a row, in inches."""
_INDENT = 0.022
_WIDEST = 62
_AT = 0.575
"""Where the ways begin, as a share of the width."""


class _Row(NamedTuple):
    """A line of the picture.

    Args:
        depth: how far in; -1 for the name of a function.
        text: the decision.
        ways: the outcome of each way, and the numbers of its tests.
        parent: the row that it stands under; None where there is none.
    """

    depth: int
    text: str
    ways: list[tuple[str, list[int]]]
    parent: int | None


def _rows(drafts: Drafts) -> list[_Row]:
    numbers = {name: number for number, name in enumerate(drafts.tests, 1)}
    rows: list[_Row] = []
    at: dict[int, int] = {}
    function = ""
    for taken in drafts.paths:
        decision = taken.decision
        if decision.function != function:
            function = decision.function
            rows.append(_Row(-1, function, [], None))
        parent, depth = _parent(taken, rows, at)
        at[decision.number] = len(rows)
        ways = [
            (decision.outcome_told(way), [numbers[name] for name in names])
            for way, names in taken.takers.items()
        ]
        rows.append(_Row(depth, f"{decision.line}  {decision.text}", ways, parent))
    return rows


def _parent(taken: Taken, rows: list[_Row], at: dict[int, int]) -> tuple[int | None, int]:
    decision = taken.decision
    above = None if decision.within is None else at.get(decision.within.site)
    depth = 0 if above is None else rows[above].depth + 1
    if decision.kind == PART and rows and rows[-1].depth >= depth:
        # a part of the condition before it
        whole = next((n for n in reversed(range(len(rows))) if rows[n].depth == depth), None)
        if whole is not None and decision.text in rows[whole].text:
            return whole, depth + 1
    return above, depth


def text_picture(drafts: Drafts) -> str:
    """The picture as text.

    Args:
        drafts: what was drafted.
    """
    lines: list[str] = []
    for row in _rows(drafts):
        if row.depth < 0:
            lines += [*([""] if lines else []), row.text]
            continue
        text = _short("  " * row.depth + row.text, _WIDEST)
        lines.append(f"  {text:<{_WIDEST}}  {'   '.join(_told(*way) for way in row.ways)}")
    lines.append("")
    lines += [f"{number:>3}  {name}" for number, name in enumerate(drafts.tests, 1)]
    return "\n".join(lines)


def _told(outcome: str, tests: list[int]) -> str:
    return f"{outcome}: {_numbers(tests) or 'no test'}"


def _numbers(tests: list[int]) -> str:
    """`1 3–6 9`."""
    parts: list[list[int]] = []
    for number in tests:
        if parts and parts[-1][-1] == number - 1:
            parts[-1].append(number)
        else:
            parts.append([number])
    return " ".join(str(one[0]) if len(one) == 1 else f"{one[0]}–{one[-1]}" for one in parts)


def _short(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def picture(drafts: Drafts, path: Path) -> None:
    """Draw the picture; 1280 dots wide, and as high as it needs.

    Args:
        drafts: what was drafted.
        path: ends in .png or .svg.

    Raises:
        FileRefused: another ending, Matplotlib is not installed, or the file cannot be written.
    """
    check_picture(path)
    save_figure(_drawn(drafts), path)


def _drawn(drafts: Drafts) -> Any:
    from matplotlib.figure import Figure

    rows = _rows(drafts)
    tests = drafts.tests
    height = max(5.0, _ROW * (len(rows) + (len(tests) + 1) // 2 + 4))
    figure = Figure(figsize=(12.8, height), dpi=100)
    axes = figure.add_axes((0.02, 0.01, 0.96, 0.98))
    axes.set_axis_off()
    axes.set_xlim(0, 1)
    axes.set_ylim(height / _ROW, 0)
    taken, of = drafts.ways
    axes.text(
        0, 0.6, f"{', '.join(drafts.labels)}: {taken} of {of} ways taken by {len(tests)} tests",
        fontsize=13, va="center",
    )  # fmt: skip
    for number, row in enumerate(rows):
        _draw_row(axes, rows, number, row)
    _draw_tests(axes, tests, len(rows) + 2.6)
    return figure


def _draw_row(axes: Any, rows: list[_Row], number: int, row: _Row) -> None:
    y = number + 2.0
    if row.depth < 0:
        axes.text(0, y, row.text, fontsize=10.5, va="center", weight="bold", color=_GREY)
        return
    x = 0.02 + _INDENT * row.depth
    if row.parent is not None:
        above, left = row.parent + 2.0, 0.02 + _INDENT * rows[row.parent].depth + 0.008
        axes.plot([left, left, x], [above + 0.42, y, y], color=_LINE, linewidth=1.2, zorder=0)
    is_open = any(not tests for _, tests in row.ways)
    axes.text(
        x, y, _short(row.text, _WIDEST + 6 - 2 * row.depth), fontsize=9.5, va="center",
        family="monospace",
        bbox={
            "boxstyle": "round,pad=0.28", "facecolor": "#fdf1f0" if is_open else "#eef3f6",
            "edgecolor": _RED if is_open else _BLUE, "linewidth": 0.9,
        },
    )  # fmt: skip
    step = (1 - _AT) / max(2, len(row.ways))
    for place, (outcome, tests) in enumerate(row.ways):
        told = _numbers(tests) or "no test"
        room = int(step * 150) - len(told) - 2
        axes.text(
            _AT + place * step, y, f"{_short(outcome, max(4, room))}: {told}", fontsize=9.5,
            va="center", color="black" if tests else _RED, weight="normal" if tests else "bold",
        )  # fmt: skip


def _draw_tests(axes: Any, tests: tuple[str, ...], top: float) -> None:
    axes.plot([0, 1], [top - 0.7, top - 0.7], color=_LINE, linewidth=0.8)
    half = (len(tests) + 1) // 2
    for number, name in enumerate(tests):
        column, row = divmod(number, half) if half else (0, 0)
        axes.text(
            0.5 * column, top + row, f"{number + 1:>2}  {_short(name, 74)}", fontsize=8.5,
            va="center", family="monospace",
        )  # fmt: skip
