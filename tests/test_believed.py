"""Records that a reader believes: what belongs together fits together, by default."""

from __future__ import annotations

import os
import re
import tomllib
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from itertools import pairwise
from pathlib import Path
from typing import Annotated, Any, TypedDict

import annotated_types as at
import pytest

import believed
from urnshelf import RecordRefused, Urn, rules
from urnshelf.demo.harbour import Mooring
from urnshelf.urn.gazetteer import country_of
from urnshelf.urn.number_names import ranges_of


@pytest.mark.parametrize("record_type", believed.TYPES)
def test_nothing_is_wrong_of_two_thousand(record_type: Any) -> None:
    records = Urn(11).draw(record_type, 2000)
    wrong = [fault for record in records for fault in record.faults()]
    assert wrong == []
    assert list(believed.faults_among(records)) == []


def test_other_seeds_and_slices_fit_together_as_well() -> None:
    for record_type in believed.TYPES:
        for seed in (0, 1, 2):
            few = Urn(seed).draw(record_type, range(4000, 4030))
            assert [fault for record in few for fault in record.faults()] == []


# --- what is told goes before ---------------------------------------------------------------------


def test_what_is_fixed_pulls_the_others_with_it() -> None:
    urn = Urn(7)
    tenancy = urn.draw(believed.Tenancy, city="Ternhythe", monthly_rent=Decimal(500))
    assert (tenancy.country_code, tenancy.country) == ("DK", "Denmark")
    assert tenancy.deposit in (500, 1000, 1500)
    closed = urn.draw(believed.Shipment, 40, status=believed.ShipmentStatus.DELIVERED)
    assert all(one.delivered_at is not None for one in closed)
    policy = urn.draw(believed.Policy, holder_birth_date=date(2000, 6, 2), holder_name="Ann Berg")
    assert (policy.holder_age, policy.holder_email.partition("@")[0][:8]) == (29, "ann.berg")


def test_a_place_of_ones_own_has_one_country_too() -> None:
    tenancies = Urn(7).draw(believed.Tenancy, 30, city="Nowhere")
    assert len({one.country for one in tenancies}) == 1
    assert country_of("Nowhere") is country_of("Nowhere")


class State(Enum):
    OPEN = 1
    CLOSED = 2


@dataclass
class Case:
    id: int
    state: State
    opened_on: date
    closed_on: date | None
    parent_id: int | None


def test_a_closing_date_is_there_where_it_is_closed() -> None:
    for case in Urn(7).draw(Case, 300):
        assert (case.closed_on is not None) is (case.state is State.CLOSED)
        assert case.closed_on is None or case.closed_on > case.opened_on
        assert case.parent_id is None or case.parent_id < case.id  # never in a circle


@dataclass
class Stay:
    arrival: datetime
    departure: datetime
    nights: int


@dataclass
class Crossing:
    departure: datetime
    arrival: datetime


def test_of_arrival_and_departure_that_which_stands_first_comes_first() -> None:
    for stay in Urn(7).draw(Stay, 100):
        assert stay.departure > stay.arrival
        assert stay.nights == (stay.departure - stay.arrival).days
    for crossing in Urn(7).draw(Crossing, 100):
        assert timedelta(minutes=20) < crossing.arrival - crossing.departure < timedelta(hours=20)


@dataclass
class House:
    id: int
    address: str
    city: str
    bedrooms: int
    asking_price: Decimal
    sold_price: Decimal | None
    listed_on: date
    sold_on: date | None
    is_sold: bool


@dataclass
class Leave:
    vacation_days_total: int
    vacation_days_taken: int
    vacation_days_left: int
    memory_used_mb: int
    memory_total_mb: int
    score: int
    high_score: int
    achievements: int


@dataclass
class Shift:
    start: time
    end: time
    duration: int
    prep_minutes: int
    cook_minutes: int
    total_minutes: int


