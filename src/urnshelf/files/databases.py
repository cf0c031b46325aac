"""The shelf's records in SQL databases, through SQLAlchemy."""

from __future__ import annotations

import json
import warnings
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any, get_args, get_origin
from uuid import UUID

from urnshelf.errors import FileRefused
from urnshelf.files.exact import Unfit, bare, build, record_type_of
from urnshelf.files.keeping import Form, form_of, put
from urnshelf.interfaces.hints import type_name
from urnshelf.interfaces.promises import misfit
from urnshelf.records.display import show
from urnshelf.records.keys import snake_case
from urnshelf.store.conditions import Condition
from urnshelf.store.tables import Store, Table
from urnshelf.store.values import sql_value

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def save_sql(store: Store, url: str) -> None:
    """Write every table of the store to the database; tables of these names that are there are replaced."""
    sqlalchemy = _sqlalchemy()
    metadata = sqlalchemy.MetaData()
    with warnings.catch_warnings(), _engine(sqlalchemy, url).begin() as connection:
        warnings.simplefilter("ignore", sqlalchemy.exc.SAWarning)  # of Decimals on SQLite: see _table_of
        for table in store.tables():
            made = _table_of(table, metadata, sqlalchemy)
            metadata.drop_all(connection, [made])
            metadata.create_all(connection, [made])
            rows = [_row(row, table.fields) for row in map(table.stored.by_key.get, table.stored.keys())]
            if rows:
                connection.execute(made.insert(), rows)


def load_sql(store: Store, url: str, record_type: type, where: Condition | None, table: str | None) -> None:
    """Put the rows of one table on the store: all of them, or nothing."""
    sqlalchemy = _sqlalchemy()
    form = form_of(record_type)
    with _engine(sqlalchemy, url).connect() as connection:
        name = _table_name(record_type, table, sqlalchemy.inspect(connection))
        rows = _selected(connection, name, form, where, sqlalchemy)
    places = (f"table {name}, row {number}" for number in range(1, len(rows) + 1))
    put(store, {record_type: [(_record(row, form, place), place) for row, place in zip(rows, places, strict=True)]})


def _selected(connection: Any, name: str, form: Form, where: Condition | None, sqlalchemy: Any) -> list[Any]:
    columns = {column["name"] for column in sqlalchemy.inspect(connection).get_columns(name)}
    lacking = [field for field in form.fields if field not in columns]
    if lacking:
        raise FileRefused(
            f"table {name} has no column {lacking[0]!r} for {form.name}; it has {', '.join(sorted(columns))}"
        )
    query = sqlalchemy.select(*map(sqlalchemy.column, form.fields)).select_from(sqlalchemy.table(name))
    if where is not None:
        query = query.where(sqlalchemy.text(str(where).replace(":", r"\:")))
    try:
        return list(connection.execute(query).all())
    except sqlalchemy.exc.SQLAlchemyError as why:
        raise FileRefused(f"table {name} cannot be read: {getattr(why, 'orig', None) or why}") from None


def _record(row: Any, form: Form, place: str) -> Any:
    values = {}
    for field, value in zip(form.fields, row, strict=True):
        try:
            values[field] = from_sql(value, form.type_of(field))
        except Unfit as why:
            raise FileRefused(f"{place}, field {field}: {why}") from None
    try:
        return build(form.told, values)
    except Unfit as why:
        raise FileRefused(f"{place}: {why}") from None


def from_sql(value: Any, form: Any) -> Any:
    """A column's value as one of the field's type."""
    form = bare(form)
    if value is None or form is Any:
        return value
    origin = get_origin(form) or form
    if isinstance(value, str) and (
        get_args(form) or origin in (list, dict, set, tuple, frozenset) or record_type_of(form)
    ):
        value = _json(value)
    converted = _converted(value, form, origin)
    wrong = misfit(converted, form)
    if wrong is not None:
        raise Unfit(wrong)
    return converted


