"""The decisions of a piece of code, as they stand in it: what may go one way or another."""

from __future__ import annotations

import ast
from typing import NamedTuple

BRANCH = "branch"
"""`if`, `while`, a conditional expression, a condition of a comprehension, a guard."""
PART = "part"
"""A part of a condition, and a comparison that stands alone."""
LOOP = "loop"
TRY = "try"
MATCH = "match"

ORDERINGS = ("Lt", "LtE", "Gt", "GtE")


class Way(NamedTuple):
    """One way that a decision may go.

    Args:
        site: the decision's number.
        outcome: True or False; how many rounds of a loop; the number of a handler or a case, -1 for
            none of them; `edge`, where both sides of an ordering are equal.
    """

    site: int
    outcome: bool | int | str


class Decision(NamedTuple):
    """A place where the code may go one way or another.

    Args:
        number: its own, in the order of the text.
        kind: one of those above.
        function: the qualified name of the function, with that of its module's file.
        line: where it stands.
        text: its condition, as written.
        operator: of a comparison; empty for others.
        node: the condition, or the statement.
        file: of its module.
        within: the way of the decision around it; None where there is none.
    """

    number: int
    kind: str
    function: str
    line: int
    text: str
    operator: str
    node: ast.AST
    file: str
    within: Way | None = None

    @property
    def ways(self) -> tuple[Way, ...]:
        """The ways that a test should take, in order."""
        return tuple(Way(self.number, outcome) for outcome in self._outcomes())

    @property
    def edge(self) -> Way | None:
        """The boundary of an ordering; no branch, but where mistakes are."""
        return Way(self.number, "edge") if self.operator in ORDERINGS else None

    def _outcomes(self) -> tuple[bool | int | str, ...]:
        node = self.node
        if self.kind == LOOP:
            return (0, 1, 2)
        if self.kind == TRY and isinstance(node, (ast.Try, ast.TryStar)):
            return (-1, *range(len(node.handlers)))
        if self.kind == MATCH and isinstance(node, ast.Match):
            last = node.cases[-1]
            takes_all = isinstance(last.pattern, ast.MatchAs) and last.pattern.pattern is None
            cases = tuple(range(len(node.cases)))
            return cases if takes_all and last.guard is None else (*cases, -1)
        return (True, False)

    def outcome_told(self, way: Way) -> str:
        """How a way comes out, in a word or two."""
        outcome = way.outcome
        if self.kind == LOOP:
            return ("no round", "one round", "two rounds")[int(outcome)]
        if self.kind in (TRY, MATCH):
            told = self.told(way)
            return "no case" if told.endswith(": no case") else told.removeprefix("try: ")
        return "true" if outcome else "false"

    def told(self, way: Way) -> str:
        """A way in words, as a report shows it."""
        outcome = way.outcome
        if outcome == "edge":
            return f"{self.text}: both sides equal"
        if self.kind == LOOP:
            return f"{self.text}: {('no round', 'one round', 'two rounds')[int(outcome)]}"
        if self.kind == TRY and isinstance(self.node, (ast.Try, ast.TryStar)):
            if outcome == -1:
                return "try: nothing is raised"
            kind = self.node.handlers[int(outcome)].type
            return f"except{'' if kind is None else ' ' + ast.unparse(kind)}"
        if self.kind == MATCH and isinstance(self.node, ast.Match):
            if outcome == -1:
                return f"match {ast.unparse(self.node.subject)}: no case"
            return f"case {ast.unparse(self.node.cases[int(outcome)].pattern)}"
        return f"{self.text}: {'true' if outcome else 'false'}"
