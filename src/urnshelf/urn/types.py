"""Types drawn: the rule for a value of a type, within its limits."""

from __future__ import annotations

import collections.abc as abc
import types
import typing
from collections import OrderedDict, defaultdict, deque
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from functools import partial
from ipaddress import IPv4Address, IPv4Network, IPv6Address
from pathlib import Path, PurePath, PurePosixPath
from typing import Any, get_args, get_origin

from urnshelf.errors import RecordRefused
from urnshelf.interfaces.hints import type_name
from urnshelf.urn import safe, words
from urnshelf.urn.fields import RecordType, describe, describe_class, unwrapped
from urnshelf.urn.limits import Limits, limits_of
from urnshelf.urn.mixing import Bits
from urnshelf.urn.names import EMAILS, PASSWORDS, URLS, UUIDS, rule_for
from urnshelf.urn.rules import (
    TRIES,
    Composed,
    Rule,
    among,
    between,
    computed,
    constant,
    pattern,
    serial,
    sometimes_none,
)

DEEPEST = 4
"""How many records deep a record is nested; deeper ones are None, or left out of their list."""
NONE_RATE = 0.25
_START, _END = datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, 23, 59, 59, tzinfo=UTC)

DrawRecord = Callable[[RecordType, str, int], Rule]


class Drawer:
    """Makes the rules of types; records inside are drawn by the function that it is given."""

    def __init__(self, record_rule: DrawRecord) -> None:
        self._record_rule = record_rule

    def field(self, name: str, form: Any, limits: Limits, path: str, siblings: dict[str, Any], depth: int = 0) -> Rule:
        """The rule of a record's field: what its name suggests, if that keeps the limits, or else its type."""
        inner, none = without_none(form)
        inner, notes = unwrapped(inner)
        limits = limits if not notes else limits_of([limits, *notes])
        named = rule_for(name, inner, siblings) if limits.pattern is None and limits.choices is None else None
        if inner is int and name == "id" and not limits:
            return serial()
        by_type = partial(self.value, inner, limits, path, depth)
        rule = by_type() if named is None else self._within(named, limits, by_type)
        return sometimes_none(rule, NONE_RATE) if none else rule

    def value(self, form: Any, limits: Limits, path: str, depth: int = 0) -> Rule:
        """The rule of a type; raises RecordRefused, with the path, for one that cannot be drawn."""
        form, notes = unwrapped(form)
        if notes:
            limits = limits_of([limits, *notes])
        rule = self._rule(form, limits, path, depth)
        return _Checked(rule, limits, path) if limits.checks else rule

    def _rule(self, form: Any, limits: Limits, path: str, depth: int) -> Rule:
        if limits.choices is not None:
            return among(*limits.choices)
        simple = _simple_rule(form, limits, path)
        if simple is not None:
            return simple
        origin, args = get_origin(form) or form, get_args(form)
        if origin is typing.Union or origin is types.UnionType:
            return self._union(args, limits, path, depth)
        if origin is typing.Literal:
            return among(*args)
        if isinstance(origin, type) and issubclass(origin, Enum):
            return among(*origin)
        if form is Any or form is object:
            return among(None, True, 7, 4.5, "Skarvik")
        if isinstance(form, typing.TypeVar):
            return self.value(form.__bound__ or (form.__constraints__ or (str,))[0], limits, path, depth)
        if origin is type(None) or form is None:
            return constant(None)
        container = self._container(origin, args, limits, path, depth)
        if container is not None:
            return container
        record = describe(form) or describe_class(form)
        if record is not None:
            return self._record_rule(record, path, depth + 1)
        return _typed_text(form) or self._refuse(form, path)

    def _union(self, args: tuple[Any, ...], limits: Limits, path: str, depth: int) -> Rule:
        ways = [self.value(arg, limits, path, depth) for arg in args if arg is not type(None)]
        rule = ways[0] if len(ways) == 1 else _OneOf(ways)
        return sometimes_none(rule, NONE_RATE) if type(None) in args else rule

    def _container(self, origin: Any, args: tuple[Any, ...], limits: Limits, path: str, depth: int) -> Rule | None:
        if origin is tuple and args and args[-1] is not ...:
            return _Tuple([self.value(arg, Limits(), f"{path}[{i}]", depth) for i, arg in enumerate(args)])
        if origin in _MAPPINGS:
            key, value = args if len(args) == 2 else (str, Any)
            keys = self.value(key, Limits(), f"{path} key", depth)
            return _Items(_MAPPINGS[origin], limits, path, keys, self.value(value, Limits(), f"{path}[]", depth))
        if origin in _COLLECTIONS:
            item = args[0] if args else Any
            if depth >= DEEPEST and describe(item) is not None:
                return constant(_COLLECTIONS[origin]([]))
            return _Items(_COLLECTIONS[origin], limits, path, self.value(item, Limits(), f"{path}[]", depth))
        return None

    def _within(self, rule: Rule, limits: Limits, by_type: Callable[[], Rule]) -> Rule:
        """The rule that a name suggests, where the limits leave room for it."""
        if not limits:
            return rule
        if any(getattr(limits, bound) is not None for bound in ("ge", "gt", "le", "lt", "multiple_of", "max_digits")):
            return by_type()
        return _Fitted(rule, limits, by_type())

    def _refuse(self, form: Any, path: str) -> Rule:
        head, _, tail = path.partition(".")
        name = tail.partition(".")[0].partition("[")[0] or "field"
        raise RecordRefused(
            f"cannot draw {path}: nothing is known of the type {type_name(form)}; give a value or a rule, "
            f"as in draw({head}, {name}=…) or set_rules({head}, {name}=…)"
        )


