"""Every public name, with its parameters, as lines: `python public.py > golden/public.txt`.

A line that goes, or changes, is a promise that is not kept: see docs/stability.md before you write
the file anew.
"""

from __future__ import annotations

import importlib
import inspect
from collections.abc import Iterator
from typing import Any

MODULES = ["", ".rules", ".kiosk", ".drafting", ".twins", ".learning", ".cases"]
GIVEN = ["store.tables:Table", "store.queries:Query", "store.column:Column", "clock:Clock",
         "calls.cue:Cue", "calls.tally:Tally", "calls.taken:Calls", "calls.ledger:Call",
         "kiosks:Kiosk"]  # fmt: skip
"""What public functions give, and nobody imports."""


def lines() -> list[str]:
    """All of them, in order."""
    found: list[str] = []
    for module in MODULES:
        where = f"urnshelf{module}"
        home = importlib.import_module(where)
        names = getattr(home, "__all__", None) or ["ShelfCase"]
        for name in sorted(names):
            found += told(f"{where}.{name}", getattr(home, name))
    for one in GIVEN:
        module, _, name = one.partition(":")
        found += told(
            f"(given) {name}", getattr(importlib.import_module(f"urnshelf.{module}"), name)
        )
    return found


def told(name: str, thing: Any) -> Iterator[str]:
    """The lines of one name."""
    if isinstance(thing, type) and issubclass(thing, BaseException):
        bases = [base.__name__ for base in thing.__bases__]
        yield f"class {name}, a {' and '.join(bases)}"
    elif isinstance(thing, type):
        made = thing.__init__ if thing.__init__ is not object.__init__ else thing.__new__
        yield f"class {name}{parameters(made) if name.startswith('urnshelf') else ''}"
        for member in sorted(dir(thing)):
            if not member.startswith("_") and not is_foreign(thing, member):
                yield f"    {member}{parameters(inspect.getattr_static(thing, member))}"
    else:
        yield f"{name}{parameters(thing)}"


def is_foreign(cls: type, member: str) -> bool:
    """Whether a class has it of a base that is not ours."""
    home = next(base for base in cls.__mro__ if member in vars(base))
    return not home.__module__.startswith("urnshelf")


def parameters(thing: Any) -> str:
    """What a function takes, without annotations, and of each default only that there is one."""
    function = getattr(thing, "__func__", thing)
    if not inspect.isfunction(function):
        return ""
    signature = inspect.signature(function)
    taken = [
        one.replace(annotation=one.empty, default=_ANY_DEFAULT)
        if one.default is not one.empty
        else one.replace(annotation=one.empty)
        for one in signature.parameters.values()
        if one.name not in ("self", "cls") and not one.name.startswith("_")
    ]
    return str(inspect.Signature(taken))


class _Default:
    """Any default."""

    def __repr__(self) -> str:
        return "…"


_ANY_DEFAULT = _Default()


if __name__ == "__main__":
    print("\n".join(lines()))
