"""`learn`: a plan of rules from a sample, and what was found in it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from os import PathLike
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any

from urnshelf.errors import FileRefused, RecordRefused, SampleRefused
from urnshelf.files.plan_file import read_plan
from urnshelf.files.planned_table import PlannedTable
from urnshelf.files.whole import unfinished, why
from urnshelf.records.display import show

if TYPE_CHECKING:
    from urnshelf.learning.belonging_tables import LinkFound
    from urnshelf.learning.column_rule import ColumnRule
    from urnshelf.learning.leaks import LeakCheck
    from urnshelf.learning.sample import SampleTable

_FEWEST, _COMPARED = 5_000, 20_000
"""So many drawn rows are compared with a sample."""


class Learnt:
    """What was learnt from a sample.

    Attributes:
        plan: the text of the plan file.
        columns: what was learnt of each column, by table.
        links: the links between tables.
        left_out: the columns that were not learnt, and why, by table.
        leaks: what the check found, for each table.
        samples: the tables of the sample.
        apart: the mean difference of the rank correlations of drawn rows and the sample's, by
            table; None for tables with fewer than two columns in order.
    """

    def __init__(
        self,
        plan: str,
        columns: dict[str, list[ColumnRule]],
        links: list[LinkFound],
        samples: dict[str, SampleTable],
        leaks: list[LeakCheck],
    ) -> None:
        from urnshelf.learning.how_far import compared, distance

        self.plan, self.columns, self.links = plan, columns, links
        self.samples, self.leaks = samples, leaks
        self.left_out = {name: one.left_out for name, one in samples.items() if one.left_out}
        self.apart: dict[str, float | None] = {}
        self._tables = read_text(plan)
        for name, rules in columns.items():
            drawn = self.compared(name)
            for one in rules:
                if one.is_compared and one.name in drawn.columns:
                    sample = samples[name].columns[one.name]
                    one.distance = distance(sample, drawn.columns[one.name])
            anew = [one.name for one in rules if not one.is_compared]
            self.apart[name] = compared(samples[name].without(anew), drawn)

    def drawn(self, table: str, n: int) -> SampleTable:
        """The first drawn rows of a table, as a table of a sample.

        Args:
            table: its name.
            n: how many.
        """
        return drawn_table(self._tables[table], n)

    def compared(self, table: str) -> SampleTable:
        """Drawn rows to compare with the sample: as many as that has, from 5,000 to 20,000, without
        what is made anew, ids and texts.

        Args:
            table: its name.
        """
        count = min(max(self.samples[table].count, _FEWEST), _COMPARED)
        return drawn_table(self._tables[table], count, self._anew(table))

    def _anew(self, table: str) -> list[str]:
        # by a link others are told
        return [
            one.name for one in self.columns[table] if not one.is_compared and one.kind != "link"
        ]

    def save(self, path: str | PathLike[str]) -> None:
        """Write the plan to a file.

        Raises:
            FileRefused: the place cannot be written to.
        """
        where = Path(path)
        try:
            with unfinished() as files:
                files.part(where).write_text(self.plan, encoding="utf-8")
        except OSError as error:
            raise FileRefused(f"{where} cannot be written: {why(error)}") from None


def read_text(plan: str) -> dict[str, PlannedTable]:
    """The tables of a plan's text."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "learnt.toml"
        path.write_text(plan, encoding="utf-8")
        return read_plan(path).tables


def drawn_table(table: PlannedTable, count: int, without: Iterable[str] = ()) -> SampleTable:
    """The first records of a planned table, as a table of a sample.

    Args:
        table: of the plan.
        count: how many.
        without: columns that are left out.
    """
    import pandas

    from urnshelf.learning.framed import sample_table
    from urnshelf.learning.sample import SampleTable
    from urnshelf.urn.layouts import record_type

    fields = record_type(table.what).values
    gone = {*without}
    if gone >= table.columns.keys():
        return SampleTable(table.name, {}, count, f"what is drawn of {table.name}")
    rows = [fields(one) for one in table.first(count, gone)]
    frame = pandas.DataFrame(
        {
            name: pandas.Series([row.get(name) for row in rows], dtype=object)
            for name in table.columns
            if name not in gone
        }
    )
    return sample_table(table.name, frame, f"what is drawn of {table.name}")


