"""Wrapped objects: their own code runs, on their own state, and their calls of their own methods
meet the cues.
"""

from __future__ import annotations

import argparse
import asyncio
import configparser
import copy
import functools
import io
import queue
import sqlite3
from collections.abc import AsyncIterator, Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import attrs
import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy.orm import Session

from thorough import examples
from urnshelf import (
    InterfaceRefused,
    Shelf,
    attribute,
    cue,
    ledger_of,
    passing_through,
    raising,
    some_of,
    tally,
    unseen,
    whatever,
)
from urnshelf.demo.harbour import Berth, MooringDesk, TideService, Vessel


class Base:
    heard: list[str] = []
    count = 0

    def __init_subclass__(cls, **named: Any) -> None:
        Base.heard.append(cls.__name__)

    def hook(self) -> str:
        return "base"


class Crane(Base):
    def __init__(self, reach: float = 3.0) -> None:
        self.reach = reach
        self._load: float | None = None

    def lift(self, tons: float) -> str:
        if not self._is_calm(9):
            return "waiting"
        self._load = tons
        return f"{self.hook()} {self.__word()} {tons}"

    def _is_calm(self, most: int) -> bool:
        raise OSError("no wind gauge here")

    def __word(self) -> str:
        return "lifts"

    def hook(self) -> str:
        return "crane of " + super().hook()

    @property
    def load(self) -> float | None:
        return self._load

    @load.setter
    def load(self, tons: float) -> None:
        self._load = tons * 2

    @functools.cached_property
    def dear(self) -> int:
        return len(Base.heard)

    @classmethod
    def named(cls, name: str) -> str:
        return f"{cls.__name__} {name}"

    @staticmethod
    def added(a: int, b: int) -> int:
        return a + b

    async def turn(self) -> str:
        return "turned " + await self._slowly()

    async def _slowly(self) -> str:
        await asyncio.sleep(0)
        return "slowly"

    def steps(self) -> Iterator[str]:
        yield self.hook()
        yield "end"

    async def later(self) -> AsyncIterator[int]:
        yield 1

    def counts(self) -> None:
        type(self).count += 1

    def itself(self) -> Crane:
        return self

    def __len__(self) -> int:
        return 7

    def __enter__(self) -> Crane:
        return self

    def __exit__(self, *error: object) -> None:
        self._load = None


class Slotted:
    __slots__ = ("x",)

    def __init__(self) -> None:
        self.x = 1

    def total(self) -> int:
        return self.x + self._one()

    def _one(self) -> int:
        return 1


@dataclass
class Lamp:
    watts: int

    def twice(self) -> int:
        return self.half() * 4

    def half(self) -> int:
        return self.watts // 2

    def another(self) -> Lamp:
        return type(self)(self.watts)


@attrs.define
class Buoy:
    name: str

    def shown(self) -> str:
        return self._mark() + self.name

    def _mark(self) -> str:
        return "#"


def test_inner_calls_meet_the_cues_and_everything_else_runs(shelf: Shelf) -> None:
    crane = Crane()
    assert shelf.wrap(crane) is crane is shelf.wrap(crane)
    cue(crane._is_calm, whatever).gives(True)
    assert crane.lift(4.0) == "crane of base lifts 4.0"
    assert (crane.load, crane.reach) == (4.0, 3.0)
    assert list(ledger_of(crane).names)[:4] == [
        "Crane.lift", "Crane._is_calm", "Crane.hook", "Crane._Crane__word",
    ]  # fmt: skip
    assert tally(crane._is_calm, 9) == 1
    lifted = ledger_of(crane.lift)[0]
    assert (lifted.reply, lifted.answered_by) == ("crane of base lifts 4.0", "its own code")


def test_fail_once_then_for_real(shelf: Shelf) -> None:
    crane = shelf.wrap(Crane())
    cue(crane.hook).gives(raising(TimeoutError()), passing_through)
    with pytest.raises(TimeoutError):
        crane.hook()
    assert crane.hook() == "crane of base"
    cue(crane.added, 1, whatever).gives(99).for_calls(1)
    assert [crane.added(1, 2), crane.added(1, 2), crane.added(2, 2)] == [99, 3, 4]


def test_properties_classes_generators_and_coroutines(shelf: Shelf) -> None:
    crane = shelf.wrap(Crane())
    crane.load = 2.0
    assert crane.load == 4.0
    cue(attribute(crane, "load")).gives(7.0)
    assert crane.load == 7.0
    assert crane.dear == crane.dear
    assert (crane.named("x"), crane.added(1, 2), type(crane).named("y")) == (
        "Crane x",
        3,
        "Crane y",
    )
    cue(crane.named, "x").gives("z")
    assert crane.named("x") == "z"
    cue(crane._slowly).gives("at once")
    assert asyncio.run(crane.turn()) == "turned at once"
    assert list(crane.steps()) == ["crane of base", "end"]
    assert len(crane) == 7
    cue(crane.__len__).gives(3)
    assert len(crane) == 3
    with crane as inside:
        assert inside is crane.itself() is crane
    crane.counts()
    assert (Crane.count, Base.count) == (1, 0)
    Crane.count = 0


