"""The pytest plugin: the `shelf` fixture, explained assertions, and a section in the report of a
failing test.
"""

from __future__ import annotations

from collections.abc import Generator
from hashlib import blake2b
from pathlib import Path
from typing import Any

import pytest

from urnshelf.calls.tally import Tally
from urnshelf.calls.wording import plural, unknown_attribute
from urnshelf.errors import UrnShelfError
from urnshelf.shelf import Shelf

_SHELF = pytest.StashKey[Shelf]()
_TELLS = pytest.StashKey[list[str]]()
_running: list[pytest.Item] = []
"""The test that runs is the last; before it, those that run it in the same process, where tests are
about tests.
"""
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
    """What pyproject.toml says under `[tool.urnshelf]`."""
    config.stash[_TELLS] = _told(config.rootpath / "pyproject.toml")


def _told(path: Path) -> list[str]:
    """The interfaces that only tell, as they are written."""
    text = path.read_text("utf-8") if path.is_file() else ""
    if "tool.urnshelf" not in text:
        return []
    import tomllib  # few projects say anything

    table = tomllib.loads(text).get("tool", {}).get("urnshelf", {})
    unknown = sorted(table.keys() - {"tells"})
    names = table.get("tells", [])
    if unknown:
        raise pytest.UsageError(f"{path}: [tool.urnshelf] has no {unknown[0]!r}; it has 'tells'")
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise pytest.UsageError(f'{path}: [tool.urnshelf] tells = ["package.module:Interface", …]')
    return names


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
    new = item.stash[_SHELF] = Shelf(seed=_seed(item.nodeid, item.config))
    if item.config.stash[_TELLS]:
        _tell(new, item.config.stash[_TELLS])
    return new


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_setup(item: pytest.Item) -> None:
    """Note which test runs."""
    _running.append(item)


def _seed(nodeid: str, config: pytest.Config) -> int:
    asked: int | None = config.getoption("--urnshelf-seed")
    return (
        int.from_bytes(blake2b(nodeid.encode(), digest_size=4).digest()) if asked is None else asked
    )


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call(item: pytest.Item) -> Generator[None, Any, Any]:
    """Leave the shelf at the end of the test itself, so that what it finds fails the test and not
    its clean-up.
    """
    result = yield
    used = item.stash.get(_SHELF, None)
    if used is not None:
        _close(used)
    return result


def _close(used: Shelf) -> None:
    found = ""
    try:
        used.close()
    except UrnShelfError as error:
        found = str(error)
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
    used = item.stash.get(_SHELF, None)
    if used is not None and report.failed and call.excinfo is not None:
        report.sections.append(("urn shelf", section(used, call.excinfo.value)))
    if call.when == "teardown":
        if item in _running:
            _running.remove(item)
        if used is not None:
            used._let_go()
            del item.stash[_SHELF]  # pytest keeps its items to the end
    return report


def section(used: Shelf, error: BaseException) -> str:
    """What the shelf has to say about a failed test."""
    parts = [f"seed {used.seed} (the same records again: --urnshelf-seed {used.seed})"]
    last = used._desk.last_look
    if (
        isinstance(error, AssertionError)
        and last is not None
        and not getattr(last, "is_explained", False)
    ):
        parts.append(str(last))
    unknown = unknown_attribute(error)
    if unknown:
        parts.append(unknown)
    hidden = [r for r in used._desk.refusals if r is not error and str(r) not in str(error)]
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
    unused = used.unused_cues()
    if unused:
        lines = [f"{plural(len(unused), 'cue')} never used:"]
        for cue in unused[:5]:
            hider = cue.hidden_by
            lines += [f"  {cue}", f"      set at {cue.place}"]
            lines += [f"      hidden by {hider}", f"      set at {hider.place}"] if hider else []
        parts.append("\n".join(lines))
    return "\n\n".join(parts)


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
        lines = [*lines[: _LINES_AT_ASSERTION - 1], "… more below, under 'urn shelf'"]
    return lines
