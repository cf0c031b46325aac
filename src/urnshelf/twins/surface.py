"""What a check may call: methods that are read or taught, and what their parameters stand for."""

from __future__ import annotations

import inspect
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from urnshelf.interfaces.dependencies import is_interface
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.readings.operations import Operation, Promised, Reading, ReadParameter
from urnshelf.readings.results import result_of
from urnshelf.readings.units import is_unit_of_work
from urnshelf.readings.verbs import LOOKING, verb_of
from urnshelf.records.recognising import describe
from urnshelf.shelf import Shelf

_ADDING = frozenset(
    {
        Operation.ADD,
        Operation.SAVE,
        Operation.MAKE,
        Operation.VALUE_SET,
        Operation.VALUE_SET_MANY,
        Operation.VALUE_COUNT_UP,
    }
)
_CLEARING = frozenset({Operation.VALUE_CLEAR, Operation.REMOVE_WHERE, Operation.TAKE})
_OF_UNITS = frozenset({Operation.BEGIN, Operation.COMMIT, Operation.ROLL_BACK, Operation.LEAVE})


class Offered:
    """One method that the check may call.

    Args:
        number: of its interface among those that are checked.
        path: the attributes between the interface and the method's own: of a unit of work.
        interface: the method's own.
        member: the method.
        operation: what it does.
        record_type: whose records; None for none.
        parameters: what each stands for.
        is_look: whether it only looks.
        meaning: as SQL; empty for what was taught.
    """

    def __init__(
        self,
        number: int,
        path: tuple[str, ...],
        interface: Interface,
        member: Member,
        operation: Operation,
        record_type: Any,
        parameters: tuple[ReadParameter, ...],
        is_look: bool,
        meaning: str = "",
    ) -> None:
        self.meaning = meaning
        self.number = number
        self.path = path
        self.interface = interface
        self.member = member
        self.operation = operation
        self.record_type = record_type
        self.parameters = parameters
        self.is_look = is_look
        self.label = ".".join((interface.name, member.name))
        self.is_of_unit = operation in _OF_UNITS
        self.adds = operation in _ADDING
        self.adds_only = operation in (Operation.ADD, Operation.MAKE)
        self.clears = operation in _CLEARING
        self.gives = _gives(member)
        self.by_position = _positional(member)

    def __repr__(self) -> str:
        return f"<{self.label}>"


class Gives(NamedTuple):
    """The records that a method gives: one, or many; None for none."""

    form: Any
    is_many: bool


def _gives(member: Member) -> Gives | None:
    node = member.promise.item if member.promise.stream else member.promise.node
    result = result_of(node)
    if result.record_type is None or result.as_row or describe(result.record_type) is None:
        return None
    if result.kind is Promised.MANY or member.promise.stream:
        return Gives(result.record_type, is_many=True)
    is_one = result.kind in (Promised.ONE, Promised.ONE_OR_NONE)
    return Gives(result.record_type, is_many=False) if is_one else None


def _positional(member: Member) -> dict[str, bool]:
    """Whether each parameter is given by position while none before it was left out."""
    kinds = inspect.Parameter
    return {
        name: one.kind in (kinds.POSITIONAL_ONLY, kinds.POSITIONAL_OR_KEYWORD)
        for name, one in member.signature.parameters.items()
    }


class NotCompared(NamedTuple):
    """A method that no sequence calls, and why."""

    label: str
    why: str


class Surface(NamedTuple):
    """What a check may call, and what it leaves out."""

    offered: tuple[Offered, ...]
    left_out: tuple[NotCompared, ...]

    @property
    def record_types(self) -> tuple[Any, ...]:
        """The types of the records that are stored."""
        found = [one.record_type for one in self.offered if one.record_type is not None]
        return tuple(dict.fromkeys(found))

    @property
    def unit(self) -> bool:
        """Whether there is a unit of work, within which everything happens."""
        return any(one.operation is Operation.BEGIN for one in self.offered)

    def of(self, operation: Operation) -> list[Offered]:
        """The methods that do this."""
        return [one for one in self.offered if one.operation is operation]


def surface_of(shelf: Shelf, forms: Sequence[object], excepted: frozenset[str]) -> Surface:
    """What a check of these interfaces may call.

    Args:
        shelf: arranged, for what it was told counts.
        forms: the interfaces.
        excepted: methods that are left out, as `get` or `BerthRepository.get`.
    """
    offered: list[Offered] = []
    left_out: list[NotCompared] = []
    for number, form in enumerate(forms):
        for path, interface in _interfaces(interface_of(form)):
            for member in interface.members.values():
                label = f"{interface.name}.{member.name}"
                if member.kind == "attribute" or _is_quiet(member):
                    continue
                if member.name in excepted or label in excepted:
                    left_out.append(NotCompared(label, "excepted"))
                    continue
                found = _offered(shelf, number, path, interface, member)
                if isinstance(found, Offered):
                    offered.append(found)
                else:
                    left_out.append(NotCompared(label, found))
    return Surface(tuple(offered), tuple(left_out))


def _interfaces(interface: Interface) -> Iterator[tuple[tuple[str, ...], Interface]]:
    """The interface, and of a unit of work its repositories."""
    yield (), interface
    if not is_unit_of_work(interface):
        return
    for name, member in interface.members.items():
        node = member.promise.node
        if member.kind == "attribute" and is_interface(node):
            yield (name,), interface_of(node.bare)


_OF_LANGUAGE = frozenset(
    """
    __getitem__ __setitem__ __delitem__ __contains__ __len__ __iter__ __enter__ __exit__
    __aenter__ __aexit__
    """.split()
)


def _is_quiet(member: Member) -> bool:
    return member.name.startswith("_") and member.name not in _OF_LANGUAGE


def _offered(
    shelf: Shelf, number: int, path: tuple[str, ...], interface: Interface, member: Member
) -> Offered | str:
    readings = shelf._readings
    lesson = readings.lessons.of_function(member.function)
    parameters = readings.parameters_of(member, interface)
    if lesson is not None:
        definition = readings.definition_for(member, interface)
        form = None if definition is None else definition.record_type
        is_look = verb_of(member.name) in LOOKING and not member.promise.is_nothing
        return Offered(number, path, interface, member, Operation.TAUGHT, form, parameters, is_look)
    reading = readings.read(member, interface)
    if not isinstance(reading, Reading):
        return f"not read: {reading.why}"
    if reading.operation is Operation.PING:
        return "it does nothing"
    return Offered(
        number, path, interface, member, reading.operation, reading.record_type, parameters,
        reading.is_look_up, reading.meaning,
    )  # fmt: skip
