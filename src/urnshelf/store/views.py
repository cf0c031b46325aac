"""Views: the stored records of one type as readings and tests see them, copied on their way in and
out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import islice
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description
from urnshelf.records.display import show
from urnshelf.store.comparisons import condition_of
from urnshelf.store.conditions import AllOf, Condition, Predicate
from urnshelf.store.definition import unknown_field
from urnshelf.store.queries import Query
from urnshelf.store.rows import Rows

if TYPE_CHECKING:
    from urnshelf.store.stored import Store

T = TypeVar("T")


class View(Generic[T]):
    """All records of one type, or those of them that some conditions let through.

    Records go in and come out as copies, as from a database, so that a change shows only once it is
    saved.

    Args:
        rows: where they are stored.
        store: the records of the other types.
        seen: what a record must fulfil to be seen through this view; nothing for all.
    """

    def __init__(self, rows: Rows, store: Store, seen: tuple[Condition, ...] = ()) -> None:
        self.stored = rows
        self.copies: Callable[[Iterable[T]], list[T]] = rows.definition.copies
        self._store = store
        self._seen = seen
        self._sees = AllOf(seen).test() if seen else None

    def get(self, key: object) -> T:
        """A copy of the record with this key; raises RecordMissing, or the exception that was told
        to `define`.

        Args:
            key: a tuple where the key is made of several fields.
        """
        found = self.find(key)
        if found is None:
            raise self.missing_error(key)
        return found

    def find(self, key: object) -> T | None:
        """A copy of the record with this key, or None."""
        row = self._row(key)
        return None if row is None else self.copies((row,))[0]

    def add(self, record: T) -> T:
        """Store a copy of a new record; an empty key is assigned, on the given record too, when it
        can be changed.

        Returns:
            A copy of what was stored.

        Raises:
            RecordRefused: not a record of this type, or the key is taken; for the latter, and for a
                unique field that is taken, the exception told to `define`.
        """
        self._check(record)
        return self._as_before_unless(record, lambda: self._put(*self._new(record)))

    def take(self, record: T, is_own: bool = False) -> T:
        """Store a new record of this type, which was drawn or read.

        Args:
            record: it is given back, with its key.
            is_own: whether nobody else has it or a part of it, so that no copy need be made.
        """

        def taken() -> T:
            key, mine = self._new(record)
            self._check_stored(mine)
            self.stored.put(key, mine if is_own else self.copies((mine,))[0])
            return mine

        return self._as_before_unless(record, taken)

    def take_all(self, records: list[T], is_own: bool = False) -> bool:
        """Store new records at once, where only their keys need be looked at.

        Args:
            records: drawn or read.
            is_own: whether nobody else has them, so that no copies need be made.

        Returns:
            Whether that was done; where some of them meet, or more is asked of them, nothing is.
        """
        definition = self.stored.definition
        if definition.references or self._sees is not None or definition.key is None:
            return False
        return self.stored.put_all(records, list if is_own else self.copies)

    def _new(self, record: T) -> tuple[Any, T]:
        """A new record with its key, which nobody else has."""
        record, key = self.stored.with_key(record)
        if self.stored.has(key):
            raise self.stored.definition.duplicate(
                key,
                f"a {self.name} with {self._worded(key)} is there already: "
                f"{show(self.stored.by_key[key])}",
            )
        return key, record

    def save(self, record: T) -> T:
        """Store a copy of a record, new or changed.

        Raises:
            RecordOutdated: the record has a version, and another saving counted it up since this
                one was read.
        """
        self._check(record)
        self.need_key("saved")
        return self._as_before_unless(record, lambda: self._saved(record))

    def _saved(self, record: T) -> T:
        record, key = self.stored.with_key(record)
        known = self.stored.by_key.get(key)
        # what is not seen must not be overwritten unseen
        if known is not None and not self._shows(key, known):
            raise RecordRefused(
                f"the {self.name} with {self._worded(key)} is not seen from here, so it cannot be "
                "saved"
            )
        if known is not None and self.stored.definition.version:
            record = self._next_version(record, known, key, self.stored.definition.version)
        return self._put(key, record)

    def _as_before_unless(self, record: T, store: Callable[[], T]) -> T:
        """What storing a record gives; one that is refused has no key that it had not before."""
        if self.stored.key_of(record) is not None or self.described.is_frozen:
            return store()
        before = {name: self.stored.fetch(record, name) for name in self.key_fields}
        try:
            return store()
        except BaseException:
            self.described.changed(record, before)
            raise

    def remove(self, key: object) -> bool:
        """Take the record with this key away; whether there was one."""
        row = self._row(key)
        if row is None:
            return False
        # asked before anything is changed
        self._store.check_unreferenced(self.stored.definition, key)
        self.stored.drop(key)
        return True

    def where(self, *conditions: Condition | Callable[[T], object], **fields: object) -> Query[T]:
        """A query: the records that fulfil these conditions, in order of key.

        Args:
            conditions: comparisons such as `column("depth_m") >= 4`; as a last resort a function of
                the record.
            fields: a field and the value it must have.
        """
        return Query[T](self, AllOf(()), ()).where(*conditions, **fields)

    def count(self) -> int:
        """How many records there are."""
        if self._sees is None and self.stored.limited is None:
            return len(self.stored.by_key)
        return len(self.rows(AllOf(())))

    def all(self) -> list[T]:
        """Copies of all of them, in order of key."""
        return self.copies(self.rows(AllOf(())))

    @property
    def record_type(self) -> type[T]:
        """The records' class."""
        return self.stored.definition.record_type

    @property
    def name(self) -> str:
        """The record type's name."""
        return self.stored.definition.name

    @property
    def table_name(self) -> str:
        """What SQL calls the table."""
        return self.stored.definition.table_name

    @property
    def key(self) -> str | None:
        """The field that is the primary key alone."""
        return self.stored.definition.key

    @property
    def key_fields(self) -> tuple[str, ...]:
        """The fields of the primary key."""
        return self.stored.definition.key_fields

    @property
    def fields(self) -> tuple[str, ...]:
        """The names of the records' fields."""
        return self.described.names

    @property
    def described(self) -> Description:
        """The records' description."""
        return self.stored.definition.described

    def need_key(self, done: str) -> None:
        """Refuse what needs a key, for records without one: a second one would be made silently."""
        if not self.stored.definition.key_fields:
            raise RecordRefused(
                f"{self.stored.definition.without_key}; until then nothing can be {done} by its key"
            )

    def key_of(self, record: T) -> Any:
        """The record's key; None where it is empty."""
        return self.stored.key_of(record)

    def check_path(self, path: str) -> str:
        """The path itself; raises RecordRefused where the records have no such field."""
        first = path.partition(".")[0]
        if first not in self.fields:
            raise RecordRefused(unknown_field(self.name, first, self.fields))
        return path

    def rows(self, condition: AllOf) -> list[T]:
        """The stored records that fulfil the condition, in order of key; not copies."""
        if self._seen or Predicate in map(type, condition.parts):
            condition = AllOf((*self._seen, *map(self._safe, condition.parts)))
        stored, limited = self.stored.by_key, self.stored.limited
        keys = self.stored.finding.candidates(condition) if condition.parts else self.stored.keys()
        shown = keys if limited is None else [key for key in keys if key in limited]
        found = list(map(stored.__getitem__, shown))
        return condition.chosen(found) if condition.parts else found

    def first_rows(self, condition: AllOf, most: int) -> list[T]:
        """The first so many of them; the others are not looked at."""
        if self._seen or Predicate in map(type, condition.parts):
            condition = AllOf((*self._seen, *map(self._safe, condition.parts)))
        stored, limited = self.stored.by_key, self.stored.limited
        keys = self.stored.finding.first(condition)
        test = condition.test() if condition.parts else None
        rows = (stored[key] for key in keys if limited is None or key in limited)
        return list(islice((row for row in rows if test is None or test(row)), most))

    def in_order_of_arrival(self) -> list[T]:
        """The stored records in the order in which they came; not copies."""
        stored = self.stored
        return [
            stored.by_key[key]
            for key in stored.by_arrival()
            if self._shows(key, stored.by_key[key])
        ]

    def remove_rows(self, rows: Sequence[T]) -> int:
        """Take these stored records away."""
        keys = (
            # without a key of their own, records are known by which object they are
            {id(row): key for key, row in self.stored.by_key.items()} if not self.key_fields else {}
        )
        for row in rows:
            self.remove(keys.get(id(row), self.stored.key_of(row)))
        return len(rows)

    def changed(self, record: T, values: dict[str, Any]) -> T:
        """The record with these field values: itself, or where it is frozen a copy."""
        for field in values:
            self.stored.definition.known(field)
        return self.stored.changed(record, values)  # type: ignore[no-any-return]

    def missing_error(self, key: object) -> BaseException:
        """The error for a key that no record has."""
        known = [
            show(k, 20) for k, row in list(self.stored.by_key.items())[:9] if self._shows(k, row)
        ]
        more = ", …" if len(known) > 8 else ""
        is_ours = not self.stored.definition.has_own_missing
        hint = (
            f" (shelf.define({self.name}, missing=…) makes this your own exception)"
            if is_ours
            else ""
        )
        return self.stored.definition.missing(
            key,
            f"no {self.name} has {self._worded(key)}; on the shelf: "
            f"{', '.join(known[:8]) or 'none'}{more}{hint}",
        )

    def through(
        self, *conditions: Condition | Query[T] | Callable[[T], object], **fields: object
    ) -> View[T]:
        """The same records, of which only those are seen that fulfil more conditions, or that a
        query finds.
        """
        flat: list[Any] = []
        for one in conditions:
            if isinstance(one, Query) and one.is_paged:
                raise RecordRefused(
                    f"{one}: a view sees all that fulfil its conditions, so it takes no limit"
                )
            flat += one.conditions if isinstance(one, Query) else [one]
        more = condition_of(flat, fields)
        for part in more:
            for path in part.fields:
                self.check_path(path)
        return View(self.stored, self._store, (*self._seen, *(self._safe(part) for part in more)))

    def _row(self, key: object) -> Any:
        try:
            row = self.stored.by_key.get(key)
        except TypeError:
            raise RecordRefused(
                f"{show(key)} cannot be a key of {self.name}: it can change"
            ) from None
        if (
            row is None
            or (self._sees is None and self.stored.limited is None)
            or self._shows(key, row)
        ):
            return row
        return None

    def _shows(self, key: object, row: object) -> bool:
        if self.stored.limited is not None and key not in self.stored.limited:
            return False
        return self._sees is None or bool(self._sees(row))

    def _check_stored(self, record: T) -> None:
        if self.stored.definition.references:
            self._store.check_references(self.stored.definition, self.stored, record)
        # a record that vanishes as it is stored would be a silent failure
        if self._sees is not None and not self._sees(record):
            raise RecordRefused(
                f"{show(record)} would not be seen from here ({AllOf(self._seen)}), so it is not "
                "stored"
            )

    def _put(self, key: object, record: T) -> T:
        self._check_stored(record)
        # one copy for the shelf, one for the caller: neither can change the other's
        mine, theirs = self.copies((record, record))
        self.stored.put(key, mine)
        return theirs

    def _next_version(self, record: T, known: object, key: object, field: str) -> T:
        mine, theirs = self.stored.fetch(record, field), self.stored.fetch(known, field)
        if mine != theirs:
            raise self.stored.definition.outdated(
                key,
                f"the {self.name} with {self._worded(key)} was changed since it was read: its "
                f"{field} is {show(theirs)}, "
                f"the record to be saved has {show(mine)}",
            )
        newer: T = self.stored.changed(record, {field: (theirs or 0) + 1})
        return newer

    def _worded(self, key: object) -> str:
        fields = self.key_fields or ("key",)
        values = (
            key
            if isinstance(key, tuple) and len(fields) == len(key) and len(fields) > 1
            else (key,)
        )
        return " and ".join(f"{f}={show(v)}" for f, v in zip(fields, values, strict=False))

    def _check(self, record: object) -> None:
        if not self.described.fits(record):
            raise RecordRefused(f"{show(record)} is a {type(record).__name__}, not a {self.name}")

    def _safe(self, part: Condition) -> Condition:
        return part.with_copies(self.copies) if isinstance(part, Predicate) else part
