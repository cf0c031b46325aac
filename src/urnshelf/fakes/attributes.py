"""The attributes of fakes, and how fakes behave as objects: class, repr, unknown names, copies."""

from __future__ import annotations

import sys
from typing import Any, NoReturn

from urnshelf.calls.target import (
    NOTHING,
    STATE,
    TARGETS,
    UNASSIGNED,
    FakeState,
    assignment_of,
    state_of,
    target_at,
)
from urnshelf.calls.wording import no_such_attribute
from urnshelf.errors import InterfaceRefused
from urnshelf.interfaces.members import NO_DEFAULT, Interface, Member

__tracebackhide__ = True  # a failing test shows its own lines, not ours


_ASKING_FOR_ISINSTANCE = frozenset({"typing", "typing_extensions"})
"""Where `isinstance` looks for a protocol's attributes, before it asks for the class: no reading of
the service's.
"""


def attribute_of(member: Member, index: int) -> property:
    """The attribute as a property: read from its cues, the value last assigned, or the class's
    constant.
    """

    def get(fake: object) -> Any:
        target: Any = target_at(fake, index)
        frame = sys._getframe(1)
        if frame.f_globals.get("__name__") in _ASKING_FOR_ISINSTANCE:
            raise AttributeError(member.name)
        # what the service itself has assigned goes before any cue, as with a real object
        if target.assigned is not UNASSIGNED:
            return target.assigned
        is_alone = not target.cues and target.state.behind is NOTHING
        if is_alone and member.default is not NO_DEFAULT:
            return member.default
        return target.take(target, (), frame)

    def write(fake: Any, value: object) -> None:
        state: FakeState = fake._urnshelf_state
        assignment = assignment_of(state, member)
        # first the ledger and the cues, which may raise; then the value
        assignment.take(assignment, (value,), sys._getframe(2))
        target: Any = target_at(fake, index)
        # an object behind the fake has it now, and may make something else of it
        target.assigned = value if state.behind is NOTHING else UNASSIGNED

    return property(get, write if member.settable else None)


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
