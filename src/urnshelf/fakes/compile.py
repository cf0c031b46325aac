"""Interfaces compiled into classes whose methods have the real signatures.

A method does nothing but hand its arguments and the caller's frame to the desk.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Sized
from functools import partial
from inspect import Parameter
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.target import INDEX, STATE, TARGETS, FakeState, target_at
from urnshelf.fakes.attributes import attribute_of, manners_of
from urnshelf.interfaces.generated import handing_on
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import QUIET
from urnshelf.types.annotations import annotations_of

_FAKE = Parameter("_us_fake", Parameter.POSITIONAL_ONLY)


def compiled(interface: Interface) -> type:
    """The class of the interface's fakes: one for each interface, kept on it."""
    if interface.compiled is not None:
        return interface.compiled
    members = tuple(interface.members.values())
    body: dict[str, Any] = {
        "__slots__": (TARGETS, STATE, "__weakref__"),
        "__doc__": getattr(interface.origin, "__doc__", None),
        "__module__": getattr(interface.origin, "__module__", __name__),
        "__qualname__": getattr(interface.origin, "__qualname__", interface.name),
        "_urnshelf_members": members,
        **manners_of(interface),
    }
    for index, member in enumerate(members):
        body[member.name] = (
            attribute_of(member, index)
            if member.kind == "attribute"
            else _method(member, index, interface)
        )
    if "__eq__" in body:
        # Python takes the hash away from a class that has an equality
        body.setdefault("__hash__", object.__hash__)
    if "__len__" in body:
        # object's truth: an uncued __len__ must not be asked for it; but an empty mapping is false
        truth = _truth_of_mapping if interface.is_mapping_or_set else _truth_of_object
        body.setdefault("__bool__", truth)
    cls = type(
        interface.origin.__name__ if isinstance(interface.origin, type) else interface.name,
        (),
        body,
    )
    interface.compiled = cls
    return cls


def _truth_of_object(_fake: object) -> bool:
    return True


def _truth_of_mapping(fake: Sized) -> bool:
    return len(fake) > 0


def new_fake(interface: Interface, name: str | None, desk: Desk) -> Any:
    """A fake of the interface."""
    cls = compiled(interface)
    fake: Any = object.__new__(cls)
    state = FakeState(fake, interface, name, desk)
    # targets are made when they are first called: an interface of two hundred methods costs no
    # more
    object.__setattr__(fake, TARGETS, [None] * len(state.members))
    object.__setattr__(fake, STATE, state)
    return fake


def _method(member: Member, index: int, interface: Interface) -> Any:
    """The method as a function with the interface's own parameters."""
    known = {
        "__tracebackhide__": True,
        "_us_getframe": sys._getframe,
        "_us_target_at": target_at,
        "_us_own": getattr(object, member.name, lambda _: True),
    }
    if member.ways:
        from urnshelf.interfaces.overloads import fits_a_way  # hardly ever

        known["_us_check"] = partial(fits_a_way, member.ways)
    is_quiet = member.name in QUIET and not interface.is_mapping_or_set
    function = handing_on(member.signature, index, known, is_quiet=is_quiet)
    return dressed(function, member, index, interface)


def dressed(function: Any, member: Member, index: int, interface: Interface) -> Any:
    """The function under the member's own name, annotations and kind."""
    name = getattr(interface.origin, "__qualname__", interface.name)
    function.__name__ = member.name
    function.__qualname__ = f"{name}.{member.name}"
    function.__module__ = getattr(member.owner, "__module__", __name__)
    function.__doc__ = getattr(member.function, "__doc__", None)
    setattr(function, INDEX, index)
    function.__annotations__ = (
        dict(annotations_of(member.function)) if callable(member.function) else {}
    )
    function.__signature__ = member.signature.replace(
        parameters=[_FAKE, *member.signature.parameters.values()]
    )
    if member.is_async:
        _mark_as_coroutine_function(function)
    return function


def _mark_as_coroutine_function(function: Any) -> None:
    """Make a plain function known as a coroutine function.

    It is plain so that the place of the call is known although the call itself is entered when it
    is awaited, perhaps by a task that was made elsewhere.
    """
    if sys.version_info >= (3, 12):
        inspect.markcoroutinefunction(function)
    else:  # Python 3.11 looks at the code's flag, and runs the code the same with or without it
        function.__code__ = function.__code__.replace(
            co_flags=function.__code__.co_flags | inspect.CO_COROUTINE
        )
