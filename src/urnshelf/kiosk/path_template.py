"""The path of a route: fixed parts, and parameters that a request fills."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, NamedTuple
from urllib.parse import unquote
from uuid import UUID

from urnshelf.errors import CueRefused

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_PARAMETER = re.compile(r"\{([^{}]*)\}")
_SLASH = "\ud800"
"""Stands for a slash that was written %2F: no decoded text can hold half a character."""


class _Kind(NamedTuple):
    """What a parameter may be: the pattern of its text, and what is made of it."""

    pattern: str
    read: Callable[[str], Any]
    type: type
    what: str


_KINDS = {
    "": _Kind(r"[^/]+", str, str, "a text"),
    "str": _Kind(r"[^/]+", str, str, "a text"),
    "int": _Kind(r"-?[0-9]{1,40}", int, int, "a whole number"),
    "float": _Kind(r"-?[0-9]{1,40}(?:\.[0-9]{1,40})?", float, float, "a number"),
    "uuid": _Kind(r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}", UUID, UUID, "a UUID"),
    "path": _Kind(r".*", str, str, "the rest of the path"),
}


def _rank(part: str) -> int:
    if "{" not in part:
        return 0
    kind = part.partition(":")[2].partition("}")[0]
    return {"path": 3, "str": 2, "": 2}.get(kind, 1)


class PathTemplate:
    """The path of a route, such as `/stations/{code}/depth` or `/berths/{id:int}`.

    Args:
        text: begins with a slash. A parameter in braces is a text without a slash; after a colon
            its kind may stand: `int`, `float`, `uuid`, or `path` for all that follows.

    >>> PathTemplate("/stations/{code}/depth").values("/stations/T%2F1/depth")
    {'code': 'T/1'}
    """

    def __init__(self, text: str) -> None:
        if not isinstance(text, str) or not text.startswith("/"):
            raise CueRefused(f"{text!r}: the path of a route begins with a slash")
        if "?" in text or "#" in text:
            raise CueRefused(
                f"{text!r}: a route has no query: ask for it, .asked_with(query={{…}})"
            )
        self.text = text
        self.kinds: dict[str, _Kind] = {}
        pattern, at = "", 0
        for found in _PARAMETER.finditer(text):
            name, _, kind = found[1].partition(":")
            self._add(name, kind)
            fixed = text[at : found.start()]
            pattern += re.escape(unquote(fixed)) + f"(?P<{name}>{self.kinds[name].pattern})"
            at = found.end()
        if "{" in text[at:] or "}" in _PARAMETER.sub("", text):
            raise CueRefused(f"{text!r}: a brace has no other")
        self._pattern = re.compile(pattern + re.escape(unquote(text[at:])))

    def _add(self, name: str, kind: str) -> None:
        if not name.isidentifier() or name in self.kinds or name == "request":
            raise CueRefused(
                f"{self.text!r}: {name!r} is no name for a parameter: each has one of its own, and "
                "'request' is taken"
            )
        if kind not in _KINDS:
            raise CueRefused(
                f"{self.text!r}: there is no kind {kind!r}; choose {', '.join(_KINDS)[2:]}"
            )
        self.kinds[name] = _KINDS[kind]

    @property
    def rank(self) -> tuple[int, ...]:
        """By which routes are asked in order: fixed parts before parameters, numbers before texts,
        and those before the rest of a path.
        """
        return tuple(map(_rank, self.text.split("/")[1:]))

    @property
    def shape(self) -> str:
        """The path without the names of its parameters: two of one shape take the same requests."""
        return _PARAMETER.sub(
            lambda found: f"{{:{found[1].partition(':')[2] or 'str'}}}", self.text
        )

    def values(self, raw_path: str) -> dict[str, Any] | None:
        """What a path as it came gives for each parameter; None where it is another path."""
        # a slash that is written %2F belongs to a parameter, and parts none
        marked = unquote(re.sub("%2[fF]", _SLASH, raw_path))
        found = self._pattern.fullmatch(marked)
        if found is None:
            return None
        texts = {name: text.replace(_SLASH, "/") for name, text in found.groupdict().items()}
        return {name: self.kinds[name].read(text) for name, text in texts.items()}

    def __str__(self) -> str:
        return self.text
