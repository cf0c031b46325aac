"""Types drawn: the rule for a value of a type, within its limits."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from functools import partial
from ipaddress import IPv4Address, IPv4Network, IPv6Address
from pathlib import Path, PurePath, PurePosixPath
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.types.limits import NO_LIMITS, Limits, limits_of
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node, node_of
from urnshelf.urn import safe, words
from urnshelf.urn.by_name import EMAILS, PASSWORDS, URLS, UUIDS, rule_for
from urnshelf.urn.mixing import Bits
from urnshelf.urn.parts import Checked, Fitted, Items, OneOf, Tuple, lengths
from urnshelf.urn.rules.base import Composed, Rule, computed
from urnshelf.urn.rules.choices import among, sometimes_none
from urnshelf.urn.rules.given import constant
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.rules.texts import pattern, serial

__tracebackhide__ = True  # a failing test shows its own lines, not ours

DEEPEST = 4
"""How many records deep a record is nested; deeper ones are None, or left out of their list."""
NONE_RATE = 0.25
_START, _END = datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, 23, 59, 59, tzinfo=UTC)

DrawRecord = Callable[[Description, str, int], Rule]


class Drawer:
    """Makes the rules of types; records inside are drawn by the function that it is given."""

    def __init__(self, record_rule: DrawRecord) -> None:
        self._record_rule = record_rule

    def field(
        self,
        name: str,
        node: Node,
        limits: Limits,
        path: str,
        siblings: Mapping[str, Node],
        depth: int = 0,
    ) -> Rule:
        """The rule of a record's field: what its name suggests, if that keeps the limits, or else
        its type.

        Args:
            name: the field's.
            node: its type.
            limits: what its type and the record limit.
            path: for messages.
            siblings: all fields of the record.
            depth: how many records deep it is.
        """
        inner = node.bare
        # a type that holds itself must come to an end
        if node.optional and depth >= DEEPEST and _is_record(node):
            return constant(None)
        named = (
            rule_for(name, inner, siblings)
            if limits.pattern is None and limits.choices is None
            else None
        )
        # keys in a row, as a sequence gives them; it draws nothing, so ids never collide
        if inner is int and name == "id" and not limits:
            return serial()
        by_type = partial(self._tried, node, limits, path, depth)
        # what a name suggests need not suit the limits; then the type decides
        rule = by_type() if named is None else self._within(named, limits, by_type)
        return sometimes_none(rule, NONE_RATE) if node.optional else rule

    def value(self, node: Node, path: str, depth: int = 0, limits: Limits = NO_LIMITS) -> Rule:
        """The rule of a type; raises RecordRefused, with the path, for one that cannot be drawn."""
        if node.optional and depth >= DEEPEST and _is_record(node):
            return constant(None)
        rule = self._tried(node, limits_of(node.notes, limits), path, depth)
        return sometimes_none(rule, NONE_RATE) if node.optional else rule

    def one_of(self, ways: list[Rule]) -> Rule:
        """One of several rules; the only one is itself."""
        return ways[0] if len(ways) == 1 else OneOf(ways)

    def _ending(self, members: tuple[Node, ...], depth: int) -> tuple[Node, ...]:
        """Deep inside, those members of a union that hold no further records, where there are
        some.
        """
        if depth < DEEPEST:
            return members
        return tuple(one for one in members if not _holds_records(one)) or members

    def _tried(self, node: Node, limits: Limits, path: str, depth: int) -> Rule:
        rule = self._rule(node, limits, path, depth)
        return Checked(rule, limits, path) if limits.is_tried else rule

    def _rule(self, node: Node, limits: Limits, path: str, depth: int) -> Rule:
        if limits.choices is not None:
            return among(*limits.choices)
        simple = _simple_rule(node.bare, limits, path)
        if simple is not None:
            return simple
        if node.kind is Kind.UNION:
            return self.one_of(
                [self.value(one, path, depth, limits) for one in self._ending(node.args, depth)]
            )
        if node.kind is Kind.LITERAL:
            return among(*node.values)
        if node.is_enum:
            return among(*node.bare)
        if node.kind in (Kind.ANY, Kind.UNKNOWN):
            # of anything: one of each, so that code which expects one kind is found out
            return among(None, True, 7, 4.5, "Ternhythe")
        if node.kind is Kind.VARIABLE:
            return self.value(node.args[0] if node.args else node_of(str), path, depth, limits)
        if node.kind is Kind.NONE:
            return constant(None)
        container = self._container(node, limits, path, depth)
        if container is not None:
            return container
        record = description_of(node.bare) if node.kind in (Kind.CLASS, Kind.TYPED_DICT) else None
        if record is not None and record.given:
            if depth >= 4 * DEEPEST:
                raise RecordRefused(f"cannot draw {path}: its type holds itself without end")
            return self._record_rule(record, path, depth + 1)
        return _typed_text(node.bare) or self._refuse(node, path)

    def _container(self, node: Node, limits: Limits, path: str, depth: int) -> Rule | None:
        if node.kind is Kind.TUPLE:
            return Tuple(
                [self.value(arg, f"{path}[{i}]", depth) for i, arg in enumerate(node.args)]
            )
        if node.kind is Kind.MAPPING:
            key, value = node.args if len(node.args) == 2 else (node_of(str), node_of(Any))
            if depth >= DEEPEST and not limits.min_length and _is_record(value):
                return computed(lambda bits: MAPPING_TYPES[node.origin]([]))
            keys = self.value(key, f"{path} key", depth)
            values = self.value(value, f"{path}[]", depth)
            return Items(MAPPING_TYPES[node.origin], limits, path, keys, values)
        if node.kind is Kind.ITEMS:
            make = ITEM_TYPES[node.origin]
            # a type that holds a list of itself must come to an end
            if depth >= DEEPEST and not limits.min_length and _is_record(node.item):
                return computed(lambda bits: make([]))
            return Items(make, limits, path, self.value(node.item, f"{path}[]", depth))
        return None

    def _within(self, rule: Rule, limits: Limits, by_type: Callable[[], Rule]) -> Rule:
        """The rule that a name suggests, where the limits leave room for it."""
        if not limits:
            return rule
        if any(
            getattr(limits, bound) is not None
            for bound in ("ge", "gt", "le", "lt", "multiple_of", "max_digits")
        ):
            return by_type()
        return Fitted(rule, limits, by_type())

    def _refuse(self, node: Node, path: str) -> Rule:
        head, _, tail = path.partition(".")
        name = tail.partition(".")[0].partition("[")[0] or "field"
        raise RecordRefused(
            f"cannot draw {path}: nothing is known of the type {type_name(node.form)}; give a "
            "value or a rule, "
            f"as in draw({head}, {name}=…) or set_rules({head}, {name}=…)"
        )


def _is_record(node: Node) -> bool:
    return any(
        one.kind in (Kind.CLASS, Kind.TYPED_DICT) and description_of(one.bare) is not None
        for one in (node.args if node.kind is Kind.UNION else (node,))
    )


def _holds_records(node: Node) -> bool:
    """Whether a type is a record that has further ones in it, which may be the type itself."""
    record = description_of(node.bare) if _is_record(node) else None
    fields = record.given.values() if record is not None else ()
    return any(_is_record(one) for field in fields for one in (field.node, *field.node.args))


# --- plain values ---------------------------------------------------------------------------------


def _simple_rule(form: object, limits: Limits, path: str) -> Rule | None:
    if form is bool:
        return among(False, True)
    if form is int or form is float or form is Decimal:
        return _number(form, limits, path)
    if form in (datetime, date, timedelta):
        return _time_range(form, limits)
    if form is str:
        return _text(limits, path)
    if form is bytes or form is bytearray:
        low, high = lengths(limits, 4, 12)
        return computed(lambda bits: form(bits.below(256) for _ in range(bits.between(low, high))))
    try:
        return _PLAIN.get(form)
    except TypeError:
        return None


def _number(form: Any, limits: Limits, path: str) -> Rule:
    decimals = 2 if limits.decimal_places is None else limits.decimal_places
    decimals = 0 if form is int else decimals
    # in Decimals throughout: floats would round a limit away
    unit = Decimal(1).scaleb(-decimals)
    low = _bound(limits.ge, limits.gt, unit)
    high = _bound(limits.le, limits.lt, -unit)
    if limits.max_digits is not None:
        most = Decimal(10) ** (limits.max_digits - decimals) - unit
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
        return between(
            int(low.to_integral_value("ROUND_CEILING")), int(high.to_integral_value("ROUND_FLOOR"))
        )
    return between(form(low), form(high), decimals=decimals)


def _bound(inclusive: object, exclusive: object, step: Decimal) -> Decimal | None:
    ends = [Decimal(str(inclusive))] if inclusive is not None else []
    ends += [Decimal(str(exclusive)) + step] if exclusive is not None else []
    if not ends:
        return None
    return max(ends) if step > 0 else min(ends)


def _multiples(form: Any, low: Decimal, high: Decimal, unit: Decimal, path: str) -> Rule:
    first, last = -(-low // unit), high // unit
    # division of Decimals cuts towards zero, not down
    if -(-low // unit) * unit < low:
        first += 1
    if first > last:
        raise RecordRefused(
            f"cannot draw {path}: no multiple of {unit} lies between {low} and {high}"
        )
    numbers = between(int(first), int(last))
    return computed(lambda bits: form(numbers.one(bits) * unit))


def _time_range(form: object, limits: Limits) -> Rule:
    if form is timedelta:
        return between(limits.ge or timedelta(minutes=1), limits.le or timedelta(days=7))
    step: Any = timedelta(days=1) if form is date else timedelta(seconds=1)
    low: Any = _START if form is datetime else _START.date()
    high: Any = _END if form is datetime else _END.date()
    least, greatest = limits.ge, limits.le
    if least is None and limits.gt is not None:
        least = limits.gt + step
    if greatest is None and limits.lt is not None:
        greatest = limits.lt - step
    # a limit without a zone can only be compared with moments without one
    if form is datetime and any(t is not None and t.tzinfo is None for t in (least, greatest)):
        low, high = low.replace(tzinfo=None), high.replace(tzinfo=None)
    if greatest is not None:
        low = min(low, greatest)
    if least is not None:
        low = least
    high = greatest if greatest is not None else max(high, low)
    return between(low, high)


def _text(limits: Limits, path: str) -> Rule:
    if limits.pattern is not None:
        rule = pattern(limits.pattern)
        return Checked(rule, limits, path) if limits.is_of_length else rule
    if not limits.is_of_length:
        return Composed(_word, 2, *[len(words.SYLLABLES)] * 3)
    low, high = lengths(limits, 4, 12)
    return computed(lambda bits: _letters(bits, bits.between(low, high)))


def _word(parts: int, a: int, b: int, c: int) -> str:
    table = words.SYLLABLES
    return (table[a] + table[b] + (table[c] if parts else "")).capitalize()


def _letters(bits: Bits, length: int) -> str:
    text = ""
    while len(text) < length:
        text += words.SYLLABLES[bits.below(len(words.SYLLABLES))]
    return text[:length].capitalize()


def _path(kind: type[PurePath]) -> Rule:
    towns, nouns = words.TOWNS, words.NOUNS
    return Composed(
        lambda p, n: kind(f"{towns[p].lower()}/{nouns[n].lower()}.csv"), len(towns), len(nouns)
    )


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


def _typed_text(form: object) -> Rule | None:
    """Types of other libraries that are known by their names: UUIDs, texts that must be an address,
    secrets.
    """
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
