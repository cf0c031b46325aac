"""`urnshelf learn`: a plan of rules from a sample, with a report of what was found in it."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from rich import box
from rich.console import Console
from rich.table import Table
from rich.text import Text

from urnshelf.cli.showing import console
from urnshelf.errors import SampleRefused
from urnshelf.files.writing import made_folder
from urnshelf.learning import Learnt, learn
from urnshelf.learning.leaks import REFUSED, WARNED, LeakCheck

_FAR, _NEAR = 0.1, 0.05
_STYLES = {"passed": "green", "near": "yellow", "not judged": "yellow"}
_PROMISE = (
    "This is no differential privacy: whoever knows much about a person may still learn a little. "
    "Labels of categories stand in the plan as they are in the sample, --relabel FIELD makes "
    "others."
)


class Wanted(NamedTuple):
    """What the command line asks for.

    Attributes:
        samples: files, folders; of a database its tables.
        output: the plan file; None to only tell.
        smallest: what fewer rows share is not told.
        relabel, without, missing: columns, columns, texts.
        types: `MODULE:TYPE`, or `TABLE=MODULE:TYPE`.
        picture: a PNG or SVG file.
        database: an address as SQLAlchemy has it.
        tables: of the database.
    """

    samples: list[str]
    output: str | None
    smallest: int | None
    relabel: list[str]
    without: list[str]
    missing: list[str]
    types: list[str]
    picture: str | None
    database: str | None
    tables: list[str]


def learn_plan(wanted: Wanted) -> int:
    """Learn what the command line asks for, and tell it."""
    if (wanted.database is None) is not bool(wanted.samples):
        raise SampleRefused(
            "learn takes the files of a sample, or a database, --from sqlite:///harbour.db "
            "--table NAME: one of the two"
        )
    output = None if wanted.output is None else Path(wanted.output)
    if output is not None and output.suffix != ".toml":
        raise SampleRefused(f"-o {output.name}: a plan file ends in .toml")
    if wanted.picture is not None:
        from urnshelf.cli.picture_file import check_picture

        check_picture(Path(wanted.picture))
    found = learn(
        wanted.tables if wanted.database else wanted.samples,
        smallest_group=wanted.smallest,
        relabel=wanted.relabel,
        without=wanted.without,
        missing=wanted.missing,
        types=dict(map(_type, wanted.types)),
        database=wanted.database,
    )
    out = console()
    _tell(found, out)
    if output is not None:
        made_folder(output)
        found.save(output)
        out.print(Text(f"{output}: {len(found.plan.splitlines())} lines", style="bold"))
    else:
        out.print("Nothing is written; -o plan.toml keeps it.")
    if wanted.picture is not None:
        from urnshelf.cli.learn_picture import save_learnt

        for path in save_learnt(found, Path(wanted.picture)):
            out.print(f"{path}: the sample, and what is drawn")
    return 0


def _type(words: str) -> tuple[str, str]:
    table, equals, told = words.rpartition("=")
    return (table if equals else "records"), told


def _tell(found: Learnt, out: Console) -> None:
    for name, rules in found.columns.items():
        sample = found.samples[name]
        out.print(Text(f"{name}: {sample.count:,} rows", style="bold"), soft_wrap=True)
        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
        for heading in ("column", "is", "values", "none", "follows", "distance"):
            table.add_column(
                heading, justify="right" if heading in ("none", "distance") else "left"
            )
        for one in rules:
            told = f"{one.follows}; {one.comment}" if one.follows and one.comment else ""
            table.add_row(
                Text(one.name), Text(one.kind, style="cyan"), Text(one.range),
                Text(f"{one.missing:.1%}" if one.missing else "", style="dim"),
                Text(told or one.follows or one.comment), _distance(one.distance),
            )  # fmt: skip
        out.print(table)
        apart = found.apart[name]
        if apart is not None:
            out.print(
                Text("rank correlations: ").append(_distance(apart)).append(" apart on average")
            )
        for column, why in found.left_out.get(name, {}).items():
            out.print(Text(f"left out: {column}, {why}", style="yellow"), soft_wrap=True)
        out.print()
    if found.leaks:
        _tell_leaks(found.leaks, out)
    out.print(Text(_PROMISE, style="dim"))


def _tell_leaks(leaks: list[LeakCheck], out: Console) -> None:
    out.print(
        Text(
            "What it gives away: learnt from one half of the rows, are drawn ones closer to it "
            f"than to the other? Chance is 50%, over {WARNED:.0%} is near, over {REFUSED:.0%} is "
            "refused."
        )
    )
    table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
    for heading in ("table", "", "closer", "in it", "other half in it"):
        table.add_column(heading, justify="left" if heading in ("table", "") else "right")
    for one in leaks:
        told = [] if one.why else [f"{part:.1%}" for part in (one.closer, one.exact, one.held_out)]
        said = one.verdict if not one.why else f"{one.verdict}: {one.why}"
        table.add_row(Text(one.table), Text(said, style=_STYLES.get(one.verdict, "")), *told)
    out.print(table)
    out.print()


def _distance(told: float | None) -> Text:
    if told is None:
        return Text("")
    bounds = ((_FAR, "red"), (_NEAR, "yellow"))
    style = next((style for bound, style in bounds if told > bound), "green")
    return Text(f"{told:.3f}", style=style)
