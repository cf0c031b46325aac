"""What code reaches for instead of being handed it: singletons of modules that have an interface,
and functions that tell the time or draw lots.
"""

from __future__ import annotations

import dis
from collections.abc import Iterator
from types import CodeType, FunctionType, ModuleType
from typing import Any
from uuid import UUID

from urnshelf.drafting.scope import Scope, codes_of
from urnshelf.interfaces.dependencies import is_interface
from urnshelf.types.annotations import resolve
from urnshelf.types.nodes import node_of

_OF_CHANCE = frozenset(
    """
    now utcnow today time time_ns monotonic perf_counter uuid4 uuid1 random randint choice
    token_hex token_urlsafe urandom
    """.split()
)
"""Names in the code of functions whose results nobody can foretell."""


_KNOWN: dict[str, Any] = {
    "uuid4": UUID("00000000-0000-4000-8000-000000000007"),
    "uuid1": UUID("00000000-0000-1000-8000-000000000007"),
    "random": 0.5,
    "randint": 3,
    "token_hex": "00ff",
    "token_urlsafe": "ahoy",
    "time": 1_906_545_600.0,
    "monotonic": 7.0,
    "perf_counter": 7.0,
}


def known_reply(form: Any) -> Any:
    """What a function of the language gives that has no annotation; None for others."""
    return _KNOWN.get(getattr(form, "__name__", "")) if isinstance(form, FunctionType) else None


def reached_for(scope: Scope) -> dict[str, Any]:
    """The places that are swapped for a test, as `module:name`, and what is faked there.

    Args:
        scope: the code.
    """
    found: dict[str, Any] = {}
    for function in scope.functions:
        for code in codes_of(function.__code__):
            for place, form in _places(code, function):
                found.setdefault(place, form)
    return found


def _places(code: CodeType, function: FunctionType) -> Iterator[tuple[str, Any]]:
    space = function.__globals__
    before: Any = None
    for step in dis.get_instructions(code):
        if step.opname in ("LOAD_GLOBAL", "LOAD_NAME") and step.argval in space:
            before = space[step.argval]
            if not issubclass(type(before), ModuleType):
                yield from _place(str(space.get("__name__")), space, step.argval)
        elif step.opname in ("LOAD_ATTR", "LOAD_METHOD") and issubclass(type(before), ModuleType):
            if step.argval in vars(before):
                yield from _place(before.__name__, vars(before), step.argval)
            before = vars(before).get(step.argval)
        else:
            before = None


def _place(module: str, space: dict[str, Any], name: str) -> Iterator[tuple[str, Any]]:
    value = space[name]
    if type(value) is FunctionType:
        is_of_chance = not _OF_CHANCE.isdisjoint(value.__code__.co_names)
        if is_of_chance and value.__code__.co_argcount == 0 and _is_short(value):
            yield f"{module}:{name}", value
        return
    written = space.get("__annotations__", {}).get(name)
    if written is None:
        return
    form = resolve(written, None, _Of(space)) if isinstance(written, str) else written
    if is_interface(node_of(form)):
        yield f"{module}:{name}", form


def _is_short(function: FunctionType) -> bool:
    """Whether all that it does is to tell."""
    return len(function.__code__.co_code) < 80


class _Of:
    """Stands for a function of a module, whose names are looked up."""

    def __init__(self, space: dict[str, Any]) -> None:
        self.__globals__ = space
        self.__module__ = space.get("__name__", "")
