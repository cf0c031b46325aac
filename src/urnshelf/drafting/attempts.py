"""Attempts: arrangements that are run, completed with the replies that they lack, and what they
found.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from urnshelf.drafting.arrangement import Arrangement, Asked, Lacking
from urnshelf.drafting.candidates import Candidates
from urnshelf.drafting.decisions import Way
from urnshelf.drafting.guarding import Guard
from urnshelf.drafting.leaves import all_leaves, is_untold, usual_reply
from urnshelf.drafting.over_http import ROUTE, named_route
from urnshelf.drafting.service import Service
from urnshelf.drafting.trial import Trial, Trials
from urnshelf.drafting.usual_values import NO_VALUE

_BASES = 4
_MOST_REPLIES = 60
_FEW = 2
"""So many records are not worth dropping before the end."""


@dataclass
class Working:
    """Where the work on a way stands.

    Args:
        base: the trial that candidates are made from.
        candidates: those that are left.
        last: what became of the candidate before.
        repairs: how often an earlier decision was set right again.
    """

    base: Trial
    candidates: Candidates
    last: Trial | None = None
    repairs: int = 0


class Attempts:
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
        self.crashes: dict[tuple[str, int, str], Trial] = {}
        """Those, and the crashes on replies that were guessed."""
        self.last_crash: Trial | None = None
        self.never: Trial | None = None
        self.unanswered: dict[str, Lacking] = {}
        """Methods of which no reply could be made."""
        self.refused: dict[str, int] = {}
        self.stopped: dict[Any, None] = {}
        self._bases: dict[int, list[Trial]] = {}
        self._tried: dict[str, Trial] = {}
        self._passed: set[Any] = set()
        self._retried: dict[str, Trial] = {}
        self._working: dict[Way, Working] = {}
        self._done: dict[Way, set[int]] = {}
        self.first: Trial | None = None
        """That of the first arrangement."""
        self.all: list[Trial] = []
        """The trials that can be tests and took a way for the first time, or more cheaply."""

    # --- how far it is ---------------------------------------------------------------------------

    @property
    def is_going_on(self) -> bool:
        """Whether there are runs left."""
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
        while number > 0 and self.is_going_on:
            number -= 1
            smaller = self.attempt(trial.arrangement.without("records", number))
            if smaller.is_path and all(way in smaller.ways for way in new):
                trial = smaller

    def completed(self, arrangement: Arrangement) -> Trial:
        """The trial of an arrangement, to which the replies that were needed are added."""
        trial = Trial(arrangement)
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
            if asked.kind == ROUTE:
                asked = named_route(asked, all_leaves(trial, self.service), self.service.mined)
            if key is not None and key[0] not in arrangement.defined:
                arrangement = replace(
                    arrangement, defined=dict([*arrangement.defined.items(), key])
                )
                continue
            value = usual_reply(asked)
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
        if trial.is_finding:
            self.last_crash = trial
        if trial.is_finding and trial.error is not None:
            self._keep_crash(trial, (*trial.crashed_at, type(trial.error).__name__))
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

    def _keep_crash(self, trial: Trial, at: tuple[str, int, str]) -> None:
        self.crashes.setdefault(at, trial)
        kept = self.findings.get(at)
        is_guess = any(map(is_untold, trial.arrangement.replies))
        if not is_guess and (kept is None or kept.arrangement.size > trial.arrangement.size):
            self.findings[at] = trial

    def _keep_as_base(self, trial: Trial) -> None:
        for site in {way.site for way in trial.ways} | trial.operands.keys():
            bases = self._bases.setdefault(site, [])
            if len(bases) < _BASES:
                bases.append(trial)
            elif trial.is_path and trial.arrangement.size < bases[-1].arrangement.size:
                bases[-1] = trial
            elif trial.is_path and not bases[0].is_path:
                bases[0] = trial


def _cost(trial: Trial) -> tuple[bool, int, int]:
    """The cheapest comes first: one that returns, with little set up, that takes few ways."""
    return trial.error is not None, trial.arrangement.size, len(trial.ways)
