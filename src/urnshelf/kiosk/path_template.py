"""The path of a route: fixed parts, and parameters that a request fills."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import cached_property
from keyword import iskeyword
from typing import Any, NamedTuple
from urllib.parse import unquote
from uuid import UUID

from urnshelf.errors import CueRefused
from urnshelf.urn.bounded_patterns import bounded_pattern

_PARAMETER = re.compile(r"\{([^{}]*)\}")
_WRITTEN_SLASH = re.compile("%2[fF]")
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


def _number_or_text(read: Callable[[str], Any]) -> Callable[[str], Any]:
    def number(text: str) -> Any:
        try:
            return read(text) if text.isascii() and len(text) < 40 else text
        except ValueError:
            return text

    return number


_TOLD = {
    "int": _KINDS["int"]._replace(pattern=r"[^/]+", read=_number_or_text(int)),
    "float": _KINDS["float"]._replace(pattern=r"[^/]+", read=_number_or_text(float)),
}
"""Of what a document tells of a parameter any text is taken: what is wrong with it is told then."""


class Base(NamedTuple):
    """What stands before all paths of a document: as it is shown, and its pattern."""

    shown: str = ""
    pattern: str = ""


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
        told: what a document tells of its parameters, `int`, `float` or `str`; their names may be
            any then.
        base: what stands before it.

    >>> PathTemplate("/stations/{code}/depth").values("/stations/T%2F1/depth")
    {'code': 'T/1'}
    """

    def __init__(
        self,
        text: str,
        told: Mapping[str, str] | None = None,
        base: Base = Base(),  # noqa: B008
    ) -> None:
        if not isinstance(text, str) or not text.startswith("/"):
            raise CueRefused(f"{text!r}: the path of a route begins with a slash")
        if "?" in text or "#" in text:
            raise CueRefused(
                f"{text!r}: a route has no query: ask for it, .asked_with(query={{…}})"
            )
        self.bare = text
        self.text = base.shown + text
        self.kinds: dict[str, _Kind] = {}
        self.named: dict[str, str] = {}
        """The parameters as they are written, and as Python can name them."""
        pattern, at = base.pattern, 0
        for found in _PARAMETER.finditer(text):
            kind = self._add(found[1]) if told is None else self._add_told(found[1], told)
            fixed = text[at : found.start()]
            pattern += f"{re.escape(unquote(fixed))}({kind.pattern})"
            at = found.end()
        if "{" in text[at:] or "}" in _PARAMETER.sub("", text):
            raise CueRefused(f"{text!r}: a brace has no other")
        # said to be anchored, so that the work for long paths is not overestimated
        self._pattern = bounded_pattern(rf"\A{pattern}{re.escape(unquote(text[at:]))}\Z")

    def _add_told(self, written: str, told: Mapping[str, str]) -> _Kind:
        name = re.sub(r"\W", "_", written)
        name = name if name.isidentifier() else f"_{name}"
        while name in self.kinds or name == "request" or iskeyword(name):
            name += "_"
        if written in self.named:
            raise CueRefused(f"{self.text!r}: {{{written}}} stands there twice")
        self.named[written] = name
        kind = self.kinds[name] = _TOLD.get(told.get(written, ""), _KINDS[""])
        return kind

    def _add(self, told: str) -> _Kind:
        name, _, kind = told.partition(":")
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
        self.named[name] = name
        return _KINDS[kind]

    @property
    def rank(self) -> tuple[int, ...]:
        """By which routes are asked in order: fixed parts before parameters, numbers before texts,
        and those before the rest of a path.
        """
        return tuple(map(_rank, self.text.split("/")[1:]))

    @cached_property
    def shape(self) -> str:
        """The path without the names of its parameters: two of one shape take the same requests."""
        return _PARAMETER.sub(
            lambda found: f"{{:{found[1].partition(':')[2] or 'str'}}}", self.text
        )

    def values(self, raw_path: str) -> dict[str, Any] | None:
        """What a path as it came gives for each parameter; None where it is another path."""
        return self.values_in(marked(raw_path))

    def values_in(self, path: str) -> dict[str, Any] | None:
        """The same, of a path that `marked` made: one is asked of many routes."""
        found = self._pattern.groups_of(path)
        if found is None:
            return None
        texts = [text.replace(_SLASH, "/") for text in found]
        kinds = self.kinds.items()
        return {name: kind.read(text) for (name, kind), text in zip(kinds, texts, strict=True)}

    def __str__(self) -> str:
        return self.text


def marked(raw_path: str) -> str:
    """A path as it came, decoded; a slash that was written %2F belongs to a parameter, and parts
    none.
    """
    return unquote(_WRITTEN_SLASH.sub(_SLASH, raw_path))
