"""What a project says under `[tool.urnshelf]` in its pyproject.toml."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from urnshelf.errors import SettingRefused

_SCOPES = ("function", "class", "module", "package", "session")


def _are_texts(value: object) -> bool:
    return isinstance(value, list) and all(isinstance(one, str) for one in value)


def _is_count(value: object) -> bool:
    return type(value) is int and value > 0


_OF_THE_RUN: dict[str, tuple[Callable[[Any], bool], str]] = {
    "tells": (_are_texts, 'a list, tells = ["package.module:Interface", …]'),
    "shelf_scope": (_SCOPES.__contains__, ", ".join(map(repr, _SCOPES))),
    "remarks": (lambda value: isinstance(value, bool), "true or false"),
    "strict": (_are_texts, "a list of kinds of remarks"),
    "masks": (_are_texts, "a list of names of secrets"),
    "most_cued": (_is_count, "a whole number from 1"),
    "most_swapped": (_is_count, "a whole number from 1"),
}
"""The settings that are no shelf's: what fits, and what to choose."""


def settings_in(path: Path) -> dict[str, Any]:
    """The settings of a project; raises SettingRefused for one that there is not, or a value that
    does not fit.

    Args:
        path: of its pyproject.toml, which need not be there.
    """
    text = path.read_text("utf-8") if path.is_file() else ""
    if "tool.urnshelf" not in text:
        return {}
    import tomllib  # few projects say anything

    from urnshelf.calls.settings import settings_of

    table: dict[str, Any] = tomllib.loads(text).get("tool", {}).get("urnshelf", {})
    for name, (fits, wanted) in _OF_THE_RUN.items():
        if name in table and not fits(table[name]):
            raise SettingRefused(f"{path}: [tool.urnshelf] {name}={table[name]!r}: choose {wanted}")
    settings_of(of_a_shelf(table), f"{path}: [tool.urnshelf] ", tuple(_OF_THE_RUN))
    return table


def of_a_shelf(table: Mapping[str, Any]) -> dict[str, Any]:
    """Those that a shelf takes."""
    return {name: value for name, value in table.items() if name not in _OF_THE_RUN}
