"""Which values keep a promise, through `gives` as its users meet it."""

from __future__ import annotations

import typing
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, Any, Literal, NamedTuple, NewType, Protocol, TypedDict, TypeVar

import pytest

from urnshelf import ReplyRefused, Shelf, cue
from urnshelf.demo.harbour import TideService, Vessel

Metres = NewType("Metres", float)
Bound = TypeVar("Bound", bound=int)


class Forecast(TypedDict):
    depth: float
    note: typing.NotRequired[str]


class Pair(NamedTuple):
    a: int
    b: str


@dataclass
class Deep:
    value: int


class HasDepth(Protocol):
    def depth(self) -> float: ...


class WithDepth:
    def depth(self) -> float:
        return 1.0


@pytest.mark.parametrize(
    ("promised", "keeps", "breaks"),
    [
        (int, [1, True], ["1", 1.5, None]),
        (float, [1.5, 1], ["1", None, Decimal(1)]),
        (complex, [1, 1.5, 2j], ["1"]),
        (bool, [True], [1, None]),
        (None, [None], [0, ""]),
        (Any, [1, None, "x"], []),
        (object, [1, None, "x"], []),
        (int | None, [1, None], ["1"]),
        (typing.Optional[list[int]], [[1], None], [["1"], 1]),  # noqa: UP045
        (int | str, [1, "x"], [1.5]),
        (list[int], [[], [1]], [["1"], (1,), None]),
        (list[list[int]], [[[1]]], [[["1"]]]),
        (Sequence[int], [[1], (1,)], [["x"], 5]),
        (Iterable[str], [["a"], "text", iter("a")], [5]),
        (set[int], [{1}], [{"x"}, [1]]),
        (dict[str, int], [{"a": 1}], [{1: 1}, {"a": "x"}]),
        (Mapping[str, list[int]], [{"a": [1]}], [{"a": ["x"]}]),
        (tuple[int, str], [(1, "a")], [(1,), (1, 2), [1, "a"]]),
        (tuple[int, ...], [(), (1, 2)], [(1, "a")]),
        (Literal["a", 1], ["a", 1], ["b", True]),
        (Annotated[int, "metres"], [1], ["x"]),
        (Metres, [1.5], ["x"]),
        (Bound, [1], ["x"]),
        (type[Exception], [ValueError], [ValueError()]),
        (Callable[[int], str], [str, lambda n: ""], [5]),
        (
            Forecast,
            [{"depth": 1.0}, {"depth": 1, "note": "x"}],
            [{}, {"depth": "x"}, {"depth": 1, "more": 2}, 5],
        ),
        (Pair, [Pair(1, "a")], [(1, "a")]),
        (Deep, [Deep(1)], [Vessel(1, "a", "b"), None]),
        (HasDepth, [WithDepth()], [5, None]),
        (AbstractContextManager[int], [nullcontext(1)], [5]),
    ],
)
def test_values_keep_or_break_a_promise(promised: Any, keeps: list[Any], breaks: list[Any]) -> None:
    def asked() -> Any:
        raise AssertionError

    asked.__annotations__["return"] = promised
    fake = Shelf().fake(asked)
    for value in keeps:
        cue(fake).gives(value)
    for value in breaks:
        with pytest.raises(ReplyRefused, match="promises"):
            cue(fake).gives(value)


def test_a_fake_keeps_the_promise_of_its_interface(shelf: Shelf) -> None:
    class Harbour(Protocol):
        def main_gauge(self) -> TideService: ...
        def gauges(self) -> list[TideService]: ...

    harbour = shelf.fake(Harbour)
    backup = shelf.fake(TideService, name="backup")
    cue(harbour.main_gauge).gives(backup)
    cue(harbour.gauges).gives([backup])
    assert harbour.gauges() == [harbour.main_gauge()]
    with pytest.raises(ReplyRefused, match="TideService"):
        cue(harbour.main_gauge).gives(5)  # type: ignore[arg-type]