def learn(
    sample: Any,
    *,
    smallest_group: int | None = None,
    relabel: Iterable[str] = (),
    without: Iterable[str] = (),
    missing: Iterable[str] = (),
    types: Mapping[str, Any] | None = None,
    database: str | None = None,
    check_leaks: bool = True,
) -> Learnt:
    """Learn the rules of a plan from a sample: records drawn by them look like it, and nobody in it
    is among them.

    Args:
        sample: a file, several, a folder, a saved shelf; a data frame; a dictionary of data frames
            by the names of their tables; with `database` the names of its tables.
        smallest_group: what fewer rows share is not told; 5 below 1,000 rows, else 10.
        relabel: columns whose labels are made anew.
        without: columns that are left out.
        missing: texts that stand for nothing.
        types: the record type of a table, or its `MODULE:NAME`, by the table's name, or for the
            only one.
        database: as SQLAlchemy has it, `sqlite:///harbour.db`.
        check_leaks: whether to learn from one half besides, and see whether what is drawn is closer
            to it than to the other.

    Returns:
        The plan, and what was found.

    Raises:
        SampleRefused: a sample that cannot be read, is too small, or would be given away.

    >>> import pandas
    >>> kinds = ["cargo", "cargo", "tug"] * 100
    >>> lengths = [80 + n % 17 if kind == "cargo" else 20 + n % 5 for n, kind in enumerate(kinds)]
    >>> found = learn(pandas.DataFrame({"kind": kinds, "length_m": lengths}))
    >>> [(one.name, one.kind, one.follows) for one in found.columns["records"]]
    [('kind', 'categories', ''), ('length_m', 'steps', 'by kind')]
    >>> print(found.plan.partition("rules]")[2].splitlines()[1])
    kind = { among = ["cargo", "tug"], weights = [67, 33] }
    """
    try:
        import pandas  # noqa: F401
    except ImportError:
        raise SampleRefused('learning needs pandas: pip install "urnshelf[data]"') from None
    from urnshelf.learning.whole_sample import WholeSample

    tables = _tables_of(sample, database, tuple(missing), tuple(without))
    return WholeSample(tables, smallest_group, frozenset(relabel), types or {}).learn(check_leaks)


def _tables_of(
    sample: Any, database: str | None, missing: Sequence[str], without: Sequence[str]
) -> dict[str, SampleTable]:
    from urnshelf.learning.framed import frames_of, sample_table
    from urnshelf.learning.reading import frames_from, frames_in

    found: list[tuple[str, Any, str]] = []
    frames = None if database is not None else frames_of(sample)
    if database is not None:
        names = [sample] if isinstance(sample, str) else list(sample or ())
        found = list(frames_from(database, names))
    elif frames is not None:
        found = [(name, frame, f"table {name!r}") for name, frame in frames.items()]
    else:
        several = [sample] if isinstance(sample, (str, PathLike)) else sample
        is_paths = isinstance(several, (list, tuple)) and bool(several)
        if not is_paths or not all(isinstance(one, (str, PathLike)) for one in several):
            raise SampleRefused(
                f"learn({show(sample, 60)}): it takes files, a data frame, or a dictionary of data "
                "frames by the names of their tables"
            )
        try:
            found = [one for path in several for one in frames_in(Path(path))]
        except (FileRefused, RecordRefused) as refused:
            raise SampleRefused(str(refused)) from None
    tables: dict[str, SampleTable] = {}
    for name, frame, origin in found:
        if name in tables:
            raise SampleRefused(f"{origin}: there are two tables called {name!r}; rename a file")
        if len(frame.columns) == 1:
            raise SampleRefused(
                f"{origin}: it has one column, {show(frame.columns[0], 60)}, and nothing that goes "
                "together; are its columns divided by commas? The rule of one field is told by "
                "hand, rules.quantiles, rules.among"
            )
        tables[name] = sample_table(name, frame, origin, missing, without)
    return tables
