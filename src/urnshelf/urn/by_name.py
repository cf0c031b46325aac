"""Field names that mean something: the rule that a name and a type suggest together."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.types.nodes import Node
from urnshelf.urn import safe, words
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import pattern, serial
from urnshelf.urn.safe_rules import (
    EMAILS,
    PASSWORDS,
    PHONES,
    SENTENCES,
    SLUGS,
    URLS,
    Safe,
    email_forms,
    host_name,
    made_uuid,
    slug,
)

_FIRST, _LAST = datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, 23, 59, 59, tzinfo=UTC)

_GIVEN = ("given_name", "first_name", "forename", "firstname", "givenname")
_FAMILY = ("family_name", "last_name", "surname", "lastname", "familyname")
_EARLIER = (
    "created",
    "starts",
    "start",
    "begins",
    "begin",
    "opened",
    "valid_from",
    "arrival",
    "departed",
    "check_in",
    "from",
)
_LATER = {
    "updated": "created",
    "modified": "created",
    "changed": "created",
    "deleted": "created",
    "closed": "opened",
    "ends": "starts",
    "end": "start",
    "finishes": "starts",
    "valid_until": "valid_from",
    "departure": "arrival",
    "check_out": "check_in",
    "until": "from",
    "to": "from",
}


class _After(Rule):
    """A moment or day after another field's."""

    vectorised = False

    def __init__(self, earlier: str, days: int) -> None:
        self.needs = (earlier,)
        self._days = days

    def one(self, bits: Bits, *inputs: object) -> Any:
        first = inputs[0]
        if isinstance(first, datetime):
            return first + timedelta(seconds=bits.between(60, self._days * 86_400))
        if isinstance(first, date):
            return first + timedelta(days=bits.between(1, self._days))
        return first  # None, or nothing that has an order


def rule_for(name: str, form: object, siblings: Mapping[str, Node]) -> Rule | None:
    """The rule that a field's name suggests for its type; None when it says nothing.

    Args:
        name: the field's name.
        form: its bare type.
        siblings: the names and types of the other fields of the record.
    """
    plain = name.lower().strip("_")
    if form is str:
        return _text_rule(plain, siblings)
    if form in (datetime, date):
        return _time_rule(plain, form, siblings)
    if form in (int, float, Decimal):
        return _number_rule(plain, form)
    return None


# --- texts ---


def _text_rule(name: str, siblings: Collection[str]) -> Rule | None:
    given = next((s for s in siblings if s.lower() in _GIVEN), None)
    family = next((s for s in siblings if s.lower() in _FAMILY), None)
    if given and family:
        if _ends(name, ("email", "e_mail", "mail", "email_address")):
            return Safe(
                "e-mail address", True, email_forms, safe.email_of, 90, 3, needs=(given, family)
            )
        if name in ("full_name", "fullname", "display_name", "name"):
            return Composed(lambda first, last: f"{first} {last}", needs=(given, family))
    for endings, make in _TEXTS:
        if _ends(name, endings):
            return make()
    return None


def _ends(name: str, endings: tuple[str, ...]) -> bool:
    return any(name == ending or name.endswith("_" + ending) for ending in endings)


