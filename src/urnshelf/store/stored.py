"""The store: the records of all types of one shelf."""

from __future__ import annotations

import threading
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, TypeVar, cast

from urnshelf.errors import OverFakesOnly, RecordRefused, ReferenceRefused
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.records.display import show
from urnshelf.records.recognising import describe, description_of
from urnshelf.store.definition import Definition, described_links, plain_definition
from urnshelf.store.journal import Journal
from urnshelf.store.parents import Parents
from urnshelf.store.queries import Query
from urnshelf.store.rows import DrawUuid, Rows
from urnshelf.store.tables import Table
from urnshelf.store.views import View

if TYPE_CHECKING:
    from urnshelf.store.carried import Carrier

T = TypeVar("T")


def _flat(records: Iterable[Any]) -> Iterator[Any]:
    for record in records:
        if isinstance(record, (list, tuple, Query, Table)) and describe(type(record)) is None:
            yield from record
        else:
            yield record


class Store:
    """The tables of one shelf.

    Args:
        draw_uuid: gives the n-th key of a type whose keys are UUIDs.
    """

    def __init__(self, draw_uuid: DrawUuid) -> None:
        self.journal = Journal()
        self.lock = threading.RLock()
        self.version = 0
        """How often it was told how records are stored."""
        self._draw_uuid = draw_uuid
        self._views: dict[type, View[Any]] = {}
        self._known_by: dict[type, tuple[str, str]] = {}
        self._of_interfaces: dict[Any, type] = {}
        self._unchecked: list[tuple[Definition, Rows, Any]] | None = None
        self.carriers: dict[type, Carrier] = {}
        """What carries the records of a type to a real store, and back."""
        self.told: list[type] = []
        """The types of which it was told how their records are stored."""

    def view(self, record_type: type[T]) -> View[T]:
        """All records of this type."""
        view = self._views.get(record_type)
        return self._new_view(plain_definition(cast(Any, record_type))) if view is None else view

    def table(self, record_type: type[T]) -> Table[T]:
        """The same, as users have it."""
        return Table(self.view(record_type))

    def views(self) -> list[View[Any]]:
        """Those of all types, by name."""
        return sorted(self._views.values(), key=lambda view: view.name)

    def definition(self, record_type: type) -> Definition:
        """How the records of a type are stored."""
        view = self._views.get(record_type)
        return plain_definition(cast(Any, record_type)) if view is None else view.stored.definition

    def key_of(self, record_type: Any) -> tuple[str, ...]:
        """The fields of a type's primary key on this shelf."""
        view = self._views.get(record_type)
        if view is not None:
            return view.stored.definition.key_fields
        described = description_of(record_type)
        return () if described is None else described.key

    def parents(self, record_type: Any, field: str | None) -> Sequence[Any]:
        """The records of this type, or one field of each; none when there was never one."""
        view = self._views.get(record_type)
        return () if view is None else Parents(view, field)

    def links(self, record_type: Any) -> Mapping[str, tuple[type, str | None]]:
        """The fields that refer to records of another type, and to which field of them."""
        view = self._views.get(record_type)
        if view is not None:
            return view.stored.definition.links
        return {} if not isinstance(record_type, type) else described_links(record_type)

    def taken(self, record_type: Any, record: object) -> tuple[str, ...]:
        """The fields of the key, or those that must be unique, that another record has, too."""
        view = self._views.get(record_type)
        return () if view is None else view.stored.taken(record)

    def count(self, record_type: Any) -> int:
        """How many records of this type there are."""
        view = self._views.get(record_type)
        return 0 if view is None else len(view.stored.by_key)

    def of_interface(self, interface: Any) -> type | None:
        """The record type that was told for an interface."""
        of_form = self._of_interfaces.get(interface.form)
        return of_form or self._of_interfaces.get(interface.origin)

    def named(self, names: set[str]) -> type | None:
        """The only type with one of these names whose storing was told."""
        found = [record_type for record_type in self.told if record_type.__name__ in names]
        return found[0] if len(found) == 1 else None

    def let_go(self) -> None:
        """Forget all records."""
        self._views.clear()

    def define(self, definition: Definition, interfaces: Iterable[object] = ()) -> None:
        """Say how a type is stored; before its first record."""
        known = self._views.get(definition.record_type)
        # records that are there were checked by other rules
        if known is not None and known.stored.by_key:
            raise RecordRefused(
                f"define({definition.name}) must come before the first record of that type"
            )
        # what was read before may be read otherwise now
        self.version += 1
        if not isinstance(interfaces, Iterable):
            raise RecordRefused(
                f"define({definition.name}, interfaces={show(interfaces, 40)}): give a list of them"
            )
        forms = list(interfaces)
        for form in forms:
            interface_of(form)  # refused where it is none
        self.told.append(definition.record_type)
        self._of_interfaces.update(dict.fromkeys(forms, definition.record_type))
        self._known_by.pop(definition.record_type, None)
        self._new_view(definition)

    def carry(self, record_type: type, carrier: Carrier) -> None:
        """Let the records of a type be in a real store."""
        self.carriers[record_type] = carrier
        self._new_view(self.definition(record_type))

    def check_own(self, what: str) -> None:
        """Refuse what only the shelf's own records can do."""
        if self.carriers:
            raise OverFakesOnly(f"{what} is of the shelf's own records alone")

    def has_own_key(self, definition: Definition) -> bool:
        """Whether its key is told by its fields, or by the user: no interface changes it."""
        return bool(definition.key_fields) and definition.record_type not in self._known_by

    def know_by(self, record_type: type, field: str, interface: str) -> str:
        """Make a field the key of records that have none, as an interface knows them by it.

        Returns:
            Why not; empty where it is their key from now on.
        """
        name, known = record_type.__name__, self._known_by.get(record_type)
        if known is not None and known[0] != field:
            return f"{known[1]} knows a {name} by its {known[0]}, {interface} by its {field}"
        if known is not None:
            return ""
        rows = self.view(record_type).stored
        if rows.by_key and self.journal.writing:
            return f"{interface} knows a {name} by its {field}, but was met within a unit of work"
        try:
            rows.know_by(field)
        except RecordRefused as why:
            return str(why)
        self._known_by[record_type] = (field, interface)
        self.version += 1
        return ""

    def check_references(self, definition: Definition, rows: Rows, record: object) -> None:
        """Refuse a record that refers to one that is not there."""
        if self._unchecked is not None:
            self._unchecked.append((definition, rows, record))
            return
        for field, parent in definition.references.items():
            key = rows.fetch(record, field)
            if key is not None and key not in self.view(parent).stored.by_key:
                raise ReferenceRefused(
                    f"{definition.name}.{field}={show(key)} refers to a {parent.__name__} that is "
                    "not on the shelf"
                )

    @contextmanager
    def referring_in_any_order(self) -> Iterator[None]:
        """A block at whose end, and not before, all that is referred to must be there."""
        self._unchecked, before = [], self._unchecked
        try:
            yield
            waiting, self._unchecked = self._unchecked, None
            for definition, rows, record in waiting or ():
                self.check_references(definition, rows, record)
        finally:
            self._unchecked = before

    def check_unreferenced(self, definition: Definition, key: object) -> None:
        """Refuse to take a record away while another refers to it."""
        for view in self._views.values():
            for field, parent in view.stored.definition.references.items():
                # asked of the children only when something is removed: that is seldom
                if parent is definition.record_type:
                    child = view.where(**{field: key}).first()
                    if child is not None:
                        raise ReferenceRefused(
                            f"the {definition.name} with key {show(key)} cannot be removed: "
                            f"{show(child)} refers to it"
                        )

    @contextmanager
    def limited_to(self, records: Sequence[Any]) -> Iterator[None]:
        """Show only these records of their types, and those that are stored from now on."""
        keys: dict[type, set[Any]] = {}
        for record in _flat(records):
            if isinstance(record, type):
                keys.setdefault(self.view(record).record_type, set())
                continue
            if description_of(type(record)) is None:
                raise RecordRefused(
                    "limited_to() takes records, lists of records, queries and record types, not "
                    f"{show(record)}"
                )
            view = self.view(type(record))
            view.need_key("shown alone")
            keys.setdefault(type(record), set()).add(view.key_of(record))
        before = {record_type: self.view(record_type).stored.limited for record_type in keys}
        try:
            for record_type, some in keys.items():
                self.view(record_type).stored.limited = some
            yield
        finally:
            for record_type, earlier in before.items():
                self.view(record_type).stored.limited = earlier

    def _new_view(self, definition: Definition) -> View[Any]:
        carrier = self.carriers.get(definition.record_type) if self.carriers else None
        if carrier is None:
            rows = Rows(definition, self.journal, self._draw_uuid)
        else:
            from urnshelf.store.carried import CarriedRows  # few runs are over real ones

            rows = CarriedRows(definition, self.journal, self._draw_uuid, carrier)
        view: View[Any] = View(rows, self)
        self._views[definition.record_type] = view
        return view
