"""A run over real adaptors: what `real_adaptors` in conftest.py makes stands behind the fakes of
its interfaces, and what cannot be carried over is skipped, with the reason.
"""

from __future__ import annotations

from collections.abc import Callable, Generator, Mapping
from contextlib import ExitStack
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest

from urnshelf.calls.wording import plural
from urnshelf.errors import OverFakesOnly, UrnShelfError
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.shelf import Shelf
from urnshelf.twins.fresh import Real
from urnshelf.twins.real_store import RealStore

NAME = "real_adaptors"
_TOLD = "urnshelf_real"
"""The name of a property of reports: over what a test ran."""
_OPENED = pytest.StashKey[ExitStack]()
_SHELF = pytest.StashKey[Shelf]()
_SHOWN = 8


class RealRun:
    """A plugin that is there only where a run is over real adaptors.

    Args:
        may_be_filled: whether their stores may hold something from the start.
    """

    def __init__(self, may_be_filled: bool) -> None:
        self._may_be_filled = may_be_filled
        self._over_real = 0
        self._over_fakes: dict[str, int] = {}
        self._others = 0

    def stand_behind(self, shelf: Shelf, item: pytest.Item) -> None:
        """Put the real ones behind the fakes of a test's shelf."""
        told = _adaptors_for(item)
        if not told:
            return
        item.stash[_OPENED] = ExitStack()
        try:
            objects = self._made(told, item.stash[_OPENED])
            RealStore(objects, self._may_be_filled).stand_behind(shelf)
        except UrnShelfError as why:
            pytest.fail(f"--urnshelf-real: {why}", pytrace=False)
        item.stash[_SHELF] = shelf

    def _made(self, told: Mapping[Any, Any], stack: ExitStack) -> dict[Any, Any]:
        found: dict[Any, Any] = {}
        for forms, make in told.items():
            several = forms if isinstance(forms, tuple) else (forms,)
            real = Real(make, [interface_of(one) for one in several], f"{NAME}[…]")
            made = real.made_now(stack)
            found |= dict(zip(several, made, strict=True))
        return found

    @pytest.hookimpl(trylast=True)
    def pytest_runtest_teardown(self, item: pytest.Item) -> None:
        """Leave the real ones."""
        opened = item.stash.get(_OPENED, None)
        if opened is not None:
            opened.close()

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_makereport(
        self, item: pytest.Item, call: pytest.CallInfo[None]
    ) -> Generator[None, Any, Any]:
        """What cannot run over real ones is skipped."""
        report = yield
        raised = None if call.excinfo is None else call.excinfo.value
        shelf = item.stash.get(_SHELF, None)
        if call.when == "call" and shelf is not None and shelf._fakes.are_over_real:
            report.user_properties = [*report.user_properties, (_TOLD, "real")]
        if isinstance(raised, OverFakesOnly):
            report.outcome = "skipped"
            path, line, _ = item.location
            reason = f"runs only over fakes: {raised}"
            report.longrepr = (str(path), (line or 0) + 1, reason)
            report.user_properties = [*report.user_properties, (_TOLD, str(raised))]
        return report

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """Count; also in a run of several processes."""
        over = dict(report.user_properties).get(_TOLD)
        is_over = report.when == "call" or (report.when == "setup" and not report.passed)
        if not is_over:
            return
        if over == "real":
            self._over_real += 1
        elif over is None:
            self._others += 1
        else:
            self._over_fakes[str(over)] = self._over_fakes.get(str(over), 0) + 1

    def pytest_terminal_summary(self, terminalreporter: Any) -> None:
        """How many ran over real ones, and why the others did not."""
        write: Callable[[str], None] = terminalreporter.write_line
        skipped = sum(self._over_fakes.values())
        terminalreporter.section("over real adaptors")
        write(
            f"{plural(self._over_real, 'test')} ran over real adaptors, as they do over fakes; "
            f"{skipped} run only over fakes; {self._others} use none of these"
        )
        for why, count in sorted(self._over_fakes.items(), key=lambda one: -one[1])[:_SHOWN]:
            write(f"  {count}  {why}")
        if not self._over_real and not skipped:
            write(
                f"  no test used an interface of {NAME}: is there {NAME} = {{INTERFACE: factory}} "
                "in a conftest.py above the tests?"
            )


def _adaptors_for(item: pytest.Item) -> Mapping[Any, Any]:
    """What the nearest conftest.py says."""
    found: list[tuple[int, Any]] = []
    for plugin in item.config.pluginmanager.get_plugins():
        if not isinstance(plugin, ModuleType) or not hasattr(plugin, NAME):
            continue
        folder = Path(str(plugin.__file__)).parent
        if item.path.is_relative_to(folder):
            found.append((len(folder.parts), getattr(plugin, NAME)))
    told = max(found, key=lambda one: one[0])[1] if found else {}
    if not isinstance(told, Mapping):
        pytest.fail(
            f"{NAME} in conftest.py: give a mapping of interfaces to factories, as "
            f"{NAME} = {{MooringRegister: fresh_register}}",
            pytrace=False,
        )
    return told
