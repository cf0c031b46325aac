"""Assertions of a test file observed instead of judged: what each compared with a literal is noted,
and the test goes on.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from enum import Enum
from types import NoneType
from typing import Any, NamedTuple

from urnshelf.records.literals import is_literal, source_of

SEEN = "__urnshelf_seen__"
RAISED = "__urnshelf_raised__"
"""The names that an observed file calls."""


class Site(NamedTuple):
    """A literal of an assertion.

    Args:
        test: the function that it stands in.
        line: from 1; likewise the last one.
        start: in the line, in bytes from 0; likewise the end in the last one.
        last_line: where it ends.
        end: likewise.
    """

    test: str
    line: int
    start: int
    last_line: int
    end: int


class Seen(NamedTuple):
    """What an assertion met once.

    Args:
        site: its number.
        fits: whether it is as the literal says.
        source: the value as code; None where it is no literal.
        shown: the value, for messages.
    """

    site: int
    fits: bool
    source: str | None
    shown: str


class Observed:
    """A test file whose assertions are observed.

    Args:
        text: the file's.
        name: its name, for tracebacks.

    Raises:
        SyntaxError: it is no Python.

    >>> observed = Observed("def test_it():\\n    assert 1 + 1 == 3\\n", "test_it.py")
    >>> names = {}
    >>> exec(observed.code, observed.names(names))
    >>> names["test_it"]()
    >>> observed.seen
    [Seen(site=0, fits=False, source='2', shown='2')]
    """

    def __init__(self, text: str, name: str) -> None:
        tree = ast.parse(text, name)
        rewriting = _Rewriting()
        whole = ast.fix_missing_locations(rewriting.visit(tree))
        self.code = compile(whole, name, "exec")
        self.sites = rewriting.sites
        self.seen: list[Seen] = []

    def names(self, module: dict[str, Any]) -> dict[str, Any]:
        """The names of a module, with those that the observed file calls.

        Args:
            module: its names, which grow.
        """

        def seen(site: int, actual: object, wanted: object, is_same: bool) -> bool:
            fits = actual is wanted if is_same else actual == wanted
            # a tally is a number that explains itself
            is_number = isinstance(actual, int) and not isinstance(actual, (bool, Enum))
            value = int(actual) if is_number else actual  # type: ignore[call-overload]
            told = getattr(wanted, "expected", wanted)  # of a number that is about another
            source = source_of(value, module, like=told)
            if is_same and not isinstance(value, (bool, Enum, NoneType)):
                source = None  # of other values there may be several that are equal
            self.seen.append(Seen(site, bool(fits), source, f"{value!r}"[:200]))
            return True

        @contextmanager
        def raised(
            site: int, block: AbstractContextManager[Any], pattern: str, is_escaped: bool
        ) -> Iterator[Any]:
            with block as info:
                yield info
            told = str(info.value)
            wanted = re.escape(pattern) if is_escaped else pattern
            source = source_of(told, module) if is_escaped else as_pattern(told)
            self.seen.append(Seen(site, bool(re.search(wanted, told)), source, told[:200]))

        module |= {SEEN: seen, RAISED: raised}
        return module


class _Rewriting(ast.NodeTransformer):
    """Puts what notes in the place of what judges."""

    def __init__(self) -> None:
        self.sites: list[Site] = []
        self._within: list[str] = []

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return self._function(node)

    def visit_AsyncFunctionDef(self, node: ast.AsyncFunctionDef) -> ast.AST:
        return self._function(node)

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        return self._function(node)

    def _function(self, node: Any) -> ast.AST:
        self._within.append(node.name)
        self.generic_visit(node)
        self._within.pop()
        return node  # type: ignore[no-any-return]

    def visit_Assert(self, node: ast.Assert) -> ast.AST:
        """Note each comparison with a literal; all of them where `and` joins them."""
        if isinstance(node.test, ast.BoolOp) and isinstance(node.test.op, ast.And):
            node.test.values = [self._compared(one) for one in node.test.values]
        else:
            node.test = self._compared(node.test)
        return node

    def _compared(self, test: ast.expr) -> ast.expr:
        if not isinstance(test, ast.Compare) or len(test.ops) != 1:
            return test
        left, right, operator = test.left, test.comparators[0], test.ops[0]
        if not isinstance(operator, (ast.Eq, ast.Is)):
            return test
        if not is_literal(right):
            left, right = right, left
        if not is_literal(right) or is_literal(left):
            return test
        site = self._site(_inner(right))
        is_same = ast.Constant(isinstance(operator, ast.Is))
        return ast.copy_location(_call(SEEN, site, left, right, is_same), test)

    def visit_With(self, node: ast.With) -> ast.AST:
        """Note the message of an exception that is awaited by a pattern."""
        self.generic_visit(node)
        for item in node.items:
            item.context_expr = self._raising(item.context_expr)
        return node

    visit_AsyncWith: Callable[..., ast.AST] = visit_With  # noqa: N815

    def _raising(self, block: ast.expr) -> ast.expr:
        if not isinstance(block, ast.Call) or not _is_named(block.func, "raises"):
            return block
        for keyword in block.keywords:
            if keyword.arg == "match":
                given: Any = keyword.value
                is_escaped = _is_escape(given)
                pattern = given.args[0] if is_escaped else given
                if not isinstance(pattern, ast.Constant) or not isinstance(pattern.value, str):
                    return block
                block.keywords.remove(keyword)
                noted = _call(RAISED, self._site(pattern), block, pattern, ast.Constant(is_escaped))
                return ast.copy_location(noted, block)
        return block

    def _site(self, node: ast.expr) -> ast.Constant:
        last, end = node.end_lineno or node.lineno, node.end_col_offset or 0
        test = "::".join(self._within)
        self.sites.append(Site(test, node.lineno, node.col_offset, last, end))
        return ast.Constant(len(self.sites) - 1)


def as_pattern(text: str) -> str:
    """A text as the pattern that it matches, as code."""
    escaped = re.sub(r"([\\^$*+?{}\[\]|()])", r"\\\1", text)
    is_raw = escaped != text and '"' not in text and escaped.isprintable()
    return f'r"{escaped}"' if is_raw else str(source_of(escaped, {}))


def _call(name: str, *arguments: ast.expr) -> ast.Call:
    return ast.Call(ast.Name(name, ast.Load()), list(arguments), [])


def _is_named(function: ast.expr, name: str) -> bool:
    return (isinstance(function, ast.Attribute) and function.attr == name) or (
        isinstance(function, ast.Name) and function.id == name
    )


def _is_escape(node: ast.expr) -> bool:
    return isinstance(node, ast.Call) and _is_named(node.func, "escape") and len(node.args) == 1


def _inner(literal: ast.expr) -> ast.expr:
    """What is written anew: of `approx(6.3)` the number."""
    if isinstance(literal, ast.Call) and _is_named(literal.func, "approx"):
        return literal.args[0]
    return literal
