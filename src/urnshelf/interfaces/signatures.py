"""The parameters of an interface's methods, without the instance that they are called on."""

from __future__ import annotations

import functools
import inspect
from typing import Any

from urnshelf.types.annotations import signature_of

ANY_ARGUMENTS = inspect.Signature(
    [
        inspect.Parameter("args", inspect.Parameter.VAR_POSITIONAL),
        inspect.Parameter("kwargs", inspect.Parameter.VAR_KEYWORD),
    ]
)
"""Of what does not tell."""


def plain_signature(function: object) -> inspect.Signature:
    """The signature of a function; any arguments, for code in C that does not tell."""
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
