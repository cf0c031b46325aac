"""A world: the fakes of one shelf, or real ones, in which steps are taken."""

from __future__ import annotations

import inspect
from collections.abc import (
    AsyncIterable,
    Callable,
    ItemsView,
    Iterable,
    Iterator,
    KeysView,
    ValuesView,
)
from contextlib import suppress
from typing import Any, NamedTuple

from urnshelf.interfaces.promises import Promise
from urnshelf.records.copies import keep
from urnshelf.records.description import Description
from urnshelf.records.recognising import describe
from urnshelf.twins import steps
from urnshelf.twins.pools import Pools
from urnshelf.types.nodes import Kind

Ready = tuple[Any, list[Any], dict[str, Any]]
"""A method with its arguments, by position and by name."""
NOTHING: Any = type("Nothing", (), {"__repr__": lambda _: "nothing"})()


class Dangling(Exception):
    """A step that speaks of what is not there: it is skipped, in both worlds."""


class Outcome(NamedTuple):
    """What a call came to."""

    value: Any = None
    error: BaseException | None = None

    @property
    def raised(self) -> bool:
        """Whether it raised."""
        return self.error is not None


class World:
    """Where steps are taken.

    Args:
        objects: one for each interface.
        drafts: the values of the drawn records.
        pools: what builds them.
    """

    def __init__(self, objects: tuple[Any, ...], drafts: steps.Drafts, pools: Pools) -> None:
        self._objects = objects
        self._drafts = drafts
        self._pools = pools
        self.made: dict[tuple[Any, int], Any] = {}
        """The drawn records that were handed in, or will be."""
        self.gave: dict[int, Any] = {}
        """What each step gave."""
        self.lost: set[Any] = set()
        """Drawn records, and steps, whose keys a rollback took back."""

    # --- values -----------------------------------------------------------------------------------

    def value(self, value: steps.Value) -> Any:
        """A value, in this world.

        Raises:
            Dangling: it speaks of what is not there.
        """
        return _LOOK[type(value)](self, value)

    def _drawn(self, value: steps.Drawn) -> Any:
        if (value.form, value.n) in self.lost:
            raise Dangling
        known = self.made.get((value.form, value.n), NOTHING)
        if known is NOTHING:
            values = self._drafts[value.form][value.n]
            known = self._pools.of[value.form].build(keep(values))
            self.made[value.form, value.n] = known
        return known

    def _part(self, value: steps.Part) -> Any:
        drawn = self._drafts[value.form][value.n].get(value.field)
        return steps.turned(keep(drawn), value.turn)

    def _now(self, value: steps.Now) -> Any:
        if (value.form, value.n) in self.lost:
            raise Dangling
        record = self.made.get((value.form, value.n), NOTHING)
        found = None if record is NOTHING else self._field(record, value.field)
        if found is None:
            raise Dangling
        return found

    def _got(self, value: steps.Got) -> Any:
        if value.step in self.lost:
            raise Dangling
        found = self.gave.get(value.step)
        if value.item is not None:
            if not isinstance(found, (list, tuple)) or len(found) <= value.item:
                raise Dangling
            found = found[value.item]
        if found is None:
            raise Dangling
        return self._field(found, value.field) if value.field else found

    def _field(self, record: Any, field: str) -> Any:
        described = described_as(record)
        if described is None:
            raise Dangling
        found = described.fetch(record, field)
        if found is None:
            raise Dangling
        return found

    def _items(self, value: steps.Items) -> Any:
        return value.make([self.value(one) for one in value.values])

    def _pairs(self, value: steps.Pairs) -> Any:
        return {name: self.value(one) for name, one in value.pairs}

    def _built(self, value: steps.Built) -> Any:
        described: Any = describe(value.form)
        return described.build({name: self.value(one) for name, one in value.pairs})

    # --- steps ------------------------------------------------------------------------------------

    async def call(self, step: steps.Call, ready: Ready) -> Outcome:
        """Call a method; what it streams is taken whole."""
        method, args, kwargs = ready
        try:
            given = method(*args, **kwargs)
            if inspect.isawaitable(given):
                given = await given
            given = await _drained(given, step.offered.member.promise)
        except (Exception, SystemExit) as error:
            return Outcome(error=_let_go(error))
        self.gave[step.number] = given
        return Outcome(given)

    def ready(self, step: steps.Call) -> Ready:
        """The method, and its arguments in this world.

        Raises:
            Dangling: a value speaks of what is not there.
        """
        offered = step.offered
        holder = self._objects[offered.number]
        for name in offered.path:
            holder = getattr(holder, name, None)
            if holder is None:  # a unit has its repositories once it is entered
                raise Dangling
        given = {name: self.value(value) for name, value in step.given}
        args, kwargs = arranged(offered, given)
        return getattr(holder, offered.member.name), args, kwargs

    def assigning(self, step: steps.Assign) -> Callable[[], None]:
        """What assigns to a field of what is held.

        Raises:
            Dangling: nothing is held.
        """
        held = self.value(step.held)
        value = self.value(step.value)
        described = described_as(held)
        if described is None:
            raise Dangling

        def assign() -> None:
            with suppress(Exception):  # what its type refuses is refused in both worlds
                described.changed(held, {step.field: value})

        return assign

    def handed(self, step: steps.Call) -> Iterator[tuple[steps.Drawn, Any]]:
        """The drawn records that a call hands in."""
        for _, value in step.given:
            for one in value.values if isinstance(value, steps.Items) else (value,):
                if isinstance(one, steps.Drawn):
                    yield one, self.made[one.form, one.n]


