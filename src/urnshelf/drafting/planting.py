"""Planted bugs: the code is changed in one place at a time, to see whether the drafted tests
notice; where they do not, an arrangement is sought that tells the bugged code from the sound one.
"""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from itertools import islice
from pathlib import Path
from typing import NamedTuple

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.asserting import Among, Asserting
from urnshelf.drafting.bugs import Bug, bugs_in, planted_in
from urnshelf.drafting.carrying import carried, fits
from urnshelf.drafting.draft_spelling import DraftSpelling
from urnshelf.drafting.leaves import all_leaves
from urnshelf.drafting.probing import probed_tree
from urnshelf.drafting.searching import Search
from urnshelf.drafting.settling import Settled, Settling, among
from urnshelf.drafting.structures import by_structure
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import others

_POOL = 80
"""So many arrangements are tried for each bug that no test notices."""


class Planted(NamedTuple):
    """What became of one bug.

    Args:
        place: file and line.
        change: what was changed.
        is_noticed: whether a test notices.
        why: where none does: what is known of that.
    """

    place: str
    change: str
    is_noticed: bool
    why: str

    def __str__(self) -> str:
        return f"{self.place}  {self.change}; {self.why}"


class Planting:
    """Plants bugs, one at a time.

    Args:
        search: which knows the sound code.
        settled: its tests.
        most: how many bugs.
        settling: makes tests of arrangements that tell.
    """

    def __init__(
        self, search: Search, settled: list[Settled], most: int, settling: Settling
    ) -> None:
        self._search = search
        self._settling = settling
        self.settled = list(settled)
        self._texts: dict[str, str] = {}
        self._most_tests = max(len(settled), len(search.all_ways()) * 2)
        chosen = list(self._bugs())
        if len(chosen) > most:
            picked = random.Random(search.seed).sample(range(len(chosen)), most)
            chosen = [chosen[number] for number in sorted(picked)]
        self._chosen = chosen

    def planted(self) -> list[Planted]:
        """What became of each."""
        found = [self._one(bug) for bug in self._chosen]
        return [one for one in found if one is not None]

    def _bugs(self) -> Iterator[Bug]:
        scope = self._search.service.scope
        spans: dict[str, list[tuple[int, int]]] = {}
        for function in scope.entered(self._search.met_sites()):
            code = function.__code__
            last = max((line for *_, line in code.co_lines() if line), default=0)
            spans.setdefault(code.co_filename, []).append((code.co_firstlineno, last))
        for file, of_file in spans.items():
            text = self._texts[file] = Path(file).read_text("utf-8")
            yield from bugs_in(
                text,
                file,
                lambda line, of=of_file: any(a < line <= b for a, b in of),  # type: ignore[misc]
            )

    def _one(self, bug: Bug) -> Planted | None:
        """What became of a bug; None where the code cannot be run with it at all."""
        place = f"{Path(bug.file).name}:{bug.line}"
        together = among(self.settled)
        with self._bugged(bug) as runs:
            if not runs:
                return None
            for one in self.settled:
                if self._tells(one.trial, together):
                    return Planted(place, bug.told, True, "")
            telling = self._sought(self._pool(), together)
        if telling is None:
            more = list(self._varied(bug))  # by the sound code
            with self._bugged(bug):
                telling = self._sought(more, together)
        if telling is None:
            why = f"none of {2 * _POOL} arrangements gave anything else: it may be no bug at all"
            return Planted(place, bug.told, False, why)
        return Planted(place, bug.told, self._add(telling, bug), "what tells it holds in no test")

    # --- telling ----------------------------------------------------------------------------------

    def _tells(self, sound: Trial, together: Among) -> bool:
        """Whether a test would fail with the bug."""
        found = self._search.trials.run(sound.arrangement)
        if not found.is_path:
            return True
        return _asserted(found, together) != _asserted(sound, together)

    def _sought(self, pool: Iterable[Trial], together: Among) -> Trial | None:
        for sound in islice(pool, _POOL):
            if self._tells(sound, together):
                return sound
        return None

    def _pool(self) -> Iterator[Trial]:
        """Trials of the sound code: the smallest first, those at a boundary before all."""
        paths = [one for one in self._search.paths() if not one.refused]
        edges = [one for one in paths if any(way.outcome == "edge" for way in one.ways)]
        yield from sorted(edges, key=lambda one: one.arrangement.size)[:20]
        yield from sorted(paths, key=lambda one: one.arrangement.size)

    def _varied(self, bug: Bug) -> Iterator[Trial]:
        """New trials around the line of a bug: its operands carried to what may tell."""
        search, service = self._search, self._search.service
        decisions = [one for one in search.decisions.values() if one.line == bug.line]
        near = [t for one in decisions if one.file == bug.file for t in search.met(one.number)]
        far = sorted(search.paths(), key=lambda one: (one.error is not None, -len(one.ways)))
        for base in [*sorted(filter(_is_path, near), key=_size)[:2], *far[:2]]:
            leaves = all_leaves(base, service)
            arrangements: list[Arrangement] = []
            for decision in decisions:
                for pair in base.operands.get(decision.number, [])[:3]:
                    for side in pair:
                        for value in bug.values:
                            arrangements += carried(base, side, value, leaves)
            arrangements += islice(by_structure(base, service), 24)
            for leaf in leaves:
                mined = [one for one in bug.values if one is not None]
                for value in islice(others(leaf.value, leaf.node, [*mined, *service.mined]), 9):
                    if fits(value, leaf.node):
                        arrangements.append(base.put(leaf.path, value))
            for arrangement in arrangements[:_POOL]:
                found = search.retried(arrangement)
                if found.is_path:
                    yield found

    def _add(self, telling: Trial, bug: Bug) -> bool:
        """Make a test of it, where it holds; whether it does."""
        if len(self.settled) >= self._most_tests:
            return False
        together = among(self.settled)

        def is_as_good(found: Trial) -> bool:
            if not found.is_path or type(found.error) is not type(telling.error):
                return False
            with self._bugged(bug):
                return self._tells(found, together)

        test = self._settling.test_of(telling, is_as_good)
        if test is None or not is_as_good(test.trial):
            return False
        self.settled.append(test)
        return True

    @contextmanager
    def _bugged(self, bug: Bug) -> Iterator[bool]:
        """Run the code with the bug for a while; false where it cannot even be compiled."""
        scope = self._search.service.scope
        tree = planted_in(self._texts[bug.file], bug)
        try:
            made = probed_tree(tree, bug.file, len(scope.decisions))
        except (SyntaxError, ValueError):
            yield False
            return
        with scope.replaced(made, bug.file):
            yield True


def _is_path(trial: Trial) -> bool:
    return trial.is_path


def _size(trial: Trial) -> int:
    return trial.arrangement.size


def _asserted(trial: Trial, together: Among) -> str:
    told = Asserting(trial, DraftSpelling(), together).told()
    return f"{told.raised} {told.direct} {told.lines}"
