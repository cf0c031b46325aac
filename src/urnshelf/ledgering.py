"""The ledger of a run, written while it runs."""

from __future__ import annotations

from collections.abc import Callable, Generator
from pathlib import Path
from typing import Any

import pytest

from urnshelf.errors import FileRefused
from urnshelf.run_ledger import append, begin
from urnshelf.shelf import Shelf


class Ledgering:
    """A plugin that is there only where the ledger of the run is wanted.

    Args:
        path: of the file.
        shelves_of: gives the shelves of a test.
        is_first: whether this process begins the file.
    """

    def __init__(
        self,
        path: Path,
        shelves_of: Callable[[pytest.Item], list[Shelf]],
        is_first: bool,
    ) -> None:
        self._path = path
        self._shelves_of = shelves_of
        if is_first:
            try:
                begin(path)
            except FileRefused as why:
                raise pytest.UsageError(f"--urnshelf-ledger: {why}") from None

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_makereport(
        self, item: pytest.Item, call: pytest.CallInfo[None]
    ) -> Generator[None, Any, Any]:
        """Add a test as soon as it has ended."""
        report = yield
        if call.when == "call" or (call.when == "setup" and not report.passed):
            append(self._path, item.nodeid, report.outcome, self._shelves_of(item))
        return report
