"""The check itself: sequences are run until they are done or time is up; what differs is made small
and told.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from urnshelf.calls.wording import plural
from urnshelf.errors import TwinRefused, UrnShelfError
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.readings.teaching import code_of
from urnshelf.records.display import show
from urnshelf.shelf import Shelf
from urnshelf.twins.advice import Difference
from urnshelf.twins.causes import Causes
from urnshelf.twins.counts import Counted, Counts
from urnshelf.twins.differing import Comparing
from urnshelf.twins.fresh import Real, outside_of_loops
from urnshelf.twins.generating import Generator
from urnshelf.twins.pools import Pools
from urnshelf.twins.reports import report, said_of, table
from urnshelf.twins.side_by_side import Runner
from urnshelf.twins.surface import Surface, surface_of

MOST_REPORTS = 12
Progress = Callable[[int, int, int], object]
"""Is told how many sequences were run, of how many, and how many differences were found."""


class Checked:
    """What a check came to. It shows itself as a table of the methods, and a report for each
    difference.

    Attributes:
        differences: a report each.
        methods: the counts of each method.
        sequences: how many were run.
    """

    def __init__(
        self, names: str, reports: list[str], methods: list[Counted], sequences: int, wanted: int,
        seed: int,
    ) -> None:  # fmt: skip
        self.differences = reports
        self.methods = methods
        self.sequences = sequences
        self._names = names
        self._wanted = wanted
        self._seed = seed

    @property
    def heading(self) -> str:
        """What was checked, and how much of it."""
        confirmed = sum(one.state == "confirmed" for one in self.methods)
        why = "so many are enough" if len(self.differences) >= MOST_REPORTS else "the time was up"
        late = "" if self.sequences == self._wanted else f" of {self._wanted}: {why}"
        found = plural(len(self.differences), "difference") if self.differences else "no difference"
        return (
            f"{self._names}: {found}; {confirmed} of {plural(len(self.methods), 'method')} "
            f"confirmed ({plural(self.sequences, 'sequence')}{late}, seed {self._seed})"
        )

    @property
    def unconfirmed(self) -> list[str]:
        """What the check does not vouch for: methods, and why; fewer sequences than were wanted."""
        rest = [one for one in self.methods if one.state != "confirmed"]
        told = [
            f"{one.method} {one.state}{': ' if said_of(one) else ''}{said_of(one)}" for one in rest
        ]
        late = self.sequences < self._wanted
        return [*([f"{self.sequences} of {self._wanted} sequences"] if late else []), *told]

    @property
    def table(self) -> list[str]:
        """The methods, in lines."""
        return table(self.methods)

    def __str__(self) -> str:
        parts = [self.heading, "\n".join(self.table)]
        parts += [f"{n}. {one}" for n, one in enumerate(self.differences, 1)]
        return "\n\n".join(parts)

    def __repr__(self) -> str:
        return f"<{self.heading}>"


class Twin:
    """A fake and what it stands for, to be run through the same random operations.

    Args:
        interfaces: one, or several that share a store.
        real: a function without arguments that makes a fresh, empty real one; for several
            interfaces a tuple of one each. It may be a generator or a context manager, so that
            something is done afterwards, and a coroutine.
        arrange: a function of a shelf, which tells it what a test would: `shelf.define(…)`,
            `shelf.teach(…)`.
        rules: by record type, the rules of fields that the real one is particular about.
        any_order: methods whose records may come in any order: `[MooringRegister.all]`.
        except_fields: fields that are not compared: `["Mooring.arrival"]`.
        except_methods: methods that are not called.
        tolerance: how far two floats may be apart, as a part of the greater (0: not at all).
        assigns: whether fields of records that the caller holds are assigned to, as a service may.
        sequences: how many are run.
        seed: of what is drawn and chosen.
        advance: moves the real one's clock: a function of the real one (for several interfaces, of
            the tuple) and a timedelta; without it, nothing expires.
        seconds: so long it may take; what was done until then is told.

    Raises:
        TwinRefused: nothing of an interface is read, or `real` cannot make one.

    >>> from urnshelf.twins import Twin
    >>> from urnshelf.demo.harbour.adaptors.sqlite import SqliteMoorings, open_harbour
    >>> def told(shelf):
    ...     shelf.define(Mooring, missing=MooringUnknown)
    >>> def real():
    ...     connection = open_harbour()
    ...     yield SqliteMoorings(connection)
    ...     connection.close()
    >>> print(Twin(MooringRegister, real=real, arrange=told, sequences=5).check().heading)
    MooringRegister: 1 difference; ...
    """

    def __init__(
        self,
        *interfaces: Any,
        real: Callable[[], Any],
        arrange: Callable[[Shelf], object] | None = None,
        rules: Mapping[Any, Mapping[str, Any]] | None = None,
        any_order: Iterable[Any] = (),
        except_fields: Iterable[str] = (),
        except_methods: Iterable[Any] = (),
        tolerance: float = 0.0,
        assigns: bool = True,
        sequences: int = 200,
        seed: int = 0,
        advance: Callable[[Any, Any], object] | None = None,
        seconds: float = 60.0,
    ) -> None:
        if not interfaces:
            raise TwinRefused("Twin(…): give the interface that the fake is made from")
        self._forms = interfaces
        self._arrange = arrange
        taken_apart = [interface_of(one) for one in interfaces]
        self._names = ", ".join(one.name for one in taken_apart)
        self._real = Real(real, taken_apart)
        shelf = self._arranged()
        excepted = _names(except_methods, "except_methods")
        self._surface = surface_of(shelf, interfaces, excepted)
        try:
            self._pools = Pools(shelf, self._surface.record_types, rules or {})
        except UrnShelfError as why:
            raise TwinRefused(f"{self._names}: its records cannot be drawn: {why}") from why
        self._check_fields(fields := _fields(except_fields))
        free = _names(any_order, "any_order")
        labels = [one.label for one in self._surface.offered]
        labels += [one.label for one in self._surface.left_out]
        _check_known(free, labels, "any_order")
        _check_known(excepted, labels, "except_methods")
        self._generator = Generator(
            self._surface, self._pools, waits=advance is not None, assigns=assigns
        )
        if not self._generator.calls_anything:
            raise TwinRefused(_nothing(self._names, self._surface, self._generator.undrawn))
        self._comparing = Comparing(self._pools, free, fields, tolerance)
        self._runner = Runner(
            interfaces, self._real, self._arranged, self._surface, self._pools, self._comparing,
            advance,
        )  # fmt: skip
        self._sequences = sequences
        self._seed = seed
        self._seconds = seconds

    def check(self, progress: Progress | None = None) -> Checked:
        """Run the sequences.

        Args:
            progress: is told how far it is.

        Returns:
            The table of methods, and what differs.

        Raises:
            TwinRefused: the real one is not empty from the start, does not come back, or cannot be
                made.
        """
        return outside_of_loops(lambda: self._checked(progress))

    def _checked(self, progress: Progress | None) -> Checked:
        with self._runner.running():
            return _Check(self, progress).checked()

    def _arranged(self) -> Shelf:
        shelf = Shelf(seed=self._seed if hasattr(self, "_seed") else 0)
        if self._arrange is not None:
            try:
                self._arrange(shelf)
            except UrnShelfError as why:
                raise TwinRefused(f"arrange= raised {type(why).__name__}: {why}") from why
        return shelf

    def _check_fields(self, fields: frozenset[str]) -> None:
        known: set[str] = set()
        for form, pool in self._pools.of.items():
            known |= {
                *pool.described.names,
                *(f"{form.__name__}.{n}" for n in pool.described.names),
            }
        for one in sorted(fields - known):
            raise TwinRefused(
                f"except_fields=[{one!r}]: no record has it; there are "
                f"{', '.join(sorted(name for name in known if '.' in name)) or 'none'}"
            )


def _fields(told: Iterable[str]) -> frozenset[str]:
    if isinstance(told, str):
        raise TwinRefused(f"except_fields={told!r}: give a list, except_fields=[{told!r}]")
    return frozenset(told)


def _names(methods: Iterable[Any], option: str) -> frozenset[str]:
    """Methods by name: `BerthRepository.get`, or as it is written there."""
    if isinstance(methods, str) or callable(methods):
        raise TwinRefused(f"{option}={show(methods, 40)}: give a list of methods")
    found = set()
    for one in methods:
        name = one if isinstance(one, str) else getattr(code_of(one), "__qualname__", "")
        if not name:
            raise TwinRefused(f"{option}=[{show(one, 40)}]: give methods, as BerthRepository.get")
        found.add(".".join(name.split(".")[-2:]))
    return frozenset(found)


def _check_known(methods: Iterable[str], labels: Iterable[str], option: str) -> None:
    known = {name: None for label in labels for name in (label, label.rpartition(".")[2])}
    for one in sorted(methods):
        if one not in known:
            raise TwinRefused(f"{option}=[{one}]: no such method; {nearest(one, known)}")


def _nothing(names: str, surface: Surface, undrawn: Mapping[str, str]) -> str:
    why = [f"{one.label}: {one.why}" for one in surface.left_out]
    why += [f"{label}: {told}" for label, told in undrawn.items()]
    lines = "\n  ".join(why[:8]) or "it has no methods"
    return (
        f"{names}: nothing of it can be checked, for no method is read. Teach the fake what they "
        f"do, or declare it (shelf.keyed), in arrange=; `urnshelf explain` tells more\n  {lines}"
    )


def _all_refused(names: str, counted: list[Counted]) -> str:
    lines = [f"{one.method}: {one.why}" for one in counted if one.why]
    told = "\n  ".join(lines)
    return f"{names}: nothing was compared, for the fake answers no call\n  {told}"


class _Check:
    """A check while it runs."""

    def __init__(self, twin: Twin, progress: Progress | None) -> None:
        self._twin = twin
        self._progress = progress
        self._counts = Counts(
            twin._surface.offered, twin._surface.left_out, twin._generator.undrawn
        )
        self._ends = time.monotonic() + twin._seconds
        self._causes = Causes(twin._runner, twin._pools, self._counts, lambda: self._is_late)

    @property
    def _is_late(self) -> bool:
        return time.monotonic() > self._ends

    def checked(self) -> Checked:
        twin, causes = self._twin, self._causes
        run = 0
        for number in range(twin._sequences):
            if run and (self._is_late or len(causes.found) >= MOST_REPORTS):
                break
            if number < 3:
                twin._runner.check_empty()
            sequence = twin._generator.sequence(twin._seed, number)
            for finding in twin._runner.run(sequence, self._counts):
                causes.note(sequence, finding)
            run += 1
            if self._progress is not None:
                self._progress(run, twin._sequences, len(causes.found))
        if not any(one.calls for one in self._counts.all):
            raise TwinRefused(_all_refused(twin._names, self._counts.all))
        reports = [report(self._with_others(one), twin._forms, twin._pools) for one in causes.found]
        return Checked(twin._names, reports, self._counts.all, run, twin._sequences, twin._seed)

    def _with_others(self, difference: Difference) -> Difference:
        """The same, with the look-ups that found such records and in which it does not show."""
        form = difference.finding.unlike.form
        found = {one.method for one in self._counts.all if one.hit}
        others = [
            one.label
            for one in self._twin._surface.offered
            if one.gives is not None and one.gives.form is form and one.label in found
        ]
        rest = tuple(label for label in others if label not in difference.methods)
        return difference._replace(others=rest)
