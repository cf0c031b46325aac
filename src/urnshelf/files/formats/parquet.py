"""Parquet: a column a field, of Arrow's own type where that holds every value exactly, else of
texts.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from itertools import count
from pathlib import Path
from types import ModuleType
from typing import Any, NamedTuple

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, Entry, FileTable
from urnshelf.files.formats.csv import data_of
from urnshelf.records.cells import ABSENT, cell_reader, cell_writer
from urnshelf.records.codec import Unfit, to_json
from urnshelf.records.display import show
from urnshelf.records.quickly import writer
from urnshelf.types.nodes import Node


class _Column(NamedTuple):
    name: str
    node: Node
    kind: Any
    """Arrow's type; None for texts."""


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records; the first of them, or those that stand for them, decide which types the
    columns have.
    """
    arrow, parquet = _arrow()
    waiting = iter(chunks)
    first = [table.values(record) for record in next(waiting, [])]
    told = first if table.told_by is None else [table.values(one) for one in table.told_by]
    columns = [
        _Column(name, node, _kind(name, node, told, arrow)) for name, node in table.columns.items()
    ]
    schema = arrow.schema([(column.name, column.kind or arrow.string()) for column in columns])
    with parquet.ParquetWriter(path, schema) as writer:
        rows: list[dict[str, Any]] | None = first
        while rows is not None:
            for row in rows if table.description is None else ():
                table.check_columns(row)
            arrays = [_array(column, rows, rows is told, table, arrow) for column in columns]
            writer.write_table(arrow.Table.from_arrays(arrays, schema=schema))
            chunk = next(waiting, None)
            rows = None if chunk is None else [table.values(record) for record in chunk]


def read(path: Path, table: FileTable) -> Iterator[Entry]:
    """The records' data, each with where it stands."""
    arrow, parquet = _arrow()
    try:
        found = parquet.read_table(path)
    except (arrow.ArrowException, OSError) as error:
        raise FileRefused(f"{path.name}: {str(error).splitlines()[0]}") from None
    columns = [
        _moments(found[field.name], arrow)
        if field.type == arrow.timestamp("us", "UTC")
        else list(map(_reader(field, table, path.name, arrow), found[field.name].to_pylist()))
        for field in found.schema
    ]
    names = found.schema.names
    may_lack = any(ABSENT in column for column in columns)
    at = f"{path.name}, row"
    for number, row in enumerate(zip(*columns, strict=True), 1):
        data = dict(zip(names, row, strict=True))
        if may_lack:
            data = {name: one for name, one in data.items() if one is not ABSENT}
        yield data, at, number


def _moments(column: Any, arrow: ModuleType) -> list[datetime | None]:
    """Moments in UTC: Arrow would give each a zone of its own, which takes long."""
    since = datetime(1970, 1, 1, tzinfo=UTC)
    numbers = column.cast(arrow.int64()).to_pylist()
    return [n if n is None else since + timedelta(microseconds=n) for n in numbers]


def _reader(field: Any, table: FileTable, file: str, arrow: ModuleType) -> Callable[[Any], Any]:
    """What makes JSON data of a column's values; `ABSENT` itself for a key that is not there."""
    node = table.columns.get(field.name)
    if node is None:
        return lambda value: value
    if field.type != arrow.string():
        write = writer(node, to_json)
        if getattr(field.type, "tz", None) is not None:
            # Arrow gives the zone as an object of its own
            return lambda value: None if value is None else value.astimezone(UTC)
        return lambda value: value if type(value) is node.bare else write(value)
    read_cell = cell_reader(node)
    rows = count(1)

    def read(value: Any) -> Any:
        row = next(rows)
        if value is None or value == ABSENT:
            return None if value is None else ABSENT
        try:
            return read_cell(value)
        except ValueError:  # what is wrong is told as of a table of texts
            return data_of(value, node, f"{file}, row {row}, field {field.name}")

    return read


def _array(
    column: _Column, rows: list[dict[str, Any]], is_first: bool, table: FileTable, arrow: ModuleType
) -> Any:
    name = column.name
    if column.kind is None:
        cell = _cell_of(column, table)
        return arrow.array([cell(row) for row in rows], type=arrow.string())
    values = [row.get(name) for row in rows]
    for value in () if is_first else values:  # of the first it was looked at before
        if value is not None and _exact_kind(value, arrow) != column.kind:
            raise FileRefused(
                f"{table.name}.{name}: {show(value, 60)} is not of the type that the first records "
                "gave the column, "
                f"{column.kind}; write a .jsonl or .csv file, whose columns hold anything"
            )
    return arrow.array(values, type=column.kind)


def _cell_of(column: _Column, table: FileTable) -> Callable[[dict[str, Any]], str | None]:
    """What makes the text of a row's cell."""
    name, node = column.name, column.node
    data = writer(node, to_json)
    text = cell_writer(node)

    def cell(row: dict[str, Any]) -> str | None:
        if name not in row:
            return ABSENT
        try:
            return text(data(row[name])) or None
        except Unfit as why:
            path = ".".join(filter(None, [name, why.path]))
            raise FileRefused(f"{table.name}.{path}: {why}") from None

    return cell


def _kind(name: str, node: Node, rows: list[dict[str, Any]], arrow: ModuleType) -> Any:
    """The type that holds all these values exactly; None where only a text does."""
    values = [row[name] for row in rows if row.get(name) is not None]
    if len(set(map(type, values))) > 1:
        return None
    kinds = _kinds(values, arrow)
    # an absent key is not a null, and only a text can say so
    is_whole = all(name in row for row in rows)
    kind = next(iter(kinds.values())) if len(kinds) == 1 and is_whole else None
    # the column's own type must tell how its values are read again
    return kind if kind is not None and node.bare is type(values[0]) else None


def _kinds(values: list[Any], arrow: ModuleType) -> dict[str, Any]:
    """Arrow's types for values of one class."""
    if values and type(values[0]) in _PLAIN:  # each value of the class has the same
        kind = _exact_kind(values[0], arrow)
        return {str(kind): kind}
    return {str(kind): kind for kind in (_exact_kind(value, arrow) for value in values)}


_PLAIN = (bool, float, bytes, date)


def _exact_kind(value: Any, arrow: ModuleType) -> Any:
    """Arrow's type for a value that it holds exactly; None for others."""
    cls = type(value)
    if cls is int:
        return arrow.int64() if -(2**63) <= value < 2**63 else None
    if cls is datetime:
        # Arrow has no second two o'clock, and one zone for the whole column
        if value.fold or not (value.tzinfo is None or value.tzinfo is UTC):
            return None
        return arrow.timestamp("us", tz="UTC" if value.tzinfo else None)
    if cls is Decimal:
        exponent = value.as_tuple().exponent
        is_plain = (
            isinstance(exponent, int)
            and -18 <= exponent <= 0
            and len(value.as_tuple().digits) <= 38
        )
        return arrow.decimal128(38, -exponent) if is_plain else None
    if cls is time:
        return arrow.time64("us") if value.tzinfo is None and not value.fold else None
    simple = {
        bool: arrow.bool_(),
        float: arrow.float64(),
        bytes: arrow.binary(),
        date: arrow.date32(),
    }
    return simple.get(cls)


def _arrow() -> tuple[Any, Any]:
    try:
        import pyarrow
        import pyarrow.parquet
    except ImportError:
        raise FileRefused('a Parquet file needs pyarrow: pip install "urnshelf[data]"') from None
    return pyarrow, pyarrow.parquet
