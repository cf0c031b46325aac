"""Numbers that come of others: what is multiplied, added up, taxed, taken off, left over."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple

from urnshelf.records.recognising import description_of
from urnshelf.types.nodes import Kind
from urnshelf.urn.life_lines import when
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.following import Formula, Gathered
from urnshelf.urn.shares import Share, Span
from urnshelf.urn.siblings import Siblings, beside, numbers_of, plain, split, those

_QUANTITY = (
    "quantity", "qty", "pieces", "units", "count", "nights", "days", "hours", "kwh",
    "quantity_ordered", "on_hand", "in_stock",
)  # fmt: skip
_UNIT = (
    "unit_price", "price_per_unit", "price_each", "item_price", "unit_cost", "price_per_night",
    "price_per_hour", "price_per_kwh", "hourly_rate", "daily_rate", "day_rate", "price_per_day",
    "nightly_rate", "rate_per_night", "rate_per_day", "price",
)  # fmt: skip
_NET = (
    "net", "subtotal", "net_amount", "net_total", "net_price", "taxable_amount", "amount_net",
    "sub_total",
)  # fmt: skip
_RATE = ("tax_rate", "vat_rate", "tax_percent", "vat_percent", "tax_percentage", "vat_percentage")
_TAX = ("tax", "vat", "tax_amount", "vat_amount", "sales_tax", "total_tax")
_MORE = (
    "shipping",
    "shipping_cost",
    "shipping_fee",
    "delivery_fee",
    "postage",
    "handling_fee",
    "tip",
)
_OFF = ("discount", "discount_amount", "rebate")
_GROSS = (
    "gross", "grand_total", "total", "gross_amount", "total_amount", "gross_total", "total_price",
    "total_due", "amount_gross", "amount",
)  # fmt: skip
_TOTAL = (
    "total",
    "line_total",
    "total_price",
    "total_amount",
    "total_cost",
    "amount",
    "sum",
    "value",
)
_PAID = ("paid", "amount_paid", "paid_amount", "prepaid", "down_payment", "deposit_paid")
_LEFT = (
    "balance",
    "balance_due",
    "outstanding",
    "open_amount",
    "amount_open",
    "amount_due",
    "remaining",
)
_NOW = ("current", "new", "end", "closing", "latest")
_THEN = ("previous", "old", "start", "opening", "initial", "prior")
_BETWEEN = ("consumption", "usage", "difference", "delta", "consumed", "used", "change")
_SOLD = ("sale_price", "selling_price", "retail_price", "list_price")
_BOUGHT = ("cost_price", "purchase_price", "buying_price", "wholesale_price", "unit_cost")
_EARNED = ("gross_pay", "gross_salary", "gross_income", "gross_wage")
_TAKEN_HOME = ("net_pay", "net_salary", "net_income", "net_wage", "take_home_pay")
_WITHHELD = (
    "deductions", "withheld", "tax_withheld", "income_tax", "wage_tax", "pension_contribution",
    "social_security", "health_insurance",
)  # fmt: skip
_ORDERED = ("order_total", "invoice_total", "order_amount", "order_value", "purchase_price")
_GIVEN_BACK = ("refund_amount", "refunded_amount", "refund", "claim_amount", "amount_refunded")
PARTS = frozenset(
    """
    sold booked taken used occupied reserved free available left remaining passed failed completed
    done filled read unread present vacant absent returned damaged defective attended attending
    registered enrolled spent consumed open closed active
    """.split()
)
"""Words of what is a part of something."""
_NO_PARTS = PARTS | frozenset(
    "id rate price tax max min avg average count percent pct total".split()
)
_LENT = ("principal", "loan_amount", "amount_lent")
_LONG = ("length", "length_m", "loa", "length_overall", "length_over_all_m")
_LASTING = ("duration", "length", "stay", "nights", "days", "hours", "minutes")
_SPANS = {
    "seconds": 1, "s": 1, "minutes": 60, "min": 60, "mins": 60, "hours": 3600, "h": 3600,
    "days": 86_400,
}  # fmt: skip


class _Number(NamedTuple):
    """A number that may come of others.

    Args:
        name: of the field.
        front: what stands before the word that is known.
        form: its type.
        numbers: the fields that are numbers, and are there where it is.
        siblings: all fields.
    """

    name: str
    front: str
    form: Any
    numbers: Siblings
    siblings: Siblings

    def beside(self, *words: str) -> str | None:
        """The number that is called so."""
        return beside(self.numbers, words, self.front, self.name)

    def share(self, source: str | None, low: int, high: int, step: int = 1) -> Rule | None:
        """So many thousandths of another one; None of none."""
        return None if source is None else Share(source, low, high, self.form, step)

    def formula(self, text: str, *sources: str | None, decimals: int | None = 2) -> Rule | None:
        """What comes of others; None where one of them is not there."""
        if None in sources:
            return None
        return Formula(text.format(*sources), decimals, self.form)

    @property
    def is_product(self) -> bool:
        """Whether there are a quantity and a price beside it."""
        return None not in (self.beside(*_QUANTITY), self.beside(*_UNIT))


def amount_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a number that comes of others; None where it comes of none.

    Args:
        name: of the field.
        form: its type.
        siblings: all fields of the record.
    """
    numbers = numbers_of(siblings, may_be_none=siblings[name].optional)
    for endings, make in _WAYS:
        parts = split(name, endings)
        if parts is not None:
            rule = make(_Number(name, parts[0], form, numbers, siblings))
            if rule is not None:
                return rule
    one = _Number(name, "", form, numbers, siblings)
    return _added(one) or _of_readings(name, form, numbers) or span_rule(name, form, siblings)


