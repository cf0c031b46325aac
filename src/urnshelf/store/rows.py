"""Rows: the stored records of one type by key, with their indexes, constraints and journal."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.store.definition import Definition, of_version
from urnshelf.store.finding import Finding
from urnshelf.store.indexes import HashIndex, is_after
from urnshelf.store.journal import ABSENT, Journal

if TYPE_CHECKING:
    from uuid import UUID

DrawUuid = Callable[[type, int], "UUID"]


class Rows:
    """The stored records of one type.

    Args:
        definition: how they are stored.
        journal: where changes are noted.
        draw_uuid: gives the key of the n-th record whose key is a UUID.
    """

    def __init__(self, definition: Definition, journal: Journal, draw_uuid: DrawUuid) -> None:
        self.definition = definition
        self.by_key: dict[Any, Any] = {}
        self.limited: set[Any] | None = None
        """The keys that a limited shelf shows; None for all."""
        self.fetch: Callable[[Any, str], Any] = definition.described.fetch
        self._journal = journal
        self._draw_uuid = draw_uuid
        self._serial = 0
        self._arrived: dict[Any, int] = {}
        self._arrivals = count()
        self._ordered: list[Any] | None = []
        self.unique = {group: HashIndex(self._group_of(group)) for group in definition.unique}
        self.finding = Finding(self)

    # --- keys -------------------------------------------------------------------------------------

    def key_of(self, record: object) -> Any:
        """The record's key; None where it, or a part of it, is empty."""
        fields = self.definition.key_fields
        if len(fields) == 1:
            value = self.fetch(record, fields[0])
            # by far the most keys: the rest of the way is longer
            if value.__class__ is int and value:
                return value
            nothing = self.definition.nothing
            return None if nothing and value in nothing else value
        values = tuple(self.fetch(record, field) for field in fields)
        return None if not values or None in values else values

    def with_key(self, record: object) -> tuple[Any, Any]:
        """The record and its key; an empty key is assigned, on the given record too when that can
        be changed.
        """
        key = self.key_of(record)
        if key is not None:
            return record, key
        if not self.definition.key_fields:
            return record, self._next_number()
        alone = self.definition.key
        if alone is not None:
            value = self._new_value(record, alone)
            record = self.changed(record, {alone: value})
            return record, value if type(value) is int else self.key_of(record)
        empty = [field for field in self.definition.key_fields if not self.fetch(record, field)]
        if len(empty) > 1:
            raise RecordRefused(
                f"{show(record)} has neither {' nor '.join(empty)}; only one of them can be "
                "assigned"
            )
        # the caller sees the key on his own object, as with a mapper; a frozen one is replaced
        record = self.changed(record, {empty[0]: self._new_value(record, empty[0])})
        return record, self.key_of(record)

    def changed(self, record: object, values: dict[str, Any]) -> Any:
        """The record with these field values: itself, or where it is frozen a copy."""
        return self.definition.described.changed(record, values)

    def _new_value(self, record: object, field: str) -> Any:
        kind = self.definition.kind_of(field)
        if kind in ("uuid", "text"):
            drawn = self._draw_uuid(self.definition.record_type, self._next_number())
            drawn = of_version(drawn, self.definition.described.node_of(field))
            return drawn if kind == "uuid" else str(drawn)
        # with texts as keys there is no next one, and to make one up would be wrong in half of
        # the cases
        taken = [self.fetch(row, field) for row in self.by_key.values()] if not self._serial else []
        if kind == "nothing" or not all(isinstance(value, int) for value in taken):
            raise RecordRefused(
                f"{show(record)} has no {field}, and one can only be assigned where keys are whole "
                "numbers or UUIDs"
            )
        return self._next_number()

    def _next_number(self) -> int:
        self._serial += 1
        return self._serial

    def know_by(self, field: str) -> None:
        """Make a field the key of records that had none.

        Raises:
            RecordRefused: two of those that are there have the same.
        """
        definition = self.definition.with_key(field)
        rows = list(self.by_key.values())
        values = [self.fetch(row, field) for row in rows]
        if len(set(values)) < len(values) or None in values:
            raise RecordRefused(
                f"{field} is no key of {definition.name}: among the records on the shelf it is "
                "empty, or the same twice"
            )
        self.definition = definition
        self.by_key = dict(zip(values, rows, strict=True))
        self._arrived = {key: next(self._arrivals) for key in self.by_key}
        self._ordered = None
        self.finding.forget()
        self.unique = {group: HashIndex(self._group_of(group)) for group in definition.unique}
        for key, row in self.by_key.items():
            self._reindex(key, ABSENT, row)

    def has(self, key: Any) -> bool:
        """Whether there is a record with this key; raises RecordRefused for what is none."""
        try:
            return key in self.by_key
        except TypeError:
            raise RecordRefused(
                f"{show(key)} cannot be a key of {self.definition.name}: it can change"
            ) from None

    def taken(self, record: object) -> tuple[str, ...]:
        """The fields of the key, or those that must be unique, that another record has, too."""
        key = self.key_of(record)
        if key is not None and self.has(key):
            return self.definition.key_fields
        for group, index in self.unique.items():
            value = index.value_of(record)
            if None not in value and index.keys.get(value):
                return group
        return ()

    # --- changes ----------------------------------------------------------------------------------

    def put(self, key: object, row: object) -> None:
        """Store a record under its key; raises the error for a unique field that is taken."""
        before = self.by_key.get(key, ABSENT)
        if self.unique:
            self._check_unique(key, row)
        if self._journal.writing:
            self._journal.note(self, key, before)
        if before is ABSENT:
            self._arrived[key] = next(self._arrivals)
        self._replace(key, before, row)
        if self.limited is not None:
            self.limited.add(key)
        number = key[-1] if isinstance(key, tuple) and key else key
        # a key that was once used is not given again, even after its record is gone
        if isinstance(number, int) and number > self._serial:
            self._serial = number

    def put_all(self, records: list[Any], copies: Callable[[list[Any]], list[Any]]) -> bool:
        """Store copies of new records with a key of one field, none of which meets another.

        Returns:
            Whether none does, and all were stored; else nothing is changed.
        """
        [field] = self.definition.key_fields
        keys = self._keys_of(records, field)
        is_plain = not (self.unique or self.finding.indexes or self.limited is not None)
        if None in keys and keys.count(None) == len(keys) and self._counts(field):
            keys = list(range(self._serial + 1, self._serial + len(keys) + 1))
            if is_plain and not self.by_key.keys() & keys:
                records[:] = self.definition.described.numbered(records, field, keys)
        try:
            different = set(keys)
        except TypeError:  # told where each is looked at alone
            return False
        if not is_plain or None in different or len(different) < len(keys):
            return False
        if not self.by_key.keys().isdisjoint(different):
            return False
        if self._journal.writing:
            self._journal.note_new(self, keys)
        self._arrived.update(zip(keys, self._arrivals, strict=False))
        self.by_key.update(zip(keys, copies(records), strict=True))
        self._ordered = None
        self.finding.changed()
        self._serial = max([self._serial, *[key for key in keys if isinstance(key, int)]])
        return True

    def _keys_of(self, records: list[Any], field: str) -> list[Any]:
        fetch = self.fetch
        keys = [fetch(record, field) for record in records]
        kinds = set(map(type, keys))
        # whole numbers are by far the most, and none of them is an empty key but 0
        is_plain = kinds == {type(None)} or (kinds == {int} and 0 not in keys)
        return keys if is_plain else list(map(self.key_of, records))

    def _counts(self, field: str) -> bool:
        """Whether its empty keys are numbered, which only whole numbers are."""
        if self.definition.kind_of(field) != "number":
            return False
        return bool(self._serial) or not self.by_key

    def drop(self, key: object) -> None:
        """Take a stored record away."""
        if self._journal.writing:
            self._journal.note(self, key, self.by_key[key])
        self._replace(key, self.by_key[key], ABSENT)

    def restore(self, key: object, row: object) -> None:
        """Put back what was there before a change."""
        self._replace(key, self.by_key.get(key, ABSENT), row)

    def _replace(self, key: object, before: object, row: object) -> None:
        if self.finding.indexes or self.unique:
            self._reindex(key, before, row)
        self.finding.changed()
        if row is ABSENT:
            del self.by_key[key]
            self._ordered = None
            return
        if (
            before is ABSENT
            and self._ordered is not None
            and (not self._ordered or is_after(key, self._ordered[-1]))
        ):
            # keys mostly come in order: then nothing need be sorted
            self._ordered.append(key)
        elif before is ABSENT:
            self._ordered = None
        self.by_key[key] = row

    def _reindex(self, key: object, before: object, row: object) -> None:
        for path, index in [*self.finding.indexes.items(), *self.unique.items()]:
            try:
                if before is not ABSENT:
                    index.remove(key, before)
                if row is not ABSENT:
                    index.add(key, row)
            except TypeError:  # a value that cannot be hashed: no index for this field, ever
                if isinstance(path, str):
                    self.finding.forget_index(path)

    def _check_unique(self, key: object, row: object) -> None:
        for group, index in self.unique.items():
            value = index.value_of(row)
            # as in SQL, None is not equal to None, so any number of records may have it
            taken = [] if None in value else [k for k in index.keys.get(value, ()) if k != key]
            if taken:
                values = " and ".join(f"{field}={show(self.fetch(row, field))}" for field in group)
                raise self.definition.duplicate(
                    value if len(group) > 1 else value[0],
                    f"a {self.definition.name} with {values} is there already: "
                    f"{show(self.by_key[taken[0]])}",
                )

    def _group_of(self, group: tuple[str, ...]) -> Callable[[Any], tuple[Any, ...]]:
        return lambda row: tuple(self.fetch(row, field) for field in group)

    # --- finding ----------------------------------------------------------------------------------

    def keys(self) -> list[Any]:
        """In order, as databases return rows unasked; in order of arrival when keys do not
        compare.
        """
        if self._ordered is None:
            try:
                self._ordered = sorted(self.by_key)
            except TypeError:
                return list(self.by_key)
        return self._ordered

    def by_arrival(self) -> list[Any]:
        """The keys in the order in which their records came, also where some were taken away and
        put back since.
        """
        return sorted(self.by_key, key=self._arrived.__getitem__)
