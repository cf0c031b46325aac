"""A plugin for pytest: which ways of a method the tests of a file take, in a run of its own."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import pytest

from urnshelf.drafting.finding_services import service_of
from urnshelf.drafting.service import Service
from urnshelf.types.loading import load_type

TARGET = "URNSHELF_TAKEN"
"""The environment's variable that says what is drafted: `module:Service`, and the method."""
RESULT = "URNSHELF_TAKEN_RESULT"
"""… and where what was taken is written."""


class _Taking:
    """Notes the ways that each test takes."""

    def __init__(self, service: Service, stack: ExitStack, path: Path) -> None:
        self._service = service
        self._stack = stack
        self._path = path
        self._taken: list[list[tuple[int, Any]]] = []

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_call(self) -> Iterator[None]:
        notes = self._service.scope.notes
        notes.clear()
        try:
            return (yield)
        finally:
            self._taken.append([(way.site, way.outcome) for way in notes.ways])

    def pytest_sessionfinish(self) -> None:
        self._stack.close()
        self._path.write_text(json.dumps(self._taken), "utf-8")


def pytest_configure(config: pytest.Config) -> None:
    """Begin to note."""
    where, _, name = os.environ[TARGET].partition(" ")
    service = service_of(load_type(where), name, {})
    stack = ExitStack()
    stack.enter_context(service.scope.watched())
    config.pluginmanager.register(_Taking(service, stack, Path(os.environ[RESULT])))
