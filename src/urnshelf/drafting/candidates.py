"""Candidates: arrangements that may take a way which none took yet."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from itertools import islice
from typing import Any

from urnshelf.drafting.arrangement import Arrangement
from urnshelf.drafting.carrying import by_operands, fits
from urnshelf.drafting.decisions import BRANCH, LOOP, MATCH, TRY, Decision, Way
from urnshelf.drafting.hinting import by_hints, with_key
from urnshelf.drafting.leaves import all_leaves
from urnshelf.drafting.matching import by_case, wanted_by
from urnshelf.drafting.secants import by_slope
from urnshelf.drafting.service import Service
from urnshelf.drafting.structures import by_structure
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import others
from urnshelf.drafting.values import Leaf

Candidates = Generator[Arrangement, Any, None] | Iterator[Arrangement]
"""Arrangements; a generator may be told what became of each."""


def sent(candidates: Candidates, trial: Any) -> Arrangement:
    """The next candidate; raises StopIteration at the end.

    Args:
        candidates: which may be told.
        trial: what became of the one before; None for the first.
    """
    if isinstance(candidates, Generator):
        return candidates.send(trial)
    return next(candidates)


def candidates_for(way: Way, base: Trial, service: Service, decision: Decision) -> Candidates:
    """All candidates for a way, the likeliest first.

    Args:
        way: the one that is wanted.
        base: a trial that is near to it.
        service: what is run.
        decision: of the way.
    """
    leaves = all_leaves(base, service)
    space = service.space_of(decision.file)
    wanted = wanted_by(decision, way, space)
    if decision.kind == MATCH:
        yield from by_case(base, decision, way, leaves, space)
        yield from by_hints(base, way.site, leaves, wanted, wanted)
    if decision.kind not in (LOOP, TRY, MATCH):
        yield from by_operands(base, decision, way, leaves)
        if decision.operator in ("In", "NotIn"):
            yield from with_key(base, way.site, leaves, service.mined)
        yield from by_hints(base, way.site, leaves, service.mined)
        yield from by_slope(base, way, leaves)
    if decision.kind == LOOP:
        yield from _by_length(base, leaves)
    yield from by_structure(base, service)
    if decision.kind in (TRY, LOOP, MATCH):
        yield from by_hints(base, way.site, leaves, service.mined)
    if decision.kind == BRANCH or decision.kind != LOOP:
        yield from _by_length(base, leaves)
    yield from _alternatives(base, leaves, service)


def _alternatives(base: Trial, leaves: list[Leaf], service: Service) -> Candidates:
    for leaf in leaves:
        for value in islice(others(leaf.value, leaf.node, service.mined), 24):
            if fits(value, leaf.node):
                yield base.put(leaf.path, value)


def _by_length(base: Trial, leaves: list[Leaf]) -> Candidates:
    """Lists of no, one, two and three items."""
    for leaf in leaves:
        if isinstance(leaf.value, (list, tuple, set, dict)):
            for value in others(leaf.value, leaf.node):
                if fits(value, leaf.node):
                    yield base.put(leaf.path, value)