@dataclass
class Night:
    shift_start: datetime
    shift_end: datetime
    worked_hours: float


def test_what_was_sold_has_a_price_and_a_day() -> None:
    for house in Urn(7).draw(House, 200):
        assert (house.sold_price is not None) is (house.sold_on is not None) is house.is_sold
        assert house.sold_on is None or house.sold_on > house.listed_on
        assert 60_000 <= house.asking_price <= 950_000
        assert re.fullmatch(r"\d+ \w+ \w+", house.address)  # the town stands beside it


def test_parts_and_what_is_left_of_them() -> None:
    for one in Urn(7).draw(Leave, 200):
        assert one.vacation_days_left == one.vacation_days_total - one.vacation_days_taken >= 0
        assert 20 <= one.vacation_days_total <= 32
        assert one.memory_used_mb <= one.memory_total_mb
        assert one.score <= one.high_score
        assert one.achievements <= 40  # what is called like several things is counted


def test_how_long_it_lasts() -> None:
    for one in Urn(7).draw(Shift, 200):
        begun, ended = (datetime.combine(date(2030, 6, 1), at) for at in (one.start, one.end))
        assert one.duration == (ended - begun) // timedelta(minutes=1)
        assert one.total_minutes == one.prep_minutes + one.cook_minutes
    for night in Urn(7).draw(Night, 200):
        hours = (night.shift_end - night.shift_start) / timedelta(hours=1)
        assert abs(night.worked_hours - hours) <= 0.005


@dataclass
class Stint:
    hours_worked: float
    hourly_rate: Decimal
    pay: Decimal


@dataclass
class Paper:
    percentage: float
    grade: str
    mark: int
    passed: bool
    semester: int


@dataclass
class Contract:
    started_on: date
    renews_on: date
    matures_on: date | None
    created_at: datetime
    completed_at: datetime | None
    updated_at: datetime


@dataclass
class Guesthouse:
    street: str
    house_number: str
    rooms: int
    occupied_rooms: int
    vacant_rooms: int


@dataclass
class Refund:
    order_total: Decimal
    refund_amount: Decimal
    gross_pay: Decimal
    income_tax: Decimal
    pension_contribution: Decimal
    net_pay: Decimal
    adults: int
    children: int
    guests: int
    votes_yes: int
    votes_no: int
    votes_total: int
    max_load_kg: float
    current_load_kg: float


@dataclass
class Warranty:
    purchased_on: date
    warranty_months: int
    warranty_ends_on: date
    claimed_on: date | None
    claim_amount: Decimal | None


@dataclass
class Fair:
    opens_at: datetime
    closes_at: datetime
    sunrise: time
    sunset: time


@dataclass
class Wages:
    period_start: date
    period_end: date
    pay_date: date


@dataclass
class Sky:
    temperature_c: float
    dew_point_c: float
    wind_speed_ms: float
    wind_gust_ms: float
    attendance: int
    stadium_capacity: int


def test_parts_of_sums_and_sums_of_parts() -> None:
    for one in Urn(7).draw(Refund, 200):
        assert one.refund_amount <= one.order_total
        assert one.net_pay == one.gross_pay - one.income_tax - one.pension_contribution > 0
        assert one.guests == one.adults + one.children
        assert one.votes_total == one.votes_yes + one.votes_no
        assert one.current_load_kg <= one.max_load_kg


def test_so_many_months_later_and_other_days() -> None:
    for one in Urn(7).draw(Warranty, 200):
        bought, ends = one.purchased_on, one.warranty_ends_on
        months = (ends.year - bought.year) * 12 + ends.month - bought.month
        assert (months, ends.day <= bought.day) == (one.warranty_months, True)
        assert (one.claim_amount is None) is (one.claimed_on is None)
    for fair in Urn(7).draw(Fair, 200):
        assert fair.opens_at < fair.closes_at
        assert fair.sunrise < time(9) < fair.sunset
    for wages in Urn(7).draw(Wages, 200):
        assert wages.period_start < wages.period_end <= wages.pay_date
    leap = Urn(7).draw(Warranty, purchased_on=date(2028, 1, 31), warranty_months=1)
    assert leap.warranty_ends_on == date(2028, 2, 29)


