"""One sequence, run on a fresh fake and a fresh real one, and compared after every step."""

from __future__ import annotations

import asyncio
import gc
import warnings
from collections.abc import Callable, Coroutine, Iterator, Sequence
from contextlib import contextmanager, nullcontext
from inspect import Parameter
from typing import Any, TypeVar

from urnshelf import running as runners
from urnshelf.errors import TwinRefused
from urnshelf.readings.operations import Operation
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.records.recognising import has_own
from urnshelf.shelf import Shelf
from urnshelf.twins import steps
from urnshelf.twins.counts import Counts
from urnshelf.twins.differing import Comparing
from urnshelf.twins.fresh import CALL_SECONDS, Overdue, Real, in_time
from urnshelf.twins.key_pairs import Keys
from urnshelf.twins.one_run import Around, Finding, Run
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered, Surface
from urnshelf.twins.worlds import Dangling, Outcome, World, described_as

T = TypeVar("T")


class Runner:
    """Runs sequences.

    Args:
        forms: the interfaces.
        real: makes the real ones.
        arranged: makes a fresh shelf that was told what there is to tell.
        surface: what may be called.
        pools: what records are built from.
        comparing: compares.
        advance: moves the real ones' clock; None where it cannot be moved.
    """

    def __init__(
        self,
        forms: Sequence[Any],
        real: Real,
        arranged: Callable[[], Shelf],
        surface: Surface,
        pools: Pools,
        comparing: Comparing,
        advance: Callable[[Any, Any], object] | None,
    ) -> None:
        self._forms = forms
        self._real = real
        self._arranged = arranged
        self._surface = surface
        self._pools = pools
        self._around = Around(pools, comparing, advance)
        self._loop: asyncio.Runner | None = None

    @contextmanager
    def running(self) -> Iterator[None]:
        """The time in which sequences are run."""
        with warnings.catch_warnings(), runners.unnoticed(), in_time() as self._around.wind:
            # what a real one warns of, or leaves open, it does hundreds of times
            warnings.simplefilter("ignore")
            try:
                with asyncio.Runner() if self._real.needs_loop else nullcontext() as self._loop:
                    yield
            finally:
                gc.collect()  # a connection goes with the collector, and may warn as it goes

    def run(self, sequence: steps.Sequence, counts: Counts | None = None) -> list[Finding]:
        """Run a sequence; where the worlds differed."""
        return self._driven(self._run(sequence, counts))

    def alone(self, sequence: steps.Sequence) -> list[Outcome]:
        """Run a sequence on a real one alone; what its calls came to."""
        return self._driven(self._alone(sequence))

    def real_twice(self, sequence: steps.Sequence) -> bool:
        """Whether two fresh real ones differ in it from each other."""
        first, second = (self.alone(sequence) for _ in range(2))
        keys = Keys(self._pools)
        for one, other in zip(first, second, strict=True):
            if one.raised or other.raised:
                if type(one.error) is not type(other.error):
                    return True
            elif _is_opaque(one.value) and type(one.value) is type(other.value):
                continue
            elif self._around.comparing.records(one.value, other.value, keys):
                return True
        return False

    def check_empty(self) -> None:
        """Refuse real ones that hold something from the start."""
        for call, outcome in self._driven(self._looked()):
            if not outcome.raised and _holds_something(outcome.value):
                raise TwinRefused(
                    f"the real one is not empty from the start: {call.offered.label}() gives "
                    f"{show(outcome.value, 60)}. Let real= give a fresh one each time, whose "
                    "store is empty: a new database, or one that is rolled back"
                )

    def _driven(self, work: Coroutine[Any, Any, T]) -> T:
        try:
            if self._loop is not None:
                return self._loop.run(work)
            try:
                work.send(None)
            except StopIteration as done:
                return done.value  # type: ignore[no-any-return]
        except Overdue:
            method = "real=" if self._around.last is None else self._around.last.offered.label
            raise TwinRefused(
                f"{method} did not come back within {CALL_SECONDS:.0f} seconds, on the real one"
            ) from None
        work.close()
        raise TwinRefused("the real one waits for an event loop, but its interface is not async")

    # --- one sequence -----------------------------------------------------------------------------

    async def _run(self, sequence: steps.Sequence, counts: Counts | None) -> list[Finding]:
        shelf = self._arranged()
        fakes = tuple([shelf.fake(form) for form in self._forms])
        self._around.last = None
        self._around.wind()
        async with self._real.fresh() as objects:
            fake = World(fakes, sequence.drafts, self._pools)
            real = World(objects, sequence.drafts, self._pools)
            run = Run(self._around, shelf, fake, real, objects, counts)
            for step in sequence.steps:
                if not await run.take(step):
                    break
        return run.found

    async def _alone(self, sequence: steps.Sequence) -> list[Outcome]:
        """What a real one gives by itself."""
        found = []
        async with self._real.fresh() as objects:
            world = World(objects, sequence.drafts, self._pools)
            for step in sequence.steps:
                try:
                    if isinstance(step, steps.Call):
                        outcome = await world.call(step, world.ready(step))
                        value = None if step.offered.is_of_unit else keep(outcome.value)
                        found.append(Outcome(value, outcome.error))
                    elif isinstance(step, steps.Assign):
                        world.assigning(step)()
                except Dangling:
                    found.append(Outcome())
        return found

    async def _looked(self) -> list[tuple[steps.Call, Outcome]]:
        """What a fresh real one gives where nothing need be told."""
        surface = self._surface
        asked = [
            *surface.of(Operation.BEGIN),
            *(one for one in surface.offered if one.is_look and _takes_nothing(one)),
        ]
        found = []
        self._around.last = None
        self._around.wind()
        async with self._real.fresh() as objects:
            world = World(objects, {}, self._pools)
            for number, offered in enumerate(asked):
                self._around.last = call = steps.Call(number, offered, ())
                outcome = await world.call(call, world.ready(call))
                if offered.is_look:
                    found.append((call, outcome))
        return found


def _holds_something(value: Any) -> bool:
    """Whether it is certain that something was found: of an iterator nobody knows."""
    if isinstance(value, (int, float)):
        return bool(value)
    if isinstance(value, (list, tuple, dict, set, frozenset)):
        return len(value) > 0 and not (isinstance(value, tuple) and value[0] in ([], ()))
    return described_as(value) is not None


def _is_opaque(value: Any) -> bool:
    """Whether two of its kind are never the same: an iterator, an object without equality."""
    return has_own(type(value), "__eq__", object) and described_as(value) is None


def _takes_nothing(offered: Offered) -> bool:
    parameters = offered.member.signature.parameters.values()
    more = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
    return all(one.default is not one.empty or one.kind in more for one in parameters)
