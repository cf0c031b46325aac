"""The ledger of a run as one page: everything is in the file, so that it needs no network."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.files.whole import unfinished, why
from urnshelf.files.writing import made_folder
from urnshelf.run_ledger import OfTest, ended, words_of


def save_page(tests: list[OfTest], path: Path) -> None:
    """Write the page.

    Args:
        tests: with their calls.
        path: ends in .html.

    Raises:
        FileRefused: another ending, or the file cannot be written.
    """
    if path.suffix != ".html":
        raise FileRefused(f"--page {path.name}: the ending must be .html")
    data = json.dumps([_of_test(one) for one in tests], ensure_ascii=False)
    # nothing in a value may end the script that holds it
    data = data.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")
    text = (Path(__file__).parent / "ledger_page.html").read_text("utf-8")
    made_folder(path)
    try:
        with unfinished() as files:
            files.part(path).write_text(text.replace("/*DATA*/", data), "utf-8", "backslashreplace")
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None


def _of_test(one: OfTest) -> dict[str, Any]:
    calls = [
        {
            "n": call["call"],
            "c": words_of(call),
            "r": ended(call),
            "b": call.get("answered_by", "nobody"),
            "f": call["from"],
            "s": call.get("statement", ""),
            "e": "error" in call,
        }
        for call in one.calls
    ]
    return {
        "t": one.name, "o": one.outcome, "s": one.seeds, "real": one.real, "calls": calls,
    }  # fmt: skip
