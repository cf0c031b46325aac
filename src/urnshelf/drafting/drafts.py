"""Drafting tests: from a service's method to a file of tests, and what is to be said of it."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.drafted_file import Writing
from urnshelf.drafting.finding_services import public_methods, service_of
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.planting import Planted, Planting
from urnshelf.drafting.remarks_on_drafts import (
    Finding,
    Met,
    deciding_replies,
    decisions_met,
    doubts,
    findings,
    raise_if_nothing,
    stopped_texts,
    taken,
    with_notes,
)
from urnshelf.drafting.searching import Search
from urnshelf.drafting.service import Service
from urnshelf.drafting.settling import Settled, Settling
from urnshelf.drafting.text_of_a_test import Written
from urnshelf.drafting.trial import kind_of
from urnshelf.drafting.values import NO_CODE, Raised, as_told
from urnshelf.errors import DraftRefused
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.records.layout import laid_out

Progress = Callable[[str, int, int, int], None]
"""Is told the method, how many ways were taken, of how many, and the number of runs."""


class Drafts:
    """What was drafted: all tests, or some of them.

    Args:
        lot: all that was found.
        tests: those that are left.
    """

    def __init__(self, lot: _Lot, tests: Sequence[Written]) -> None:
        self._lot = lot
        self._tests = tuple(tests)
        self.paths = tuple(taken(one, self._tests) for one in lot.met)
        """The decisions, with the tests that take each way."""
        self.unreached = tuple(
            met.otherwise[way]
            for met, path in zip(lot.met, self.paths, strict=True)
            for way, names in path.takers.items()
            if not names
        )
        """The ways that no test takes."""
        self.findings = tuple(lot.findings)
        """Crashes that no code raises on purpose."""
        self.deciding_replies = tuple(deciding_replies(self._tests))
        """Defaults that decided something."""
        self.doubts = tuple(lot.doubts)
        """What else is to be looked at."""
        self.stopped = tuple(lot.stopped)
        """What the code would have done outside."""
        self.planted = tuple(lot.planted)
        """The bugs that were planted, and what became of them."""
        self.runs = lot.runs
        """How often the code was run."""
        self.labels = tuple(lot.labels)
        """What was drafted, each as `MooringDesk.moor`."""

    @property
    def ways(self) -> tuple[int, int]:
        """How many ways are taken, and of how many."""
        of = sum(len(path.takers) for path in self.paths)
        return of - len(self.unreached), of

    @property
    def tests(self) -> tuple[str, ...]:
        """The names of the tests, in order."""
        return tuple(one.name for one in self._tests)

    def only(self, names: Collection[str]) -> Drafts:
        """The same with these tests alone: what they do not take is told as open.

        Args:
            names: of the tests.
        """
        return Drafts(self._lot, [one for one in self._tests if one.name in names])

    @property
    def text(self) -> str:
        """The file."""
        return self._lot.text(self)

    def missing(self, taken: Mapping[str, Sequence[Collection[Any]]]) -> list[str]:
        """The tests whose paths no other test takes yet.

        Args:
            taken: by what is drafted, the ways that each test of a file takes, as numbers of
                decisions and outcomes.
        """
        return [
            one.name
            for one in self._tests
            if not any(_is_taken(one.settled, set(ways)) for ways in taken.get(one.of, ()))
        ]

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
        runs: how often the search may run the code for each method; to make tests small, and
            certain, takes some more.
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
    refused: list[DraftRefused] = []
    methods = _methods(thing, names)
    for cls, name in methods:
        try:
            service = service_of(cls or thing, name, given or {})
            told = _told_replies(service, replies or {})
            guard = Guard(service.is_own, service.scope.modules, allow_side_effects)
            search = Search(service, runs, seed, guard, _for(service, progress), told)
            lot.add(search, plant_bugs)
        except DraftRefused as why:
            refused.append(why)
    if refused and not lot.tests:
        raise refused[0]
    lot.doubts += [str(why) for why in refused]  # of one method; the others have their tests
    return Drafts(lot, lot.tests)


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
            kind = kind_of(interface_of(fake.form).members[name])
            found[Asked(fake.form, fake.name, name, kind)] = _as_replies(method, kind, values)
    return found


def _as_replies(method: Any, kind: str, values: Sequence[Any]) -> tuple[Any, ...]:
    """Replies as an arrangement holds them; those of a stream are its items."""
    told = [
        Raised(type(one), one.args) if isinstance(one, BaseException) else as_told(one)
        for one in values
    ]
    if NO_CODE in told:
        wrong = values[told.index(NO_CODE)]
        raise DraftRefused(
            f"replies={{{show(method, 60)}: …}}: no code can be written for {show(wrong, 60)}; "
            "give plain values, records or exceptions"
        )
    return (told,) if kind == "streams" else tuple(told)


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
        self.met: list[Met] = []
        self.findings: list[Finding] = []
        self.doubts: list[str] = []
        self.stopped: list[str] = []
        self.planted: list[Planted] = []
        self.labels: list[str] = []
        self.runs = 0
        self._width = width
        self._writing = Writing(fixtures)

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
                tests = self._writing.tests(search, [with_notes(search, one) for one in settled])
                self._say(search, settling, tests)
                self.planted += planted
        finally:
            service.close()
            if was_enabled:
                gc.enable()

    def _say(self, search: Search, settling: Settling, tests: list[Written]) -> None:
        self.runs += search.trials.count
        if not tests:
            raise_if_nothing(search, settling)
        self.labels.append(search.service.label)
        self.tests += tests
        self.met += decisions_met(search)
        self.stopped += stopped_texts(search)
        self.findings += findings(search)
        self.doubts += doubts(search, settling)

    def text(self, drafts: Drafts) -> str:
        """The file with the tests that are left."""
        tests = [one for one in self.tests if one.name in drafts.tests]
        return laid_out(self._writing.again().text(self._heading(drafts), tests), self._width)

    def _heading(self, drafts: Drafts) -> str:
        """What the file says of itself."""
        lines = [
            f"Tests of {', '.join(self.labels)}, drafted: what the code does today, bugs included."
        ]
        parts: list[tuple[str, Sequence[object]]] = [
            ("Ways that no test takes:", drafts.unreached),
            ("Crashes that no code raises on purpose, and no test asserts:", drafts.findings),
            ("Replies left to a default, which decide something:", drafts.deciding_replies),
            ("To be looked at:", drafts.doubts),
            ("What the code would have done outside, and was kept from:", drafts.stopped),
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
