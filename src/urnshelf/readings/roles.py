"""What the parameters of a method that writes stand for: a record, several, a key, values."""

from __future__ import annotations

from inspect import Parameter

from urnshelf.interfaces.members import Member
from urnshelf.readings.comparing import is_collection_type
from urnshelf.readings.entities import Entity, item_record
from urnshelf.readings.operations import ReadParameter, Role
from urnshelf.readings.results import is_row_type
from urnshelf.types.nodes import Kind, Node


def given_to(member: Member, about: Entity) -> tuple[ReadParameter, ...]:
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
    # without an annotation only a name that cannot mean anything else will do
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


def path_of_key(about: Entity) -> str:
    """The field that is the key alone; empty where there is none."""
    return about.key_fields[0] if len(about.key_fields) == 1 else ""
