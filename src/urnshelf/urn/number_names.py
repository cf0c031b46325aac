"""Names of numbers that mean something: between what they lie, with how many decimals, and whether
small ones come more often.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.urn.number_table import OF_FLIGHTS, OF_HOMES, OF_PEOPLE, TABLE
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import serial
from urnshelf.urn.siblings import Siblings, plain


class Range(NamedTuple):
    """What a number lies between.

    Args:
        meaning: what it is, with its unit.
        low: the least.
        high: the greatest.
        decimals: of what is no whole number.
        is_skewed: whether small ones come often.
    """

    meaning: str
    low: float
    high: float
    decimals: int
    is_skewed: bool

    def rule(self, form: Any) -> Rule:
        """The rule for a type of numbers."""
        if form is int:
            # of a share there is nothing between 0 and 1
            most = max(int(self.high), int(self.low) + 1)
            return between(int(self.low), most, skewed=self.is_skewed)
        make = (lambda end: Decimal(str(end))) if form is Decimal else float
        low, high = make(self.low), make(self.high)
        return between(low, high, decimals=self.decimals, skewed=self.is_skewed)


_FLIGHTS = frozenset("flight_number flight_no aircraft aircraft_type tail_number".split())
_PEOPLES = frozenset(
    """
    birth_date date_of_birth dob heart_rate pulse systolic blood_type bmi patient_id gender sex
    """.split()
)
_HOMES = frozenset("bedrooms bathrooms living_area floor_area lot_size_m2 year_renovated".split())
_AMONG = ((_PEOPLES, OF_PEOPLE), (_FLIGHTS, OF_FLIGHTS), (_HOMES, OF_HOMES))
"""What some names mean in records that have one of these, too."""
UNITS = frozenset(
    """
    kg g t mg m cm mm km nm m2 m3 ha l ml kwh kw w v a hz c k f ms kmh kn deg pct percent hpa bar
    ppm db s min sec h lux mb gb kb eur usd gbp
    """.split()
)
"""What may stand at a name's end and tells only in what it is counted."""


def ranges_of(table: str = TABLE) -> Iterator[tuple[tuple[str, ...], Range]]:
    """What the names of numbers mean: those of one meaning together."""
    for entry in re.split(r"\n(?! )", table.strip()):
        head, *names = entry.splitlines()
        meaning, told = (part.strip() for part in head.split("|"))
        low, high, decimals, *more = told.split()
        found = Range(meaning, float(low), float(high), int(decimals), bool(more))
        yield tuple(" ".join(names).split()), found


@remembered
def _named(table: str) -> dict[str, Range]:
    return {name: found for names, found in ranges_of(table) for name in names}


def range_of(name: str, siblings: Siblings) -> Range | None:
    """What the name of a number tells; None where it tells nothing.

    >>> range_of("net_weight_kg", {}).meaning, range_of("deepest_temperature_c", {}).meaning
    ('kg', '°C')
    """
    words = plain(name).split("_")
    if len(words) > 1 and words[-1] in _TRAILING:  # of `vacation_days_total` the days tell more
        before = range_of("_".join(words[:-1]), siblings)
        if before is not None:
            return before
    tables = [table for signs, table in _AMONG if not signs.isdisjoint(siblings)]
    tables.append(TABLE)
    kept = words if len(words) == 1 or words[-1] not in UNITS else words[:-1]
    for table in tables:
        known = _named(table)
        for told in (words, kept):
            for begin in range(len(told)):
                found = known.get("_".join(told[begin:]))
                if found is not None:
                    return found
    per = _named(TABLE).get(words[0]) if "per" in words else None
    return per or _by_front(kept)


_TRAILING = frozenset(
    """
    total avg average mean median taken left used free available remaining before after today max
    min limit target actual planned sum
    """.split()
)
"""What stands after a name and tells which one it is."""
_SEVERAL = Range("a count", 0, 40, 0, True)


def _is_several(name: str, form: Any) -> bool:
    """Whether a whole number is called like several things, which are counted then."""
    last = plain(name).split("_")[-1]
    return form is int and re.search(r"[a-z]{2}[^sui]s$", last) is not None


def _by_front(words: list[str]) -> Range | None:
    """Of a name such as `count_of_lamps` or `price_in_euro` the beginning tells."""
    known = _named(TABLE)
    for end in range(len(words) - 1, 0, -1):
        found = known.get("_".join(words[:end]))
        if found is not None:
            return found
    return None


def number_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule that the name of a number suggests; None where it tells nothing."""
    found = range_of(name, siblings)
    if found is not None:
        return found.rule(form)
    if _is_several(name, form):
        return _SEVERAL.rule(form)
    return serial() if plain(name) == "id" and form is int else None
