"""Swaps: what nobody hands over is replaced where it stands, and always put back."""

from __future__ import annotations

import asyncio
import copy
import os
import sys
from collections.abc import Callable
from datetime import datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import quay_desk
import quay_settings
from quay_settings import Gauge
from thorough import examples
from urnshelf import (
    Shelf,
    SwapRefused,
    cue,
    ledger_of,
    passing_through,
    raising,
    tally,
    whatever,
)
from urnshelf.demo.harbour import TideService

NOON = datetime(2030, 6, 1, 12)
PLACES: list[tuple[Any, ...]] = [
    (quay_settings, "tide_source"), (quay_settings, "MARGIN_M"), (quay_settings, "depth_now"),
    (quay_settings, "LIMITS"), (Gauge, "depth_at"), (Gauge, "unit"), (Gauge, "made"),
    (Gauge, "is_calm"), (Gauge, "limit"), (Gauge, "ping"), (quay_settings.gauge, "depth_at"),
    (quay_settings.gauge, "limit"), (quay_settings.LIMITS, "berths"), (quay_settings.LIMITS, "new"),
    (os.environ, "URNSHELF_QUAY"),
]  # fmt: skip
VALUES: dict[str, Any] = {
    "MARGIN_M": 1.5, "LIMITS": {}, "limit": 4, "berths": 3, "new": 1, "URNSHELF_QUAY": "x",
    "is_calm": True,
}  # fmt: skip


def as_it_is() -> list[Any]:
    """Everything that the swaps of this module touch."""
    holders = (quay_settings, quay_desk, Gauge, quay_settings.gauge)
    held = [{k: v for k, v in vars(one).items() if "__" not in k} for one in holders]
    environment = {name: value for name, value in os.environ.items() if "PYTEST" not in name}
    return [*held, copy.copy(quay_settings.LIMITS), environment]


AT_FIRST = as_it_is()


@pytest.fixture(autouse=True)
def left_by_the_test_before() -> None:
    assert as_it_is() == AT_FIRST


def where(place: tuple[Any, ...]) -> tuple[Any, ...]:
    return (*place, VALUES[place[1]]) if place[1] in VALUES else place


# --- what goes in ---------------------------------------------------------------------------------


def test_the_fake_of_what_is_annotated_or_of_what_is_there(shelf: Shelf) -> None:
    with shelf.swapped("quay_settings:tide_source") as tides:
        assert tides is shelf.fake(TideService) is quay_settings.tide_source
        cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
        assert quay_settings.tide_source.depth_at("Ternhythe", NOON) == 6.3
        assert tally(tides.depth_at, "Ternhythe", NOON) == 1
    with shelf.swapped("quay_settings:gauge", everywhere=True) as gauge:
        assert gauge is shelf.fake(Gauge) is quay_desk.gauge
        cue(gauge.unit).gives("ft")
        assert quay_desk.unit() == "ft"
    assert type(quay_settings.tide_source) is Gauge


def test_a_function_also_where_it_was_imported_by_name(shelf: Shelf) -> None:
    with pytest.raises(SwapRefused, match=r"elsewhere.*quay_desk:depth_now\. Say everywhere=True"):
        shelf.swap("quay_settings:depth_now")
    with shelf.swapped("quay_settings:depth_now", everywhere=True) as depth:
        cue(depth, "Ternhythe").gives(6.0, raising(OSError()))
        assert quay_desk.is_deep(5.5)
        with pytest.raises(OSError):
            quay_desk.is_deep(5.5)
        assert tally(depth, "Ternhythe", margin=0.0) == 2
    shelf.swap("quay_settings:depth_now", everywhere=False)
    assert quay_desk.depth_now is not quay_settings.depth_now
    with pytest.raises(OSError):
        quay_desk.is_deep(5.0)


def test_a_plain_value_is_asked_about_only_where_it_was_imported(shelf: Shelf) -> None:
    with pytest.raises(SwapRefused, match="quay_desk:HARBOUR"):
        shelf.swap("quay_settings:HARBOUR", "Curlhythe")
    assert shelf.swap("quay_settings:HARBOUR", "Curlhythe", everywhere=True) == "Curlhythe"
    assert quay_desk.HARBOUR == "Curlhythe"
    shelf.swap("quay_settings:MARGIN_M", 1)  # a number where a number is annotated
    with pytest.raises(SwapRefused, match="other modules import what a module has"):
        shelf.swap(Gauge, "limit", 4, everywhere=True)


