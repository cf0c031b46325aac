"""What a sequence is made of: steps as data, whose values are looked up in each of both worlds."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import TYPE_CHECKING, Any, TypeAlias

if TYPE_CHECKING:
    from urnshelf.twins.surface import Offered


@dataclass(frozen=True)
class Literal:
    """A value as it is."""

    value: Any


@dataclass(frozen=True)
class Drawn:
    """The n-th drawn record of a type: in each world one object, which a write may change."""

    form: Any
    n: int


@dataclass(frozen=True)
class Part:
    """A field of a drawn record, as it was drawn; turned, where a look-up is to ask for something
    near it.
    """

    form: Any
    n: int
    field: str
    turn: str = ""


@dataclass(frozen=True)
class Now:
    """A field of a drawn record as it is by now: its key, once a write has assigned it."""

    form: Any
    n: int
    field: str


@dataclass(frozen=True)
class Got:
    """What an earlier step gave, an item of it, a field of that."""

    step: int
    item: int | None = None
    field: str = ""


@dataclass(frozen=True)
class Items:
    """Several values, as a collection."""

    make: Callable[[list[Any]], Any]
    values: tuple[Value, ...]


@dataclass(frozen=True)
class Pairs:
    """Values by name, or by key."""

    pairs: tuple[tuple[Any, Value], ...]


@dataclass(frozen=True)
class Built:
    """A record of another type than those that are stored: a patch, a filter."""

    form: Any
    pairs: tuple[tuple[str, Value], ...]


Value: TypeAlias = "Literal | Drawn | Part | Now | Got | Items | Pairs | Built"


@dataclass(frozen=True)
class Call:
    """A call of a method; parameters that are left out keep their defaults."""

    number: int
    offered: Offered
    given: tuple[tuple[str, Value], ...]


@dataclass(frozen=True)
class Assign:
    """A field of a record that the caller holds is assigned to."""

    number: int
    held: Drawn | Got
    field: str
    value: Value


@dataclass(frozen=True)
class Wait:
    """The clock moves on."""

    number: int
    span: timedelta


Step: TypeAlias = "Call | Assign | Wait"
Drafts: TypeAlias = "Mapping[Any, tuple[dict[str, Any], ...]]"


@dataclass(frozen=True)
class Sequence:
    """One sequence: the values of the drawn records by their types, and the steps."""

    drafts: Drafts
    steps: tuple[Step, ...]

    def without(self, numbers: set[int]) -> Sequence:
        """The same without some steps; what needed them is skipped when it runs."""
        return replace(self, steps=tuple(one for one in self.steps if one.number not in numbers))

    def with_step(self, step: Step) -> Sequence:
        """The same with one step in the place of that of its number."""
        steps = tuple(step if one.number == step.number else one for one in self.steps)
        return replace(self, steps=steps)

    def with_draft(self, form: Any, n: int, values: dict[str, Any]) -> Sequence:
        """The same with other values of one drawn record."""
        each = list(self.drafts[form])
        each[n] = values
        return replace(self, drafts={**self.drafts, form: tuple(each)})

    def used(self) -> set[tuple[Any, int]]:
        """The drawn records that the steps speak of."""
        return {(one.form, one.n) for one in self.parts() if isinstance(one, (Drawn, Part, Now))}

    def parts(self) -> Iterator[Value]:
        """All values of all steps, and those inside of them."""
        for step in self.steps:
            for value in values_of(step):
                yield from _inside(value)

    def mapped(self, change: Callable[[Value], Value]) -> Sequence:
        """The same with every value changed."""
        return replace(self, steps=tuple(_changed(step, change) for step in self.steps))


def values_of(step: Step) -> tuple[Value, ...]:
    """The values that a step speaks of."""
    if isinstance(step, Call):
        return tuple(value for _, value in step.given)
    return (step.held, step.value) if isinstance(step, Assign) else ()


def _inside(value: Value) -> Iterator[Value]:
    yield value
    inner: tuple[Value, ...] = ()
    if isinstance(value, Items):
        inner = value.values
    elif isinstance(value, (Pairs, Built)):
        inner = tuple(one for _, one in value.pairs)
    for one in inner:
        yield from _inside(one)


def _changed(step: Step, change: Callable[[Value], Value]) -> Step:
    if isinstance(step, Call):
        return replace(step, given=tuple((name, _new(one, change)) for name, one in step.given))
    if isinstance(step, Assign):
        held: Any = change(step.held)
        return replace(step, held=held, value=_new(step.value, change))
    return step


def _new(value: Value, change: Callable[[Value], Value]) -> Value:
    if isinstance(value, Items):
        return replace(value, values=tuple(_new(one, change) for one in value.values))
    if isinstance(value, (Pairs, Built)):
        return replace(value, pairs=tuple((name, _new(one, change)) for name, one in value.pairs))
    return change(value)


def turned(value: Any, turn: str) -> Any:
    """A value near another: in other case, its beginning, its middle."""
    if not isinstance(value, str) or not turn:
        return value
    return _TURNS[turn](value)


_TURNS: dict[str, Callable[[str], str]] = {
    "other case": str.swapcase,
    "beginning": lambda text: text[: max(1, len(text) // 2)],
    "middle": lambda text: text[len(text) // 3 : len(text) // 3 + 2] or text,
}