def test_it_stays_what_it_was_and_is_so_again_at_the_end() -> None:
    crane, lamp, heard = Crane(), Lamp(4), list(Base.heard)
    with Shelf() as shelf:
        shelf.wrap(crane), shelf.wrap(lamp)
        assert Base.heard == heard  # nobody was told of a subclass
        assert isinstance(crane, Crane)
        assert crane.__class__ is Crane
        assert lamp == Lamp(4)
        assert repr(lamp) == "Lamp(watts=4)"
        assert type(copy.copy(lamp)) is type(copy.deepcopy(lamp)) is type(lamp.another()) is Lamp
        cue(lamp.half).gives(10)
        assert lamp.twice() == 40
        with pytest.raises(InterfaceRefused, match="is wrapped by another shelf"):
            Shelf().wrap(lamp)
    assert (type(crane), type(lamp)) == (Crane, Lamp)
    assert lamp.twice() == 8
    try:
        with Shelf() as shelf:
            shelf.wrap(lamp)
            raise KeyError
    except KeyError:
        assert type(lamp) is Lamp


@pytest.mark.parametrize("make", [Slotted, lambda: Buoy("N")])
def test_slots_and_attrs(shelf: Shelf, make: Callable[[], Any]) -> None:
    real = shelf.wrap(make())
    if isinstance(real, Buoy):
        cue(real._mark).gives("*")
        assert real.shown() == "*N"
    else:
        cue(real._one).gives(41)
        assert real.total() == 42


def test_what_is_written_in_c_is_met_from_outside(shelf: Shelf) -> None:
    connection = shelf.wrap(sqlite3.connect(":memory:"))
    assert isinstance(connection, sqlite3.Connection)
    assert "outer calls only" in repr(connection)
    cue(connection.execute, "select 2").gives(None)
    assert connection.execute("select 1").fetchone() == (1,)
    assert connection.execute("select 2") is None
    assert tally(connection.execute, "select 1") == 1
    connection.close()


@pytest.mark.parametrize(
    ("wrong", "complaint"),
    [
        (5, r"wrap\(5\): of the type int, it has no methods of its own"),
        (None, "of the type NoneType"),
        (asyncio, "of the type module"),
        (len, "of the type builtin_function_or_method"),
        (lambda: 1, "of the type function"),
        (Crane, r"wrap takes an object of that class, wrap\(Crane\(…\)\)"),
    ],
)
def test_what_cannot_be_wrapped_is_refused(shelf: Shelf, wrong: Any, complaint: str) -> None:
    with pytest.raises(InterfaceRefused, match=complaint):
        shelf.wrap(wrong)
    with pytest.raises(InterfaceRefused, match="it is a fake; wrap takes a real object"):
        shelf.wrap(shelf.fake(TideService))


def test_a_furnished_service_is_wrapped(shelf: Shelf) -> None:
    from datetime import UTC, datetime

    noon = datetime(2030, 6, 1, 12, tzinfo=UTC)
    desk = shelf.wrap(shelf.furnish(MooringDesk))
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=2.0))
    shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True, length_m=90.0)
    cue(shelf.fake(TideService).depth_at).gives(6.3)
    assert desk.moor(vessel_id=7, arrival=noon).vessel_id == 7
    assert tally(desk.moor, vessel_id=7, arrival=noon) == 1
    assert unseen(desk) is not None


# --- other people's classes -----------------------------------------------------------------------


def test_published_classes_behave_as_before(shelf: Shelf) -> None:
    def config(parser: configparser.ConfigParser) -> Any:
        parser.read_string("[quay]\nberths = 12\nname = %(berths)s of them\n")
        parser.set("quay", "depth", "8")
        return {s: dict(parser.items(s)) for s in parser.sections()}, parser.getint("quay", "depth")

    def lines(parser: argparse.ArgumentParser) -> Any:
        parser.add_argument("--berth", type=int, default=3)
        return vars(parser.parse_args(["--berth", "7"])), parser.format_usage()

    def queued(waiting: queue.Queue[int]) -> Any:
        waiting.put(3), waiting.put(4)
        return waiting.get(), waiting.qsize(), waiting.full()

    for make, uses in (
        (configparser.ConfigParser, config),
        (lambda: argparse.ArgumentParser("quay"), lines),
        (lambda: queue.Queue(2), queued),
    ):
        assert uses(shelf.wrap(make())) == uses(make())  # type: ignore[operator]
    waiting: queue.Queue[int] = shelf.wrap(queue.Queue())
    cue(waiting._qsize).gives(5)
    assert waiting.qsize() == 5


