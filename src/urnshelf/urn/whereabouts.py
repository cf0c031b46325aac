"""What belongs to one place: town, region, postcode, country, currency, language, time zone and
position; and two places of which one is not the other.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from urnshelf.urn import gazetteer
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import pattern
from urnshelf.urn.siblings import Siblings, beside, split, those

_TOWN = (
    "city", "town", "harbour", "harbor", "place", "village", "municipality", "locality", "port",
    "city_name", "place_of_birth", "birthplace",
)  # fmt: skip
_REGION = ("region", "county", "province", "state_name", "district", "department_name")
_CODE = ("country_code", "country_iso", "iso_country")
_NAME = ("country", "country_name")
_POSTCODE = ("postcode", "postal_code", "zip", "zip_code", "zipcode", "post_code", "plz")
_CURRENCY = ("currency", "currency_code")
_LANGUAGE = ("language", "lang", "language_code")
_LOCALE = ("locale",)
_ZONE = ("timezone", "time_zone", "tz", "tz_name")
_LATITUDE = ("latitude", "lat")
_LONGITUDE = ("longitude", "lon", "lng", "long")
_FROM = ("origin", "from_city", "from_port", "start_city", "departure_city", "from_place")
_TO = (
    "destination", "to_city", "to_port", "end_city", "arrival_city", "to_place", "destination_city",
)  # fmt: skip

_TOWNS = frozenset("city town port harbour harbor station airport village place".split())
_ENDS = {"from": "to", "departure": "arrival", "origin": "destination", "start": "end"}

STREETS = Composed(
    lambda number, street: f"{number + 1} {gazetteer.STREETS[street]}", 180, len(gazetteer.STREETS)
)
_OF_TOWN: dict[tuple[str, ...], tuple[str, ...]] = {
    _REGION: _TOWN,
    _POSTCODE: _TOWN,
    _CODE: (*_TOWN, *_REGION),
    _NAME: (*_TOWN, *_REGION, *_CODE),
    _CURRENCY: (*_TOWN, *_REGION, *_CODE, *_NAME),
    _LANGUAGE: (*_TOWN, *_REGION, *_CODE, *_NAME),
    _LOCALE: (*_TOWN, *_REGION, *_CODE, *_NAME),
    _ZONE: (*_TOWN, *_REGION, *_CODE, *_NAME),
}
"""What each follows from, the nearest first."""
_FOLLOWS: dict[tuple[str, ...], Callable[[Any], Any]] = {
    _REGION: gazetteer.region_of,
    _CODE: lambda place: gazetteer.country_of(place).code,
    _NAME: lambda place: gazetteer.country_of(place).name,
    _CURRENCY: lambda place: gazetteer.country_of(place).currency,
    _LANGUAGE: lambda place: gazetteer.country_of(place).language,
    _LOCALE: lambda place: (
        f"{gazetteer.country_of(place).language}-{gazetteer.country_of(place).code}"
    ),
    _ZONE: lambda place: gazetteer.country_of(place).zone,
}


def _of_each(pick: Callable[[gazetteer.Country], str]) -> Rule:
    return among(*dict.fromkeys(pick(one) for one in gazetteer.COUNTRIES))


_ALONE: dict[tuple[str, ...], Callable[[], Rule]] = {
    _REGION: lambda: among(*gazetteer.REGIONS),
    _POSTCODE: lambda: pattern("[1-9][0-9]{4}"),
    _CODE: lambda: _of_each(lambda one: one.code),
    _NAME: lambda: _of_each(lambda one: one.name),
    _CURRENCY: lambda: _of_each(lambda one: one.currency),
    _LANGUAGE: lambda: _of_each(lambda one: one.language),
    _LOCALE: lambda: _of_each(lambda one: f"{one.language}-{one.code}"),
    _ZONE: lambda: _of_each(lambda one: one.zone),
}


def place_rule(name: str, siblings: Siblings) -> Rule | None:
    """The rule of a text that tells of a place; None for any other.

    Args:
        name: of the field.
        siblings: all fields of the record.
    """
    if name.lower() in _TO:
        origin = next((one for one in _FROM if one in siblings), None)
        if origin is not None:
            return Elsewhere(origin)
    if name.lower() in (*_FROM, *_TO) and _are_two(siblings):
        return among(*gazetteer.TOWNS)
    if split(name, _TOWN) is not None:
        return among(*gazetteer.TOWNS)
    words = name.lower().strip("_").split("_")
    if len(words) > 1 and not _TOWNS.isdisjoint(words) and _ENDS.keys() & {*words}:
        return among(*gazetteer.TOWNS)
    if len(words) > 1 and not _TOWNS.isdisjoint(words) and {*_ENDS.values()} & {*words}:
        return _other_end(words, siblings)
    for endings, sources in _OF_TOWN.items():
        parts = split(name, endings)
        if parts is not None:
            return _following(endings, _source(sources, siblings, parts[0], name))
    return None


def has_town(front: str, siblings: Siblings) -> bool:
    """Whether a record tells a town, or a postcode, of what begins so."""
    return beside(siblings, (*_TOWN, *_POSTCODE), front) is not None


def _other_end(words: list[str], siblings: Siblings) -> Rule:
    """A town that is not that of the other end: `port_of_arrival` and `port_of_departure`."""
    for one, other in _ENDS.items():
        name = "_".join(one if word == other else word for word in words)
        if other in words and name in siblings:
            return Elsewhere(name)
    return among(*gazetteer.TOWNS)


def _are_two(siblings: Siblings) -> bool:
    lower = {one.lower() for one in siblings}
    return not lower.isdisjoint(_FROM) and not lower.isdisjoint(_TO)


def _source(sources: tuple[str, ...], siblings: Siblings, front: str, name: str) -> str | None:
    """The field that a place is told by: of texts, with the same before it."""
    for one in dict.fromkeys((front, "")):
        for found in those(siblings, sources, one):
            if found != name and siblings[found].bare is str and not siblings[found].optional:
                return found
    return None


def _following(endings: tuple[str, ...], source: str | None) -> Rule:
    if source is None:
        return _ALONE[endings]()
    if endings is _POSTCODE:
        return Composed(
            lambda place, number: f"{gazetteer.postal_prefix(place)}{number:03}",
            1000,
            needs=(source,),
        )
    return Composed(_FOLLOWS[endings], needs=(source,))


class Elsewhere(Rule):
    """A town that is not the other one."""

    vectorised = False

    def __init__(self, origin: str) -> None:
        self.needs = (origin,)

    def one(self, bits: Bits, *inputs: object) -> Any:
        """One town."""
        number = bits.below(len(gazetteer.TOWNS))
        town = gazetteer.TOWNS[number]
        return gazetteer.TOWNS[(number + 1) % len(gazetteer.TOWNS)] if town == inputs[0] else town


# --- positions ------------------------------------------------------------------------------------


def position_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a latitude or longitude, near the place that is told; None for any other."""
    for number, (endings, most) in enumerate(((_LATITUDE, 90), (_LONGITUDE, 180))):
        parts = split(name, endings)
        if parts is None or form not in (float, Decimal):
            continue
        source = beside(siblings, _TOWN, parts[0])
        if source is not None and siblings[source].bare is str:
            return Composed(_near(number, form), 10_001, needs=(source,))
        low, high = form(-most), form(most)
        return between(low, high, decimals=5)
    return None


def _near(number: int, form: Any) -> Callable[[Any, int], Any]:
    """Within a twentieth of a degree of a place."""

    def near(place: object, away: int) -> Any:
        exact = Decimal(gazetteer.position_of(place)[number] * 1000 + away - 5000).scaleb(-5)
        return exact if form is Decimal else float(exact)

    return near