def without_none(form: Any) -> tuple[Any, bool]:
    """`X | None` as X and True; anything else as it is."""
    origin = get_origin(form)
    args = get_args(form)
    if (origin is typing.Union or origin is types.UnionType) and type(None) in args:
        rest = [arg for arg in args if arg is not type(None)]
        if len(rest) == 1:
            return rest[0], True
    return form, False


# --- plain values -----------------------------------------------------------------------------------------------------


def _simple_rule(form: Any, limits: Limits, path: str) -> Rule | None:
    if form is bool:
        return among(False, True)
    if form is int or form is float or form is Decimal:
        return _number(form, limits, path)
    if form in (datetime, date, timedelta):
        return _time_range(form, limits)
    if form is str:
        return _text(limits, path)
    if form is bytes or form is bytearray:
        low, high = _lengths(limits, 4, 12)
        return computed(lambda bits: form(bits.below(256) for _ in range(bits.between(low, high))))
    try:
        return _PLAIN.get(form)
    except TypeError:
        return None


def _number(form: Any, limits: Limits, path: str) -> Rule:
    places = 0 if form is int else limits.decimal_places if limits.decimal_places is not None else 2
    unit = Decimal(1).scaleb(-places)
    low = _bound(limits.ge, limits.gt, unit)
    high = _bound(limits.le, limits.lt, -unit)
    if limits.max_digits is not None:
        most = Decimal(10) ** (limits.max_digits - places) - unit
        high = most if high is None else min(high, most)
    if low is None:
        low = min(Decimal(1), high) if high is not None else Decimal(1)
    if high is None:
        high = max(Decimal(999), low + 998)
    if limits.multiple_of is not None:
        return _multiples(form, low, high, Decimal(str(limits.multiple_of)), path)
    if low > high:
        raise RecordRefused(f"cannot draw {path}: no {form.__name__} lies between {low} and {high}")
    if form is int:
        return between(int(low.to_integral_value("ROUND_CEILING")), int(high.to_integral_value("ROUND_FLOOR")))
    return between(form(low), form(high), places=places)


def _bound(inclusive: Any, exclusive: Any, step: Decimal) -> Decimal | None:
    ends = [Decimal(str(inclusive))] if inclusive is not None else []
    ends += [Decimal(str(exclusive)) + step] if exclusive is not None else []
    if not ends:
        return None
    return max(ends) if step > 0 else min(ends)


