"""A method to be read, and what is found out about it on the way."""

from __future__ import annotations

from functools import cached_property

from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.entities import Entity, entity
from urnshelf.readings.names import Name, name_of
from urnshelf.readings.noticing import is_housekeeping
from urnshelf.readings.results import Result, result_of
from urnshelf.readings.verbs import twin_of, words_of
from urnshelf.store.definition import Definition


class Subject:
    """A method to be read.

    Args:
        member: the method.
        interface: where it was found.
        definition: how the records that it is about are stored; None where it is about none.
    """

    about: Entity
    """Its records; there is none for a method that is about no records."""

    def __init__(self, member: Member, interface: Interface, definition: Definition | None) -> None:
        self.member = member
        self.interface = interface
        self.definition = definition
        self.words = words_of(twin_of(member.name, interface.members))
        self.result: Result = result_of(member.promise.node)
        """What it promises."""
        if definition is not None:
            self.about = entity(definition)

    @cached_property
    def name(self) -> Name | str:
        """Its name taken apart, or the word that is not accounted for."""
        return name_of(self.words, self.about, self.member.parameters)

    @property
    def is_housekeeping(self) -> bool:
        """Whether it is one that every dependency may have, and that changes nothing."""
        return is_housekeeping(self.member, self.interface)

    @cached_property
    def verb(self) -> str:
        """The word that opens the name, or what stands for it: `berths_by_harbour` lists."""
        return self.words[0] if isinstance(self.name, str) else self.name.verb
