"""What a cue or a look asks of a request besides its path: conditions on its parts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, TypedDict

from urnshelf.errors import CueRefused
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.records.display import PartWise, show
from urnshelf.records.equality import same
from urnshelf.records.matchers import ABSENT, Wanted

NAMED = ("query", "headers", "cookies", "form", "files")
"""Parts that are asked for by name; what is not named may be anything."""
WHOLE = ("json", "text", "body", "content_type")
"""Parts that are asked for as one."""


class Conditions(TypedDict, total=False):
    """What can be asked of a request."""

    query: Mapping[str, Any]
    headers: Mapping[str, Any]
    cookies: Mapping[str, Any]
    form: Mapping[str, Any]
    files: Mapping[str, Any]
    json: Any
    text: Any
    body: Any
    content_type: Any


class Wanting(PartWise):
    """A request with these parts; it stands where a cue has the request."""

    __slots__ = ("asked",)

    def __init__(self, asked: Mapping[str, Any]) -> None:
        self.asked = dict(asked)

    def accepts(self, value: object) -> bool:
        """Whether it is a request with these parts."""
        return isinstance(value, Request) and not self.differing(value)

    def differing(self, value: Any) -> dict[str, tuple[Any, Any]]:
        """The parts that are not as wanted: name → (wanted, found)."""
        return {
            # what is not there is like nothing, and not even like `whatever`
            name: (Wanted(wanted), one) if _is_lacking(one) else (wanted, one)
            for name, wanted, one, fits in self.compared(value)
            if not fits
        }

    def compared(self, value: Any) -> Iterator[tuple[str, Any, Any, bool]]:
        """Each part that is wanted: its name, what is wanted, what was found, and whether that
        fits.
        """
        for part, wanted in self.asked.items():
            has = getattr(value, part)
            if part in NAMED:
                for name, one in wanted.items():
                    found = _named(has, part, name, one)
                    fits = not _is_lacking(found) and same(one, found)
                    yield f"{part}[{name!r}]", one, found, fits
            else:
                found = has if has != "" or part == "text" else ABSENT
                yield part, wanted, found, not _is_lacking(found) and same(wanted, found)

    def __repr__(self) -> str:
        return ", ".join(f"{name}={show(value, 60)}" for name, value in self.asked.items())


def _is_lacking(value: object) -> bool:
    return value is ABSENT or isinstance(value, NoJson)


def _named(has: Any, part: str, name: str, wanted: object) -> Any:
    value = has.get(name, ABSENT)
    # of a number that is wanted the text is meant: nothing else can stand in a query
    is_number = isinstance(wanted, (int, float)) and not isinstance(wanted, bool)
    if is_number and part in ("query", "form") and isinstance(value, str):
        try:
            return float(value) if isinstance(wanted, float) else int(value)
        except ValueError:
            return value
    return value


def wanting(conditions: Mapping[str, Any], where: str) -> Wanting:
    """The conditions, looked at.

    Raises:
        CueRefused: no part of a request, or one that is not asked for by name.
    """
    if not conditions:
        raise CueRefused(f"{where}.asked_with(): say what is asked of the request: query={{…}} …")
    for part, wanted in conditions.items():
        if part not in (*NAMED, *WHOLE):
            raise CueRefused(
                f"{where}.asked_with({part}=…): a request has {', '.join((*NAMED, *WHOLE))}"
            )
        if part in NAMED and not isinstance(wanted, Mapping):
            raise CueRefused(
                f"{where}.asked_with({part}={show(wanted, 40)}): give a mapping of names to values"
            )
    return Wanting(dict(conditions))
