"""How the methods of an interface were read, told to a developer."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple, overload

from urnshelf.calls.wording import declared
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import QUIET
from urnshelf.readings.answering import Readings
from urnshelf.readings.operations import Unread


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
    """Every method of an interface, and how it was read; `str()` of it is a text to read.

    >>> print(shelf.explain(BerthRepository))
    BerthRepository
      get(berth_id: int) -> Berth
          SELECT * FROM berth WHERE id = :berth_id
      find_by_harbour(harbour: str) -> list[Berth]
          SELECT * FROM berth WHERE harbour = :harbour
      save(berth: Berth) -> None
          INSERT OR REPLACE INTO berth VALUES (:berth)
      count() -> int
          SELECT count(*) FROM berth
    """

    def __init__(self, name: str, methods: list[Explained]) -> None:
        self.name = name
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
        return "\n".join(
            [self.name, *(line for method in self._methods for line in _lines(method))]
        )

    __repr__ = __str__


def _lines(method: Explained) -> Iterator[str]:
    yield f"  {method.method}"
    yield f"      {method.read_as or 'not read: ' + method.advice}"


def explain(
    interface: Interface, readings: Readings, obvious: Callable[[Member], str]
) -> Explanation:
    """How each method of the interface was read.

    Args:
        interface: taken apart.
        readings: the shelf's.
        obvious: what a method replies that is not read, where that is obvious; else an empty text.
    """
    methods = []
    for member in interface.members.values():
        if member.kind == "attribute" or member.name in QUIET:
            continue
        lesson = readings.lessons.of_function(member.function)
        reading = readings.read(member, interface)
        if lesson is not None:
            methods.append(Explained(declared(member), str(lesson), ""))
        elif isinstance(reading, Unread):
            reply = "" if reading.is_operation else obvious(member)
            advice = "" if reply else _advice(interface.name, member.name, reading)
            methods.append(Explained(declared(member), reply, advice))
        else:
            methods.append(Explained(declared(member), reading.meaning, ""))
    return Explanation(interface.name, methods)


def _advice(interface: str, method: str, reading: Unread) -> str:
    if not reading.why:
        return "it is about no records; cue it"
    return f"{reading.why}; cue it, or teach it: @shelf.teach({interface}.{method})"
