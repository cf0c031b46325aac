"""`asking(…)`: any database statement about a table that has these conditions."""

from __future__ import annotations

from typing import Any

from urnshelf.records.display import PartWise, Words
from urnshelf.records.sa_statements import is_statement
from urnshelf.store.clauses import (
    Clause,
    asked_for,
    clauses_of,
    statement_clauses,
    tables_meant,
    tables_of,
)
from urnshelf.store.conditions import AllOf, Condition, checked


class _Asking(PartWise):
    __slots__ = ("_clauses", "_is_whole", "_name", "_tables", "_text")

    def __init__(self, what: Any, conditions: tuple[Condition, ...], only: bool) -> None:
        self._name, self._tables = tables_meant(what)
        self._clauses = clauses_of(AllOf(map(checked, conditions)))
        self._is_whole = only
        name = what.__name__ if isinstance(what, type) else repr(self._name)
        more = ", only=True" if only else ""
        self._text = f"asking({', '.join([name, *map(str, conditions)])}{more})"

    def accepts(self, value: object) -> bool:
        return not self.differing(value)

    def differing(self, value: object) -> dict[str, tuple[Any, Any]]:
        """The table, and each condition, that is not as wanted."""
        if not is_statement(type(value)):
            return {"statement": (Words("a database statement"), value)}
        tables = tables_of(value)
        if not set(tables) & set(self._tables):
            return {"table": (Words(self._name), Words(", ".join(tables) or "none"))}
        left = statement_clauses(value)
        lacking: list[Clause] = []
        for wanted in self._clauses:
            found = next((one for one in left if asked_for(wanted, one)), None)
            if found is None:
                lacking.append(wanted)
            else:
                left.remove(found)
        return _unlike(lacking, left, self._is_whole)

    def __repr__(self) -> str:
        return self._text


def _unlike(lacking: list[Clause], left: list[Clause], is_whole: bool) -> dict[str, Any]:
    """Each condition that is lacking beside the one that is about the same; and what else there
    is, where it must not be.
    """
    different: dict[str, Any] = {}
    for wanted in lacking:
        about = wanted.column.rpartition(".")[2]
        near = next((one for one in left if one.column.rpartition(".")[2] == about), None)
        if near is not None:
            left.remove(near)
        name = _free(about or "condition", different)
        different[name] = (Words(wanted.text), Words(near.text if near else "no such condition"))
    for one in left if is_whole else ():
        name = _free(one.column.rpartition(".")[2] or "condition", different)
        different[name] = (Words("no other condition"), Words(one.text))
    return different


def _free(name: str, taken: dict[str, Any]) -> str:
    while name in taken:
        name += "'"
    return name


def asking(what: object, *conditions: Condition, only: bool = False) -> Any:
    """Any database statement (SQLAlchemy's `select`, `update`, `delete`, `text` …) about a table
    that has these conditions after its WHERE, in any order.

    Args:
        what: the table: a mapped class, a record type, a table of SQLAlchemy, or a name.
        conditions: comparisons such as `column("id") == 3`; all of them must be there.
        only: whether there must be no other condition.

    Raises:
        RecordRefused: what is no table, or a condition that cannot be told in a statement.

    >>> import sqlalchemy as sa
    >>> from urnshelf.records.equality import same
    >>> berth = sa.table("berth", sa.column("id"), sa.column("harbour"))
    >>> statement = sa.select(berth).where(berth.c.id.in_([2, 1]), berth.c.harbour == "Ternhythe")
    >>> wanted = asking("berth", column("id").one_of([1, 2]))
    >>> wanted, same(wanted, statement)
    (asking('berth', id IN (1, 2)), True)
    >>> same(asking("berth", column("id").one_of([1, 2]), only=True), statement)
    False
    """
    return _Asking(what, conditions, only)
