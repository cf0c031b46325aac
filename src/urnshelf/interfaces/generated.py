"""The code that is generated: functions with an interface's own parameters, which tracebacks can
show.
"""

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
    linecache.cache[named] = (
        len(source),
        None,
        lines,
        named,
    )  # no time: it is never read from a disk
    return compile(source, named, "exec")


def binder(signature: inspect.Signature) -> Callable[..., tuple[Any, ...]]:
    """A function with these parameters that returns the arguments in their order, defaults filled
    in.

    >>> binder(inspect.signature(lambda harbour, *, at=None: ...))("Ternhythe")
    ('Ternhythe', None)
    """
    parameters, defaults = written_parameters(signature)
    values = "".join(f"{name}, " for name in signature.parameters)
    return function_of(
        f"def bound({parameters}):\n    return ({values})\n", "bound", defaults, "arguments"
    )


def caller(signature: inspect.Signature) -> Callable[[Callable[..., Any], tuple[Any, ...]], Any]:
    """A function that calls another one as the method was called, given the arguments in their
    order.

    >>> caller(inspect.signature(lambda harbour, *rest: ...))(print, ("Ternhythe", (1, 2)))
    Ternhythe 1 2
    """
    given = []
    for index, p in enumerate(signature.parameters.values()):
        stars = _STARS.get(p.kind, f"{p.name}=" if p.kind is p.KEYWORD_ONLY else "")
        given.append(f"{stars}values[{index}]")
    source = f"def called(function, values):\n    return function({', '.join(given)})\n"
    return function_of(source, "called", {}, "call")


_METHOD = """
def call(_us_fake{parameters}):{checked}
    _us_target = _us_fake._urnshelf_targets[{index}] or _us_target_at(_us_fake, {index})
    return _us_target.take(_us_target, ({values}), _us_getframe(1))
"""

_QUIET_METHOD = """
def call(_us_fake{parameters}):
    _us_target = _us_fake._urnshelf_targets[{index}]
    if _us_target is None or not _us_target.cues:
        return _us_own(_us_fake{positional})
    return _us_target.take(_us_target, ({values}), _us_getframe(1))
"""


_CHECKED = """
    _us_check({values})"""


def handing_on(
    signature: inspect.Signature, index: int, names: dict[str, Any], is_quiet: bool
) -> Callable[..., Any]:
    """A fake's method: it hands its arguments and the caller's frame to its target.

    Args:
        signature: without the instance.
        index: the member's position among the fake's targets.
        names: what its source uses: `_us_target_at`, `_us_getframe`, `_us_own`; and `_us_check`,
            where the arguments are to be checked first.
        is_quiet: whether object's own method answers until it is cued.
    """
    written, defaults = written_parameters(signature)
    own_slash = any(p.kind is Parameter.POSITIONAL_ONLY for p in signature.parameters.values())
    values = "".join(f"{name}, " for name in signature.parameters)
    source = (_QUIET_METHOD if is_quiet else _METHOD).format(
        # the fake itself by position only: the interface may have a parameter of any name
        parameters=("" if own_slash else ", /") + (written and f", {written}"),
        index=index,
        values=values,
        checked=_CHECKED.format(values=values) if "_us_check" in names else "",
        positional="".join(f", {name}" for name in signature.parameters),
    )
    return function_of(source, "call", {**names, **defaults}, "fake")


def written_parameters(signature: inspect.Signature) -> tuple[str, dict[str, Any]]:
    """The parameters as source code without annotations, and the names that stand for the defaults
    in it.
    """
    written: list[str] = []
    defaults: dict[str, Any] = {}
    parameters = list(signature.parameters.values())
    for number, p in enumerate(parameters):
        if p.kind is p.KEYWORD_ONLY and not any(w.startswith("*") for w in written):
            written.append("*")
        default = ""
        if p.default is not p.empty:
            # the very object that the interface has, which no source code could write
            default = f"=_us_default_{number}"
            defaults[f"_us_default_{number}"] = p.default
        written.append(_STARS.get(p.kind, "") + p.name + default)
        following = parameters[number + 1].kind if number + 1 < len(parameters) else None
        if p.kind is p.POSITIONAL_ONLY and following is not p.POSITIONAL_ONLY:
            written.append("/")
    return ", ".join(written), defaults
