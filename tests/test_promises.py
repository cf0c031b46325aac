"""Which values keep a promise, through `gives` as its users meet it."""

from __future__ import annotations

import typing
from collections import deque
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from decimal import Decimal
from io import BytesIO, StringIO
from typing import (
    IO,
    Annotated,
    Any,
    BinaryIO,
    Generic,
    Literal,
    NamedTuple,
    Never,
    NewType,
    Protocol,
    Self,
    TextIO,
    TypedDict,
    TypeVar,
)

import pydantic
import pytest
from beartype import BeartypeConf
from beartype.door import is_bearable

from urnshelf import ReplyRefused, Shelf, cue
from urnshelf.demo.harbour import TideService, Vessel
from urnshelf.records.fit import misfit
from urnshelf.types.nodes import node_of

Metres = NewType("Metres", float)
Bound = TypeVar("Bound", bound=int)
T = TypeVar("T")
U = TypeVar("U")
Either = TypeVar("Either", int, str)


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


class Span(NamedTuple, Generic[T]):
    start: T
    end: T


class Rows(list[T]):
    pass


class Path_(tuple[T, ...]):
    pass


class Outcome(pydantic.BaseModel, Generic[T]):
    value: T


@dataclass
class Crate(Generic[T]):
    inside: T


class Rings(Protocol):
    def __call__(self, times: int) -> None: ...


class WithCall:
    def __call__(self, times: int) -> None: ...


@typing.runtime_checkable
class Opens(Protocol):
    def open(self) -> None: ...


class WithOpen:
    def open(self) -> None: ...


class Barge(Vessel):
    pass


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
        (Iterable[str], [["a"], "text"], [5]),
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
        (TextIO, [StringIO("a")], [BytesIO(), StringIO, "a"]),
        (IO[str], [StringIO("a")], [BytesIO(), 5]),
        (IO[bytes], [BytesIO()], [StringIO(), None]),
        (BinaryIO, [BytesIO()], [StringIO(), b"a"]),
        (Span[int], [Span(1, 2)], [(1, 2), Span(1, "x")]),
        (Rows[int], [Rows([1])], [[1]]),
        (Path_[str], [Path_(("a",))], [("a",)]),
        (tuple[int, *tuple[str, ...]], [(1,), (1, "a", "b")], [(), (1, 2), ("a",), [1]]),
        (tuple[int, *tuple[str, ...], bool], [(1, True), (1, "a", False)], [(1,), (1, 2, True)]),
        (tuple[()], [()], [(1,), []]),
        (Outcome[U], [Outcome[int](value=1), Outcome(value="a")], [5]),
        (Outcome[int], [Outcome[int](value=1), Outcome(value=1)], [Outcome(value="a"), 5]),
        (Crate[int], [Crate(1)], [Crate("x"), 1]),
        (Rings, [lambda times: None, WithCall()], [42, WithDepth()]),
        (HasDepth, [WithDepth()], [object(), WithDepth, HasDepth]),
        (Opens, [WithOpen()], [WithOpen, object()]),
        (type[Vessel], [Vessel, Barge], [Deep, Vessel(1, "a", "b"), int]),
        (type[Any], [Vessel, int], [5, None]),
        (type[T], [Vessel], [5]),
        (Either, [1, "a"], [1.5, None]),
        (type[Vessel] | None, [Vessel, None], [Deep]),
        (deque[int], [deque([1])], [deque(["x"]), [1]]),
        (Iterable[int], [[1], (1,), range(3), {1: "x"}], ["abc", ["x"], {"x": 1}, {"x": 1}.keys()]),
        (Never, [], [None, 5, []]),
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


VALUES: list[Any] = [
    None, True, 1, 1.5, 2j, "a", b"a", bytearray(b"a"), [], [1], ["a"], [[1]], (), (1,), ("a",),
    (1, "a"), set(), {1}, frozenset({"a"}), {}, {"a": 1}, {1: "a"}, deque([1]), deque(["a"]),
    range(1), {"a": 1}.keys(), {"a": 1}.values(), Deep(1), Deep, Pair(1, "a"), WithDepth(),
    WithOpen(), Vessel, int, type, object(), Decimal(1), ValueError(), ValueError, nullcontext(1),
    len, BytesIO(),
]  # fmt: skip
TYPES: list[Any] = [
    int, float, complex, bool, str, bytes, object, None, Any, int | None, int | str, list,
    list[int], list[Any], tuple, tuple[int], tuple[int, ...], tuple[()], tuple[int, str],
    set[int], frozenset[str], dict[str, int], Mapping[str, int], deque[int], Sequence[int],
    Sequence[str], Collection[int], Iterable[int], Iterable[str], Callable[[int], str], type,
    type[Any], type[Vessel], type[Exception], type[int | str], Deep, Pair, Opens,
    Literal["a", None], Annotated[int, "x"], Metres, Bound, Either, Decimal,
    AbstractContextManager, Exception, typing.SupportsInt, typing.SupportsAbs,
    dict[str, list[int]], list[int] | dict[str, int],
]  # fmt: skip


@pytest.mark.parametrize("promised", TYPES, ids=str)
def test_a_published_checker_says_the_same(promised: Any) -> None:
    """It looks at one item of a container, so none here has two of different types; and to it an
    int is a float only when it is told.
    """
    told = BeartypeConf(is_pep484_tower=True)
    node = node_of(promised)
    ours = [misfit(value, node) is None for value in VALUES]
    theirs = [is_bearable(value, promised, conf=told) for value in VALUES]
    differ = [value for value, a, b in zip(VALUES, ours, theirs, strict=True) if a is not b]
    # to us a class keeps no protocol that its objects keep, and (1, "a") is no tuple of ints
    assert [one for one in differ if not isinstance(one, (type, tuple))] == []
    assert not any(misfit(one, node) is None for one in differ)


def test_self_is_an_object_of_the_interface(shelf: Shelf) -> None:
    class Builder:
        def painted(self) -> Self: ...
        def all(self) -> list[Self]: ...

    class Other(Builder):
        pass

    builder = shelf.fake(Builder)
    assert builder.painted() is builder
    for fits in (builder, Other(), shelf.fake(Other)):
        cue(builder.painted).gives(fits)
        cue(builder.all).gives([fits])
    for wrong in (5, object(), Builder):
        with pytest.raises(ReplyRefused, match="not Builder"):
            cue(builder.painted).gives(wrong)  # type: ignore[arg-type]
        with pytest.raises(ReplyRefused, match=r"\[0\] is .*, not Builder"):
            cue(builder.all).gives([wrong])  # type: ignore[list-item]


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
