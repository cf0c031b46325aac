"""The conditions of SQL that was written by hand, as far as they compare a column with a value."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from urnshelf.store.clauses import Clause, Placeholder

_TOKEN = re.compile(
    r"""'(?:[^']|'')*' | "[^"]+" | `[^`]+` | (?<!:):\w+ | \d+(?:\.\d+)? | [\w.]+ | <> | != | <= | >=
    | [^\s]""",
    re.VERBOSE,
)
_ENDS = {"GROUP", "ORDER", "LIMIT", "HAVING", "RETURNING", "OFFSET", "FOR", "UNION", "FETCH"}
_NUMBER = re.compile(r"\d+(?:\.\d+)?\Z")


def text_clauses(sql: str, values: Mapping[str, Any]) -> list[Clause]:
    """The conditions after the outermost WHERE that must all hold.

    Args:
        sql: the text.
        values: those of its parameters, by name.
    """
    tokens = _TOKEN.findall(re.sub(r"--[^\n]*|/\*.*?\*/", " ", sql, flags=re.DOTALL))
    where = _after_where(tokens)
    return [one for part in _parts(where) if part for one in _clauses(part, values)]


def _after_where(tokens: list[str]) -> list[str]:
    found: list[str] = []
    depth, is_inside = 0, False
    for token in tokens:
        depth += {"(": 1, ")": -1}.get(token, 0)
        if depth == 0 and token.upper() == "WHERE":
            is_inside = True
        elif is_inside and depth == 0 and token.upper() in _ENDS:
            break
        elif is_inside:
            found.append(token)
    return found


def _parts(tokens: list[str]) -> list[list[str]]:
    """What AND joins at the outermost; the AND of BETWEEN joins nothing."""
    parts: list[list[str]] = [[]]
    depth, is_between = 0, False
    for token in tokens:
        depth += {"(": 1, ")": -1}.get(token, 0)
        word = token.upper() if depth == 0 else ""
        if word == "OR":
            return [tokens]
        if word == "AND" and not is_between:
            parts.append([])
            continue
        is_between = word == "BETWEEN" or (is_between and word != "AND")
        parts[-1].append(token)
    return parts


def _clauses(tokens: list[str], values: Mapping[str, Any]) -> list[Clause]:
    text = " ".join(tokens).replace("( ", "(").replace(" )", ")").replace(" ,", ",")
    words = [token.upper() for token in tokens]
    column = tokens[0].replace('"', "").replace("`", "")
    other = [Clause("", "", text, text)]
    is_column = re.fullmatch(r"[A-Za-z_][\w.]*", column) is not None
    if not is_column or len(tokens) < 3:
        return other
    if words[1:] in (["IS", "NULL"], ["IS", "NOT", "NULL"]):
        return [Clause(column, " ".join(words[1:]), None, text)]
    if words[1] == "BETWEEN" and len(tokens) == 5 and words[3] == "AND":
        bounds = [_value(tokens[2], values), _value(tokens[4], values)]
        pairs = zip((">=", "<="), bounds, strict=True)
        found = [Clause(column, sign, value[0], text) for sign, value in pairs if value]
        return found if all(bounds) else other
    sign = {"!=": "<>"}.get(words[1], words[1])
    if sign in ("=", "<>", "<", ">", "<=", ">=", "LIKE") and len(tokens) == 3:
        value = _value(tokens[2], values)
        return [Clause(column, sign, value[0], text)] if value else other
    return _list(column, tokens[1:], values, text) or other


def _list(column: str, rest: list[str], values: Mapping[str, Any], text: str) -> list[Clause]:
    words = [token.upper() for token in rest]
    sign = "NOT IN" if words[:2] == ["NOT", "IN"] else "IN"
    members = rest[len(sign.split()) :]
    if words[: len(sign.split())] != sign.split():
        return []
    # one parameter that is expanded stands for all of them
    whole = values.get("".join(members).strip("()")[1:])
    if isinstance(whole, (list, tuple)):
        return [Clause(column, sign, list(whole), text)]
    if members[:1] != ["("] or members[-1] != ")":
        return []
    found = [_value(one, values) for one in members[1:-1] if one != ","]
    return [Clause(column, sign, [one[0] for one in found], text)] if all(found) else []


def _value(token: str, values: Mapping[str, Any]) -> tuple[Any, ...]:
    """The value of a token, alone; nothing for what is none."""
    if token[:1] == "'":
        return (token[1:-1].replace("''", "'"),)
    if token[:1] == ":":
        return (values[token[1:]] if token[1:] in values else Placeholder(token[1:]),)
    if _NUMBER.match(token):
        return (float(token) if "." in token else int(token),)
    words: dict[str, Any] = {"NULL": None, "TRUE": True, "FALSE": False}
    return (words[token.upper()],) if token.upper() in words else ()
