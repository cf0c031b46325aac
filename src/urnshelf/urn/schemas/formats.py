"""Texts of a JSON Schema drawn: by format, by pattern, by length, by the property's name."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime

from urnshelf.errors import RecordRefused
from urnshelf.types.limits import NO_LIMITS, Limits
from urnshelf.types.nodes import node_of
from urnshelf.urn.bounded_patterns import is_in
from urnshelf.urn.by_name import rule_for
from urnshelf.urn.by_type import Drawer
from urnshelf.urn.mixing import Bits
from urnshelf.urn.plain_types import text_rule
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import pattern
from urnshelf.urn.safe_rules import EMAILS, URLS, UUIDS, Safe
from urnshelf.urn.schemas.joining import Joined

SAMPLE = 40
_MOMENTS = between(datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, tzinfo=UTC))
_DAYS = between(date(2028, 1, 1), date(2030, 5, 31))
_MOMENT_TEXTS = computed(lambda bits: _MOMENTS.one(bits).isoformat().replace("+00:00", "Z"))
_DAY_TEXTS = computed(lambda bits: _DAYS.one(bits).isoformat())
_TIME_TEXTS = Composed(lambda h, m, s: f"{h:02}:{m:02}:{s:02}Z", 24, 60, 60)
_PATHS = pattern("/[a-z]{3,8}/[a-z]{2,9}")
_HOSTS = pattern(r"[a-z]{1,12}\.(example|test)")
FORMATS: dict[str, list[Rule]] = {
    "date-time": [
        _MOMENT_TEXTS,
        computed(lambda bits: _MOMENTS.one(bits).isoformat()),
        computed(lambda bits: f"{_MOMENTS.one(bits).isoformat()[:19]}.{bits.below(1000):03}Z"),
    ],
    "date": [_DAY_TEXTS],
    "time": [_TIME_TEXTS, computed(lambda bits: _TIME_TEXTS.one(bits)[:-1] + "+00:00")],
    "duration": [
        Composed(lambda h, m: f"PT{h}H{m}M", 24, 60),
        pattern("P[1-9][DWMY]"),
        pattern("PT[1-9]{1,2}[HMS]"),
        pattern("P[1-9]DT[1-9]H[1-9]M[1-9]S"),
    ],
    "email": [EMAILS],
    "idn-email": [EMAILS],
    "uri": [URLS, pattern("urn:[a-z]{2,8}:[a-z0-9]{1,30}")],
    "iri": [URLS],
    "uri-reference": [URLS, _PATHS, pattern("[a-z]{1,20}")],
    "iri-reference": [URLS, _PATHS, pattern("[a-z]{1,20}")],
    "uri-template": [pattern(r"https://[a-z]{1,9}\.example/\{[a-z]{1,6}\}")],
    "uuid": [computed(lambda bits: str(UUIDS.one(bits)))],
    "hostname": [_HOSTS],
    "idn-hostname": [_HOSTS],
    "regex": [constant("^[a-z]+$"), pattern(r"\^\[a-z\]\{1,[2-9]\}\$")],
    "json-pointer": [pattern("/[a-z]{3,8}/[0-9]"), pattern("(/[a-z]{1,8}){1,9}"), constant("")],
    "relative-json-pointer": [pattern("[0-9](/[a-z]{1,8}){0,5}")],
    "byte": [pattern("([A-Za-z0-9]{4}){1,4}")],
    "binary": [pattern("[A-Za-z0-9]{4,16}")],
}
for _format, _field in (("ipv4", "ip"), ("ipv6", "ipv6"), ("hostname", "host")):
    _rule = rule_for(_field, str, {})
    FORMATS.setdefault(_format, [])
    FORMATS[_format][:0] = [] if _rule is None else [_rule]


def text_of(said: Joined, name: str, plain: Drawer) -> Rule:
    """The rule of texts that keep what a schema says.

    Args:
        said: of format, patterns and lengths.
        name: of the property; empty for none.
        plain: draws texts by their names.

    Raises:
        RecordRefused: nothing that is drawn keeps it.
    """
    forms = FORMATS.get(said.format)
    limits = NO_LIMITS._replace(min_length=said.min_length, max_length=said.max_length)
    if forms is None and not said.patterns:
        return plain.field(name, node_of(str), limits, said.path, {})
    ways = _of_format(forms, limits) if forms is not None else _of_patterns(said, name, limits)
    for rule in ways:
        kept = [keeps(said, str(rule.one(Bits(1, index)))) for index in range(SAMPLE)]
        if sum(kept) >= SAMPLE // 10:
            return rule
    what = f"of the format {said.format!r} " if forms is not None else ""
    patterns = " and ".join(map(repr, said.patterns))
    raise RecordRefused(
        f"cannot draw {said.path}: no text {what}that is drawn keeps "
        + (f"{patterns} and its length" if patterns else "its length")
    )


def keeps(said: Joined, text: str) -> bool:
    """Whether a text has the length and matches the patterns."""
    return (
        len(text) >= (said.min_length or 0)
        and (said.max_length is None or len(text) <= said.max_length)
        and all(is_in(one, text) for one in said.patterns)
    )


def _of_format(forms: list[Rule], limits: Limits) -> Iterator[Rule]:
    for rule in forms:
        try:
            yield rule.narrowed(limits) or rule if limits else rule
        except RecordRefused:  # no value of this form has such a length
            continue


def _of_patterns(said: Joined, name: str, limits: Limits) -> Iterator[Rule]:
    """What the name suggests, where it is safe; then each pattern, and with more around it."""
    named = rule_for(name, str, {})
    if isinstance(named, Safe) and named.must:
        whole = limits._replace(pattern=said.patterns[0])
        narrowed = named.narrowed(whole)
        if narrowed is None:
            raise RecordRefused(
                f"cannot draw {said.path}: no {named.what} that belongs to nobody keeps "
                f"{said.patterns[0]!r}"
            )
        yield narrowed
    for one in said.patterns:
        try:
            yield text_rule(limits._replace(pattern=one), said.path)
        except RecordRefused:
            if len(said.patterns) == 1:
                raise
