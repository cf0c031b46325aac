"""The shelf's records in SQL databases, through SQLAlchemy."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.shelves import put, stored
from urnshelf.files.tables import TableForm, table_form
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
            form = table_form(view.record_type)
            made = _table_of(view.table_name, view.key_fields, form, metadata, sqlalchemy)
            metadata.drop_all(connection, [made])
            metadata.create_all(connection, [made])
            rows = [_row(form.values(row), form) for row in stored(view)]
            if rows:
                connection.execute(made.insert(), rows)


def load_sql(
    store: Store, url: str, record_type: type, where: Condition | None, table: str | None
) -> None:
    """Put the rows of one table on the store: all of them, or nothing."""
    sqlalchemy = _sqlalchemy()
    form = table_form(record_type)
    with _opened(sqlalchemy, url) as connection:
        name = _table_name(form, table, sqlalchemy.inspect(connection))
        rows = _selected(connection, name, form, where, sqlalchemy)
    places = (f"table {name}, row {number}" for number in range(1, len(rows) + 1))
    put(
        store,
        {
            record_type: [
                (_record(row, form, place), place) for row, place in zip(rows, places, strict=True)
            ]
        },
    )


def _selected(
    connection: Any, name: str, form: TableForm, where: Condition | None, sqlalchemy: Any
) -> list[Any]:
    columns = {column["name"] for column in sqlalchemy.inspect(connection).get_columns(name)}
    lacking = [field for field in form.columns if field not in columns]
    if lacking:
        raise FileRefused(
            f"table {name} has no column {lacking[0]!r} for {form.name}; it has "
            f"{', '.join(sorted(columns))}"
        )
    query = sqlalchemy.select(*map(sqlalchemy.column, form.columns)).select_from(
        sqlalchemy.table(name)
    )
    if where is not None:
        query = query.where(sqlalchemy.text(str(where).replace(":", r"\:")))
    try:
        return list(connection.execute(query).all())
    except sqlalchemy.exc.SQLAlchemyError as why:
        raise FileRefused(
            f"table {name} cannot be read: {getattr(why, 'orig', None) or why}"
        ) from None


def _record(row: Any, form: TableForm, place: str) -> Any:
    values = {}
    for (field, node), value in zip(form.columns.items(), row, strict=True):
        try:
            values[field] = from_sql(value, node)
        except Unfit as why:
            raise FileRefused(f"{place}, field {field}: {why}") from None
    if form.description is None:
        return values
    try:
        return restored(form.description, values)
    except Unfit as why:
        raise FileRefused(f"{place}: {why}") from None


def _row(values: dict[str, Any], form: TableForm) -> dict[str, Any]:
    every = {name: values.get(name) for name in form.columns}
    return {
        name: value if _is_decimal(type(value)) else to_sql(value) for name, value in every.items()
    }


def _table_of(
    name: str, key: tuple[str, ...], form: TableForm, metadata: Any, sqlalchemy: Any
) -> Any:
    """The table's columns: numbers, truth values and bytes in kind, everything else as texts."""
    columns = [
        sqlalchemy.Column(
            field, _column_type(node, sqlalchemy), primary_key=field in key, autoincrement=False
        )
        for field, node in form.columns.items()
    ]
    return sqlalchemy.Table(name, metadata, *columns)


def _column_type(node: Node, sqlalchemy: Any) -> Any:
    kinds = {
        "builtins.bool": sqlalchemy.Boolean,
        "builtins.int": sqlalchemy.BigInteger,
        "builtins.float": sqlalchemy.Float,
        "datetime.timedelta": sqlalchemy.Float,
        "builtins.bytes": sqlalchemy.LargeBinary,
        "decimal.Decimal": sqlalchemy.Numeric,  # SQLite keeps some fifteen digits of it
    }
    told = type(next(iter(node.bare)).value) if node.is_enum else node.bare
    name = full_name(told) if isinstance(told, type) else ""
    return kinds.get(name, sqlalchemy.Text)()


def _is_decimal(cls: type) -> bool:
    return full_name(cls) == "decimal.Decimal"


def _table_name(form: TableForm, told: str | None, inspector: Any) -> str:
    known = [*inspector.get_table_names(), *inspector.get_view_names()]
    name = form.name if form.description is None else form.description.table_name
    wanted = [told] if told else [name, f"{name}s", f"{name}es"]
    for one in wanted:
        if one in known:
            return str(one)
    raise FileRefused(
        f"the database has no table {wanted[0]!r}; it has {', '.join(known) or 'none'}; table=… "
        "names another"
    )


@contextmanager
def _opened(sqlalchemy: Any, url: str) -> Iterator[Any]:
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
        engine.dispose()


def _sqlalchemy() -> Any:
    try:
        import sqlalchemy
    except ImportError:
        raise FileRefused('a database needs SQLAlchemy: pip install "urnshelf[sql]"') from None
    return sqlalchemy
