"""The attributes of fakes, and how fakes behave as objects: class, repr, unknown names, copies."""

from __future__ import annotations

import sys
from enum import Enum
from typing import Any, NoReturn

from urnshelf.calls.place import locate
from urnshelf.calls.promised import wrongly_assigned
from urnshelf.calls.script import AssignedLine, ConstantLine
from urnshelf.calls.target import (
    NOTHING,
    STATE,
    TARGETS,
    AssignmentTarget,
    FakeState,
    assignment_of,
    state_of,
    target_at,
)
from urnshelf.calls.wording import no_such_attribute
from urnshelf.errors import InterfaceRefused, ReplyRefused
from urnshelf.interfaces.members import NO_DEFAULT, Interface, Member
from urnshelf.records.copies import PLAIN
from urnshelf.records.recognising import describe

_ASKING_FOR_ISINSTANCE = frozenset({"typing", "typing_extensions"})
"""Where `isinstance` looks for a protocol's attributes, before it asks for the class: no reading of
the service's.
"""


_OF_VALUES = frozenset("builtins datetime decimal fractions ipaddress re uuid zoneinfo".split())
"""Modules of values."""


def _is_constant(value: object) -> bool:
    """Whether a class's attribute cannot be changed and does nothing. A client or a registry that
    stands in a class is never reached through a fake of it.
    """
    if isinstance(value, (tuple, frozenset)):
        return all(map(_is_constant, value))
    if isinstance(value, type):
        # exceptions, enums, records and values are words of the interface; another class makes real
        # objects, be it of the language: a socket, a database
        is_word = issubclass(value, (BaseException, Enum)) or value.__module__ in _OF_VALUES
        return value is not NO_DEFAULT and (is_word or describe(value) is not None)
    described = describe(type(value))
    if described is not None and described.is_frozen:
        return all(map(_is_constant, described.values(value).values()))
    module = type(value).__module__
    is_value = module in _OF_VALUES and module != "builtins"
    return is_value or type(value) in PLAIN or isinstance(value, Enum)


def attribute_of(member: Member, index: int) -> property:
    """The attribute as a property; a read of it and an assignment are calls like any other."""
    has_constant = _is_constant(member.default)

    def get(fake: object) -> Any:
        frame = sys._getframe(1)
        if frame.f_globals.get("__name__") in _ASKING_FOR_ISINSTANCE:
            raise AttributeError(member.name)
        target = target_at(fake, index)
        if has_constant and not (target.cues and type(target.cues[-1]) is ConstantLine):
            with target.desk.lock:  # a cue that another thread sets now must not be lost
                # the oldest line of its script: whatever else is said goes before
                target.cues = (*target.cues, ConstantLine(target))
        return target.take(target, (), frame)

    def write(fake: Any, value: object) -> None:
        state: FakeState = fake._urnshelf_state
        assignment = assignment_of(state, member)
        # first the ledger and the cues, which may raise; then the value
        frame = sys._getframe(2)
        assignment.take(assignment, (value,), frame)
        if assignment.cues:
            _refuse_what_was_cued(assignment, value)
        # an object behind the fake has it now, and may make something else of it
        if state.behind is NOTHING:
            target = target_at(fake, index)
            # what the service itself has assigned goes before the cues so far, as with a real
            # object; one that is set later means what it says
            assigned = AssignedLine(target, value, locate(frame))
            with target.desk.lock:
                target.cues = (assigned,)

    return property(get, write if member.settable else None)


def _refuse_what_was_cued(assignment: AssignmentTarget, value: object) -> None:
    """Refuse a value of another type also where a cue let the assignment pass."""
    wrong = wrongly_assigned(assignment, value)
    if wrong:
        refusal = ReplyRefused(wrong)
        assignment.desk.refusals.note(refusal, assignment)
        raise refusal


def manners_of(interface: Interface) -> dict[str, Any]:
    """What every fake has besides its interface's members."""
    manners: dict[str, Any] = {
        "__setattr__": _assign,
        "__delattr__": _refuse_deletion,
        "__repr__": _repr,
        "__dir__": _names,
        "__copy__": lambda fake: fake,
        "__deepcopy__": lambda fake, _memo: fake,
        "__reduce_ex__": _refuse_pickling,
    }
    name = getattr(interface.origin, "__name__", None)
    if name and not isinstance(interface.origin, type):
        manners["__name__"] = name  # a function has one, and code that is handed one tells it
    if isinstance(interface.origin, type):
        manners["__class__"] = property(lambda _: interface.origin)
    return manners


def _assign(fake: Any, name: str, value: object) -> None:
    if name in (TARGETS, STATE):
        object.__setattr__(fake, name, value)
        return
    state: FakeState = fake._urnshelf_state
    member = state.interface.members.get(name)
    if member is None:
        raise AttributeError(no_such_attribute(state, name), name=name, obj=fake)
    if member.kind == "method":
        raise AttributeError(
            f"{state.label}.{name} is a method of a fake: instead of another method, give it a "
            "cue, "
            f"cue({state.expression}.{name}, …)"
        )
    if not member.settable:
        raise AttributeError(
            f"{state.label}.{name} is read-only in the interface, so it is in the fake",
            name=name,
            obj=fake,
        )
    object.__setattr__(fake, name, value)


def _refuse_deletion(fake: object, name: str) -> NoReturn:
    raise AttributeError(f"{fake!r}: its attributes cannot be deleted ({name!r})")


def _repr(fake: object) -> str:
    state = state_of(fake)
    return f"<fake {state.label}>" if state else "<fake>"


def _names(fake: Any) -> list[str]:
    return sorted(fake._urnshelf_state.interface.members)


def _refuse_pickling(fake: object, _protocol: object) -> NoReturn:
    raise InterfaceRefused(
        f"{fake!r} cannot be pickled: a fake lives on its shelf, in one process; make it where it "
        "is used"
    )
