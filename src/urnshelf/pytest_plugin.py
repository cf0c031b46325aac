"""The pytest plugin: the `shelf` fixture, explained assertions, and a section in the report of a
failing test.
"""

from __future__ import annotations

import re
import sys
from collections import deque
from collections.abc import Generator
from hashlib import blake2b
from pathlib import Path
from types import FrameType
from typing import Any
from weakref import ref

import pytest

import urnshelf.shelf
from urnshelf.calls.settings import settings_of
from urnshelf.calls.tally import Tally
from urnshelf.calls.wording import plural, unknown_attribute, unused_text
from urnshelf.errors import UrnShelfError
from urnshelf.shelf import Shelf

_SHELF = pytest.StashKey[Shelf]()
_PROJECT = pytest.StashKey[dict[str, Any]]()
_OWN = pytest.StashKey[list[Shelf]]()
"""The shelves of the test's fixtures."""
_running: list[pytest.Item] = []
"""The test that runs is the last; before it, those that run it in the same process, where tests are
about tests.
"""
_made: deque[ref[Shelf]] = deque(maxlen=8)
"""The shelves that were made last: a test that fails tells of its own."""
_LINES_AT_ASSERTION = 8
_CHARACTERS_AT_ASSERTION = 600  # pytest cuts what is longer


def pytest_addoption(parser: pytest.Parser) -> None:
    """`--urnshelf-seed N`."""
    group = parser.getgroup("urnshelf")
    group.addoption(
        "--urnshelf-seed",
        type=int,
        metavar="N",
        help="draw all records from this seed, not from the test's name",
    )


def pytest_configure(config: pytest.Config) -> None:
    """What pyproject.toml says under `[tool.urnshelf]`, and the marker."""
    config.stash[_PROJECT] = _told(config.rootpath / "pyproject.toml")
    config.addinivalue_line(
        "markers",
        "urnshelf(**settings): settings of this test's shelf, such as unanswered='empty'; by name, "
        "as Shelf takes them",
    )
    urnshelf.shelf.seed_for_new_shelf = _seed_of_what_runs
    urnshelf.shelf.note_new_shelf = _note_made


def _note_made(shelf: Shelf) -> None:
    if _running:
        _made.append(ref(shelf))
        shelf._is_told_by_a_runner = True


def _told(path: Path) -> dict[str, Any]:
    """The settings of the project: `tells`, and those that a shelf takes."""
    text = path.read_text("utf-8") if path.is_file() else ""
    if "tool.urnshelf" not in text:
        return {}
    import tomllib  # few projects say anything

    table: dict[str, Any] = tomllib.loads(text).get("tool", {}).get("urnshelf", {})
    names = table.get("tells", [])
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise pytest.UsageError(f'{path}: [tool.urnshelf] tells = ["package.module:Interface", …]')
    settings = {name: value for name, value in table.items() if name != "tells"}
    try:
        settings_of(settings, "[tool.urnshelf] ", ("tells",))
    except UrnShelfError as why:
        raise pytest.UsageError(f"{path}: {why}") from None
    return table


def _tell(new: Shelf, names: list[str]) -> None:
    from urnshelf.types.loading import load_type

    try:
        new.tells(*map(load_type, names))
    except UrnShelfError as why:
        raise pytest.UsageError(f"pyproject.toml, [tool.urnshelf] tells: {why}") from None


@pytest.fixture
def shelf() -> Shelf:
    """A fresh shelf for this test, its records drawn from a seed that the test's name decides."""
    item = _running[
        -1
    ]  # not `request.node`: to ask for `request` takes longer than to make a shelf
    told = item.config.stash[_PROJECT]
    settings = {name: value for name, value in told.items() if name != "tells"} if told else {}
    if "urnshelf" in item.keywords:
        for mark in reversed(list(item.iter_markers("urnshelf"))):
            settings |= _marked(mark)
    new = item.stash[_SHELF] = Shelf(_seed(item.nodeid, item.config), **settings)
    if told.get("tells"):
        _tell(new, told["tells"])
    return new


def _marked(mark: pytest.Mark) -> dict[str, Any]:
    found = ""
    if mark.args:
        found = f"it takes settings by name, and not {mark.args[0]!r}"
    try:
        settings_of(mark.kwargs)
    except UrnShelfError as why:
        found = str(why)
    if found:
        pytest.fail(f"@pytest.mark.urnshelf: {found}", pytrace=False)
    return dict(mark.kwargs)


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_setup(item: pytest.Item) -> None:
    """Note which test runs."""
    _running.append(item)
    _made.clear()


def _seed_of_what_runs() -> int:
    """The seed of a shelf that was given none: by the name of the test, or of the fixture that
    several tests share.
    """
    if not _running:
        return 0
    item = _running[-1]
    return _seed(_shared_fixture() or item.nodeid, item.config)


def _shared_fixture() -> str:
    """The fixture that is being made, where several tests share it; empty where there is none.

    It is looked for among the frames: a hook would cost every fixture of every test.
    """
    frame: FrameType | None = sys._getframe(1)
    while frame is not None and frame.f_code.co_name != "pytest_fixture_setup":
        frame = frame.f_back
    made: Any = None if frame is None else frame.f_locals.get("fixturedef")
    if made is None or made.scope == "function":
        return ""
    return f"{made.baseid}::{made.argname}"


