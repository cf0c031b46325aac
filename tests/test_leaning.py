"""Rules of distributions: quantiles, groups, leans, and names that mean something elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Any

import numpy
import pytest
from hypothesis import given
from hypothesis import strategies as some
from scipy import stats

from urnshelf import RecordRefused, Urn, rules
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.files.plan_values import written
from urnshelf.urn.rules.base import Rule


class Class(Enum):
    FIRST = "A"
    SECOND = "B"


@dataclass
class Ship:
    kind: str
    grade: Class
    is_old: bool
    age: int
    length_m: float
    draught_m: float
    price: Decimal
    built_on: date
    seen_at: datetime
    note: str | None


OLD, NEW = date(1990, 1, 1), date(2030, 1, 1)
TOLD: dict[str, Any] = {
    "kind": rules.among("cargo", "tug", weights={True: [1, 9], False: [8, 2]}, by="is_old"),
    "grade": rules.among(Class.FIRST, Class.SECOND, leans={"age": 0.9}),
    "is_old": rules.among(True, False),
    "age": rules.quantiles([0, 5, 12, 60]),
    "length_m": rules.quantiles(
        {"cargo": [40.0, 90.0, 200.0], "tug": [12.0, 20.0, 31.5]}, by="kind", decimals=1
    ),
    "draught_m": rules.quantiles([0.5, 2, 9], leans={"length_m": 0.8, "age": -0.3}, decimals=2),
    "price": rules.quantiles([Decimal("1.50"), Decimal("99.99")], by=None),
    "built_on": rules.quantiles([OLD, NEW], leans={"age": -0.95}),
    "seen_at": rules.quantiles(
        [datetime(2030, 1, 1, tzinfo=UTC), datetime(2030, 2, 1, tzinfo=UTC)]
    ),
    "note": rules.sometimes_none("seen", rate={"to 5": 0.9, "to 12": 0.5, "above": 0}, by="age"),
}


# --- one value, many, a slice, another process ----------------------------------------------------


def test_one_many_a_slice_and_a_frame_are_the_same_bits() -> None:
    many = Urn(3).draw(Ship, range(3000), **TOLD)
    few = [Urn(3).draw(Ship, range(n, n + 1), **TOLD)[0] for n in range(0, 3000, 97)]
    assert many[::97] == few
    assert Urn(3).draw(Ship, range(1000, 2000), **TOLD) == many[1000:2000]
    frame = Urn(3).data_frame(Ship, 3000, **TOLD)
    for name in ("length_m", "price", "built_on", "kind", "age"):
        assert frame[name].tolist() == [getattr(ship, name) for ship in many]
    assert Urn(3).field(Ship, "draught_m", range(10), **TOLD) == [s.draught_m for s in many[:10]]
    assert Urn(3).field(Ship, "kind", [5, 2900], **TOLD) == [many[5].kind, many[2900].kind]


@given(
    values=some.lists(some.integers(-(10**12), 10**12), min_size=2, max_size=30).map(sorted),
    seed=some.integers(0, 2**32),
)
def test_whatever_the_quantiles_columns_are_as_single_ones(values: list[int], seed: int) -> None:
    rule = rules.quantiles(values)
    many = Urn(seed).field(Ship, "age", range(600), **{**TOLD, "age": rule})
    for n in (0, 1, 299, 599):
        assert Urn(seed).field(Ship, "age", range(n, n + 1), **{**TOLD, "age": rule}) == [many[n]]
    assert values[0] <= min(many) <= max(many) <= values[-1]


# --- what is drawn is what was told ---------------------------------------------------------------


def drawn(n: int = 20_000, **told: Any) -> Any:
    return Urn(5).data_frame(Ship, n, **{**TOLD, **told})


def test_a_distribution_is_the_one_that_its_quantiles_tell() -> None:
    normal = stats.norm(50, 10)
    values = [round(float(normal.ppf(q)), 3) for q in numpy.linspace(0.001, 0.999, 101)]
    frame = drawn(length_m=rules.quantiles(values, decimals=3))
    assert stats.kstest(frame.length_m, normal.cdf).statistic < 0.015


def test_a_value_told_at_two_places_comes_as_often_as_these_are_apart() -> None:
    frame = drawn(age=rules.quantiles([0, 0, 1, 80], at=[0, 312, 312, 1000]))
    assert abs((frame.age == 0).mean() - 0.312) < 0.01
    assert frame.age.max() <= 80


def test_the_groups_are_those_of_the_other_field() -> None:
    frame = drawn()
    assert frame[frame.kind == "tug"].length_m.between(12, 31.5).all()
    assert frame[frame.kind == "cargo"].length_m.between(40, 200).all()
    shares = frame.groupby("is_old").kind.value_counts(normalize=True)
    assert abs(shares[True, "tug"] - 0.9) < 0.02
    assert abs(shares[False, "cargo"] - 0.8) < 0.02
    missing = frame.note.isna().groupby([frame.age > 12, frame.age > 5]).mean()
    assert missing[True, True] == 0
    assert abs(missing[False, True] - 0.5) < 0.03
    assert abs(missing[False, False] - 0.9) < 0.02


def test_leans_leave_every_distribution_as_it_is() -> None:
    alone = drawn(draught_m=rules.quantiles([0.5, 2, 9], decimals=2))
    leaning = drawn()
    assert stats.ks_2samp(alone.draught_m, leaning.draught_m).statistic < 0.02
    within = leaning[leaning.kind == "tug"]
    found = stats.spearmanr(within.length_m, within.draught_m).statistic
    # between scores .8 is told, and between ranks a normal distribution has 6/pi asin(.8/2)
    assert abs(found - 6 / numpy.pi * numpy.arcsin(0.8 / 2)) < 0.02
    assert stats.spearmanr(leaning.age, leaning.draught_m).statistic < -0.2


def test_leans_on_fields_that_go_together_leave_it_as_well() -> None:
    frame = drawn(
        draught_m=rules.quantiles([0.5, 2, 9], leans={"length_m": 0.9}, decimals=2),
        price=rules.quantiles(
            [Decimal("1.00"), Decimal(5), Decimal(100)], leans={"length_m": 0.6, "draught_m": 0.3}
        ),
    )
    share = (frame.price.astype(float) < 5).mean()
    assert abs(share - 0.5) < 0.02


def test_a_field_that_is_fixed_pulls_those_that_lean_on_it() -> None:
    urn = Urn(5)
    urn.set_rules(Ship, **TOLD)
    low, high = (urn.data_frame(Ship, 500, age=age).built_on for age in (1, 55))
    assert max(high) < min(low)


def test_two_fields_tell_the_group_and_bands_may_be_among_them() -> None:
    frame = drawn(
        length_m=rules.quantiles(
            {"tug / to 12": [1.0, 2.0], "tug / above": [3.0, 4.0], "else": [9.0, 9.5]},
            by=["kind", "age"],
        )
    )
    for is_tug, is_young, low, high in ((1, 1, 1, 2), (1, 0, 3, 4), (0, 1, 9, 9.5), (0, 0, 9, 9.5)):
        those = frame[((frame.kind == "tug") == is_tug) & ((frame.age <= 12) == is_young)]
        assert those.length_m.between(low, high).all()
        assert len(those) > 100


@pytest.mark.parametrize(
    ("by", "keys"),
    [
        ("is_old", {True: 1, False: 2}), ("is_old", {"true": 1, "false": 2}),
        ("grade", {Class.FIRST: 1, "B": 2}), ("age", {0: 1, "else": 2}),
        ("built_on", {"to 2000-01-01": 1, "above": 2}), ("note", {None: 1, "else": 2}),
        ("seen_at", {"to 2030-01-15": 1, "above": 2}),
    ],
)  # fmt: skip
def test_keys_are_values_or_their_texts(by: str, keys: dict[Any, float]) -> None:
    told = {**TOLD, "length_m": rules.quantiles({k: [v, v] for k, v in keys.items()}, by=by)}
    ships = Urn(1).draw(Ship, 800, **told)
    assert {ship.length_m for ship in ships} == {1.0, 2.0}
    for ship in ships:
        value = getattr(ship, by)
        is_first = {
            "is_old": value is True, "grade": value is Class.FIRST, "age": value == 0,
            "built_on": by == "built_on" and value <= date(2000, 1, 1), "note": value is None,
            "seen_at": by == "seen_at" and value <= datetime(2030, 1, 15, tzinfo=UTC),
        }[by]  # fmt: skip
        assert ship.length_m == (1 if is_first else 2)


def test_hundreds_whole_numbers_and_halves() -> None:
    assert {n % 100 for n in drawn(500, age=rules.quantiles([100, 5000], decimals=-2)).age} == {0}
    assert drawn(50, length_m=rules.quantiles([1, 9], decimals=2)).length_m.dtype == float
    told = rules.quantiles([Decimal("0.50"), Decimal("9.99")])
    assert {-one.as_tuple().exponent for one in drawn(50, price=told).price} == {2}


def test_a_gap_may_be_a_rule() -> None:
    gap = rules.quantiles({"tug": [0, 1], "else": [30, 60]}, by="kind")
    frame = drawn(2000, seen_at=rules.after("built_on", gap))
    gaps = [seen.date() - built for seen, built in zip(frame.seen_at, frame.built_on, strict=True)]
    for kind, days in zip(frame.kind, gaps, strict=True):
        low, high = (0, 1) if kind == "tug" else (30, 60)
        assert timedelta(low) <= days <= timedelta(high)
    exact = drawn(700, built_on=OLD, seen_at=rules.after("built_on", rules.formula("age * 2")))
    assert [(seen.date() - OLD).days for seen in exact.seen_at] == [2 * age for age in exact.age]


def test_another_field_of_the_record_that_is_referred_to() -> None:
    told = {
        "vessel_id": rules.dealt(Vessel, (1, 3)),
        "days": rules.quantiles({"FERRY": [1, 1], "else": [5, 9]}, by="vessel_id.kind"),
    }
    told["days"] = rules.quantiles({"ferry": [1, 1], "else": [5, 9]}, by="vessel_id.kind")
    vessels = {one.id: one for one in Urn(7).draw(Vessel, range(2000))}
    for few in (Urn(7).draw(Mooring, range(50), **told), Urn(7).draw(Mooring, range(900), **told)):
        for one in few:
            is_ferry = vessels[one.vessel_id].kind.value == "ferry"
            assert (one.days == 1) is is_ferry
    linked = {**told, "vessel_id": rules.link(Vessel)}
    for one in Urn(7).draw(Mooring, 600, **linked):
        assert (one.days == 1) is (vessels[one.vessel_id].kind.value == "ferry")


def test_a_field_called_otherwise() -> None:
    vessels = Urn(7).draw(Vessel, 600, name=rules.called("email"), owner=rules.called("city"))
    assert all("@example." in one.name for one in vessels)
    told = rules.called("description", length=(10, 20))
    assert all(10 <= len(one.name) <= 20 for one in Urn(7).draw(Vessel, 50, name=told))
    assert written(told) == '{ called = "description", length = [10, 20] }'


# --- in plan files, and back ----------------------------------------------------------------------


def test_every_rule_comes_back_from_a_plan(tmp_path: Path) -> None:
    told = {name: rule for name, rule in TOLD.items() if name != "grade"}
    lines = [f"{name} = {written(rule)}" for name, rule in told.items()]
    plan = tmp_path / "plan.toml"
    head = f'format = 1\nseed = 3\n[tables.ships]\ntype = "{__name__}:Ship"\n[tables.ships.rules]\n'
    plan.write_text(head + "\n".join(lines))
    from urnshelf.files.plan_file import read_plan

    again = read_plan(plan).tables["ships"].first(700)
    assert again == Urn(3).draw(Ship, 700, **told)


def test_a_table_without_a_type_knows_keys_of_any_kind(plan: Callable[[str], list[Any]]) -> None:
    rows = plan(
        """
        is_old = { among = [true, false] }
        class = { among = [1, 2] }
        told = { known_by = "class", is = { 1 = "one", 2 = "two" } }
        age = { quantiles = { true = [30, 60], false = [0, 9] }, by = "is_old" }
        since = { after = "built", gap = { quantiles = [1, 3] } }
        built = { quantiles = [2030-01-01, 2030-06-01] }
        left.sometimes_none = { quantiles = [0.5, 1.5] }
        left.rate = { true = 0.01, false = 0 }
        left.by = "is_old"
        """
    )
    assert all((row["age"] >= 30) is row["is_old"] for row in rows)
    assert {(row["class"], row["told"]) for row in rows} == {(1, "one"), (2, "two")}
    assert all(1 <= (row["since"] - row["built"]).days <= 3 for row in rows)
    assert {row["is_old"] for row in rows if row["left"] is None} == {True}


@pytest.fixture
def plan(tmp_path: Path) -> Callable[[str], list[Any]]:
    def make(text: str) -> list[Any]:
        from urnshelf.files.plan_file import read_plan

        path = tmp_path / "plan.toml"
        path.write_text(f"format = 1\n[tables.ships]\n[tables.ships.rules]\n{text}")
        return read_plan(path).tables["ships"].first(1500)

    return make


# --- what is refused ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("make", "told"),
    [
        (lambda: rules.quantiles([3, 1]), "3 stands before 1; quantiles are told in order"),
        (lambda: rules.quantiles([1]), "two values are needed"),
        (lambda: rules.quantiles([]), "a list of values in order is needed"),
        (lambda: rules.quantiles([1, "a"]), "its values are of several kinds"),
        (lambda: rules.quantiles(["a", "b"]), "numbers, days or moments"),
        (lambda: rules.quantiles([1.0, float("inf")]), "one that is none"),
        (lambda: rules.quantiles([1, 2], at=[0, 500]), "2 numbers from 0 to 1000"),
        (lambda: rules.quantiles({"a": [1, 2]}), "with by=… the quantiles of each group"),
        (lambda: rules.quantiles([1, 2], by="kind"), "with by=… the quantiles of each group"),
        (lambda: rules.quantiles({"a": [1, 2]}, by=["x", "y", "z"]), "or two of them"),
        (lambda: rules.quantiles({"a": [1, 2]}, by=["x", "y"]), 'write it as "lamp / gold"'),
        (lambda: rules.quantiles([1, 2], leans=["age"]), "a table of fields is needed"),
        (lambda: rules.quantiles([1, 2], leans={"age": 3}), "from -2 to 2"),
        (lambda: rules.quantiles([1, 2], decimals=40), "at most 12"),
        (lambda: rules.quantiles([1, 10**19], decimals=2), "is too much; give fewer decimals"),
        (lambda: rules.among(1, 2, by="kind"), "the weights of each group are needed"),
        (lambda: rules.among(1, 2, weights={"a": [1]}, by="kind"), "one whole number for each"),
        (lambda: rules.sometimes_none(1, rate={"a": 2}, by="kind"), "between 0 and 1"),
        (lambda: rules.sometimes_none(1, rate={"a": 1}), "a rate for each group"),
        (lambda: rules.called("gauge_of_quay"), "no field of type str means something"),
        (lambda: rules.called("email", length=9), "the least and the greatest length"),
    ],
)
def test_what_no_rule_can_be(make: Callable[[], Rule], told: str) -> None:
    with pytest.raises(RecordRefused) as refused:
        make()
    assert told in str(refused.value)


@pytest.mark.parametrize(
    ("told", "message"),
    [
        ({"length_m": rules.quantiles({"tog": [1, 2]}, by="kind")},
         "did you mean 'tog'? Give it a group, or \"else\""),
        ({"length_m": rules.quantiles([1, 2], leans={"note": 0.5})}, "leans on 'note'"),
        ({"age": 4}, "leans on 'age', which is always the same; tell its distribution first"),
        ({"length_m": rules.quantiles([1, 2], leans={"lenght": 0.5})}, "which is no field"),
        ({"age": rules.quantiles([1, 2], leans={"age": 0.5})}, "circle: age → age"),
        ({"length_m": rules.quantiles([1, 2], leans={"age": 0.8, "built_on": -0.8})},
         "tell 249 % of what there is to tell"),
        ({"length_m": rules.quantiles({"a": [1, 2]}, by="kind.of")}, "refers to no record"),
    ],
)  # fmt: skip
def test_what_cannot_be_drawn(told: dict[str, Any], message: str) -> None:
    with pytest.raises(RecordRefused) as refused:
        Urn(1).draw(Ship, 30, **{**TOLD, **told})
    assert message in str(refused.value)


def test_leans_that_tell_too_much_are_told_smaller_ones_that_work() -> None:
    told = {**TOLD, "length_m": rules.quantiles([1, 2], leans={"age": 0.8, "built_on": -0.8})}
    with pytest.raises(RecordRefused) as refused:
        Urn(1).draw(Ship, **told)
    smaller = eval(str(refused.value).rpartition("leans = ")[2])
    assert 0.4 < smaller["age"] < 0.8
    Urn(1).draw(Ship, **{**told, "length_m": rules.quantiles([1, 2], leans=smaller)})


def test_a_rule_that_leans_stands_in_a_record(tmp_path: Path) -> None:
    with pytest.raises(RecordRefused, match="draw it as a field of a record"):
        from urnshelf.urn.mixing import Bits

        rules.quantiles([1, 2], leans={"age": 0.5}).one(Bits(1, 0))


def test_limits_of_a_type_are_kept() -> None:
    from urnshelf.types.limits import Limits

    rule = rules.quantiles([0, 50, 100]).narrowed(Limits(ge=10, lt=60))
    assert rule is not None
    drawn_ages = drawn(600, age=rule).age
    assert drawn_ages.min() == 10
    assert drawn_ages.max() == 59
    assert rules.quantiles([0, 9]).narrowed(Limits(ge=9, lt=2)) is None


def test_a_record_on_a_shelf_too() -> None:
    berths = Urn(2).draw(Berth, 5, depth_m=rules.quantiles([3, 4, 12], leans={"length_m": 1}))
    by_length = sorted(berths, key=lambda one: one.length_m)
    assert [one.depth_m for one in by_length] == sorted(one.depth_m for one in berths)
