"""The shelf's records in SQL databases, through SQLAlchemy."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from decimal import Decimal
from types import ModuleType
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.file_table import FileTable, file_table
from urnshelf.files.shelves import put, stored
from urnshelf.near_names import nearest
from urnshelf.records.codec import Unfit, restored
from urnshelf.records.display import show
from urnshelf.records.sql import from_sql, to_sql
from urnshelf.store.conditions import Condition
from urnshelf.store.stored import Store
from urnshelf.types.forms import full_name
from urnshelf.types.nodes import Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def save_sql(store: Store, url: str) -> None:
    """Write every table of the store to the database; tables of these names that are there are
    replaced.
    """
    sqlalchemy = _sqlalchemy()
    metadata = sqlalchemy.MetaData()
    with warnings.catch_warnings(), _opened(sqlalchemy, url) as connection, connection.begin():
        warnings.simplefilter(
            "ignore", sqlalchemy.exc.SAWarning
        )  # of Decimals on SQLite: see _table_of
        for view in store.views():
            shape = file_table(view.record_type)
            made = _table_of(view.table_name, view.key_fields, shape, metadata, sqlalchemy)
            metadata.drop_all(connection, [made])
            metadata.create_all(connection, [made])
            rows = [_row(shape.values(row), shape) for row in stored(view)]
            if rows:
                connection.execute(made.insert(), rows)


def load_sql(
    store: Store, url: str, record_type: type, where: Condition | None, table: str | None
) -> None:
    """Put the rows of one table on the store: all of them, or nothing."""
    sqlalchemy = _sqlalchemy()
    shape = file_table(record_type)
    with _opened(sqlalchemy, url) as connection:
        name = _table_name(shape, table, sqlalchemy.inspect(connection))
        rows = _selected(connection, name, shape, where, sqlalchemy)
    lines = (f"table {name}, row {number}" for number in range(1, len(rows) + 1))
    put(
        store,
        {record_type: [(_record(row, shape, at), at) for row, at in zip(rows, lines, strict=True)]},
    )


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
    except sqlalchemy.exc.SQLAlchemyError as why:
        raise FileRefused(
            f"table {name} cannot be read: {getattr(why, 'orig', None) or why}"
        ) from None


def _record(row: Any, shape: FileTable, at: str) -> Any:
    values = {}
    for (field, node), value in zip(shape.columns.items(), row, strict=True):
        try:
            values[field] = from_sql(value, node)
        except Unfit as why:
            raise FileRefused(f"{at}, field {field}: {why}") from None
    if shape.description is None:
        return values
    try:
        return restored(shape.description, values)
    except Unfit as why:
        raise FileRefused(f"{at}: {why}") from None


def _row(values: dict[str, Any], shape: FileTable) -> dict[str, Any]:
    every = {name: values.get(name) for name in shape.columns}
    return {
        name: value if isinstance(value, Decimal) else to_sql(value)
        for name, value in every.items()
    }


def _table_of(
    name: str, key: tuple[str, ...], shape: FileTable, metadata: Any, sqlalchemy: ModuleType
) -> Any:
    """The table's columns: numbers, truth values and bytes in kind, everything else as texts."""
    columns = [
        sqlalchemy.Column(
            field, _column_type(node, sqlalchemy), primary_key=field in key, autoincrement=False
        )
        for field, node in shape.columns.items()
    ]
    return sqlalchemy.Table(name, metadata, *columns)


def _column_type(node: Node, sqlalchemy: ModuleType) -> Any:
    kinds = {
        "builtins.bool": sqlalchemy.Boolean,
        "builtins.int": sqlalchemy.BigInteger,
        "builtins.float": sqlalchemy.Float,
        "datetime.timedelta": sqlalchemy.Float,
        "builtins.bytes": sqlalchemy.LargeBinary,
        "decimal.Decimal": sqlalchemy.Numeric,  # SQLite holds some fifteen digits of it
    }
    # a member is stored by its value
    wanted = type(next(iter(node.bare)).value) if node.is_enum else node.bare
    name = full_name(wanted) if isinstance(wanted, type) else ""
    return kinds.get(name, sqlalchemy.Text)()


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
def _opened(sqlalchemy: ModuleType, url: str) -> Iterator[Any]:
    """A connection to the database, closed at the end."""
    try:
        engine = sqlalchemy.create_engine(url)
        connection = engine.connect()
    except Exception as why:  # drivers raise their own
        raise FileRefused(
            f"{show(url, 80)} cannot be opened: {getattr(why, 'orig', None) or why}"
        ) from None
    try:
        with connection:
            yield connection
    finally:
        # or the pool would hold the file open
        engine.dispose()


def _sqlalchemy() -> Any:
    try:
        import sqlalchemy
    except ImportError:
        raise FileRefused('a database needs SQLAlchemy: pip install "urnshelf[sql]"') from None
    return sqlalchemy