def test_the_air_and_the_crowd() -> None:
    for sky in Urn(7).draw(Sky, 200):
        assert sky.dew_point_c <= sky.temperature_c
        assert sky.wind_gust_ms >= sky.wind_speed_ms
        assert sky.attendance <= sky.stadium_capacity


def test_keys_that_no_formula_can_name_are_drawn_all_the_same() -> None:
    odd = TypedDict(
        "odd",
        {"tax-free_minutes": int, "cook_minutes": int, "total_minutes": int, "max_x y": int,
         "x y": int, "percentage": float, "current_gas-meter": int, "previous_gas-meter": int,
         "gas_consumption": int},
    )  # fmt: skip
    assert all(len(one) == 9 for one in Urn(7).draw(odd, 20))


def test_what_is_earned_and_what_is_reached() -> None:
    for stint in Urn(7).draw(Stint, 200):
        assert abs(stint.pay - Decimal(str(stint.hours_worked)) * stint.hourly_rate) <= Decimal(
            "0.005"
        )
    for paper in Urn(7).draw(Paper, 200):
        assert paper.passed is (paper.percentage >= 50)
        assert paper.passed is (paper.grade != "F") is (paper.mark < 6)
        assert "ABCDEF".index(paper.grade) == paper.mark - 1
        assert 1 <= paper.semester <= 8
    assert {paper.grade for paper in Urn(7).draw(Paper, 200)} == {*"ABCDEF"}


def test_what_comes_on_a_day_and_what_changed_last() -> None:
    for one in Urn(7).draw(Contract, 200):
        assert one.renews_on > one.started_on
        assert one.matures_on is None or one.matures_on > one.started_on
        assert one.updated_at >= max(one.created_at, one.completed_at or one.created_at)


def test_the_number_of_a_house_is_told_once() -> None:
    for one in Urn(7).draw(Guesthouse, 200):
        assert re.fullmatch(r"\D+", one.street)
        assert one.vacant_rooms == one.rooms - one.occupied_rooms >= 0


@dataclass
class Parcel:
    weight_kg: float
    price: Decimal
    quantity: int


def test_small_ones_come_often() -> None:
    parcels = Urn(7).draw(Parcel, 2000)
    middle = sorted(one.price for one in parcels)[1000]
    assert Decimal(150) < middle < Decimal(350)
    column = Urn(7).data_frame(Parcel, 2000)
    assert column.price.tolist() == [one.price for one in parcels]
    assert column.weight_kg.tolist() == [one.weight_kg for one in parcels]


# --- rules of one's own ---------------------------------------------------------------------------


@dataclass
class Line:
    quantity: int
    unit_price: Decimal
    off: Decimal
    worth: Decimal
    lot: str
    shed: str
    came_on: date
    goes_on: date
    seen_at: datetime


def lines(n: int = 40, **given: Any) -> list[Any]:
    return Urn(7).draw(Line, n, **given)


def test_formulas_are_exact() -> None:
    for one in lines(off=Decimal("0.10"), worth=rules.formula("quantity × unit_price - off")):
        assert one.worth == one.quantity * one.unit_price - Decimal("0.10")
    halves = lines(worth=rules.formula("(quantity * 2 + 1) / 2", decimals=0))
    assert all(one.worth == one.quantity + 1 for one in halves)  # half up
    whole = lines(quantity=rules.formula("unit_price / 3"))
    assert all(isinstance(one.quantity, int) for one in whole)


