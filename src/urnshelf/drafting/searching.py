"""The search for arrangements that take every way of a method.

Goals are worked on only where their decision was reached by another way already; a candidate that
comes nearer becomes the base of the next. Everything is counted in runs, so that two searches with
one seed are the same.
"""

from __future__ import annotations

from itertools import islice
from typing import Any

from urnshelf.drafting.attempts import Attempts, Working
from urnshelf.drafting.candidates import Candidates, candidates_for, sent
from urnshelf.drafting.carrying import by_operands, fits
from urnshelf.drafting.decisions import LOOP, MATCH, TRY, Way
from urnshelf.drafting.distances import distance
from urnshelf.drafting.hinting import past_a_crash
from urnshelf.drafting.leaves import all_leaves
from urnshelf.drafting.secants import by_slope
from urnshelf.drafting.structures import by_structure
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import others

_AT_ONCE = 30
"""Candidates of one goal before the next one has its turn."""
_IDLE = 150
"""Random candidates in a row that found nothing new, after which the search ends."""
_REPAIRS = 8
_MOST_REPAIRS = 8
_NEARER = 0.51
"""So much nearer a candidate must come to be the base of others."""
_LITTLE_BY_LITTLE = 10
_LOOKED_AT = 6
"""In so many of the trials that were found it is looked for crashes."""


class Search(Attempts):
    """The search itself."""

    # --- the whole --------------------------------------------------------------------------------

    def run(self) -> None:
        """Search until everything is reached, nothing new is, or the runs are used up."""
        self.service.open()
        self.first = self.attempt(self._start)
        while self.is_going_on:
            open_ways = self.open_ways()
            if not open_ways:
                break
            if self._past_crashes():
                continue
            worked = [self._work(way) for way in open_ways if self.is_going_on]
            if any(worked) or self._by_chance() or self._past_crashes():
                continue
            break
        self._find_edges()
        self._look_for_crashes()

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
            if not self.is_going_on:
                return False
            try:
                # it is told what became of the candidate before
                arrangement = sent(working.candidates, working.last)
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
                self._working[way] = Working(
                    trial, candidates_for(way, trial, self.service, self.decisions[way.site])
                )
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
                    arrangement = sent(candidates, found)
                except StopIteration:
                    break
                if way in self.found or not self.is_going_on:
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

    def _next_base(self, way: Way) -> Working | None:
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
        return Working(base, candidates_for(way, base, self.service, decision))

    # --- crashes ----------------------------------------------------------------------------------

    def _past_crashes(self) -> bool:
        """Give the code what it did not find where it crashed; whether anything new came of it."""
        before = len(self.found)
        for at, trial in list(self.crashes.items()):
            if at not in self._passed:
                self._passed.add(at)
                self._past(trial, 5)
        return len(self.found) > before

    def _past(self, trial: Trial, depth: int) -> None:
        leaves = all_leaves(trial, self.service)
        for arrangement in islice(past_a_crash(trial, leaves, self.service.mined), 30):
            if not self.is_going_on:
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
            if not self.is_going_on or not pool:
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

    def _look_for_crashes(self) -> None:
        """Give None wherever it may stand, and let look-ups find nothing."""
        bases = list(dict.fromkeys(one for one in (self.first, *self.found.values()) if one))
        for base in [one for one in bases if one.is_path][:_LOOKED_AT]:
            for leaf in all_leaves(base, self.service):
                if leaf.node.optional and leaf.value is not None and self.is_going_on:
                    self.attempt(base.put(leaf.path, None))
            for number in range(len(base.arrangement.records)):
                if self.is_going_on:
                    self.attempt(base.arrangement.without("records", number))

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
            if way in self.found or not self.is_going_on:
                return
            try:
                arrangement = sent(candidates, trial)
            except StopIteration:
                return
            trial = self.attempt(arrangement)


def _fails_later(found: Trial, before: Trial) -> bool:
    """Whether the code got beyond the item that it had not found."""
    missing = [[one for one in trial.hints if one.failed] for trial in (found, before)]
    if not all(missing):
        return not missing[0]
    one, other = missing[0][-1], missing[1][-1]
    return isinstance(one.subject, dict) and one.given != other.given
