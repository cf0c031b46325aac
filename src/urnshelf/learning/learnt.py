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

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_COMPARED = 20_000


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
            drawn = self.drawn(name)
            for one in rules:
                if one.name in drawn.columns and one.kind not in (
                    "ids",
                    "serial",
                    "texts",
                    "key",
                    "link",
                ):
                    sample = samples[name].columns[one.name]
                    one.distance = distance(sample, drawn.columns[one.name])
            self.apart[name] = compared(samples[name], drawn)

    def drawn(self, table: str, n: int | None = None) -> SampleTable:
        """Drawn rows of a table, as a table of a sample: as many as the sample has, at most 20,000.

        Args:
            table: its name.
            n: how many.
        """
        count = min(self.samples[table].count, _COMPARED) if n is None else n
        return drawn_table(self._tables[table], count)

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

    @property
    def is_near(self) -> bool:
        """Whether the check found a table that may be too close to the sample."""
        return any(one.verdict == "near" for one in self.leaks)


def read_text(plan: str) -> dict[str, PlannedTable]:
    """The tables of a plan's text."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "learnt.toml"
        path.write_text(plan, encoding="utf-8")
        return read_plan(path).tables


def drawn_table(table: PlannedTable, count: int) -> SampleTable:
    """The first records of a planned table, as a table of a sample."""
    import pandas

    from urnshelf.learning.sample import sample_table
    from urnshelf.urn.layouts import record_type

    fields = record_type(table.what).values
    rows = [fields(one) for one in table.first(count)]
    frame = pandas.DataFrame(
        {
            name: pandas.Series([row.get(name) for row in rows], dtype=object)
            for name in table.columns
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
        types: the record type of a table, by its name, or for the only one.
        database: as SQLAlchemy has it, `sqlite:///harbour.db`.
        check_leaks: whether to learn from one half besides, and see whether what is drawn is closer
            to it than to the other.

    Returns:
        The plan, and what was found.

    Raises:
        SampleRefused: a sample that cannot be read, is too small, or would be given away.

    >>> import pandas
    >>> lengths = pandas.DataFrame({"length_m": [8.5 + n % 40 / 2 for n in range(200)]})
    >>> print(learn(lengths).plan.partition("[tables")[2])
    .records]
    count = 200
    <BLANKLINE>
    [tables.records.rules]
    length_m = { ...
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
    from urnshelf.learning.reading import frames_from, frames_in
    from urnshelf.learning.sample import frames_of, sample_table

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
        tables[name] = sample_table(name, frame, origin, missing, without)
    return tables
