"""The demo's repositories: the fakes do what the adaptors over SQLite do, step by step, also where
objects change between the steps.
"""

from __future__ import annotations

from contextlib import closing
from copy import deepcopy
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from thorough import examples
from urnshelf import Shelf
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringRegister,
    MooringState,
    MooringUnknown,
    Vessel,
    VesselKind,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.sqlite import (
    SqliteBerths,
    SqliteMoorings,
    SqliteVessels,
    open_harbour,
)

Step = tuple[str, int, Any]
KINDS = ("vessel", "berth", "mooring")
CHANGES = {"vessel": "name", "berth": "code", "mooring": "state"}
IDS = st.integers(1, 4)
STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("save vessel"), IDS, st.sampled_from(["GH-1", "GH-2"])),
        st.tuples(st.just("save berth"), IDS, st.sampled_from(["Ternhythe", "Curlhythe"])),
        st.tuples(st.just("add mooring"), IDS, IDS),
        st.tuples(st.just("delete mooring"), IDS, IDS),
        st.tuples(st.just("hold"), IDS, st.sampled_from(KINDS)),
        st.tuples(st.just("change"), IDS, st.sampled_from(KINDS)),
        st.tuples(st.just("store again"), IDS, st.sampled_from(KINDS[:2])),
    ),
    max_size=25,
)


class World:
    """The three repositories, and the objects that the test was given or gave, and holds."""

    def __init__(self, vessels: Any, berths: Any, moorings: Any) -> None:
        self.repositories = dict(zip(KINDS, (vessels, berths, moorings), strict=True))
        self.held: dict[str, Any] = {}

    def step(self, told: Step) -> Any:
        """One operation; its result, or the exception that it raised."""
        verb, number, value = told
        try:
            return getattr(self, verb.replace(" ", "_"))(number, value)
        except Exception as error:
            return type(error)

    def save_vessel(self, number: int, sign: str) -> Any:
        vessel = Vessel(number, f"Vessel {number}", sign, VesselKind.FERRY, 30.5, 3.25)
        self.held["vessel"] = vessel
        return self.repositories["vessel"].save(vessel)

    def save_berth(self, number: int, harbour: str) -> Any:
        berth = Berth(number, f"B-{number}", harbour, 50.0, 6.5, Decimal("120.50"), number % 2 == 0)
        self.held["berth"] = berth
        return self.repositories["berth"].save(berth)

    def add_mooring(self, vessel: int, berth: int) -> Any:
        arrival = datetime(2030, 6, vessel, tzinfo=UTC)
        mooring = Mooring(None, vessel, berth, arrival, 2, 1.5, Decimal("9.90"))
        self.held["mooring"] = mooring
        return self.repositories["mooring"].add(mooring)

    def delete_mooring(self, number: int, _: int) -> Any:
        return self.repositories["mooring"].delete(number)

    def hold(self, number: int, kind: str) -> Any:
        repository = self.repositories[kind]
        self.held[kind] = None
        self.held[kind] = (repository.find if kind == "vessel" else repository.get)(number)
        return deepcopy(self.held[kind])

    def change(self, number: int, kind: str) -> Any:
        if self.held.get(kind) is None:
            return None
        state = list(MooringState)[number % len(MooringState)]
        setattr(self.held[kind], CHANGES[kind], state if kind == "mooring" else f"new {number}")
        return deepcopy(self.held[kind])

    def store_again(self, _: int, kind: str) -> Any:
        held = self.held.get(kind)
        return None if held is None else self.repositories[kind].save(held)

    def seen(self) -> list[Any]:
        """What every look-up gives, method by method."""
        vessels, berths, moorings = self.repositories.values()
        found: list[Any] = [list(vessels.list()), berths.count(), moorings.count(), moorings.all()]
        for number in range(1, 6):
            found += [vessels.find(number), moorings.exists(number)]
            found += [moorings.find_by_vessel_id(number)]
            for get in (berths.get, moorings.get):
                try:
                    found.append(get(number))
                except Exception as error:
                    found.append(type(error))
        found += [vessels.find_by_call_sign(sign) for sign in ("GH-1", "GH-2", "none")]
        found += [berths.find_by_harbour(harbour) for harbour in ("Ternhythe", "nowhere")]
        return [*found, deepcopy(self.held)]


@examples(120)
@given(STEPS)
def test_fakes_do_what_sqlite_does(steps: list[Step]) -> None:
    shelf = Shelf()
    shelf.define(Berth, missing=BerthUnknown)
    shelf.define(Mooring, missing=MooringUnknown)
    fakes = World(
        shelf.fake(VesselRepository), shelf.fake(BerthRepository), shelf.fake(MooringRegister)
    )
    with closing(open_harbour()) as connection:
        real = World(
            SqliteVessels(connection), SqliteBerths(connection), SqliteMoorings(connection)
        )
        for told in steps:
            assert fakes.step(told) == real.step(told)
            assert fakes.seen() == real.seen()
