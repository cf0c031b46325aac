"""Names of texts that mean something."""

from __future__ import annotations

from collections.abc import Callable

from urnshelf.caches import remembered
from urnshelf.urn import gazetteer, people, safe, words
from urnshelf.urn.rules.base import Composed, Rule
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.texts import pattern
from urnshelf.urn.safe_rules import (
    EMAILS,
    PASSWORDS,
    PHONES,
    SENTENCES,
    SLUGS,
    URLS,
    host_name,
    made_uuid,
    slug,
)
from urnshelf.urn.siblings import Siblings, beside, split
from urnshelf.urn.whereabouts import STREETS, has_town

_A, _N, _P = len(words.ADJECTIVES), len(words.NOUNS), len(gazetteer.TOWNS)


def text_rule_of(name: str, siblings: Siblings) -> Rule | None:
    """The rule of a text that means something by itself; None for any other."""
    found = split(name, _by_ending())
    if found is not None and found[1] == "address" and has_town(found[0], siblings):
        return STREETS  # the town stands beside it
    if found is not None and found[1] in _STREET and beside(siblings, _HOUSE, found[0]):
        return among(*gazetteer.STREETS)  # and so does the number of the house
    return None if found is None else _by_ending()[found[1]]()


@remembered
def _by_ending() -> dict[str, Callable[[], Rule]]:
    # of two that fit the longer one tells more
    return {ending: make for endings, make in _TEXTS for ending in endings}


def _pairs(first: tuple[str, ...], second: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(f"{a} {b}" for a in first for b in second)


def _username(a: int, n: int, number: int) -> str:
    return f"{words.ADJECTIVES[a]}_{words.NOUNS[n]}{number}".lower()


def _firm(family: int, ending: int) -> str:
    return f"{people.FAMILY[family]} {words.FIRM_ENDINGS[ending]}"


def _address(number: int, street: int, code: int, town: int) -> str:
    prefix = gazetteer.postal_prefix(gazetteer.TOWNS[town])
    return f"{number + 1} {gazetteer.STREETS[street]}, {prefix}{code:03} {gazetteer.TOWNS[town]}"


_STREET = ("street", "street_address", "address_line", "address_line_1", "address1", "line1")
_HOUSE = ("house_number", "house_no", "street_number", "building_number")
_Make = Callable[[], Rule]
_TEXTS: list[tuple[tuple[str, ...], _Make]] = [
    (("middle_name", "nickname", "maiden_name"), lambda: among(*people.GIVEN)),
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
            "publisher",
            "manufacturer",
            "brand",
            "carrier",
            "insurer",
            "airline",
        ),
        lambda: Composed(_firm, len(people.FAMILY), len(words.FIRM_ENDINGS)),
    ),
    (
        ("file_name", "filename"),
        lambda: Composed(lambda a, n, i: slug(a, n, i) + ".csv", _A, _N, 1000),
    ),
    (("host", "hostname", "host_name", "domain", "server"), lambda: Composed(host_name, _N, 2)),
    (("street_name",), lambda: among(*gazetteer.STREETS)),
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
    (_STREET, lambda: STREETS),
    (("address",), lambda: Composed(_address, 180, len(gazetteer.STREETS), 1000, _P)),
    (_HOUSE, lambda: pattern("[1-9][0-9]?")),
    (
        ("flag", "nationality", "citizenship"),
        lambda: among(*[country.code for country in gazetteer.COUNTRIES]),
    ),
    (("department", "team", "division"), lambda: among(*words.DEPARTMENTS)),
    (("job", "job_title", "occupation", "profession", "role"), lambda: among(*words.JOBS)),
    (("url", "website", "homepage", "link", "uri", "web_page"), lambda: URLS),
    (("slug",), lambda: SLUGS),
    (("colour", "color"), lambda: among(*words.COLOURS)),
    (("mime_type", "media_type", "content_type"), lambda: among(*words.MEDIA)),
    (("gtin", "ean", "barcode"), lambda: Composed(safe.gtin, 10**11)),
    (("flight_number",), lambda: pattern("[A-Z]{2}[1-9][0-9]{2,3}")),
    (("tracking_number",), lambda: pattern("[A-Z]{2}[0-9]{9}")),
    (("serial_number", "batch_number", "lot_number"), lambda: pattern("[A-Z]{2}[0-9]{6}")),
    (("room_number", "room"), lambda: pattern("[1-9][0-9]{2}")),
    (("gate",), lambda: pattern("[A-F][1-9]")),
    (("firmware_version", "semver"), lambda: pattern("[1-9]\\.[0-9]\\.[0-9]")),
    (("iban", "vat_id", "tax_id"), lambda: pattern("XX[0-9]{14}")),
    (("licence_plate", "license_plate", "number_plate"), lambda: pattern("XX-[A-Z]{2}-[0-9]{3}")),
    (("ward",), lambda: among(*words.WARDS)),
    (("unit", "unit_of_measure", "uom"), lambda: among("pcs", "kg", "m", "l", "h")),
    (("gender", "sex"), lambda: among("female", "male", "other")),
    (("blood_type", "blood_group"), lambda: among("A+", "A-", "B+", "B-", "AB+", "0+", "0-")),
    (("sku", "article_number", "part_number"), lambda: pattern("[A-Z]{3}-[0-9]{5}")),
    (("code", "call_sign", "reference", "ref", "number"), lambda: pattern("[A-Z]{2}-[0-9]{4}")),
    (("version",), lambda: pattern("[1-9]\\.[0-9]\\.[0-9]")),
    (
        ("uuid", "guid"),
        lambda: Composed(lambda high, low: str(made_uuid(high, low)), 1 << 63, 1 << 63),
    ),
    (("token", "hash", "checksum", "digest"), lambda: pattern("[0-9a-f]{32}")),
    (("password", "secret"), lambda: PASSWORDS),
    (("priority", "severity", "urgency"), lambda: among("low", "medium", "high", "urgent")),
    (("plan", "tier"), lambda: among("basic", "standard", "premium")),
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
