"""From what a search found to tests: those that are needed, made small, and made to hold whatever
else is drawn.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import islice
from typing import Any, NamedTuple

from urnshelf.drafting.arrangement import Arrangement, Asked
from urnshelf.drafting.asserting import Among, Asserting
from urnshelf.drafting.carrying import fits
from urnshelf.drafting.decisions import Decision, Way
from urnshelf.drafting.draft_spelling import DraftSpelling
from urnshelf.drafting.leaves import all_leaves, reply_node, usual_reply
from urnshelf.drafting.over_http import ROUTE, smaller_replies
from urnshelf.drafting.searching import Search
from urnshelf.drafting.telling import tells
from urnshelf.drafting.told_fields import all_told, is_key, is_told, retold, told_in, value_at
from urnshelf.drafting.trial import SEED, Trial
from urnshelf.drafting.usual_values import NO_VALUE, extremes, others, rounder
from urnshelf.drafting.values import Path
from urnshelf.records.recognising import describe
from urnshelf.types.nodes import ANYTHING

_SEEDS = tuple(range(101, 104))
"""Those that each step is tried with."""
_MORE_SEEDS = tuple(range(201, 221))
"""Those that decide in the end."""


class Settled(NamedTuple):
    """A test to be written.

    Args:
        trial: what it sets up, and what happens.
        ways: those that it is there for.
        notes: comments for its arrangement: a default that decides, by the method asked.
    """

    trial: Trial
    ways: tuple[Way, ...]
    notes: dict[Asked, str]


class Settling:
    """Chooses, shrinks and pins.

    Args:
        search: what was found.
    """

    def __init__(self, search: Search) -> None:
        self._search = search
        self.unstable: list[Trial] = []
        """Trials that gave something else each time."""

    def settled(self) -> list[Settled]:
        """The tests, in the order of the code."""
        chosen = self._chosen()
        found: list[Settled] = []
        for trial, ways in chosen:
            test = self.test_of(trial, self._as_good_as(trial, ways))
            if test is None:
                self.unstable.append(trial)
            else:
                found.append(test._replace(ways=tuple(ways)))
        return self._without_doubles([*found, *self._of_lost_ways(found)])

    def _of_lost_ways(self, found: list[Settled]) -> list[Settled]:
        """Tests of ways that were lost while others were made small: each of two that took one may
        have left it to the other.
        """
        more: list[Settled] = []
        for way in self._search.all_ways():
            trial = self._search.found.get(way)
            if trial is None or any(way in one.trial.ways for one in (*found, *more)):
                continue
            test = self.test_of(trial, self._as_good_as(trial, [way]))
            if test is None:
                self.unstable.append(trial)
            else:
                more.append(test._replace(ways=(way,)))
        return more

    def test_of(self, trial: Trial, is_as_good: Callable[[Trial], bool]) -> Settled | None:
        """A trial made a test: small, and the same whatever else is drawn; None where it is not.

        Args:
            trial: any that can be a test.
            is_as_good: whether another one would do.
        """
        if trial.asks_by_itself:
            return None
        # told in full, a record stays what it is while others are dropped
        full = self._search.retried(all_told(trial))
        small = self._shrunk(full if is_as_good(full) else trial, is_as_good)
        whole = self._search.retried(all_told(small))
        held = self._held(whole if is_as_good(whole) else small)
        if held is None or not self._is_repeated(held):
            return None
        return Settled(held, (), {})

    # --- choosing ---------------------------------------------------------------------------------

    def _chosen(self) -> list[tuple[Trial, list[Way]]]:
        """The fewest trials that take all ways, each with those that it is there for."""
        search = self._search
        wanted = [way for way in search.all_ways() if way in search.found]
        wanted += [way for way in search.edge_ways() if way in search.found]
        picked: dict[int, Trial] = {}
        covered: set[Way] = set()
        for way in wanted:
            if way not in covered:
                trial = search.found[way]
                picked[id(trial)] = trial
                covered |= trial.ways.keys()
        kept = list(picked.values())
        for trial in sorted(kept, key=lambda one: -one.arrangement.size):
            rest = [one for one in kept if one is not trial]
            others_take = {way for one in rest for way in one.ways}
            if all(way in others_take for way in trial.ways if way in set(wanted)):
                kept = rest
        if not kept and search.first is not None and search.first.is_path:
            kept = [search.first]  # code that decides nothing has one path
        return list(self._with_their_ways(kept, wanted))

    @staticmethod
    def _with_their_ways(
        trials: list[Trial], wanted: list[Way]
    ) -> Iterator[tuple[Trial, list[Way]]]:
        for trial in trials:
            rest = {way for one in trials if one is not trial for way in one.ways}
            yield trial, [way for way in wanted if way in trial.ways and way not in rest]

    def _without_doubles(self, found: list[Settled]) -> list[Settled]:
        """Those left that another one does not repeat."""
        kept: dict[str, Settled] = {}
        for one in found:
            kept.setdefault(one.trial.arrangement.key, one)
        return list(kept.values())

    # --- making small -----------------------------------------------------------------------------

    def _shrunk(self, trial: Trial, is_as_good: Callable[[Trial], bool]) -> Trial:
        """The same path with as little set up as it takes."""
        changed = True
        while changed:
            changed = False
            for smaller in self._smaller(trial):
                if smaller.size >= trial.arrangement.size and smaller.key == trial.arrangement.key:
                    continue
                found = self._search.retried(smaller)
                if _is_smaller(found, trial) and is_as_good(found):
                    trial, changed = found, True
                    break
        return trial

    def _smaller(self, trial: Trial) -> Iterator[Arrangement]:
        arrangement = trial.arrangement
        for number in reversed(range(len(arrangement.records))):
            yield arrangement.without("records", number)
        called = {call.asked for call in trial.calls}
        for asked, values in arrangement.replies.items():
            if asked in self._search.service.fixed:
                continue
            if asked not in called or asked.kind == "gives":
                yield arrangement.without("replies", asked)  # a reading may answer as well
            if len(values) > 1:
                yield arrangement.with_replies(asked, *values[:-1])
                yield arrangement.with_replies(asked, *values[1:])
            if asked.kind == ROUTE:
                less = smaller_replies(values)
                yield from (arrangement.with_replies(asked, *one) for one in less)
            plain = usual_reply(asked)
            if plain is not NO_VALUE and repr(values) != repr((plain,)):
                yield arrangement.with_replies(asked, plain)
        for leaf in all_leaves(trial, self._search.service):
            if isinstance(leaf.value, (list, tuple)) and is_told(arrangement, leaf.path):
                for number in reversed(range(len(leaf.value))):
                    rest = [one for n, one in enumerate(leaf.value) if n != number]
                    yield arrangement.put(leaf.path, type(leaf.value)(rest))
        for part in ("built", "given"):
            defaults = self._search.service.defaults(part)
            for name in getattr(arrangement, part):
                if name in defaults:
                    yield arrangement.without(part, name)

    @staticmethod
    def _as_good_as(trial: Trial, ways: list[Way]) -> Callable[[Trial], bool]:
        """Whether another trial ends as this one does, and takes the ways that it is there for."""

        def is_as_good(found: Trial) -> bool:
            if not found.is_path or type(found.error) is not type(trial.error):
                return False
            return all(way in found.ways for way in ways)

        return is_as_good

    # --- holding ----------------------------------------------------------------------------------

    def _held(self, trial: Trial) -> Trial | None:
        """The trial with only those fields told that matter: whatever else is drawn."""
        seeds = list(_SEEDS)
        full = trial
        for _ in range(6):
            if not self._holds(full, seeds):
                return None
            held = self._rounded(self._with_less_told(full, seeds), seeds)
            wrong = next((s for s in _MORE_SEEDS if not self._is_same(held, s)), None)
            if wrong is None:
                return held
            seeds = [wrong, *seeds]
        return None

    def _with_less_told(self, trial: Trial, seeds: list[int]) -> Trial:
        for at, told in reversed(list(told_in(trial.arrangement))):
            trial = self._unpinned(trial, at, list(told), seeds)
        return trial

    def _rounded(self, trial: Trial, seeds: list[int]) -> Trial:
        """The trial with rounder values, where they take the same path."""
        for leaf in all_leaves(trial, self._search.service):
            if not is_told(trial.arrangement, leaf.path) or is_key(trial.arrangement, leaf.path):
                continue
            for value in rounder(leaf.value, leaf.node, str(leaf.path[-1])):
                if not fits(value, leaf.node):
                    continue
                found = self._search.retried(trial.arrangement.put(leaf.path, value))
                if found.is_path and self._is_alike(found, trial) and self._holds(found, seeds):
                    trial = found
                    break
        return trial

    @staticmethod
    def _is_alike(found: Trial, trial: Trial) -> bool:
        """Whether the path is the same, and what kind of thing comes of it."""
        if type(found.error) is not type(trial.error) or found.ways.keys() != trial.ways.keys():
            return False
        return type(found.result) is type(trial.result) and len(found.changes) == len(trial.changes)

    def _unpinned(self, pinned: Trial, at: Path, extra: list[str], seeds: list[int]) -> Trial:
        """Tell fewer fields of one record, half of them at a time."""
        groups = [extra]
        while groups:
            group = groups.pop(0)
            if not group:
                continue
            told = dict(told_in(pinned.arrangement)).get(at, {})
            rest = {name: value for name, value in told.items() if name not in group}
            found = self._search.retried(retold(pinned.arrangement, at, rest))
            if (
                found.is_path
                and self._is_equal(found, pinned)
                and self._holds(found, seeds)
                and all(self._is_free(found, at, name, told[name]) for name in group)
            ):
                pinned = found
            elif len(group) > 1:
                half = len(group) // 2
                groups += [group[:half], group[half:]]
        return pinned

    def _is_free(self, trial: Trial, at: Path, name: str, value: Any) -> bool:
        """Whether a field may be anything: what is drawn seldom is tried, too."""
        described = describe(value_at(trial.arrangement, at).form)
        node = ANYTHING if described is None else described.node_of(name)
        for far in extremes(value, node):
            if not fits(far, node):
                continue
            found = self._search.trials.run(trial.arrangement.put((*at, name), far))
            was_run = bool(found.ways or found.calls or found.is_path)
            if was_run and not self._is_equal(found, trial):
                return False
        return True

    def _holds(self, trial: Trial, seeds: list[int]) -> bool:
        return all(self._is_same(trial, seed) for seed in seeds)

    def _is_same(self, trial: Trial, seed: int) -> bool:
        return self._is_equal(self._search.trials.run(trial.arrangement, seed), trial)

    def _is_equal(self, found: Trial, trial: Trial) -> bool:
        if found.is_path is not trial.is_path or found.ways.keys() != trial.ways.keys():
            return False
        return observed(found) == observed(trial)

    def _is_repeated(self, trial: Trial) -> bool:
        """Whether it comes out the same a second time."""
        return self._is_same(trial, SEED)


def observed(trial: Trial) -> str:
    """All that a test would assert, as a text."""
    spelling = DraftSpelling()
    told = Asserting(trial, spelling, Among()).told()
    return f"{told.raised} {told.direct} {told.lines}"


def among(tests: list[Settled]) -> Among:
    """What the tests of a file look at."""
    told = dict.fromkeys(call.asked for one in tests for call in one.trial.calls if tells(call))
    forms = dict.fromkeys(change.form for one in tests for change in one.trial.changes)
    return Among(tuple(told), tuple(forms))


def _is_smaller(found: Trial, trial: Trial) -> bool:
    one, other = found.arrangement, trial.arrangement
    return (one.size, len(one.key)) < (other.size, len(other.key))


def deciding(
    search: Search, one: Settled, condition: Callable[[Decision], str]
) -> dict[Asked, str]:
    """The replies of a test that nobody chose and that decide something: another one would take
    another way.

    Args:
        search: runs it.
        one: the test.
        condition: how a decision is told.
    """
    found: dict[Asked, str] = {}
    trial = one.trial
    for asked, values in trial.arrangement.replies.items():
        node = reply_node(asked)
        plain = usual_reply(asked)
        if len(values) != 1 or repr(values[0]) != repr(plain) or asked in search.service.fixed:
            continue
        for other in [*islice(others(values[0], node), 3), *extremes(values[0], node)]:
            tried = search.retried(trial.arrangement.with_replies(asked, other))
            if not tried.is_path or tried.ways.keys() == trial.ways.keys():
                continue
            way = next(way for way in (*trial.ways, *tried.ways) if not (
                way in trial.ways and way in tried.ways))  # fmt: skip
            found[asked] = condition(search.decisions[way.site])
            break
    return found
