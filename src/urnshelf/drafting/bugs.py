"""Bugs of the usual kinds, each a small change of the code in one place.

The operators are those of mutation analysis: relations, arithmetic, connectors, constants,
conditions negated, results and calls taken away (after Offutt and others, "An experimental
determination of sufficient mutant operators", 1996).
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

_RELATIONS: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
_ARITHMETIC: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.Div: ast.Mult,
    ast.FloorDiv: ast.Mult, ast.Mod: ast.Mult, ast.Pow: ast.Mult,
}  # fmt: skip
_PAIRS = {"min": "max", "max": "min", "any": "all", "all": "any"}
Change = Callable[[Any], None]


class Bug(NamedTuple):
    """A change of the code in one place.

    Args:
        file: of the module.
        position: of the node, in the order of a walk through the tree.
        line: where it stands.
        told: what is changed, in words.
        change: changes the node.
        values: of a constant, what it was and what it becomes.
    """

    file: str
    position: int
    line: int
    told: str
    change: Change
    values: tuple[Any, ...] = ()


def bugs_in(text: str, file: str, lines: Callable[[int], bool]) -> list[Bug]:
    """All bugs that can be planted.

    Args:
        text: of the module.
        file: its name.
        lines: whether a line is of code that counts.
    """
    tree = ast.parse(text)
    left_out = _left_out(tree)
    found: list[Bug] = []
    for position, node in enumerate(ast.walk(tree)):
        line = getattr(node, "lineno", 0)
        if not lines(line) or id(node) in left_out:
            continue
        for told, change in _changes(node):
            values: tuple[Any, ...] = ()
            if isinstance(node, ast.Constant):
                values = (node.value, _other(node.value))
            found.append(Bug(file, position, line, told, change, values))
    return sorted(found, key=lambda bug: (bug.line, bug.position, bug.told))


def planted_in(text: str, bug: Bug) -> ast.Module:
    """The tree of a module with the bug.

    Args:
        text: the module's.
        bug: one of its own.
    """
    tree = ast.parse(text, bug.file)
    for position, node in enumerate(ast.walk(tree)):
        if position == bug.position:
            bug.change(node)
            break
    return ast.fix_missing_locations(tree)


def _left_out(tree: ast.AST) -> set[int]:
    """What is no code that runs: docstrings, annotations, types."""
    found: set[int] = set()
    for node in ast.walk(tree):
        parts: list[ast.AST | None] = []
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            parts = [node, node.value]
        elif isinstance(node, (ast.AnnAssign, ast.arg)):
            parts = [node.annotation]
        elif isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            parts = [node.returns, *node.decorator_list, *node.args.defaults]
            parts += node.args.kw_defaults
        elif isinstance(node, ast.Assert):
            parts = [node]
        for part in parts:
            found |= {id(one) for one in ast.walk(part)} if part is not None else set()
    return found


def _changes(node: ast.AST) -> Iterator[tuple[str, Change]]:
    make = _OF_NODE.get(type(node))
    if make is not None:
        yield from make(node)


def _of_compare(node: Any) -> Iterator[tuple[str, Change]]:
    for number, op in enumerate(node.ops):
        other = _RELATIONS[type(op)]

        def change(one: Any, number: int = number, other: Any = other) -> None:
            one.ops[number] = other()

        yield f"{ast.unparse(node)}: {_SIGNS[type(op)]} becomes {_SIGNS[other]}", change


_SIGNS = {
    ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!=",
    ast.Is: "is", ast.IsNot: "is not", ast.In: "in", ast.NotIn: "not in", ast.Add: "+",
    ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.FloorDiv: "//", ast.Mod: "%", ast.Pow: "**",
}  # fmt: skip


def _of_arithmetic(node: Any) -> Iterator[tuple[str, Change]]:
    other = _ARITHMETIC.get(type(node.op))
    if other is None:
        return

    def change(one: Any) -> None:
        one.op = other()

    shown = ast.unparse(node)
    yield f"{shown}: {_SIGNS[type(node.op)]} becomes {_SIGNS[other]}", change


def _of_connector(node: ast.BoolOp) -> Iterator[tuple[str, Change]]:
    other = ast.Or if isinstance(node.op, ast.And) else ast.And

    def change(one: Any) -> None:
        one.op = other()

    name = "or" if other is ast.Or else "and"
    yield f"{ast.unparse(node)}: its connector becomes {name}", change


def _of_condition(node: Any) -> Iterator[tuple[str, Change]]:
    def change(one: Any) -> None:
        one.test = ast.copy_location(ast.UnaryOp(ast.Not(), one.test), one.test)

    if not isinstance(node.test, ast.Constant):
        yield f"{ast.unparse(node.test)}: negated", change


def _of_constant(node: ast.Constant) -> Iterator[tuple[str, Change]]:
    value, new = node.value, _other(node.value)
    if new is None:
        return

    def change(one: Any) -> None:
        one.value = new

    yield f"{value!r} becomes {new!r}", change


def _other(value: Any) -> Any:
    """What a constant becomes; None for one that stays."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, (int, float)):
        return value + 1
    return value + "x" if isinstance(value, str) and value else None


def _of_return(node: ast.Return) -> Iterator[tuple[str, Change]]:
    def change(one: Any) -> None:
        one.value = ast.copy_location(ast.Constant(None), one.value)

    is_none = isinstance(node.value, ast.Constant) and node.value.value is None
    if node.value is not None and not is_none:
        yield f"return {ast.unparse(node.value)}: None instead", change


def _of_statement(node: ast.Expr) -> Iterator[tuple[str, Change]]:
    def change(one: Any) -> None:
        one.value = ast.copy_location(ast.Constant(None), one.value)

    if isinstance(node.value, (ast.Call, ast.Await)):
        yield f"{ast.unparse(node)}: left out", change


def _of_call(node: ast.Call) -> Iterator[tuple[str, Change]]:
    if isinstance(node.func, ast.Name) and node.func.id in _PAIRS:
        other = _PAIRS[node.func.id]

        def change(one: Any) -> None:
            one.func.id = other

        yield f"{ast.unparse(node)}: {node.func.id} becomes {other}", change


_OF_NODE: dict[type, Callable[[Any], Iterator[tuple[str, Change]]]] = {
    ast.Compare: _of_compare,
    ast.BinOp: _of_arithmetic,
    ast.AugAssign: _of_arithmetic,
    ast.BoolOp: _of_connector,
    ast.If: _of_condition,
    ast.IfExp: _of_condition,
    ast.While: _of_condition,
    ast.Constant: _of_constant,
    ast.Return: _of_return,
    ast.Expr: _of_statement,
    ast.Call: _of_call,
}
