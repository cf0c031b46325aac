"""SQL: a CREATE TABLE, and INSERTs of some hundred rows, as SQLite and PostgreSQL take them."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import Decimal
from itertools import chain
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import Chunks, FileTable
from urnshelf.records.display import show
from urnshelf.records.sql import sql_writer
from urnshelf.types.nodes import Node

_ROWS = 500
_TYPES: dict[Any, str] = {
    bool: "BOOLEAN",
    int: "BIGINT",
    float: "DOUBLE PRECISION",
    Decimal: "NUMERIC",
    date: "DATE",
    datetime: "TIMESTAMP",
    time: "TIME",
}
_RESERVED = frozenset(
    """
    all analyze and any array as asc between by case check column constraint create current_date
    default delete desc distinct do drop else end except exists false fetch for foreign from full
    grant group having in index inner insert intersect into is join key leading left like limit not
    null offset on only or order primary references right select set table then to trailing true
    union unique update user using values view when where window with
    """.split()
)


def write(path: Path, chunks: Chunks, table: FileTable) -> None:
    """Write the records.

    Raises:
        FileRefused: a value that no SQL text can hold.
    """
    name = identifier(table.description.table_name if table.description else "records")
    key = table.description.key if table.description else ()
    waiting = iter(chunks)
    first = next(waiting, [])
    zoned = {field for field in table.columns if _is_zoned(first, field, table)}
    columns = [
        f"  {identifier(field)} {_type(node, field in zoned)}{_not_null(node)}"
        for field, node in table.columns.items()
    ]
    # of keys that a database is to give some are None, which no database takes in a primary key
    is_given = key and not any(table.columns[name].optional for name in key)
    columns += [f"  PRIMARY KEY ({', '.join(map(identifier, key))})"] if is_given else []
    writers = {field: (node, sql_writer(node)) for field, node in table.columns.items()}
    names = ", ".join(map(identifier, table.columns))
    with path.open("w", encoding="utf-8", newline="\n") as file:
        file.write(f"CREATE TABLE {name} (\n{f',{chr(10)}'.join(columns)}\n);\n")
        for chunk in chain([first], waiting):
            for start in range(0, len(chunk), _ROWS):
                rows = [_row(record, table, writers) for record in chunk[start : start + _ROWS]]
                file.write(f"INSERT INTO {name} ({names}) VALUES\n" + ",\n".join(rows) + ";\n")


def _not_null(node: Node) -> str:
    return "" if node.optional or not node.is_known else " NOT NULL"


def _is_zoned(records: Sequence[Any], field: str, table: FileTable) -> bool:
    """Whether the moments of a column have a time zone."""
    values = (table.values(record).get(field) for record in records)
    first = next((one for one in values if one is not None), None)
    return isinstance(first, (datetime, time)) and first.tzinfo is not None


def _type(node: Node, is_zoned: bool) -> str:
    return _TYPES.get(node.bare, "TEXT") + (" WITH TIME ZONE" if is_zoned else "")


def identifier(name: str) -> str:
    """A name as SQL has it: in quotes, where it would be read otherwise.

    >>> identifier("length_m"), identifier("order"), identifier("Berth")
    ('length_m', '"order"', '"Berth"')
    """
    plain = re.fullmatch(r"[a-z_][a-z0-9_]*", name) is not None
    return name if plain and name not in _RESERVED else '"' + name.replace('"', '""') + '"'


def _row(
    record: Any, table: FileTable, writers: dict[str, tuple[Node, Callable[[Any], Any]]]
) -> str:
    values = table.values(record)
    table.check_columns(values)
    texts = [
        _literal(values.get(field), node, write, f"{table.name}.{field}")
        for field, (node, write) in writers.items()
    ]
    return f"  ({', '.join(texts)})"


def _literal(value: Any, node: Node, write: Callable[[Any], Any], where: str) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, Decimal) and node.bare is Decimal and value.is_finite():
        return format(value, "f")
    if isinstance(value, (datetime, date, time)) and node.bare in _TYPES:
        return _quoted(str(value), where)
    data = write(value)
    if isinstance(data, bool):
        return "TRUE" if data else "FALSE"
    if isinstance(data, (int, float)):
        if data - data != 0:
            raise FileRefused(f"{where}: {data} is no number that SQL has; give the field a value")
        return repr(data) if node.bare in (int, float) else _quoted(str(data), where)
    if isinstance(data, bytes):
        return _quoted(data.hex(), where)
    return _quoted(str(data), where)


def _quoted(text: str, where: str) -> str:
    if "\0" in text:
        raise FileRefused(f"{where}: {show(text, 40)} has a zero character, which no SQL text can")
    return "'" + text.replace("'", "''") + "'"
