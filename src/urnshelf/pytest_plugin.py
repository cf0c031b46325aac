"""The pytest plugin: the `shelf` fixture, explained assertions, and a section in the report of a
failing test.
"""

from __future__ import annotations

import sys
from collections import deque
from collections.abc import Generator
from contextlib import AbstractContextManager, nullcontext
from types import FrameType
from typing import TYPE_CHECKING, Any
from weakref import ref

import pytest

from urnshelf import running
from urnshelf.errors import UrnShelfError
from urnshelf.plain_imports import PlainImports
from urnshelf.plugin_options import pytest_addoption
from urnshelf.project import of_a_shelf, settings_in
from urnshelf.twin_fixture import pytest_terminal_summary, twin

if TYPE_CHECKING:
    from urnshelf.calls.tally import Tally
    from urnshelf.reporting import Failed
    from urnshelf.shelf import SettingsGiven, Shelf

# everything else of ours is loaded when a test has loaded it: a run in which none uses us is not to
# wait for us

__all__ = ["pytest_addoption", "pytest_terminal_summary", "shelf", "twin"]
_SHELF = pytest.StashKey["Shelf"]()
_PROJECT = pytest.StashKey[dict[str, Any]]()
_OWN = pytest.StashKey["list[Shelf]"]()
"""The shelves of the test's fixtures."""
_REAL = pytest.StashKey[Any]()
"""What a run over real adaptors puts behind fakes."""
_running: list[pytest.Item] = []
"""The test that runs is the last; before it, those that run it in the same process, where tests are
about tests.
"""
_made: deque[ref[Shelf]] = deque(maxlen=8)
"""The shelves that were made last: a test that fails tells of its own."""
_shared: list[Shelf] = []
"""The shelves that several tests share."""
_LINES_AT_ASSERTION = 8
_CHARACTERS_AT_ASSERTION = 600  # pytest cuts what is longer


def pytest_configure(config: pytest.Config) -> None:
    """What pyproject.toml says under `[tool.urnshelf]`, and the marker."""
    ours = PlainImports()
    ours.come_first()
    config.add_cleanup(ours.leave)
    try:
        config.stash[_PROJECT] = settings_in(config.rootpath / "pyproject.toml")
    except UrnShelfError as why:
        raise pytest.UsageError(str(why)) from None
    config.addinivalue_line(
        "markers",
        "urnshelf(**settings): settings of this test's shelf, such as unanswered='empty'; by name, "
        "as Shelf takes them",
    )
    running.seed_for_new_shelf = _seed_of_what_runs
    running.note_new_shelf = _note_made
    running.shelf_of_a_test = _shelf_of_a_test
    told = config.stash[_PROJECT]
    masks_before, running.masks = running.masks, tuple(told.get("masks", ()))
    config.add_cleanup(lambda: setattr(running, "masks", masks_before))
    strict = config.getoption("--urnshelf-strict") or ",".join(told.get("strict", ()))
    is_told = config.getoption("--urnshelf-remarks") or told.get("remarks", False)
    if strict or is_told:
        from urnshelf.remarking import remarking  # few runs do

        config.pluginmanager.register(remarking(_shelves_of, told, strict, is_told))
    if config.getoption("--urnshelf-ledger"):
        from urnshelf.ledgering import Ledgering

        path = config.invocation_params.dir / str(config.getoption("--urnshelf-ledger"))
        is_first = not hasattr(config, "workerinput")
        config.pluginmanager.register(Ledgering(path, _shelves_of, is_first))
    if config.getoption("--urnshelf-real"):
        _run_over_real(config, told)
    scope = told.get("shelf_scope", "function")
    if scope != "function":
        config.pluginmanager.register(_shared_by(scope), "urnshelf_shared")


def _run_over_real(config: pytest.Config, told: dict[str, Any]) -> None:
    if told.get("shelf_scope", "function") != "function":
        raise pytest.UsageError(
            "--urnshelf-real: each test has real ones of its own, so shelf_scope in "
            "[tool.urnshelf] cannot be kept"
        )
    from urnshelf.real_run import RealRun

    config.stash[_REAL] = RealRun(bool(config.getoption("--urnshelf-real-filled")))
    config.pluginmanager.register(config.stash[_REAL])


def _note_made(shelf: Shelf) -> None:
    if _running:
        _made.append(ref(shelf))
        shelf._is_told_by_a_runner = True


def _tell(new: Shelf, names: list[str]) -> None:
    from urnshelf.types.loading import load_type

    try:
        new.tells(*map(load_type, names))
    except UrnShelfError as why:
        raise pytest.UsageError(f"pyproject.toml, [tool.urnshelf] tells: {why}") from None


@pytest.fixture
def shelf() -> Shelf:
    """A fresh shelf for this test, its records drawn from a seed that the test's name decides."""
    # not `request.node`: to ask for `request` takes longer than to make a shelf
    item = _running[-1]
    settings: dict[str, Any] = {}
    if "urnshelf" in item.keywords:
        for mark in reversed(list(item.iter_markers("urnshelf"))):
            settings |= _marked(mark)
    new = item.stash[_SHELF] = _new(item.nodeid, item.config, settings)
    return new


def _new(name: str, config: pytest.Config, settings: dict[str, Any]) -> Shelf:
    """A shelf as the project says, and these settings say besides."""
    from urnshelf.shelf import Shelf

    told = config.stash[_PROJECT]
    new = Shelf(_seed(name, config), **(of_a_shelf(told) | settings if told else settings))
    if told.get("tells"):
        _tell(new, told["tells"])
    if _REAL in config.stash:
        config.stash[_REAL].stand_behind(new, _running[-1])
    return new


