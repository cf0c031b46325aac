"""The drafted file: fixtures for what tests share, and a function for each test."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Any

from urnshelf.drafting.searching import Search
from urnshelf.drafting.settling import Settled, among
from urnshelf.drafting.spelling import NotWritten, Spelling
from urnshelf.drafting.text_of_a_test import OneTest, Written, distinguished

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_SHARED = 3
"""So many tests that set up the same share it."""
_WIDTH = 88
_VERBS = re.compile(r"^(get|find|do|make|run)_")


class Writing:
    """Writes the tests of one service into one file.

    Args:
        known_fixtures: those of the project for a dependency: the fixture's name, by its type's.
    """

    def __init__(self, known_fixtures: Mapping[str, str]) -> None:
        self._known = known_fixtures
        self.spelling = Spelling()
        self._names: Counter[str] = Counter()
        self._fixtures: dict[str, list[str]] = {}

    def again(self) -> Writing:
        """A writing for other tests of the same file: what they import is found out anew."""
        other = Writing(self._known)
        other.spelling.imports.update(self.spelling.imports)
        other.spelling.modules.update(self.spelling.modules)
        return other

    # --- a file -----------------------------------------------------------------------------------

    def tests(self, search: Search, settled: Sequence[Settled]) -> list[Written]:
        """The tests of one method, but for those that need a value without plain code."""
        together = among(list(settled))
        found: list[Written] = []
        for one in settled:
            with suppress(NotWritten):
                why = distinguished(search, settled, one)
                found.append(OneTest(self, search, one, together, why).written())
        return found

    def text(self, heading: str, tests: Sequence[Written]) -> str:
        """The whole file.

        Args:
            heading: its docstring.
            tests: in order.
        """
        tests = self._with_fixtures(list(tests))
        bodies = [_function_text(one) for one in tests]
        fixtures = list(self._fixtures.values())
        helpers = [_COLLECTING] if any("_items_of(" in line for b in bodies for line in b) else []
        if helpers:
            self.spelling.imports["collections.abc", "AsyncIterator"] = None
            self.spelling.imports["typing", "Any"] = None
        blocks = ["\n".join(one) for one in (*helpers, *fixtures, *bodies)]
        used = set(re.findall(r"\w+", "\n".join(blocks)))
        head = [f'"""{heading}"""', "", *self.spelling.import_lines(used)]
        return "\n".join(head) + "\n\n\n" + "\n\n\n".join(blocks) + "\n"

    def name(self, wanted: str) -> str:
        """A name of a test that no other has."""
        self._names[wanted] += 1
        count = self._names[wanted]
        return wanted if count == 1 else f"{wanted}_{count}"

    def known(self, form: Any) -> str:
        """The project's fixture for a dependency; empty where there is none."""
        return self._known.get(str(getattr(form, "__name__", "")), "")

    # --- what tests share -------------------------------------------------------------------------

    def _with_fixtures(self, tests: list[Written]) -> list[Written]:
        """First lines that several tests repeat become fixtures."""
        counted: Counter[str] = Counter(
            line for test in tests for line in dict.fromkeys(test.arrange)
        )
        shared = {
            line: match
            for line, count in counted.items()
            if count >= _SHARED and (match := _MADE.match(line)) and "#" not in line
        }
        found = []
        for test in tests:
            parameters, arrange = list(test.parameters), list(test.arrange)
            for line, match in shared.items():
                # a service that is given something is the test's own
                if line in arrange:
                    arrange.remove(line)
                    parameters.append(f"{match['name']}: {match['type']}")
                    self._fixture(match["name"], match["type"], match["code"])
            found.append(test._replace(parameters=parameters, arrange=arrange))
        return found

    def _fixture(self, name: str, of: str, code: str) -> None:
        if name not in self._fixtures:
            decorator = f"@{self.spelling.pytest('fixture')}"
            shelf = f"shelf: {self.spelling.ours('Shelf')}"
            head = f"def {name}({shelf}) -> {of}:"
            self._fixtures[name] = [decorator, head, f"    return {code}"]


_COLLECTING = [
    "async def _items_of(stream: AsyncIterator[Any]) -> list[Any]:",
    "    return [item async for item in stream]",
]
_MADE = re.compile(
    r"(?P<name>\w+) = (?P<code>shelf\.(?:fake|furnish)\((?P<type>[\w.\[\], ]+?)(?:, \".*\")?\))$"
)


def _function_text(test: Written) -> list[str]:
    parameters = ", ".join(dict.fromkeys(test.parameters))
    blocks = [test.arrange, test.act, test.check]
    text: list[str] = []
    for block in blocks:
        if block:
            text += [*([""] if text else []), *[f"    {line}" for line in block]]
    return [f"def {test.name}({parameters}) -> None:", *(text or ["    pass"])]
