"""Fakes: what they are made from, and how they behave as objects."""

from __future__ import annotations

import asyncio
import copy
import gc
import inspect
import pickle
import re
import weakref
from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import Any, Protocol

import pytest

import awkward
from urnshelf import (
    CueRefused,
    InterfaceRefused,
    Shelf,
    UnansweredCall,
    attribute,
    cue,
    ledger_of,
    tally,
)
from urnshelf.demo.harbour import Berth, BerthRepository, PilotPager, TideService


class Crane(Protocol):
    reach_m: float
    operator: PilotPager

    @property
    def load_t(self) -> float: ...

    def lift(self, tonnes: float) -> bool: ...


def test_one_interface_has_one_fake_and_a_name_makes_another(shelf: Shelf) -> None:
    assert shelf.fake(TideService) is shelf.fake(TideService)
    backup = shelf.fake(TideService, name="backup")
    assert backup is not shelf.fake(TideService)
    assert backup is shelf.fake(TideService, name="backup")
    assert repr(backup) == "<fake TideService 'backup'>"


def test_two_shelves_share_nothing(shelf: Shelf) -> None:
    other = Shelf()
    cue(shelf.fake(Crane).lift).gives(True)
    with other.refusals_expected(), pytest.raises(UnansweredCall):
        other.fake(Crane).lift(2.0)
    assert tally(shelf.fake(Crane).lift) == 0


def test_a_generic_interface_is_one_for_each_of_its_arguments(shelf: Shelf) -> None:
    berths = shelf.fake(awkward.Repository[Berth, int])
    assert berths is shelf.fake(awkward.Repository[Berth, int])
    assert berths is not shelf.fake(awkward.Repository[str, int])
    assert repr(berths) == "<fake Repository[Berth, int]>"


def test_the_code_of_an_interface_never_runs(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.BehindOnesBack)
    assert repr(fake) == "<fake BehindOnesBack>" == str(fake) == f"{fake}"
    assert copy.copy(fake) is fake
    assert copy.deepcopy({"crane": fake})["crane"] is fake
    assert isinstance(fake, awkward.BehindOnesBack)
    gone = weakref.ref(Shelf().fake(awkward.BehindOnesBack))
    gc.collect()
    assert gone() is None


def test_a_fake_cannot_be_pickled_and_says_so(shelf: Shelf) -> None:
    with pytest.raises(InterfaceRefused, match="lives on its shelf"):
        pickle.dumps(shelf.fake(Crane))


def test_equality_hash_and_truth_are_those_of_any_object_until_cued(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.OwnEquality)
    assert fake == fake
    assert fake != shelf.fake(awkward.OwnEquality, name="other")
    assert fake
    assert {fake: 1}[fake] == 1
    assert not ledger_of(shelf)
    cue(fake.__bool__).gives(False)
    cue(fake.__eq__, 5).gives(True)
    assert not fake
    assert fake == 5


def test_an_uncued_length_is_not_asked_for_the_truth(shelf: Shelf) -> None:
    assert shelf.fake(awkward.Container_)


def test_special_methods_are_cued_and_answer_the_language(shelf: Shelf) -> None:
    holder = shelf.fake(awkward.Container_)
    cue(holder.__len__).gives(2)
    cue(holder.__getitem__, 1).gives("one")
    cue(holder.__contains__, "x").gives(True)
    cue(holder.__iter__).streams("a", "b")
    cue(holder.__setitem__).gives(None)
    cue(holder.__delitem__).gives(None)
    holder[3] = "three"
    del holder[4]
    assert (len(holder), holder[1], "x" in holder, list(holder)) == (2, "one", True, ["a", "b"])
    assert tally(holder.__setitem__, 3, "three") == 1
    sums = shelf.fake(awkward.Arithmetic)
    cue(sums.__add__, 2).gives(5)
    cue(sums.__lt__, 2).gives(True)
    assert sums + 2 == 5
    assert sums < 2


def test_attributes_are_cued_read_assigned_and_counted(shelf: Shelf) -> None:
    crane = shelf.fake(Crane)
    cue(attribute(crane, "reach_m")).gives(30.0, 31.5)
    assert [crane.reach_m, crane.reach_m] == [30.0, 31.5]
    assert tally(attribute(crane, "reach_m")) == 2
    crane.reach_m = 40.0
    assert crane.reach_m == 40.0
    assert tally(attribute(crane, "reach_m").assigned, 40.0) == 1
    cue(attribute(crane, "reach_m")).gives(12.0)
    assert crane.reach_m == 12.0


def test_an_assignment_can_be_made_to_fail(shelf: Shelf) -> None:
    crane = shelf.fake(Crane)
    cue(attribute(crane, "reach_m").assigned, 99.0).raises(ValueError("too far"))
    with pytest.raises(ValueError, match="too far"):
        crane.reach_m = 99.0
    crane.reach_m = 10.0
    assert crane.reach_m == 10.0


def test_an_attribute_typed_as_an_interface_is_that_interfaces_fake(shelf: Shelf) -> None:
    assert shelf.fake(Crane).operator is shelf.fake(PilotPager)


