"""The name of a drafted test: what makes its path, and what comes of it."""

from __future__ import annotations

import ast
import builtins
import keyword
import re
from typing import Any

from urnshelf.drafting.decisions import LOOP, MATCH, TRY, Decision, Way

_SIGNS: dict[type, str] = {
    ast.Eq: "is", ast.NotEq: "is_not", ast.Lt: "below", ast.LtE: "at_most", ast.Gt: "above",
    ast.GtE: "at_least", ast.Is: "is", ast.IsNot: "is_not", ast.In: "in", ast.NotIn: "not_in",
}  # fmt: skip
_NEGATED = {
    "is": "is_not", "is_not": "is", "below": "at_least", "at_most": "above", "above": "at_most",
    "at_least": "below", "in": "not_in", "not_in": "in",
}  # fmt: skip
_AROUND = ("zip", "enumerate", "sorted", "reversed", "iter", "tuple")
"""Functions that say nothing of what they are given."""
_MOST_WORDS = 7
_ROUNDS = {0: "no", 1: "one", 2: "two"}


def words_for(decision: Decision, way: Way) -> str:
    """A way in words, as a part of a name."""
    node = decision.node
    if way.outcome == "edge":
        return f"{_expression(_first(node))}_at_its_limit"
    if decision.kind == LOOP and isinstance(node, (ast.For, ast.AsyncFor)):
        of, count = _expression(node.iter), _ROUNDS[int(way.outcome)]
        if not of:
            return f"{count}_round"
        return f"no_{of}" if way.outcome == 0 else f"{count}_of_{of}"
    if decision.kind == TRY and isinstance(node, (ast.Try, ast.TryStar)):
        if way.outcome == -1:
            return "nothing_is_raised"
        kind = node.handlers[int(way.outcome)].type
        return "any_error" if kind is None else _plain(ast.unparse(kind).rpartition(".")[2])
    if decision.kind == MATCH and isinstance(node, ast.Match):
        subject = _expression(node.subject)
        if way.outcome == -1:
            return f"{subject}_is_no_case"
        case = _plain(ast.unparse(node.cases[int(way.outcome)].pattern))
        return f"{subject}_is_{case}" if case else f"{subject}_is_any_other"
    return _condition(node, bool(way.outcome))


def _first(node: ast.AST) -> ast.AST:
    if isinstance(node, ast.Call) and node.args:
        return node.args[0]
    return node.left if isinstance(node, ast.Compare) else node


def _condition(node: Any, is_true: bool) -> str:
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        return _condition(node.operand, not is_true)
    if isinstance(node, ast.Compare) and len(node.ops) == 1:
        sign = _SIGNS[type(node.ops[0])]
        sign = sign if is_true else _NEGATED[sign]
        right = _expression(node.comparators[0])
        return "_".join(one for one in (_expression(node.left), sign, right) if one)
    if isinstance(node, ast.BoolOp):
        parts = [_condition(one, is_true) for one in node.values]
        word = "and" if isinstance(node.op, ast.And) is is_true else "or"
        return f"_{word}_".join(parts)
    if isinstance(node, ast.Call) and ast.unparse(node.func) in ("min", "max"):
        sign = "below" if is_true else "at_least"
        return f"{_expression(node.args[0])}_{sign}_{_expression(node.args[-1])}"
    if isinstance(node, ast.Call) and ast.unparse(node.func) == "isinstance":
        return f"{_expression(node.args[0])}_{'is' if is_true else 'is_no'}_{_kind(node.args[-1])}"
    told = _expression(node)
    return told if is_true else f"not_{told}"


def _kind(node: ast.expr) -> str:
    """The classes that something may be of."""
    if isinstance(node, ast.Tuple):
        return "_or_".join(_kind(one) for one in node.elts[:2])
    return _plain(ast.unparse(node).rpartition(".")[2])


def _expression(node: Any) -> str:
    """The words of an expression that say most."""
    if isinstance(node, ast.Name):
        return _plain(node.id)
    if isinstance(node, ast.Attribute):
        inner = (
            ""
            if isinstance(node.value, ast.Name) and node.value.id in ("self", "cls")
            else (_expression(node.value))
        )
        own = _plain(node.attr)
        return f"{inner}_{own}" if inner and not own.startswith(inner) else own
    if isinstance(node, ast.Constant):
        return _plain(str(node.value))
    if isinstance(node, ast.Call):
        if isinstance(node.func, ast.Attribute) and node.func.attr in ("get", "fetch", "lower"):
            told = _constant(node.args)
            return "_".join(one for one in (_expression(node.func.value), told) if one)
        if isinstance(node.func, ast.Name) and node.func.id in _AROUND and node.args:
            return _expression(node.args[0])
        name = _expression(node.func)
        if isinstance(node.func, ast.Name) and node.func.id in ("len", "sum", "abs", "list", "set"):
            inner = _expression(node.args[0]) if node.args else ""
            return f"{inner}_count" if node.func.id == "len" and inner else inner or name
        return name
    if isinstance(node, ast.BinOp):
        return f"{_expression(node.left)}_and_{_expression(node.right)}".strip("_")
    if isinstance(node, ast.Subscript):
        return "_".join(one for one in (_expression(node.value), _expression(node.slice)) if one)
    if isinstance(node, ast.Await):
        return _expression(node.value)
    return _plain(ast.unparse(node))


def _constant(given: list[ast.expr]) -> str:
    first = given[0] if given else None
    return _plain(str(first.value)) if isinstance(first, ast.Constant) else ""


def _plain(text: str) -> str:
    words = re.findall(r"[A-Za-z0-9]+", re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", text))
    return "_".join(word.lower() for word in words[:4])


_LONGEST = 76
"""So many letters a test's name has at most."""


def name_for(subject: str, outcome: str, why: str) -> str:
    """The name of a test, no longer than a line takes.

    Args:
        subject: what is tested.
        outcome: what comes of it.
        why: what makes its path; empty where there is but one.
    """
    words = shortened(why).split("_") if why else []
    while words and len("_".join(("test", subject, outcome, "when", *words))) > _LONGEST:
        words.pop()
    return "_".join(("test", subject, outcome, *(("when", *words) if words else ())))


def shortened(words: str) -> str:
    """So many words as a name takes."""
    parts = [one for one in words.split("_") if one]
    kept = parts[:_MOST_WORDS]
    while len(kept) > 1 and kept[-1] in (
        "and",
        "or",
        "is",
        "not",
        "at",
        "in",
        "below",
        "above",
        "of",
    ):
        kept.pop()
    return "_".join(kept)


def is_free(name: str) -> bool:
    """Whether a variable may be called so."""
    return not keyword.iskeyword(name) and not hasattr(builtins, name)