@pytest.mark.parametrize(
    "text", ["quantity ** 2", "open('x')", "quantity +", "quantity.real", "'a' * 3", ""]
)
def test_a_formula_of_anything_else_is_refused(text: str) -> None:
    with pytest.raises(RecordRefused, match=r"it takes fields, numbers, \+ - \* / and brackets"):
        rules.formula(text)


def test_after_another_field() -> None:
    for one in lines(goes_on=rules.after("came_on", (3, 5)), seen_at=rules.after("came_on", 2)):
        assert 3 <= (one.goes_on - one.came_on).days <= 5
        assert 0 < (one.seen_at.date() - one.came_on).days <= 2
    for one in lines(quantity=rules.between(1, 9), worth=rules.after("unit_price", (1, 99), 2)):
        assert Decimal(0) < one.worth - one.unit_price < 1
    with pytest.raises(RecordRefused, match="a gap is of whole numbers"):
        rules.after("came_on", 1.5)  # type: ignore[arg-type]
    with pytest.raises(RecordRefused, match="the first must not be the greater one"):
        rules.after("came_on", (5, 3))


def test_known_by_another_field() -> None:
    sheds = rules.known_by("lot", {"A": "north", "B": "south"}, otherwise=rules.among("x", "y"))
    for one in lines(lot=rules.among("A", "B", "C"), shed=sheds):
        known = {"A": {"north"}, "B": {"south"}, "C": {"x", "y"}}
        assert one.shed in known[one.lot]


@dataclass
class Bill:
    lines: list[Line]
    most: Decimal | None
    number: int


def test_gathered_from_the_records_inside() -> None:
    bills = Urn(7).draw(
        Bill, 60, most=rules.gathered("greatest lines.worth"), number=rules.gathered("count lines")
    )
    for bill in bills:
        assert bill.number == len(bill.lines)
        assert bill.most == max((line.worth for line in bill.lines), default=None)
    with pytest.raises(RecordRefused, match="it takes one of sum, count, least, greatest"):
        rules.gathered("average lines.worth")


@pytest.mark.parametrize(
    "rule",
    [rules.formula("id * 2"), rules.formula("vessel_id / (berth_id - berth_id)"),
     rules.after("id", 3)],
)  # fmt: skip
def test_where_nothing_comes_of_a_rule_it_says_so(rule: Any) -> None:
    told = r"Mooring.days: rules.* comes to nothing with .*, and the field takes no None"
    with pytest.raises(RecordRefused, match=told):
        Urn(7).draw(Mooring, 3, days=rule)
    nothing = rules.formula("vessel_id / (berth_id - berth_id)")
    assert Urn(7).draw(Mooring, id=nothing, days=4).id is None  # that takes None


def test_a_circle_is_told() -> None:
    with pytest.raises(RecordRefused, match="circle: off → worth → off"):
        lines(worth=rules.formula("off * 2"), off=rules.formula("worth / 2"))


