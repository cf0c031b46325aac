"""A test file mended: literals of its assertions that are no longer true, written anew."""

from __future__ import annotations

import difflib
import re
from collections.abc import Sequence
from typing import NamedTuple

from urnshelf.drafting.observing import Seen, Site

_LINE = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")


class Doubt(NamedTuple):
    """What cannot be mended, and why.

    Args:
        test: the function.
        line: of the assertion; 0 for the whole test.
        why: in words.
    """

    test: str
    line: int
    why: str


class Mended(NamedTuple):
    """What became of a file.

    Args:
        text: the new one.
        tests: those that were mended, in order.
        doubts: what cannot be.
    """

    text: str
    tests: list[str]
    doubts: list[Doubt]


def mended(text: str, sites: Sequence[Site], seen: Sequence[Seen]) -> Mended:
    """A file with the values that its assertions met.

    Args:
        text: the file's.
        sites: its literals.
        seen: what they met.
    """
    doubts: list[Doubt] = []
    edits: list[tuple[Site, str]] = []
    for number, site in enumerate(sites):
        met = [one for one in seen if one.site == number]
        if all(one.fits for one in met):
            continue
        sources = {one.source for one in met}
        if len(sources) > 1:
            shown = " and ".join(sorted({one.shown for one in met})[:3])
            why = f"it met more than one value, {shown}: which one is meant?"
            doubts.append(Doubt(site.test, site.line, why))
        elif None in sources:
            why = f"it met {met[0].shown}, which cannot be written there"
            doubts.append(Doubt(site.test, site.line, why))
        else:
            edits.append((site, str(met[0].source)))
    return Mended(_edited(text, edits), list(dict.fromkeys(s.test for s, _ in edits)), doubts)


def lines_of(text: str) -> list[str]:
    """A text's lines with their ends, as Python counts them: a form feed, or a line separator in a
    text, ends none.
    """
    return _LINE.findall(text)


def _edited(text: str, edits: Sequence[tuple[Site, str]]) -> str:
    lines = [line.encode() for line in lines_of(text)]
    # from the end, so that what stands before keeps its place
    for site, source in sorted(edits, key=lambda one: (one[0].line, one[0].start), reverse=True):
        first, last = site.line - 1, site.last_line - 1
        before, after = lines[first][: site.start], lines[last][site.end :]
        lines[first : last + 1] = [before + source.encode() + after]
    return b"".join(lines).decode()


def difference(old: str, new: str, name: str) -> str:
    """The difference of two texts, as programs show it.

    Args:
        old: the one before.
        new: the other.
        name: of the file.
    """
    lines = difflib.unified_diff(
        old.splitlines(keepends=True), new.splitlines(keepends=True), name, f"{name}, mended", n=2
    )
    return "".join(lines)
