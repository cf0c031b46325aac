"""A picture of a plan: its tables, what links them, and how many children a parent has."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.cli.picture_file import check_picture, save_figure
from urnshelf.cli.showing import number_of
from urnshelf.files.planned_table import PlannedTable
from urnshelf.store.paths import fetcher
from urnshelf.urn.rules.dealt import Dealt
from urnshelf.urn.rules.links import Link

_BLUE, _LINE, _TEXT = "#24618f", "#7d878d", "#4a555c"
_SHOWN = 12
_FIELDS = 9
"""Of so many fields of a table the names are shown."""
_MOST = 20_000
"""So many records are counted."""
_WIDE, _GAP = 2.6, 1.4
_BARS = 1.25
"""So high is what stands under a table for each table that it links to."""


class _Arrow(NamedTuple):
    """From a child to its parent.

    Args:
        child: its table.
        parent: likewise.
        field: that links them.
        counts: how many parents have so many children.
    """

    child: PlannedTable
    parent: PlannedTable
    field: str
    counts: dict[int, int]


def save_plan_picture(tables: Sequence[PlannedTable], path: Path) -> None:
    """Draw the picture, 1280 by 800 dots, and save it.

    Args:
        tables: of the plan, parents before their children.
        path: ends in .png or .svg.

    Raises:
        FileRefused: another ending, Matplotlib is not installed, or the file cannot be written.
    """
    check_picture(path)
    from matplotlib.figure import Figure

    arrows = [arrow for table in tables for arrow in _arrows(table, tables)]
    figure = Figure(figsize=(12.8, 8), dpi=100)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_axis_off()
    places = _places(tables, arrows)
    for table in tables:
        _box(axes, table, places[table.name])
    for arrow in arrows:
        number = [one for one in arrows if one.child is arrow.child].index(arrow)
        _draw(axes, arrow, places)
        _bars(axes, arrow, places, number)
    right = max(x for x, _ in places.values()) + _WIDE
    low = min(
        y - _height(tables, name) - _BARS * sum(one.child.name == name for one in arrows)
        for name, (_, y) in places.items()
    )
    axes.set_xlim(-0.3, max(right + 0.3, 9.0))
    axes.set_ylim(min(low - 0.3, -5.4), 0.5)
    save_figure(figure, path)


def _arrows(table: PlannedTable, tables: Sequence[PlannedTable]) -> list[_Arrow]:
    found: list[_Arrow] = []
    for field, rule in table.rules.items():
        if not isinstance(rule, (Dealt, Link)):
            continue
        parent = next((one for one in tables if one.what is rule.record_type), None)
        if parent is not None and parent is not table:
            found.append(_Arrow(table, parent, field, _counted(table, parent, field)))
    return found


def _counted(table: PlannedTable, parent: PlannedTable, field: str) -> dict[int, int]:
    fetch = fetcher(field)
    held: Counter[Any] = Counter()
    for chunk in table.chunks():
        held.update(fetch(record) for record in chunk)
        if sum(held.values()) >= _MOST:
            break
    held.pop(None, None)
    counts = Counter(held.values())
    without = parent.count - len(held)
    return dict(sorted({**counts, **({0: without} if without > 0 else {})}.items()))


def _places(
    tables: Sequence[PlannedTable], arrows: Sequence[_Arrow]
) -> dict[str, tuple[float, float]]:
    """Where the upper left corner of each table is: children to the right of their parents."""
    column: dict[str, int] = {}
    for table in tables:
        parents = [column[one.parent.name] for one in arrows if one.child is table]
        column[table.name] = max(parents, default=-1) + 1
    below: dict[int, float] = {}
    places: dict[str, tuple[float, float]] = {}
    for table in tables:
        at = column[table.name]
        y = below.get(at, 0.0)
        places[table.name] = at * (_WIDE + _GAP), y
        own = sum(one.child is table for one in arrows)
        below[at] = y - _height(tables, table.name) - _BARS * own - 0.5
    return places


def _height(tables: Sequence[PlannedTable], name: str) -> float:
    table = next(one for one in tables if one.name == name)
    return 0.55 + 0.24 * min(len(table.columns), _FIELDS + 1)


def _box(axes: Any, table: PlannedTable, place: tuple[float, float]) -> None:
    from matplotlib.patches import Rectangle

    x, y = place
    height = _height([table], table.name)
    axes.add_patch(Rectangle((x, y - height), _WIDE, height, fc="white", ec=_LINE, lw=1.2))
    axes.add_patch(Rectangle((x, y - 0.42), _WIDE, 0.42, fc=_BLUE, ec=_BLUE))
    head = f"{_cut(table.name, 18)}   {number_of(range(table.count))}"
    axes.text(x + 0.12, y - 0.21, head, color="white", va="center", fontsize=11)
    fields = list(table.columns)
    shown = fields[:_FIELDS] + (
        [f"… {len(fields) - _FIELDS} more"] if len(fields) > _FIELDS else []
    )
    for number, field in enumerate(shown):
        axes.text(x + 0.12, y - 0.6 - 0.24 * number, _cut(field, 30), va="center", fontsize=9)


def _draw(axes: Any, arrow: _Arrow, places: dict[str, tuple[float, float]]) -> None:
    x, y = places[arrow.child.name]
    to_x, to_y = places[arrow.parent.name]
    fields = list(arrow.child.columns)[: _FIELDS + 1]
    row = fields.index(arrow.field) if arrow.field in fields else 0
    start = x, y - 0.6 - 0.24 * row
    end = to_x + _WIDE, to_y - 0.21
    axes.annotate(
        "", xy=end, xytext=start,
        arrowprops={"arrowstyle": "-|>", "color": _LINE, "lw": 1.2, "shrinkA": 0, "shrinkB": 0},
    )  # fmt: skip


def _bars(axes: Any, arrow: _Arrow, places: dict[str, tuple[float, float]], number: int) -> None:
    """How many parents have so many children, under the children's table."""
    x, y = places[arrow.child.name]
    top = y - _height([arrow.child], arrow.child.name) - _BARS * number
    base = top - 1.0
    most = max(arrow.counts.values(), default=0)
    shown = list(arrow.counts.items())[:_SHOWN]
    width = _WIDE / max(len(shown), 8)
    told = f"how many {_cut(arrow.child.name, 14)} each of the {_cut(arrow.parent.name, 14)} has"
    axes.text(x, top - 0.24, told, fontsize=8, color=_TEXT)
    for at, (children, parents) in enumerate(shown):
        height = 0.5 * parents / most if most else 0
        axes.bar(x + at * width, height, width * 0.8, bottom=base, color=_BLUE, align="edge")
        middle = x + (at + 0.4) * width
        axes.text(middle, base - 0.15, str(children), fontsize=8, ha="center")


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
