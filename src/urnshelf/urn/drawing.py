"""Drawing records: each field from its type, as a pure function of seed, type, field and index."""

from __future__ import annotations

import dataclasses
import types
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from functools import lru_cache
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

from urnshelf.errors import RecordRefused
from urnshelf.interfaces.hints import hints_of, type_name
from urnshelf.records.shapes import Shape, shape_of
from urnshelf.urn.mixing import Bits, key_of
from urnshelf.urn.words import ADJECTIVES, NOUNS, SYLLABLES

__tracebackhide__ = True  # a failing test shows its own lines, not ours

T = TypeVar("T")
Draw = Callable[[Bits], Any]

_START = datetime(2030, 1, 1, tzinfo=UTC)
_YEARS_S = 5 * 365 * 86_400
_NONE_ONE_IN = 4


class Urn:
    """The seeded source of records.

    The same seed gives the same records, on every machine and in any order; ten and then ninety equal a hundred.

    Args:
        seed: any whole number.

    >>> from urnshelf.demo.harbour import Vessel
    >>> Urn(seed=7).draw(Vessel) == Urn(seed=7).draw(Vessel, 3)[0]
    True
    """

    def __init__(self, seed: int = 0) -> None:
        self.seed = seed
        self._columns_of: dict[type, dict[str, Any]] = {}

    def draw(self, record_type: type[T], n: int | range | None = None, **fields: Any) -> Any:
        """Draw one record, a list of n, or the slice that a range names.

        Args:
            record_type: the records' class.
            n: None for one record, a number for a list, a range of indexes for a slice.
            fields: values that every record gets.

        Raises:
            RecordRefused: a type that cannot be drawn, or a field that the type does not have.
        """
        columns = self._columns(record_type, fields)
        if n is None:
            return _make(record_type, columns, 0)
        return [_make(record_type, columns, i) for i in (n if isinstance(n, range) else range(n))]

    def _columns(self, record_type: Any, given: dict[str, Any]) -> dict[str, Callable[[int], Any]]:
        shape = _shape(record_type, "")
        unknown = [name for name in given if name not in shape.fields]
        if unknown:
            raise RecordRefused(f"{record_type.__name__} has no field {unknown[0]!r}; it has {', '.join(shape.fields)}")
        columns = {name: column for name, column in self._drawn(record_type).items() if name not in given}
        for column in columns.values():
            if isinstance(column, RecordRefused):
                raise RecordRefused(str(column))
        return columns | {field: _constant(value) for field, value in given.items()}

    def _drawn(self, record_type: type) -> dict[str, Any]:
        known = self._columns_of.get(record_type)
        if known is None:
            name = f"{record_type.__module__}.{record_type.__qualname__}"
            draws = field_draws(record_type, record_type.__name__, 0)
            known = {field: _column(draw, key_of(self.seed, name, field)) for field, draw in draws.items()}
            self._columns_of[record_type] = known
        return known


def _column(draw: Draw | RecordRefused, key: int) -> Callable[[int], Any] | RecordRefused:
    return draw if isinstance(draw, RecordRefused) else lambda index: draw(Bits(key, index))


def _constant(value: Any) -> Callable[[int], Any]:
    return lambda _: value


def _make(record_type: type[T], columns: dict[str, Callable[[int], Any]], index: int) -> T:
    return record_type(**{name: column(index) for name, column in columns.items()})


def _shape(record_type: Any, path: str) -> Shape:
    shape = shape_of(record_type) if isinstance(record_type, type) else None
    if shape is None or shape.kind not in ("dataclass", "named tuple"):
        where = f" (at {path})" if path else ""
        raise RecordRefused(f"cannot draw {type_name(record_type)}{where}: dataclasses and named tuples can be drawn")
    return shape


@lru_cache(maxsize=1024)
def field_draws(record_type: type, path: str, depth: int) -> dict[str, Draw | RecordRefused]:
    """How each field of a record type is drawn, or why it cannot be, which matters where no value is given."""
    shape = _shape(record_type, path)
    skipped = {f.name for f in dataclasses.fields(record_type) if not f.init} if shape.kind == "dataclass" else set()
    hints = hints_of(record_type)
    draws: dict[str, Draw | RecordRefused] = {}
    for name in shape.fields:
        if name in skipped:
            continue
        form = hints.get(name, Any)
        try:
            draws[name] = by_name(name, form) or by_type(form, f"{path}.{name}", depth)
        except RecordRefused as refusal:
            draws[name] = refusal
    return draws


