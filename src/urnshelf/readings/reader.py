"""Reading one method: as a key–value store's, a look-up, a question, a write or a removal."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.entities import Entity, entity, item_record, record_of
from urnshelf.readings.key_values import is_key_value_store, read_key_value
from urnshelf.readings.look_ups import read_look_up, read_question
from urnshelf.readings.names import VERBS, name_of, verb_of
from urnshelf.readings.reading import Reading, Unread
from urnshelf.readings.results import result_of
from urnshelf.readings.units import is_unit_of_work, read_unit
from urnshelf.readings.writes import read_removal, read_setter, read_write
from urnshelf.store.definition import untold
from urnshelf.store.tables import Store


@lru_cache(maxsize=4096)
def record_type_of(member: Member, interface: Interface) -> Any:
    """The record type that the method is about; None for a unit of work, which is about several."""
    return None if is_unit_of_work(interface) else record_of(member, interface)


@lru_cache(maxsize=4096)
def read_untold(member: Member, interface: Interface) -> Reading | Unread:
    """What the method stands for on a shelf that was told nothing about how records are stored."""
    record_type = record_type_of(member, interface)
    return read(member, interface, record_type, untold(record_type).key_fields if record_type else ())


@lru_cache(maxsize=4096)
def read(member: Member, interface: Interface, record_type: Any, keys: tuple[str, ...]) -> Reading | Unread:
    """What the method stands for, or why that is not certain.

    Args:
        member: the method.
        interface: where it was found.
        record_type: the records that it is about; None where it is about none.
        keys: the fields of their primary key.
    """
    unit = read_unit(member, interface)
    if unit is not None:
        return unit
    if member.kind != "attribute" and is_key_value_store(interface):
        return read_key_value(member)
    if member.kind == "attribute" or member.name.startswith("_"):
        return Unread("only public methods are read", is_operation=False)
    if record_type is None:
        return Unread("", is_operation=False)
    about = entity(record_type, keys)
    table = Store(_no_uuid).table(record_type)
    result = result_of(member.promise.type)
    name = name_of(member.name, about, member.parameters)
    for found in (
        read_setter(member, about),
        read_write(member, about, name, result),
        read_removal(member, about, name, result, table),
        None if isinstance(name, str) else read_question(member, about, name, result, table),
        None if isinstance(name, str) else read_look_up(member, about, name, result, table),
    ):
        if found is not None:
            return found
    if isinstance(name, str) and verb_of(member.name) in VERBS:
        return Unread(name)
    verb = verb_of(member.name)
    return Unread(f"the verb {verb!r} is not one that is read", is_operation=_changes_records(member, about, interface))


def _changes_records(member: Member, about: Entity, interface: Interface) -> bool:
    """Whether a method of a repository is given a record or a key: then to do nothing would be a lie."""
    if not any(verb_of(name) in VERBS for name in interface.members if not name.startswith("_")):
        return False
    forms = member.parameter_types.items()
    return any(form is about.record_type or item_record(form) or about.is_key(name) for name, form in forms)


def _no_uuid(_record_type: type, _number: int) -> Any:
    raise AssertionError("nothing is stored here")