def arranged(offered: Any, given: dict[str, Any]) -> tuple[list[Any], dict[str, Any]]:
    """The arguments by position and by name, as a caller gives them: what is left out stays so."""
    args: list[Any] = []
    kwargs: dict[str, Any] = {}
    in_order = True
    parameters = offered.member.signature.parameters
    for name, declared in parameters.items():
        if name not in given:
            in_order = in_order and declared.kind is declared.VAR_POSITIONAL
            continue
        if declared.kind is declared.VAR_POSITIONAL:
            args += given[name]
        elif declared.kind is declared.VAR_KEYWORD:
            kwargs |= given[name]
        elif in_order and offered.by_position[name]:
            args.append(given[name])
        else:
            kwargs[name] = given[name]
    return args, kwargs


def _let_go(error: BaseException) -> BaseException:
    """An exception without the frames in which it was raised: they hold what a real one opened."""
    each: BaseException | None = error
    seen: set[int] = set()
    while each is not None and id(each) not in seen:
        seen.add(id(each))
        each.__traceback__ = None
        each = each.__cause__ or each.__context__
    return error


async def _drained(given: Any, promise: Promise) -> Any:
    """What a stream gives, as a list: where one is promised, or nothing is."""
    is_open = bool(promise.stream) or not promise.node.is_known
    if isinstance(given, AsyncIterable) and not isinstance(given, Iterable):
        return [one async for one in given] if is_open else given
    is_view = isinstance(given, (KeysView, ValuesView, ItemsView))
    # `Collection` may be a view, and `list` may not
    as_promised = promise.node.kind is Kind.ITEMS and isinstance(given, promise.node.origin)
    is_drained = isinstance(given, Iterator) or is_view
    return list(given) if is_drained and (is_open or as_promised) else given


def described_as(record: Any) -> Description | None:
    """The description of a value, where it is a record."""
    return None if isinstance(record, type) else describe(type(record))


_LOOK: dict[type, Any] = {
    steps.Literal: lambda world, value: keep(value.value),
    steps.Drawn: World._drawn,
    steps.Part: World._part,
    steps.Now: World._now,
    steps.Got: World._got,
    steps.Items: World._items,
    steps.Pairs: World._pairs,
    steps.Built: World._built,
}
