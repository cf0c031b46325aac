"""Drafting tests: from a service's method to a file of tests, and what is to be said of it."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from urnshelf.drafting.appending import added
from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.drafted_file import Writing
from urnshelf.drafting.drafted_test import Written
from urnshelf.drafting.finding_services import public_methods, service_of
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.layout import laid_out
from urnshelf.drafting.planting import Planted, Planting
from urnshelf.drafting.remarks_on_drafts import (
    DecidingReply,
    Finding,
    Taken,
    Unreached,
    deciding_replies,
    doubts,
    findings,
    paths,
    raise_if_nothing,
    stopped_texts,
    unreached,
    with_notes,
)
from urnshelf.drafting.searching import Search
from urnshelf.drafting.service import Service
from urnshelf.drafting.settling import Settled, Settling
from urnshelf.drafting.values import as_told
from urnshelf.errors import DraftRefused
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.records.display import show

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Progress = Callable[[str, int, int, int], None]
"""Is told the method, how many ways were taken, of how many, and the number of runs."""


class Drafts:
    """What was drafted.

    Args:
        text: of a file of tests.
        unreached: the ways that no test takes.
        findings: crashes that no code raises on purpose.
        deciding_replies: defaults that decided something.
        doubts: what else is to be looked at.
        stopped: what the code would have done outside.
        paths: the decisions, with the tests that take each way.
        planted: the bugs that were planted, and what became of them.
        runs: how often the code was run.
    """

    def __init__(self, lot: _Lot) -> None:
        self._lot = lot
        self.unreached = tuple(lot.unreached)
        self.findings = tuple(lot.findings)
        self.deciding_replies = tuple(lot.deciding)
        self.doubts = tuple(lot.doubts)
        self.stopped = tuple(lot.stopped)
        self.paths = tuple(lot.paths)
        self.planted = tuple(lot.planted)
        self.runs = lot.runs
        self.ways = lot.ways
        """How many ways were taken, and of how many."""

    @property
    def tests(self) -> tuple[str, ...]:
        """The names of the tests, in order."""
        return tuple(one.name for one in self._lot.tests)

    @property
    def text(self) -> str:
        """The file."""
        return self.text_of(self.tests)

    def text_of(self, names: Collection[str]) -> str:
        """The file with these tests alone.

        Args:
            names: of the tests.
        """
        return self._lot.text([one for one in self._lot.tests if one.name in names])

    def missing(self, taken: Mapping[str, Sequence[Collection[Any]]]) -> list[str]:
        """The tests whose paths no other test takes yet.

        Args:
            taken: by what is drafted, the ways that each test of a file takes, as numbers of
                decisions and outcomes.
        """
        return [
            one.name
            for one in self._lot.tests
            if not any(_is_taken(one.settled, set(ways)) for ways in taken.get(one.of, ()))
        ]

    @property
    def labels(self) -> tuple[str, ...]:
        """What was drafted, each as `MooringDesk.moor`."""
        return tuple(self._lot.labels)

    def added_to(self, text: str, names: Collection[str]) -> str:
        """A file with these tests after its own.

        Args:
            text: the file's.
            names: of the tests.
        """
        return added(text, self.text_of(names))

    def __repr__(self) -> str:
        taken, of = self.ways
        return f"<drafts: {len(self.tests)} tests, {taken} of {of} ways taken>"


def draft(
    thing: Any,
    *names: str,
    given: Mapping[str, Any] | None = None,
    replies: Mapping[Any, Sequence[Any]] | None = None,
    runs: int = 5000,
    seed: int = 0,
    allow_side_effects: bool = False,
    plant_bugs: int = 0,
    fixtures: Mapping[str, str] | None = None,
    width: int = 88,
    progress: Progress | None = None,
) -> Drafts:
    """Draft tests for every path of a service's methods, or of a function: what the code does
    today, bugs included.

    Args:
        thing: a class, for all its public methods; one method, as `MooringDesk.moor`; a function.
        names: of a class only these methods.
        given: for parameters of the constructor or the method an object, or an interface of which
            they get the fake.
        replies: for methods of interfaces, as `TideService.depth_at`, what they give in turn.
        runs: how often the code may be run for each method.
        seed: of what is left to chance; the same seed and runs draft the same tests.
        allow_side_effects: whether files may be written, connections opened and processes started.
        plant_bugs: so many bugs are planted in the code, to see which of them the tests notice; and
            tests added for those that they do not.
        fixtures: the project's fixture for a dependency, by the name of its type.
        width: the longest line of the file.
        progress: is told the method, the ways taken so far, all that are known, and the runs.

    Raises:
        DraftRefused: no such method, a parameter of which nobody can tell what it is given, code
            that cannot be read, or that never ends.

    >>> from urnshelf.demo.harbour.lookout import may_sail
    >>> drafts = draft(may_sail)
    >>> drafts
    <drafts: 2 tests, 2 of 2 ways taken>
    >>> drafts.tests[0]
    'test_may_sail_gives_true_when_depth_and_settings_margin_m_at_least'
    """
    lot = _Lot(fixtures or {}, width)
    for cls, name in _methods(thing, names):
        service = service_of(cls or thing, name, given or {})
        told = _told_replies(service, replies or {})
        lot.label(service)
        guard = Guard(service.is_own, service.scope.modules, allow_side_effects)
        search = Search(service, runs, seed, guard, _for(service, progress), told)
        lot.add(search, plant_bugs)
    return Drafts(lot)


def _is_taken(settled: Settled, ways: set[Any]) -> bool:
    """Whether a test of another takes the ways for which this one is there."""
    wanted = settled.ways or settled.trial.ways
    return {(way.site, way.outcome) for way in wanted} <= ways


def _for(service: Service, progress: Progress | None) -> Callable[[int, int, int], None]:
    if progress is None:
        return lambda *_: None
    return lambda taken, of, runs: progress(service.label, taken, of, runs)


def _methods(thing: Any, names: Sequence[str]) -> list[tuple[type | None, str]]:
    if isinstance(thing, type):
        return [(thing, name) for name in names or public_methods(thing)]
    holder = _class_of(thing)
    return [(holder, thing.__name__)] if holder is not None else [(None, "")]


def _class_of(function: Any) -> type | None:
    """The class in whose body a function stands."""
    name = getattr(function, "__qualname__", "")
    module = sys.modules.get(getattr(function, "__module__", "") or "")
    found: Any = module
    for part in name.split(".")[:-1]:
        found = getattr(found, part, None)
    return found if isinstance(found, type) else None


def _told_replies(
    service: Service, replies: Mapping[Any, Sequence[Any]]
) -> dict[Asked, tuple[Any, ...]]:
    """The replies that were told, by the method of the fake that is meant."""
    found: dict[Asked, tuple[Any, ...]] = {}
    for method, values in replies.items():
        name = getattr(method, "__name__", "")
        owner = _class_of(method)
        fakes = [one for one in service.fakes.values() if _has(one.form, name, owner)]
        if not fakes:
            known = [f"{one.form.__name__}" for one in service.fakes.values()]
            raise DraftRefused(
                f"replies={{{show(method, 60)}: …}}: no dependency of {service.label} has this "
                f"method; {nearest(name, known)}"
            )
        for fake in fakes:
            asked = Asked(fake.form, fake.name, name)
            found[asked] = tuple(as_told(one) for one in values)
    return found


def _has(form: Any, name: str, owner: type | None) -> bool:
    member = interface_of(form).members.get(name)
    if member is None or owner is None:
        return False
    return member.owner is owner or owner in getattr(form, "__mro__", ())


# --- all that is drafted --------------------------------------------------------------------------


class _Lot:
    """The tests of all methods, and what is to be said of them."""

    def __init__(self, fixtures: Mapping[str, str], width: int) -> None:
        self.tests: list[Written] = []
        self.unreached: list[Unreached] = []
        self.findings: list[Finding] = []
        self.deciding: list[DecidingReply] = []
        self.doubts: list[str] = []
        self.stopped: list[str] = []
        self.paths: list[Taken] = []
        self.planted: list[Planted] = []
        self.runs = 0
        self.ways = (0, 0)
        self._width = width
        self._fixtures = fixtures
        self._writing = Writing(fixtures)
        self.labels: list[str] = []

    def label(self, service: Service) -> None:
        """Note what is drafted."""
        self.labels.append(service.label)

    def add(self, search: Search, bugs: int) -> None:
        """Search, and write the tests of one method."""
        service = search.service
        # the collector would walk through thousands of trials, over and over
        was_enabled = gc.isenabled()
        gc.disable()
        try:
            with service.scope.watched():
                search.run()
                settling = Settling(search)
                settled = settling.settled()
                planted: list[Planted] = []
                if bugs:
                    planting = Planting(search, settled, bugs, settling)
                    planted = planting.planted()
                    settled = planting.settled
                settled = [with_notes(search, one) for one in settled]
                self._say(search, settling, settled, planted)
        finally:
            service.close()
            if was_enabled:
                gc.enable()

    def _say(
        self, search: Search, settling: Settling, settled: list[Settled], planted: list[Planted]
    ) -> None:
        ways = search.all_ways()
        taken = [way for way in ways if way in search.found]
        self.ways = (self.ways[0] + len(taken), self.ways[1] + len(ways))
        self.runs += search.trials.count
        self.stopped += stopped_texts(search)
        if not settled:
            raise_if_nothing(search, settling)
        tests = self._writing.tests(search, settled)
        self.tests += tests
        self.unreached += [unreached(search, way) for way in search.open_ways()]
        self.findings += findings(search)
        self.doubts += doubts(search, settling)
        self.planted += planted
        self.deciding += deciding_replies(settled, [test.name for test in tests])
        self.paths += paths(search, settled, tests)

    def text(self, tests: list[Written]) -> str:
        """The file with some of the tests."""
        writing = self._writing.again()
        return laid_out(writing.text(self._heading(), tests), self._width)

    def _heading(self) -> str:
        """What the file says of itself."""
        lines = [
            f"Tests of {', '.join(self.labels)}, drafted: what the code does today, bugs included."
        ]
        parts: list[tuple[str, Sequence[object]]] = [
            ("Ways that no test takes:", self.unreached),
            ("Crashes that no code raises on purpose, and no test asserts:", self.findings),
            ("Replies left to a default, which decide something:", self.deciding),
            ("To be looked at:", self.doubts),
            ("What the code would have done outside, and was kept from:", self.stopped),
        ]
        for title, items in parts:
            if items:
                lines += ["", title, *[f"* {one}" for one in items]]
        return _as_docstring(lines, self._width)


def _as_docstring(lines: list[str], width: int) -> str:
    from textwrap import wrap

    found: list[str] = []
    for line in lines:
        clean = line.replace("\\", "/").replace('"""', "'''")
        found += wrap(clean, width - 3, subsequent_indent="  " * clean.startswith("*")) or [""]
    return "\n".join([*found, ""]) if len(found) > 1 else found[0]
