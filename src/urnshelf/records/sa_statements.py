"""Database statements of SQLAlchemy as arguments: shown as SQL with their values, the same by SQL
and values.

SQLAlchemy is never imported here: a statement brings what is asked of it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from enum import Enum
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.records.scalars import scalar_of

_SHOWN_COLUMNS = 3


@remembered
def is_statement(cls: type) -> bool:
    """Whether the instances of a class are statements: `select(…)`, `update(…)`, `text(…)` …"""
    bases = {(base.__module__, base.__name__) for base in cls.__mro__}
    return ("sqlalchemy.sql.base", "Executable") in bases and hasattr(cls, "compile")


class Compiled(NamedTuple):
    """A statement's SQL, with a name for each value, and the values by name."""

    sql: str
    values: Mapping[str, Any]


def compiled(clause: Any) -> Compiled:
    """The SQL of a statement, or of a part of one."""
    made = clause.compile(compile_kwargs={"render_postcompile": True})
    # what nobody has given a value yet stays a name
    return Compiled(str(made), _given(made))


def given_values(statement: Any) -> dict[str, Any]:
    """The values of a statement's parameters by name, a list whole; those without one left out."""
    return _given(statement.compile())


def _given(made: Any) -> dict[str, Any]:
    # a column's default is made when the statement is run
    later = {one.key for one in (*_each(made, "insert_prefetch"), *_each(made, "update_prefetch"))}
    # a statement that makes a table has no parameters at all
    binds, params = getattr(made, "binds", {}), getattr(made, "params", None) or {}
    lacking = {name for name, bound in binds.items() if bound.required}
    return {name: value for name, value in params.items() if name not in lacking | later}


def _each(made: Any, name: str) -> Any:
    return getattr(made, name, None) or ()


def sql_of(clause: Any) -> str:
    """The SQL on one line, each value in its place; of a whole table's columns a star."""
    sql, values = compiled(clause)
    return " ".join(_with_values(_with_star(sql, clause), values).split())


def _with_values(sql: str, values: Mapping[str, Any]) -> str:
    # a cast has two colons
    return re.sub(
        r"(?<![:\w]):(\w+)",
        lambda found: literal_of(values[found[1]]) if found[1] in values else found[0],
        sql,
    )


def literal_of(value: object) -> str:
    """A value as SQL writes it, nearly: for reading."""
    if value is None:
        return "NULL"
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, (int, float)) and not isinstance(value, Enum):
        return str(value)
    scalar = scalar_of(type(value))
    text = value.name if isinstance(value, Enum) else value
    text = str(text) if scalar is None else scalar.to_text(value)
    return "'" + text.replace("'", "''") + "'"


def _with_star(sql: str, clause: Any) -> str:
    """All columns of one table as `berth.*`: a long list of them hides what was asked."""
    columns = list(getattr(clause, "selected_columns", ()))
    tables = {id(one.table): one.table for one in columns if hasattr(one, "table")}
    if len(columns) <= _SHOWN_COLUMNS or len(tables) != 1 or not sql.startswith("SELECT "):
        return sql
    [table] = tables.values()
    is_whole = {one.name for one in columns} == {one.name for one in getattr(table, "columns", ())}
    before, _, after = sql.partition("\nFROM ")
    if not is_whole or not after or "DISTINCT" in before:
        return sql
    return f"SELECT {table.name}.* FROM {after}"


def same_statement(expected: Any, actual: Any) -> bool | list[tuple[Any, Any]]:
    """Whether the SQL is the same, and then the values that must be."""
    if not is_statement(type(actual)):
        return False
    wanted, found = compiled(expected), compiled(actual)
    if wanted.sql != found.sql or wanted.values.keys() != found.values.keys():
        return False
    return [(value, found.values[name]) for name, value in wanted.values.items()]


def where_parts(statement: Any) -> dict[str, str]:
    """The conditions that must all hold, each by what it is about."""
    where = getattr(statement, "whereclause", None)
    found: dict[str, str] = {}
    for clause in all_of(where):
        subject = getattr(clause, "left", None)
        name = str(subject) if subject is not None else sql_of(clause)
        while name in found:
            name += "'"
        found[name] = sql_of(clause)
    return found


def all_of(where: Any) -> list[Any]:
    """The clauses that a condition joins by AND, those inside of them, too."""
    if where is None:
        return []
    inner = getattr(where, "element", None)
    if type(where).__name__ == "Grouping" and inner is not None:
        return all_of(inner)
    is_list = type(where).__name__ in ("BooleanClauseList", "ExpressionClauseList")
    if is_list and getattr(where.operator, "__name__", "") == "and_":
        return [one for clause in where.clauses for one in all_of(clause)]
    return [where]