def test_plan_files_have_the_rules_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from urnshelf.files.plan_file import read_plan

    (tmp_path / "sheds.py").write_text(
        "from dataclasses import dataclass\nfrom datetime import date\n"
        "from decimal import Decimal\n"
        "@dataclass\nclass Shed:\n    id: int\n    lot: str\n    rent: Decimal\n    months: int\n"
        "    due: Decimal\n    wing: str\n    since: date\n    until: date\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))
    plan = tmp_path / "plan.toml"
    plan.write_text(
        "format = 1\n[tables.sheds]\ntype = 'sheds:Shed'\ncount = 30\n[tables.sheds.rules]\n"
        "rent = { between = [10, 900], decimals = 2, skewed = true }\n"
        "due = { formula = 'rent * months', decimals = 2 }\nlot = { among = ['A', 'B'] }\n"
        "wing = { known_by = 'lot', is = { A = 'east' }, else = { among = ['west'] } }\n"
        "until = { after = 'since', gap = [1, 3] }\n"
    )
    assert tomllib.loads(plan.read_text())["format"] == 1
    sheds = next(iter(read_plan(plan).tables["sheds"].chunks()))
    for shed in sheds:
        assert shed.due == (shed.rent * shed.months).quantize(Decimal("0.01"))
        assert shed.wing == {"A": "east", "B": "west"}[shed.lot]
        assert 1 <= (shed.until - shed.since).days <= 3
    assert sorted(sheds, key=lambda one: one.id) == sheds
    assert all(one.id < other.id for one, other in pairwise(sheds))


# --- limits ---------------------------------------------------------------------------------------


@dataclass
class Order:
    quantity: Annotated[int, at.Ge(1)]
    unit_price: Annotated[Decimal, at.Gt(0)]
    total: Annotated[Decimal, at.Ge(0)]
    capped_total: Annotated[Decimal, at.Le(10)]


def test_limits_go_before_what_fits_together() -> None:
    orders = Urn(7).draw(Order, 200)
    assert all(one.total == one.quantity * one.unit_price for one in orders)
    assert all(one.capped_total <= 10 for one in orders)


@dataclass
class Person:
    name: str
    email: str


def test_nothing_but_plain_letters_in_an_address() -> None:
    people = Urn(7).draw(Person, 2000)
    assert any(not one.name.isascii() for one in people)
    assert all(re.fullmatch(r"[a-z0-9.-]+@example\.(com|net|org)", one.email) for one in people)


# --- what the docs say of them --------------------------------------------------------------------


def numbers_table() -> str:
    """The table of names in the docs, as the code has it."""
    lines = ["| names | are | from | to | |", "|---|---|---|---|---|"]
    for names, found in ranges_of():
        plural = "s" if found.decimals > 1 else ""
        decimals = f", {found.decimals} decimal{plural}" if found.decimals else ""
        skewed = "skewed" if found.is_skewed else ""
        told = ", ".join(f"`{name}`" for name in names)
        ends = f"{found.low:,.9g} | {found.high:,.9g}{decimals}"
        lines.append(f"| {told} | {found.meaning} | {ends} | {skewed} |")
    return "\n".join(lines)


def test_the_docs_have_the_names_that_the_code_has(root: Path) -> None:
    page = root / "docs" / "what-names-mean.md"
    front, begin, rest = page.read_text("utf-8").partition("<!-- numbers -->\n")
    told, end, back = rest.partition("<!-- end of numbers -->")
    if "WRITE_GOLDEN" in os.environ:
        page.write_text(f"{front}{begin}{numbers_table()}\n{end}{back}", "utf-8")
        told = numbers_table() + "\n"
    assert told == numbers_table() + "\n"
    names = [name for names, _ in ranges_of() for name in names]
    assert len(set(names)) == len(names) > 400


# --- where others are told so that nothing comes of them ------------------------------------------


@dataclass
class Priced:
    quantity: int
    unit_price: Decimal
    discount: Decimal
    net: Decimal
    tax: Decimal
    total: Decimal


def test_rules_of_ones_own_make_no_circle_with_what_names_mean() -> None:
    priced = Urn(7).draw(Priced, 30, quantity=rules.derived(lambda total: int(total)))
    assert all(one.quantity == int(one.total) for one in priced)
    assert all(one.net == one.quantity * one.unit_price - one.discount for one in priced)
    whole = Urn(7).draw(Priced, 30)
    assert all(one.total == one.net + one.tax and one.total > 0 for one in whole)


@pytest.mark.parametrize("n", [30, 600])
def test_a_wrong_value_on_purpose_leaves_the_others_drawn(n: int) -> None:
    for wrong in ("five", None):
        priced = Urn(7).draw(Priced, n, quantity=rules.constant(wrong))
        assert all(type(one.net) is Decimal and type(one.total) is Decimal for one in priced)
    people = Urn(7).draw(Person, n, name=rules.constant(None))
    assert all(one.email.endswith(("example.com", "example.net", "example.org")) for one in people)
