"""Sequences made small: the fewest steps, and the plainest values, that still show a difference.

What is left cannot be made smaller by any single change: one-minimal, as A. Zeller and
R. Hildebrandt call it ("Simplifying and isolating failure-inducing input", IEEE Transactions on
Software Engineering 28, 2002).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from inspect import Parameter
from typing import Any

from urnshelf.records.copies import keep
from urnshelf.twins import steps
from urnshelf.twins.one_run import Finding, Signature
from urnshelf.twins.pools import Pools

MOST_RUNS = 600
Run = Callable[[steps.Sequence], list[Finding]]


class Shrinker:
    """Makes one sequence small.

    Args:
        run: runs a sequence.
        pools: the record types.
        signature: of the difference that must stay.
        is_late: whether there is no time left.
    """

    def __init__(
        self, run: Run, pools: Pools, signature: Signature, is_late: Callable[[], bool]
    ) -> None:
        self._run = run
        self._pools = pools
        self._signature = signature
        self._is_late = is_late
        self.runs = 0

    def shrunk(self, sequence: steps.Sequence) -> steps.Sequence:
        """The smallest that was found."""
        sequence = self._cut(sequence)
        while True:
            before = sequence
            for candidates in (
                self._fewer_steps, self._second_records, self._fewer_records,
                self._fewer_arguments, self._plainer_values, self._plainer_records,
            ):  # fmt: skip
                sequence = self._taken(sequence, candidates)
            if sequence == before or self._is_spent:
                return sequence

    @property
    def _is_spent(self) -> bool:
        return self.runs >= MOST_RUNS or self._is_late()

    def _at(self, sequence: steps.Sequence) -> int | None:
        """The step at which the difference shows; None where it does not any more."""
        self.runs += 1
        found = [one.step for one in self._run(sequence) if one.signature == self._signature]
        return found[0] if found else None

    def _cut(self, sequence: steps.Sequence) -> steps.Sequence:
        """Without what comes after the difference."""
        at = self._at(sequence)
        if at is None:
            return sequence
        numbers = [one.number for one in sequence.steps]
        return replace(sequence, steps=sequence.steps[: numbers.index(at) + 1])

    def _taken(
        self,
        sequence: steps.Sequence,
        candidates: Callable[[steps.Sequence], Iterator[steps.Sequence]],
    ) -> steps.Sequence:
        """Take what still shows it, until nothing smaller does."""
        is_smaller = True
        while is_smaller:
            is_smaller = False
            for one in candidates(sequence):
                if self._is_spent:
                    return sequence
                if self._at(one) is not None:
                    sequence = self._cut(one) if candidates == self._fewer_steps else one
                    is_smaller = True
                    break
        return sequence

    # --- candidates -------------------------------------------------------------------------------

    def _fewer_steps(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        every = sequence.steps[:-1]  # the last one shows it
        size = len(every)
        while size:
            for start in range(0, len(every), size):
                yield sequence.without({one.number for one in every[start : start + size]})
            size //= 2

    def _fewer_records(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        for form, n in sorted(sequence.used(), key=lambda one: (one[0].__qualname__, one[1])):
            for lower in range(n):
                yield sequence.mapped(lambda value: _merged(value, form, n, lower))  # noqa: B023

    def _second_records(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        """A record that is changed and handed in again, as two records of their own."""
        for at, step in enumerate(sequence.steps):
            if not isinstance(step, steps.Assign):
                continue
            first = _handed_in(sequence, step.held)
            free = first and [
                n
                for n in range(len(sequence.drafts[first.form]))
                if (first.form, n) not in sequence.used()
            ]
            if not first or not free:
                continue
            second = replace(first, n=free[0])
            values = sequence.drafts[first.form][first.n]
            told = self._told(sequence, step.value)
            others = {first: second, step.held: second}
            after = [_changed_to(one, others) for one in sequence.steps[at + 1 :]]
            shorter = replace(sequence, steps=(*sequence.steps[:at], *after))
            yield shorter.with_draft(second.form, second.n, {**values, step.field: told})

    def _told(self, sequence: steps.Sequence, value: steps.Value) -> Any:
        if isinstance(value, steps.Part):
            return keep(sequence.drafts[value.form][value.n].get(value.field))
        return keep(value.value) if isinstance(value, steps.Literal) else None

    def _fewer_arguments(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        for step in sequence.steps:
            if not isinstance(step, steps.Call):
                continue
            parameters = step.offered.member.signature.parameters
            for name, value in step.given:
                declared = parameters[name]
                may_go = declared.default is not Parameter.empty or declared.kind in _MORE
                if may_go:
                    rest = tuple(pair for pair in step.given if pair[0] != name)
                    yield sequence.with_step(replace(step, given=rest))
                for fewer in _fewer_parts(value):
                    given = tuple((n, fewer if n == name else one) for n, one in step.given)
                    yield sequence.with_step(replace(step, given=given))

    def _plainer_values(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        for step in sequence.steps:
            if isinstance(step, steps.Assign) and isinstance(step.value, steps.Literal):
                for value in _plainer(step.value.value):
                    yield sequence.with_step(replace(step, value=steps.Literal(value)))
            if not isinstance(step, steps.Call):
                continue
            for name, value in step.given:
                for plainer in _plainer_of(value):
                    given = tuple((n, plainer if n == name else one) for n, one in step.given)
                    yield sequence.with_step(replace(step, given=given))

    def _plainer_records(self, sequence: steps.Sequence) -> Iterator[steps.Sequence]:
        """Fields at their defaults, which need not be told, or as a record was drawn."""
        for form, n in sorted(sequence.used(), key=lambda one: (one[0].__qualname__, one[1])):
            pool = self._pools.of[form]
            values = sequence.drafts[form][n]
            for name, field in pool.described.given.items():
                if name not in values or name in pool.key_fields:
                    continue
                for plain in _plain_values(field, pool.rows[0].get(name)):
                    if repr(plain) == repr(values[name]):
                        break  # it is as plain already
                    yield sequence.with_draft(form, n, {**values, name: plain})


def _handed_in(sequence: steps.Sequence, held: steps.Drawn | steps.Got) -> steps.Drawn | None:
    """The drawn record that an object is: itself, or as a write gave it back."""
    if isinstance(held, steps.Drawn):
        return held
    for step in sequence.steps:
        if isinstance(step, steps.Call) and step.number == held.step and not step.offered.is_look:
            return next((one for _, one in step.given if isinstance(one, steps.Drawn)), None)
    return None


def _changed_to(step: steps.Step, others: dict[Any, steps.Drawn]) -> steps.Step:
    """A step that speaks of other records."""
    if not isinstance(step, steps.Call):
        return step
    given = tuple(
        (name, others.get(one, one) if isinstance(one, (steps.Drawn, steps.Got)) else one)
        for name, one in step.given
    )
    return replace(step, given=given)


def _merged(value: steps.Value, form: Any, n: int, lower: int) -> steps.Value:
    if not isinstance(value, (steps.Drawn, steps.Part, steps.Now)):
        return value
    return replace(value, n=lower) if (value.form, value.n) == (form, n) else value


def _fewer_parts(value: steps.Value) -> Iterator[steps.Value]:
    if isinstance(value, steps.Items):
        for at in range(len(value.values)):
            yield replace(value, values=(*value.values[:at], *value.values[at + 1 :]))
    elif isinstance(value, (steps.Pairs, steps.Built)):
        for at in range(len(value.pairs)):
            yield replace(value, pairs=(*value.pairs[:at], *value.pairs[at + 1 :]))


def _plainer_of(value: steps.Value) -> Iterator[steps.Value]:
    if isinstance(value, steps.Literal):
        for plain in _plainer(value.value):
            yield steps.Literal(plain)
    elif isinstance(value, steps.Part) and value.turn:
        yield replace(value, turn="")
    elif isinstance(value, steps.Now) or (isinstance(value, steps.Got) and value.field):
        yield steps.Literal(1)  # a key, most often


def _plainer(value: Any) -> Iterator[Any]:
    """Values of its kind that are shorter to read."""
    if type(value) is str and len(value) > 3:
        yield from (value[:1], value[: len(value) // 2])
    elif type(value) is int and abs(value) > 1:
        yield from (0, 1)
    elif type(value) in (list, dict) and value:
        yield type(value)()


def _plain_values(field: Any, drawn: Any) -> Iterator[Any]:
    if field.has_default and not field.is_made:
        yield field.default
    yield keep(drawn)


_MORE = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
