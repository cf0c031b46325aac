"""The speed of drawing one by one, stocking, saving and loading, each as a ratio to drawing, and a
million rows beside writers by hand: `python benchmarks/keeping.py`.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pyarrow
import pyarrow.parquet
from run import Row, printed, seconds, side_by_side

from urnshelf import Shelf, Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.files.file_table import file_table
from urnshelf.files.whole import unfinished
from urnshelf.files.writing import write

MANY = 20_000
MILLION = 1_000_000


def ratio_row(
    work: str, ours: Callable[[], object], theirs: Callable[[], object], most: float, calls: int = 1
) -> Row:
    """One piece of work against another, interleaved."""
    ratio, _, _ = side_by_side(ours, theirs, calls, 7)
    return Row(work, f"{ratio:.2f} ×", f"≤ {most:g} ×", ratio <= most)


def single_rows() -> list[Row]:
    """One record or value at a time."""
    urn = Urn(7)

    def plain() -> None:
        urn.draw(Vessel)

    rows = [
        ratio_row("a draw with an override, without", lambda: urn.draw(Vessel, flag="SE"), plain,
                  1.3, 2000),
    ]  # fmt: skip
    for form in (set[int], dict[str, int], int | str, list[Vessel]):
        rows.append(ratio_row(f"{form}, a record", lambda f=form: urn.draw(f), plain, 8, 500))  # type: ignore[misc]
    few, many = linked(10), linked(100_000)
    unlinked = Shelf(seed=7).urn
    rows.append(ratio_row("a link to 10 parents, a value", few,
                          lambda: unlinked.draw(Mooring, berth_id=5), 1.5, 300))  # fmt: skip
    rows.append(ratio_row("a link to 100,000 parents, to 10", many, few, 1.5, 300))
    code = (
        "import time; from urnshelf import Urn; from urnshelf.demo.harbour import Vessel; "
        "urn = Urn(7); urn.draw(int); start = time.perf_counter(); urn.draw(Vessel); "
        "print(time.perf_counter() - start)"
    )
    first = min(float(subprocess.check_output([sys.executable, "-c", code])) for _ in range(9))
    rows.append(Row("the first draw of a type", f"{first * 1e3:.1f} ms", "≤ 3 ms", first <= 3e-3))
    return rows


def first_row() -> Row:
    """The first of many records against the first of few."""
    few, many = Shelf(seed=7), Shelf(seed=7)
    few.stock(Berth, 1000), many.stock(Berth, 100_000)

    def first(shelf: Shelf) -> Callable[[], object]:
        query = shelf.records(Berth).where(in_service=True).order_by("id")
        return lambda: (query.first(), query[0], list(query.limit(3)))

    return ratio_row("first(), [0], limit(3) of 100,000, of 1,000", first(many), first(few), 2, 50)


def linked(parents: int) -> Callable[[], object]:
    """Draws a mooring linked to one of so many berths."""
    shelf = Shelf(seed=7)
    shelf.stock(Berth, parents)
    return lambda: shelf.urn.draw(Mooring, berth_id=rules.link(Berth))


def kept_rows() -> list[Row]:
    """Stocking, saving and loading against drawing."""
    rows = []
    for form, n in ((Berth, 1000), (Vessel, 1000), (Mooring, 1000), (Berth, MANY),
                    (Mooring, MANY)):  # fmt: skip
        rows.append(ratio_row(
            f"stock({form.__name__}, {n:,}), draw", lambda f=form, n=n: Shelf(seed=7).stock(f, n),  # type: ignore[misc]
            lambda f=form, n=n: Urn(7).draw(f, n), 2,  # type: ignore[misc]
        ))  # fmt: skip
    for form in (Berth, Mooring):
        rows += file_rows(form)
    return rows


def file_rows(form: Any) -> Iterator[Row]:
    """Each format of one type's records."""
    shelf = Shelf(seed=7)
    shelf.stock(form, MANY)

    def draw() -> None:
        Urn(7).draw(form, MANY)

    with tempfile.TemporaryDirectory() as folder:
        url = f"sqlite:///{folder}/x.db"
        for name, path, format in (
            ("json", f"{folder}/x.json", ""),
            ("jsonl", f"{folder}/jsonl", "jsonl"),
            ("csv", f"{folder}/csv", "csv"),
            ("parquet", f"{folder}/parquet", "parquet"),
            ("SQLite", url, ""),
        ):
            is_url = path == url

            def save(path: str = path, format: str = format, is_url: bool = is_url) -> None:
                shelf.save_sql(path) if is_url else shelf.save(path, format)

            def load(path: str = path, is_url: bool = is_url) -> None:
                Shelf().load_sql(path, form) if is_url else Shelf().load(path, form)

            what = f"{MANY:,} {form.__name__}s: {name}"
            yield ratio_row(f"{what} saved, drawn", save, draw, 5)
            yield ratio_row(f"{what} loaded, drawn", load, draw, 5)


# --- a million rows -------------------------------------------------------------------------------


def by_hand_lines(path: Path) -> None:
    """The same JSON Lines, by hand."""
    with path.open("w", encoding="utf-8") as file:
        for chunk in Urn(7).chunks(Vessel, MILLION):
            for one in chunk:
                until = one.insured_until
                data = {**vars(one), "kind": one.kind.value,
                        "insured_until": until and until.isoformat()}  # fmt: skip
                file.write(json.dumps(data, ensure_ascii=False) + "\n")


def by_hand_parquet(path: Path) -> None:
    """The same Parquet, by hand."""
    writer = None
    for chunk in Urn(7).chunks(Vessel, MILLION):
        columns = {name: [getattr(one, name) for one in chunk] for name in vars(chunk[0])}
        columns["kind"] = [one.value for one in columns["kind"]]
        table = pyarrow.table(columns)
        writer = writer or pyarrow.parquet.ParquetWriter(path, table.schema)
        writer.write_table(table)
    assert writer is not None
    writer.close()


def million_rows() -> list[Row]:
    """Ours beside those by hand; both draw the records, too."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for ending, by_hand in (("jsonl", by_hand_lines), ("parquet", by_hand_parquet)):
            path = Path(folder) / f"x.{ending}"

            def ours(path: Path = path) -> None:
                with unfinished() as files:
                    write(path, Urn(7).chunks(Vessel, MILLION), file_table(Vessel), files)

            mine = min(seconds(ours, 1) for _ in range(2))
            theirs = min(seconds(lambda: by_hand(path), 1) for _ in range(2))  # noqa: B023
            told = f"{mine / theirs:.2f} × ({mine:.1f} s : {theirs:.1f} s)"
            rows.append(Row(f"1,000,000 rows to .{ending}, by hand", told, "–", True))
    return rows


if __name__ == "__main__":
    printed([*single_rows(), first_row(), *kept_rows(), *million_rows()])
