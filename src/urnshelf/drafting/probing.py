"""Code with probes: a module's text rewritten so that each decision tells which way it went.

The tree of the text is rewritten, not the running code traced: lines stay true, operands can be
kept, and nothing is slower than a call for each decision.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from copy import deepcopy
from types import CodeType
from typing import Any, NamedTuple

from urnshelf.drafting.decisions import BRANCH, LOOP, MATCH, PART, TRY, Decision, Way

PROBE = "__urnshelf_probe__"
"""The name that rewritten code calls; with underscores on both sides no class changes it."""
_HINTING = frozenset(
    """
    startswith endswith split splitlines rsplit partition strptime fromisoformat fullmatch match
    search findall get index find loads removeprefix removesuffix isdigit isdecimal isnumeric
    isalpha isalnum isupper islower isspace istitle isidentifier now utcnow today time monotonic
    perf_counter time_ns random randint choice uniform shuffle sample token_hex token_urlsafe
    randbelow uuid4 uuid1
    """.split()
)
"""Methods whose arguments tell what a text or a mapping should hold; and those of clock and
chance."""
_CONVERTING = frozenset({"int", "float", "Decimal", "UUID", "Fraction"})
_PLAIN = (ast.Name, ast.Attribute, ast.Constant, ast.UnaryOp)


class Probed(NamedTuple):
    """A module's code with probes.

    Args:
        codes: the new code of each function, by qualified name and first line.
        decisions: those in it, in order.
    """

    codes: dict[tuple[str, int], CodeType]
    decisions: list[Decision]


def probed(text: str, file: str, first: int = 0) -> Probed:
    """Put probes into a module.

    Args:
        text: the module's.
        file: its name.
        first: the number of its first decision.

    Raises:
        SyntaxError: it is no Python.
    """
    return probed_tree(ast.parse(text, file), file, first)


def probed_tree(parsed: ast.Module, file: str, first: int = 0) -> Probed:
    """Put probes into a module that is parsed already.

    Args:
        parsed: its tree, which is changed.
        file: its name.
        first: the number of its first decision.
    """
    rewriting = _Rewriting(file, first)
    tree = ast.fix_missing_locations(rewriting.visit(parsed))
    code = compile(tree, file, "exec", dont_inherit=True)
    codes = {(one.co_qualname, one.co_firstlineno): one for one in _inside(code)}
    return Probed(codes, rewriting.decisions)


def _inside(code: CodeType) -> Iterator[CodeType]:
    for one in code.co_consts:
        if isinstance(one, CodeType):
            yield one
            yield from _inside(one)


class _Rewriting(ast.NodeTransformer):
    """Puts the probes in."""

    def __init__(self, file: str, first: int) -> None:
        self.decisions: list[Decision] = []
        self._file = file
        self._first = first
        self._within: list[str] = []
        self._tries: list[int] = []
        """The `try` blocks around, within the function."""
        self._around: list[Way] = []
        """The ways of the decisions around."""
        self._loops: list[int] = []
        """How many of them are around each loop's body."""

    # --- functions and classes --------------------------------------------------------------------

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        return self._function(node)

    def visit_AsyncFunctionDef(self, node: ast.AsyncFunctionDef) -> ast.AST:
        return self._function(node)

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        self._within.append(node.name)
        node.body = [self._kept(one) for one in node.body]
        self._within.pop()
        return node

    def _kept(self, node: ast.stmt) -> ast.stmt:
        # what runs while the class is made was run long ago
        made = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
        return self.visit(node) if isinstance(node, made) else node

    def _function(self, node: Any) -> ast.AST:
        outer = self._tries, self._loops, self._around
        self._tries, self._loops, self._around = [], [], []
        self._within.append(node.name)
        node.body = self._statements(node.body)
        self._within.pop()
        self._tries, self._loops, self._around = outer
        return node  # type: ignore[no-any-return]

    def visit_Lambda(self, node: ast.Lambda) -> ast.AST:
        around, self._tries, self._loops = (self._tries, self._loops), [], []
        node.body = self.visit(node.body)
        self._tries, self._loops = around
        return node

    def _statements(self, body: list[ast.stmt]) -> list[ast.stmt]:
        found: list[ast.stmt] = []
        for one in body:
            made = self.visit(one)
            found += made if isinstance(made, list) else [made]
        return found

    # --- statements -------------------------------------------------------------------------------

    def visit_If(self, node: ast.If) -> ast.AST:
        site = self._next
        node.test = self._branch(node.test)
        node.body = self._under(site, True, node.body)
        node.orelse = self._under(site, False, node.orelse)
        return node

    @property
    def _next(self) -> int:
        """The number of the next decision."""
        return self._first + len(self.decisions)

    def _under(self, site: int, outcome: bool | int, body: list[ast.stmt]) -> list[ast.stmt]:
        """Statements that are run where a decision comes out so."""
        is_there = site < self._next
        self._around += [Way(site, outcome)] if is_there else []
        found = self._statements(body)
        self._around[len(self._around) - is_there :] = []
        return found

    def visit_While(self, node: ast.While) -> ast.AST:
        site = self._next
        if isinstance(node.test, ast.Constant):
            node.test = self._probe("step", node.test)
            site = -1
        else:
            node.test = self._branch(node.test)
        self._loops.append(len(self._tries))
        node.body = self._statements(node.body) if site < 0 else self._under(site, True, node.body)
        self._loops.pop()
        node.orelse = self._statements(node.orelse)
        return node

    def visit_For(self, node: ast.For) -> ast.AST:
        return self._for(node, "loop")

    def visit_AsyncFor(self, node: ast.AsyncFor) -> ast.AST:
        return self._for(node, "async_loop")

    def _for(self, node: Any, probe: str) -> ast.AST:
        text = f"for {ast.unparse(node.target)} in {ast.unparse(node.iter)}"
        site = self._decision(LOOP, node, text)
        node.iter = self._probe(probe, ast.Constant(site), self.visit(node.iter))
        self._loops.append(len(self._tries))
        node.body = self._under(site, 1, node.body)
        self._loops.pop()
        node.orelse = self._statements(node.orelse)
        return node  # type: ignore[no-any-return]

    def visit_Try(self, node: ast.Try) -> ast.AST:
        return self._try(node)

    def visit_TryStar(self, node: ast.TryStar) -> ast.AST:
        return self._try(node)

    def _try(self, node: Any) -> ast.AST:
        if not node.handlers:
            self.generic_visit(node)
            return node  # type: ignore[no-any-return]
        site = self._decision(TRY, node, "try")
        self._tries.append(site)
        node.body = self._statements(node.body)
        self._tries.pop()
        if not isinstance(node.body[-1], (ast.Return, ast.Raise, ast.Continue, ast.Break)):
            node.body = [*node.body, self._told(site, -1, node.body[-1])]
        for number, handler in enumerate(node.handlers):
            body = self._under(site, number, handler.body)
            handler.body = [self._told(site, number, handler), *body]
        node.orelse = self._statements(node.orelse)
        node.finalbody = self._statements(node.finalbody)
        return node  # type: ignore[no-any-return]

    def _told(self, site: int, outcome: int, near: ast.AST) -> ast.stmt:
        probe = self._probe("took", ast.Constant(site), ast.Constant(outcome), near=near)
        return ast.copy_location(ast.Expr(probe), near)

    def visit_Return(self, node: ast.Return) -> Any:
        self.generic_visit(node)
        return self._leaving(node, 0)

    def visit_Break(self, node: ast.Break) -> Any:
        return self._leaving(node, self._loops[-1] if self._loops else 0)

    def visit_Continue(self, node: ast.Continue) -> Any:
        return self._leaving(node, self._loops[-1] if self._loops else 0)

    def _leaving(self, node: Any, kept: int) -> Any:
        """Whoever leaves a `try` went through it."""
        left = self._tries[kept:]
        if isinstance(node, ast.Return) and node.value is not None and left:
            for site in left:
                node.value = self._probe("through", ast.Constant(site), node.value)
            return node
        return [*(self._told(site, -1, node) for site in left), node]

    def visit_Match(self, node: ast.Match) -> ast.AST:
        site = self._decision(MATCH, node, f"match {ast.unparse(node.subject)}")
        node.subject = self._probe("subject", ast.Constant(site), self.visit(node.subject))
        for number, case in enumerate(node.cases):
            if case.guard is not None:
                case.guard = self._branch(case.guard)
            body = self._under(site, number, case.body)
            case.body = [self._told(site, number, case.body[0]), *body]
        last = node.cases[-1]
        takes_all = isinstance(last.pattern, ast.MatchAs) and last.pattern.pattern is None
        if not takes_all or last.guard is not None:
            none = self._told(site, -1, node)
            node.cases.append(ast.match_case(ast.MatchAs(), None, [none]))
        return node

    def visit_Assert(self, node: ast.Assert) -> ast.AST:
        return node  # what it says is no path of the code

    # --- expressions ------------------------------------------------------------------------------

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        node.test = self._branch(node.test)
        node.body = self.visit(node.body)
        node.orelse = self.visit(node.orelse)
        return node

    def visit_comprehension(self, node: ast.comprehension) -> ast.AST:
        node.iter = self.visit(node.iter)
        node.ifs = [self._branch(one) for one in node.ifs]
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        # of `a or b` as a value the last part decides nothing
        parts = [self._part(one) for one in node.values[:-1]]
        node.values = [*parts, self.visit(node.values[-1])]
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        if isinstance(node.op, ast.Not):
            node.operand = self._part(node.operand)
            return node
        return self.generic_visit(node)

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        return self._compared(node, PART)

    def visit_Call(self, node: ast.Call) -> ast.AST:
        is_bare = isinstance(node.func, ast.Name) and not node.keywords
        name = getattr(node.func, "id", getattr(node.func, "attr", ""))
        plain = not any(isinstance(one, ast.Starred) for one in node.args)
        plain = plain and all(one.arg for one in node.keywords)
        if is_bare and plain and name in ("min", "max") and len(node.args) == 2:
            site = self._decision(PART, node, ast.unparse(node), "Lt")
            given = [self.visit(one) for one in node.args]
            return self._probe("pick", ast.Constant(site), node.func, *given, near=node)
        if plain and name in _CONVERTING and len(node.args) == 1 and not node.keywords:
            return self._probe("converted", node.func, self.visit(node.args[0]), near=node)
        if plain and name in _HINTING and isinstance(node.func, ast.Attribute):
            self.generic_visit(node)
            probe = self._probe(
                "hinted", ast.Constant(name), node.func.value, *node.args, near=node
            )
            probe.keywords = node.keywords
            return probe
        return self.generic_visit(node)

    def visit_Subscript(self, node: ast.Subscript) -> ast.AST:
        self.generic_visit(node)
        if not isinstance(node.ctx, ast.Load) or isinstance(node.slice, ast.Slice):
            return node
        return self._probe("item", node.value, node.slice, near=node)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    # --- conditions -------------------------------------------------------------------------------

    def _branch(self, test: ast.expr) -> ast.expr:
        """A condition that decides where the code goes on."""
        if isinstance(test, ast.Compare) and self._is_simple(test):
            return self._compared(test, BRANCH)
        if isinstance(test, ast.Constant):
            return test
        site = self._decision(BRANCH, test, ast.unparse(test))
        inner = self._condition(test)
        return self._probe("branch", ast.Constant(site), inner, near=test)

    def _condition(self, test: ast.expr) -> ast.expr:
        """A condition whose parts tell what they were."""
        if isinstance(test, ast.BoolOp):
            test.values = [self._part(one) for one in test.values]
            return test
        if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
            test.operand = self._condition(test.operand)
            return test
        return self.visit(test)  # type: ignore[no-any-return]

    def _part(self, test: ast.expr) -> ast.expr:
        if isinstance(test, (ast.BoolOp, ast.Constant)) or (
            isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not)
        ):
            return self._condition(test)
        if isinstance(test, ast.Compare) and self._is_simple(test):
            return self._compared(test, PART)
        site = self._decision(PART, test, ast.unparse(test))
        return self._probe("branch", ast.Constant(site), self.visit(test), near=test)

    @staticmethod
    def _is_simple(test: ast.Compare) -> bool:
        # the operands of a chain are all looked at first: none of them may do anything
        return len(test.ops) == 1 or all(isinstance(one, _PLAIN) for one in test.comparators)

    def _compared(self, test: ast.Compare, kind: str) -> ast.expr:
        if not self._is_simple(test):
            self.generic_visit(test)
            return test
        if len(test.ops) == 1:
            return self._comparison(test, kind)
        # a < b < c: each comparison is a decision of its own
        sides = [test.left, *test.comparators]
        pairs = zip(sides, test.ops, sides[1:], strict=False)
        parts = [
            self._comparison(ast.copy_location(ast.Compare(left, [op], [right]), test), PART)
            for left, op, right in pairs
        ]
        return ast.copy_location(ast.BoolOp(ast.And(), parts), test)

    def _comparison(self, test: ast.Compare, kind: str) -> ast.expr:
        operator = type(test.ops[0]).__name__
        site = self._decision(kind, test, ast.unparse(test), operator)
        left, right = self.visit(test.left), self.visit(test.comparators[0])
        return self._probe("compared", ast.Constant(site), left, right, near=test)

    # --- probes -----------------------------------------------------------------------------------

    def _decision(self, kind: str, node: ast.AST, text: str, operator: str = "") -> int:
        number = self._first + len(self.decisions)
        function = ".".join(self._within)
        line = getattr(node, "lineno", 0)
        # what is told later is told of the text as it stands, before it is rewritten
        kept = deepcopy(node)
        within = self._around[-1] if self._around else None
        found = Decision(number, kind, function, line, text, operator, kept, self._file, within)
        self.decisions.append(found)
        return number

    def _probe(self, name: str, *given: ast.expr, near: ast.AST | None = None) -> ast.Call:
        function = ast.Attribute(ast.Name(PROBE, ast.Load()), name, ast.Load())
        call = ast.Call(function, list(given), [])
        return ast.copy_location(call, near if near is not None else given[-1])
