"""One sequence, run on a fresh fake and a fresh real one, and compared after every step."""

from __future__ import annotations

import asyncio
import warnings
from collections.abc import Callable, Coroutine, Iterator, Sequence
from contextlib import contextmanager
from inspect import Parameter
from typing import Any, NamedTuple, TypeVar

from urnshelf import running as runners
from urnshelf.errors import TwinRefused, UnansweredCall
from urnshelf.readings.operations import Operation
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.shelf import Shelf
from urnshelf.twins import steps
from urnshelf.twins.comparing import Comparing, Unlike
from urnshelf.twins.counts import Counts
from urnshelf.twins.fresh import CALL_SECONDS, Overdue, Real, in_time
from urnshelf.twins.keys import Keys
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered, Surface
from urnshelf.twins.worlds import Dangling, Outcome, World, described_as

__tracebackhide__ = True  # a failing test shows its own lines, not ours

T = TypeVar("T")
Signature = tuple[Any, ...]
"""What differences of one cause have in common."""


class Finding(NamedTuple):
    """A difference: where, in what, and what both came to."""

    step: int
    offered: Offered | None
    unlike: Unlike
    fake: Outcome
    real: Outcome
    held: steps.Drawn | steps.Got | None = None
    """What the caller holds that differs; None for the result of the step."""

    @property
    def field(self) -> str:
        """The field that differs, as `Mooring.days`; empty where something else does."""
        unlike = self.unlike
        return f"{unlike.form.__name__}.{unlike.field}" if unlike.field else ""

    @property
    def signature(self) -> Signature:
        """What differences of one cause have in common."""
        kind, form, field, _ = self.unlike
        label = "" if self.offered is None else self.offered.label
        if kind in ("field", "handed", "key"):
            return kind, form, field
        if kind == "raised":
            types = type(self.fake.error), type(self.real.error)
            both = None not in (self.fake.error, self.real.error)
            # what a store raises for want of a record it raises in all methods
            about = None if self.offered is None or not both else self.offered.record_type
            return kind, about or label, *types
        if kind == "order" and self.offered is not None:
            return kind, self.offered.interface.name
        return kind, label


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
        self.comparing = comparing
        self._advance = advance
        self._wind: Callable[[], None] = lambda: None
        self._loop: asyncio.Runner | None = None
        self.last: steps.Call | None = None
        """The call that was made last."""

    @contextmanager
    def running(self) -> Iterator[None]:
        """The time in which sequences are run."""
        with warnings.catch_warnings(), runners.unnoticed(), in_time() as self._wind:
            # what a real one leaves open is its own affair, and there are hundreds of them
            warnings.simplefilter("ignore", ResourceWarning)
            if not self._real.needs_loop:
                yield
                return
            with asyncio.Runner() as self._loop:
                yield

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
            elif self.comparing.records(one.value, other.value, keys):
                return True
        return False

    def check_empty(self) -> None:
        """Refuse real ones that hold something from the start."""
        for call, outcome in self._driven(self._looked()):
            if Counts.is_hit(outcome):
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
            method = "real=" if self.last is None else self.last.offered.label
            raise TwinRefused(
                f"{method} did not come back within {CALL_SECONDS:.0f} seconds, on the real one"
            ) from None
        work.close()
        raise TwinRefused("the real one waits for an event loop, but its interface is not async")

    # --- one sequence -----------------------------------------------------------------------------

    async def _run(self, sequence: steps.Sequence, counts: Counts | None) -> list[Finding]:
        shelf = self._arranged()
        fakes = tuple([shelf.fake(form) for form in self._forms])
        self.last = None
        self._wind()
        async with self._real.fresh() as objects:
            fake = World(fakes, sequence.drafts, self._pools)
            real = World(objects, sequence.drafts, self._pools)
            run = _Run(self, shelf, fake, real, objects, counts)
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
        self.last = None
        self._wind()
        async with self._real.fresh() as objects:
            world = World(objects, {}, self._pools)
            for number, offered in enumerate(asked):
                self.last = call = steps.Call(number, offered, ())
                outcome = await world.call(call, world.ready(call))
                if offered.is_look:
                    found.append((call, outcome))
        return found


