"""Readings of methods that store, change and remove records."""

from __future__ import annotations

import collections.abc as abc
from collections.abc import Callable
from inspect import Parameter
from typing import Any, get_origin

from urnshelf.interfaces.hints import is_typed_dict
from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity, item_record
from urnshelf.readings.look_ups import row_of, wanted_by
from urnshelf.readings.names import ADDS, REMOVES, SAVES, UPDATES, Name, verb_of
from urnshelf.readings.parameters import COLLECTIONS
from urnshelf.readings.reading import Access, NotCertain, Reading, Unread
from urnshelf.readings.results import Result, is_row_type, result_of
from urnshelf.records.keys import snake_case
from urnshelf.store.tables import Table
from urnshelf.store.values import identifier, literal

__tracebackhide__ = True  # a failing test shows its own lines, not ours

_CHANGES = frozenset(
    {"changes", "values", "data", "fields", "updates", "kwargs", "attrs", "attributes", "payload", "row"}
)
Store = Callable[[Table[Any], Any], Any]


def read_write(member: Member, about: Entity, name: Name | str, result: Result) -> Reading | Unread | None:
    """A method that adds, saves or updates."""
    verb = verb_of(member.name) if isinstance(name, str) else name.verb
    if verb not in ADDS | SAVES | UPDATES:
        return None
    set_field = _set_field(member, about, verb)
    if set_field is not None:
        return set_field
    if isinstance(name, str):
        return Unread(name)
    if name.flags or name.order or name.is_first:
        return Unread(f"{member.name!r} says more than that it stores a {about.record_type.__name__}")
    parameters = list(member.signature.parameters.values())
    forms = [member.parameter_types[p.name] for p in parameters]
    first = _what(parameters[0], forms[0], about) if parameters else ""
    if first == "record" and len(parameters) == 1 and not name.by:
        return _stored_reading(verb, "record", about, result)
    if first == "records" and len(parameters) == 1 and not name.by:
        return _stored_reading(verb, "records", about, result)
    if verb in ADDS and not name.by:
        made = _made_of_values(parameters, forms, about)
        if made is not None:
            return _made_reading(verb, made, about, result)
    if verb in UPDATES and len(parameters) >= 2 and first in ("record", "key") and (not name.by or first == "key"):
        return _changes_reading(first, parameters, forms, about, result)
    if first in ("record", "records") and len(parameters) > 1:
        return Unread(f"the parameter {parameters[1].name!r} is not accounted for")
    return Unread(f"{verb!r} is read with one {about.record_type.__name__}, with several, or with values of its fields")


def read_setter(member: Member, about: Entity) -> Reading | Unread | None:
    """`set_<field>(key, value)`."""
    verb = verb_of(member.name)
    return _set_field(member, about, verb) if verb in ("set", "mark", "change") else None


def read_removal(
    member: Member, about: Entity, name: Name | str, result: Result, table: Table[Any]
) -> Reading | Unread | None:
    """A method that removes."""
    verb = verb_of(member.name) if isinstance(name, str) else name.verb
    if verb not in REMOVES | {"clear", "purge", "truncate"}:
        return None
    if isinstance(name, str):
        return Unread(name)
    if result.kind not in ("none", "bool", "int", "unknown", "one", "one or none"):
        return Unread(f"{verb!r} is read where it promises None, bool, a number or the record")
    parameters = list(member.signature.parameters.values())
    first = _what(parameters[0], member.parameter_types[parameters[0].name], about) if len(parameters) == 1 else ""
    if first == "record" and not name.by:
        return _removal(about, result, lambda table, value: table.key_of(value))
    if first == "records" and not name.by:
        return _removals_by_record(about, result)
    if first == "key" and name.by in ([], ["id"], [about.key_fields[0]]):
        return _removal(about, result, lambda table, value: value, parameters[0].name)
    return _removal_of_many(member, about, name, result, table, verb)


# --- what is given ----------------------------------------------------------------------------------------------------


