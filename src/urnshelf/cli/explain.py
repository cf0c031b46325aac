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
from urnshelf.near_names import nearest
from urnshelf.readings.explaining import Explained, Explanation
from urnshelf.types.loading import load_type


def interface_named(what: str) -> tuple[Any, str]:
    """The interface, its type arguments looked up in its own module, then among the builtins; and
    the method that is named behind it.
    """
    name, bracket, rest = what.partition("[")
    arguments, _, method = rest.rpartition("]") if "]" in rest else (rest, "", "")
    if not bracket:
        return _with_method(name)
    if "]" not in rest or not arguments:
        raise InterfaceRefused(f"{what!r}: write the type arguments as MODULE:INTERFACE[TYPE]")
    found = load_type(name)
    module = name.partition(":")[0]
    given = [word.strip() for word in arguments.split(",")]
    known = [
        getattr(builtins, word, None) or load_type(word if ":" in word else f"{module}:{word}")
        for word in given
    ]
    try:
        return found[tuple(known)], method.removeprefix(".")
    except TypeError as why:
        raise InterfaceRefused(f"{what!r}: {why}") from None


def _with_method(words: str) -> tuple[Any, str]:
    """`package.module:Interface.method` taken apart."""
    whole, dot, method = words.rpartition(".")
    if ":" not in whole or not dot:
        return load_type(words), ""
    holder = load_type(whole)
    inner = getattr(holder, method, None)
    is_class = isinstance(inner, type)
    return (inner, "") if is_class else (holder, method)


def _chosen(explanation: Explanation, method: str) -> list[Explained]:
    """The methods that are shown."""
    if not method:
        return list(explanation)
    names = [one.method.partition("(")[0] for one in explanation]
    if method not in names:
        raise InterfaceRefused(f"{explanation.name} has no {method!r}; {nearest(method, names)}")
    return [one for one, name in zip(explanation, names, strict=True) if name == method]


def explain(what: str) -> None:
    """Print the table.

    Args:
        what: MODULE:INTERFACE, with type arguments where it has parameters: MODULE:INTERFACE[TYPE];
            and .METHOD behind it for one method.
    """
    interface, method_name = interface_named(what)
    explanation = Shelf().explain(interface)
    methods = _chosen(explanation, method_name)
    read = sum(1 for method in methods if method.read_as)
    out = console()
    has_attributes = any("(" not in method.method for method in methods)
    what = "methods and attributes" if has_attributes else "methods"
    head = f"{explanation.name}: {read} of {len(methods)} {what} need no cue"
    out.print(Text(f"{explanation.name}.{method_name}" if method_name else head, style="bold"), "")
    table = Table("method", "read as", box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False)
    for method in methods:
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