def _takes_nothing(offered: Offered) -> bool:
    parameters = offered.member.signature.parameters.values()
    more = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
    return all(one.default is not one.empty or one.kind in more for one in parameters)


class _Run:
    """A sequence while it runs."""

    def __init__(
        self,
        of: Runner,
        shelf: Shelf,
        fake: World,
        real: World,
        objects: tuple[Any, ...],
        counts: Counts | None,
    ) -> None:
        self._of = of
        self._shelf = shelf
        self._fake = fake
        self._real = real
        self._objects = objects
        self._counts = counts
        self._keys = Keys(of._pools)
        self._taught: set[int] = set()
        """The steps that call a taught method."""
        self._is_open = False
        """Whether a unit of work is."""
        self._uncommitted: set[Any] = set()
        """The steps, and the drawn records that got a key, since the last commit."""
        self.found: list[Finding] = []

    async def take(self, step: steps.Step) -> bool:
        """Take a step in both worlds; whether to go on."""
        try:
            if isinstance(step, steps.Call):
                return await self._call(step)
            if isinstance(step, steps.Assign):
                self._assign(step)
            else:
                self._wait(step)
        except Dangling:
            pass
        return True

    async def _call(self, step: steps.Call) -> bool:
        offered = step.offered
        if offered.path and not self._is_open:
            raise Dangling
        mine, theirs = self._fake.ready(step), self._real.ready(step)
        handed = [] if offered.is_look else self._handed(step)
        empty = [self._is_without_key(drawn.form, one) for drawn, one, _ in handed]
        self._of.last = step
        if offered.operation is Operation.TAUGHT:
            self._taught.add(step.number)
        fake = await self._fake.call(step, mine)
        if isinstance(fake.error, UnansweredCall):
            if self._counts is not None:
                self._counts.unanswered(offered, fake.error)
            return True
        self._of._wind()
        real = await self._real.call(step, theirs)
        if self._counts is not None:
            self._counts.note(offered, real)
        for (drawn, one, other), was_empty in zip(handed, empty, strict=True):
            if was_empty:
                self._learn(step, drawn.form, one, other)
        self._learn_from_result(step, fake, real, any(empty))
        self._follow_unit(step, [one[0] for one, was in zip(handed, empty, strict=True) if was])
        before = len(self.found)
        for unlike in self._of.comparing.outcomes(offered, fake, real, self._keys):
            told = self._of_given_back(offered, unlike)
            self.found.append(self._finding(step, told, fake, real))
        if offered.is_look:
            return True
        if len(self.found) == before and not fake.raised:
            self._compare_handed(step, handed)
        # after a write that differed all that follows would be its consequence
        return len(self.found) == before

    def _of_given_back(self, offered: Offered, unlike: Unlike) -> Unlike:
        """A write that gives back the record: with another key, it assigned it otherwise."""
        pool = self._of._pools.of.get(offered.record_type)
        is_key = unlike.kind == "found" and unlike.direction == "other"
        if offered.is_look or pool is None or not is_key or unlike.form is not pool.form:
            return unlike
        return Unlike("handed", pool.form, pool.key)

    def _finding(
        self,
        step: steps.Step,
        unlike: Unlike,
        fake: Outcome,
        real: Outcome,
        held: steps.Drawn | steps.Got | None = None,
    ) -> Finding:
        offered = step.offered if isinstance(step, steps.Call) else None
        mine, theirs = (Outcome(keep(one.value), one.error) for one in (fake, real))
        return Finding(step.number, offered, unlike, mine, theirs, held)

    def _follow_unit(self, step: steps.Call, keyed: list[steps.Drawn]) -> None:
        """What a rollback takes back may come again as another: nothing speaks of it then."""
        operation = step.offered.operation
        if not step.offered.is_of_unit:
            self._uncommitted |= {step.number, *((one.form, one.n) for one in keyed)}
            return
        self._is_open = operation is not Operation.LEAVE
        if operation in (Operation.COMMIT, Operation.BEGIN):
            self._keys.committed()
        else:
            self._keys.rolled_back()
            for world in (self._fake, self._real):
                world.lost |= self._uncommitted
        self._uncommitted.clear()

    # --- keys -------------------------------------------------------------------------------------

    def _handed(self, step: steps.Call) -> list[tuple[steps.Drawn, Any, Any]]:
        pairs = zip(self._fake.handed(step), self._real.handed(step), strict=True)
        return [(drawn, one, other) for (drawn, one), (_, other) in pairs]

    def _is_without_key(self, form: Any, record: Any) -> bool:
        pool = self._of._pools.of[form]
        return bool(pool.key) and not pool.described.fetch(record, pool.key)

    def _learn(self, step: steps.Step, form: Any, one: Any, other: Any) -> None:
        pool = self._of._pools.of[form]
        mine, theirs = (pool.described.fetch(record, pool.key) for record in (one, other))
        if mine is None or theirs is None or not _can_be_key(mine) or not _can_be_key(theirs):
            return
        if not self._keys.learn(form, mine, theirs):
            unlike = Unlike("key", form, pool.key)
            self.found.append(self._finding(step, unlike, Outcome(one), Outcome(other)))

    def _learn_from_result(
        self, step: steps.Call, fake: Outcome, real: Outcome, was_empty: bool
    ) -> None:
        """A write gives back the record with its key, or the key itself."""
        offered = step.offered
        pool = self._of._pools.of.get(offered.record_type)
        makes = offered.operation is Operation.MAKE
        if pool is None or not pool.key or not offered.adds or not (was_empty or makes):
            return
        if fake.raised or real.raised:
            return
        one, other = fake.value, real.value
        if offered.gives is not None and not offered.gives.is_many:
            if described_as(one) is not None and type(one) is type(other):
                self._learn(step, offered.record_type, one, other)
        elif type(one) is type(other) and one is not None and _can_be_key(one):
            is_key = type(one) is not bool and offered.gives is None
            if is_key and not self._keys.learn(offered.record_type, one, other):
                unlike = Unlike("key", offered.record_type, pool.key)
                self.found.append(self._finding(step, unlike, fake, real))

    # --- what the caller holds --------------------------------------------------------------------

    def _compare_handed(self, step: steps.Call, handed: list[tuple[steps.Drawn, Any, Any]]) -> None:
        for drawn, one, other in handed:
            for unlike in self._of.comparing.records(one, other, self._keys):
                pool = self._of._pools.of[drawn.form]
                field = pool.key if unlike.kind == "found" else unlike.field
                self._hold(step, Unlike("handed", drawn.form, field), drawn, one, other)

    def _hold(
        self, step: steps.Step, unlike: Unlike, held: steps.Drawn | steps.Got, one: Any, other: Any
    ) -> None:
        finding = self._finding(step, unlike, Outcome(one), Outcome(other), held)
        self.found.append(finding)

    def _assign(self, step: steps.Assign) -> None:
        if isinstance(step.held, steps.Got) and step.held.step in self._taught:
            raise Dangling
        mine, theirs = self._fake.assigning(step), self._real.assigning(step)
        before = self._held()
        apart = self._of.comparing.records
        was_alike = [not apart(one, other, self._keys) for _, one, other in before]
        mine()
        theirs()
        # what was alike before, and is not now, hangs together in one world, and not in the other
        for (held, one, other), was in zip(before, was_alike, strict=True):
            for unlike in apart(one, other, self._keys) if was else ():
                self._hold(step, unlike, held, one, other)

    def _held(self) -> list[tuple[steps.Drawn | steps.Got, Any, Any]]:
        fake, real = self._fake, self._real
        handed = [
            (steps.Drawn(*at), one, real.made[at])
            for at, one in fake.made.items()
            if at in real.made
        ]
        gave = [
            (steps.Got(at), one, real.gave[at])
            for at, one in fake.gave.items()
            # what a taught method gives is a copy, whatever its function gives
            if at in real.gave and at not in self._taught and _holds_records(one)
        ]
        return [*handed, *gave]

    def _wait(self, step: steps.Wait) -> None:
        self._shelf.clock.advance(step.span)
        if self._of._advance is not None:
            several = len(self._of._forms) > 1
            self._of._advance(self._objects if several else next(iter(self._objects)), step.span)


def _can_be_key(value: Any) -> bool:
    try:
        hash(value)
    except TypeError:
        return False
    return True


def _holds_records(value: Any) -> bool:
    if isinstance(value, (list, tuple)):
        return any(map(_holds_records, value[:3]))
    return described_as(value) is not None