def _what(parameter: Parameter, form: Any, about: Entity) -> str:
    """`record`, `records`, `key`, `values` or nothing that is known."""
    several = parameter.kind is Parameter.VAR_POSITIONAL
    if form is about.record_type:
        return "records" if several else "record"
    if item_record(form) is about.record_type and get_origin(form) in COLLECTIONS:
        return "records"
    if form is Any and parameter.name in (about.name, "record", "entity", "item", "obj", "instance", "model"):
        return "records" if several else "record"
    if form is Any and parameter.name in (*about.names, "records", "entities", "items"):
        return "records"
    if about.is_key(parameter.name) and not several:
        return "key"
    return "values" if is_row_type(form) or parameter.kind is Parameter.VAR_KEYWORD else ""


def _made_of_values(
    parameters: list[Parameter], forms: list[Any], about: Entity
) -> Callable[[tuple[Any, ...]], Any] | None:
    """How a record is made of a mapping, or of arguments that are called like its fields."""
    if len(parameters) == 1 and _what(parameters[0], forms[0], about) == "values":
        return lambda values: _record_of(about, dict(values[0]))
    if len(parameters) == 1 and is_typed_dict(forms[0]):
        return lambda values: _record_of(about, dict(values[0]))
    names = [p.name for p in parameters]
    if not names or not set(names) <= set(about.fields):
        return None
    return lambda values: _record_of(about, dict(zip(names, values, strict=True)))


def _record_of(about: Entity, values: dict[str, Any]) -> Any:
    """A record of these values; its key may be left out."""
    for field in about.key_fields:
        values.setdefault(field, None)
    if is_typed_dict(about.record_type):
        return values
    try:
        return about.record_type(**values)
    except TypeError as why:
        raise NotCertain(f"no {about.record_type.__name__} can be made of these values: {why}") from None


def _set_field(member: Member, about: Entity, verb: str) -> Reading | Unread | None:
    """One field of one record is set: `set_owner(vessel_id, owner)`, `update_owner(vessel_id, owner)`."""
    field = snake_case(member.name).removeprefix(f"{verb}_")
    path = field if field in about.fields else field.removeprefix(f"{about.name}_")
    if path not in about.fields or len(member.parameters) != 2 or not about.is_key(member.parameters[0]):
        return None

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        return _change(access, values[0], {path: values[1]}, result_of(member.promise.type))

    meaning = f"UPDATE {identifier(about.name)} SET {identifier(path)} = :{member.parameters[1]} WHERE "
    meaning += _by_key(about, member.parameters[0])
    return Reading(about.record_type, meaning, answer, is_look_up=False)


# --- storing ----------------------------------------------------------------------------------------------------------


def _stored_reading(verb: str, what: str, about: Entity, result: Result) -> Reading | Unread:
    reply = _reply_of_storing(result, what, about)
    if reply is None:
        return Unread(f"{verb!r} is read where it promises the record, its key or None")
    store = _store_of(verb)

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        given = list(values[0]) if what == "records" else [values[0]]
        access.did(lambda: "; ".join(_insertion(verb, table, record) for record in stored[:3]))
        stored: list[Any] = []
        for record in given:
            stored.append(store(table, record))
        return reply(table, stored)

    meaning = f"{_verb_text(verb, about)} VALUES (:{about.name})" + " for each" * (what == "records")
    if verb in UPDATES:
        meaning = f"UPDATE {identifier(about.name)} SET … WHERE {_by_key(about)}" + " for each" * (what == "records")
    return Reading(about.record_type, meaning, answer, is_look_up=False)


def _made_reading(verb: str, made: Callable[[tuple[Any, ...]], Any], about: Entity, result: Result) -> Reading | Unread:
    reply = _reply_of_storing(result, "record", about)
    if reply is None:
        return Unread(f"{verb!r} is read where it promises the record, its key or None")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        stored = table.add(made(values))
        access.did(lambda: _insertion(verb, table, stored))
        return reply(table, [stored])

    return Reading(about.record_type, f"{_verb_text(verb, about)} VALUES (…)", answer, is_look_up=False)


def _store_of(verb: str) -> Store:
    if verb in ADDS:
        return lambda table, record: table.add(record)
    if verb in SAVES:
        return lambda table, record: table.save(record)
    return _update


