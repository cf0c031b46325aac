"""What was declared of whole interfaces: that they keep values by key, or only tell somebody
something.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.operations import Operation, Reading
from urnshelf.store.journal import ABSENT
from urnshelf.store.own_errors import MakeError


class Manners(NamedTuple):
    """What was told of an interface's values besides what its methods tell."""

    default: Any = ABSENT
    """What a miss gives."""
    missing: MakeError | None = None
    duplicate: MakeError | None = None


NO_MANNERS = Manners()


class Declared:
    """What was declared of interfaces on one shelf."""

    def __init__(self) -> None:
        self.some = False
        """Whether anything was declared."""
        self.manners_of: dict[Any, Manners] = {}
        self.readings: dict[tuple[Any, str], Reading] = {}
        self.telling: set[Any] = set()

    def manners(self, interface: Interface) -> Manners:
        """What was told of the interface's values, besides its methods."""
        for form in (interface.form, interface.origin):
            if form in self.manners_of:
                return self.manners_of[form]
        return NO_MANNERS

    def reading_of(self, member: Member, interface: Interface) -> Reading | None:
        """What the method was declared to do."""
        for form in (interface.form, interface.origin):
            if (form, member.name) in self.readings:
                return self.readings[form, member.name]
        return None

    def tells(self, interface: Interface) -> bool:
        """Whether the interface was declared to tell only."""
        return interface.form in self.telling or interface.origin in self.telling


class Telling:
    """Who answered a call of an interface that only tells."""

    is_look_up = False
    operation = Operation.TOLD

    def __repr__(self) -> str:
        return "shelf.tells(…): nothing to do"


TELLING = Telling()
