"""Reading one method: the readers are asked one after the other, and the first that knows it decides."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.entities import Entity, entity, item_record, record_of
from urnshelf.readings.key_values import is_key_value_store, read_key_value
from urnshelf.readings.look_ups import read_look_up, read_question
from urnshelf.readings.names import VERBS, Name, name_of, verb_of
from urnshelf.readings.operations import Reading, ReadParameter, Role, Unread, honoured
from urnshelf.readings.parameters import PAGING, condition_maker, read_condition
from urnshelf.readings.results import Result, result_of
from urnshelf.readings.units import is_unit_of_work, read_unit
from urnshelf.readings.writes import given_as, read_removal, read_setter, read_write
from urnshelf.store.definition import untold


class Subject:
    """A method to be read, and what is found out about it on the way.

    Args:
        member: the method.
        interface: where it was found.
        record_type: the records that it is about; None where it is about none.
        keys: the fields of their primary key.
    """

    def __init__(self, member: Member, interface: Interface, record_type: Any, keys: tuple[str, ...]) -> None:
        self.member = member
        self.interface = interface
        self.record_type = record_type
        self._keys = keys

    @cached_property
    def about(self) -> Entity:
        """Its records."""
        return entity(self.record_type, self._keys)

    @cached_property
    def name(self) -> Name | str:
        """Its name taken apart, or the word that is not accounted for."""
        return name_of(self.member.name, self.about, self.member.parameters)

    @cached_property
    def result(self) -> Result:
        """What it promises."""
        return result_of(self.member.promise.node)


Reader = Callable[[Subject], Reading | Unread | None]


def _unit(subject: Subject) -> Reading | Unread | None:
    return read_unit(subject.member, subject.interface)


def _key_value(subject: Subject) -> Reading | Unread | None:
    is_method = subject.member.kind != "attribute"
    return read_key_value(subject.member) if is_method and is_key_value_store(subject.interface) else None


def _no_method(subject: Subject) -> Reading | Unread | None:
    if subject.member.kind == "attribute" or subject.member.name.startswith("_"):
        return Unread("only public methods are read", is_operation=False)
    return Unread("", is_operation=False) if subject.record_type is None else None


def _setter(subject: Subject) -> Reading | Unread | None:
    return read_setter(subject.member, subject.about)


def _write(subject: Subject) -> Reading | Unread | None:
    return read_write(subject.member, subject.about, subject.name, subject.result)


def _removal(subject: Subject) -> Reading | Unread | None:
    return read_removal(subject.member, subject.about, subject.name, subject.result)


def _unknown_name(subject: Subject) -> Reading | Unread | None:
    if not isinstance(subject.name, str):
        return None
    return Unread(subject.name) if verb_of(subject.member.name) in VERBS else _unknown_verb(subject)


def _question(subject: Subject) -> Reading | Unread | None:
    name = subject.name
    return None if isinstance(name, str) else read_question(subject.member, subject.about, name, subject.result)


def _look_up(subject: Subject) -> Reading | Unread | None:
    name = subject.name
    return None if isinstance(name, str) else read_look_up(subject.member, subject.about, name, subject.result)


def _unknown_verb(subject: Subject) -> Unread:
    verb = verb_of(subject.member.name)
    return Unread(f"the verb {verb!r} is not one that is read", is_operation=_changes_records(subject))


READERS: tuple[Reader, ...] = (
    _unit, _key_value, _no_method, _setter, _write, _removal, _unknown_name, _question, _look_up, _unknown_verb,
)  # fmt: skip
"""Who is asked, in order: each gives a reading, or why the method is not read, or None where it is not its business."""


@remembered
def record_type_of(member: Member, interface: Interface) -> Any:
    """The record type that the method is about; None for a unit of work, which is about several."""
    return None if is_unit_of_work(interface) else record_of(member, interface)


@remembered
def read_untold(member: Member, interface: Interface) -> Reading | Unread:
    """What the method stands for on a shelf that was told nothing about how records are stored."""
    record_type = record_type_of(member, interface)
    return read(member, interface, record_type, untold(record_type).key_fields if record_type else ())


@remembered
def read(member: Member, interface: Interface, record_type: Any, keys: tuple[str, ...]) -> Reading | Unread:
    """What the method stands for, or why that is not certain.

    Args:
        member: the method.
        interface: where it was found.
        record_type: the records that it is about; None where it is about none.
        keys: the fields of their primary key.
    """
    subject = Subject(member, interface, record_type, keys)
    for reader in READERS:
        found = reader(subject)
        if isinstance(found, Reading):
            return honoured(found, subject.result.kind, member.name)
        if found is not None:
            return found
    raise AssertionError("the last reader always decides")


def roles_of(member: Member, interface: Interface, keys: tuple[str, ...] | None = None) -> tuple[ReadParameter, ...]:
    """What the parameters of a method stand for, whatever the method does: for those that are taught."""
    record_type = record_type_of(member, interface)
    if record_type is None:
        return tuple(ReadParameter(name, Role.OTHER) for name in member.parameters)
    about = entity(record_type, keys)
    return tuple(_role_of(name, member, about) for name in member.parameters)


def _role_of(name: str, member: Member, about: Entity) -> ReadParameter:
    node = member.parameter_nodes[name]
    given = given_as(member.signature.parameters[name], node, about)
    if given.role is not Role.OTHER:
        return given
    if name in PAGING:
        return ReadParameter(name, PAGING[name])
    make = condition_maker(name, node, about)
    return given if make is None else read_condition(name, make)


def _changes_records(subject: Subject) -> bool:
    """Whether a method of a repository is given a record or a key: then to do nothing would be a lie."""
    about = subject.about
    if not any(verb_of(name) in VERBS for name in subject.interface.members if not name.startswith("_")):
        return False
    nodes = subject.member.parameter_nodes.items()
    return any(
        node.bare is about.record_type or item_record(node) is not None or about.is_key(name) for name, node in nodes
    )
