"""Invented towns, regions and streets, each of one country, and what goes with the country.

Each name was looked up in lists of places, names and words, and is in none of them. Codes of
countries: ISO 3166-1; of currencies: ISO 4217; of languages: ISO 639-1; time zones: the IANA data
base.
"""

from __future__ import annotations

from hashlib import blake2b
from typing import NamedTuple

from urnshelf.caches import remembered


class Country(NamedTuple):
    """A country, and what goes with it; its middle, about, in hundredths of a degree."""

    code: str
    name: str
    currency: str
    language: str
    zone: str
    latitude: int
    longitude: int


COUNTRIES = (
    Country("DK", "Denmark", "DKK", "da", "Europe/Copenhagen", 5610, 980),
    Country("EE", "Estonia", "EUR", "et", "Europe/Tallinn", 5870, 2540),
    Country("FI", "Finland", "EUR", "fi", "Europe/Helsinki", 6160, 2490),
    Country("FR", "France", "EUR", "fr", "Europe/Paris", 4760, 190),
    Country("IE", "Ireland", "EUR", "en", "Europe/Dublin", 5320, -780),
    Country("IS", "Iceland", "ISK", "is", "Atlantic/Reykjavik", 6480, -1860),
    Country("LT", "Lithuania", "EUR", "lt", "Europe/Vilnius", 5530, 2390),
    Country("LV", "Latvia", "EUR", "lv", "Europe/Riga", 5690, 2520),
    Country("NL", "Netherlands", "EUR", "nl", "Europe/Amsterdam", 5230, 560),
    Country("NO", "Norway", "NOK", "nb", "Europe/Oslo", 6140, 910),
    Country("PT", "Portugal", "EUR", "pt", "Europe/Lisbon", 3970, -810),
    Country("SE", "Sweden", "SEK", "sv", "Europe/Stockholm", 6010, 1540),
)

TOWNS = tuple(
    """
    Ternhythe Curlhythe Gullkeld Oarhythe Keelhythe Petrelhythe Buoyhaven Sparkeld Eiderhythe
    Dunlinport Squallhaven Reefstow Wakestow Tidestow Mastkeld Ploverstow Gannethythe Loonkeld
    Shoalkeld Rudderkeld Lanternhythe Emberkeld Gullstow Swellhythe Otterkeld Merlinstow
    Cormorhythe Breakerkeld Anchorkeld Sealhythe Driftkeld Ledgehythe Beaconstow Featherhythe
    Tidekeld Wakekeld Maststow Sparhythe Reefkeld Oarkeld Keelstow Petrelkeld Buoykeld
    Squallkeld Dunlinkeld Curlewkeld Ploverkeld Rudderstow Shoalstow Gannetkeld Eiderkeld
    Ternkeld Loonhythe Lanternkeld Sailkeld Currenthaven Breakerstow Otterhythe Swellkeld
    Anchorhythe Anchorfleet Anchormouth Anchorport Beacongarth Beaconhythe Beaconport
    Beaconstaithe Breakergarth Breakerhythe Breakermouth Breakerstaithe Breakerwick Brinefleet
    Brinehaven Brinehythe Brinekeld Brinemouth Brinestaithe Brünhaven Buoygarth Buoyport Býkeld
    Cormorhaven Cormorstaithe Cormorstow Curlewfleet Curlewhythe Curlewport Curlewstow Curlgarth
    Curlhaven Curlkeld Curlport Curlstow Currenthythe Currentport Currentwick Driftfleet
    Driftgarth Driftstaithe Driftwick Dunlinhaven Dunlinhythe Eiderfleet Eidermouth Emberfleet
    Embergarth Emberhythe Embermouth Emberport Feathergarth Featherhaven Featherkeld
    Feathermouth Featherstow Fjærhythe Gannetfleet Gannetport Gannetstaithe Gannetwick Grünstow
    Gullgarth Gullport Gullstaithe Harrowfleet Harrowgarth Harrowkeld Heronhaven Heronhythe
    Heronkeld Heronmouth Heronport Heronstaithe Heronstow Keelfleet Keelgarth Keelkeld Keelmouth
    Keelstaithe Kríastow Kølhythe Lanterngarth Lanternhaven Lanternstow Ledgegarth Ledgekeld
    Ledgestaithe Ledgestow Loonfleet Loongarth Loonhaven Loonport Loonstaithe Loonstow Lødhythe
    Mastfleet Masthaven Mastport Maststaithe Merlinfleet Merlinmouth Merlinstaithe Merlinwick
    Måsestow Näskeld Oargarth Oarhaven Oarstow Oarwick Otterfleet Ottergarth Otterhaven
    Ottermouth Otterstaithe Otterstow Pebblefleet Pebblekeld Pebblemouth Pebbleport Petrelfleet
    Petrelhaven Petrelmouth Petrelport Petrelstaithe Ploverfleet Plovermouth Reeffleet Reefgarth
    Reefhaven Reefhythe Reefmouth Reefport Reefstaithe Rudderhythe Ruddermouth Rudderport
    Sailgarth Sailhythe Sailmouth Sailwick Sealkeld Sealstaithe Sealstow Sealwick Shoalgarth
    Shoalhaven Shoalmouth Shoalport Skærkeld Sparmouth Sparstaithe Squallfleet Squallhythe
    Squallmouth Squallport Squallstow Squallwick Swellhaven Swellmouth Sélhaven Søhythe Ternhjem
    Ternstaithe Tidefleet Tidehaven Tideport Tidewick Tångport Vågstow Wakegarth Wakehaven
    Wakehythe Wakemouth Wakestaithe Wakewick Åkeld Érelport Ólkeld Øydhaven Þornhythe
    """.split()
)
"""The n-th is in the n-th country, counted round and round."""