def test_an_uncued_attribute_is_refused_and_a_read_only_one_cannot_be_assigned(
    shelf: Shelf,
) -> None:
    crane: Any = shelf.fake(Crane)
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match=r'attribute\(shelf.fake\(Crane\), "reach_m"\)'),
    ):
        _ = crane.reach_m
    with pytest.raises(AttributeError, match="read-only"):
        crane.load_t = 5
    with pytest.raises(CueRefused, match="read-only"):
        _ = attribute(crane, "load_t").assigned
    with pytest.raises(AttributeError, match="cannot be deleted"):
        del crane.reach_m


def test_class_constants_keep_their_values(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.Constants)
    assert (fake.LIMIT, fake.NAMES, fake.Inner) == (5, ("a", "b"), awkward.Colour)
    cue(attribute(fake, "LIMIT")).gives(6)
    assert fake.LIMIT == 6


def test_attributes_that_a_constructor_assigns_are_known(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.AssignsInConstructor)
    cue(attribute(fake, "url")).gives("kiosk.example")
    assert fake.url == "kiosk.example"
    assert "_secret" not in dir(fake)


@pytest.mark.parametrize("word", ["lifft", "lft", "reach"])
def test_an_unknown_attribute_names_the_nearest(word: str) -> None:
    with (
        pytest.raises(AttributeError, match=f"'Crane' object has no attribute '{word}'") as caught,
        Shelf() as shelf,
    ):
        getattr(shelf.fake(Crane), word)
    assert re.match(
        r"Crane has no attribute .*did you mean '(lift|reach_m)'", caught.value.__notes__[0]
    )
    crane: Any = shelf.fake(Crane)
    with pytest.raises(AttributeError, match="Crane has no attribute"):
        setattr(crane, word, 1)
    assert not hasattr(crane, word)


def test_a_method_cannot_be_overwritten(shelf: Shelf) -> None:
    crane: Any = shelf.fake(Crane)
    with pytest.raises(AttributeError, match="give it a cue"):
        crane.lift = lambda tonnes: True


def test_a_wrong_call_is_refused_as_python_refuses_it(shelf: Shelf) -> None:
    tides: Any = shelf.fake(TideService)
    with pytest.raises(
        TypeError, match=r"TideService.depth_at\(\) missing 1 required positional argument: 'at'"
    ):
        tides.depth_at("Ternhythe")
    with pytest.raises(TypeError, match="unexpected keyword argument 'when'"):
        tides.depth_at("Ternhythe", when=1)


def test_callable_types_and_functions_are_faked(shelf: Shelf) -> None:
    price = shelf.fake(Callable[[int, str], float], name="price")
    cue(price, 2, "day").gives(9.5)
    assert price(2, "day") == 9.5
    assert tally(price) == 1
    function = shelf.fake(awkward.plain_function)
    cue(function, 1).gives(8)
    assert function(1) == 8
    assert inspect.signature(function) == inspect.signature(awkward.plain_function)
    later = shelf.fake(awkward.async_function)
    cue(later, 1).gives(7)
    assert asyncio.run(later(1)) == 7


def test_class_and_static_methods_are_called_on_the_fake(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.ClassAndStatic)
    cue(fake.counted, 1).gives(4)
    assert fake.counted(1) == 4
    assert fake.made(1) is fake


def test_type_parameters_are_filled_in(shelf: Shelf) -> None:
    fake = shelf.fake(awkward.FilledByInheritance)
    with pytest.raises(Exception, match="promises int"):
        cue(fake.one, 1).gives("text")  # type: ignore[arg-type]
    assert shelf.fake(awkward.Repository[int, str]).get.__name__ == "get"
    with pytest.raises(Exception, match="promises list\\[int\\]"):
        cue(shelf.fake(awkward.Repository[int, str]).all).gives(["text"])  # type: ignore[list-item]


class Session(Protocol):
    def run(self, text: str) -> None: ...


class Database(ABC):
    @abstractmethod
    def begin(self) -> Session: ...
    @abstractmethod
    def __enter__(self) -> Database: ...
    @abstractmethod
    def __exit__(self, *error: object) -> bool | None: ...
    @abstractmethod
    def close(self) -> None: ...
    @abstractmethod
    def size(self) -> int: ...


def test_obvious_replies(shelf: Shelf) -> None:
    database = shelf.fake(Database)
    with database as inside:
        assert inside is database
        assert database.begin() is shelf.fake(Session)
        database.begin().run("x")
        assert database.close() is None  # type: ignore[func-returns-value]
    with pytest.raises(KeyError), database:
        raise KeyError("an exception passes through an uncued __exit__")


def test_async_and_promised_contexts(shelf: Shelf) -> None:
    contexts = shelf.fake(awkward.LooksUpContext)
    cue(contexts.session).enters(5)
    with contexts.session() as inside:
        assert inside == 5

    async def use() -> Any:
        async with shelf.fake(awkward.IsAnAsyncContext) as me:
            return me

    assert asyncio.run(use()) is shelf.fake(awkward.IsAnAsyncContext)


def test_a_shelf_may_be_told_to_answer_with_empty_values() -> None:
    shelf = Shelf(unanswered="empty")
    assert shelf.fake(Database).size() == 0
    assert list(shelf.fake(awkward.PromisesStreams).sync()) == []
    assert shelf.fake(awkward.UnionsOldAndNew).go() is None
    with pytest.raises(UnansweredCall):
        shelf.fake(BerthRepository.get)(shelf, 3)  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="choose 'refuse' or 'empty'"):
        Shelf(unanswered="guess")  # type: ignore[arg-type]
