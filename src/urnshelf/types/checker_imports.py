"""Where a module imports its names from, as its source says it: for the names that it imports for
the checker only, and that are not there when it runs.
"""

from __future__ import annotations

import ast
import importlib
import inspect
import sys
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from urnshelf.caches import remembered
from urnshelf.types.forms import Unknown

FILLED_IN = ("typing", "collections.abc", "datetime", "uuid", "decimal")
"""Modules whose names are known even where they were imported for the checker only."""


def filled_in(name: str, text: str, module: str) -> Any:
    """What a name means that is not there when its module runs: `Unknown`, unless it is one of
    those that are filled in.

    Args:
        name: the name.
        text: of the annotation in which it stands.
        module: the name of the module in which that was written.
    """
    imported = imports_of(module).get(name)
    if imported is not None:
        origin, attribute = imported
        if origin not in FILLED_IN and origin != "collections":
            return Unknown(name)  # a `Context` of somebody's is not that of `decimal`
        home = importlib.import_module(origin)
        return getattr(home, attribute, Unknown(name)) if attribute else home
    for origin in FILLED_IN:
        # `datetime` is a module and a class of it: only the text tells which of them is meant
        if name == origin and f"{name}." in text:
            return importlib.import_module(name)
        found = getattr(importlib.import_module(origin), name, None)
        if found is not None:
            return found
    return Unknown(name)


@remembered
def imports_of(module: str) -> Mapping[str, tuple[str, str]]:
    """Each name that a module's source imports: from which module, and which name of it, or `""`
    for the module itself. Empty where there is no source.

    Args:
        module: its name.

    >>> imports_of("urnshelf.types.checker_imports")["Any"]
    ('typing', 'Any')
    """
    try:
        tree = ast.parse(inspect.getsource(sys.modules[module]))
    except (KeyError, OSError, TypeError, SyntaxError):
        return {}
    return dict(_imports(tree.body))


def _imports(statements: Sequence[ast.stmt]) -> Iterator[tuple[str, tuple[str, str]]]:
    for statement in statements:
        if isinstance(statement, ast.If):
            yield from _imports(statement.body)
            yield from _imports(statement.orelse)
        elif isinstance(statement, ast.ImportFrom):
            origin = "." * statement.level + (statement.module or "")
            for one in statement.names:
                yield one.asname or one.name, (origin, one.name)
        elif isinstance(statement, ast.Import):
            for one in statement.names:
                top = one.name.partition(".")[0]
                yield (one.asname, (one.name, "")) if one.asname else (top, (top, ""))
