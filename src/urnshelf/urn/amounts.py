"""Numbers that come of others: what is multiplied, added up, taxed, taken off, left over."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.records.recognising import description_of
from urnshelf.types.nodes import Kind
from urnshelf.urn.life_lines import when
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.following import Formula, Gathered
from urnshelf.urn.shares import Share, Span
from urnshelf.urn.siblings import Siblings, beside, plain, split, those

_QUANTITY = (
    "quantity", "qty", "pieces", "units", "count", "nights", "days", "hours", "kwh",
    "quantity_ordered",
)  # fmt: skip
_UNIT = (
    "unit_price", "price_per_unit", "price_each", "item_price", "unit_cost", "price_per_night",
    "price_per_hour", "price_per_kwh", "hourly_rate", "daily_rate", "day_rate", "price_per_day",
    "price",
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
_PAID = ("paid", "amount_paid", "paid_amount", "prepaid", "down_payment")
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
_WITHHELD = ("deductions", "withheld", "tax_withheld")
_LENT = ("principal", "loan_amount", "amount_lent")
_NUMBERS = (int, float, Decimal)
_SPANS = {
    "seconds": 1, "s": 1, "minutes": 60, "min": 60, "mins": 60, "hours": 3600, "h": 3600,
    "days": 86_400,
}  # fmt: skip


def amount_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a number that comes of others; None where it comes of none.

    Args:
        name: of the field.
        form: its type.
        siblings: all fields of the record.
    """
    numbers = {
        one: node
        for one, node in siblings.items()
        if node.bare in _NUMBERS and (not node.optional or siblings[name].optional)
    }
    for endings, make in _WAYS:
        parts = split(name, endings)
        if parts is not None:
            rule = make(name, parts[0], form, numbers, siblings)
            if rule is not None:
                return rule
    return _of_readings(name, form, numbers) or span_rule(name, form, siblings)