def by_name(name: str, form: Any) -> Draw | None:
    """How a field is drawn whose name says more than its type."""
    if name == "id" and int in (form, *get_args(form)):
        return lambda bits: bits.index + 1
    if form is float and name.startswith(("depth", "draught")):
        return lambda bits: bits.between(20, 140) / 10
    if form is float and name.startswith("length"):
        return lambda bits: bits.between(100, 1200) / 10
    if form is not str:
        return None
    if name.endswith("name"):
        return lambda bits: f"{_one_of(bits, ADJECTIVES)} {_one_of(bits, NOUNS)}"
    if name in ("code", "call_sign") or name.endswith("_code"):
        return lambda bits: "".join(chr(65 + bits.below(26)) for _ in range(2)) + f"-{bits.below(10_000):04}"
    return None


def by_type(form: Any, path: str, depth: int) -> Draw:
    """How a value of this type is drawn; raises RecordRefused, with the path, for one that cannot be."""
    simple = _SIMPLE.get(form)
    if simple is not None:
        return simple
    if getattr(form, "__qualname__", "") == "UUID":
        return _uuid
    origin, args = get_origin(form), get_args(form)
    if origin is Union or origin is types.UnionType:
        return _union(args, path, depth)
    if origin is Literal:
        return lambda bits: _one_of(bits, args)
    if origin in (list, set, frozenset) or (origin is tuple and len(args) == 2 and args[1] is ...):
        item = by_type(args[0], f"{path}[]", depth)
        return lambda bits: origin([item(bits) for _ in range(bits.below(4))])
    if isinstance(form, type) and issubclass(form, Enum):
        members = tuple(form)
        return lambda bits: _one_of(bits, members)
    if isinstance(form, type) and shape_of(form) is not None and depth < 4:
        return _nested(form, field_draws(form, path, depth + 1))
    raise RecordRefused(
        f"cannot draw {path}: nothing is known of the type {type_name(form)}; give the value, as in "
        f"stock({path.partition('.')[0]}, 3, {path.partition('.')[2].partition('.')[0] or 'field'}=…)"
    )


def _nested(record_type: type, draws: dict[str, Draw | RecordRefused]) -> Draw:
    for draw in draws.values():
        if isinstance(draw, RecordRefused):
            raise draw
    return lambda bits: record_type(**{name: draw(bits) for name, draw in draws.items()})  # type: ignore[operator]


def _union(args: tuple[Any, ...], path: str, depth: int) -> Draw:
    draws = [by_type(arg, path, depth) for arg in args if arg is not type(None)]
    if type(None) not in args:
        return lambda bits: _one_of(bits, draws)(bits)
    return lambda bits: None if bits.below(_NONE_ONE_IN) == 0 else _one_of(bits, draws)(bits)


def _one_of(bits: Bits, choices: Any) -> Any:
    return choices[bits.below(len(choices))]


def _text(bits: Bits) -> str:
    return "".join(_one_of(bits, SYLLABLES) for _ in range(bits.between(2, 3))).capitalize()


def _moment(bits: Bits) -> datetime:
    return _START + timedelta(seconds=bits.below(_YEARS_S))


def _uuid(bits: Bits) -> Any:
    from uuid import UUID

    return UUID(int=(bits.next() << 64) | bits.next(), version=4)


_SIMPLE: dict[Any, Draw] = {
    bool: lambda bits: bits.below(2) == 1,
    int: lambda bits: bits.between(1, 999),
    float: lambda bits: bits.between(100, 20_000) / 100,
    Decimal: lambda bits: Decimal(bits.between(100, 99_999)).scaleb(-2),
    str: _text,
    bytes: lambda bits: bits.next().to_bytes(8, "little"),
    datetime: _moment,
    date: lambda bits: _moment(bits).date(),
    time: lambda bits: time(bits.below(24), bits.below(60)),
    timedelta: lambda bits: timedelta(minutes=bits.between(1, 10_000)),
    type(None): lambda _: None,
}
