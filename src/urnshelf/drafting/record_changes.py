"""The records on a shelf, and what became of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from urnshelf.records.recognising import describe
from urnshelf.shelf import Shelf

Stored = dict[tuple[Any, Any], tuple[Any, Mapping[str, Any], bool]]
"""Records, their fields, and whether their type has a key; by type and key."""


class Change(NamedTuple):
    """What became of one record on the shelf.

    Args:
        kind: `added`, `changed` or `removed`.
        form: its type.
        key: its key.
        before: its fields; empty for one that was added.
        after: likewise.
        record: as it is afterwards, or was.
        has_key: whether its type has a key.
    """

    kind: str
    form: Any
    key: Any
    before: Mapping[str, Any]
    after: Mapping[str, Any]
    record: Any
    has_key: bool


def stored(shelf: Shelf) -> Stored:
    """The records on a shelf, by type and key."""
    found: Stored = {}
    for view in shelf._store.views():
        rows = view.stored
        for key, record in list(rows.by_key.items()):
            description = describe(rows.definition.record_type)
            fields = dict(description.values(record)) if description else {}
            has_key = bool(rows.definition.key_fields)
            found[rows.definition.record_type, key] = (record, fields, has_key)
    return found


def changes(before: Stored, after: Stored) -> Iterator[Change]:
    """What became of each record.

    Args:
        before: those that there were.
        after: those that there are.
    """
    for (form, key), (record, fields, has_key) in after.items():
        if (form, key) not in before:
            yield Change("added", form, key, {}, fields, record, has_key)
        elif before[form, key][1] != fields:
            yield Change("changed", form, key, before[form, key][1], fields, record, has_key)
    for (form, key), (record, fields, has_key) in before.items():
        if (form, key) not in after:
            yield Change("removed", form, key, fields, {}, record, has_key)
