"""The shelf's records in SQL databases, through SQLAlchemy."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from decimal import Decimal
from itertools import count, islice, repeat
from types import ModuleType
from typing import Any
from urllib.parse import unquote

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import FileTable, Found, file_table
from urnshelf.files.shelves import put, stored
from urnshelf.files.whole import why
from urnshelf.near_names import nearest
from urnshelf.records.codec import Unfit, restored
from urnshelf.records.quickly import Convert
from urnshelf.records.scalars import scalar_of
from urnshelf.records.sql import sql_reader, sql_writer, stored_type
from urnshelf.store.conditions import Condition
from urnshelf.store.stored import Store
from urnshelf.store.views import View
from urnshelf.types.forms import full_name
from urnshelf.types.nodes import Node


def save_sql(store: Store, url: str) -> None:
    """Write every table of the store to the database, all of them or none; tables of these names
    that are there are replaced.
    """
    sqlalchemy = sqlalchemy_module()
    metadata = sqlalchemy.MetaData()
    # all values are made before the database is touched
    tables = [
        _table_of(view, file_table(view.record_type), metadata, sqlalchemy)
        for view in store.views()
    ]
    with warnings.catch_warnings(), opened(sqlalchemy, url) as connection:
        warnings.simplefilter(
            "ignore", sqlalchemy.exc.SAWarning
        )  # of Decimals on SQLite: those that it would round are texts
        with connection.begin():
            for made, cells in tables:
                _write(connection, made, cells, sqlalchemy, url)


def _write(
    connection: Any, made: Any, cells: dict[str, list[Any]], sqlalchemy: ModuleType, url: str
) -> None:
    try:
        made.drop(connection, checkfirst=True)
        made.create(connection)
        rows = zip(*cells.values(), strict=True)
        # some at a time, so that few are there together
        while some := [dict(zip(cells, row, strict=True)) for row in islice(rows, 1000)]:
            connection.execute(made.insert(), some)
    except (sqlalchemy.exc.SQLAlchemyError, OverflowError, ValueError) as error:
        said = why(error) if isinstance(error, UnicodeEncodeError) else _hidden(error, url)
        raise FileRefused(
            f"table {made.name} cannot be written: {said}; the database is as it was"
        ) from None


def load_sql(
    store: Store, url: str, record_type: type, where: Condition | None, table: str | None
) -> None:
    """Put the rows of one table on the store: all of them, or nothing."""
    sqlalchemy = sqlalchemy_module()
    shape = file_table(record_type)
    with opened(sqlalchemy, url) as connection:
        name = _table_name(shape, table, sqlalchemy.inspect(connection))
        rows = _selected(connection, name, shape, where, sqlalchemy)
    put(store, {record_type: _records(rows, shape, f"table {name}, row")})


def _selected(
    connection: Any, name: str, shape: FileTable, where: Condition | None, sqlalchemy: ModuleType
) -> list[Any]:
    columns = {column["name"] for column in sqlalchemy.inspect(connection).get_columns(name)}
    lacking = [field for field in shape.columns if field not in columns]
    if lacking:
        raise FileRefused(
            f"table {name} has no column {lacking[0]!r} for {shape.name}; "
            f"{nearest(lacking[0], sorted(columns))}"
        )
    query = sqlalchemy.select(*map(sqlalchemy.column, shape.columns)).select_from(
        sqlalchemy.table(name)
    )
    if where is not None:
        # a colon would begin a parameter
        query = query.where(sqlalchemy.text(str(where).replace(":", r"\:")))
    try:
        return list(connection.execute(query).all())
    except sqlalchemy.exc.SQLAlchemyError as error:
        raise FileRefused(f"table {name} cannot be read: {_hidden(error, '')}") from None


def _records(rows: list[Any], shape: FileTable, at: str) -> list[Found]:
    """The records of a table's rows, each with where it stands."""
    readers = [(field, sql_reader(node)) for field, node in shape.columns.items()]
    found: list[Found] = []
    # some at a time, so that the values of few are there together
    for start in range(0, len(rows), 1000):
        some = rows[start : start + 1000]
        try:
            made = _made_all(some, readers, shape)
        except Unfit:  # which of them, and what is wrong, is told of each alone
            numbered = enumerate(some, start + 1)
            made = [_record(row, readers, shape, f"{at} {number}") for number, row in numbered]
        found += zip(made, repeat(at), count(start + 1), strict=False)
    return found


