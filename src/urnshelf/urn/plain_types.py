"""Values without parts drawn by their types, within limits: numbers, times, texts, bytes."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import (
    IPv4Address,
    IPv4Interface,
    IPv4Network,
    IPv6Address,
    IPv6Interface,
    IPv6Network,
)
from math import isinf
from pathlib import Path, PurePath, PurePosixPath, PureWindowsPath
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.types.limits import Limits
from urnshelf.urn import gazetteer, safe, words
from urnshelf.urn.mixing import Bits
from urnshelf.urn.parts import lengths
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.choices import among
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.number_ranges import numbers
from urnshelf.urn.rules.ranges import moments
from urnshelf.urn.rules.texts import pattern

START, END = datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, 23, 59, 59, tzinfo=UTC)


def simple_rule(form: object, limits: Limits, path: str) -> Rule | None:
    """The rule of a type without parts, within limits; None for a type that is none of these.

    Args:
        form: the type.
        limits: what the values must keep.
        path: for messages.

    Raises:
        RecordRefused: nothing keeps the limits.
    """
    if form is bool:
        return among(False, True)
    if form is int or form is float or form is Decimal:
        return _number(form, limits, path)
    if form in (datetime, date, time, timedelta):
        return _time(form, limits, path)
    if form is str:
        return text_rule(limits, path)
    if form is bytes or form is bytearray:
        low, high = lengths(limits, 4, 12)
        return computed(lambda bits: form(bits.below(256) for _ in range(bits.between(low, high))))
    try:
        return _PLAIN.get(form)
    except TypeError:
        return None


def _number(form: Any, limits: Limits, path: str) -> Rule:
    decimals = 0 if form is int else 2
    low, high = _usual(form, limits)
    rule = numbers(form, limits, low, high, decimals, widest=True)
    if rule is None:
        raise RecordRefused(
            f"cannot draw {path}: no {form.__name__} lies between {_bound(limits.ge, limits.gt)} "
            f"and {_bound(limits.le, limits.lt)}"
            + (f" and is a multiple of {limits.multiple_of}" if limits.multiple_of else "")
        )
    return rule


def _bound(included: object, excluded: object) -> str:
    """A bound as a message tells it."""
    if included is None and excluded is None:
        return "anything"
    return show(included) if excluded is None else f"{show(excluded)} (excluded)"


def _usual(form: Any, limits: Limits) -> tuple[Any, Any]:
    """From 1 to 999, where the limits let that stand."""
    least = _finite(limits.ge if limits.gt is None else limits.gt)
    most = _finite(limits.le if limits.lt is None else limits.lt)
    step = max(Decimal(1), abs(Decimal(str(limits.multiple_of or 1))))
    if least is None and most is None:
        return 1, max(Decimal(999), 9 * step)
    if least is None and most is not None:
        # zero is nearer to what is meant than a number far below it
        most -= form is int and limits.lt is not None
        low = 1 if most > 1 else 0
        return (low if most > low else most - 998 * step), None
    return None, least + 998 * step if least is not None and most is None else None


def _finite(bound: Any) -> Decimal | None:
    return None if bound is None or isinf(bound) else Decimal(str(bound))


def _time(form: object, limits: Limits, path: str) -> Rule:
    told = [one for one in (limits.ge, limits.gt, limits.le, limits.lt) if one is not None]
    if form is time and not told:
        return Composed(time, 24, 60, 60)
    low, high = _usual_times(form, limits)
    rule = moments(limits, low, high)
    if rule is None:
        raise RecordRefused(
            f"cannot draw {path}: no {getattr(form, '__name__', form)} lies between "
            f"{_bound(limits.ge, limits.gt)} and {_bound(limits.le, limits.lt)}"
        )
    return rule


def _usual_times(form: object, limits: Limits) -> tuple[Any, Any]:
    """A range that is usual, moved to where the limits are."""
    if form is time:
        return time(0, 0), time(23, 59, 59)
    low: Any = timedelta(minutes=1)
    high: Any = timedelta(days=7)
    if form is not timedelta:
        low, high = (START, END) if form is datetime else (START.date(), END.date())
    least = limits.ge if limits.gt is None else limits.gt
    most = limits.le if limits.lt is None else limits.lt
    if form is datetime and any(one is not None and one.tzinfo is None for one in (least, most)):
        low, high = low.replace(tzinfo=None), high.replace(tzinfo=None)
    length = high - low
    if least is not None and least >= high:
        return least, least + length if most is None else most
    if most is not None and most <= low:
        return most - length if least is None else least, most
    # what is told goes before what is usual
    return low if least is None else least, high if most is None else most


def text_rule(limits: Limits, path: str) -> Rule:
    """Texts of a pattern or a length; else words."""
    if limits.pattern is not None:
        return _searched(limits.pattern, limits, path)
    if not limits.is_of_length:
        return Composed(_word, 2, *[len(words.SYLLABLES)] * 3)
    low, high = lengths(limits, 4, 12)
    if low > high:
        raise RecordRefused(f"cannot draw {path}: no text has from {low} to {high} letters")
    return computed(lambda bits: _letters(bits, bits.between(low, high)))


def _searched(expression: str, limits: Limits, path: str) -> Rule:
    """Texts in which a pattern is found: the pattern alone, or where a length demands more, with
    letters around it.
    """
    ways = [expression]
    if not expression.endswith("$"):
        ways.append(f"(?:{expression})[a-z]*")
    if not expression.startswith("^"):
        ways.append(f"[a-z]*(?:{expression})")
    why: RecordRefused | None = None
    for way in ways:
        try:
            return pattern(way).narrowed(limits) or pattern(way)
        except RecordRefused as refused:
            why = why or refused
    raise RecordRefused(f"cannot draw {path}: {why}")


def _word(parts: int, a: int, b: int, c: int) -> str:
    table = words.SYLLABLES
    return (table[a] + table[b] + (table[c] if parts else "")).capitalize()


def _letters(bits: Bits, length: int) -> str:
    text = ""
    while len(text) < length:
        text += words.SYLLABLES[bits.below(len(words.SYLLABLES))]
    return text[:length].capitalize()


def _path(kind: type[PurePath]) -> Rule:
    towns = [town for town in gazetteer.TOWNS if town.isascii()]
    nouns = words.NOUNS
    return Composed(
        lambda p, n: kind(f"{towns[p].lower()}/{nouns[n].lower()}.csv"), len(towns), len(nouns)
    )


def _interface_6(middle: int, host: int) -> IPv6Interface:
    return IPv6Interface((safe.ipv6(middle, host), 64))


_PLAIN: dict[Any, Rule] = {
    complex: Composed(lambda a, b: complex(a - 99, b - 99), 199, 199),
    IPv4Address: Composed(safe.ipv4, 3, 254),
    IPv6Address: Composed(safe.ipv6, 1 << 63, 1 << 16),
    IPv4Network: among(*[IPv4Network((base, 24)) for base in safe.NETWORKS_4]),
    IPv6Network: Composed(lambda n: IPv6Network((safe.NETWORK_6 + (n << 80), 48)), 1 << 16),
    IPv4Interface: Composed(lambda n, h: IPv4Interface((safe.ipv4(n, h), 24)), 3, 254),
    IPv6Interface: Composed(_interface_6, 1 << 63, 1 << 16),
    Path: _path(Path),
    PurePath: _path(PurePath),
    PurePosixPath: _path(PurePosixPath),
    PureWindowsPath: _path(PureWindowsPath),
    type(None): constant(None),
}