def _multiples(form: Any, low: Decimal, high: Decimal, unit: Decimal, path: str) -> Rule:
    first, last = -(-low // unit), high // unit
    if -(-low // unit) * unit < low:
        first += 1
    if first > last:
        raise RecordRefused(f"cannot draw {path}: no multiple of {unit} lies between {low} and {high}")
    numbers = between(int(first), int(last))
    return computed(lambda bits: form(numbers.one(bits) * unit))


def _time_range(form: Any, limits: Limits) -> Rule:
    if form is timedelta:
        return between(limits.ge or timedelta(minutes=1), limits.le or timedelta(days=7))
    step: Any = timedelta(days=1) if form is date else timedelta(seconds=1)
    low: Any = _START if form is datetime else _START.date()
    high: Any = _END if form is datetime else _END.date()
    told_low = limits.ge if limits.ge is not None else limits.gt + step if limits.gt is not None else None
    told_high = limits.le if limits.le is not None else limits.lt - step if limits.lt is not None else None
    if form is datetime and any(t is not None and t.tzinfo is None for t in (told_low, told_high)):
        low, high = low.replace(tzinfo=None), high.replace(tzinfo=None)
    low = told_low if told_low is not None else min(low, told_high) if told_high is not None else low
    high = told_high if told_high is not None else max(high, low)
    return between(low, high)


def _lengths(limits: Limits, low: int, high: int) -> tuple[int, int]:
    least = limits.min_length if limits.min_length is not None else min(low, limits.max_length or low)
    most = limits.max_length if limits.max_length is not None else max(high, least)
    return least, max(least, min(most, max(high, least)))


def _text(limits: Limits, path: str) -> Rule:
    if limits.pattern is not None:
        rule = pattern(limits.pattern)
        return rule if limits.min_length is limits.max_length is None else _Checked(rule, _checking(limits), path)
    if limits.min_length is None and limits.max_length is None:
        return Composed(_word, 2, *[len(words.SYLLABLES)] * 3)
    low, high = _lengths(limits, 4, 12)
    return computed(lambda bits: _letters(bits, bits.between(low, high)))


def _checking(limits: Limits) -> Limits:
    limits.checks = [*limits.checks, lambda value: Limits.allow(_lengths_only(limits), value)]
    return limits


def _lengths_only(limits: Limits) -> Limits:
    bare = Limits()
    bare.min_length, bare.max_length = limits.min_length, limits.max_length
    return bare


def _word(parts: int, a: int, b: int, c: int) -> str:
    table = words.SYLLABLES
    return (table[a] + table[b] + (table[c] if parts else "")).capitalize()


def _letters(bits: Bits, length: int) -> str:
    text = ""
    while len(text) < length:
        text += words.SYLLABLES[bits.below(len(words.SYLLABLES))]
    return text[:length].capitalize()


def _path(kind: type[PurePath]) -> Rule:
    places, nouns = words.PLACES, words.NOUNS
    return Composed(lambda p, n: kind(f"{places[p].lower()}/{nouns[n].lower()}.csv"), len(places), len(nouns))


_PLAIN: dict[Any, Rule] = {
    complex: Composed(lambda a, b: complex(a - 99, b - 99), 199, 199),
    time: Composed(time, 24, 60, 60),
    IPv4Address: Composed(safe.ipv4, 3, 254),
    IPv6Address: Composed(safe.ipv6, 1 << 63, 1 << 16),
    IPv4Network: among(*[IPv4Network((base, 24)) for base in safe.NETWORKS_4]),
    Path: _path(Path),
    PurePath: _path(PurePath),
    PurePosixPath: _path(PurePosixPath),
    type(None): constant(None),
}


def _typed_text(form: Any) -> Rule | None:
    """Types of other libraries that are known by their names: UUIDs, texts that must be an address, secrets."""
    name = getattr(form, "__name__", "")
    if name == "UUID":
        return UUIDS
    if name == "EmailStr":
        return EMAILS
    if name.endswith("Url") or name == "AnyUrl":
        return URLS
    if name == "SecretStr":
        return PASSWORDS
    if name in _PYDANTIC_TIMES:
        return between(*_PYDANTIC_TIMES[name])
    return None


_PYDANTIC_TIMES: dict[str, tuple[Any, Any]] = {
    "AwareDatetime": (_START, _END),
    "NaiveDatetime": (_START.replace(tzinfo=None), _END.replace(tzinfo=None)),
    "PastDatetime": (datetime(2001, 1, 1, tzinfo=UTC), datetime(2020, 12, 31, tzinfo=UTC)),
    "FutureDatetime": (datetime(2070, 1, 1, tzinfo=UTC), datetime(2090, 12, 31, tzinfo=UTC)),
    "PastDate": (date(2001, 1, 1), date(2020, 12, 31)),
    "FutureDate": (date(2070, 1, 1), date(2090, 12, 31)),
}


# --- values with parts ------------------------------------------------------------------------------------------------


class _OneOf(Rule):
    vectorised = False

    def __init__(self, ways: list[Rule]) -> None:
        self._ways = ways

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        way = bits.below(len(self._ways))
        return self._ways[way].one(bits.sub(way))


class _Tuple(Rule):
    vectorised = False

    def __init__(self, parts: list[Rule]) -> None:
        self._parts = parts

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        return tuple(part.one(bits.sub(i)) for i, part in enumerate(self._parts))


class _Items(Rule):
    """A container of several items: none to three, where nothing is said of its length."""

    vectorised = False

    def __init__(
        self, make: Callable[[Any], Any], limits: Limits, path: str, item: Rule, value: Rule | None = None
    ) -> None:
        self._make, self._path, self._item, self._value = make, path, item, value
        self._low, self._high = _lengths(limits, 0, 3)

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        wanted = bits.between(self._low, self._high)
        made = self._make([])
        for extra in range(TRIES):
            made = self._make([self._part(bits.sub(i)) for i in range(wanted + extra)])
            if len(made) >= min(wanted, max(self._low, 0)) and len(made) >= self._low:
                return made
        raise RecordRefused(f"cannot draw {self._path}: {self._low} different items are wanted, but there are too few")

    def _part(self, bits: Bits) -> Any:
        if self._value is None:
            return self._item.one(bits)
        return self._item.one(bits.sub(0)), self._value.one(bits.sub(1))


class _Fitted(Rule):
    """A rule, and another for the values that do not keep the limits."""

    vectorised = False

    def __init__(self, rule: Rule, limits: Limits, other: Rule) -> None:
        self._rule, self._limits, self._other = rule, limits, other
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: Any) -> Any:
        value = self._rule.one(bits, *inputs)
        return value if self._limits.allow(value) else self._other.one(bits.sub(0))


class _Checked(Rule):
    """A rule whose values are drawn again until the checks hold."""

    vectorised = False

    def __init__(self, rule: Rule, limits: Limits, path: str) -> None:
        self._rule, self._limits, self._path = rule, limits, path
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: Any) -> Any:
        for number in range(TRIES):
            value = self._rule.one(bits.sub(number), *inputs)
            if all(check(value) for check in self._limits.checks):
                return value
        raise RecordRefused(f"cannot draw {self._path}: no value in {TRIES} tries keeps its limits; give a rule")


_COLLECTIONS: dict[Any, Callable[[Any], Any]] = {
    list: list,
    tuple: tuple,
    set: set,
    frozenset: frozenset,
    deque: deque,
    abc.Sequence: list,
    abc.MutableSequence: list,
    abc.Collection: list,
    abc.Iterable: list,
    abc.Set: frozenset,
    abc.MutableSet: set,
}
_MAPPINGS: dict[Any, Callable[[Any], Any]] = {
    dict: dict,
    OrderedDict: OrderedDict,
    defaultdict: lambda items: defaultdict(None, items),
    abc.Mapping: dict,
    abc.MutableMapping: dict,
}
