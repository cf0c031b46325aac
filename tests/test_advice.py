"""What a refusal advises works when it is pasted, and what it says is the true reason."""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from typing import Any, Generic, Literal, Protocol, TypeVar

import pytest

from urnshelf import Shelf, UnansweredCall, attribute, cue, whatever
from urnshelf.demo.harbour import Berth, Vessel, VesselKind

T = TypeVar("T")


class Opaque:
    """Nothing of which an example is known."""

    def __init__(self, handle: int) -> None:
        self.handle = handle


class State(Enum):
    OPEN = "open"
    SHUT = "shut"


@dataclass
class Gate:
    id: int
    open: bool
    state: State
    phone: str


class Odd(Protocol):
    level: int

    @property
    def depth(self) -> float: ...
    def find_odd(self, **criteria: Any) -> Berth: ...
    def find_all_odd(self, *names: str, limit: int = 3) -> list[Berth]: ...
    def guess(self, one, two=2): ...  # type: ignore[no-untyped-def]
    def price(self) -> Decimal: ...
    def raw(self) -> bytes: ...
    def kind(self) -> VesselKind: ...
    def span(self, *, of: str) -> timedelta: ...
    def at(self) -> datetime: ...
    def day(self) -> date: ...
    def opaque(self) -> Opaque: ...
    def either(self) -> int | str: ...
    def word(self) -> Literal["a", "b"]: ...
    def table(self) -> Mapping[str, int]: ...
    def pair(self) -> tuple[int, str]: ...
    def rule(self) -> Callable[[int], int]: ...
    def lines(self) -> Iterator[str]: ...
    def follow(self) -> AsyncIterator[Berth]: ...
    def nothing(self, gate_id: int) -> None: ...
    def gate(self, gate_id: int) -> State: ...
    def __len__(self) -> int: ...
    async def later(self, what: str) -> Vessel: ...
    def by_hand(self) -> Awaitable[int]: ...


class Generic_(Protocol, Generic[T]):
    def odd_one(self, item: T) -> T: ...


def next_tide(harbour: str) -> datetime: ...


Calls = Callable[[Any], Any]
CASES: dict[str, tuple[Any, Calls]] = {
    "an attribute": (Odd, lambda odd: odd.level),
    "a property": (Odd, lambda odd: odd.depth),
    "keywords": (Odd, lambda odd: odd.find_odd(name="x", size=3)),
    "any number": (Odd, lambda odd: odd.find_all_odd("a", "b", limit=5)),
    "no annotations": (Odd, lambda odd: odd.guess(1)),
    "named only": (Odd, lambda odd: odd.span(of="tide")),
    "a special method": (Odd, len),
    "awaited": (Odd, lambda odd: asyncio.run(odd.later("x"))),
    "a function": (next_tide, lambda tide: tide("Ternhythe")),
    "a callable": (Callable[[int], str], lambda call: call(3)),
    "type arguments": (Generic_[Vessel], lambda odd: odd.odd_one(5)),
    **{
        name: (Odd, lambda odd, name=name: getattr(odd, name)())
        for name in "price raw kind at day opaque either word table pair rule".split()
    },
    "a stream": (Odd, lambda odd: odd.lines()),
    "a later stream": (Odd, lambda odd: odd.follow()),
    "None": (Odd, lambda odd: odd.nothing(3)),
    "an awaitable": (Odd, lambda odd: wait(odd.by_hand())),
}


def wait(awaitable: Awaitable[Any]) -> Any:
    async def use() -> Any:
        return await awaitable

    return asyncio.run(use())


@pytest.mark.parametrize("name", CASES)
def test_advice_works_when_pasted(name: str) -> None:
    interface, call = CASES[name]
    with Shelf(3) as shelf, shelf.refusals_expected():
        with pytest.raises(UnansweredCall) as refusal:
            call(shelf.fake(interface))
    text = str(refusal.value)
    lines = text.partition("To answer it:\n")[2].splitlines()
    cue_line = lines[0].strip()
    names = {**globals(), "cue": cue, "whatever": whatever, "attribute": attribute}
    for pasted in [cue_line, *_lessons(lines), *_declarations(lines)]:
        with Shelf(3) as shelf:
            exec(pasted, {**names, "shelf": shelf})
            if pasted is cue_line:
                try:
                    given = call(shelf.fake(interface))
                except LookupError:
                    given = None  # what no value is known for, it raises
                if inspect.isasyncgen(given):
                    wait(given.aclose())


def _lessons(lines: list[str]) -> list[str]:
    """The decorator, and the function under it."""
    return [
        f"{line.strip()}\n{lines[place + 1].strip()}"
        for place, line in enumerate(lines)
        if line.strip().startswith("@shelf.teach")
    ]


def _declarations(lines: list[str]) -> list[str]:
    starts = ("shelf.tells", "shelf.keyed", "shelf.define")
    return [line.strip() for line in lines if line.strip().startswith(starts)]


def test_a_lesson_is_offered_wherever_it_would_work() -> None:
    offered = {}
    for name, (interface, call) in CASES.items():
        with Shelf(3) as shelf, shelf.refusals_expected():
            with pytest.raises(UnansweredCall) as refusal:
                call(shelf.fake(interface))
        offered[name] = "@shelf.teach(" in str(refusal.value)
        assert (
            "  not read      because " in str(refusal.value)
            or "attribute" in name
            or (name == "a property")
        )
    assert [name for name, is_offered in offered.items() if not is_offered] == ["an attribute"]


class Gates(Protocol):
    def get(self, gate_id: int) -> Gate: ...
    def list_open(self) -> list[Gate]: ...
    def find_by(self, **filters: Any) -> list[Gate]: ...
    def find_by_phon(self, phon: str) -> list[Gate]: ...
    def load(self, name: str) -> float: ...
    def store(self, name: str, level: int) -> None: ...
    def count_all_of(self, what: str) -> str: ...


class Levels(Protocol):
    def get_level(self, name: str) -> float: ...
    def reset_level(self, name: str) -> None: ...


class OnlySets(Protocol):
    def set_level(self, name: str, level: float) -> int: ...


@pytest.mark.parametrize(
    ("interface", "method", "why"),
    [
        (Gates, "list_open", "the word 'open' of its name may mean open = True or state = OPEN"),
        (Gates, "find_by_phon", "Gate has no field 'phon'; did you mean 'phone'?"),
        (Levels, "get_level", "it promises no record, and no method sets level"),
        (Levels, "reset_level", "no get and set of level mirror each other; None is not obvious"),
        (OnlySets, "set_level", "it is given no record, and no method gives level back"),
    ],
)
def test_the_reason_is_the_true_one(shelf: Shelf, interface: Any, method: str, why: str) -> None:
    [told] = [one for one in shelf.explain(interface) if one.method.startswith(f"{method}(")]
    assert why in told.advice


def test_a_filter_that_is_misspelt_is_named(shelf: Shelf) -> None:
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="no field 'phon'; did you mean 'phone'"),
    ):
        shelf.fake(Gates).find_by(phon="1")
