"""The picture of one test's calls: the service and its fakes as lines from top to bottom, and each
call as an arrow between them.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from urnshelf.calls.wording import plural
from urnshelf.cli.picture_file import check_picture, save_figure
from urnshelf.run_ledger import OfTest, ended

MOST = 60
_BLUE, _GREY, _RED, _LINE = "#24618f", "#6b757c", "#b3261e", "#c3cacf"


def save_sequence(test: OfTest, path: Path) -> None:
    """Draw the calls of a test; 1280 dots wide, and as high as they need.

    Args:
        test: with its calls; of more than 60 the first.
        path: ends in .png or .svg.

    Raises:
        FileRefused: another ending, Matplotlib is not installed, or the file cannot be written.
    """
    check_picture(path)
    from matplotlib.figure import Figure

    calls = test.calls[:MOST]
    lines = _lines_of(calls)
    height = max(8.0, 1.6 + 0.56 * len(calls))
    figure = Figure(figsize=(12.8, height), dpi=100, layout="constrained")
    axes = figure.subplots()
    axes.set_axis_off()
    axes.set_xlim(-0.6, len(lines) - 0.4)
    axes.set_ylim(len(calls) + 0.4, -1.3)
    more = f", the first {MOST} of them" if len(test.calls) > MOST else ""
    axes.set_title(
        f"{_short(test.name, 110)}\n{plural(len(test.calls), 'call')}{more}, {test.outcome}",
        fontsize=12,
    )
    places = {name: place for place, name in enumerate(lines)}
    for name, place in places.items():
        axes.plot([place, place], [-0.5, len(calls)], color=_LINE, linewidth=1.2, zorder=0)
        axes.text(
            place, -0.75, _short(name, 150 // len(lines)), ha="center", va="center", fontsize=10.5,
            bbox={"boxstyle": "round,pad=0.45", "facecolor": "#eef3f6", "edgecolor": _BLUE},
        )  # fmt: skip
    for number, call in enumerate(calls):
        _arrow(axes, places[_caller(call)], places[call["fake"]], number, call, 170 // len(lines))
    save_figure(figure, path, is_private=True)


def _lines_of(calls: list[dict[str, Any]]) -> list[str]:
    """Who calls and who is called, in the order in which they come; callers first."""
    callers = dict.fromkeys(map(_caller, calls))
    return list(callers) + list(dict.fromkeys(c["fake"] for c in calls if c["fake"] not in callers))


def _caller(call: dict[str, Any]) -> str:
    """The class of the code that called, or its function."""
    name = str(call["from"]).partition(" in ")[2] or "the test"
    return name.rpartition(".")[0].removesuffix(".<locals>") or name


def _arrow(axes: Any, start: int, end: int, number: int, call: dict[str, Any], width: int) -> None:
    """A call and, below it, what came back."""
    is_error = "error" in call
    ends = (start, end) if start != end else (start, start + 0.35)
    span = abs(ends[1] - ends[0])
    middle = (ends[0] + ends[1]) / 2
    head = {"arrowstyle": "-|>", "color": _BLUE, "shrinkA": 0, "shrinkB": 0}
    axes.annotate("", (ends[1], number + 0.05), (ends[0], number + 0.05), arrowprops=head)
    back = {**head, "color": _RED if is_error else _GREY, "linestyle": "--", "arrowstyle": "->"}
    axes.annotate("", (ends[0], number + 0.5), (ends[1], number + 0.5), arrowprops=back)
    room = max(24, int(width * max(span, 0.8)))
    method = str(call["method"]).rpartition(".")[2]
    arguments = ", ".join(str(value) for value in call["arguments"].values())
    ground = {"pad": 0.6, "facecolor": "white", "edgecolor": "none"}
    label = {"ha": "center", "va": "bottom", "fontsize": 9, "bbox": ground}
    axes.text(middle, number - 0.02, _short(f"{method}({arguments})", room), color="black", **label)
    told = ended(call).removeprefix("→ ")
    if "statement" in call:
        told = f"{_short(told, room // 2)}  by  {call['statement']}"
    color = _RED if is_error else _GREY
    axes.text(middle, number + 0.43, _short(told, room), color=color, **{**label, "fontsize": 8})


def _short(text: str, width: int) -> str:
    text = " ".join(text.split())
    return text if len(text) <= width else text[: max(width - 1, 1)] + "…"
