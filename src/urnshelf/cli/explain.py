"""`urnshelf explain`: how the methods of an interface are read."""

from __future__ import annotations

import builtins
from typing import Any

from rich import box
from rich.table import Table
from rich.text import Text

from urnshelf import Shelf
from urnshelf.cli.showing import console
from urnshelf.errors import InterfaceRefused
from urnshelf.types.loading import load_type


def _interface(what: str) -> Any:
    """The interface; its type arguments are looked up in its own module, then among the
    builtins.
    """
    name, bracket, arguments = what.partition("[")
    found = load_type(name)
    if not bracket:
        return found
    module = name.partition(":")[0]
    given = [word.strip() for word in arguments.removesuffix("]").split(",")]
    known = [
        getattr(builtins, word, None) or load_type(word if ":" in word else f"{module}:{word}")
        for word in given
    ]
    try:
        return found[tuple(known)]
    except TypeError as why:
        raise InterfaceRefused(f"{what!r}: {why}") from None


def explain(what: str) -> None:
    """Print the table.

    Args:
        what: MODULE:INTERFACE, with type arguments where it has parameters: MODULE:INTERFACE[TYPE].
    """
    explanation = Shelf().explain(_interface(what))
    read = sum(1 for method in explanation if method.read_as)
    out = console()
    has_attributes = any("(" not in method.method for method in explanation)
    what = "methods and attributes" if has_attributes else "methods"
    out.print(
        Text(f"{explanation.name}: {read} of {len(explanation)} {what} need no cue", style="bold"),
        "",
    )
    table = Table("method", "read as", box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
    for method in explanation:
        text = (
            Text(method.read_as, style="green")
            if method.read_as
            else Text(f"not read: {method.advice}", "yellow")
        )
        table.add_row(Text(method.method), text)
    out.print(table, "")
    for told in explanation.keys:
        out.print(told)
    if explanation.keys:
        out.print()