def _tax(one: _Number) -> Rule | None:
    net, rate = one.beside(*_NET), one.beside(*_RATE)
    return one.share(net, 50, 250) if rate is None else one.formula("{} * {} / 100", net, rate)


def _gross(one: _Number) -> Rule | None:
    net = one.beside(*_NET)
    added = [found for words in (_TAX, _MORE) if (found := one.beside(*words)) is not None]
    # of a net amount that is a product it is taken off already
    off = None if one.is_product else one.beside(*_OFF)
    if net is None or not (added or off):
        return None
    return one.formula(" + ".join([net, *added]) + (f" - {off}" if off else ""))


def _summed(one: _Number) -> Rule | None:
    """The sum of the records in a list of this one."""
    for field, node in one.siblings.items():
        if (
            field == one.name
            or node.kind is not Kind.ITEMS
            or node.optional
            or not field.isidentifier()
        ):
            continue
        record = description_of(node.item.bare)
        inside = record.given if record is not None else {}
        numbers = numbers_of({name: part.node for name, part in inside.items()})
        found = next(those(numbers, (*_TOTAL, "dues", "net", "cost", "price"), ""), None)
        if found is not None:
            return Gathered(f"sum {field}.{found}", one.form)
    return None


def _product(one: _Number) -> Rule | None:
    quantity, unit, off = one.beside(*_QUANTITY), one.beside(*_UNIT), one.beside(*_OFF)
    return one.formula("{} * {}" + (f" - {off}" if off else ""), quantity, unit, decimals=None)


def _off(one: _Number) -> Rule | None:
    sources = (*_UNIT, *_NET) if one.beside(*_QUANTITY) else (*_NET, *_UNIT)
    return one.share(one.beside(*sources), 0, 300, 50)


def _paid(one: _Number) -> Rule | None:
    return one.share(one.beside(*_GROSS), 0, 1000, 100)


def _left(one: _Number) -> Rule | None:
    return one.formula("{} - {}", one.beside(*_GROSS), one.beside(*_PAID))


def _deposit(one: _Number) -> Rule | None:
    return one.share(one.beside("rent", "monthly_rent", "rental"), 1000, 3000, 1000)


def _profit(one: _Number) -> Rule | None:
    earned = one.beside("revenue", "sales", "turnover", "income", *_SOLD)
    return one.formula("{} - {}", earned, one.beside("cost", "costs", "expenses", *_BOUGHT))


def _spent(one: _Number) -> Rule | None:
    return one.share(one.beside("revenue", "sales", "turnover", *_SOLD), 400, 900)


def _taken_home(one: _Number) -> Rule | None:
    gross = one.beside(*_EARNED)
    less = [other for other in one.numbers if split(other, (*_WITHHELD, *_TAX)) is not None]
    return one.formula(" - ".join(["{}", *less]), gross) if less else one.share(gross, 550, 850)


def _earned(one: _Number) -> Rule | None:
    rate = one.beside("hourly_rate", "hourly_wage", "rate_per_hour")
    return one.formula("{} * {}", one.beside("hours_worked", "worked_hours", "hours"), rate)


