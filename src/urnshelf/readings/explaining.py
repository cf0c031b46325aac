"""How the methods of an interface were read, told to a developer."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple, overload

from urnshelf.calls.wording import declared
from urnshelf.interfaces.members import NO_DEFAULT, Interface, Member
from urnshelf.interfaces.taking_apart import QUIET
from urnshelf.readings.answering import Readings
from urnshelf.readings.declared import TELLING
from urnshelf.readings.operations import Reading
from urnshelf.records.display import show


class Explained(NamedTuple):
    """One method of an interface.

    >>> shelf.explain(BerthRepository)[3].read_as
    'SELECT count(*) FROM berth'
    """

    method: str
    """As it is declared."""
    read_as: str
    """The store operation, as SQL, or the reply that is obvious; empty where there is neither."""
    advice: str
    """Why it is not read, and what to do; empty where it is, or where there is nothing to do."""


class Explanation(Sequence[Explained]):
    """Every method and attribute of an interface, and how it was read; a text to read, as `str()`.

    >>> print(shelf.explain(BerthRepository))
    BerthRepository
      get(berth_id: int) -> Berth
          SELECT * FROM berth WHERE id = :berth_id
      find_by_harbour(harbour: str) -> list[Berth]
          SELECT * FROM berth WHERE harbour = :harbour ORDER BY id
      save(berth: Berth) -> None
          INSERT OR REPLACE INTO berth VALUES (:berth)
      count() -> int
          SELECT count(*) FROM berth
      key of Berth: id
    """

    def __init__(self, name: str, methods: list[Explained], keys: tuple[str, ...] = ()) -> None:
        self.name = name
        self.keys = keys
        """The key of each record type that the interface is about, in words.

        >>> shelf.explain(BerthRepository).keys
        ('key of Berth: id',)
        """
        self._methods = methods

    @overload
    def __getitem__(self, index: int) -> Explained: ...
    @overload
    def __getitem__(self, index: slice) -> list[Explained]: ...
    def __getitem__(self, index: int | slice) -> Explained | list[Explained]:
        return self._methods[index]

    def __len__(self) -> int:
        return len(self._methods)

    def __str__(self) -> str:
        lines = [line for method in self._methods for line in _lines(method)]
        return "\n".join([self.name, *lines, *(f"  {text}" for text in self.keys)])

    __repr__ = __str__


def _lines(method: Explained) -> Iterator[str]:
    yield f"  {method.method}"
    yield f"      {method.read_as or 'not read: ' + method.advice}"


def explain(
    interface: Interface, readings: Readings, obvious: Callable[[Member], str]
) -> Explanation:
    """How each method and attribute of the interface was read.

    Args:
        interface: taken apart.
        readings: the shelf's.
        obvious: what a member replies that is not read, where that is obvious; else an empty text.
    """
    explained = [
        _explained(member, interface, readings, obvious)
        for member in interface.members.values()
        if member.name not in QUIET
    ]
    return Explanation(interface.name, explained, readings.keys_of(interface))


def _explained(
    member: Member, interface: Interface, readings: Readings, obvious: Callable[[Member], str]
) -> Explained:
    written = declared(member)
    lesson = readings.lessons.of_function(member.function)
    if lesson is not None:
        return Explained(written, str(lesson), "")
    if readings.declared.tells(interface) and member.promise.is_nothing:
        return Explained(written, str(TELLING), "")
    if member.kind == "attribute":
        constant = "" if member.default is NO_DEFAULT else f"{show(member.default, 60)}, a constant"
        reply = obvious(member) or constant
        return Explained(written, reply, "" if reply else _advice_for_attribute(interface, member))
    reading = readings.read(member, interface)
    if isinstance(reading, Reading):
        return Explained(written, reading.meaning, "")
    why = readings.why_unread(reading, member, interface)
    is_uncertain = reading.is_operation or readings.noticed(member, interface)
    reply = "" if is_uncertain else obvious(member)
    if reply:
        return Explained(written, reply, "")
    declarations = readings.declarations(member, interface, reading, why)
    return Explained(written, "", _advice(interface, member, why, declarations))


def _advice(interface: Interface, member: Member, why: str, declarations: tuple[str, ...]) -> str:
    is_function = not isinstance(interface.origin, type)
    named = interface.name if is_function else f"{interface.name}.{member.name}"
    lines = [line.partition("    #")[0] for line in declarations]
    declared = f"; or declare it: {', or '.join(lines)}" if lines else ""
    return (
        f"{why or 'it is about no records'}; cue it, or teach it: @shelf.teach({named}){declared}"
    )


def _advice_for_attribute(interface: Interface, member: Member) -> str:
    return (
        f"an attribute is told by nothing; cue it: "
        f'cue(attribute(shelf.fake({interface.name}), "{member.name}"))'
    )
