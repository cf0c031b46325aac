"""What is to be said of drafted tests: ways left open, crashes, defaults that decide, doubts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.distances import FAR, distance
from urnshelf.drafting.drafted_file import Writing
from urnshelf.drafting.leaves import is_untold
from urnshelf.drafting.over_http import ROUTE
from urnshelf.drafting.searching import Search
from urnshelf.drafting.settling import Settled, Settling, deciding
from urnshelf.drafting.text_of_a_test import Written
from urnshelf.drafting.trial import Trial
from urnshelf.errors import DraftRefused
from urnshelf.records.display import show


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


def raise_if_nothing(search: Search, settling: Settling) -> None:
    """Say why there is not one test.

    Raises:
        DraftRefused: always.
    """
    label = search.service.label
    if search.never is not None and not search.found:
        lines = "\n".join(_arrange_lines(search, search.never))
        raise DraftRefused(
            f"{label} never ends, whatever it is given; the first time with\n{lines}"
        )
    if search.stopped:
        raise DraftRefused(
            f"{label} would have reached outside each time, and was kept from it:\n"
            + "\n".join(f"  {one}" for one in stopped_texts(search))
            + "\nGive it that as a dependency, or allow it: --allow-side-effects, "
            "draft(…, allow_side_effects=True)"
        )
    if search.unanswered:
        asked = next(iter(search.unanswered.values())).asked
        method = method_of(asked)
        raise DraftRefused(
            f"{label} asks {method}, and nobody can tell what it gives{_advice(asked)}"
        )
    if settling.unstable:
        raise DraftRefused("\n".join(doubts(search, settling)))
    crash = search.last_crash
    if crash is not None:
        place = place_of(*crash.crashed_at)
        raise DraftRefused(
            f"no test of {label} can be drafted, for it crashes each time: {place}  "
            f"{type(crash.error).__name__}: {crash.error}"[:1500]
        )
    why = max(search.refused, key=lambda one: search.refused[one], default="")
    raise DraftRefused(
        f"no test of {label} can be drafted: {why or 'no value is found for it'}"[:1500]
    )


# --- what is to be said ---------------------------------------------------------------------------


def place_of(file: str, line: int) -> str:
    """A line of code, without the machine's own folders."""
    return f"{Path(file).name}:{line}"


def unreached(search: Search, way: Way) -> Unreached:
    """What is to be said of a way that no test takes."""
    decision = search.decisions[way.site]
    place = place_of(decision.file, decision.line)
    return Unreached(place, decision.told(way), _why(search, decision, way))


def _why(search: Search, decision: Decision, way: Way) -> str:
    if way in search.found:
        return "a run took it, but no test of that holds"
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


def findings(search: Search) -> list[Finding]:
    """The crashes, each with an arrangement that makes it."""
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
    written = Writing({}).tests(search, [Settled(trial, (), {})])
    lines = [line for one in written for line in (*one.arrange, *one.act)]
    return [line.strip() for line in lines if not line.startswith("with ")]


def doubts(search: Search, settling: Settling) -> list[str]:
    """What else is to be looked at."""
    doubts: list[str] = []
    asked = {told for one in settling.unstable for told in one.asks_by_itself}
    for told in sorted(asked):
        doubts.append(
            f"{search.service.label} asks {told}() by itself, so nobody can say what it will do: "
            "hand that in as a dependency; the paths behind it have no test"
        )
    if any(not one.asks_by_itself for one in settling.unstable):
        doubts.append(
            f"{search.service.label} gives something else each time for some path, which has no "
            "test: if the clock or chance tells it, hand that in as a dependency"
        )
    doubts += _of_guesses(search)
    if search.never is not None:
        doubts.append(f"{search.service.label} does not end for some replies, which are left out")
    return doubts


def _of_guesses(search: Search) -> Iterator[str]:
    """The methods of which nothing is told, and whose replies are varied all the same."""
    asked = {one for trial in search.found.values() for one in trial.arrangement.replies}
    free = [one for one in asked if one not in search.service.fixed and is_untold(one)]
    routes = sorted(one.method for one in free if one.kind == ROUTE)
    if routes:
        yield (
            f"replies to {', '.join(routes)} were guessed from the code that reads them: compare "
            "them with what the remote service says"
        )
    for method in sorted(method_of(one) for one in free if one.kind != ROUTE):
        yield (
            f"{method} does not say what it gives, so its replies were guessed: annotate it, or "
            f"draft(…, replies={{{method}: […]}})"
        )
    for lacking in search.unanswered.values():
        method = method_of(lacking.asked)
        yield f"{method}: nobody can tell what it gives{_advice(lacking.asked)}"


def _advice(asked: Asked) -> str:
    if asked.kind == ROUTE:
        return ""
    return f"; annotate it, or draft(…, replies={{{method_of(asked)}: […]}})"


def method_of(asked: Asked) -> str:
    """A method that is asked, as one says it."""
    if asked.kind == ROUTE:
        return asked.method
    return f"{getattr(asked.form, '__name__', asked.form)}.{asked.method}"


def stopped_texts(search: Search) -> list[str]:
    """What the code would have done outside."""
    return [
        f"{place_of(one.file, one.line)}  it would have {one.what}"
        for one in dict.fromkeys(search.stopped)
    ]


def deciding_replies(tests: Sequence[Written]) -> list[DecidingReply]:
    """The defaults that decide something, each with the tests that have it."""
    found: dict[tuple[str, str, str], list[str]] = {}
    for test in tests:
        one = test.settled
        for asked, condition in one.notes.items():
            method = method_of(asked)
            value = show(one.trial.arrangement.replies[asked][0], 40)
            found.setdefault((method, value, condition), []).append(test.name)
    return [DecidingReply(*what, tuple(tests)) for what, tests in found.items()]


def with_notes(search: Search, one: Settled) -> Settled:
    """A test with a comment for each default of its own that decides something."""
    return one._replace(
        notes=deciding(search, one, lambda way: f"`{way.text}` ({place_of(way.file, way.line)})")
    )


class Met(NamedTuple):
    """A decision of a method, and what is to be said where no test takes one of its ways.

    Args:
        of: the method.
        decision: …
        otherwise: for each of its ways.
    """

    of: str
    decision: Decision
    otherwise: dict[Way, Unreached]


def decisions_met(search: Search) -> list[Met]:
    """The decisions that count for a method, in the order of the code."""
    found: dict[int, dict[Way, Unreached]] = {}
    for way in search.all_ways():
        found.setdefault(way.site, {})[way] = unreached(search, way)
    label = search.service.label
    return [Met(label, search.decisions[number], found[number]) for number in sorted(found)]


def taken(met: Met, tests: Sequence[Written]) -> Taken:
    """A decision, and the tests that take each of its ways.

    Args:
        met: the decision.
        tests: of all methods.
    """
    own = [one for one in tests if one.of == met.of]
    takers = {
        way: [one.name for one in own if way in one.settled.trial.ways] for way in met.otherwise
    }
    return Taken(met.decision, takers)