def _update(table: Table[Any], record: Any) -> Any:
    key = table.key_of(record)
    if key is None or table.find(key) is None:
        raise table.missing_error(key)
    return table.save(record)


def _reply_of_storing(result: Result, what: str, about: Entity) -> Callable[[Table[Any], list[Any]], Any] | None:
    if result.kind == "none":
        return lambda table, stored: None
    if what == "records":
        if result.kind in ("many", "unknown"):
            return lambda table, stored: result.collect(stored)
        return (lambda table, stored: len(stored)) if result.kind == "int" else None
    if result.kind in ("one", "one or none", "unknown"):
        return lambda table, stored: row_of(stored[0]) if result.as_row else stored[0]
    key_form = about.hints.get(about.key_fields[0]) if len(about.key_fields) == 1 else None
    if result.kind == "int" or (result.kind == "other" and result.form == key_form):
        return lambda table, stored: table.key_of(stored[0])
    return None


# --- changing ---------------------------------------------------------------------------------------------------------


def _changes_reading(
    first: str, parameters: list[Parameter], forms: list[Any], about: Entity, result: Result
) -> Reading | Unread:
    rest = parameters[1:]
    if len(rest) == 1 and (
        rest[0].kind is Parameter.VAR_KEYWORD or is_row_type(forms[1]) or _is_changes(rest[0], forms[1])
    ):
        take: Callable[[tuple[Any, ...]], dict[str, Any]] = lambda values: dict(row_of(values[1]))  # noqa: E731
    elif all(p.name in about.fields for p in rest):
        take = lambda values: {p.name: v for p, v in zip(rest, values[1:], strict=True) if not _left_out(p, v)}  # noqa: E731
    else:
        unknown = next((p.name for p in rest if p.name not in about.fields), "")
        return Unread(f"{about.record_type.__name__} has no field {unknown!r}")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        key = access.table.key_of(values[0]) if first == "record" else values[0]
        return _change(access, key, take(values), result)

    key = parameters[0].name if first == "key" else ""
    meaning = f"UPDATE {identifier(about.name)} SET … WHERE {_by_key(about, key)}"
    return Reading(about.record_type, meaning, answer, is_look_up=False)


def _is_changes(parameter: Parameter, form: Any) -> bool:
    return is_typed_dict(form) or (parameter.name in _CHANGES and form in (Any, dict, abc.Mapping))


def _left_out(parameter: Parameter, value: Any) -> bool:
    return parameter.default is None and value is None


def _change(access: Access, key: Any, changes: dict[str, Any], result: Result) -> Any:
    table = access.table
    record = table.find(key)
    access.did(lambda: _update_text(table, key, changes))
    if record is None:
        if result.kind in ("bool", "int", "one or none"):
            return {"bool": False, "int": 0}.get(result.kind)
        raise table.missing_error(key)
    stored = table.save(table.changed(record, changes))
    replies = {"none": None, "bool": True, "int": 1}
    return replies[result.kind] if result.kind in replies else row_of(stored) if result.as_row else stored


# --- removing ---------------------------------------------------------------------------------------------------------


def _removal(about: Entity, result: Result, key_of: Callable[[Table[Any], Any], Any], parameter: str = "") -> Reading:
    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        key = key_of(table, values[0])
        access.did(lambda: f"DELETE FROM {identifier(table.table_name)} WHERE {_key_text(table, key)}")
        record = table.find(key)
        gone = table.remove(key)
        if result.kind in ("bool", "int"):
            return gone if result.kind == "bool" else int(gone)
        if gone or result.kind == "one or none":
            return record if result.kind in ("one", "one or none") else True if result.kind == "unknown" else None
        if result.kind == "unknown":
            raise NotCertain(f"no {table.name} has this key, and with no promised type it is not certain what then")
        raise table.missing_error(key)

    meaning = f"DELETE FROM {identifier(about.name)} WHERE {_by_key(about, parameter)}"
    return Reading(about.record_type, meaning, answer, is_look_up=False)


