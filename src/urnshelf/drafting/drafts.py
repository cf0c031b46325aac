"""Drafting tests: from a service's method to a file of tests, and what is to be said of it."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable, Collection, Mapping, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from urnshelf.drafting.appending import added
from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.distances import FAR, distance
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.layout import laid_out
from urnshelf.drafting.planting import Planted, Planting
from urnshelf.drafting.searching import Search
from urnshelf.drafting.service import Service, public_methods, service_of
from urnshelf.drafting.settling import Settled, Settling, deciding
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.values import as_told
from urnshelf.drafting.writing import Writing, Written
from urnshelf.errors import DraftRefused
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.records.display import show

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Progress = Callable[[str, int, int, int], None]
"""Is told the method, how many ways were taken, of how many, and the number of runs."""


class Unreached(NamedTuple):
    """A way that no test takes.

    Args:
        place: file and line.
        condition: as written, and how it should have come out.
        why: what was nearest to it.
    """

    place: str
    condition: str
    why: str

    def __str__(self) -> str:
        return f"{self.place}  {self.condition}; {self.why}"


class Finding(NamedTuple):
    """A crash that no code raises on purpose.

    Args:
        place: file and line.
        error: the exception, with its message.
        arrangement: the lines that make it.
    """

    place: str
    error: str
    arrangement: tuple[str, ...]

    def __str__(self) -> str:
        return f"{self.place}  {self.error}: {'; '.join(self.arrangement)}"


class DecidingReply(NamedTuple):
    """A reply that nobody chose, and that decides which way the code goes.

    Args:
        method: as in the test.
        value: the default.
        condition: what it decides.
        tests: in which tests.
    """

    method: str
    value: str
    condition: str
    tests: tuple[str, ...]

    def __str__(self) -> str:
        more = len(self.tests) - 1
        where = self.tests[0] + (f" and {more} more" if more else "")
        return (
            f"{self.method} gives {self.value}, which decides {self.condition}, in {where}: "
            f"change the cue there, or draft(…, replies={{{self.method}: […]}})"
        )


class Taken(NamedTuple):
    """A decision of the code, and the tests that take each way of it."""

    decision: Decision
    takers: dict[Way, list[str]]


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
    'test_may_sail_gives_true_when_depth_and_settings_margin_m_at_least_vessel'
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
                settled = [_with_notes(search, one) for one in settled]
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
        self.stopped += _stopped_texts(search)
        if not settled:
            raise_if_nothing(search)
        tests = self._writing.tests(search, settled)
        self.tests += tests
        self.unreached += [_unreached(search, way) for way in search.open_ways()]
        self.findings += _findings(search)
        self.doubts += _doubts(search, settling)
        self.planted += planted
        self.deciding += _deciding(settled, [test.name for test in tests])
        self.paths += _paths(search, settled, tests)

    def text(self, tests: list[Written]) -> str:
        """The file with some of the tests."""
        writing = self._writing.again()
        return laid_out(writing.text(self._heading(), tests), self._width)

    def _heading(self) -> str:
        """What the file says of itself."""
        lines = [
            f"Tests of {', '.join(self.labels)}, drafted: what the code does today, bugs "
            "included."
        ]
        parts = [
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


def raise_if_nothing(search: Search) -> None:
    """Say why there is not one test.

    Raises:
        DraftRefused: always.
    """
    label = search.service.label
    if search.never is not None and not search.found:
        lines = "\n".join(_arrange_lines(search, search.never))
        raise DraftRefused(f"{label} never ends, whatever it is given; the first time with\n{lines}")
    if search.stopped:
        raise DraftRefused(
            f"{label} would have reached outside each time, and was kept from it:\n"
            + "\n".join(f"  {one}" for one in _stopped_texts(search))
            + "\nGive it that as a dependency, or allow it: --allow-side-effects, "
            "draft(…, allow_side_effects=True)"
        )
    if search.unanswered:
        asked = next(iter(search.unanswered.values())).asked
        method = f"{getattr(asked.form, '__name__', asked.form)}.{asked.method}"
        raise DraftRefused(
            f"{label} asks {method}, and nobody can tell what it gives: annotate it, or say it: "
            f"draft(…, replies={{{method}: […]}})"
        )
    why = max(search.refused, key=lambda one: search.refused[one], default="")
    raise DraftRefused(f"no test of {label} can be drafted: {why or 'it only crashes'}"[:1500])


# --- what is to be said ---------------------------------------------------------------------------


def place_of(file: str, line: int) -> str:
    """A line of code, without the machine's own folders."""
    return f"{Path(file).name}:{line}"