def _seed(name: str, config: pytest.Config) -> int:
    asked: int | None = config.getoption("--urnshelf-seed")
    return (
        int.from_bytes(blake2b(name.encode(), digest_size=4).digest()) if asked is None else asked
    )


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call(item: pytest.Item) -> Generator[None, Any, Any]:
    """Leave the shelves at the end of the test itself, so that what they find fails the test and
    not its clean-up.
    """
    own = item.stash[_OWN] = _shelves_of(item)
    made_before = len(_made)
    for one in own:
        one._desk.cues_before = len(one._desk.cues)
    try:
        result = yield
    except BaseException as error:
        for one in own:
            one._desk.check_out(error)
        raise
    finally:
        # those of the test itself are left with it, whether or not it leaves them
        for made in list(_made)[made_before:]:
            if (left := made()) is not None:
                left._undo()
    _check_out(own)
    return result


@pytest.hookimpl(trylast=True)
def pytest_runtest_teardown(item: pytest.Item) -> None:
    """What the tear-down of fixtures calls is looked at, too."""
    _check_out(item.stash.get(_OWN, []))


def _shelves_of(item: pytest.Item) -> list[Shelf]:
    """The shelves of the test's fixtures: ours, those of others, and those inside of others."""
    found = [value for value in getattr(item, "funcargs", {}).values() if isinstance(value, Shelf)]
    inside = [made for one in _made if (made := one()) is not None]
    return list({id(one): one for one in (*found, *inside)}.values())


def _check_out(own: list[Shelf]) -> None:
    found = ""
    for one in own:
        try:
            one._desk.check_out()
        except UrnShelfError as error:
            found = found or str(error)
    if found:
        pytest.fail(found, pytrace=False)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(
    item: pytest.Item, call: pytest.CallInfo[None]
) -> Generator[None, Any, Any]:
    """Tell the seed, the last look at calls, hidden refusals and unused cues in the report of a
    failing test.
    """
    report = yield
    if report.failed and call.excinfo is not None:
        for used in _in_use(item):
            report.sections.append(("urn shelf", section(used, call.excinfo.value)))
    if call.when == "teardown":
        if item in _running:
            _running.remove(item)
        item.stash.setdefault(_OWN, []).clear()
        mine = item.stash.get(_SHELF, None)
        if mine is not None:
            mine._let_go()
            del item.stash[_SHELF]  # pytest keeps its items to the end
    return report


def _in_use(item: pytest.Item) -> list[Shelf]:
    """The shelves that a failing test has something to do with."""
    made = [shelf for one in _made if (shelf := one()) is not None and shelf._desk.is_in_use]
    own = item.stash.get(_OWN, None) or _shelves_of(item)
    return list({id(one): one for one in (*own, *made[-2:])}.values())


def section(used: Shelf, error: BaseException) -> str:
    """What the shelf has to say about a failed test."""
    parts = [f"seed {used.seed} (the same records again: --urnshelf-seed {used.seed})"]
    last = used._desk.last_look
    is_told = last is None or getattr(last, "is_explained", False)
    if isinstance(error, AssertionError) and not is_told and is_about_a_look(error, last):
        parts.append(str(last))
    unknown = unknown_attribute(error)
    if unknown:
        parts.append(unknown)
    hidden = [r for r in used._desk.refusals.noted if r is not error and str(r) not in str(error)]
    if not isinstance(error, pytest.fail.Exception):
        parts += [f"caught by the code under test: {refusal}" for refusal in hidden[:2]]
    undone = used._undone()
    if undone:
        lines = [f"{plural(len(undone), 'store operation')} answered by a cue, and so not done:"]
        lines += [f"  {line}" for line in undone[:5]]
        lines.append(
            "  To do it all the same: .passes_through(), or passing_through among the values"
        )
        parts.append("\n".join(lines))
    unawaited = {call.target: None for call in used._desk.unawaited}
    unawaited_texts = [used._desk.unawaited_text(target).strip() for target in unawaited]
    parts += [text for text in unawaited_texts if text not in str(last)]
    unused = used._desk.own_unused_cues()
    if unused:
        parts.append(unused_text(unused))
    return "\n\n".join(parts)


_LOOKS = re.compile(r"\b(tally|unseen|ledger_of|unused_cues)\b")


def is_about_a_look(error: BaseException, last: object) -> bool:
    """Whether an assertion is about the look at calls that was taken last: its line says so, or it
    has that under a name.
    """
    try:
        entry = pytest.ExceptionInfo.from_exception(error).traceback[-1]
        line = str(entry.statement)
    except Exception:  # of code that has no file
        return True
    if _LOOKS.search(line):
        return True
    names = {name for name, value in entry.frame.f_locals.items() if value is last}
    return any(re.search(rf"\b{re.escape(name)}\b", line) for name in names)


def pytest_assertrepr_compare(op: str, left: object, right: object) -> list[str] | None:
    """A few lines at the assertion; the whole text is in the report's section."""
    if isinstance(left, Tally):
        return _explained(left, op, right)
    if isinstance(right, Tally):
        mirrored = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}
        return _explained(right, mirrored.get(op, op), left)
    return None


def _explained(counted: Tally, op: str, wanted: object) -> list[str]:
    expected = f"{wanted!r}" if op == "==" else f"{op} {wanted!r}"
    lines = [f"expected {expected}, counted {int(counted)} of {counted.what}"]
    lines += counted.explanation.splitlines()[1:]
    if len(lines) <= _LINES_AT_ASSERTION and sum(map(len, lines)) < _CHARACTERS_AT_ASSERTION:
        counted.is_explained = True
    else:
        below = "… more below, under 'urn shelf'" if _is_told_below(counted) else "…"
        lines = [*lines[: _LINES_AT_ASSERTION - 1], below]
    return lines


def _is_told_below(counted: Tally) -> bool:
    """Whether the report will have a section of the shelf whose calls were counted."""
    used = _in_use(_running[-1]) if _running else []
    return any(one._desk.last_look is counted for one in used)