def _made_all(rows: list[Any], readers: list[tuple[str, Convert]], shape: FileTable) -> list[Any]:
    columns = [
        map(read, column)
        for (_, read), column in zip(readers, zip(*rows, strict=True), strict=True)
    ]
    names = [field for field, _ in readers]
    return [
        _made(shape, dict(zip(names, values, strict=True))) for values in zip(*columns, strict=True)
    ]


def _record(row: Any, readers: list[tuple[str, Convert]], shape: FileTable, at: str) -> Any:
    values = {}
    field = ""
    try:
        for (field, read), value in zip(readers, row, strict=True):
            values[field] = read(value)
    except Unfit as error:
        raise FileRefused(f"{at}, field {field}: {error}") from None
    try:
        return _made(shape, values)
    except Unfit as error:
        raise FileRefused(f"{at}: {error}") from None


def _made(shape: FileTable, values: dict[str, Any]) -> Any:
    return values if shape.description is None else restored(shape.description, values)


def _table_of(
    view: View[Any], shape: FileTable, metadata: Any, sqlalchemy: ModuleType
) -> tuple[Any, dict[str, list[Any]]]:
    """The table and its cells by column: numbers, truth values and bytes in kind, where every value
    is held exactly, everything else as texts.
    """
    columns: list[Any] = []
    cells: dict[str, list[Any]] = {}
    by_column = _by_column(stored(view), shape)
    for field, node in shape.columns.items():
        values = by_column.pop(field)
        kinds = {*map(type, values)} - {type(None)}
        # what SQL has itself needs nothing made of it
        is_plain = kinds == {node.bare} and kinds <= {bool, int, float, str, bytes}
        made = values if is_plain else list(map(sql_writer(node), values))
        kind = _column_type(node, values, made, sqlalchemy)
        is_key = field in view.key_fields
        columns.append(sqlalchemy.Column(field, kind, primary_key=is_key, autoincrement=False))
        is_text = isinstance(kind, sqlalchemy.Text)
        is_made = {*map(type, made)} <= {str, type(None)} if is_text else Decimal not in kinds
        cells[field] = made if is_made else list(map(_text if is_text else _number, values, made))
    table = sqlalchemy.Table(view.table_name, metadata, *columns)
    return table, cells


def _by_column(records: list[Any], shape: FileTable) -> dict[str, list[Any]]:
    found: dict[str, list[Any]] = {field: [] for field in shape.columns}
    waiting = iter(records)
    while some := [shape.values(record) for record in islice(waiting, 1000)]:
        for field, column in found.items():
            column += [row.get(field) for row in some]
    return found


def _number(value: Any, data: Any) -> Any:
    """A value as a column of its own type holds it."""
    return value if type(value) is Decimal else data


def _text(value: Any, data: Any) -> Any:
    """A value as a column of texts holds it."""
    if data is None or type(data) is str:
        return data
    scalar = scalar_of(type(value))
    return str(data) if scalar is None else scalar.to_text(value)


def _column_type(node: Node, values: list[Any], made: list[Any], sqlalchemy: ModuleType) -> Any:
    kinds = {
        "builtins.bool": sqlalchemy.Boolean,
        "builtins.int": sqlalchemy.BigInteger,
        "builtins.float": sqlalchemy.Double,
        "datetime.timedelta": sqlalchemy.Double,
        "builtins.bytes": sqlalchemy.LargeBinary,
        "builtins.bytearray": sqlalchemy.LargeBinary,
        "decimal.Decimal": sqlalchemy.Numeric,
    }
    wanted = stored_type(node)
    name = full_name(wanted) if isinstance(wanted, type) else ""
    kind = kinds.get(name, sqlalchemy.Text)
    if kind is sqlalchemy.Text:
        return kind()
    is_exact = _are_numbers(made) or all(
        value is None or _is_held(data, value, name)
        for value, data in zip(values, made, strict=True)
    )
    return kind() if is_exact else sqlalchemy.Text()


