"""Tables: the records of one type, by key, copied on their way in and out."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, Generic, TypeVar

from urnshelf.errors import RecordMissing, RecordRefused
from urnshelf.records.copies import keep
from urnshelf.records.display import show
from urnshelf.records.equality import same
from urnshelf.records.keys import key_name
from urnshelf.records.shapes import Shape, storage_shape

__tracebackhide__ = True  # a failing test shows its own lines, not ours

T = TypeVar("T")


class Table(Generic[T]):
    """The records of one type.

    Records go in and come out as copies, as from a database, so that a change shows only once it is saved.

    Args:
        record_type: the records' class.
        key: the name of the field that is the primary key; found by its name when not given.
        missing: the exception that looking for a missing key raises.
    """

    def __init__(
        self,
        record_type: type[T],
        key: str | None = None,
        missing: Callable[[str], Exception] = RecordMissing,
    ) -> None:
        shape = storage_shape(record_type) if isinstance(record_type, type) else None
        if shape is None:
            raise RecordRefused(f"{show(record_type)} is no record type: a dataclass, for example, is one")
        self.record_type = record_type
        self.shape: Shape = shape
        self.key = key_field(record_type, shape) if key is None else self._known(key)
        self._missing = missing
        self._rows: dict[Any, T] = {}
        self._read: Callable[[Any, str], Any] = dict.get if shape.kind == "typed dictionary" else _attribute
        self._copy: Callable[[T], T] = _COPIERS.get(shape.kind, keep)

    def get(self, key: Any) -> T:
        """A copy of the record with this key; raises RecordMissing, or the exception that was told to `define`."""
        found = self.find(key)
        if found is None:
            raise self.missing_error(key)
        return found

    def find(self, key: Any) -> T | None:
        """A copy of the record with this key, or None."""
        row = self._rows.get(key)
        return None if row is None else self._copy(row)

    def add(self, record: T) -> T:
        """Store a copy of a new record; an empty key is assigned, on the given record too, when it can be changed.

        Returns:
            A copy of what was stored.

        Raises:
            RecordRefused: not a record of this type, or the key is taken.
        """
        self._check(record)
        key = self.key_of(record)
        if key is None:
            record = self._numbered(record)
            key = self.key_of(record)
        if key in self._rows:
            raise RecordRefused(f"a {self.name} with {self.key}={show(key)} is there already: {show(self._rows[key])}")
        self._rows[key] = self._copy(record)
        return self._copy(record)

    def save(self, record: T) -> T:
        """Store a copy of a record, new or changed."""
        self._check(record)
        key = self.key_of(record)
        if key is None:
            return self.add(record)
        self._rows[key] = self._copy(record)
        return self._copy(record)

    def remove(self, key: Any) -> bool:
        """Take the record with this key away; whether there was one."""
        return self._rows.pop(key, None) is not None

    def where(self, **fields: Any) -> list[T]:
        """Copies of the records whose fields have these values, in order of key."""
        for name in fields:
            self._known(name)
        wanted = list(fields.items())
        rows = self._ordered()
        for name, value in wanted:
            rows = [row for row in rows if same(value, self._read(row, name))]
        return [self._copy(row) for row in rows]

    def count(self) -> int:
        """How many records there are."""
        return len(self._rows)

    __len__ = count

    def __iter__(self) -> Iterator[T]:
        return iter([self._copy(row) for row in self._ordered()])

    def __repr__(self) -> str:
        return f"<{self.count()} {self.name} records>"

    @property
    def name(self) -> str:
        """The record type's name."""
        return self.record_type.__name__

    def missing_error(self, key: Any) -> Exception:
        """The error for a key that no record has."""
        known = ", ".join(show(k, 20) for k in list(self._rows)[:8]) or "none"
        more = ", …" if len(self._rows) > 8 else ""
        hint = f" (shelf.define({self.name}, missing=…) makes this your own exception)"
        return self._missing(
            f"no {self.name} has {self.key or 'key'}={show(key)}; on the shelf: {known}{more}"
            + (hint if self._missing is RecordMissing else "")
        )

    def _ordered(self) -> list[T]:
        """In order of key, as databases return rows unasked; in order of arrival when keys do not compare."""
        try:
            return [self._rows[key] for key in sorted(self._rows)]
        except TypeError:
            return list(self._rows.values())

    def key_of(self, record: T) -> Any:
        """The record's key; the next number, for records without a key."""
        if self.key is None:
            return len(self._rows) + 1
        return self._read(record, self.key)

    def _numbered(self, record: T) -> T:
        numbers = [k for k in self._rows if isinstance(k, int)]
        if len(numbers) != len(self._rows):
            raise RecordRefused(
                f"{show(record)} has no {self.key}, and one can only be assigned where keys are whole numbers"
            )
        number = max(numbers, default=0) + 1
        assert self.key is not None
        if self.shape.frozen:
            record = self._copy(record)
            copy = object.__new__(type(record))
            for field in self.shape.fields:
                object.__setattr__(copy, field, getattr(record, field))
            record = copy
        if isinstance(record, dict):
            record[self.key] = number
        elif self.shape.frozen:
            object.__setattr__(record, self.key, number)
        else:
            setattr(record, self.key, number)
        return record

    def _check(self, record: Any) -> None:
        wanted = dict if self.shape.kind == "typed dictionary" else self.record_type
        if not isinstance(record, wanted):
            raise RecordRefused(f"{show(record)} is a {type(record).__name__}, not a {self.name}")

    def _known(self, field: str) -> str:
        if field not in self.shape.fields:
            raise RecordRefused(
                f"{self.record_type.__name__} has no field {field!r}; it has {', '.join(self.shape.fields)}"
            )
        return field


def _attribute(record: Any, name: str) -> Any:
    return getattr(record, name, None)


def _copy_plain(record: Any) -> Any:
    copy = object.__new__(type(record))
    copy.__dict__.update({name: keep(value) for name, value in vars(record).items()})
    return copy


def _copy_mapped(record: Any) -> Any:
    """A new object of a mapped class with the same column values, in no session."""
    loaded = {name: value for name, value in vars(record).items() if not name.startswith("_")}
    return type(record)(**{name: keep(value) for name, value in loaded.items()})


_COPIERS: dict[str, Callable[[Any], Any]] = {"plain": _copy_plain, "mapped": _copy_mapped}


def key_field(record_type: type, shape: Shape) -> str | None:
    """The field that is the primary key, by its name."""
    return _key_name(record_type.__name__, shape.fields)


_key_name = lru_cache(maxsize=4096)(key_name)


class Store:
    """The tables of one shelf."""

    def __init__(self) -> None:
        self._tables: dict[type, Table[Any]] = {}

    def table(self, record_type: type[T]) -> Table[T]:
        """The table of this record type, made when first asked for."""
        table = self._tables.get(record_type)
        if table is None:
            table = self._tables[record_type] = Table(record_type)
        return table

    def known(self, record_type: type[T]) -> list[T]:
        """The records of this type; none when it has no table yet."""
        return list(self._tables[record_type]) if record_type in self._tables else []

    def define(self, record_type: type[T], key: str | None, missing: Callable[[str], Exception] | None) -> None:
        """Say how a type is stored; before its first record."""
        if record_type in self._tables and self._tables[record_type].count():
            raise RecordRefused(f"define({record_type.__name__}) must come before the first record of that type")
        self._tables[record_type] = Table(record_type, key, missing or RecordMissing)