def _unreached(search: Search, way: Way) -> Unreached:
    decision = search.decisions[way.site]
    place = place_of(decision.file, decision.line)
    return Unreached(place, decision.told(way), _why_unreached(search, decision, way))


def _why_unreached(search: Search, decision: Decision, way: Way) -> str:
    tried = search.met(way.site)
    if not tried:
        return "no run came there"
    if not decision.operator:
        return "no run made it so"
    nearest_one = min(tried, key=lambda one: distance(one, decision, way))
    if distance(nearest_one, decision, way) >= FAR / 1000:
        return "no run made it so"
    one, other = nearest_one.operands[way.site][0]
    return f"the nearest were {show(one, 30)} and {show(other, 30)}"


def _findings(search: Search) -> list[Finding]:
    found: dict[str, Finding] = {}
    for (file, line, _), trial in sorted(search.findings.items(), key=lambda one: one[0]):
        place = place_of(file, line)
        if place not in found:
            small = search.smaller_finding(trial)
            error = f"{type(small.error).__name__}: {small.error}"[:120]
            found[place] = Finding(place, error, tuple(_arrange_lines(search, small)))
    return list(found.values())


def _arrange_lines(search: Search, trial: Trial) -> list[str]:
    """An arrangement, and the act, as code."""
    written = Writing({}).tests(search, [Settled(trial, (), {})])[0]
    lines = [*written.arrange, *written.act]
    return [line.strip() for line in lines if not line.startswith("with ")]


def _doubts(search: Search, settling: Settling) -> list[str]:
    doubts = [
        f"{search.service.label} gives something else each time for some path: if the clock or "
        "chance tells it, hand that in as a dependency"
    ] * bool(settling.unstable)
    for lacking in search.unanswered.values():
        method = f"{getattr(lacking.asked.form, '__name__', '')}.{lacking.asked.method}"
        doubts.append(
            f"{method}: nobody can tell what it gives; annotate it, or draft(…, "
            f"replies={{{method}: […]}})"
        )
    if search.never is not None:
        doubts.append(f"{search.service.label} does not end for some replies, which are left out")
    return doubts


def _stopped_texts(search: Search) -> list[str]:
    return [
        f"{place_of(one.file, one.line)}  it would have {one.what}"
        for one in dict.fromkeys(search.stopped)
    ]


def _deciding(settled: list[Settled], names: list[str]) -> list[DecidingReply]:
    found: dict[tuple[str, str, str], list[str]] = {}
    for one, name in zip(settled, names, strict=True):
        for asked, condition in one.notes.items():
            method = f"{getattr(asked.form, '__name__', asked.form)}.{asked.method}"
            value = show(one.trial.arrangement.replies[asked][0], 40)
            found.setdefault((method, value, condition), []).append(name)
    return [DecidingReply(*what, tuple(tests)) for what, tests in found.items()]


def _with_notes(search: Search, one: Settled) -> Settled:
    return one._replace(
        notes=deciding(
            search, one, lambda way: f"`{way.text}` ({place_of(way.file, way.line)})"
        )
    )


def _paths(search: Search, settled: list[Settled], tests: list[Written]) -> list[Taken]:
    found = []
    counted = {way.site for way in search.all_ways()}
    for number in sorted(counted):
        decision = search.decisions[number]
        takers = {
            way: [
                test.name
                for test, one in zip(tests, settled, strict=True)
                if way in one.trial.ways
            ]
            for way in decision.ways
        }
        found.append(Taken(decision, takers))
    return found