def test_a_method_for_all_objects_of_a_class(shelf: Shelf) -> None:
    with shelf.swapped(Gauge, "depth_at") as depth_at:
        cue(depth_at, whatever, "Ternhythe", whatever).gives(4.0)
        one = Gauge()
        assert one.depth_at("Ternhythe", NOON) == 4.0
        assert ledger_of(depth_at)[0].arguments.harbour == "Ternhythe"
        assert tally(Gauge.depth_at, one, "Ternhythe", at=NOON) == 1
    with shelf.swapped(Gauge, "made") as made:
        cue(made, Gauge, 3).gives(one)
        assert Gauge.made(3) is one
    with shelf.swapped(Gauge, "ping") as ping:
        cue(ping, whatever, 2).gives("pong")
        assert asyncio.run(one.ping(2)) == "pong"
    with shelf.swapped(Gauge, "is_calm", True):
        assert one.is_calm
    with shelf.swapped(Gauge, "unit", lambda: "ft"):
        assert (Gauge.unit(), one.unit()) == ("ft", "ft")
    with shelf.swapped(Gauge, "depth_at", lambda self, harbour, at: self.limit):
        assert one.depth_at("Ternhythe", NOON) == 3


def test_a_method_of_one_object(shelf: Shelf) -> None:
    with shelf.swapped(quay_settings.gauge, "depth_at") as depth_at:
        cue(depth_at, "Ternhythe", NOON).gives(4.0)
        assert quay_settings.gauge.depth_at("Ternhythe", NOON) == 4.0
        with pytest.raises(OSError):
            Gauge().depth_at("Ternhythe", NOON)


def test_a_class_that_the_service_itself_makes_objects_of(shelf: Shelf) -> None:
    with shelf.swapped("quay_desk:Gauge"):
        cue(shelf.fake(Gauge).depth_at, "Ternhythe", whatever).gives(2.0)
        assert quay_desk.measured() == 2.0
        assert quay_desk.Gauge.limit == 3
        with pytest.raises(TypeError, match="Gauge: too many positional arguments"):
            quay_desk.Gauge(3)  # type: ignore[call-arg]


def test_the_original_with_cues_over_it(shelf: Shelf) -> None:
    with shelf.swapped(Gauge, "unit", passing_through) as unit:
        assert (Gauge.unit(), quay_settings.gauge.unit()) == ("m", "m")
        cue(unit).gives("ft").for_calls(1)
        assert (Gauge.unit(), Gauge.unit()) == ("ft", "m")
        assert tally(unit) == 4
    with shelf.swapped("quay_settings:gauge", passing_through, everywhere=True) as gauge:
        cue(gauge.ping).gives("pong")
        assert (quay_desk.unit(), asyncio.run(quay_settings.gauge.ping())) == ("m", "pong")


def test_items_and_environment_variables(shelf: Shelf) -> None:
    with shelf.swapped(quay_settings.LIMITS, "berths", 3), shelf.swapped(os.environ, "QUAY", "1"):
        assert (quay_settings.LIMITS, os.environ["QUAY"]) == ({"berths": 3}, "1")
        with shelf.swapped(os.environ, "QUAY", None):
            assert "QUAY" not in os.environ
        assert os.environ["QUAY"] == "1"


