"""Parquet: a column a field, of Arrow's own type where that holds every value exactly, else of
texts.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, time
from decimal import Decimal
from pathlib import Path
from types import ModuleType
from typing import Any, NamedTuple

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, Entry, FileTable
from urnshelf.files.formats.csv import data_of
from urnshelf.records.codec import ABSENT, to_cell, to_json
from urnshelf.records.display import show
from urnshelf.types.nodes import Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class _Column(NamedTuple):
    name: str
    node: Node
    kind: Any
    """Arrow's type; None for texts."""


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records; the first of them decide which types the columns have."""
    arrow, parquet = _arrow()
    waiting = iter(chunks)
    first = [table.values(record) for record in next(waiting, [])]
    columns = [
        _Column(name, node, _kind(name, node, first, arrow)) for name, node in table.columns.items()
    ]
    schema = arrow.schema([(column.name, column.kind or arrow.string()) for column in columns])
    with parquet.ParquetWriter(path, schema) as writer:
        rows: list[dict[str, Any]] | None = first
        while rows is not None:
            for row in rows:
                table.check_columns(row)
            arrays = [_array(column, rows, table, arrow) for column in columns]
            writer.write_table(arrow.Table.from_arrays(arrays, schema=schema))
            chunk = next(waiting, None)
            rows = None if chunk is None else [table.values(record) for record in chunk]


def read(path: Path, table: FileTable) -> Iterator[Entry]:
    """The records' data, each with where it stands."""
    arrow, parquet = _arrow()
    try:
        found = parquet.read_table(path)
    except (arrow.ArrowException, OSError) as why:
        raise FileRefused(f"{path.name}: {str(why).splitlines()[0]}") from None
    texts = {field.name for field in found.schema if field.type == arrow.string()}
    for number, row in enumerate(found.to_pylist(), 1):
        at = f"{path.name}, row {number}"
        data = {
            name: _read(value, name in texts, name, table, at)
            for name, value in row.items()
            if value != ABSENT
        }
        yield Entry(data, at)


def _read(value: Any, is_text: bool, name: str, table: FileTable, at: str) -> Any:
    node = table.columns.get(name)
    if value is None or node is None:
        return value
    if is_text:
        return data_of(value, node, f"{at}, field {name}")
    if isinstance(value, datetime) and value.tzinfo is not None:
        # Arrow gives the zone as an object of its own
        value = value.astimezone(UTC)
    return to_json(value, node)


def _array(column: _Column, rows: list[dict[str, Any]], table: FileTable, arrow: ModuleType) -> Any:
    name = column.name
    if column.kind is None:
        return arrow.array([_cell(row, column, table) for row in rows], type=arrow.string())
    values = [row.get(name) for row in rows]
    for value in values:
        if value is not None and _exact_kind(value, arrow) != column.kind:
            raise FileRefused(
                f"{table.name}.{name}: {show(value, 60)} is not of the type that the first records "
                "gave the column, "
                f"{column.kind}; write a .jsonl or .csv file, whose columns hold anything"
            )
    return arrow.array(values, type=column.kind)


def _cell(row: dict[str, Any], column: _Column, table: FileTable) -> str | None:
    if column.name not in row:
        return ABSENT
    value = row[column.name]
    data = (
        table.data({column.name: value})
        if table.description is None
        else {column.name: to_json(value, column.node)}
    )
    return to_cell(data[column.name], column.node) or None


def _kind(name: str, node: Node, rows: list[dict[str, Any]], arrow: ModuleType) -> Any:
    """The type that holds all these values exactly; None where only a text does."""
    values = [row[name] for row in rows if row.get(name) is not None]
    kinds = {str(kind): kind for kind in (_exact_kind(value, arrow) for value in values)}
    # an absent key is not a null, and only a text can say so
    is_whole = all(name in row for row in rows)
    kind = next(iter(kinds.values())) if len(kinds) == 1 and is_whole else None
    # the column's own type must tell how its values are read again
    return kind if kind is not None and node.bare is type(values[0]) else None


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