def _are_numbers(made: list[Any]) -> bool:
    """Whether all of a column are whole numbers that it holds, or truth values; a quick look."""
    kinds = {*map(type, made)} - {type(None)}
    if kinds == {int}:
        numbers: list[int] = [one for one in made if one is not None]
        return -min(numbers) <= 2**63 > max(numbers)
    return kinds <= {bool}


def _is_held(data: Any, value: Any, name: str) -> bool:
    """Whether a column of the field's own type holds a value as it is."""
    if isinstance(value, Decimal):
        if not value.is_finite():
            return False
        # as a float, as which SQLite has it: any number of 15 digits comes back from one
        is_short = len(text := str(value)) <= 15 and "E" not in text
        return is_short or Decimal(repr(float(value))) == value
    if name == "builtins.int":
        return type(data) is int and -(2**63) <= data < 2**63
    if name == "builtins.float":
        # of what is no number SQLite makes NULL
        return type(data) in (int, float) and data - data == 0
    if isinstance(value, timedelta):
        return abs(value) < timedelta(days=36_500) and timedelta(seconds=data) == value
    return isinstance(data, (bool, bytes, str))


def _table_name(shape: FileTable, given: str | None, inspector: Any) -> str:
    known = [*inspector.get_table_names(), *inspector.get_view_names()]
    name = shape.name if shape.description is None else shape.description.table_name
    names = [given] if given else [name, f"{name}s", f"{name}es"]
    for one in names:
        if one in known:
            return str(one)
    raise FileRefused(
        f"the database has no table {names[0]!r}; {nearest(names[0], known)} table=… names another"
    )


@contextmanager
def opened(sqlalchemy: ModuleType, url: str) -> Iterator[Any]:
    """A connection to the database, closed at the end."""
    try:
        engine = sqlalchemy.create_engine(url)
        _begin_as_told(engine, sqlalchemy)
        connection = engine.connect()
    except Exception as error:  # drivers raise their own
        raise FileRefused(f"{shown_url(url)} cannot be opened: {_hidden(error, url)}") from None
    try:
        with connection:
            yield connection
    finally:
        # or the pool would hold the file open
        engine.dispose()


def _begin_as_told(engine: Any, sqlalchemy: ModuleType) -> None:
    """Transactions of SQLite around tables that are made, too: its driver begins them too late
    unless it is told to leave them alone.
    """
    if engine.dialect.name != "sqlite":
        return

    def leave_alone(connection: Any, _record: object) -> None:
        connection.isolation_level = None

    sqlalchemy.event.listen(engine, "connect", leave_alone)
    sqlalchemy.event.listen(engine, "begin", lambda made: made.exec_driver_sql("BEGIN"))


def shown_url(url: object) -> str:
    """A database URL without what must not be read by others."""
    text = re.sub(r"(?<=://).*@", "…@", str(url))
    return repr(re.sub(r"(?i)((?:password|passwd|pwd|secret|token|key)=)[^&]*", r"\1…", text))


def _hidden(error: Exception, url: object) -> str:
    """What a driver says, without the URL's secrets."""
    text = str(getattr(error, "orig", None) or error).strip().partition("\n[SQL")[0]
    secrets = re.findall(r"://[^/]*?:(.*)@", str(url))
    secrets += re.findall(r"(?i)(?:password|passwd|pwd|secret|token|key)=([^&]*)", str(url))
    for secret in secrets:
        for written in (secret, unquote(secret)):
            text = text.replace(written, "…") if written else text
    return text


def sqlalchemy_module() -> Any:
    """SQLAlchemy; raises FileRefused where it is not installed."""
    try:
        import sqlalchemy
    except ImportError:
        raise FileRefused('a database needs SQLAlchemy: pip install "urnshelf[sql]"') from None
    return sqlalchemy