def _withheld(one: _Number) -> Rule | None:
    several = sum(split(other, _WITHHELD) is not None for other in one.numbers)
    return one.share(one.beside(*_EARNED), 400 // max(several, 4), 400 // max(several, 1))


def _given_back(one: _Number) -> Rule | None:
    return one.share(one.beside(*_ORDERED, *_GROSS), 50, 1000, 50)


def _heads(one: _Number) -> Rule | None:
    others = [found for who in ("children", "infants") if (found := one.beside(who)) is not None]
    grown = one.beside("adults")
    return one.formula(" + ".join(["{}", *others]), grown, decimals=None) if others else None


def _instalment(one: _Number) -> Rule | None:
    months = one.beside("term_months", "months", "duration_months")
    return one.formula("{} / {}", one.beside(*_LENT), months)


def _owed(one: _Number) -> Rule | None:
    return one.share(one.beside(*_LENT), 0, 1000, 10)


def _percentage(one: _Number) -> Rule | None:
    for most in () if one.front else one.numbers:  # a battery's, say, is of nothing here
        part = plain(most).removeprefix("max_").removeprefix("total_")
        if part != plain(most) and part in one.numbers and one.name not in (part, most):
            return one.formula("{} * 100 / {}", part, most, decimals=1)
    return None


def _added(one: _Number) -> Rule | None:
    """The sum of all that are called alike: `prep_minutes` and `cook_minutes`, `votes_yes` and
    `votes_no`.
    """
    words = plain(one.name).split("_")
    kind = [word for word in words if word != "total"]
    if len(kind) == len(words) or not kind or not (kind[-1].endswith("s") or "weight" in kind):
        return None
    size = len(kind)
    parts = [
        other
        for other in one.numbers
        if (of := plain(other).split("_")) != kind
        and kind in (of[:size], of[-size:])
        and not _NO_PARTS & {*of}
    ]
    return one.formula(" + ".join(parts), decimals=None) if len(parts) > 1 else None


def _draught(one: _Number) -> Rule | None:
    """Ships draw a twentieth of their length, or a little more."""
    length = one.beside(*_LONG)
    return None if length is None else Share(length, 45, 110, one.form, decimals=1)


def _beam(one: _Number) -> Rule | None:
    length = one.beside(*_LONG)
    return None if length is None else Share(length, 140, 280, one.form, decimals=1)


def _bmi(one: _Number) -> Rule | None:
    weight = one.beside("weight_kg", "weight")
    in_cm, in_m = one.beside("height_cm"), one.beside("height_m")
    return one.formula("{0} * 10000 / ({1} * {1})", weight, in_cm, decimals=1) or one.formula(
        "{0} / ({1} * {1})", weight, in_m, decimals=1
    )


_Way = Callable[[_Number], Rule | None]
_WAYS: tuple[tuple[tuple[str, ...], _Way], ...] = (
    (_TAX, _tax),
    (_GROSS, _gross),
    ((*_NET, *_GROSS, *_TOTAL), _summed),
    ((*_TOTAL, *_NET, "dues", "cost", "charge"), _product),
    (_OFF, _off),
    (_PAID, _paid),
    (_LEFT, _left),
    (("deposit",), _deposit),
    (("profit", "margin", "gross_profit"), _profit),
    (("cost", "costs", "expenses", *_BOUGHT), _spent),
    (_TAKEN_HOME, _taken_home),
    (_WITHHELD, _withheld),
    (("pay", "wage", "wages", "earnings"), _earned),
    (("instalment", "installment", "monthly_payment", "repayment"), _instalment),
    (("balance", "outstanding_balance", "outstanding", "remaining_balance"), _owed),
    (("percentage", "percent", "pct"), _percentage),
    (_GIVEN_BACK, _given_back),
    (("guests", "passengers", "party_size", "persons", "people", "travellers"), _heads),
    (("draught", "draught_m", "draft_m", "max_draught_m"), _draught),
    (("beam", "beam_m"), _beam),
    (("bmi",), _bmi),
)


def _of_readings(name: str, form: Any, numbers: Siblings) -> Rule | None:
    """The difference of two readings."""
    words = set(plain(name).split("_"))
    for now, then in readings(numbers):
        is_driven = bool(words & {"distance", "driven", "trip"}) and "odometer" in now
        if name not in (now, then) and (is_driven or words & set(_BETWEEN)):
            return Formula(f"{now} - {then}", None, form)
    return None


def readings(numbers: Siblings) -> Iterator[tuple[str, str]]:
    """Two numbers of which one is the other one later: `current_reading` and `previous_reading`."""
    for now in numbers:
        for rest in _without(now, _NOW):
            for then in numbers:
                if rest and rest in _without(then, _THEN):
                    yield now, then


def _without(name: str, words: tuple[str, ...]) -> list[tuple[str, ...]]:
    """The words of a name without one of these, for each that it has."""
    parts = plain(name).split("_")
    return [(*parts[:n], *parts[n + 1 :]) for n, one in enumerate(parts) if one in words]


def span_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """How long it is from a start to an end that the record has, too."""
    words = plain(name).split("_")
    is_one = (
        words[0] in _LASTING
        or words[-1] in ("duration", "nights")
        or (words[0] in ("worked", "elapsed", "spent") and words[-1] in _SPANS)
    )
    if not is_one:
        return None
    unit = next((_SPANS[word] for word in words if word in _SPANS), None)
    unit = 86_400 if unit is None and "nights" in words else unit
    unit = 60 if unit is None and words == ["duration"] and form is int else unit
    times = [
        (one, other)
        for other, node in siblings.items()
        if node.bare in (datetime, date, time) and (one := when(other)) is not None
    ]
    for one, start in times:
        for two, end in times:
            is_pair = {one.word, two.word} == {"departure", "arrival"} and start != end
            is_pair = is_pair or (one.stage == "start" and two.stage == "end")
            is_alike = one.front == two.front and siblings[start].bare is siblings[end].bare
            # between two days there are no hours
            is_fine = siblings[start].bare is not date or (unit or 0) >= _SPANS["days"]
            if is_pair and is_alike and is_fine:
                return _span(start, end, unit, form, siblings)
    return None


def _span(start: str, end: str, unit: int | None, form: Any, siblings: Siblings) -> Rule | None:
    names = list(siblings)
    first, last = sorted((start, end), key=names.index)
    if unit is None and form is not timedelta:
        return None
    return Span(first, last, unit or 1, form)
