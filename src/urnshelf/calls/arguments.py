"""A call's arguments as code that can be pasted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from urnshelf.calls.target import AssignmentTarget, Target

_LITERALS = (str, int, float, bool, type(None))


def suggested_arguments(target: Target, values: Sequence[Any]) -> list[str]:
    """The arguments of a call; long values are left to `whatever`."""
    if isinstance(target, AssignmentTarget):
        return ["whatever"]
    written = []
    for parameter, value in zip(target.member.signature.parameters.values(), values, strict=False):
        if parameter.kind is parameter.VAR_POSITIONAL:
            written += [_suggested(item) for item in value]
        elif parameter.kind is parameter.VAR_KEYWORD:
            written += [f"{name}={_suggested(item)}" for name, item in value.items()]
        else:
            name = f"{parameter.name}=" if parameter.kind is parameter.KEYWORD_ONLY else ""
            written.append(name + _suggested(value))
    return written


def _suggested(value: object) -> str:
    # what can be pasted is written out; anything else would not be code
    return repr(value) if type(value) in _LITERALS and len(repr(value)) <= 40 else "whatever"
