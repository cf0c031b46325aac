"""The conditions of a database statement, one by one, as a `column` says them, too: so that one can
be looked for in the other.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from urnshelf.errors import RecordRefused
from urnshelf.records.equality import same
from urnshelf.records.sa_statements import all_of, given_values, is_statement, literal_of, sql_of
from urnshelf.store.comparisons import Between, Comparison, IsNone, OneOf, TextPart
from urnshelf.store.conditions import AllOf, AnyOf, Condition, Not


class Clause(NamedTuple):
    """One condition: a column, a sign, and a value.

    Args:
        column: `harbour`, or `berth.harbour` where the table is known; empty for what is more than
            one column compared with a value.
        sign: `=`, `IN` …; `OR` for several of which one must hold.
        value: what it is compared with; of `IN` a list; of `OR` a list of lists of clauses; of what
            has no column its SQL.
        text: its SQL.
    """

    column: str
    sign: str
    value: Any
    text: str


_CONTRARY = {"=": "<>", "<>": "=", "<": ">=", ">=": "<", ">": "<=", "<=": ">", "IN": "NOT IN",
             "IS NULL": "IS NOT NULL", "contains": "NOT contains", "starts": "NOT starts",
             "ends": "NOT ends", "LIKE": "NOT LIKE"}  # fmt: skip


def asked_for(wanted: Clause, found: Clause) -> bool:
    """Whether a statement's condition is the one that is looked for."""
    if wanted.sign != found.sign or not _same_column(wanted.column, found.column):
        return False
    if wanted.sign in ("IN", "NOT IN"):
        return _same_members(wanted.value, found.value, same)
    if wanted.sign == "OR":
        return _same_members(wanted.value, found.value, _same_branch)
    return same(wanted.value, found.value)


def _same_column(wanted: str, found: str) -> bool:
    """The table counts where both tell it."""
    return wanted == found or ("." not in wanted and found.rpartition(".")[2] == wanted)


def _same_branch(wanted: list[Clause], found: list[Clause]) -> bool:
    return _same_members(wanted, found, asked_for)


def _same_members(wanted: Any, found: Any, is_same: Callable[[Any, Any], bool]) -> bool:
    """Whether each of the one has its own among the other, in any order."""
    if not isinstance(found, list) or len(wanted) != len(found):
        return False
    left = list(found)
    for one in wanted:
        place = next((n for n, other in enumerate(left) if is_same(one, other)), None)
        if place is None:
            return False
        del left[place]
    return True


# --- of our conditions ----------------------------------------------------------------------------


def clauses_of(condition: Condition) -> list[Clause]:
    """Those of one of our conditions; raises RecordRefused for what no database could be asked."""
    text = str(condition)
    match condition:
        case AllOf():
            return [one for part in condition.parts for one in clauses_of(part)]
        case AnyOf():
            return [Clause("", "OR", [clauses_of(part) for part in condition.parts], text)]
        case Between():
            return [one for bound in condition.bounds for one in clauses_of(bound)]
        case Comparison(fold=False):
            return [Clause(condition.path, condition.sign, condition.value, text)]
        case OneOf(fold=False):
            return [Clause(condition.path, "IN", condition.values, text)]
        case IsNone():
            return [Clause(condition.path, "IS NULL", None, text)]
        case TextPart(fold=False):
            return [Clause(condition.path, condition.where, condition.part, text)]
        case Not(part=inner):
            parts = clauses_of(inner)
            if len(parts) == 1 and parts[0].sign in _CONTRARY:
                return [parts[0]._replace(sign=_CONTRARY[parts[0].sign], text=text)]
    raise RecordRefused(
        f"{text}: asking(…) finds comparisons, lists, texts and None, joined by & and |, in a "
        "statement, and no others"
    )


# --- of statements --------------------------------------------------------------------------------


def tables_of(statement: Any) -> list[str]:
    """The names of the tables that a statement reads or changes."""
    if type(statement).__name__ == "TextClause":
        found = re.findall(r"(?i)\b(?:FROM|JOIN|UPDATE|INTO)\s+([\w.\"`]+)", statement.text)
        return [name.replace('"', "").replace("`", "").rpartition(".")[2] for name in found]
    if hasattr(statement, "get_final_froms"):
        return [name for one in statement.get_final_froms() for name in _tables_in(one)]
    table = getattr(statement, "table", None)
    return [] if table is None else list(_tables_in(table))


def _tables_in(source: Any) -> Iterator[str]:
    if hasattr(source, "left") and hasattr(source, "right"):
        yield from _tables_in(source.left)
        yield from _tables_in(source.right)
        return
    inner = getattr(source, "element", None)  # what has another name for the time
    name = getattr(source if inner is None else inner, "name", None)
    if name is not None:
        yield str(name)


def statement_clauses(statement: Any) -> list[Clause]:
    """The conditions after WHERE that must all hold."""
    if type(statement).__name__ == "TextClause":
        from urnshelf.store.sql_texts import text_clauses  # few write their SQL by hand

        return text_clauses(statement.text, given_values(statement))
    where = getattr(statement, "whereclause", None)
    return [one for clause in all_of(where) for one in _of_clause(clause)]