REFUSED: dict[str, tuple[Callable[[Shelf], object], str]] = {
    "no attribute": (lambda s: s.swap("quay_settings:depht_now"), "did you mean 'depth_now'"),
    "no module": (lambda s: s.swap("quay_setings:depth_now"), "did you mean 'quay_settings'"),
    "no colon": (lambda s: s.swap("quay_settings.depth_now"), "named as MODULE:NAME"),
    "of a class": (lambda s: s.swap("quay_settings:Gauge.unitt"), "did you mean 'unit'"),
    "nothing": (lambda s: s.swap(), "cannot be told from 0 arguments"),  # type: ignore[call-overload]
    "variable": (lambda s: s.swap(os.environ, 3, "x"), "of an environment variable is a text"),
    "no name": (lambda s: s.swap(quay_settings), "say which attribute of it"),
    "two values": (lambda s: s.swap("quay_settings:gauge", "limit", 4), "only the value is given"),
    "no fake": (lambda s: s.swap("quay_settings:MARGIN_M"), "give what goes in"),
    "annotated": (lambda s: s.swap(quay_settings, "tide_source", 3), "not TideService"),
    "constant": (lambda s: s.swap(quay_settings, "MARGIN_M", "much"), "a str, not float"),
    "property": (lambda s: s.swap(Gauge, "is_calm", "yes"), "a str, not bool"),
    "no fake of a property": (lambda s: s.swap(Gauge, "is_calm"), "give what goes in"),
    "object": (lambda s: s.swap(quay_settings, "gauge", 3, everywhere=False), "no method"),
    "parameters": (lambda s: s.swap(Gauge, "unit", lambda a: ""), "other parameters"),
    "no function": (lambda s: s.swap(Gauge, "unit", 3), "it is called"),
    "class": (lambda s: s.swap("quay_desk:Gauge", 3), "it is a class"),
    "item": (lambda s: s.swap(quay_settings.LIMITS, "berths", "x"), "a str, not int"),
    "environment": (lambda s: s.swap(os.environ, "QUAY", 3), "a text, or None for none"),
    "C": (lambda s: s.swap(datetime, "now", datetime.now), "in the module that uses it"),
    "frozen": (lambda s: s.swap(Gauge.__dict__, "limit", 3), "cannot be changed"),
    "key": (lambda s: s.swap(quay_settings, 3, 3), "is a text"),
    "fake": (lambda s: s.swap(s.fake(Gauge), "unit", 3), "give it a cue"),
    "nothing there": (lambda s: s.swap(quay_settings.LIMITS, "x", passing_through), "nothing that"),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_refused(shelf: Shelf, name: str) -> None:
    swap, why = REFUSED[name]
    with pytest.raises(SwapRefused, match=why):
        swap(shelf)


def test_unchecked_where_the_shelf_is_told_so() -> None:
    with Shelf(check_replies=False) as shelf:
        shelf.swap("quay_settings:MARGIN_M", "much")


# --- putting back ---------------------------------------------------------------------------------


@pytest.mark.parametrize("place", PLACES, ids=lambda place: place[1])
def test_put_back_at_the_end_of_the_shelf_or_the_block(place: tuple[Any, ...]) -> None:
    before = as_it_is()
    with Shelf() as shelf, pytest.raises(KeyError):
        with shelf.swapped(*where(place), everywhere=False if place[0] is quay_settings else None):
            assert as_it_is() != before
            raise KeyError
    assert as_it_is() == before
    shelf = Shelf()
    shelf.swap(*where(place), everywhere=False if place[0] is quay_settings else None)
    assert as_it_is() != before
    shelf.close()
    assert as_it_is() == before


# what is done: a place to swap, by its number and on one of two shelves, or a block to leave
ACTS = st.lists(
    st.tuples(st.integers(0, len(PLACES) - 1), st.integers(0, 1), st.booleans())
    | st.integers(0, 9),
    min_size=1, max_size=12,
)  # fmt: skip


@given(ACTS, st.booleans())
@examples(100)
def test_random_nests_leave_everything_as_it_was(acts: list[Any], is_reversed: bool) -> None:
    shelves = [Shelf(), Shelf()]
    entered: list[Any] = []
    try:
        for act in acts:
            if isinstance(act, int):
                if entered:
                    # in any order, not only the last first
                    entered.pop(act % len(entered)).__exit__(None, None, None)
                continue
            place, shelf, everywhere = act
            told = everywhere if PLACES[place][0] is quay_settings else None
            block = shelves[shelf].swapped(*where(PLACES[place]), everywhere=told)
            block.__enter__()
            entered.append(block)
    finally:
        for one in reversed(shelves) if is_reversed else shelves:
            one.close()
    assert as_it_is() == AT_FIRST


def test_a_decorator_swaps_for_each_call() -> None:
    with Shelf() as shelf:

        @shelf.swapped("quay_settings:MARGIN_M", 2.0)
        def margin(more: float) -> float:
            return quay_settings.MARGIN_M + more

        @shelf.swapped("quay_settings:MARGIN_M", 3.0)
        async def later() -> float:
            await asyncio.sleep(0)
            return quay_settings.MARGIN_M

        assert (margin(1.0), asyncio.run(later()), quay_settings.MARGIN_M) == (3.0, 3.0, 0.5)
        assert margin.__name__ == "margin"
        with pytest.raises(SwapRefused, match="use it as a block"):

            @shelf.swapped("quay_settings:MARGIN_M", 2.0)
            def each() -> Any:
                yield 1


def test_a_block_that_is_never_entered_is_told() -> None:
    with pytest.raises(SwapRefused, match="was never entered, so nothing was swapped"):
        with Shelf() as shelf:
            shelf.swapped("quay_settings:MARGIN_M", 2.0)


def test_one_that_cannot_be_put_everywhere_is_put_nowhere(
    shelf: Shelf, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Stubborn(type(sys)):  # type: ignore[misc]
        def __setattr__(self, name: str, value: object) -> None:
            raise AttributeError("no")

    stubborn = Stubborn("stubborn")
    vars(stubborn)["depth_now"] = quay_settings.depth_now
    monkeypatch.setitem(sys.modules, "stubborn", stubborn)
    with pytest.raises(SwapRefused, match="stubborn:depth_now cannot be changed"):
        shelf.swap("quay_settings:depth_now", everywhere=True)


def test_a_shelf_of_the_test_itself_is_undone_with_the_test(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        lamps="LIT = True",
        test_it="""
            import lamps
            from urnshelf import Shelf

            def test_one(shelf):
                shelf.swap(lamps, "LIT", False)
                Shelf().swap(lamps, "LIT", False)

            def test_two():
                assert lamps.LIT
        """,
    )
    pytester.runpytest("-p", "no:cacheprovider").assert_outcomes(passed=2)