def _converted(value: Any, form: Any, origin: Any) -> Any:
    if isinstance(origin, type) and issubclass(origin, Enum):
        return _member(value, origin)
    convert = _CONVERTERS.get(origin)
    if convert is not None:
        try:
            return convert(value)
        except (ValueError, TypeError, ArithmeticError) as why:
            raise Unfit(f"{show(value, 60)} is no {type_name(form)}: {why}") from None
    args = get_args(form)
    if isinstance(value, list) and origin in (list, set, frozenset, tuple):
        fixed = args if origin is tuple and args and args[-1] is not ... else None
        return origin(from_sql(one, fixed[n] if fixed else args[0] if args else Any) for n, one in enumerate(value))
    told = record_type_of(form)
    if told is not None and isinstance(value, dict):
        return build(
            told, {n: from_sql(one, told.fields[n].form if n in told.fields else Any) for n, one in value.items()}
        )
    if isinstance(value, dict) and len(args) == 2:
        return {from_sql(name, args[0]): from_sql(one, args[1]) for name, one in value.items()}
    return value


def _member(value: Any, origin: Any) -> Any:
    if isinstance(value, origin):
        return value
    for member in origin:
        if member.value == value or member.name == value:
            return member
    raise Unfit(f"{show(value, 60)} is no {origin.__name__}; it has {', '.join(origin.__members__)}")


def _moment(value: Any) -> datetime:
    return value if isinstance(value, datetime) else datetime.fromisoformat(value)


def _day(value: Any) -> date:
    if isinstance(value, datetime):
        return value.date()
    return value if isinstance(value, date) else date.fromisoformat(value)


_CONVERTERS: dict[Any, Callable[[Any], Any]] = {
    bool: lambda value: bool(value) if value in (0, 1) else value,
    float: lambda value: float(value) if isinstance(value, (int, float, Decimal)) else value,
    int: lambda value: int(value) if isinstance(value, Decimal) and value == int(value) else value,
    Decimal: lambda value: value if isinstance(value, Decimal) else Decimal(str(value)),
    datetime: _moment,
    date: _day,
    time: lambda value: value if isinstance(value, time) else time.fromisoformat(value),
    timedelta: lambda value: value if isinstance(value, timedelta) else timedelta(seconds=value),
    UUID: lambda value: value if isinstance(value, UUID) else UUID(value),
    bytes: bytes,
}


def _json(text: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return text


def _row(row: Any, fields: tuple[str, ...]) -> dict[str, Any]:
    values = {name: row.get(name) if isinstance(row, dict) else getattr(row, name, None) for name in fields}
    return {name: value if isinstance(value, Decimal) else sql_value(value) for name, value in values.items()}


def _table_of(table: Table[Any], metadata: Any, sqlalchemy: Any) -> Any:
    """The table's columns: numbers, truth values and bytes in kind, everything else as texts."""
    form = form_of(table.record_type)
    kinds = {
        bool: sqlalchemy.Boolean(),
        int: sqlalchemy.BigInteger(),
        float: sqlalchemy.Float(),
        timedelta: sqlalchemy.Float(),
        bytes: sqlalchemy.LargeBinary(),
        Decimal: sqlalchemy.Numeric(),  # SQLite keeps some fifteen digits of it
    }
    columns = []
    for name in form.fields:
        told = bare(form.type_of(name))
        if isinstance(told, type) and issubclass(told, Enum):
            told = type(next(iter(told)).value)
        kind = kinds.get(told, sqlalchemy.Text())
        columns.append(sqlalchemy.Column(name, kind, primary_key=name in table.key_fields, autoincrement=False))
    return sqlalchemy.Table(table.table_name, metadata, *columns)


def _table_name(record_type: type, told: str | None, inspector: Any) -> str:
    known = [*inspector.get_table_names(), *inspector.get_view_names()]
    name = snake_case(record_type.__name__)
    wanted = [told] if told else [getattr(record_type, "__tablename__", name), name, f"{name}s", f"{name}es"]
    for one in wanted:
        if one in known:
            return str(one)
    raise FileRefused(
        f"the database has no table {wanted[0]!r}; it has {', '.join(known) or 'none'}; table=… names another"
    )


def _engine(sqlalchemy: Any, url: str) -> Any:
    try:
        engine = sqlalchemy.create_engine(url)
        engine.connect().close()
    except Exception as why:  # drivers raise their own
        raise FileRefused(f"{show(url, 80)} cannot be opened: {getattr(why, 'orig', None) or why}") from None
    return engine


def _sqlalchemy() -> Any:
    try:
        import sqlalchemy
    except ImportError:
        raise FileRefused('a database needs SQLAlchemy: pip install "urnshelf[sql]"') from None
    return sqlalchemy
