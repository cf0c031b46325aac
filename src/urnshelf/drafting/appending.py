"""Tests added to a file that is there: its own text stays, to the letter."""

from __future__ import annotations

import ast

from urnshelf.drafting.mending import lines_of


def added(text: str, more: str) -> str:
    """A file with the imports and functions of another one that it has not.

    Args:
        text: the file's.
        more: the text of the other.

    >>> there, more = "import os\\n\\n\\ndef f(): ...\\n", "import re\\n\\n\\ndef g(): ...\\n"
    >>> print(added(there, more), end="")
    import os
    import re
    <BLANKLINE>
    <BLANKLINE>
    def f(): ...
    <BLANKLINE>
    <BLANKLINE>
    def g(): ...
    """
    old, new = ast.parse(text), ast.parse(more)
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
    known = {one.name for one in old.body if isinstance(one, kinds)}
    lines = more.splitlines()
    functions = [
        _source(one, lines, known)
        for one in new.body
        if isinstance(one, (ast.FunctionDef, ast.AsyncFunctionDef))
        and not (one.name in known and not one.name.startswith("test_"))
    ]
    imports = _lacking_imports(old, new)
    end = "\r\n" if "\r\n" in text else "\n"
    head = _with_imports(text, old, imports, end)
    front = head if head.endswith(end) else head + end
    blocks = [f"{end}{end}{one}{end}" for one in functions]
    return front + "".join(one.replace("\r\n", "\n").replace("\n", end) for one in blocks)


def _source(node: ast.FunctionDef | ast.AsyncFunctionDef, lines: list[str], known: set[str]) -> str:
    first = min([node.lineno, *(one.lineno for one in node.decorator_list)])
    text = "\n".join(lines[first - 1 : node.end_lineno])
    name, number = node.name, 2
    while name in known:
        name, number = f"{node.name}_{number}", number + 1
    known.add(name)
    return text.replace(f"def {node.name}(", f"def {name}(", 1)


def _lacking_imports(old: ast.Module, new: ast.Module) -> list[str]:
    known = {
        (getattr(one, "module", None), name.name)
        for one in old.body
        if isinstance(one, (ast.Import, ast.ImportFrom))
        for name in one.names
    }
    found: list[str] = []
    for one in new.body:
        if isinstance(one, ast.Import):
            found += [f"import {n.name}" for n in one.names if (None, n.name) not in known]
        elif isinstance(one, ast.ImportFrom):
            names = [n.name for n in one.names if (one.module, n.name) not in known]
            found += [f"from {one.module} import {', '.join(names)}"] if names else []
    return found


def _with_imports(text: str, tree: ast.Module, imports: list[str], end: str) -> str:
    if not imports:
        return text
    lines = lines_of(text)
    last = 0
    for node in tree.body:
        is_docstring = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        if isinstance(node, (ast.Import, ast.ImportFrom)) or (is_docstring and last == 0):
            last = node.end_lineno or node.lineno
    return "".join([*lines[:last], *(f"{one}{end}" for one in imports), *lines[last:]])
