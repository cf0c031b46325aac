"""Reading one method: the readers are asked one after the other, and the first that knows it
decides.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.advising import about_nothing, declarations
from urnshelf.readings.changes import read_setter
from urnshelf.readings.comparing import condition_maker
from urnshelf.readings.entities import Entity, entity, names_told_by, record_of
from urnshelf.readings.honouring import honoured
from urnshelf.readings.key_values import read_key_value
from urnshelf.readings.look_ups import read_look_up, read_question
from urnshelf.readings.mappings import read_mapping
from urnshelf.readings.noticing import noticed, stored_interface
from urnshelf.readings.operations import (
    Operation,
    Promised,
    Reading,
    ReadParameter,
    Role,
    Unread,
)
from urnshelf.readings.parameters import PAGING, read_condition
from urnshelf.readings.queues import QUEUES, read_queue
from urnshelf.readings.removals import read_removal
from urnshelf.readings.results import result_of
from urnshelf.readings.roles import given_as
from urnshelf.readings.stores import is_only_kept
from urnshelf.readings.subject import Subject
from urnshelf.readings.told_keys import keys_told_by
from urnshelf.readings.units import is_unit_of_work, read_unit
from urnshelf.readings.verbs import (
    ADDS,
    COUNTS,
    HOUSEKEEPING,
    LOOK_UPS,
    QUESTIONS,
    REMOVES,
    SAVES,
    UPDATES,
    VERBS,
)
from urnshelf.readings.writes import read_write
from urnshelf.store.definition import Definition

__all__ = [
    "READERS",
    "declarations",
    "keys_told_by",
    "names_told_by",
    "noticed",
    "read",
    "record_type_of",
    "roles_of",
    "stored_interface",
]
"""What is asked of the readings, once they are loaded."""


class Reader(NamedTuple):
    """One who reads methods: of any interface, or those whose names begin with certain verbs."""

    verbs: frozenset[str]
    """Empty for all."""
    read: Callable[[Subject], Reading | Unread | None]


def _no_method(subject: Subject) -> Reading | Unread | None:
    # what Python calls behind one's back is none of a repository's words
    if subject.member.kind == "attribute":
        return Unread("an attribute is no method of a repository", is_operation=False)
    if subject.member.name.startswith("_"):
        return Unread("only public methods are read", is_operation=False)
    if "_".join(subject.words) in HOUSEKEEPING and subject.is_housekeeping:
        return _housekeeping(subject)
    return (
        Unread(about_nothing(subject), is_operation=False) if subject.definition is None else None
    )


def _housekeeping(subject: Subject) -> Reading | Unread:
    """`close()` has nothing to do; whoever is asked `ping()` is there."""
    promised = subject.result.kind
    if promised is Promised.UNKNOWN:
        return Reading(None, Operation.PING, (), lambda: "nothing to do", lambda *_: None)
    if subject.words == ["ping"] and promised is Promised.BOOL:
        return Reading(None, Operation.PING, (), lambda: "it is there", lambda *_: True)
    return Unread("it promises more than None", is_operation=False)


def _unknown(subject: Subject) -> Unread:
    if isinstance(subject.name, str) and subject.words[0] in VERBS:
        return Unread(subject.name)
    return Unread(f"the verb {subject.words[0]!r} is not one that is read", is_operation=False)


_ANY: frozenset[str] = frozenset()
READERS = (
    Reader(
        frozenset({"enter", "aenter", "begin", "start", "exit", "aexit", "commit", "rollback"}),
        read_unit,
    ),
    Reader(_ANY, read_mapping),
    Reader(_ANY, read_key_value),
    Reader(_ANY, _no_method),
    Reader(QUEUES, read_queue),
    Reader(frozenset({"set", "mark", "change"}), read_setter),
    Reader(ADDS | SAVES | UPDATES, read_write),
    Reader(REMOVES | {"clear", "purge", "truncate"}, read_removal),
    Reader(COUNTS | QUESTIONS, read_question),
    Reader(LOOK_UPS, read_look_up),
    Reader(_ANY, _unknown),
)
"""Who is asked, in order: each gives a reading, or why the method is not read, or None where it is
not its business.
"""


@remembered
def record_type_of(member: Member, interface: Interface) -> Any:
    """The record type that the method is about; None for a unit of work, which is about several."""
    if "commit" in interface.members and is_unit_of_work(interface):
        return None
    found = record_of(member, interface)
    is_promised = found is not None and result_of(member.promise.node).record_type is found
    if found is None or is_promised or not is_only_kept(found, interface):
        return found
    return None


@remembered
def read(member: Member, interface: Interface, definition: Definition | None) -> Reading | Unread:
    """What the method stands for, or why that is not certain.

    Args:
        member: the method.
        interface: where it was found.
        definition: how the records that it is about are stored; None where it is about none.
    """
    subject = Subject(member, interface, definition)
    verb = subject.words[0]
    # `code_exists` asks a question: its verb is the last word
    is_about_records = definition is None or (verb in VERBS and subject.words[-1] not in QUESTIONS)
    for reader in READERS:
        if (
            reader.verbs
            and verb not in reader.verbs
            and (is_about_records or subject.verb not in reader.verbs)
        ):
            continue
        found = reader.read(subject)
        if found is not None:
            return (
                honoured(found, subject.result.kind, member.name)
                if isinstance(found, Reading)
                else found
            )
    # `_unknown` has something to say of everything
    raise AssertionError("the last reader always decides")


def roles_of(member: Member, definition: Definition | None) -> tuple[ReadParameter, ...]:
    """What the parameters of a method stand for, whatever the method does: for those that are
    taught.
    """
    if definition is None:
        return tuple(ReadParameter(name, Role.OTHER) for name in member.parameters)
    about = entity(definition)
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
