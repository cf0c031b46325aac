"""The SQL that says what a method that writes does: for `explain`, the ledger and messages."""

from __future__ import annotations

from typing import Any

from urnshelf.readings.entities import Entity
from urnshelf.readings.results import row_of
from urnshelf.readings.verbs import ADDS, UPDATES
from urnshelf.store.paths import Placeholder, identifier, literal
from urnshelf.store.views import View


def verb_text(verb: str, about: Entity) -> str:
    """How the statement of a verb that stores begins."""
    return (
        f"{'INSERT' if verb in ADDS else 'INSERT OR REPLACE'} INTO {identifier(about.table_name)}"
    )


def insertion(verb: str, table: View[Any], record: object) -> str:
    """The statement that stores this record."""
    values = row_of(record)
    if verb in UPDATES:
        return update_text(table, table.key_of(record), values)
    names = "" if tuple(values) == table.fields else f" ({', '.join(map(identifier, values))})"
    insert = "INSERT" if verb in ADDS else "INSERT OR REPLACE"
    texts = ", ".join(_texts_of(table, values))
    return f"{insert} INTO {identifier(table.table_name)}{names} VALUES ({texts})"


def update_text(table: View[Any], key: object, values: dict[str, Any]) -> str:
    """The statement that sets these fields of the record with the key."""
    texts = zip(values, _texts_of(table, values), strict=True)
    sets = ", ".join(
        f"{identifier(field)} = {text}" for field, text in texts if field not in table.key_fields
    )
    return f"UPDATE {identifier(table.table_name)} SET {sets} WHERE {key_text(table, key)}"


def _texts_of(table: View[Any], values: dict[str, Any]) -> list[str]:
    """The values as SQL; those that are not to be shown as placeholders."""
    hidden = table.described.hidden
    return [
        literal(Placeholder(name) if name in hidden else value) for name, value in values.items()
    ]


def key_text(table: View[Any], key: object) -> str:
    """The condition that a record has the key; of several fields, each has its part of it."""
    fields = table.key_fields or ("key",)
    values = key if isinstance(key, tuple) and len(fields) > 1 else (key,)
    return " AND ".join(
        f"{identifier(f)} = {literal(v)}" for f, v in zip(fields, values, strict=False)
    )


def removal_text(table: View[Any], keys: list[Any]) -> str:
    """The statement that removes the records with these keys."""
    if len(table.key_fields) > 1:
        which = " OR ".join(key_text(table, key) for key in keys)
    else:
        which = f"{identifier(table.key or 'key')} IN ({', '.join(map(literal, keys))})"
    return f"DELETE FROM {identifier(table.table_name)} WHERE {which}"


def key_condition(about: Entity, parameter: str = "") -> str:
    """The condition on the key; the parameter's name where one parameter is the key."""
    fields = about.key_fields or ("key",)
    return " AND ".join(f"{identifier(field)} = :{parameter or field}" for field in fields)
