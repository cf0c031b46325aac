"""Edge records: those few at which code breaks, a field at its edge in each, and what it is."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from math import inf
from typing import Any, Generic, NamedTuple, TypeVar, overload
from uuid import UUID

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description, Field
from urnshelf.records.fit import misfit
from urnshelf.types.limits import Limits
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node
from urnshelf.urn.by_name import rule_for
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.safe_rules import Safe

T = TypeVar("T")

_LONG = 1000
"""So long a text is that has no limit."""
_MANY = 100
"""So many items a list has that has no limit."""
_REMEMBERED = 20_000
_DIGITS = 18


class Edge(NamedTuple):
    """A value at an edge, and what it is called."""

    what: str
    value: Any


class Edges(Sequence[T], Generic[T]):
    """Records, in each of which one field is at an edge.

    Args:
        records: in the order of the fields.
        told: what each is: `length_m is the greatest`.
    """

    def __init__(self, records: Sequence[T], told: Sequence[str]) -> None:
        self._records = list(records)
        self.told = tuple(told)
        """What each is."""
        for record, what in zip(self._records, self.told, strict=True):
            _TOLD[id(record)] = record, what
        while len(_TOLD) > _REMEMBERED:
            _TOLD.popitem(last=False)

    @overload
    def __getitem__(self, at: int) -> T: ...
    @overload
    def __getitem__(self, at: slice) -> list[T]: ...
    def __getitem__(self, at: int | slice) -> T | list[T]:
        return self._records[at]

    def __len__(self) -> int:
        return len(self._records)

    def __repr__(self) -> str:
        return "\n".join([f"{len(self)} edges:", *(f"  {what}" for what in self.told)])


_TOLD: OrderedDict[int, tuple[object, str]] = OrderedDict()
"""What an edge record is, by its identity; it is kept alive here, so that no other has that."""


def edge_told(record: object) -> str | None:
    """What an edge record is; None for any other.

    >>> edge_told(3) is None
    True
    """
    known = _TOLD.get(id(record))
    return known[1] if known is not None and known[0] is record else None


def edges_of(
    record: Description, left_out: Sequence[str], draw: Callable[[dict[str, Any]], Any]
) -> Edges[Any]:
    """The edge records of a type.

    Args:
        record: the type.
        left_out: fields that were told, or refer to other records.
        draw: draws a record with some fields told.
    """
    fields = {name: one for name, one in record.given.items() if name not in left_out}
    found: list[Any] = []
    told: list[str] = []
    for what, values in (*_one_by_one(fields), *_together(fields)):
        try:
            found.append(draw(values))
        except RecordRefused:
            continue  # its own validation refuses the value: no code ever meets it
        told.append(what)
    return Edges(found, told)


def _one_by_one(fields: Mapping[str, Field]) -> Iterator[tuple[str, dict[str, Any]]]:
    for name, field in fields.items():
        if field.node.optional:
            yield f"{name} is None", {name: None}
        seen: list[str] = []
        for edge in _of_field(field):
            key = f"{type(edge.value).__name__} {edge.value!r}"
            if key not in seen and _fits(edge.value, field):
                seen.append(key)
                yield f"{name} is {edge.what}", {name: edge.value}


def _together(fields: Mapping[str, Field]) -> Iterator[tuple[str, dict[str, Any]]]:
    """Odd texts, in all fields at once that take them."""
    free = [one for one in fields.values() if one.node.bare is str and not _is_named(one)]
    for what, text in _TEXTS:
        values: dict[str, Any] = {}
        for field in free:
            least = field.limits.min_length or 0
            longer = text + "a" * (least - len(text))
            if field.limits.choices is None and _fits(longer, field):
                values[field.name] = longer
        if values:
            yield f"texts {what}", values


def _is_named(field: Field) -> bool:
    """Whether no text but one of its own kind may stand there: an address, say."""
    return isinstance(rule_for(field.name, str, {}), Safe)


def _of_field(field: Field) -> Iterator[Edge]:
    if field.node.bare is str and field.limits.choices is None and _is_named(field):
        rule: Any = rule_for(field.name, str, {})
        yield from _shortest_and_longest(rule.narrowed(field.limits) or rule)
        return
    yield from _of_type(field.node, field.limits)


def _fits(value: Any, field: Field) -> bool:
    limits = field.limits
    if not limits.allow(value):
        return False
    is_bound = isinstance(value, (int, float, Decimal, date, time, timedelta))
    if is_bound and not isinstance(value, bool) and limits.bounds and not limits.bound(value):
        return False
    return misfit(value, field.node) is None


def _of_type(node: Node, limits: Limits) -> Iterator[Edge]:
    if limits.choices is not None:
        yield from (Edge(repr(one), one) for one in limits.choices)
        return
    if node.is_enum or node.kind is Kind.LITERAL:
        several = list(node.bare) if node.is_enum else list(node.values)
        yield from (Edge(str(getattr(one, "name", one)), one) for one in several)
        return
    if node.kind is Kind.UNION:
        for one in node.args:
            yield from _of_type(one, limits)
        return
    if node.kind is Kind.ITEMS:
        yield from _items(node, limits)
        return
    if node.kind is Kind.MAPPING:
        yield Edge("empty", MAPPING_TYPES[node.origin]([]))
        return
    make = _BY_TYPE.get(node.bare)
    if make is not None:
        yield from make(limits)


def _items(node: Node, limits: Limits) -> Iterator[Edge]:
    make = ITEM_TYPES[node.origin]
    yield Edge("empty", make([]))
    item = next(_of_type(node.item, Limits()), None)
    if item is None or make not in (list, tuple):
        return
    for what, length in _lengths(limits, _MANY, "item"):
        yield Edge(what, make([item.value] * length))


# --- numbers --------------------------------------------------------------------------------------


def _whole(limits: Limits) -> Iterator[Edge]:
    low, high = limits.whole()
    yield from _bounds(low, high, 1)
    yield from (Edge("zero", 0), Edge("negative", -1))
    yield Edge("very great", 2**63 - 1)


def _bounds(low: Any, high: Any, step: Any) -> Iterator[Edge]:
    """Both bounds, and one inside of each."""
    if low is not None:
        yield from (Edge("the least", low), Edge("one above the least", low + step))
    if high is not None:
        yield from (Edge("one below the greatest", high - step), Edge("the greatest", high))


def _finite(value: Any) -> Any:
    return None if value in (inf, -inf) else value


def _real(limits: Limits) -> Iterator[Edge]:
    low = _finite(limits.ge if limits.gt is None else limits.gt + 0.01)
    high = _finite(limits.le if limits.lt is None else limits.lt - 0.01)
    least, most = (None if end is None else float(end) for end in (low, high))
    yield from _bounds(least, most, 0.01)
    yield from (Edge("zero", 0.0), Edge("negative", -0.5), Edge("less than a cent", 0.001))
    yield Edge("very great", 1e15)


def _amount(limits: Limits) -> Iterator[Edge]:
    places = 2 if limits.decimal_places is None else limits.decimal_places
    step = Decimal(1).scaleb(-places)
    low = limits.ge if limits.gt is None else Decimal(str(limits.gt)) + step
    high = limits.le if limits.lt is None else Decimal(str(limits.lt)) - step
    least, most = (None if end is None else Decimal(str(end)) for end in (low, high))
    yield from _bounds(least, most, step)
    yield from (Edge("zero", Decimal(0).scaleb(-places)), Edge("the smallest", step))
    yield Edge("negative", -step)
    digits = min(limits.max_digits or _DIGITS, _DIGITS)
    yield Edge("very great", Decimal(10**digits - 1).scaleb(-places))
    if limits.decimal_places is None:
        yield Edge("a third of a cent", Decimal("0.003"))


# --- texts ----------------------------------------------------------------------------------------


def _lengths(limits: Limits, usual: int, what: str) -> Iterator[tuple[str, int]]:
    least, most = limits.min_length or 0, limits.max_length
    yield (f"of one {what}" if least <= 1 else "the shortest"), max(least, 1)
    if most is None:
        yield "very long", max(usual, least)
    else:
        yield from (("one less than the longest", most - 1), ("the longest", most))


def _text(limits: Limits) -> Iterator[Edge]:
    if limits.pattern is not None:
        from urnshelf.urn.plain_types import text_rule

        yield from _shortest_and_longest(text_rule(limits, "edges"))
        return
    if not limits.min_length:
        yield Edge("empty", "")
    for what, length in _lengths(limits, _LONG, "letter"):
        if length > 0:
            yield Edge(what, "a" * length)


def _shortest_and_longest(rule: Rule) -> Iterator[Edge]:
    """Of the texts that come."""
    found = sorted({str(rule.one(Bits(1, n))) for n in range(200)}, key=lambda one: (len(one), one))
    yield from (Edge("short", found[0]), Edge("long", found[-1]))


_TEXTS = (
    ("of blanks", "   "),
    ("of two lines", "one\ntwo"),
    ("with quotes", 'O\'"Keel"'),
    ("with signs of markup", "<b>&amp;%s{x}\\"),
    ("of other letters", "Søhythe"),
    ("with a combining mark", "e\u0301"),
    ("from right to left", "\u05d0\u05d1\u05d2"),
    ("beyond the first plane", "\U0001f6a2"),
    ("that look like a number", "007"),
)


# --- moments --------------------------------------------------------------------------------------

_DAYS = (
    ("a leap day", date(2028, 2, 29)),
    ("the last of a year", date(2029, 12, 31)),
    ("the first of a year", date(2030, 1, 1)),
    ("far off", date(9999, 12, 31)),
)
_MOMENTS = (
    ("on a leap day", datetime(2028, 2, 29, 12, tzinfo=UTC)),
    ("the last moment of a year", datetime(2029, 12, 31, 23, 59, 59, 999_999, tzinfo=UTC)),
    ("when clocks go forward", datetime(2030, 3, 31, 1, tzinfo=UTC)),
    ("when clocks go back", datetime(2029, 10, 28, 1, tzinfo=UTC)),
    ("far off", datetime(9999, 12, 31, 23, 59, 59, tzinfo=UTC)),
)


def _days(limits: Limits) -> Iterator[Edge]:
    day = timedelta(days=1)
    low = limits.ge if limits.gt is None else limits.gt + day
    high = limits.le if limits.lt is None else limits.lt - day
    yield from _bounds(low, high, day)
    yield from (Edge(what, value) for what, value in _DAYS)


def _moments(limits: Limits) -> Iterator[Edge]:
    told = [one for one in (limits.ge, limits.gt, limits.le, limits.lt) if one is not None]
    step = timedelta(microseconds=1)
    low = limits.ge if limits.gt is None else limits.gt + step
    high = limits.le if limits.lt is None else limits.lt - step
    yield from _bounds(low, high, step)
    is_naive = any(one.tzinfo is None for one in told)
    for what, moment in _MOMENTS:
        yield Edge(what, moment.replace(tzinfo=None) if is_naive else moment)


def _plain(*edges: tuple[str, Any]) -> Any:
    return lambda _: (Edge(what, value) for what, value in edges)


_BY_TYPE: dict[Any, Any] = {
    bool: _plain(("false", False), ("true", True)),
    int: _whole,
    float: _real,
    Decimal: _amount,
    str: _text,
    bytes: _plain(("empty", b""), ("no text", b"\x00\xff")),
    date: _days,
    datetime: _moments,
    time: _plain(("midnight", time(0)), ("the last of a day", time(23, 59, 59, 999_999))),
    timedelta: _plain(
        ("nothing", timedelta(0)),
        ("a millionth of a second", timedelta(microseconds=1)),
        ("negative", timedelta(days=-1)),
        ("years", timedelta(days=4000)),
    ),
    UUID: _plain(("the least", UUID(int=0)), ("the greatest", UUID(int=(1 << 128) - 1))),
}
