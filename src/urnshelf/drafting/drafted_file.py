"""The drafted file: fixtures for what tests share, and a function for each test."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from contextlib import suppress
from typing import Any

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.draft_spelling import SESSION_MAKER, DraftSpelling
from urnshelf.drafting.naming import is_free
from urnshelf.drafting.over_http import route_names
from urnshelf.drafting.searching import Search
from urnshelf.drafting.settling import Settled, among
from urnshelf.drafting.shared_lines import Shared, made_by
from urnshelf.drafting.text_of_a_test import OneTest, Written, distinguished
from urnshelf.kiosk import Route
from urnshelf.kiosks import Kiosk
from urnshelf.records.spelling import NotWritten

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
        self.spelling = DraftSpelling()
        self._names: Counter[str] = Counter()
        self._fixtures: dict[str, list[str]] = {}
        self._routes: dict[str, Asked] = {}

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
        helpers = self._helpers("\n".join(line for one in (*fixtures, *bodies) for line in one))
        blocks = ["\n".join(one) for one in (*helpers, *fixtures, *bodies)]
        used = set(re.findall(r"\w+", "\n".join(blocks)))
        head = [f'"""{heading}"""', "", *self.spelling.import_lines(used)]
        return "\n".join(head) + "\n\n\n" + "\n\n\n".join(blocks) + "\n"

    def _helpers(self, body: str) -> list[list[str]]:
        """The functions of its own that a file calls."""
        found: list[list[str]] = []
        if "_items_of(" in body:
            self.spelling.imports["collections.abc", "AsyncIterator"] = None
            self.spelling.imports["typing", "Any"] = None
            found.append(_COLLECTING)
        if f"{SESSION_MAKER}(" in body:
            self.spelling.modules["requests"] = None
            self.spelling.named(Kiosk)
            found.append(_MOUNTING)
        return found

    def name(self, wanted: str) -> str:
        """A name of a test that no other has."""
        self._names[wanted] += 1
        count = self._names[wanted]
        return wanted if count == 1 else f"{wanted}_{count}"

    def route(self, asked: Asked, taken: Collection[str]) -> str:
        """How all tests call a route.

        Args:
            asked: the route.
            taken: other names of the test.
        """
        method, _, path = asked.method.partition(" ")
        for name in route_names(method, path):
            if (
                name not in taken
                and is_free(name)
                and self._routes.setdefault(name, asked) == asked
            ):
                return name
        raise AssertionError  # there is no end of names

    def known(self, form: Any) -> str:
        """The project's fixture for a dependency; empty where there is none."""
        return self._known.get(str(getattr(form, "__name__", "")), "")

    # --- what tests share -------------------------------------------------------------------------

    def _with_fixtures(self, tests: list[Written]) -> list[Written]:
        """First lines that several tests repeat become fixtures."""
        counted: Counter[str] = Counter(
            line for test in tests for line in dict.fromkeys(test.arrange)
        )
        shared: dict[str, Shared] = {}
        for line, count in counted.items():
            found = made_by(line) if count >= _SHARED else None
            names = {one.name for one in shared.values()}
            # what is given something that is the test's own is its own, too
            if found is not None and found.name not in names and names.issuperset(found.needs):
                shared[line] = found
        return [self._sharing(test, shared) for test in tests]

    def _sharing(self, test: Written, shared: Mapping[str, Shared]) -> Written:
        """A test without the lines that fixtures have."""
        own = [line for line in test.arrange if line not in shared]
        words = set(re.findall(r"\w+", "\n".join([*own, *test.act, *test.check])))
        parameters = list(test.parameters)
        for line in test.arrange:
            if line in shared:
                found = shared[line]
                self._fixture(found, shared)
                if found.name in words:
                    parameters.append(f"{found.name}: {found.type}")
        return test._replace(parameters=parameters, arrange=own)

    def _fixture(self, made: Shared, shared: Mapping[str, Shared]) -> None:
        if made.name in self._fixtures:
            return
        types = {one.name: one.type for one in shared.values()}
        needs = [f"{name}: {types[name]}" for name in made.needs]
        if made.code.startswith("shelf."):
            needs = [f"shelf: {self.spelling.ours('Shelf')}", *needs]
        if made.type in _OURS:
            self.spelling.named(_OURS[made.type])
        decorator = f"@{self.spelling.pytest('fixture')}"
        head = f"def {made.name}({', '.join(needs)}) -> {made.type}:"
        self._fixtures[made.name] = [decorator, head, f"    return {made.code}"]


_OURS = {"Kiosk": Kiosk, "Route": Route}
_COLLECTING = [
    "async def _items_of(stream: AsyncIterator[Any]) -> list[Any]:",
    "    return [item async for item in stream]",
]
_MOUNTING = [
    f"def {SESSION_MAKER}(kiosk: Kiosk) -> requests.Session:",
    "    session = requests.Session()",
    '    session.mount("http://", kiosk.for_requests())',
    '    session.mount("https://", kiosk.for_requests())',
    "    return session",
]


def _function_text(test: Written) -> list[str]:
    parameters = ", ".join(dict.fromkeys(test.parameters))
    blocks = [test.arrange, test.act, test.check]
    text: list[str] = []
    for block in blocks:
        if block:
            text += [*([""] if text else []), *[f"    {line}" for line in block]]
    return [f"def {test.name}({parameters}) -> None:", *(text or ["    pass"])]
