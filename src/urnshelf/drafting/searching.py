"""The search for arrangements that take every way of a method.

Goals are worked on only where their decision was reached by another way already; a candidate that
comes nearer becomes the base of the next. Everything is counted in runs, so that two searches with
one seed are the same.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Generator, Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import islice
from typing import Any

from urnshelf.drafting.arrangement import Arrangement, Asked
from urnshelf.drafting.carrying import by_operands, fits
from urnshelf.drafting.decisions import BRANCH, LOOP, MATCH, TRY, Decision, Way
from urnshelf.drafting.distances import FAR, distance
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.hinting import by_hints, past_a_crash, with_key
from urnshelf.drafting.leaves import all_leaves, reply_node
from urnshelf.drafting.matching import by_case, wanted_by
from urnshelf.drafting.secants import by_slope
from urnshelf.drafting.service import Service
from urnshelf.drafting.structures import by_structure
from urnshelf.drafting.trial import Lacking, Trial, Trials
from urnshelf.drafting.usual_values import NO_VALUE, others, usual
from urnshelf.drafting.values import Leaf

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_AT_ONCE = 30
"""Candidates of one goal before the next one has its turn."""
_BASES = 4
_IDLE = 150
"""Random candidates in a row that found nothing new, after which the search ends."""
_MOST_REPLIES = 60
_REPAIRS = 8
_MOST_REPAIRS = 8
_NEARER = 0.51
"""So much nearer a candidate must come to be the base of others."""
_LITTLE_BY_LITTLE = 10
_FEW = 2
"""So many records are not worth dropping before the end."""
Candidates = Generator[Arrangement, Any, None] | Iterator[Arrangement]


@dataclass
class _Working:
    """Where the work on a way stands."""

    base: Trial
    candidates: Candidates
    last: Trial | None = None
    """What became of the candidate before."""
    repairs: int = 0


class Search:
    """What was found so far.

    Args:
        service: what tests are drafted for.
        runs: how many runs it may take.
        seed: of what is left to chance.
        guard: what keeps the service from doing anything outside.
        progress: is told after each run how many ways were taken, of how many, and the runs.
        told: replies that nobody varies.
    """

    def __init__(
        self,
        service: Service,
        runs: int,
        seed: int,
        guard: Guard,
        progress: Callable[[int, int, int], None] = lambda *_: None,
        told: Mapping[Asked, tuple[Any, ...]] | None = None,
    ) -> None:
        self.service = service
        self._start = replace(service.start, replies=dict(told or {}))
        service.fixed = set(told or {})
        self.runs = runs
        self.seed = seed
        self._random = random.Random(seed)
        self._progress = progress
        self._guard = guard
        self.trials = Trials(service, service.scope.notes, guard)
        self.decisions = {one.number: one for one in service.scope.decisions}
        self.found: dict[Way, Trial] = {}
        """The cheapest trial of each way that can be a test."""
        self.findings: dict[tuple[str, int, str], Trial] = {}
        self.never: Trial | None = None
        self.unanswered: dict[str, Lacking] = {}
        """Methods of which no reply could be made."""
        self.refused: dict[str, int] = {}
        self.stopped: dict[Any, None] = {}
        self._bases: dict[int, list[Trial]] = {}
        self._tried: dict[str, Trial] = {}
        self._passed: set[Any] = set()
        self._retried: dict[str, Trial] = {}
        self._working: dict[Way, _Working] = {}
        self._done: dict[Way, set[int]] = {}
        self.first: Trial | None = None
        """That of the first arrangement."""
        self.all: list[Trial] = []
        """The trials that can be tests and took a way for the first time, or more cheaply."""

    # --- the whole --------------------------------------------------------------------------------

    def run(self) -> None:
        """Search until everything is reached, nothing new is, or the runs are used up."""
        self.service.open()
        self.first = self.attempt(self._start)
        while self._is_going_on:
            open_ways = self.open_ways()
            if not open_ways:
                break
            worked = [self._work(way) for way in open_ways if self._is_going_on]
            if any(worked) or self._past_crashes() or self._by_chance():
                continue
            break
        self._find_edges()

    @property
    def _is_going_on(self) -> bool:
        return self.trials.count < self.runs

    def open_ways(self) -> list[Way]:
        """The ways that no trial took yet, in the order of the text."""
        met = self.met_sites()
        return [
            way
            for decision in self.service.scope.decisions_of(met)
            for way in decision.ways
            if way not in self.found
        ]

    def all_ways(self) -> list[Way]:
        """The ways of all decisions that count."""
        met = self.met_sites()
        counted = self.service.scope.decisions_of(met)
        return [way for decision in counted for way in decision.ways]

    def edge_ways(self) -> list[Way]:
        """The boundaries of the orderings that count."""
        counted = self.service.scope.decisions_of(set(self._bases))
        return [one.edge for one in counted if one.edge is not None]

    # --- one attempt ------------------------------------------------------------------------------

    def attempt(self, arrangement: Arrangement) -> Trial:
        """Run an arrangement, with the replies that it lacks, and keep what it found."""
        key = arrangement.key
        known = self._tried.get(key)
        if known is not None:
            return known
        trial = self.completed(arrangement)
        self._tried[key] = trial
        is_new = trial.is_path and not trial.ways.keys() <= self.found.keys()
        self._keep(trial)
        if is_new and len(arrangement.records) > _FEW:
            self._with_fewer(trial)
        self._tell()
        return trial

    def _tell(self) -> None:
        """Say how far it is; not after each run, for to count takes its time."""
        if self.trials.count % 16 == 0:
            ways = self.all_ways()
            self._progress(sum(way in self.found for way in ways), len(ways), self.trials.count)

    def met_sites(self) -> set[int]:
        """The decisions that were reached."""
        return {way.site for way in self.found} | self._bases.keys()

    def paths(self) -> list[Trial]:
        """All trials that can be tests."""
        return [one for one in self._tried.values() if one.is_path]

    def met(self, site: int) -> list[Trial]:
        """Trials that came to a decision."""
        return self._bases.get(site, [])

    def smaller_finding(self, trial: Trial) -> Trial:
        """A crash with less set up."""
        arrangement = trial.arrangement
        for number in reversed(range(len(arrangement.records))):
            found = self.retried(trial.arrangement.without("records", number))
            if found.is_finding and found.crashed_at == trial.crashed_at:
                trial = found
        return trial

    def retried(self, arrangement: Arrangement) -> Trial:
        """Run an arrangement, with the replies that it lacks; what it found is not kept."""
        key = arrangement.key
        known = self._tried.get(key) or self._retried.get(key)
        if known is None:
            known = self._retried[key] = self.completed(arrangement)
        return known

    def _with_fewer(self, trial: Trial) -> None:
        """Drop records that are not needed for what was found: all that comes after is quicker."""
        new = [way for way, one in self.found.items() if one is trial]
        number = len(trial.arrangement.records)
        while number > 0 and self._is_going_on:
            number -= 1
            smaller = self.attempt(trial.arrangement.without("records", number))
            if smaller.is_path and all(way in smaller.ways for way in new):
                trial = smaller

    def completed(self, arrangement: Arrangement) -> Trial:
        """The trial of an arrangement, to which the replies that were needed are added."""
        for _ in range(_MOST_REPLIES):
            self._guard.slept = {}
            trial = self.trials.run(arrangement)
            slept = [one for one in self._guard.slept if one not in arrangement.swapped]
            if slept:
                swapped = {**arrangement.swapped, **dict.fromkeys(slept)}
                arrangement = replace(arrangement, swapped=swapped)
                continue
            if trial.lacking is None:
                return trial
            asked, key = trial.lacking.asked, trial.lacking.key
            if key is not None and key[0] not in arrangement.defined:
                arrangement = replace(arrangement, defined=dict([*arrangement.defined.items(), key]))
                continue
            value = usual(reply_node(asked), asked.method)
            if value is NO_VALUE or asked in arrangement.replies:
                self.unanswered.setdefault(repr(asked), trial.lacking)
                return trial
            arrangement = arrangement.with_replies(asked, value)
        return trial

    def _keep(self, trial: Trial) -> None:
        for one in trial.stopped:
            self.stopped[one] = None
        if trial.never_ends:
            self.never = trial
        if trial.is_finding and trial.error is not None:
            at = (*trial.crashed_at, type(trial.error).__name__)
            kept = self.findings.get(at)
            if kept is None or kept.arrangement.size > trial.arrangement.size:
                self.findings[at] = trial
        if trial.refused:
            self.refused[trial.refused] = self.refused.get(trial.refused, 0) + 1
        self._keep_as_base(trial)
        if not trial.is_path:
            return
        is_better = False
        for way in trial.ways:
            kept = self.found.get(way)
            if kept is None or _cost(trial) < _cost(kept):
                self.found[way] = trial
                is_better = True
        if is_better:
            self.all.append(trial)

    def _keep_as_base(self, trial: Trial) -> None:
        for site in {way.site for way in trial.ways} | trial.operands.keys():
            bases = self._bases.setdefault(site, [])
            if len(bases) < _BASES:
                bases.append(trial)
            elif trial.is_path and trial.arrangement.size < bases[-1].arrangement.size:
                bases[-1] = trial
            elif trial.is_path and not bases[0].is_path:
                bases[0] = trial

    # --- one goal ---------------------------------------------------------------------------------

    def _work(self, way: Way) -> bool:
        """Try some candidates for a way; whether there was anything to try."""
        if way in self.found:
            return True
        working = self._working.get(way) or self._next_base(way)
        if working is None:
            return False
        self._working[way] = working
        decision = self.decisions[way.site]
        near = distance(working.base, decision, way)
        for _ in range(_AT_ONCE):
            if not self._is_going_on:
                return False
            try:
                # it is told what became of the candidate before
                arrangement = _sent(working.candidates, working.last)
            except StopIteration:
                self._working.pop(way)
                return True
            trial = working.last = self.attempt(arrangement)
            if way in self.found:
                self._working.pop(way)
                return True
            if working.repairs < _MOST_REPAIRS:
                before = self.trials.count
                self._repair(trial, working.base, way)
                working.repairs += self.trials.count > before
            if way in self.found:
                self._working.pop(way)
                return True
            if self._is_nearer(distance(trial, decision, way), near, way):
                self._used(way).add(id(trial))
                self._working[way] = _Working(trial, self._candidates(way, trial))
                return True
        return True

    def _repair(self, trial: Trial, base: Trial, way: Way, depth: int = 3) -> None:
        """A candidate that was to come out otherwise at one decision does so at an earlier one,
        too, and never gets there: set that one right again.
        """
        if any(one.site == way.site for one in trial.ways) or depth == 0:
            return
        lost = next((one for one in base.ways if one not in trial.ways), None)
        if lost is None or lost.site not in trial.operands or trial.lacking is not None:
            return
        decision = self.decisions[lost.site]
        if decision.kind in (LOOP, TRY, MATCH):
            return
        leaves = all_leaves(trial, self.service)
        for candidates in (
            by_operands(trial, decision, lost, leaves, base),
            by_slope(trial, lost, leaves),
        ):
            found: Any = None
            for _ in range(_REPAIRS):
                try:
                    arrangement = _sent(candidates, found)
                except StopIteration:
                    break
                if way in self.found or not self._is_going_on:
                    return
                found = self.attempt(arrangement)
                if lost in found.ways:
                    self._repair(found, base, way, depth - 1)

    def _is_nearer(self, now: float, before: float, way: Way) -> bool:
        """Whether a candidate is to be the base of others: by a little only a few times."""
        is_a_little = now < before * 0.999 and len(self._used(way)) < _LITTLE_BY_LITTLE
        return 0 < now < before * _NEARER or is_a_little

    def _used(self, way: Way) -> set[int]:
        return self._done.setdefault(way, set())

    def _next_base(self, way: Way) -> _Working | None:
        """The nearest trial that was not worked on yet."""
        decision = self.decisions[way.site]
        used = self._used(way)
        bases = [one for one in self._bases.get(way.site, []) if id(one) not in used]
        if not bases and decision.kind == TRY and not used:
            bases = list(self._tried.values())[:1]
        if not bases or len(used) > 12:
            return None
        base = min(bases, key=lambda one: (distance(one, decision, way), not one.is_path))
        used.add(id(base))
        return _Working(base, self._candidates(way, base))

    def _candidates(self, way: Way, base: Trial) -> Candidates:
        """All candidates for a way, the likeliest first."""
        decision = self.decisions[way.site]
        leaves = all_leaves(base, self.service)
        space = self.service.space_of(decision.file)
        wanted = wanted_by(decision, way, space)
        if decision.kind == MATCH:
            yield from by_case(base, decision, way, leaves, space)
            yield from by_hints(base, way.site, leaves, wanted, wanted)
        if decision.kind not in (LOOP, TRY, MATCH):
            yield from by_operands(base, decision, way, leaves)
            if decision.operator in ("In", "NotIn"):
                yield from with_key(base, way.site, leaves, self.service.mined)
            yield from by_hints(base, way.site, leaves, self.service.mined)
            yield from by_slope(base, way, leaves)
        if decision.kind == LOOP:
            yield from _by_length(base, leaves)
        yield from by_structure(base, self.service)
        if decision.kind in (TRY, LOOP, MATCH):
            yield from by_hints(base, way.site, leaves, self.service.mined)
        if decision.kind == BRANCH or decision.kind != LOOP:
            yield from _by_length(base, leaves)
        yield from self._alternatives(base, leaves)

    def _alternatives(self, base: Trial, leaves: list[Leaf]) -> Candidates:
        for leaf in leaves:
            for value in islice(others(leaf.value, leaf.node, self.service.mined), 24):
                if fits(value, leaf.node):
                    yield base.put(leaf.path, value)

    # --- crashes ----------------------------------------------------------------------------------

    def _past_crashes(self) -> bool:
        """Give the code what it did not find where it crashed; whether anything new came of it."""
        before = len(self.found)
        for at, trial in list(self.findings.items()):
            if at not in self._passed:
                self._passed.add(at)
                self._past(trial, 5)
        return len(self.found) > before

    def _past(self, trial: Trial, depth: int) -> None:
        leaves = all_leaves(trial, self.service)
        for arrangement in islice(past_a_crash(trial, leaves, self.service.mined), 30):
            if not self._is_going_on:
                return
            found = self.attempt(arrangement)
            if found.is_path:
                return
            if depth and found.is_finding and _fails_later(found, trial):
                self._past(found, depth - 1)
                return

    # --- by chance --------------------------------------------------------------------------------

    def _by_chance(self) -> bool:
        """Change several things at once, from what was found; whether anything new came of it."""
        before = len(self.found)
        pool = [one for one in self.all if one.is_path] or list(self._tried.values())[:5]
        for _ in range(_IDLE):
            if not self._is_going_on or not pool:
                return False
            trial = self._random.choice(pool[-60:])
            for _ in range(self._random.randint(1, 3)):
                trial = self._varied(trial)
            if len(self.found) > before:
                return True
        return False

    def _varied(self, trial: Trial) -> Trial:
        leaves = all_leaves(trial, self.service)
        if not leaves or self._random.random() < 0.3:
            structures = list(islice(by_structure(trial, self.service), 60))
            if structures:
                return self.attempt(self._random.choice(structures))
        if not leaves:
            return trial
        leaf = self._random.choice(leaves)
        values = list(islice(others(leaf.value, leaf.node, self.service.mined), 30))
        values = [one for one in values if fits(one, leaf.node)]
        if not values:
            return trial
        return self.attempt(trial.put(leaf.path, self._random.choice(values)))

    # --- edges ------------------------------------------------------------------------------------

    def _find_edges(self) -> None:
        """Try to meet each ordering with both sides equal; some cannot be."""
        for decision in self.service.scope.decisions_of(set(self._bases)):
            way = decision.edge
            if way is None or way in self.found:
                continue
            for base in [one for one in self._bases.get(way.site, []) if one.is_path][:2]:
                if way in self.found:
                    break
                leaves = all_leaves(base, self.service)
                self._follow(islice(by_operands(base, decision, way, leaves), 12), way)
                self._follow(by_slope(base, way, leaves), way, 30)

    def _follow(self, candidates: Candidates, way: Way, most: int = 12) -> None:
        trial: Any = None
        for _ in range(most):
            if way in self.found or not self._is_going_on:
                return
            try:
                arrangement = _sent(candidates, trial)
            except StopIteration:
                return
            trial = self.attempt(arrangement)


def _sent(candidates: Candidates, trial: Any) -> Arrangement:
    if isinstance(candidates, Generator):
        return candidates.send(trial)
    return next(candidates)


def _fails_later(found: Trial, before: Trial) -> bool:
    """Whether the code got beyond the item that it had not found."""
    missing = [[one for one in trial.hints if one.failed] for trial in (found, before)]
    if not all(missing):
        return not missing[0]
    one, other = missing[0][-1], missing[1][-1]
    return isinstance(one.subject, dict) and one.given != other.given


def _by_length(base: Trial, leaves: list[Leaf]) -> Candidates:
    """Lists of no, one, two and three items."""
    for leaf in leaves:
        if isinstance(leaf.value, (list, tuple, set, dict)):
            for value in others(leaf.value, leaf.node):
                if fits(value, leaf.node):
                    yield base.put(leaf.path, value)


def _cost(trial: Trial) -> tuple[bool, int, int]:
    """The cheapest comes first: one that returns, with little set up, that takes few ways."""
    return trial.error is not None, trial.arrangement.size, len(trial.ways)


__all__ = ["FAR", "Decision", "Search"]
