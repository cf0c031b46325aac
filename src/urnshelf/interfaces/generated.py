"""The code that is generated: functions with an interface's own parameters, which tracebacks can show."""

from __future__ import annotations

import inspect
import linecache
from collections.abc import Callable
from inspect import Parameter
from typing import Any

from urnshelf.caches import remembered

_STARS: dict[Any, str] = {Parameter.VAR_POSITIONAL: "*", Parameter.VAR_KEYWORD: "**"}


def function_of(source: str, name: str, names: dict[str, Any], what: str) -> Callable[..., Any]:
    """The function that the source defines.

    Args:
        source: a whole `def`.
        name: of the function in it.
        names: what the source may use besides the builtins.
        what: what it is for; in tracebacks it stands where a file's name does.
    """
    namespace = dict(names)
    exec(_compiled(source, f"<urnshelf {what}>"), namespace)
    function: Callable[..., Any] = namespace[name]
    return function


@remembered
def _compiled(source: str, file: str) -> Any:
    named = f"{file[:-1]} #{len(linecache.cache)}>"
    lines = source.splitlines(keepends=True)
    linecache.cache[named] = (len(source), None, lines, named)  # no time: it is never read from a disk
    return compile(source, named, "exec")


def binder(signature: inspect.Signature) -> Callable[..., tuple[Any, ...]]:
    """A function with these parameters that returns the arguments in their order, defaults filled in.

    >>> binder(inspect.signature(lambda harbour, *, at=None: ...))("Skarvik")
    ('Skarvik', None)
    """
    parameters, defaults = written_parameters(signature)
    values = "".join(f"{name}, " for name in signature.parameters)
    return function_of(f"def bound({parameters}):\n    return ({values})\n", "bound", defaults, "arguments")


def caller(signature: inspect.Signature) -> Callable[[Callable[..., Any], tuple[Any, ...]], Any]:
    """A function that calls another one as the method was called, given the arguments in their order.

    >>> caller(inspect.signature(lambda harbour, *rest: ...))(print, ("Skarvik", (1, 2)))
    Skarvik 1 2
    """
    given = []
    for place, p in enumerate(signature.parameters.values()):
        stars = _STARS.get(p.kind, f"{p.name}=" if p.kind is p.KEYWORD_ONLY else "")
        given.append(f"{stars}values[{place}]")
    source = f"def called(function, values):\n    return function({', '.join(given)})\n"
    return function_of(source, "called", {}, "call")


def written_parameters(signature: inspect.Signature) -> tuple[str, dict[str, Any]]:
    """The parameters as source code without annotations, and the names that stand for the defaults in it."""
    written: list[str] = []
    defaults: dict[str, Any] = {}
    parameters = list(signature.parameters.values())
    for number, p in enumerate(parameters):
        if p.kind is p.KEYWORD_ONLY and not any(w.startswith("*") for w in written):
            written.append("*")
        default = ""
        if p.default is not p.empty:
            default = f"=_us_default_{number}"
            defaults[f"_us_default_{number}"] = p.default
        written.append(_STARS.get(p.kind, "") + p.name + default)
        following = parameters[number + 1].kind if number + 1 < len(parameters) else None
        if p.kind is p.POSITIONAL_ONLY and following is not p.POSITIONAL_ONLY:
            written.append("/")
    return ", ".join(written), defaults
