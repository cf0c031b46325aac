"""Random sequences: made so that records and arguments meet, for that is where fakes differ.

A plain seeded generator, steered by what each parameter stands for: the same key again, a changed
case, the same look-up after a write, a held object that is changed.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from inspect import Parameter
from random import Random
from typing import Any

from urnshelf.readings.operations import Operation, Role
from urnshelf.records.copies import keep
from urnshelf.twins import steps
from urnshelf.twins.call_values import DRAFTS, Arguments, NotDrawn
from urnshelf.twins.pools import Pool, Pools
from urnshelf.twins.surface import Offered, Surface

_MOST_STEPS = 12
_SPANS = (timedelta(seconds=30), timedelta(minutes=5), timedelta(hours=2))


class Generator:
    """Makes sequences.

    Args:
        surface: what may be called.
        pools: what is drawn from.
        waits: whether the clock of the real one can be moved.
        assigns: whether fields of held records are assigned to.
    """

    def __init__(self, surface: Surface, pools: Pools, *, waits: bool, assigns: bool) -> None:
        self.assigns = assigns
        self._pools = pools
        self._surface = surface
        self.undrawn: dict[str, str] = {}
        """Methods of which a parameter cannot be drawn, and why they are not called."""
        self._asked = _asked_fields(surface)
        self._offered = [one for one in surface.offered if self._is_drawn(one)]
        self._writes = [one for one in self._offered if not one.is_look and not one.is_of_unit]
        self._looks = [one for one in self._offered if one.is_look]
        self._adds = [one for one in self._writes if one.adds]
        self._weights = [_weight(one) for one in self._writes]
        self._expires = any(
            one.role is Role.EXPIRES for method in self._offered for one in method.parameters
        )
        self._waits = waits and self._expires

    @property
    def calls_anything(self) -> bool:
        """Whether there is a method to be called at all."""
        return bool(self._writes or self._looks)

    def sequence(self, seed: int, number: int) -> steps.Sequence:
        """The sequence of a seed with this number."""
        return _Making(self, Random(seed * 1_000_003 + number)).made()

    def _is_drawn(self, offered: Offered) -> bool:
        trying = _Making(self, Random(0))
        trying.draft()
        try:
            for parameter in offered.parameters:
                for _ in range(3):
                    trying._arguments.value(offered, parameter)
        except NotDrawn as why:
            self.undrawn[offered.label] = f"no value can be drawn for {why}"
            return False
        return True


def _weight(offered: Offered) -> float:
    if offered.adds:
        return 3.0
    return 0.4 if offered.clears else 1.0


def _asked_fields(surface: Surface) -> set[tuple[Any, str]]:
    """The fields that look-ups ask for: these must meet."""
    return {
        (method.record_type, one.field.partition(".")[0])
        for method in surface.offered
        for one in method.parameters
        if one.field
    }


class _Making:
    """One sequence being made."""

    def __init__(self, of: Generator, random: Random) -> None:
        self._of = of
        self._pools = of._pools
        self._random = random
        self._drafts: dict[Any, tuple[dict[str, Any], ...]] = {}
        self._steps: list[steps.Step] = []
        self._handed: list[steps.Drawn] = []
        self._arguments = Arguments(of._pools, random)
        self._placed = 0

    def made(self) -> steps.Sequence:
        """The whole sequence."""
        self.draft()
        if self._of._surface.unit:
            for _ in range(self._random.randint(1, 3)):
                self._within_unit(lambda: self._some(self._random.randint(1, 5)))
            self._within_unit(self._look_at_all)
        else:
            self._some(self._random.randint(2, _MOST_STEPS))
            self._look_at_all()
        return steps.Sequence(self._drafts, tuple(self._steps))

    # --- records ----------------------------------------------------------------------------------

    def draft(self) -> None:
        """Choose the records; parents before those that refer to them."""
        pools = self._pools.of
        for form in pools:
            self._arguments.keyed[form] = (
                form in self._pools.has_children
                or not pools[form].may_lack_its_key
                or self._random.random() < 0.5
            )
        for form, pool in pools.items():
            self._drafts[form] = tuple(self._rows(pool))

    def _rows(self, pool: Pool) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = []
        for n in range(DRAFTS):
            row = self._row(pool, n)
            if rows and self._random.random() < 0.12:  # the same but for its key
                row = {**rows[0], **{field: row[field] for field in pool.key_fields}}
            rows.append(row)
        return rows

    def _row(self, pool: Pool, n: int) -> dict[str, Any]:
        random = self._random
        values = dict(random.choice(pool.rows))
        for field, edges in pool.edges.items():
            chance = random.random()
            if (pool.form, field) in self._of._asked and chance < 0.5:
                values[field] = random.choice(pool.rows[:3])[field]
            elif edges and chance > 0.9:
                values[field] = random.choice(edges)
        self._give_key(pool, n, values)
        for field, parent in pool.references.items():
            values[field] = self._key_of_a_parent(parent, values[field])
        return _kept_if_valid(pool, values)

    def _give_key(self, pool: Pool, n: int, values: dict[str, Any]) -> None:
        if not self._arguments.keyed[pool.form]:
            values[pool.key] = None
        elif pool.has_numbers:
            values[pool.key] = (1, 2, 3, 1)[n]
        elif n == DRAFTS - 1:  # one that is taken
            first = pool.rows[0]
            values.update({field: first[field] for field in pool.key_fields})
        else:
            row = pool.rows[n]
            values.update({field: row[field] for field in pool.key_fields})

    def _key_of_a_parent(self, parent: Any, drawn: Any) -> Any:
        pool = self._pools.of.get(parent)
        if pool is None or not pool.key or self._random.random() < 0.1:
            return drawn
        if pool.has_numbers:
            return self._random.choice((1, 2, 3))
        return self._random.choice(pool.rows[:DRAFTS])[pool.key]

    # --- steps ------------------------------------------------------------------------------------

    def _within_unit(self, inside: Callable[[], None]) -> None:
        surface, random = self._of._surface, self._random
        self._call(surface.of(Operation.BEGIN)[0])
        inside()
        ends = surface.of(Operation.COMMIT) if random.random() < 0.6 else []
        ends += surface.of(Operation.ROLL_BACK)[:1] if random.random() < 0.2 else []
        for one in ends:
            self._call(one)
        for one in surface.of(Operation.LEAVE)[:1]:
            self._call(one)

    def _some(self, count: int) -> None:
        if self._of._looks and self._random.random() < 0.15:  # there is nothing yet
            self._call(self._random.choice(self._of._looks))
        if self._of._adds:
            self._write(self._random.choice(self._of._adds))
        for _ in range(count):
            self._one()

    def _one(self) -> None:
        random, of = self._random, self._of
        chance = random.random()
        if chance < 0.15 and of.assigns and self._assign():
            return
        looked = [one for one in self._steps if type(one) is steps.Call and one.offered.is_look]
        if chance < 0.25 and looked:
            self._again(random.choice(looked))
        elif chance < 0.35 and of._waits:
            self._add(steps.Wait(self._next(), random.choice(_SPANS)))
        elif of._writes and (not of._looks or random.random() < 0.6):
            self._write(random.choices(of._writes, of._weights)[0])
        elif of._looks:
            self._call(random.choice(of._looks))

    def _look_at_all(self) -> None:
        for offered in self._of._looks:
            # without arguments once says it all
            times = self._random.randint(1, 3) if offered.parameters else 1
            for _ in range(times):
                self._call(offered)

    def _write(self, offered: Offered) -> None:
        pool = self._pools.of.get(offered.record_type)
        if pool is not None and pool.references and self._random.random() < 0.8:
            self._write_parents(pool)
        self._call(offered)

    def _write_parents(self, pool: Pool) -> None:
        """Most often that is there to which a record refers."""
        for parent in pool.references.values():
            adds = [one for one in self._of._adds if one.record_type is parent]
            if adds and parent is not pool.form:
                self._call(self._random.choice(adds))

    def _call(self, offered: Offered) -> None:
        random = self._random
        given: list[tuple[str, steps.Value]] = []
        parameters = offered.member.signature.parameters
        for parameter in offered.parameters:
            declared = parameters[parameter.name]
            may_be_left_out = declared.default is not Parameter.empty or declared.kind in _MORE
            if may_be_left_out and random.random() < 0.4:
                continue
            given.append((parameter.name, self._arguments.value(offered, parameter)))
        call = steps.Call(self._next(), offered, tuple(given))
        self._add(call)
        self._handed += [value for _, value in given if isinstance(value, steps.Drawn)]
        if offered.gives is not None:
            self._arguments.gave.append(call)

    def _assign(self) -> bool:
        """Assign to a field of a record that the caller holds; whether there is one."""
        held: list[steps.Drawn | steps.Got] = [*dict.fromkeys(self._handed)]
        for call in self._arguments.gave[-4:]:
            item = 0 if call.offered.gives and call.offered.gives.is_many else None
            held.append(steps.Got(call.number, item))
        self._random.shuffle(held)
        for one in held:
            form = one.form if isinstance(one, steps.Drawn) else self._form_of(one)
            pool = self._pools.of.get(form)
            if pool is None or pool.described.is_frozen:
                continue
            fields = [name for name in pool.described.names if name not in pool.key_fields]
            if not fields:
                continue
            field = self._random.choice(fields)
            value = self._arguments.part(pool, field)
            self._add(steps.Assign(self._next(), one, field, value))
            if isinstance(one, steps.Got) and self._random.random() < 0.6:
                # whether it shows, the very look-up tells that gave it
                self._again(next(it for it in self._arguments.gave if it.number == one.step))
            return True
        return False

    def _form_of(self, got: steps.Got) -> Any:
        call = next(one for one in self._arguments.gave if one.number == got.step)
        return None if call.offered.gives is None else call.offered.gives.form

    def _again(self, call: steps.Call) -> None:
        """The same call once more."""
        self._add(steps.Call(self._next(), call.offered, call.given))

    def _add(self, step: steps.Step) -> None:
        self._steps.append(step)

    def _next(self) -> int:
        self._placed += 1
        return self._placed


def _kept_if_valid(pool: Pool, values: dict[str, Any]) -> dict[str, Any]:
    """The values, if their type takes them together; else those that were drawn together."""
    if not pool.described.validates:
        return values
    try:
        pool.build(keep(values))
    except Exception:  # whatever a validator raises
        keys = {name: values[name] for name in (*pool.key_fields, *pool.references)}
        return {**pool.rows[0], **keys}
    return values


_MORE = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)
