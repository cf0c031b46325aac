"""Real objects with cues laid over them: their own code runs, and their calls of their own methods
meet the cues and the ledger, too.

The object stays the same one: it gets a class of its own that inherits from its class and overrides
every method; whatever no cue takes runs as before. What was written in C keeps its class, so of it
only the calls from outside can be met.
"""

from __future__ import annotations

import functools
import sys
from collections.abc import Callable
from types import MethodType, ModuleType
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.script import script
from urnshelf.calls.target import (
    INDEX,
    STATE,
    TARGETS,
    FakeState,
    assignment_of,
    state_of,
    target_at,
)
from urnshelf.errors import InterfaceRefused
from urnshelf.fakes.behind import OwnCode, put_behind, through
from urnshelf.fakes.compile import dressed, new_fake
from urnshelf.interfaces.generated import handing_on
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import QUIET, interface_of
from urnshelf.records.display import show

_SET_CLASS: Callable[[Any, type], None] = vars(object)["__class__"].__set__
"""Whatever an object's class says of it."""


class Wraps:
    """The objects that one shelf has wrapped.

    Args:
        desk: takes their calls.
    """

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._own: list[tuple[Any, type]] = []
        self.told: list[str] = []
        """What was wrapped, a line each."""

    def wrap(self, real: Any) -> Any:
        """The object itself, wrapped; or where it is written in C, a fake before it.

        Raises:
            InterfaceRefused: a class, a module, a function, a plain value, or a fake.
        """
        state = state_of(real)
        if state is not None and state.desk is self._desk and isinstance(state.behind, OwnCode):
            return real  # it is wrapped already
        _refuse(real, state)
        self._desk.put_next(script, through)
        cls = type(real)
        interface = interface_of(cls)
        self.told.append(f"wrapped {show(real, 60)}")
        try:
            wrapped = _class_over(cls, interface, real, self._desk)
            _SET_CLASS(real, wrapped)
        except TypeError:  # its layout is C's own, or its metaclass has other plans
            return _before(real, interface, self._desk)
        self._own.append((real, cls))
        return real

    def undo(self) -> None:
        """Give all of them their classes back."""
        while self._own:
            real, cls = self._own.pop()
            _SET_CLASS(real, cls)


def _refuse(real: Any, state: FakeState | None) -> None:
    if state is not None:
        what = "is wrapped by another shelf" if isinstance(state.behind, OwnCode) else "is a fake"
        raise InterfaceRefused(f"wrap({show(real, 60)}): it {what}; wrap takes a real object")
    if isinstance(real, type):
        raise InterfaceRefused(
            f"wrap({real.__name__}): wrap takes an object of that class, wrap({real.__name__}(…))"
        )
    if isinstance(real, ModuleType) or type(real).__module__ == "builtins":
        what = "module" if isinstance(real, ModuleType) else type(real).__name__
        raise InterfaceRefused(
            f"wrap({show(real, 60)}): of the type {what}, it has no methods of its own to cue; "
            "wrap takes an object of a class"
        )


def _before(real: Any, interface: Interface, desk: Desk) -> Any:
    """A fake before an object whose class cannot be changed: only calls from outside meet it."""
    fake = new_fake(interface, "outer calls only", desk)
    put_behind(object.__getattribute__(fake, STATE), real)
    return fake


# --- the class over an object's own ---------------------------------------------------------------


def _class_over(cls: type, interface: Interface, real: Any, desk: Desk) -> type:
    members = tuple(interface.members.values())
    body: dict[str, Any] = {
        "__slots__": (),
        "__module__": cls.__module__,
        "__qualname__": cls.__qualname__,
        "__doc__": cls.__doc__,
        # equality of records and copies ask for it: to them it is what it was
        "__class__": property(lambda _: cls),
        "__reduce_ex__": lambda self, protocol: _of_its_class(
            super(type(self), self).__reduce_ex__(protocol), type(self), cls
        ),
        "_urnshelf_members": members,
        TARGETS: [None] * len(members),
    }
    for index, member in enumerate(members):
        override = _override(member, index, interface)
        if override is not None:
            body[member.name] = override
    wrapped: Any = _quietly(cls, body)
    state = FakeState(real, interface, None, desk, members)
    state.behind = OwnCode(real, wrapped)
    type.__setattr__(wrapped, STATE, state)
    return wrapped  # type: ignore[no-any-return]


def _of_its_class(reduced: Any, wrapped: type, cls: type) -> Any:
    """What a copy is made of: an object of the class itself, which no cue lies over."""
    if not isinstance(reduced, tuple):
        return reduced
    make, arguments, *rest = reduced
    return (make, tuple(cls if one is wrapped else one for one in arguments), *rest)


def _quietly(cls: type, body: dict[str, Any]) -> type:
    """A subclass that the class does not hear of: it may keep a book of its subclasses."""
    # what its code does with `type(self)` is meant for the class itself
    forwards = {
        "__call__": lambda _, *args, **kwargs: cls(*args, **kwargs),
        "__setattr__": lambda _, name, value: setattr(cls, name, value),
        "__delattr__": lambda _, name: delattr(cls, name),
    }
    kind: Any = type(type(cls).__name__, (type(cls),), forwards)
    if not any("__init_subclass__" in vars(base) for base in cls.__mro__[:-1]):
        return kind(cls.__name__, (cls,), body)  # type: ignore[no-any-return]
    # bases that are set later are not told; what has its own layout is
    made = kind(cls.__name__, (_Blank,), body)
    type.__setattr__(made, "__bases__", (cls,))
    return made  # type: ignore[no-any-return]


class _Blank:
    """A base without anything, until the real one takes its place."""


def _override(member: Member, index: int, interface: Interface) -> Any:
    if member.kind == "attribute":
        # what is only kept needs no override: it is the object's own state
        return _property(member, index) if callable(member.function) else None
    known = {
        "__tracebackhide__": True,
        "_us_getframe": sys._getframe,
        "_us_target_at": target_at,
        "_us_own": member.function,
    }
    function = handing_on(member.signature, index, known, is_quiet=member.name in QUIET)
    function = dressed(function, member, index, interface)
    setattr(function, INDEX, index)
    return function if member.binding == "instance" else _OfTheClass(member.name, function)


class _OfTheClass:
    """A class or static method: called on the object it meets the cues, on the class it does
    not.
    """

    def __init__(self, name: str, function: Callable[..., Any]) -> None:
        self._name, self._function = name, function

    def __get__(self, real: object, owner: type) -> Any:
        if real is None:
            return getattr(super(owner, owner), self._name)
        return MethodType(self._function, real)


def _property(member: Member, index: int) -> property:
    """A property of the class; its value is fetched and assigned by its own code."""

    def get(real: object) -> Any:
        target = target_at(real, index)
        return target.take(target, (), sys._getframe(1))

    def write(real: object, value: object) -> None:
        state = state_of(real)
        assert state is not None
        assignment = assignment_of(state, member)
        assignment.take(assignment, (value,), sys._getframe(1))

    is_kept = isinstance(vars(member.owner).get(member.name), functools.cached_property)
    return property(get, write if member.settable and not is_kept else None)
