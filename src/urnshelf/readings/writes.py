"""Readings of methods that store, change and remove records."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from inspect import Parameter
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity, item_record
from urnshelf.readings.look_ups import wanted_by
from urnshelf.readings.names import Name
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Promised,
    Reading,
    ReadParameter,
    Role,
    Unread,
)
from urnshelf.readings.parameters import is_collection_type, row_of
from urnshelf.readings.results import Result, is_row_type, result_of
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import ADDS, REMOVES, SAVES, UPDATES
from urnshelf.records.description import snake_case
from urnshelf.store.values import Placeholder, identifier, literal
from urnshelf.store.views import View
from urnshelf.types.nodes import Kind, Node

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_CHANGES = frozenset(
    "changes values data fields updates kwargs attrs attributes payload row".split()
)
Store = Callable[[View[Any], Any], Any]


def read_write(subject: Subject) -> Reading | Unread | None:
    """A method that adds, saves or updates."""
    member, about, name, result, verb = (
        subject.member,
        subject.about,
        subject.name,
        subject.result,
        subject.verb,
    )
    set_field = _set_field(member, about, verb)
    if set_field is not None:
        return set_field
    if isinstance(name, str):
        return Unread(name)
    if name.flags or name.order or name.is_first:
        return Unread(
            f"{member.name!r} says more than that it stores a {about.record_type.__name__}"
        )
    given = _given(member, about)
    first = given[0].role if given else Role.OTHER
    if first in (Role.RECORD, Role.RECORDS) and len(given) == 1 and not name.by:
        return _stored_reading(verb, given, about, result)
    if verb in ADDS and not name.by:
        made = _made_of_values(member, given, about)
        if made is not None:
            return _made_reading(verb, made, given, about, result)
    by_key = first is Role.KEY or (first is Role.RECORD and not name.by)
    if verb in UPDATES and len(given) >= 2 and by_key:
        return _changes_reading(member, given, about, result)
    if first in (Role.RECORD, Role.RECORDS) and len(given) > 1:
        return Unread(f"the parameter {given[1].name!r} is not accounted for")
    return Unread(
        f"{verb!r} is read with one {about.record_type.__name__}, with several, or with values of "
        "its fields"
    )


def read_setter(subject: Subject) -> Reading | Unread | None:
    """`set_<field>(key, value)`."""
    return _set_field(subject.member, subject.about, subject.words[0])


def read_removal(subject: Subject) -> Reading | Unread | None:
    """A method that removes."""
    member, about, name, result, verb = (
        subject.member,
        subject.about,
        subject.name,
        subject.result,
        subject.verb,
    )
    if isinstance(name, str):
        return Unread(name)
    if result.kind in (Promised.MANY, Promised.OTHER, Promised.PAGE, Promised.BY_KEY):
        return Unread(f"{verb!r} is read where it promises None, bool, a number or the record")
    given = _given(member, about)
    first = given[0].role if len(given) == 1 else Role.OTHER
    if first is Role.RECORD and not name.by:
        return _removal(about, result, given, lambda table, value: table.key_of(value))
    if first is Role.RECORDS and not name.by:
        return _removals_by_record(about, result, given)
    if first is Role.KEY and name.by in ([], ["id"], [about.key_fields[0]]):
        return _removal(about, result, given, lambda table, value: value)
    return _removal_of_many(member, about, name, result, verb)


# --- what is given --------------------------------------------------------------------------------


def _given(member: Member, about: Entity) -> tuple[ReadParameter, ...]:
    """The parameters of a method that writes, by what they are."""
    parameters = member.signature.parameters.values()
    return tuple(given_as(p, member.parameter_nodes[p.name], about) for p in parameters)


def given_as(parameter: Parameter, node: Node, about: Entity) -> ReadParameter:
    """What an argument is: a record, several, a key, values of fields, one field, or nothing that
    is known.
    """
    name = parameter.name
    role = _role(parameter, node, about)
    if role is Role.OTHER and name in about.fields:
        return ReadParameter(name, Role.FIELD, name, "=")
    is_key = role is Role.KEY and len(about.key_fields) == 1
    return (
        ReadParameter(name, role, about.key_fields[0], "=") if is_key else ReadParameter(name, role)
    )


def _role(parameter: Parameter, node: Node, about: Entity) -> Role:
    several = parameter.kind is Parameter.VAR_POSITIONAL
    if node.bare is about.record_type:
        return Role.RECORDS if several else Role.RECORD
    if is_collection_type(node) and item_record(node) is about.record_type:
        return Role.RECORDS
    if not node.is_known:
        if parameter.name in (about.name, "record", "entity", "item", "obj", "instance", "model"):
            return Role.RECORDS if several else Role.RECORD
        if parameter.name in (*about.names, "records", "entities", "items"):
            return Role.RECORDS
    if about.is_key(parameter.name) and not several:
        return Role.KEY
    is_values = (
        is_row_type(node) or node.kind is Kind.TYPED_DICT or parameter.kind is Parameter.VAR_KEYWORD
    )
    return Role.VALUES if is_values else Role.OTHER


def _made_of_values(
    member: Member, given: tuple[ReadParameter, ...], about: Entity
) -> Callable[[tuple[Any, ...]], Any] | None:
    """How a record is made of a mapping, or of arguments that are called like its fields."""
    if len(given) == 1 and given[0].role is Role.VALUES:
        return lambda values: _record_of(about, dict(values[0]))
    names = member.parameters
    if not names or not set(names) <= set(about.fields):
        return None
    return lambda values: _record_of(about, dict(zip(names, values, strict=True)))


def _record_of(about: Entity, values: dict[str, Any]) -> Any:
    """A record of these values; its key may be left out."""
    for field in about.key_fields:
        values.setdefault(field, None)
    try:
        return about.described.build(values)
    except TypeError as why:
        raise NotCertain(
            f"no {about.record_type.__name__} can be made of these values: {why}"
        ) from None


def _set_field(member: Member, about: Entity, verb: str) -> Reading | Unread | None:
    """One field of one record is set: `set_owner(vessel_id, owner)`, `update_owner(vessel_id,
    owner)`.
    """
    field = snake_case(member.name).removeprefix(f"{verb}_")
    path = field if field in about.fields else field.removeprefix(f"{about.name}_")
    if (
        path not in about.fields
        or len(member.parameters) != 2
        or not about.is_key(member.parameters[0])
    ):
        return None

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        return _change(access, values[0], {path: values[1]}, result_of(member.promise.node))

    key, value = member.parameters
    parameters = (
        ReadParameter(key, Role.KEY, path_of_key(about), "="),
        ReadParameter(value, Role.FIELD, path, "="),
    )
    return Reading(
        about.record_type,
        Operation.CHANGE,
        parameters,
        lambda: (
            f"UPDATE {identifier(about.table_name)} SET {identifier(path)} = :{value} WHERE "
            f"{_by_key(about, key)}"
        ),
        answer,
    )


def path_of_key(about: Entity) -> str:
    """The field that is the key alone; empty where there is none."""
    return about.key_fields[0] if len(about.key_fields) == 1 else ""


# --- storing --------------------------------------------------------------------------------------


def _stored_reading(
    verb: str, given: tuple[ReadParameter, ...], about: Entity, result: Result
) -> Reading | Unread:
    reply = _reply_of_storing(result, given[0].role, about)
    if reply is None:
        return Unread(f"{verb!r} is read where it promises the record, its key or None")
    store = _store_of(verb)
    is_many = given[0].role is Role.RECORDS

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        stored: list[Any] = []
        access.did(lambda: "; ".join(_insertion(verb, table, record) for record in stored[:3]))
        for record in list(values[0]) if is_many else [values[0]]:
            stored.append(store(table, record))
        return reply(table, stored)

    def tell() -> str:
        meaning = f"{_verb_text(verb, about)} VALUES (:{about.name})"
        if verb in UPDATES:
            meaning = f"UPDATE {identifier(about.table_name)} SET … WHERE {_by_key(about)}"
        return f"{meaning} for each" if is_many else meaning

    return Reading(about.record_type, _OPERATIONS[verb], given, tell, answer)


def _made_reading(
    verb: str,
    made: Callable[[tuple[Any, ...]], Any],
    given: tuple[ReadParameter, ...],
    about: Entity,
    result: Result,
) -> Reading | Unread:
    reply = _reply_of_storing(result, Role.RECORD, about)
    if reply is None:
        return Unread(f"{verb!r} is read where it promises the record, its key or None")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        stored = table.add(made(values))
        access.did(lambda: _insertion(verb, table, stored))
        return reply(table, [stored])

    fields = tuple(
        one if one.role is Role.VALUES else ReadParameter(one.name, Role.FIELD, one.name, "=")
        for one in given
    )
    return Reading(
        about.record_type,
        Operation.MAKE,
        fields,
        lambda: f"{_verb_text(verb, about)} VALUES (…)",
        answer,
    )


_OPERATIONS = {
    **dict.fromkeys(ADDS, Operation.ADD),
    **dict.fromkeys(SAVES, Operation.SAVE),
    **dict.fromkeys(UPDATES, Operation.UPDATE),
}


def _store_of(verb: str) -> Store:
    if verb in ADDS:
        return lambda table, record: table.add(record)
    if verb in SAVES:
        return lambda table, record: table.save(record)
    return _update


def _update(table: View[Any], record: Any) -> Any:
    key = table.key_of(record)
    if key is None or table.find(key) is None:
        raise table.missing_error(key)
    return table.save(record)


def _reply_of_storing(
    result: Result, role: Role, about: Entity
) -> Callable[[View[Any], list[Any]], Any] | None:
    if result.kind is Promised.NONE:
        return lambda table, stored: None
    if role is Role.RECORDS:
        if result.kind in (Promised.MANY, Promised.UNKNOWN):
            return lambda table, stored: result.collect(stored)
        return (lambda table, stored: len(stored)) if result.kind is Promised.INT else None
    if result.kind in (Promised.ONE, Promised.ONE_OR_NONE, Promised.UNKNOWN):
        return lambda table, stored: row_of(stored[0]) if result.as_row else stored[0]
    key = about.node_of(path_of_key(about))
    is_key = (
        key.is_known
        and result.node is not None
        and not result.node.optional
        and result.node.bare == key.bare
    )
    if result.kind is Promised.INT or (result.kind is Promised.OTHER and is_key):
        return lambda table, stored: table.key_of(stored[0])
    return None


# --- changing -------------------------------------------------------------------------------------


def _changes_reading(
    member: Member, given: tuple[ReadParameter, ...], about: Entity, result: Result
) -> Reading | Unread:
    rest = list(member.signature.parameters.values())[1:]
    take: Callable[[tuple[Any, ...]], dict[str, Any]]
    if len(rest) == 1 and (
        given[1].role is Role.VALUES or _is_changes(rest[0], member.parameter_nodes[rest[0].name])
    ):
        take = _given_as_values
        changes: tuple[ReadParameter, ...] = (ReadParameter(rest[0].name, Role.VALUES),)
    elif all(p.name in about.fields for p in rest):
        take = partial(_given_by_field, rest)
        changes = tuple(ReadParameter(p.name, Role.FIELD, p.name, "=") for p in rest)
    else:
        unknown = next((p.name for p in rest if p.name not in about.fields), "")
        return Unread(f"{about.record_type.__name__} has no field {unknown!r}")
    is_record = given[0].role is Role.RECORD

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        key = access.table.key_of(values[0]) if is_record else values[0]
        return _change(access, key, take(values), result)

    key = "" if is_record else given[0].name
    return Reading(
        about.record_type,
        Operation.CHANGE,
        (given[0], *changes),
        lambda: f"UPDATE {identifier(about.table_name)} SET … WHERE {_by_key(about, key)}",
        answer,
    )


def _given_as_values(values: tuple[Any, ...]) -> dict[str, Any]:
    return dict(row_of(values[1]))


def _given_by_field(rest: list[Parameter], values: tuple[Any, ...]) -> dict[str, Any]:
    pairs = zip(rest, values[1:], strict=True)
    return {p.name: value for p, value in pairs if not _left_out(p, value)}


def _is_changes(parameter: Parameter, node: Node) -> bool:
    is_open = not node.is_known or (node.kind is Kind.MAPPING and not node.args)
    return node.kind is Kind.TYPED_DICT or (parameter.name in _CHANGES and is_open)


def _left_out(parameter: Parameter, value: Any) -> bool:
    return parameter.default is None and value is None


def _change(access: Access, key: Any, changes: dict[str, Any], result: Result) -> Any:
    table = access.table
    record = table.find(key)
    access.did(lambda: _update_text(table, key, changes))
    if record is None:
        if result.kind in _REPLIES_OF_NOTHING:
            return _REPLIES_OF_NOTHING[result.kind]
        raise table.missing_error(key)
    stored = table.save(table.changed(record, changes))
    if result.kind in _REPLIES_OF_CHANGE:
        return _REPLIES_OF_CHANGE[result.kind]
    return row_of(stored) if result.as_row else stored


_REPLIES_OF_NOTHING: dict[Promised, Any] = {
    Promised.BOOL: False,
    Promised.INT: 0,
    Promised.ONE_OR_NONE: None,
}
_REPLIES_OF_CHANGE: dict[Promised, Any] = {
    Promised.NONE: None,
    Promised.BOOL: True,
    Promised.INT: 1,
}


# --- removing -------------------------------------------------------------------------------------


def _removal(
    about: Entity,
    result: Result,
    given: tuple[ReadParameter, ...],
    key_of: Callable[[View[Any], Any], Any],
) -> Reading:
    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        key = key_of(table, values[0])
        access.did(
            lambda: f"DELETE FROM {identifier(table.table_name)} WHERE {_key_text(table, key)}"
        )
        record = table.find(key)
        return _reply_of_removal(table, key, record, table.remove(key), result.kind)

    parameter = given[0].name if given[0].role is Role.KEY else ""
    return Reading(
        about.record_type,
        Operation.REMOVE,
        given,
        lambda: f"DELETE FROM {identifier(about.table_name)} WHERE {_by_key(about, parameter)}",
        answer,
    )


def _reply_of_removal(table: View[Any], key: Any, record: Any, gone: bool, kind: Promised) -> Any:
    if kind in (Promised.BOOL, Promised.INT):
        return gone if kind is Promised.BOOL else int(gone)
    if kind in (Promised.ONE, Promised.ONE_OR_NONE) and (gone or kind is Promised.ONE_OR_NONE):
        return record
    if gone:
        return True if kind is Promised.UNKNOWN else None
    if kind is Promised.UNKNOWN:
        raise NotCertain(
            f"no {table.name} has this key, and with no promised type it is not certain what then"
        )
    raise table.missing_error(key)


def _removals_by_record(
    about: Entity, result: Result, given: tuple[ReadParameter, ...]
) -> Reading | Unread:
    if result.kind not in (Promised.NONE, Promised.INT, Promised.UNKNOWN):
        return Unread("removing several is read where it promises None or their number")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        keys = [table.key_of(record) for record in values[0]]
        access.did(lambda: _removal_text(table, keys))
        gone = sum(table.remove(key) for key in keys)
        return None if result.kind is Promised.NONE else gone

    return Reading(
        about.record_type,
        Operation.REMOVE,
        given,
        lambda: f"DELETE FROM {identifier(about.table_name)} WHERE {_by_key(about)} for each",
        answer,
    )


def _removal_of_many(
    member: Member, about: Entity, name: Name, result: Result, verb: str
) -> Reading | Unread:
    """`delete_by_harbour(harbour)`, `delete_all()`: it removes what a look-up of that name would
    find.
    """
    if result.kind not in (Promised.NONE, Promised.INT, Promised.BOOL):
        return Unread(f"{verb!r} of several is read where it promises None, bool or their number")
    says_which = bool(
        name.by or name.flags or (name.many and member.name != verb) or verb not in REMOVES
    )
    wanted = wanted_by(member, about, name)
    if isinstance(wanted, str):
        return Unread(wanted)
    if not says_which and not (wanted.parts and _has_many_keys(member, about)):
        given = member.parameters[0] if member.parameters else None
        record = about.record_type.__name__
        return Unread(
            f"the parameter {given!r} is not the key of {record}"
            if given
            else "it says not which to remove"
        )

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        query = wanted.query(access.table, values)
        access.did(lambda: query.sql("DELETE"))
        gone = query.remove()
        if result.kind is Promised.NONE:
            return None
        return bool(gone) if result.kind is Promised.BOOL else gone

    return Reading(
        about.record_type,
        Operation.REMOVE_WHERE,
        wanted.parts,
        lambda: wanted.shown(about, member.parameters, "DELETE"),
        answer,
    )


def _has_many_keys(member: Member, about: Entity) -> bool:
    return len(member.parameters) == 1 and member.parameters[0] in {
        f"{key}s" for key in ("id", "key", *about.key_fields, f"{about.name}_id")
    }


# --- as SQL ---------------------------------------------------------------------------------------


def _verb_text(verb: str, about: Entity) -> str:
    return (
        f"{'INSERT' if verb in ADDS else 'INSERT OR REPLACE'} INTO {identifier(about.table_name)}"
    )


def _insertion(verb: str, table: View[Any], record: Any) -> str:
    values = row_of(record)
    if verb in UPDATES:
        return _update_text(table, table.key_of(record), values)
    names = "" if tuple(values) == table.fields else f" ({', '.join(map(identifier, values))})"
    insert = "INSERT" if verb in ADDS else "INSERT OR REPLACE"
    texts = ", ".join(_told_values(table, values))
    return f"{insert} INTO {identifier(table.table_name)}{names} VALUES ({texts})"


def _update_text(table: View[Any], key: Any, values: dict[str, Any]) -> str:
    told = zip(values, _told_values(table, values), strict=True)
    sets = ", ".join(
        f"{identifier(field)} = {text}" for field, text in told if field not in table.key_fields
    )
    return f"UPDATE {identifier(table.table_name)} SET {sets} WHERE {_key_text(table, key)}"


def _told_values(table: View[Any], values: dict[str, Any]) -> list[str]:
    """The values as SQL; those that are not to be shown as placeholders."""
    hidden = table.described.hidden
    return [
        literal(Placeholder(name) if name in hidden else value) for name, value in values.items()
    ]


def _key_text(table: View[Any], key: Any) -> str:
    fields = table.key_fields or ("key",)
    values = key if isinstance(key, tuple) and len(fields) > 1 else (key,)
    return " AND ".join(
        f"{identifier(f)} = {literal(v)}" for f, v in zip(fields, values, strict=False)
    )


def _removal_text(table: View[Any], keys: list[Any]) -> str:
    if len(table.key_fields) > 1:
        which = " OR ".join(_key_text(table, key) for key in keys)
    else:
        which = f"{identifier(table.key or 'key')} IN ({', '.join(map(literal, keys))})"
    return f"DELETE FROM {identifier(table.table_name)} WHERE {which}"


def _by_key(about: Entity, parameter: str = "") -> str:
    """The condition on the key; the parameter's name where one parameter is the key."""
    fields = about.key_fields or ("key",)
    return " AND ".join(f"{identifier(field)} = :{parameter or field}" for field in fields)
