"""The codec's quick ways: for each field a function that knows the common case, made once for its
type; the codec itself has all other cases.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from urnshelf.caches import remembered
from urnshelf.records.description import Description
from urnshelf.records.scalars import scalar_of
from urnshelf.types.nodes import Kind, Node

PLAIN = {int, str, bool, float}
"""The types that JSON has itself."""
Convert = Callable[[Any], Any]
Whole = Callable[[Any, Node], Any]
"""The codec's own way, for any value."""


def writer(node: Node, whole: Whole) -> Convert:
    """What makes JSON data of a field's values."""
    if node.kind is not Kind.CLASS:
        return lambda value: whole(value, node)
    bare = node.bare
    if node.is_enum:
        known = {id(member): whole(member, node) for member in bare}
        return lambda value: known[id(value)] if id(value) in known else whole(value, node)
    scalar = scalar_of(bare)
    if scalar is not None:
        to_text = scalar.to_text
        return lambda value: to_text(value) if type(value) is bare else whole(value, node)
    if bare in (int, str, bool):
        return lambda value: value if type(value) is bare or value is None else whole(value, node)
    if bare is float:
        return lambda value: (
            value if type(value) is float and value - value == 0 else whole(value, node)
        )
    return lambda value: whole(value, node)


def reader(node: Node, whole: Whole) -> Convert:
    """What makes values of a field's JSON data."""
    if node.kind is not Kind.CLASS:
        return lambda data: whole(data, node)
    bare = node.bare
    if bare in PLAIN:
        return lambda data: data if type(data) is bare else whole(data, node)
    if node.is_enum:
        return members(node, whole)
    scalar = scalar_of(bare)
    return _texts(node, scalar.from_text, whole) if scalar else lambda data: whole(data, node)


def members(node: Node, whole: Whole) -> Convert:
    """Members by their data, found once each; True is not 1."""
    known: dict[tuple[type, Any], Any] = {}

    def read(data: Any) -> Any:
        key = (type(data), data)
        try:
            return known[key]
        except (KeyError, TypeError):
            found = whole(data, node)
            if type(data) in (str, int, bool) and len(known) < 1000:
                known[key] = found
            return found

    return read


def _texts(node: Node, from_text: Convert, whole: Whole) -> Convert:
    bare = node.bare

    def read(data: Any) -> Any:
        # a format that has the type itself gives the value
        if type(data) is bare:
            return data
        if type(data) is str:
            try:
                value = from_text(data)
            except Exception:  # the codec says what is wrong
                return whole(data, node)
            if type(value) is bare:
                return value
        return whole(data, node)

    return read


class Fields:
    """The writers and readers of one record type.

    Args:
        description: of the type.
        write: the codec's own way to make data.
        read: the codec's own way to make values.
    """

    def __init__(self, description: Description, write: Whole, read: Whole) -> None:
        fields = description.fields.items()
        self.names = frozenset(description.fields)
        self.writers = {name: writer(field.node, write) for name, field in fields}
        self.readers = [(name, reader(field.node, read)) for name, field in fields]
        self._plain = {name: {field.node.bare} & PLAIN for name, field in fields}

    def read_all(self, rows: Sequence[dict[str, Any]]) -> list[tuple[Any, ...]]:
        """The values of many rows that have all fields, a field at a time."""
        columns: list[Sequence[Any]] = []
        for name, read in self.readers:
            data = [row[name] for row in rows]
            is_plain = set(map(type, data)) == self._plain[name]
            columns.append(data if is_plain else list(map(read, data)))
        return list(zip(*columns, strict=True))


_MADE = remembered(Fields)


def fields_of(description: Description, write: Whole, read: Whole) -> Fields:
    """Those of a type, made once."""
    return _MADE(description, write, read)