def _tax(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    net = beside(numbers, _NET, front, name)
    if net is None:
        return None
    rate = beside(numbers, _RATE, front, name)
    return Share(net, 50, 250, form) if rate is None else Formula(f"{net} * {rate} / 100", 2, form)


def _gross(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    net = beside(numbers, _NET, front, name)
    if net is None or net == name:
        return None
    more = [beside(numbers, words, front, name) for words in (_TAX, _MORE)]
    # of a net amount that is a product it is taken off already
    is_product = beside(numbers, _QUANTITY, front, name) and beside(numbers, _UNIT, front, name)
    off = None if is_product else beside(numbers, _OFF, front, name)
    added = [one for one in more if one is not None]
    if not added and off is None:
        return None
    text = " + ".join([net, *added]) + (f" - {off}" if off else "")
    return Formula(text, 2, form)


def _summed(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    """The sum of the records in a list of this one."""
    del front, numbers
    for field, node in siblings.items():
        if field == name or node.kind is not Kind.ITEMS or node.optional:
            continue
        record = description_of(node.item.bare)
        numbers_inside = {
            one: part.node
            for one, part in (record.given if record is not None else {}).items()
            if part.node.bare in _NUMBERS and not part.node.optional
        }
        one = next(those(numbers_inside, (*_TOTAL, "dues", "net", "cost", "price"), ""), None)
        if one is not None:
            return Gathered(f"sum {field}.{one}", form)
    return None


def _product(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    quantity = beside(numbers, _QUANTITY, front, name)
    unit = beside(numbers, _UNIT, front, name)
    if quantity is None or unit is None or unit == name:
        return None
    off = beside(numbers, _OFF, front, name)
    return Formula(f"{quantity} * {unit}" + (f" - {off}" if off else ""), None, form)


def _off(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    is_product = beside(numbers, _QUANTITY, front, name) is not None
    sources = (*_UNIT, *_NET) if is_product else (*_NET, *_UNIT)
    source = beside(numbers, sources, front, name)
    return None if source is None else Share(source, 0, 300, form, 50)


def _paid(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    source = beside(numbers, _GROSS, front, name)
    return None if source is None else Share(source, 0, 1000, form, 100)


def _left(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    total, paid = beside(numbers, _GROSS, front, name), beside(numbers, _PAID, front, name)
    return None if total is None or paid is None else Formula(f"{total} - {paid}", 2, form)


def _deposit(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    rent = beside(numbers, ("rent", "monthly_rent", "rental"), front, name)
    return None if rent is None else Share(rent, 1000, 3000, form, 1000)


def _profit(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    earned = beside(numbers, ("revenue", "sales", "turnover", "income", *_SOLD), front, name)
    spent = beside(numbers, ("cost", "costs", "expenses", *_BOUGHT), front, name)
    return None if earned is None or spent is None else Formula(f"{earned} - {spent}", 2, form)


def _spent(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    earned = beside(numbers, ("revenue", "sales", "turnover", *_SOLD), front, name)
    return None if earned is None else Share(earned, 400, 900, form)


def _taken_home(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    gross = beside(numbers, _EARNED, front, name)
    less = beside(numbers, (*_WITHHELD, *_TAX), front, name)
    if gross is None:
        return None
    return Share(gross, 550, 850, form) if less is None else Formula(f"{gross} - {less}", 2, form)


def _withheld(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    gross = beside(numbers, _EARNED, front, name)
    return None if gross is None else Share(gross, 100, 400, form)


def _instalment(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    lent = beside(numbers, _LENT, front, name)
    months = beside(numbers, ("term_months", "months", "duration_months"), front, name)
    return None if lent is None or months is None else Formula(f"{lent} / {months}", 2, form)


def _owed(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    lent = beside(numbers, _LENT, front, name)
    return None if lent is None else Share(lent, 0, 1000, form, 10)


def _percentage(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    del siblings
    if front:
        return None  # of a battery, say
    for most in numbers:
        part = plain(most).removeprefix("max_").removeprefix("total_")
        if part != plain(most) and part in numbers and name not in (part, most):
            return Formula(f"{part} * 100 / {most}", 1, form)
    return None


def _bmi(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del name, siblings
    weight = beside(numbers, ("weight_kg", "weight"), front)
    for words, per in (("height_cm",), 10_000), (("height_m",), 1):
        height = beside(numbers, words, front)
        if weight is not None and height is not None:
            return Formula(f"{weight} * {per} / ({height} * {height})", 1, form)
    return None


_LONG = ("length", "length_m", "loa", "length_overall", "length_over_all_m")


def _draught(
    name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings
) -> Rule | None:
    """Ships draw a twentieth of their length, or a little more."""
    del siblings
    length = beside(numbers, _LONG, front, name)
    return None if length is None else Share(length, 45, 110, form, decimals=1)


def _beam(name: str, front: str, form: Any, numbers: Siblings, siblings: Siblings) -> Rule | None:
    del siblings
    length = beside(numbers, _LONG, front, name)
    return None if length is None else Share(length, 140, 280, form, decimals=1)


_Way = Callable[[str, str, Any, Siblings, Siblings], Rule | None]
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
    (("instalment", "installment", "monthly_payment", "repayment"), _instalment),
    (("balance", "outstanding_balance", "outstanding", "remaining_balance"), _owed),
    (("percentage", "percent", "pct"), _percentage),
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
    is_one = words[0] in ("duration", "length", "stay", "nights", "days", "hours", "minutes") or (
        words[-1] in ("duration", "nights")
    )
    if not is_one:
        return None
    unit = next((_SPANS[word] for word in words if word in _SPANS), None)
    unit = 86_400 if unit is None and "nights" in words else unit
    times = [
        (one, other)
        for other, node in siblings.items()
        if node.bare in (datetime, date) and (one := when(other)) is not None
    ]
    for one, start in times:
        for two, end in times:
            is_pair = {one.word, two.word} == {"departure", "arrival"} and start != end
            is_pair = is_pair or (one.stage == "start" and two.stage == "end")
            is_alike = one.front == two.front and siblings[start].bare is siblings[end].bare
            # between two days there are no hours
            is_fine = siblings[start].bare is datetime or (unit or 0) >= _SPANS["days"]
            if is_pair and is_alike and is_fine:
                return _span(start, end, unit, form, siblings)
    return None


def _span(start: str, end: str, unit: int | None, form: Any, siblings: Siblings) -> Rule | None:
    names = list(siblings)
    first, last = sorted((start, end), key=names.index)
    if unit is None and form is not timedelta:
        return None
    return Span(first, last, unit or 1, form)
