"""Addresses, hosts, telephone numbers and codes from ranges that are reserved and belong to nobody.

Sources: example.com, example.net and example.org, and the top-level names `.example` and `.test`:
RFC 2606 and RFC 6761. IPv4 192.0.2.0/24, 198.51.100.0/24 and 203.0.113.0/24: RFC 5737. IPv6
2001:db8::/32: RFC 3849. Hardware addresses 00-00-5E-00-53-00 to 00-00-5E-00-53-FF: RFC 7042.
Telephone numbers 01632 960000 to 960999 and 020 7946 0000 to 0999: set aside by the United
Kingdom's regulator for drama; 555-0100 to 555-0199: reserved in the North American Numbering Plan
for fictional use. GTIN with a prefix from 200 to 299: for use inside a shop, never
issued to a firm (GS1 General Specifications); the check digit is valid.
"""

from __future__ import annotations

from ipaddress import IPv4Address, IPv6Address
from unicodedata import normalize

from urnshelf.caches import remembered

DOMAINS = ("example.com", "example.net", "example.org")
TOPS = ("example", "test")
NETWORKS_4 = (0xC0000200, 0xC6336400, 0xCB007100)
NETWORK_6 = 0x20010DB8 << 96


def email_of(given: object, family: object, number: int, top: int) -> str:
    """An address for these names at a reserved domain: number below 90, top below 3."""
    return f"{ascii_of(given)}.{ascii_of(family)}{number + 10}@{DOMAINS[top]}"


def phone(drama: int, number: int) -> str:
    """A telephone number that rings nowhere: drama below 2, number below 1000."""
    return f"+44 1632 960{number:03}" if drama else f"+44 20 7946 0{number:03}"


PHONES = (
    "+44{uk}", "0{uk}", "44{uk}", "+1555555{us}", "+1 555-555-{us}", "+1-555-555-{us}",
    "+1 (555) 555-{us}", "(555) 555-{us}", "555-555-{us}", "555.555.{us}", "555 555 {us}",
    "555555{us}", "1555555{us}", "555-{us}",
)  # fmt: skip
"""Other ways to write a telephone number that rings nowhere."""


def phone_as(form: str, number: int) -> str:
    """A number in one of the other ways: number below 100."""
    return form.format(uk=f"16329600{number:02}", us=f"01{number:02}")


def ipv4(network: int, host: int) -> IPv4Address:
    """An address from the networks for documentation: network below 3, host below 254."""
    return IPv4Address(NETWORKS_4[network] + host + 1)


def ipv6(middle: int, host: int) -> IPv6Address:
    """An address from the network for documentation: middle below 2**63, host below 2**16."""
    return IPv6Address(NETWORK_6 + (middle << 16) + host)


def hardware_address(last: int) -> str:
    """A hardware address for documentation: last below 256."""
    return f"00:00:5e:00:53:{last:02x}"


def gtin(number: int) -> str:
    """A trade item number for use inside a shop, with its check digit: number below 10**11.

    The check digit makes the sum of the digits, weighted 1 and 3 in turn, a multiple of ten (the
    same source).

    >>> gtin(0)
    '2000000000008'
    """
    digits = f"2{number:011}"
    total = sum(int(d) * (3 if i % 2 else 1) for i, d in enumerate(digits))
    return f"{digits}{-total % 10}"


_LETTERS = str.maketrans({
    "ø": "o", "æ": "ae", "å": "a", "ß": "ss", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "œ": "oe",
})  # fmt: skip


@remembered
def ascii_of(name: object) -> str:
    """A name in small letters as an address has it: without what is above and below the letters.

    >>> ascii_of("Sølvane"), ascii_of("Ílvår")
    ('solvane', 'ilvar')
    """
    text = normalize("NFKD", str(name).lower().translate(_LETTERS))
    letters = "".join(c for c in text if c.isascii() and (c.isalnum() or c in "._-"))
    return letters.strip("._-") or "someone"
