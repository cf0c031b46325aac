"""The file of kept replies: JSON Lines.

A line says of which interface it is and how its methods were declared; then there is a line for
each reply, sorted by method and arguments; replies to the same arguments stand in the order in
which they came.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from itertools import groupby
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.calls.wording import declared
from urnshelf.errors import FileRefused
from urnshelf.files.file_table import parsed_line
from urnshelf.files.whole import unfinished, why
from urnshelf.interfaces.members import Interface

FORMAT = "urnshelf replies"
VERSION = 1


class Reply(NamedTuple):
    """One reply as JSON data."""

    method: str
    arguments: dict[str, Any]
    ended: dict[str, Any]
    """`reply`, or `error`."""

    @property
    def place(self) -> tuple[str, str]:
        """Where it stands among the others."""
        return self.method, json.dumps(self.arguments, sort_keys=True)

    @property
    def line(self) -> str:
        """As the file has it."""
        data = {"method": self.method, "arguments": self.arguments, **self.ended}
        return json.dumps(data, ensure_ascii=False)


class Kept(NamedTuple):
    """A file of replies."""

    methods: dict[str, str]
    """Each method as it was declared."""
    replies: list[Reply]
    notes: tuple[str, ...] = ()
    """What was masked, and what could not be looked into."""


def read(where: Path, interface: str) -> Kept:
    """The replies of a file; raises FileRefused for a file that is none, or of something else."""
    try:
        lines = where.read_text("utf-8").splitlines()
    except (OSError, UnicodeError) as error:
        raise FileRefused(f"{where.name} cannot be read: {why(error)}") from None
    at = f"{where.name}, line"
    data = [parsed_line(line, at, number) for number, line in enumerate(lines, 1) if line]
    head = data[0] if data and isinstance(data[0], dict) else {}
    if head.get("format") != FORMAT:
        raise FileRefused(f"{where.name}: it is no file of replies that keep_in=… wrote")
    if head.get("version") != VERSION:
        raise FileRefused(
            f"{where.name}: its version is {head.get('version')!r}; this release reads {VERSION}"
        )
    if head.get("interface") != interface:
        raise FileRefused(
            f"{where.name}: it has the replies of {head.get('interface')!r}, not of {interface}"
        )
    replies = [_reply(one, where.name, n) for n, one in enumerate(data[1:], 2)]
    return Kept(dict(head["methods"]), replies, tuple(map(str, head.get("masked", ()))))


def _reply(data: Any, file: str, number: int) -> Reply:
    is_whole = isinstance(data, dict) and isinstance(data.get("arguments"), dict)
    if not is_whole or "method" not in data or ("reply" in data) is ("error" in data):
        raise FileRefused(
            f'{file}, line {number}: a "method", its "arguments" and a "reply" or an "error" are '
            "wanted"
        )
    ended = {name: data[name] for name in ("reply", "error") if name in data}
    return Reply(data["method"], data["arguments"], ended)


def write(
    where: Path, interface: Interface, replies: Iterable[Reply], notes: Iterable[str]
) -> None:
    """Write the replies; raises FileRefused where that cannot be.

    Args:
        where: the file.
        interface: of the fake or kiosk.
        replies: in the order in which they came.
        notes: what was masked, and what could not be looked into; how often stays out, so that the
            file is the same each time.
    """
    kept = _without_last_repeats(sorted(replies, key=lambda one: one.place))
    methods = {
        name: declared(member)
        for name, member in sorted(interface.members.items())
        if any(one.method == name for one in kept)
    }
    head = {"format": FORMAT, "version": VERSION, "interface": interface.name}
    masked = sorted({note.partition(", ")[0] for note in notes})
    told = {**head, "methods": methods, **({"masked": masked} if masked else {})}
    lines = [json.dumps(told, ensure_ascii=False)]
    text = "\n".join([*lines, *(one.line for one in kept), ""])
    try:
        with unfinished() as files:
            files.part(where, is_private=True).write_text(text, encoding="utf-8", newline="\n")
    except (OSError, UnicodeEncodeError) as error:
        raise FileRefused(f"{where.name} cannot be written: {why(error)}") from None


def _without_last_repeats(replies: Iterable[Reply]) -> list[Reply]:
    """Of the replies to the same call all up to the last one that differs: that is given on."""
    found: list[Reply] = []
    for _, same_call in groupby(replies, key=lambda one: one.place):
        mine = list(same_call)
        while len(mine) > 1 and mine[-1].ended == mine[-2].ended:
            mine.pop()
        found += mine
    return found
