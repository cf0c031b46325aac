"""A plugin for pytest: a test file whose assertions are observed, in a run of its own."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Sequence
from importlib.abc import Loader, MetaPathFinder
from importlib.machinery import ModuleSpec, PathFinder
from importlib.util import decode_source, spec_from_loader
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest

from urnshelf.drafting.observing import Observed

TARGET = "URNSHELF_OBSERVED"
"""The environment's variable that names the file."""
RESULT = "URNSHELF_OBSERVED_RESULT"
"""… and where what was seen is written."""


class _Finder(MetaPathFinder, Loader):
    """Imports the one file observed; all others are imported as ever."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self.observed: Observed | None = None

    def find_spec(
        self, name: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        if name.rpartition(".")[2] != self._path.stem:
            return None
        found = PathFinder.find_spec(name, path, target)
        if found is None or found.origin is None or Path(found.origin).resolve() != self._path:
            return None
        return spec_from_loader(name, self, origin=found.origin)

    def create_module(self, spec: ModuleSpec) -> ModuleType | None:  # noqa: ARG002
        return None

    def exec_module(self, module: ModuleType) -> None:
        module.__file__ = str(self._path)
        text = decode_source(self._path.read_bytes())
        self.observed = Observed(text, str(self._path))
        exec(self.observed.code, self.observed.names(vars(module)))


class _Watching:
    """Notes which tests failed, and writes all of it at the end."""

    def __init__(self, finder: _Finder, path: Path) -> None:
        self._finder = finder
        self._path = path
        self._failed: list[tuple[str, str, int, str]] = []
        self._ran = 0

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self._ran += report.when == "call"
        if report.failed:
            told = getattr(report.longrepr, "reprcrash", None)
            name = report.nodeid.partition("::")[2].partition("[")[0]
            why = (told.message if told else str(report.longrepr)).partition("\n")[0]
            path, line = (told.path, told.lineno) if told else ("", 0)
            self._failed.append((name, path, line, why))

    def pytest_collectreport(self, report: pytest.CollectReport) -> None:
        if report.failed:
            self._failed.append(("", "", 0, str(report.longrepr).strip().rpartition("\n")[2]))

    def pytest_sessionfinish(self) -> None:
        observed = self._finder.observed
        data: dict[str, Any] = {"failed": self._failed, "ran": self._ran, "sites": [], "seen": []}
        if observed is not None:
            data |= {"sites": observed.sites, "seen": observed.seen}
        self._path.write_text(json.dumps(data), "utf-8")


def pytest_configure(config: pytest.Config) -> None:
    """Begin to observe."""
    finder = _Finder(Path(os.environ[TARGET]))
    sys.meta_path.insert(0, finder)
    config.pluginmanager.register(_Watching(finder, Path(os.environ[RESULT])))
