"""Values inside records, found by a path of field names, and as SQL writes them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from math import isfinite, isnan
from typing import Any

from urnshelf.records.equality import Matcher
from urnshelf.records.sql import to_sql

_PLAIN_NAME = re.compile(r"[a-z_][a-z0-9_]*\Z")
_KEYWORDS = frozenset(
    """
    abort action add after all alter always analyze and as asc attach autoincrement before
    begin between by cascade case cast check collate column commit conflict constraint create
    cross current current_date current_time current_timestamp database default deferrable
    deferred delete desc detach distinct do drop each else end escape except exclude exclusive
    exists explain fail filter first following for foreign from full generated glob group
    groups having if ignore immediate in index indexed initially inner insert instead intersect
    into is isnull join key last left like limit match materialized natural no not nothing
    notnull null nulls of offset on or order others outer over partition plan pragma preceding
    primary query raise range recursive references regexp reindex release rename replace
    restrict returning right rollback row rows savepoint select set table temp temporary then
    ties to transaction trigger unbounded union unique update user using vacuum values view
    virtual when where window with without
    """.split()
)
"""The reserved words of SQLite, and `user`, which is one elsewhere."""


def fetcher(path: str) -> Callable[[Any], Any]:
    """A function that reads the value at a path such as `owner.city`; None where a step of it is
    not there.

    >>> fetcher("owner.city")({"owner": {"city": "Ternhythe"}})
    'Ternhythe'
    """
    names = path.split(".")
    if len(names) == 1:

        def fetch_one(record: object) -> Any:  # written out: it is asked for every record of a scan
            return record.get(path) if isinstance(record, dict) else getattr(record, path, None)

        return fetch_one

    def fetch(record: object) -> Any:
        for name in names:
            record = _step(record, name)
            if record is None:
                return None
        return record

    return fetch


def _step(holder: object, name: str) -> Any:
    return holder.get(name) if isinstance(holder, dict) else getattr(holder, name, None)


def identifier(name: str) -> str:
    """A name as SQL takes it, in quotes where it must be."""
    if _PLAIN_NAME.match(name) and name not in _KEYWORDS:
        return name
    return '"' + name.replace('"', '""') + '"'


def column_text(path: str) -> str:
    """A column; a field inside a record that is stored as JSON is taken out of it."""
    name, _, inner = path.partition(".")
    return (
        f"json_extract({identifier(name)}, {literal('$.' + inner)})" if inner else identifier(name)
    )


def literal(value: object) -> str:
    """The value as SQL text, quoted.

    >>> literal("O'Hara"), literal(True), literal(None)
    ("'O''Hara'", 'TRUE', 'NULL')
    """
    if isinstance(value, (Matcher, Placeholder)):
        return repr(value)
    if type(value).__name__ == "Decimal" and _is_plain(value):
        return f"{value:f}"
    simple = to_sql(value)
    if simple is None:
        return "NULL"
    if simple is True or simple is False:
        return str(simple).upper()
    if isinstance(simple, bytes):
        return f"X'{simple.hex()}'"
    if isinstance(simple, str):
        return " || char(0) || ".join(
            "'" + part.replace("'", "''") + "'" for part in simple.split("\0")
        )
    if isinstance(simple, float) and isnan(simple):
        return "NULL"
    # an int beyond every float has more digits than Python shows, and than a database holds
    is_beyond = isinstance(simple, int) and simple.bit_length() > 1024
    if is_beyond or (isinstance(simple, float) and not isfinite(simple)):
        return "9e999" if simple > 0 else "-9e999"
    return repr(simple)


def _is_plain(number: Any) -> bool:
    """Whether a Decimal is a number that a database can have."""
    return bool(number.is_finite() and number.adjusted() < 308)


class Placeholder:
    """Stands for an argument in a query that is shown but not run: `harbour = :harbour`."""

    def __init__(self, name: str) -> None:
        self.name = name

    def __iter__(self) -> Iterator[Placeholder]:
        return iter((self,))

    def __repr__(self) -> str:
        return f":{self.name}"
