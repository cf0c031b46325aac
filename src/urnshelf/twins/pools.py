"""What sequences draw from: records of each type, values of any type, and the edges at which real
stores differ.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import make_dataclass
from datetime import UTC, date, datetime, timedelta, timezone
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused, UrnShelfError
from urnshelf.records.description import Description, Field
from urnshelf.records.fit import misfit
from urnshelf.records.recognising import description_of
from urnshelf.shelf import Shelf
from urnshelf.store.definition import Definition
from urnshelf.types.nodes import Kind, Node

MANY = 24
"""So many records of each type are drawn, of which each sequence takes some."""
FEW = 3
_GREAT = 1000
_EDGES: dict[Any, tuple[Any, ...]] = {
    bool: (False, True),
    int: (0, -1, 2**31),
    float: (0.0, -1.25, 0.1, 1 / 3),
    str: ("", " a ", "straße", "A" * 300),
    bytes: (b"", b"\x00\xff"),
    Decimal: (Decimal("0.005"), Decimal("-1.10"), Decimal(0)),
    date: (date(2028, 2, 29),),
    datetime: (
        datetime(2029, 10, 28, 1, 30, tzinfo=UTC),
        datetime(2030, 6, 1, 12, 0, 0, 123_456, tzinfo=UTC),
        datetime(2030, 6, 1, 12, tzinfo=timezone(timedelta(hours=5, minutes=30))),
    ),
    timedelta: (timedelta(0), timedelta(microseconds=1)),
}
"""Not the greatest: what no database takes says nothing about a fake."""


class Pool:
    """The drawn records of one type.

    Args:
        described: the type.
        definition: how its records are stored.
        ruled: the fields that the user has rules for: they have no edges.
        records: drawn.
    """

    def __init__(
        self, described: Description, definition: Definition, ruled: set[str], records: list[Any]
    ) -> None:
        self.described = described
        self.form: Any = definition.record_type
        self.key_fields = definition.key_fields
        self.references = {name: parent for name, (parent, _) in definition.links.items()}
        self.enforced = frozenset(definition.references)
        """The fields that must refer to something that is there."""
        self.rows = [described.values(record) for record in records]
        self.edges = {
            name: _edges_of(described.fields[name])
            for name in described.names
            if name not in ruled and name not in self.key_fields
        }
        self.ruled = ruled

    @property
    def key(self) -> str:
        """The field that is the key alone; empty where there is none."""
        return self.key_fields[0] if len(self.key_fields) == 1 else ""

    @property
    def may_lack_its_key(self) -> bool:
        """Whether a record may come without its key, for the store to assign it."""
        return bool(self.key) and self.described.node_of(self.key).optional

    @property
    def has_numbers(self) -> bool:
        """Whether its keys are whole numbers."""
        return bool(self.key) and self.described.node_of(self.key).bare is int

    def build(self, values: Mapping[str, Any]) -> Any:
        """A record of these values."""
        return self.described.build(values)


def _edges_of(field: Field) -> tuple[Any, ...]:
    node, limits = field.node, field.limits
    if limits.choices is not None:
        found = tuple(limits.choices)
    elif node.is_enum:
        found = tuple(node.bare)
    elif node.kind is Kind.LITERAL:
        found = node.values
    else:
        found = _EDGES.get(node.bare, ())
    fitting = [one for one in found if limits.allow(one) and _is_in_bounds(one, field)]
    return (*fitting, None) if node.optional else tuple(fitting)


def _is_in_bounds(value: Any, field: Field) -> bool:
    is_number = isinstance(value, (int, float, Decimal)) and not isinstance(value, bool)
    if is_number and field.limits.bounds and not field.limits.bound(value):
        return False
    return misfit(value, field.node) is None


class Pools:
    """All that is drawn for one check.

    Args:
        shelf: arranged; its urn draws.
        record_types: those that are stored.
        rules: by type, the rules of fields.
    """

    def __init__(
        self, shelf: Shelf, record_types: tuple[Any, ...], rules: Mapping[Any, Mapping[str, Any]]
    ) -> None:
        self._shelf = shelf
        self._values: dict[tuple[str, Any], list[Any]] = {}
        for form, told in rules.items():
            shelf.urn.set_rules(form, **told)
        self.of: dict[Any, Pool] = {
            form: self._pool(form, set(rules.get(form, {}))) for form in record_types
        }
        parents = {parent for one in self.of.values() for parent in one.references.values()}
        self.has_children = {form for form in self.of if form in parents}
        """The types that others refer to: their records have keys that are told."""

    def _pool(self, form: Any, ruled: set[str]) -> Pool:
        described: Any = description_of(form)
        definition = self._shelf._store.definition(form)
        return Pool(described, definition, ruled, self._records(form))

    def _records(self, form: Any) -> list[Any]:
        try:
            return self._shelf.urn.draw(form, range(MANY))  # type: ignore[no-any-return]
        except RecordRefused:  # of some there are not so many different ones
            return self._shelf.urn.draw(form, range(FEW))  # type: ignore[no-any-return]

    def values(self, name: str, node: Node) -> list[Any]:
        """Some values of a type, as a field of this name has them; none where none can be drawn."""
        key = (name, node.form)
        try:
            known = self._values.get(key)
        except TypeError:  # of a form that cannot be hashed
            return self._drawn(name, node)
        if known is None:
            known = self._values[key] = self._drawn(name, node)
        return known

    def _drawn(self, name: str, node: Node) -> list[Any]:
        if node.kind is Kind.NONE:
            return [None]
        if node.kind in (Kind.ANY, Kind.UNKNOWN, Kind.VARIABLE):
            return ["a", 1, "b", ["a", 1], {"a": 1}, "z"]
        # of a count, or of a number of seconds, a great one would take for ever
        edges = [
            one
            for one in _EDGES.get(node.bare, ())
            if misfit(one, node) is None and not (node.bare is int and abs(one) > _GREAT)
        ]
        try:
            holder: Any = make_dataclass("Given", [(name, node.form)])
            drawn = [getattr(one, name) for one in self._shelf.urn.draw(holder, range(6))]
        except (UrnShelfError, TypeError, ValueError):
            return edges
        return [*drawn, *edges]
