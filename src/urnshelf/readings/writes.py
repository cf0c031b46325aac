"""Readings of methods that store records: they add, save or update."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.changes import changes_reading, set_field_reading
from urnshelf.readings.entities import Entity
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
from urnshelf.readings.queues import gives_back
from urnshelf.readings.results import Result
from urnshelf.readings.roles import given_to, path_of_key
from urnshelf.readings.statements import insertion, key_condition, verb_text
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import ADDS, PUSHES, SAVES, UPDATES
from urnshelf.records.equality import same
from urnshelf.store.paths import identifier
from urnshelf.store.views import View

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
    set_field = set_field_reading(member, about, verb)
    if set_field is not None:
        return set_field
    if isinstance(name, str):
        return Unread(name)
    # `add_first(…)` or `save_open(…)` do more than store
    if name.flags or name.order or name.is_first:
        return Unread(
            f"{member.name!r} says more than that it stores a {about.record_type.__name__}"
        )
    if verb in PUSHES and not gives_back(about.record_type, subject.interface):
        return Unread(f"nothing gives a {about.record_type.__name__} back", is_operation=False)
    given = given_to(member, about)
    first = given[0].role if given else Role.OTHER
    is_of_record = first in (Role.RECORD, Role.RECORDS, Role.KEY)
    if verb not in ADDS and is_of_record and not about.key_fields:
        return Unread(about.definition.without_key)
    if first in (Role.RECORD, Role.RECORDS) and len(given) == 1 and not name.by:
        return _stored_reading(verb, given, about, result)
    if verb in ADDS and not name.by:
        made = _made_of_values(member, given, about)
        if made is not None:
            return _made_reading(verb, made, given, about, result)
    says_which = first is Role.KEY or (first is Role.RECORD and not name.by)
    if verb in UPDATES and len(given) >= 2 and says_which:
        return changes_reading(member, given, about, result)
    if first in (Role.RECORD, Role.RECORDS) and len(given) > 1:
        return Unread(f"the parameter {given[1].name!r} is not accounted for")
    return Unread(
        f"{verb!r} is read with one {about.record_type.__name__}, with several, or with values of "
        "its fields"
    )


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
        own: list[Any] = []
        access.did(lambda: "; ".join(insertion(verb, table, record) for record in stored[:3]))
        # one after the other: the statement tells of those that were stored, should one be
        # refused
        for record in list(values[0]) if is_many else [values[0]]:
            stored.append(store(table, record))
            own.append(_own(record, stored[-1], table))
        return reply(table, own)

    def tell() -> str:
        meaning = f"{verb_text(verb, about)} VALUES (:{about.name})"
        if verb in UPDATES:
            meaning = f"UPDATE {identifier(about.table_name)} SET … WHERE {key_condition(about)}"
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
        access.did(lambda: insertion(verb, table, stored))
        return reply(table, [stored])

    fields = tuple(
        one if one.role is Role.VALUES else ReadParameter(one.name, Role.FIELD, one.name, "=")
        for one in given
    )
    return Reading(
        about.record_type,
        Operation.MAKE,
        fields,
        lambda: f"{verb_text(verb, about)} VALUES (…)",
        answer,
    )


_OPERATIONS = {
    **dict.fromkeys(ADDS, Operation.ADD),
    **dict.fromkeys(SAVES, Operation.SAVE),
    **dict.fromkeys(UPDATES, Operation.UPDATE),
}


def _own(record: object, stored: Any, table: View[Any]) -> Any:
    """The caller's own object, as mappers give it back; what cannot be changed is given as it was
    stored, with the key and the version that it got.
    """
    is_own = not table.described.is_frozen or same(record, stored)
    return record if is_own else stored


def _store_of(verb: str) -> Store:
    if verb in ADDS:
        return lambda table, record: table.add(record)
    if verb in SAVES:
        return lambda table, record: table.save(record)
    return _update


def _update(table: View[Any], record: object) -> Any:
    key = table.key_of(record)
    # an update of nothing is an error in the most, and silence would hide it
    if key is None or table.find(key) is None:
        raise table.missing_error(key)
    return table.save(record)


def _reply_of_storing(
    result: Result, role: Role, about: Entity
) -> Callable[[View[Any], list[Any]], Any] | None:
    if result.kind is Promised.NONE:
        return lambda table, stored: None
    if role is Role.RECORDS:
        # where nothing is promised, what was stored may be used or not
        if result.kind in (Promised.MANY, Promised.UNKNOWN):
            return lambda table, stored: result.all_given(stored)
        return (lambda table, stored: len(stored)) if result.kind is Promised.INT else None
    if result.kind in (Promised.ONE, Promised.ONE_OR_NONE, Promised.UNKNOWN):
        return lambda table, stored: result.given(stored[0])
    if _is_key_promised(result, about):
        return lambda table, stored: table.key_of(stored[0])
    return None


def _is_key_promised(result: Result, about: Entity) -> bool:
    field = path_of_key(about)
    if not field or result.kind not in (Promised.INT, Promised.OTHER):
        return False
    key = about.node_of(field)
    if result.kind is Promised.INT:  # of a key that is no number, it would be a count, or a status
        return key.bare is int or not key.is_known
    promised = result.node
    is_same = promised is not None and not promised.optional and promised.bare == key.bare
    return key.is_known and is_same


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
        # the shelf assigns it
        values.setdefault(field, None)
    try:
        return about.described.build(values)
    except TypeError as why:
        raise NotCertain(
            f"no {about.record_type.__name__} can be made of these values: {why}"
        ) from None
