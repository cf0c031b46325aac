"""The parameters of an interface's methods, without the instance that they are called on."""

from __future__ import annotations

import functools
import inspect
import sys
from typing import Any

from urnshelf.types.annotations import signature_of

ANY_ARGUMENTS = inspect.Signature(
    [
        inspect.Parameter("args", inspect.Parameter.VAR_POSITIONAL),
        inspect.Parameter("kwargs", inspect.Parameter.VAR_KEYWORD),
    ]
)
"""Of what does not tell."""


def name_of_routine(function: Any) -> str:
    """Its full name: of a method of a class, that of the class as well."""
    owner = getattr(function, "__self__", None)
    module = getattr(owner if isinstance(owner, type) else function, "__module__", None)
    return f"{module}.{getattr(function, '__qualname__', '')}"


def short_name_of_routine(function: Any) -> str:
    """How messages call it: one of the standard library with its package, as `time.sleep`."""
    package, _, _ = name_of_routine(function).partition(".")
    if package not in sys.stdlib_module_names:
        return str(function.__name__)
    return f"{package}.{function.__qualname__}"


def _told(*names: str, gives: object, **parameters: object) -> dict[str, inspect.Signature]:
    made = [
        inspect.Parameter(
            name,
            inspect.Parameter.POSITIONAL_OR_KEYWORD,
            annotation=annotation,
            default=None if name == "tz" else inspect.Parameter.empty,
        )
        for name, annotation in parameters.items()
    ]
    return dict.fromkeys(names, inspect.Signature(made, return_annotation=gives))


_OF_CODE_IN_C: dict[str, inspect.Signature] = {
    **_told("time.time", "time.monotonic", "time.perf_counter", gives=float),
    **_told("time.time_ns", "time.monotonic_ns", gives=int),
    **_told("time.sleep", gives=None, seconds=float),
    **_told("datetime.datetime.now", gives="datetime.datetime", tz="datetime.tzinfo | None"),
    **_told("datetime.datetime.utcnow", "datetime.datetime.today", gives="datetime.datetime"),
    **_told("datetime.date.today", gives="datetime.date"),
}
"""Of functions of the standard library that services are given: Python itself tells of some that
they take anything, and of none what they give.
"""


def plain_signature(function: object) -> inspect.Signature:
    """The signature of a function; any arguments, for code in C that does not tell."""
    if not inspect.isfunction(function):
        told = _OF_CODE_IN_C.get(name_of_routine(function))
        if told is not None:
            return told
    try:
        return signature_of(function)
    except (ValueError, TypeError):
        return ANY_ARGUMENTS


def bound_signature(function: object, binding: str) -> inspect.Signature:
    """The signature of a method as it is called on an object.

    Args:
        function: as it stands in the class.
        binding: `instance`, `class` or `static`.
    """
    signature = plain_signature(function)
    parameters = list(signature.parameters.values())
    if (
        binding == "static"
        or not parameters
        or parameters[0].kind is inspect.Parameter.VAR_POSITIONAL
    ):
        return signature
    return signature.replace(parameters=parameters[1:])


def partial_signature(part: functools.partialmethod[Any]) -> inspect.Signature:
    """The signature of a method of which some arguments are given already."""
    whole = bound_signature(part.func, "instance")
    try:
        bound = whole.bind_partial(*part.args, **part.keywords)
    except TypeError:
        return ANY_ARGUMENTS
    by_position = list(whole.parameters)[: len(part.args)]
    kept: list[inspect.Parameter] = []
    for name, parameter in whole.parameters.items():
        if name in by_position:
            continue
        if name in bound.arguments:
            parameter = parameter.replace(
                default=part.keywords[name], kind=inspect.Parameter.KEYWORD_ONLY
            )
        elif (
            kept
            and kept[-1].kind is inspect.Parameter.KEYWORD_ONLY
            and parameter.kind is parameter.POSITIONAL_OR_KEYWORD
        ):
            parameter = parameter.replace(kind=inspect.Parameter.KEYWORD_ONLY)
        kept.append(parameter)
    return whole.replace(parameters=kept)