def _shelf_of_a_test(settings: SettingsGiven) -> Shelf:
    """That of a test of unittest's."""
    item = _running[-1]
    return _new(item.nodeid, item.config, dict(settings))


def _shared_by(scope: Any) -> object:
    """A plugin with a fixture `shelf` that several tests share."""

    class Shared:
        @pytest.fixture(scope=scope)
        def shelf(self, request: pytest.FixtureRequest) -> Generator[Shelf]:
            """One shelf for all tests of a class, or of a module; each looks at its own calls."""
            new = _new(request.node.nodeid, request.config, {})
            _shared.append(new)
            yield new
            _shared.remove(new)
            new._let_go()

    return Shared()


def _marked(mark: pytest.Mark) -> dict[str, Any]:
    found = ""
    if mark.args:
        found = f"it takes settings by name, and not {mark.args[0]!r}"
    from urnshelf.calls.settings import settings_of

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
    for one in _shared:
        one.forget_calls()
    if item.config.pluginmanager.has_plugin("urnshelf_shared") and "urnshelf" in item.keywords:
        pytest.fail(
            "@pytest.mark.urnshelf: several tests share the shelf, so it cannot have settings for "
            "one of them: say them in [tool.urnshelf], or take shelf_scope out there",
            pytrace=False,
        )


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
    return running.seed_of(name) if asked is None else asked


@pytest.hookimpl(tryfirst=True)
def pytest_pycollect_makeitem(
    collector: pytest.Module | pytest.Class, name: str, obj: object
) -> None:
    """See what tests and test classes declare."""
    if "urnshelf.declarations" in sys.modules:
        from urnshelf.collecting import prepare

        prepare(collector, name, obj)


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
        with _given(item):
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


def _given(item: pytest.Item) -> AbstractContextManager[None]:
    """The time in which a test's function is given what its parameters declare."""
    if "urnshelf.collecting" not in sys.modules:
        return nullcontext()
    from urnshelf.collecting import given

    return given(item)


@pytest.hookimpl(trylast=True)
def pytest_runtest_teardown(item: pytest.Item) -> None:
    """What the tear-down of fixtures calls is looked at, too."""
    _check_out(item.stash.get(_OWN, []))


def _shelves_of(item: pytest.Item) -> list[Shelf]:
    """The shelves of the test's fixtures: ours, those of others, and those inside of others."""
    if "urnshelf.shelf" not in sys.modules:
        return []
    from urnshelf.shelf import Shelf

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
    if call.excinfo is not None:
        _hide_our_lines()
    report = yield
    if report.failed and call.excinfo is not None and "urnshelf.shelf" in sys.modules:
        from urnshelf.reporting import section

        for used in _in_use(item):
            report.sections.append(("urn shelf", section(used, _failed(call.excinfo))))
    if call.when == "teardown":
        if item in _running:
            _running.remove(item)
        item.stash.setdefault(_OWN, []).clear()
        mine = item.stash.get(_SHELF, None)
        if mine is not None:
            mine._let_go()
            del item.stash[_SHELF]  # pytest keeps its items to the end
    return report


@pytest.hookimpl(wrapper=True)
def pytest_make_collect_report(collector: pytest.Collector) -> Generator[None, Any, Any]:
    """The failure of a module that refused something while it was imported, without our lines."""
    report = yield
    call = vars(report).get("call")
    if report.failed and call is not None and isinstance(call.excinfo.value, _ours()):
        _hide_our_lines()
        report.longrepr = collector.repr_failure(call.excinfo)
    return report


def _ours() -> tuple[type[BaseException], ...]:
    errors = sys.modules.get("urnshelf.errors")
    return () if errors is None else (errors.UrnShelfError,)


def _hide_our_lines() -> None:
    """A failing test shows its own lines, not ours; the demo's are those of somebody's service."""
    for name, module in list(sys.modules.items()):
        if name.startswith("urnshelf.") and not name.startswith("urnshelf.demo"):
            vars(module)["__tracebackhide__"] = True


def _failed(raised: pytest.ExceptionInfo[BaseException]) -> Failed:
    from urnshelf.reporting import Failed, is_of_unittest

    is_ours = isinstance(raised.value, pytest.fail.Exception)
    try:
        entry = [one for one in raised.traceback if not is_of_unittest(one.frame.f_globals)][-1]
        return Failed(raised.value, str(entry.statement), entry.frame.f_locals, is_ours)
    except Exception:  # of code that has no file
        return Failed(raised.value, "", {}, is_ours)


def _in_use(item: pytest.Item) -> list[Shelf]:
    """The shelves that a failing test has something to do with."""
    made = [shelf for one in _made if (shelf := one()) is not None and shelf._desk.is_in_use]
    own = item.stash.get(_OWN, None) or _shelves_of(item)
    return list({id(one): one for one in (*own, *made[-2:])}.values())


def pytest_make_parametrize_id(val: object) -> str | None:
    """The name of a test over an edge record is what the record is."""
    edges = sys.modules.get("urnshelf.urn.edges")  # whoever has edges has loaded it
    return None if edges is None else edges.edge_told(val)


def pytest_assertrepr_compare(op: str, left: object, right: object) -> list[str] | None:
    """A few lines at the assertion; the whole text is in the report's section."""
    if "urnshelf.calls.tally" not in sys.modules:
        return None
    from urnshelf.calls.tally import Tally

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
