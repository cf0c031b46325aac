"""Readings of methods that change fields of a record: `set_owner(…)`, `update(id, changes)`."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from inspect import Parameter
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
from urnshelf.readings.operations import (
    Access,
    Operation,
    Promised,
    Reading,
    ReadParameter,
    Role,
    Unread,
)
from urnshelf.readings.results import Result, result_of, row_of
from urnshelf.readings.roles import path_of_key
from urnshelf.readings.statements import key_condition, update_text
from urnshelf.readings.subject import Subject
from urnshelf.records.description import snake_case
from urnshelf.store.paths import identifier
from urnshelf.types.nodes import Kind, Node

_CHANGES = frozenset(
    "changes values data fields updates kwargs attrs attributes payload row".split()
)


def read_setter(subject: Subject) -> Reading | Unread | None:
    """`set_<field>(key, value)`."""
    return set_field_reading(subject.member, subject.about, subject.words[0])


def set_field_reading(member: Member, about: Entity, verb: str) -> Reading | Unread | None:
    """One field of one record is set: `set_owner(vessel_id, owner)`, `update_owner(vessel_id,
    owner)`.
    """
    field = snake_case(member.name).removeprefix(f"{verb}_")
    # `set_vessel_owner` as well as `set_owner`
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
            f"{key_condition(about, key)}"
        ),
        answer,
    )


def changes_reading(
    member: Member, given: tuple[ReadParameter, ...], about: Entity, result: Result
) -> Reading | Unread:
    """A record, or its key, and then what is to be changed: `update(vessel_id, changes)`."""
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
        lambda: f"UPDATE {identifier(about.table_name)} SET … WHERE {key_condition(about, key)}",
        answer,
    )


def _given_as_values(values: tuple[Any, ...]) -> dict[str, Any]:
    return dict(row_of(values[1]))


def _given_by_field(rest: list[Parameter], values: tuple[Any, ...]) -> dict[str, Any]:
    pairs = zip(rest, values[1:], strict=True)
    # an argument of None that may be left out asks for no change
    return {p.name: value for p, value in pairs if p.default is not None or value is not None}


def _is_changes(parameter: Parameter, node: Node) -> bool:
    is_open = not node.is_known or (node.kind is Kind.MAPPING and not node.args)
    return node.kind is Kind.TYPED_DICT or (parameter.name in _CHANGES and is_open)


def _change(access: Access, key: object, changes: dict[str, Any], result: Result) -> Any:
    table = access.table
    record = table.find(key)
    access.did(lambda: update_text(table, key, changes))
    # a promised bool, number or None can say that there was nothing to change; a promised None
    # cannot
    if record is None:
        if result.kind in _REPLIES_OF_NOTHING:
            return _REPLIES_OF_NOTHING[result.kind]
        raise table.missing_error(key)
    stored = table.save(table.changed(record, changes))
    if result.kind in _REPLIES_OF_CHANGE:
        return _REPLIES_OF_CHANGE[result.kind]
    return result.given(stored)


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
