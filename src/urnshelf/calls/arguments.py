"""A call's arguments as code that can be pasted."""

from __future__ import annotations

from collections.abc import Sequence
from inspect import Parameter
from typing import Any

from urnshelf.calls.target import AssignmentTarget, Target
from urnshelf.records.display import show
from urnshelf.records.equality import same

_LITERALS = (str, int, float, bool, type(None))


def suggested_arguments(target: Target, values: Sequence[Any]) -> list[str]:
    """The arguments of a call as code; long values are left to `whatever`, and defaults out."""
    if isinstance(target, AssignmentTarget):
        return ["whatever"]
    written: list[str] = []
    by_name = False
    pairs = list(zip(target.member.signature.parameters.values(), values, strict=False))
    # before arguments that `*more` takes up, nothing can be left out
    has_more = any(p.kind is p.VAR_POSITIONAL and value for p, value in pairs)
    for parameter, value in pairs:
        by_position = parameter.kind is parameter.POSITIONAL_ONLY or (
            has_more and parameter.kind is parameter.POSITIONAL_OR_KEYWORD
        )
        if parameter.kind is parameter.VAR_POSITIONAL:
            written += [_suggested(item) for item in value]
        elif parameter.kind is parameter.VAR_KEYWORD:
            written += [f"{name}={_suggested(item)}" for name, item in value.items()]
        elif not by_position and _is_default(parameter, value):
            # what follows must be named then
            by_name = by_name or parameter.kind is parameter.POSITIONAL_OR_KEYWORD
        else:
            named = by_name or parameter.kind is parameter.KEYWORD_ONLY
            written.append((f"{parameter.name}=" if named else "") + _suggested(value))
    return written


def _is_default(parameter: Parameter, value: object) -> bool:
    return parameter.default is not parameter.empty and same(parameter.default, value)


def _suggested(value: object) -> str:
    # what can be pasted is written out; anything else would not be code
    shown = show(value) if type(value) in _LITERALS else ""
    is_whole = 0 < len(shown) <= 40 and not any(mark in shown for mark in ("…", "...", "<an int"))
    return shown if is_whole else "whatever"