def _removals_by_record(about: Entity, result: Result) -> Reading | Unread:
    if result.kind not in ("none", "int", "unknown"):
        return Unread("removing several is read where it promises None or their number")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        table = access.table
        keys = [table.key_of(record) for record in values[0]]
        access.did(lambda: _removal_text(table, keys))
        gone = sum(table.remove(key) for key in keys)
        return None if result.kind == "none" else gone

    meaning = f"DELETE FROM {identifier(about.name)} WHERE {_by_key(about)} for each"
    return Reading(about.record_type, meaning, answer, is_look_up=False)


def _removal_of_many(
    member: Member, about: Entity, name: Name, result: Result, table: Table[Any], verb: str
) -> Reading | Unread:
    """`delete_by_harbour(harbour)`, `delete_all()`: it removes what a look-up of that name would find."""
    if result.kind not in ("none", "int", "bool"):
        return Unread(f"{verb!r} of several is read where it promises None, bool or their number")
    says_which = bool(name.by or name.flags or (name.many and member.name != verb) or verb not in REMOVES)
    wanted = wanted_by(member, about, name)
    if isinstance(wanted, str):
        return Unread(wanted)
    if not says_which and not (wanted.parts and _has_many_keys(member, about)):
        given = member.parameters[0] if member.parameters else None
        record = about.record_type.__name__
        return Unread(f"the parameter {given!r} is not the key of {record}" if given else "it says not which to remove")
    if any(part.role != "condition" for part in wanted.parts):
        return Unread(f"{verb!r} is not read with a limit, a page or an order")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        query = wanted.query(access.table, values)
        access.did(lambda: query.sql("DELETE"))
        gone = query.remove()
        return {"none": None, "bool": bool(gone)}.get(result.kind, gone)

    meaning = wanted.shown(table, member.parameters).replace("SELECT *", "DELETE", 1)
    return Reading(about.record_type, meaning, answer, is_look_up=False)


def _has_many_keys(member: Member, about: Entity) -> bool:
    return len(member.parameters) == 1 and member.parameters[0] in {
        f"{key}s" for key in ("id", "key", *about.key_fields, f"{about.name}_id")
    }


# --- as SQL -----------------------------------------------------------------------------------------------------------


def _verb_text(verb: str, about: Entity) -> str:
    return f"{'INSERT' if verb in ADDS else 'INSERT OR REPLACE'} INTO {identifier(about.name)}"


def _insertion(verb: str, table: Table[Any], record: Any) -> str:
    values = row_of(record)
    if verb in UPDATES:
        return _update_text(table, table.key_of(record), values)
    names = "" if tuple(values) == table.fields else f" ({', '.join(map(identifier, values))})"
    insert = "INSERT" if verb in ADDS else "INSERT OR REPLACE"
    texts = ", ".join(map(literal, values.values()))
    return f"{insert} INTO {identifier(table.table_name)}{names} VALUES ({texts})"


def _update_text(table: Table[Any], key: Any, values: dict[str, Any]) -> str:
    sets = ", ".join(f"{identifier(f)} = {literal(v)}" for f, v in values.items() if f not in table.key_fields)
    return f"UPDATE {identifier(table.table_name)} SET {sets} WHERE {_key_text(table, key)}"


def _key_text(table: Table[Any], key: Any) -> str:
    fields = table.key_fields or ("key",)
    values = key if isinstance(key, tuple) and len(fields) > 1 else (key,)
    return " AND ".join(f"{identifier(f)} = {literal(v)}" for f, v in zip(fields, values, strict=False))


def _removal_text(table: Table[Any], keys: list[Any]) -> str:
    if len(table.key_fields) > 1:
        which = " OR ".join(_key_text(table, key) for key in keys)
    else:
        which = f"{identifier(table.key or 'key')} IN ({', '.join(map(literal, keys))})"
    return f"DELETE FROM {identifier(table.table_name)} WHERE {which}"


def _by_key(about: Entity, parameter: str = "") -> str:
    """The condition on the key; the parameter's name where one parameter is the key."""
    fields = about.key_fields or ("key",)
    return " AND ".join(f"{identifier(field)} = :{parameter or field}" for field in fields)
