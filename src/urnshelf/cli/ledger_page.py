"""The ledger of a run as one page."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.whole import unfinished, why
from urnshelf.files.writing import made_folder
from urnshelf.pages.page import Group, Page, rendered
from urnshelf.run_ledger import OfTest, ended, words_of

_SIGNS = {"passed": "✓", "failed": "✗"}


def save_page(tests: list[OfTest], path: Path) -> None:
    """Write the page.

    Args:
        tests: with their calls.
        path: ends in .html.

    Raises:
        FileRefused: another ending, or the file cannot be written.
        SettingRefused: Jinja2 is not installed.
    """
    if path.suffix != ".html":
        raise FileRefused(f"--page {path.name}: the ending must be .html")
    groups = [_group(one) for one in tests]
    entries = [_entry(call, n) for n, one in enumerate(tests) for call in one.calls]
    page = Page("the ledger of a run", "test", "call", groups, entries)
    text = rendered(page)
    made_folder(path)
    try:
        with unfinished() as files:
            files.part(path, is_private=True).write_text(text, "utf-8", "backslashreplace")
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None


def _group(one: OfTest) -> Group:
    seeds = [f"seed {', '.join(map(str, one.seeds))}"] if one.seeds else []
    sign = _SIGNS.get(one.outcome, "–")
    return Group(one.name, sign, one.outcome, notes=(*seeds, *one.real))


def _entry(call: dict[str, Any], group: int) -> dict[str, Any]:
    by = call.get("answered_by", "nobody")
    arguments = [
        {"name": name, "wanted": "", "came": value, "fits": True}
        for name, value in call["arguments"].items()
    ]
    parts = [
        {"title": "how it ended", "text": ended(call)},
        {"title": "statement", "text": call.get("statement", "")},
    ]
    return {
        "n": call["call"],
        "g": group,
        "w": words_of(call),
        "r": ended(call),
        "b": by,
        "f": call["from"],
        "s": call.get("statement", ""),
        "e": "error" in call,
        "d": {
            "title": f"{call['method']}, answered by {by}",
            "where": f"called from {call['from']}",
            "conditions": arguments,
            "parts": parts,
            "copy": [],
        },
    }
