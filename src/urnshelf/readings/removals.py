"""Readings of methods that remove records."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
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
from urnshelf.readings.results import Result
from urnshelf.readings.roles import given_to
from urnshelf.readings.spans import PARTLY, is_partly_in
from urnshelf.readings.statements import key_condition, key_text, removal_text
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import REMOVES
from urnshelf.readings.wanted import wanted_by
from urnshelf.store.paths import identifier
from urnshelf.store.views import View


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
        return Unread(f"{verb!r} is read where it promises None, bool, int or the record")
    given = given_to(member, about)
    if not about.key_fields and {Role.RECORD, Role.RECORDS} & {one.role for one in given}:
        return Unread(about.definition.without_key)
    first = given[0].role if len(given) == 1 else Role.OTHER
    # of a record only its key counts, as in a database
    if first is Role.RECORD and not name.by:
        return _removal(about, result, given, lambda table, value: table.key_of(value))
    if first is Role.RECORDS and not name.by:
        return _removals_by_record(about, result, given)
    if first is Role.KEY and name.by in ([], ["id"], [about.key_fields[0]]):
        return _removal(about, result, given, lambda table, value: value)
    return _removal_of_many(member, about, name, result, verb)


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
            lambda: f"DELETE FROM {identifier(table.table_name)} WHERE {key_text(table, key)}"
        )
        # looked up before, for it may be what is promised
        record = table.find(key)
        return _reply_of_removal(table, key, record, table.remove(key), result)

    parameter = given[0].name if given[0].role is Role.KEY else ""
    return Reading(
        about.record_type,
        Operation.REMOVE,
        given,
        lambda: (
            f"DELETE FROM {identifier(about.table_name)} WHERE {key_condition(about, parameter)}"
        ),
        answer,
    )


def _reply_of_removal(
    table: View[Any], key: object, record: object, gone: bool, result: Result
) -> Any:
    kind = result.kind
    if kind in (Promised.BOOL, Promised.INT):
        return gone if kind is Promised.BOOL else int(gone)
    # what promises a record or None says by None that there was none
    if kind in (Promised.ONE, Promised.ONE_OR_NONE) and (gone or kind is Promised.ONE_OR_NONE):
        return result.given(record)
    if gone:
        # a caller without a promise may ask for the truth of it
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
        access.did(lambda: removal_text(table, keys))
        gone = sum(table.remove(key) for key in keys)
        return None if result.kind is Promised.NONE else gone

    return Reading(
        about.record_type,
        Operation.REMOVE,
        given,
        lambda: f"DELETE FROM {identifier(about.table_name)} WHERE {key_condition(about)} for each",
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
    # `delete()` alone would empty the table; `delete_all()` says that it is meant to
    says_which = bool(
        name.by or name.flags or (name.many and member.name != verb) or verb not in REMOVES
    )
    wanted = wanted_by(member, about, name)
    if isinstance(wanted, str):
        return Unread(wanted)
    if is_partly_in(member, about):
        return Unread(PARTLY)
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
