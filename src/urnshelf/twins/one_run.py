"""One sequence while it runs: a step is taken in both worlds, and what came of it is compared."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from urnshelf.errors import UnansweredCall
from urnshelf.readings.operations import Operation
from urnshelf.records.copies import keep
from urnshelf.shelf import Shelf
from urnshelf.twins import steps
from urnshelf.twins.counts import Counts
from urnshelf.twins.differing import Comparing, Unlike
from urnshelf.twins.key_pairs import Keys
from urnshelf.twins.pools import Pools
from urnshelf.twins.surface import Offered
from urnshelf.twins.worlds import Dangling, Outcome, World, described_as

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


class Around:
    """What all runs of a check have in common.

    Args:
        pools: what records are built from.
        comparing: compares.
        advance: moves the clock of real ones; None where it cannot be moved.
    """

    def __init__(
        self, pools: Pools, comparing: Comparing, advance: Callable[[Any, Any], object] | None
    ) -> None:
        self.pools = pools
        self.comparing = comparing
        self.advance = advance
        self.wind: Callable[[], None] = lambda: None
        """Called before each call of a real one, which must come back in time."""
        self.last: steps.Call | None = None
        """The call that was made last."""


class Run:
    """A sequence while it runs.

    Args:
        around: what all runs have in common.
        shelf: whose fakes are one world.
        fake: that world.
        real: the other one.
        objects: the real ones.
        counts: of the methods; None where nobody counts.
    """

    def __init__(
        self,
        around: Around,
        shelf: Shelf,
        fake: World,
        real: World,
        objects: tuple[Any, ...],
        counts: Counts | None,
    ) -> None:
        self._around = around
        self._shelf = shelf
        self._fake = fake
        self._real = real
        self._objects = objects
        self._counts = counts
        self._keys = Keys(around.pools)
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
        self._around.last = step
        if offered.operation is Operation.TAUGHT:
            self._taught.add(step.number)
        fake = await self._fake.call(step, mine)
        if isinstance(fake.error, UnansweredCall):
            if self._counts is not None:
                self._counts.unanswered(offered, fake.error)
            return True
        self._around.wind()
        real = await self._real.call(step, theirs)
        if self._counts is not None:
            self._counts.note(offered, real)
        for (drawn, one, other), was_empty in zip(handed, empty, strict=True):
            if was_empty:
                self._learn(step, drawn.form, one, other)
        self._learn_from_result(step, fake, real, any(empty))
        self._follow_unit(step, [one[0] for one, was in zip(handed, empty, strict=True) if was])
        before = len(self.found)
        for unlike in self._around.comparing.outcomes(offered, fake, real, self._keys):
            told = self._of_given_back(offered, unlike)
            self.found.append(self._finding(step, told, fake, real))
        if offered.is_look:
            self._put_in_order(step, len(self.found) > before)
            return True
        if len(self.found) == before and not fake.raised:
            self._compare_handed(step, handed)
        # after a write that differed all that follows would be its consequence
        return len(self.found) == before

    def _put_in_order(self, step: steps.Call, is_unlike: bool) -> None:
        """Where no order counts, the first of both is to be the same record."""
        comparing = self._around.comparing
        one, other = self._fake.gave.get(step.number), self._real.gave.get(step.number)
        if is_unlike or not comparing.is_free(step.offered):
            return
        if isinstance(one, list) and isinstance(other, (list, tuple)):
            self._fake.gave[step.number] = comparing.in_order_of(other, one, self._keys)

    def _of_given_back(self, offered: Offered, unlike: Unlike) -> Unlike:
        """A write that gives back the record: with another key, it assigned it otherwise."""
        pool = self._around.pools.of.get(offered.record_type)
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
        pool = self._around.pools.of[form]
        return bool(pool.key) and not pool.described.fetch(record, pool.key)

    def _learn(self, step: steps.Step, form: Any, one: Any, other: Any) -> None:
        pool = self._around.pools.of[form]
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
        pool = self._around.pools.of.get(offered.record_type)
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
            for unlike in self._around.comparing.records(one, other, self._keys):
                pool = self._around.pools.of[drawn.form]
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
        apart = self._around.comparing.records
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
        if self._around.advance is not None:
            several = len(self._objects) > 1
            real = self._objects if several else next(iter(self._objects))
            self._around.advance(real, step.span)


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