def _of_clause(clause: Any) -> list[Clause]:
    text = sql_of(clause)
    found = _compared(clause, text)
    return found or [Clause("", "", text, text)]


_SIGNS = {"eq": "=", "ne": "<>", "lt": "<", "le": "<=", "gt": ">", "ge": ">=", "in_op": "IN",
          "not_in_op": "NOT IN", "contains_op": "contains", "startswith_op": "starts",
          "endswith_op": "ends", "not_contains_op": "NOT contains", "like_op": "LIKE",
          "not_startswith_op": "NOT starts", "not_endswith_op": "NOT ends",
          "not_like_op": "NOT LIKE"}  # fmt: skip
_MIRRORED = {"=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<="}


def _compared(clause: Any, text: str) -> list[Clause]:
    """A column compared with a value; nothing for any other clause."""
    if type(clause).__name__ == "Grouping":
        return _of_clause(clause.element)
    operator = getattr(getattr(clause, "operator", None), "__name__", "")
    if operator == "or_" and hasattr(clause, "clauses"):
        branches = [
            [part for one in all_of(branch) for part in _of_clause(one)]
            for branch in clause.clauses
        ]
        return [Clause("", "OR", branches, text)]
    if _column(clause):
        return [Clause(_column(clause), "=", True, text)]
    if operator in ("is_false", "is_true") and _column(clause.element):
        return [Clause(_column(clause.element), "=", operator == "is_true", text)]
    modifiers = getattr(clause, "modifiers", None) or {}
    if not hasattr(clause, "left") or not hasattr(clause, "right") or modifiers.get("symmetric"):
        return []
    found = _of_two_sides(clause.left, clause.right, operator, text)
    return [_of_plain_text(one, modifiers.get("escape")) for one in found]


def _of_plain_text(clause: Clause, escape: str | None) -> Clause:
    """What contains, starts or ends with a text: as it is meant, and no pattern."""
    if clause.sign.removeprefix("NOT ") not in ("contains", "starts", "ends"):
        return clause
    value = str(clause.value)
    if escape:
        return clause._replace(value=re.sub(f"{re.escape(escape)}(.)", r"\1", value))
    is_pattern = "%" in value or "_" in value
    return Clause("", "", clause.text, clause.text) if is_pattern else clause


def _of_two_sides(left: Any, right: Any, operator: str, text: str) -> list[Clause]:
    column, sign = _column(left), _SIGNS.get(operator, "")
    if not column and _column(right) and sign in _MIRRORED:
        left, right, sign = right, left, _MIRRORED[sign]
        column = _column(left)
    if not column:
        return []
    if operator == "between_op":
        return _of_bounds(column, [_value(bound) for bound in right.clauses])
    value = _value(right)
    if operator in ("is_", "is_not") and value is not _UNKNOWN:
        if value is None:
            return [Clause(column, "IS NULL" if operator == "is_" else "IS NOT NULL", None, text)]
        sign = "=" if operator == "is_" else "<>"
    if value is _UNKNOWN or not sign:
        return []
    return [Clause(column, sign, list(value) if sign.endswith("IN") else value, text)]


def _of_bounds(column: str, bounds: list[Any]) -> list[Clause]:
    if _UNKNOWN in bounds:
        return []
    return [
        Clause(column, sign, value, f"{column} {sign} {literal_of(value)}")
        for sign, value in zip((">=", "<="), bounds, strict=True)
    ]


_UNKNOWN: Any = object()
"""What is compared with something else than a value."""


def _column(side: Any) -> str:
    """The name of a column, with its table; empty for anything else."""
    if not hasattr(side, "table") or not hasattr(side, "name"):
        return ""
    table = next(_tables_in(side.table), "") if side.table is not None else ""
    return f"{table}.{side.name}" if table else str(side.name)


def _value(side: Any) -> Any:
    kind = type(side).__name__
    if kind in ("Null", "True_", "False_"):
        return {"Null": None, "True_": True, "False_": False}[kind]
    if kind == "Grouping":
        return _value(side.element)
    if hasattr(side, "required") and hasattr(side, "effective_value"):
        return Placeholder(side.key) if side.required else side.effective_value
    return _UNKNOWN


class Placeholder:
    """A value that is given apart from the statement; only `whatever` is like it.

    Args:
        name: in the statement.
    """

    def __init__(self, name: str) -> None:
        self.name = name

    def __repr__(self) -> str:
        return f":{self.name}"


def tables_meant(what: object) -> tuple[str, list[str]]:
    """How a message calls a table, and the names that it may have in a database.

    Args:
        what: a mapped class, a record type, a table, or its name.
    """
    if isinstance(what, str):
        return what, [what]
    table = getattr(what, "__table__", what)
    name = getattr(table, "name", None)
    if isinstance(name, str) and not isinstance(table, type):
        return name, [name]
    if isinstance(what, type) and what.__module__ != "builtins" and not is_statement(what):
        from urnshelf.records.description import snake_case

        name = snake_case(what.__name__)
        return name, [name, f"{name}s", f"{name}es"]
    raise RecordRefused(
        f"asking({what!r}, …): say which table: a mapped class, a record type, or its name"
    )
