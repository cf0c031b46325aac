"""The end of a run: the remarks on its tests, and which of them fail a test."""

from __future__ import annotations

from collections.abc import Callable, Generator, Mapping
from typing import Any

import pytest

from urnshelf.near_names import nearest
from urnshelf.remarks import ADVICE, Limits, Remark, remark_of, remarks_of
from urnshelf.shelf import Shelf

PROPERTY = "urnshelf_remark"
"""The name of the properties in JUnit's XML."""
_SHOWN = 10


def strict_kinds(words: str) -> frozenset[str]:
    """The kinds that fail a test; raises UsageError for a word that is none.

    Args:
        words: separated by commas; `all` for all of them.
    """
    kinds = [word.strip() for word in words.split(",") if word.strip()]
    for kind in kinds:
        if kind not in ADVICE and kind != "all":
            hint = nearest(kind, ["all", *ADVICE], "there are")
            raise pytest.UsageError(f"--urnshelf-strict {kind}: there is no such remark; {hint}")
    return frozenset(ADVICE if "all" in kinds else kinds)


def remarking(
    shelves_of: Callable[[pytest.Item], list[Shelf]],
    told: Mapping[str, Any],
    strict: str,
    is_told: bool,
) -> Remarking:
    """The plugin for a run.

    Args:
        shelves_of: gives the shelves of a test.
        told: the settings of the project.
        strict: the kinds that fail a test, as they were given.
        is_told: whether the run ends with a list of remarks.
    """
    limits = Limits(told.get("most_cued", 8), told.get("most_swapped", 3))
    return Remarking(shelves_of, limits, strict_kinds(strict), is_told)


class Remarking:
    """A plugin that is there only where remarks are wanted.

    Args:
        shelves_of: gives the shelves of a test.
        limits: from how many on there is something to say.
        strict: the kinds that fail a test.
        is_told: whether the run ends with a list of them.
    """

    def __init__(
        self,
        shelves_of: Callable[[pytest.Item], list[Shelf]],
        limits: Limits,
        strict: frozenset[str],
        is_told: bool,
    ) -> None:
        self._shelves_of = shelves_of
        self._limits = limits
        self._strict = strict
        self._is_told = is_told
        self._found: dict[Remark, None] = {}

    @pytest.hookimpl(wrapper=True, trylast=True)
    def pytest_runtest_call(self, item: pytest.Item) -> Generator[None, Any, Any]:
        """Look at a test that has passed."""
        result = yield
        path, line, name = item.location
        test = f"{path}:{(line or 0) + 1}"
        found = [
            remark
            for shelf in self._shelves_of(item)
            for remark in remarks_of(shelf, test, name, self._limits)
        ]
        item.user_properties += [(PROPERTY, str(one)) for one in found]
        bad = [one for one in found if one.kind in self._strict]
        if bad:
            lines = [line for one in bad for line in (f"  {one}", f"      {ADVICE[one.kind]}")]
            pytest.fail("\n".join(["--urnshelf-strict:", *lines]), pytrace=False)
        return result

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        """Gather the remarks, also those of other processes."""
        if report.when == "call":
            for name, value in report.user_properties:
                if name == PROPERTY:
                    self._found[remark_of(str(value))] = None

    def pytest_terminal_summary(self, terminalreporter: Any) -> None:
        """The list, by kind."""
        if not self._is_told:
            return
        terminalreporter.section("urn shelf remarks", sep="-")
        if not self._found:
            terminalreporter.line("nothing to remark on")
        for kind, advice in ADVICE.items():
            some = [one for one in self._found if one.kind == kind]
            if some:
                terminalreporter.line(f"{kind} ({len(some)}): {advice}")
            for one in some[:_SHOWN]:
                terminalreporter.line(f"  {one.place}  {_cut(one.text)}")
            if len(some) > _SHOWN:
                terminalreporter.line(f"  … and {len(some) - _SHOWN} more")


def _cut(text: str) -> str:
    return text if len(text) <= 140 else text[:139] + "…"
