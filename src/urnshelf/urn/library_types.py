"""Types of other libraries, known by their names, so that none of these libraries is imported."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from datetime import UTC, date, datetime
from typing import Any
from uuid import UUID

from urnshelf.errors import RecordRefused
from urnshelf.types.nodes import Node
from urnshelf.urn import safe, words
from urnshelf.urn.plain_types import END, START
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.safe_rules import EMAILS, PASSWORDS, SLUGS, UUIDS

_TIMES: dict[str, tuple[Any, Any]] = {
    "AwareDatetime": (START, END),
    "NaiveDatetime": (START.replace(tzinfo=None), END.replace(tzinfo=None)),
    "PastDatetime": (datetime(2001, 1, 1, tzinfo=UTC), datetime(2020, 12, 31, tzinfo=UTC)),
    "FutureDatetime": (datetime(2070, 1, 1, tzinfo=UTC), datetime(2090, 12, 31, tzinfo=UTC)),
    "PastDate": (date(2001, 1, 1), date(2020, 12, 31)),
    "FutureDate": (date(2070, 1, 1), date(2090, 12, 31)),
}
_SCHEMES = {"FileUrl": "file", "FtpUrl": "ftp", "HttpUrl": "https", "AnyHttpUrl": "https"}
_JSON = ("null", "true", "7", "4.5", '"Ternhythe"', "[1, 2]", '{"berth": 7}')


def typed_rule(node: Node, inner: Callable[[Node], Rule]) -> Rule | None:
    """The rule of another library's type; None for one that is not known.

    Args:
        node: the type.
        inner: gives the rule of a type inside of it.
    """
    form, name = node.bare, getattr(node.origin, "__name__", "")
    if name == "UUID":
        return UUIDS
    if not _is_of_a_library(node.origin):
        return None
    if name in _TIMES:
        return between(*_TIMES[name])
    if name in ("EmailStr", "Json"):
        return EMAILS if name == "EmailStr" else among(*_JSON)
    if name == "UnsetType":
        return constant(sys.modules[form.__module__.partition(".")[0]].UNSET)
    if name == "ByteSize":
        return _made(form, between(1, 999_999_999))
    if name in ("SecretStr", "SecretBytes"):
        return _made(form if name == "SecretStr" else lambda text: form(text.encode()), PASSWORDS)
    if name == "Secret" or node.args:
        return _made(form, inner(node.item)) if name == "Secret" else None
    if name.startswith("IPvAny"):
        return inner_address(name, inner)
    if name.endswith(("Url", "Dsn")):
        return _made(form, _urls(form, name))
    return None


def _is_of_a_library(cls: object) -> bool:
    return getattr(cls, "__module__", "").partition(".")[0].startswith(("pydantic", "msgspec"))


def inner_address(name: str, inner: Callable[[Node], Rule]) -> Rule:
    """`IPvAnyAddress` and its like, of the fourth version."""
    import ipaddress

    from urnshelf.types.nodes import node_of

    return inner(node_of(getattr(ipaddress, name.replace("IPvAny", "IPv4"))))


def _made(make: Callable[[Any], Any], rule: Rule) -> Rule:
    """What a class makes of drawn values."""
    return computed(lambda bits: make(rule.one(bits)))


def _urls(form: Any, name: str) -> Rule:
    limits = getattr(form, "_constraints", None)
    allowed: Iterable[str] = getattr(limits, "allowed_schemes", None) or ()
    scheme = _SCHEMES.get(name) or next(iter(allowed), "https")
    if scheme == "file":
        return Composed(lambda n: f"file:///data/{words.NOUNS[n].lower()}.csv", len(words.NOUNS))
    ending = "" if name in ("KafkaDsn",) else "/"
    return computed(
        lambda bits: (
            f"{scheme}://{words.NOUNS[bits.below(len(words.NOUNS))].lower()}."
            f"{safe.TOPS[bits.below(2)]}{ending}{SLUGS.one(bits) if ending else ''}"
        )
    )


def noted_rule(notes: Iterable[Any], rule: Rule, path: str) -> Rule:
    """The rule of a type to which a library attached what its values must be.

    Raises:
        RecordRefused: a file that exists is wanted.
    """
    for note in notes:
        version = getattr(note, "uuid_version", None)
        if isinstance(version, int):
            rule = _versioned(rule, version)
        if getattr(note, "path_type", None) in ("file", "dir", "socket"):
            what = {"dir": "directory"}.get(note.path_type, note.path_type)
            raise RecordRefused(
                f"cannot draw {path}: a {what} that exists is wanted; give one of your own"
            )
        if getattr(note, "path_type", None) == "new":
            rule = _in_this_folder(rule)
    return rule


def _versioned(rule: Rule, version: int) -> Rule:
    def changed(value: UUID) -> UUID:
        bits = value.int & ~(0xF << 76) & ~(0x3 << 62)
        return UUID(int=bits | version << 76 | 0x2 << 62)

    return _made(changed, rule)


def _in_this_folder(rule: Rule) -> Rule:
    return _made(lambda path: type(path)(f"new-{path.name}"), rule)