def _pairs(first: tuple[str, ...], second: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(f"{a} {b}" for a in first for b in second)


_A, _N, _P = len(words.ADJECTIVES), len(words.NOUNS), len(words.TOWNS)


def _username(a: int, n: int, number: int) -> str:
    return f"{words.ADJECTIVES[a]}_{words.NOUNS[n]}{number}".lower()


def _street(number: int, street: int) -> str:
    return f"{number + 1} {words.STREETS[street]}"


def _address(number: int, street: int, code: int, town: int) -> str:
    return f"{_street(number, street)}, {code + 10_000} {words.TOWNS[town]}"


_Make = Callable[[], Rule]
_TEXTS: list[tuple[tuple[str, ...], _Make]] = [
    (_GIVEN, lambda: among(*words.GIVEN)),
    (("middle_name", "nickname"), lambda: among(*words.GIVEN)),
    (_FAMILY, lambda: among(*words.FAMILY)),
    (
        (
            "full_name",
            "fullname",
            "display_name",
            "owner",
            "author",
            "person",
            "contact",
            "skipper",
            "master",
        ),
        lambda: among(*_pairs(words.GIVEN, words.FAMILY)),
    ),
    (("username", "user_name", "login", "handle"), lambda: Composed(_username, _A, _N, 100)),
    (
        (
            "company",
            "company_name",
            "organisation",
            "organization",
            "employer",
            "firm",
            "supplier",
            "vendor",
        ),
        lambda: among(*_pairs(words.FAMILY, words.FIRM_ENDINGS)),
    ),
    (
        ("file_name", "filename"),
        lambda: Composed(lambda a, n, i: slug(a, n, i) + ".csv", _A, _N, 1000),
    ),
    (("host", "hostname", "host_name", "domain", "server"), lambda: Composed(host_name, _N, 2)),
    (("street_name",), lambda: among(*words.STREETS)),
    (("name", "title", "subject", "label"), lambda: among(*_pairs(words.ADJECTIVES, words.NOUNS))),
    (("email", "e_mail", "mail", "email_address"), lambda: EMAILS),
    (
        ("phone", "telephone", "mobile", "tel", "fax", "phone_number", "telephone_number"),
        lambda: PHONES,
    ),
    (
        ("ip", "ip_address", "ipv4", "ip_addr"),
        lambda: Composed(lambda n, h: str(safe.ipv4(n, h)), 3, 254),
    ),
    (("ipv6",), lambda: Composed(lambda m, h: str(safe.ipv6(m, h)), 1 << 63, 1 << 16)),
    (("mac", "mac_address"), lambda: Composed(safe.hardware_address, 256)),
    (
        ("street", "street_address", "address_line", "address_line_1", "address1", "line1"),
        lambda: Composed(_street, 180, len(words.STREETS)),
    ),
    (("address",), lambda: Composed(_address, 180, len(words.STREETS), 90_000, _P)),
    (("house_number",), lambda: pattern("[1-9][0-9]?")),
    (("postcode", "postal_code", "zip", "zip_code", "zipcode"), lambda: pattern("[1-9][0-9]{4}")),
    (
        (
            "city",
            "town",
            "harbour",
            "harbor",
            "port",
            "place",
            "region",
            "county",
            "province",
            "village",
        ),
        lambda: among(*words.TOWNS),
    ),
    (
        ("country_code", "flag", "nationality"),
        lambda: among(*[code for code, _ in words.COUNTRIES]),
    ),
    (("country",), lambda: among(*[name for _, name in words.COUNTRIES])),
    (("department", "team", "division"), lambda: among(*words.DEPARTMENTS)),
    (("job", "job_title", "occupation", "profession", "role"), lambda: among(*words.JOBS)),
    (("url", "website", "homepage", "link", "uri", "web_page"), lambda: URLS),
    (("slug",), lambda: SLUGS),
    (("colour", "color"), lambda: among(*words.COLOURS)),
    (("currency", "currency_code"), lambda: among(*words.CURRENCIES)),
    (("language", "lang", "locale"), lambda: among(*words.LANGUAGES)),
    (("timezone", "time_zone", "tz"), lambda: among(*words.ZONES)),
    (("mime_type", "media_type", "content_type"), lambda: among(*words.MEDIA)),
    (("gtin", "ean", "barcode"), lambda: Composed(safe.gtin, 10**11)),
    (("sku", "article_number", "part_number"), lambda: pattern("[A-Z]{3}-[0-9]{5}")),
    (("code", "call_sign", "reference", "ref", "number"), lambda: pattern("[A-Z]{2}-[0-9]{4}")),
    (("version",), lambda: pattern("[1-9]\\.[0-9]\\.[0-9]")),
    (
        ("uuid", "guid"),
        lambda: Composed(lambda high, low: str(made_uuid(high, low)), 1 << 63, 1 << 63),
    ),
    (("token", "hash", "checksum", "digest"), lambda: pattern("[0-9a-f]{32}")),
    (("password", "secret"), lambda: PASSWORDS),
    (("status", "state"), lambda: among(*words.STATUSES)),
    (
        (
            "description",
            "notes",
            "note",
            "comment",
            "remark",
            "remarks",
            "defect",
            "summary",
            "text",
            "message",
            "body",
        ),
        lambda: SENTENCES,
    ),
]


# --- times and numbers ---


def _time_rule(name: str, form: object, siblings: Mapping[str, Node]) -> Rule | None:
    stem, ending = _stem(name)
    first = _LATER.get(stem)
    earlier = next(
        (
            s
            for s in (f"{first}{ending}", first, f"{first}_at", f"{first}_on")
            if first and s in siblings
        ),
        None,
    )
    if earlier is not None and siblings[earlier].bare is form and not siblings[earlier].optional:
        return _After(earlier, 60)
    if stem in ("birth", "birthday", "born", "date_of_birth", "birth_date"):
        low, high = date(1945, 1, 1), date(2011, 12, 31)
        return between(low, high) if form is date else None
    if ending or stem in _EARLIER:
        return between(_FIRST, _LAST) if form is datetime else between(_FIRST.date(), _LAST.date())
    return None


def _stem(name: str) -> tuple[str, str]:
    for ending in ("_at", "_on", "_date", "_time", "_day"):
        if name.endswith(ending) and len(name) > len(ending):
            return name.removesuffix(ending), ending
    return name, ""


_NUMBERS: list[tuple[tuple[str, ...], tuple[float, float], int]] = [
    (
        (
            "price",
            "amount",
            "cost",
            "fee",
            "total",
            "subtotal",
            "dues",
            "salary",
            "balance",
            "rate",
            "sum",
            "net",
            "gross",
        ),
        (1, 999),
        2,
    ),
    (("percentage", "percent", "pct", "share"), (0, 100), 1),
    (("latitude", "lat"), (-90, 90), 5),
    (("longitude", "lon", "lng"), (-180, 180), 5),
    (("quantity", "qty", "count", "pieces"), (1, 100), 0),
    (("weight", "weight_kg", "weight_t", "mass"), (1, 500), 1),
    (("length", "length_m", "length_cm"), (10, 120), 1),
    (("width", "width_m", "height", "height_m", "width_cm", "height_cm", "beam_m"), (2, 30), 1),
    (("depth", "depth_m", "draught", "draught_m"), (2, 14), 1),
    (("age",), (18, 90), 0),
    (("year",), (2000, 2030), 0),
    (("month",), (1, 12), 0),
    (("day", "weekday"), (1, 7), 0),
    (("days", "nights", "weeks"), (1, 14), 0),
    (("hour", "hours"), (0, 23), 0),
    (("minutes", "seconds"), (0, 59), 0),
    (("rating", "stars"), (1, 5), 0),
    (("score",), (0, 100), 1),
    (("temperature", "temperature_c"), (-10, 30), 1),
    (("speed", "speed_kn", "knots"), (1, 25), 1),
    (("port_number",), (1024, 49151), 0),
    (("version", "level", "priority", "rank"), (1, 5), 0),
]


def _number_rule(name: str, form: object) -> Rule | None:
    ends = [entry for entry in _NUMBERS if _ends(name, entry[0])]
    begins = [entry for entry in _NUMBERS if any(name.startswith(word + "_") for word in entry[0])]
    for _, (low, high), decimals in (ends or begins)[:1]:
        if form is int:
            return between(int(low), int(high))
        if form is Decimal:
            return between(Decimal(str(low)), Decimal(str(high)), decimals=decimals or 2)
        return between(float(low), float(high), decimals=decimals)
    return serial() if name == "id" and form is int else None