def compared(shelf: Shelf, make: Callable[[], Any], steps: list[tuple[Any, ...]]) -> Any:
    """A wrapped object beside a plain one, the same after each call; the wrapped one."""
    plain, wrapped = make(), shelf.wrap(make())
    for name, *arguments in steps:
        assert getattr(wrapped, name)(*arguments) == getattr(plain, name)(*arguments), name
        assert tally(some_of(getattr(wrapped, name))) >= 1
    return wrapped


def test_one_with_slots_call_by_call(shelf: Shelf) -> None:
    third = compared(
        shelf,
        lambda: Fraction(355, 113),
        [
            ("limit_denominator", 10),
            ("as_integer_ratio",),
            ("conjugate",),
            ("limit_denominator", 7),
        ],
    )
    assert third + 1 == Fraction(355, 113) + 1
    assert hash(third) == hash(Fraction(355, 113))
    cue(third.limit_denominator, 10).gives(Fraction(3))
    assert third.limit_denominator(10) == 3
    assert third.limit_denominator(7) == Fraction(22, 7)


def test_one_with_c_parts_call_by_call(shelf: Shelf) -> None:
    file = compared(
        shelf,
        lambda: io.BytesIO(b"B-01\nB-02\nB-03"),
        [
            ("readline",),
            ("tell",),
            ("read", 3),
            ("seek", 0),
            ("read",),
            ("writable",),
            ("getvalue",),
        ],
    )
    cue(file.read, 2).raises(OSError("torn"))
    file.seek(0)
    with pytest.raises(OSError, match="torn"):
        file.read(2)
    assert file.read(4) == b"B-01"


def test_an_async_one_call_by_call(shelf: Shelf) -> None:
    async def use(waiting: asyncio.Queue[int]) -> list[Any]:
        found: list[Any] = [waiting.empty()]
        for number in (3, 4):
            await waiting.put(number)
            found.append(waiting.qsize())
        found += [await waiting.get(), waiting.full(), waiting.get_nowait()]
        waiting.task_done(), waiting.task_done()
        await waiting.join()
        return found

    async def both() -> tuple[list[Any], list[Any]]:
        return await use(asyncio.Queue(2)), await use(shelf.wrap(asyncio.Queue(2)))

    plain, wrapped = asyncio.run(both())
    assert plain == wrapped == [True, 1, 2, 3, False, 4]

    async def partly() -> Any:
        waiting: asyncio.Queue[int] = shelf.wrap(asyncio.Queue(2))
        cue(waiting.put, 7).raises(TimeoutError())
        await waiting.put(3)
        with pytest.raises(TimeoutError):
            await waiting.put(7)
        return waiting.qsize(), await waiting.get()

    assert asyncio.run(partly()) == (1, 3)


def test_a_session_is_wrapped(shelf: Shelf) -> None:
    engine = sa.create_engine("sqlite://")
    with Session(engine) as real:
        session = shelf.wrap(real)
        assert session.scalar(sa.text("select 3")) == 3
        cue(session.commit).raises(OSError("full"))
        with pytest.raises(OSError, match="full"):
            session.commit()
    assert tally(session.scalar, whatever) == 1
    engine.dispose()


@examples(60)
@given(st.lists(st.tuples(st.sampled_from(["put", "get", "size", "full"]), st.integers(0, 9))))
def test_a_wrapped_object_and_a_plain_one_agree(steps: list[tuple[str, int]]) -> None:
    def run(waiting: queue.Queue[int]) -> list[Any]:
        found: list[Any] = []
        for step, number in steps:
            try:
                if step == "put":
                    found.append(waiting.put_nowait(number))  # type: ignore[func-returns-value]
                elif step == "get":
                    found.append(waiting.get_nowait())
                else:
                    found.append(waiting.qsize() if step == "size" else waiting.full())
            except (queue.Full, queue.Empty) as error:
                found.append(type(error))
        return found

    with Shelf() as shelf:
        wrapped = shelf.wrap(queue.Queue(3))
        assert run(wrapped) == run(queue.Queue(3))
        tally(wrapped.put_nowait), ledger_of(shelf)


class Awkward:
    """Its methods have names that a wrapper might need for itself."""

    def method(self) -> str:
        return "method"

    def who(self) -> str:
        return self._real()

    def _real(self) -> str:
        return "real"

    def _wrapped(self) -> str:
        return "wrapped"

    def answerer(self, member: str) -> str:
        return member + self._wrapped()


def test_a_class_may_have_any_names(shelf: Shelf) -> None:
    wrapped = shelf.wrap(Awkward())
    cue(wrapped._wrapped).gives("cued")

    assert (wrapped.method(), wrapped.who(), wrapped.answerer("so ")) == (
        "method",
        "real",
        "so cued",
    )
    called = ["method", "who", "_real", "answerer", "_wrapped"]
    assert ledger_of(wrapped).names == [f"Awkward.{name}" for name in called]
