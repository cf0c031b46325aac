"""`urnshelf ledger`: the calls of a run, listed, pictured, or as a page."""

from __future__ import annotations

import sys
from pathlib import Path

from rich.cells import cell_len, set_cell_size

from urnshelf.calls.wording import plural
from urnshelf.cli.showing import console
from urnshelf.errors import FileRefused
from urnshelf.run_ledger import OfTest, chosen, ended, read, words_of

_SIGNS = {"passed": "✓", "failed": "✗", "skipped": "–", "served": "·"}


def ledger(
    file: str,
    test: str,
    method: str,
    is_error: bool,
    is_unanswered: bool,
    picture: str | None,
    page: str | None,
) -> int:
    """Show the ledger of a run; the exit code is 1 where the file was cut off.

    Args:
        file: what `pytest --urnshelf-ledger` wrote.
        test: a part of the names of the tests that are wanted.
        method: a part of the methods that are wanted.
        is_error: whether only calls that raised are wanted.
        is_unanswered: whether only calls are wanted that nothing answered.
        picture: a file for the picture of one test's calls.
        page: a file for the page of the run.

    Raises:
        FileRefused: no ledger of a run, or a file that cannot be written.
    """
    found = read(Path(file))
    tests = chosen(found.tests, test, method, is_error, is_unanswered)
    if picture:
        from urnshelf.cli.sequence import save_sequence

        save_sequence(_one(tests, test), Path(picture))
        print(f"{picture}: the calls of {_one(tests, test).name}")
    elif page:
        from urnshelf.cli.ledger_page import save_page

        save_page(tests, Path(page))
        print(f"{page}: {_counted(tests)}")
    else:
        _list(tests)
    if found.cut:
        print(f"urnshelf: {found.cut}", file=sys.stderr)
    return 1 if found.cut else 0


def _one(tests: list[OfTest], wanted: str) -> OfTest:
    """The one test that is pictured."""
    exact = [one for one in tests if one.name == wanted]
    called = exact or [one for one in tests if one.calls]
    if len(called) != 1:
        names = "\n".join(f"  {one.name}" for one in called[:20])
        raise FileRefused(
            f"--picture draws one test, and {len(called)} fit: say which, --test NAME\n{names}"
        )
    return called[0]


def _list(tests: list[OfTest]) -> None:
    """A table of the calls of each test."""
    out = console()
    width = out.width
    # what it answered is the last that is missed, so that goes first where there is little room
    by = max(0, min(36, width - 100))
    gave = max(16, (width - 8 - by) * 2 // 5)
    call = max(20, width - 8 - by - gave - (2 if by else 0))
    for one in tests:
        out.print(
            f"{_SIGNS.get(one.outcome, '?')} {one.name}  {plural(len(one.calls), 'call')}",
            style="bold",
        )
        for line in one.calls:
            cells = [
                f"  #{line['call']}".ljust(7),
                _cell(words_of(line), call),
                _cell(ended(line), gave),
            ]
            if by:
                cells.append(_cell(line.get("answered_by", "nobody"), by))
            style = "red" if "error" in line else None
            out.print(" ".join(cells).rstrip(), style=style, no_wrap=True, overflow="crop")
    out.print(_counted(tests))


def _counted(tests: list[OfTest]) -> str:
    return f"{plural(len(tests), 'test')}, {plural(sum(len(one.calls) for one in tests), 'call')}"


def _cell(text: str, width: int) -> str:
    text = text.replace("\n", " ")
    if cell_len(text) > width:
        return set_cell_size(text, width - 1) + "…"
    return set_cell_size(text, width)