REGIONS = tuple(
    """
    Ternmark Gullrike Oarland Keelmark Petrelfell Buoymark Sparrike Eidermark Squallmark
    Reefrike Wakemark Tiderike Mastland Ploverfell Gannetmark Loonrike Shoalmark Rudderfell
    Lanternmark Emberrike Swellmark Otterrike Merlinfell Cormormark Breakerrike Anchormark
    Sealrike Driftfell Ledgemark Beaconrike Feathermark Curlewfell Sailrike Currentmark
    Heronrike Brinemark
    """.split()
)
"""Likewise; each country has three."""

STREETS = tuple(
    """
    Anchorwake Lane|Beaconshoal Row|Bellgannet Quay|Buoyledge Row|Curlspar Road|
    Eiderwake Walk|Gannetkeel Street|Heronspar Quay|Keelember Lane|Lanternreef Street|
    Mastfeather Row|Otterbuoy Road|Petrelmast Walk|Reefbeacon Street|Rudderloon Lane|
    Sailplover Quay|Shoalember Row|Sparcurlew Road|Ternledge Walk|Tidefeather Street|
    Anchorgannet Road|Anchorledge Road|Beaconledge Walk|Beaconloon Quay|Beaconplover Walk|
    Beaconspar Row|Beaconwake Walk|Bellledge Quay|Bellshoal Quay|Bellwake Quay|
    Buoyfeather Walk|Buoyloon Road|Buoyshoal Quay|Curlplover Road|
    Eiderember Road|Eiderfeather Walk|Eiderledge Street|Eiderspar Lane|
    Gannetfeather Walk|Gannetloon Row|Gannetspar Row|Heronember Quay|Herongannet Row|
    Heronwake Walk|Keelshoal Walk|Keelwake Lane|Lanternember Street|
    Lanternledge Lane|Lanternloon Street|Mastember Walk|Mastloon Lane|
    Mastshoal Lane|Mastwake Street|Ottergannet Lane|Otterloon Lane|Petrelplover Quay|
    Reeffeather Street|Reefshoal Quay|Rudderember Row|Rudderledge Row|Ruddershoal Street|
    Sailloon Row|Sailshoal Road|Sailwake Quay|Shoalfeather Street|Shoalledge Lane|
    Sparloon Quay|Sparplover Road|Ternember Row|Ternloon Lane|Ternplover Row|
    Ternshoal Street|Tidegannet Street|Tideloon Road|Tideplover Row|Tidespar Lane
    """.replace("\n    ", "")
    .strip()
    .split("|")
)

_BY_NAME: dict[str, int] = {}
for _number, _country in enumerate(COUNTRIES):
    _BY_NAME |= {_country.code.lower(): _number, _country.name.lower(): _number}
_BY_NAME |= {name.lower(): number % len(COUNTRIES) for number, name in enumerate(REGIONS)}
_BY_NAME |= {name.lower(): number % len(COUNTRIES) for number, name in enumerate(TOWNS)}


@remembered
def number_of(place: str) -> int:
    """A number that belongs to a place, also to one that is not ours; that of a town of ours is its
    own.
    """
    known = _TOWN_NUMBERS.get(place)
    if known is not None:
        return known
    return int.from_bytes(blake2b(place.encode(), digest_size=4).digest(), "little")


_TOWN_NUMBERS = {name: number for number, name in enumerate(TOWNS)}


def country_of(place: object) -> Country:
    """The country of a town or region, or of its own name or code.

    >>> country_of("Ternhythe").code, country_of("SE").name
    ('DK', 'Sweden')
    """
    text = str(place)
    number = _BY_NAME.get(text.lower())
    return COUNTRIES[number_of(text) % len(COUNTRIES) if number is None else number]


def region_of(place: object) -> str:
    """The region of a town."""
    number = number_of(str(place))
    country = COUNTRIES.index(country_of(place))
    return REGIONS[country + len(COUNTRIES) * (number // len(COUNTRIES) % 3)]


def postal_prefix(place: object) -> int:
    """The first two digits of a town's postcodes, from 10."""
    return 10 + number_of(str(place)) % 90


def position_of(place: object) -> tuple[int, int]:
    """Where a town lies, in hundredths of a degree: somewhere about the middle of its country."""
    country, number = country_of(place), number_of(str(place))
    return country.latitude + number * 7 % 121 - 60, country.longitude + number * 11 % 121 - 60
