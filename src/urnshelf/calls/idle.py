"""Fakes that nothing was ever done with: to look at one while its like is in use proves nothing."""

from __future__ import annotations

import functools
import gc
import sys
from collections import deque
from collections.abc import Iterable
from types import CellType, FrameType, FunctionType, MethodType, ModuleType
from typing import Any, TypeVar

from urnshelf.calls.place import is_yours, locate
from urnshelf.calls.target import FakeState, state_of
from urnshelf.errors import LookRefused
from urnshelf.interfaces.members import Interface
from urnshelf.interfaces.taking_apart import form_is_callable
from urnshelf.types.forms import type_arguments

_BETWEEN = (
    dict, list, tuple, set, frozenset, deque, MethodType, FunctionType, CellType, functools.partial
)  # fmt: skip
"""What stands between an object and the fake that it holds."""
_DEPTH = 6
"""From a function that closes over it: its cell, a tuple, the function, a dictionary."""


def refuse_idle(state: FakeState) -> None:
    """Refuse a look at a fake that nothing was ever done with, where its like was furnished before
    it was made: a misspelt name, a base of the interface that the service has, other type
    arguments.

    Raises:
        LookRefused: it is such a fake.
    """
    desk = state.desk
    alike = [
        other
        for other in dict.fromkeys(desk.furnished[: state.made_after])
        if other is not state and are_alike(state.interface, other.interface)
    ]
    if not alike or state.is_spare or state.was_used or _was_handed_over(state):
        return
    spare = f"{state.expression.removesuffix(')')}, spare=True)"
    those = "that" if len(alike) == 1 else "one of those"
    raise LookRefused(
        f"nothing was ever done with {state.expression}, so a look at it proves nothing\n"
        f"  in use   {', '.join(other.expression for other in alike)}\n"
        f"Look at {those}; or say that this one is meant to be used by nobody: {spare}"
    )


def are_alike(one: Interface, other: Interface) -> bool:
    """Whether one interface is the other, or inherits from it, and no type arguments differ."""
    first: Any = one.origin
    second: Any = other.origin
    if not (_is_class(one) and _is_class(other)):
        return bool(one.form == other.form)
    base = second if second in first.__mro__ else first
    if base not in second.__mro__ or base not in first.__mro__:
        return False
    mine, theirs = (type_arguments(each.form).get(base, {}) for each in (one, other))
    return all(
        isinstance(mine[name], TypeVar)
        or isinstance(theirs[name], TypeVar)
        or mine[name] == theirs[name]
        for name in mine.keys() & theirs.keys()
    )


def _is_class(interface: Interface) -> bool:
    return isinstance(interface.origin, type) and not form_is_callable(interface.form)


def _was_handed_over(state: FakeState) -> bool:
    """Whether anything was given it: the service, another fake's call or reply, or an object of the
    user's.
    """
    desk, fake = state.desk, state.fake
    if desk.is_handed_over(state):
        return True
    values: list[Any] = [value for call in desk.ledger for value in (call.reply, *call.kept)]
    values += [item for cue in desk.cues for item in getattr(cue._line.reply, "items", ())]
    values += [getattr(cue._line.reply, "function", None) for cue in desk.cues]
    return any(_holds(value, fake, 0) for value in values) or _is_held(fake)


def _holds(value: Any, fake: object, depth: int) -> bool:
    if value is fake:
        return True
    if depth > _DEPTH or state_of(value) is not None:
        return False
    return any(_holds(item, fake, depth + 1) for item in _inside(value))


def _inside(value: Any) -> Iterable[Any]:
    if isinstance(value, (list, tuple, set, frozenset)):
        return value
    if isinstance(value, FunctionType):
        return [cell.cell_contents for cell in value.__closure__ or () if cell != CellType()]
    return value.values() if isinstance(value, dict) else getattr(value, "__dict__", {}).values()


def _is_held(fake: object) -> bool:
    """Whether an object of the code under test, built by hand, has it: asked of the collector of
    garbage, which knows who refers to whom. Only where the look would be refused, for it is slow.
    """
    near: list[Any] = [fake]
    for _ in range(_DEPTH):
        holders = [one for one in gc.get_referrers(*near) if one is not near]
        if any(_is_under_test(one) or _closes_over(one, near) for one in holders):
            return True
        near = [one for one in holders if isinstance(one, _BETWEEN) and not _is_around(one, near)]
        if not near:
            return False
    return False


def _closes_over(holder: Any, near: list[Any]) -> bool:
    """Whether it is a function of the code under test that was made around the fake; one that the
    test wrote itself does not count.
    """
    if not isinstance(holder, FunctionType) or _is_around(holder, near):
        return False
    file = holder.__code__.co_filename
    return is_yours(file) and file != locate(sys._getframe(1))[0].co_filename


def _is_around(holder: Any, near: list[Any]) -> bool:
    """Whether it is a function that only can see what is there, as it sees all of its module."""
    return isinstance(holder, FunctionType) and any(one is holder.__globals__ for one in near)


def _is_under_test(holder: object) -> bool:
    """Whether it is an object that does something, of a class of the user's that is no test."""
    cls = type(holder)
    module = sys.modules.get(cls.__module__)
    if isinstance(holder, (FrameType, ModuleType, type)) or cls.__name__.startswith("Test"):
        return False
    if not is_yours(getattr(module, "__file__", None) or "<frozen>"):
        return False
    if any(base.__module__.partition(".")[0] == "unittest" for base in cls.__mro__):
        return False
    # what only holds fakes together is a convenience of the test's
    names = {name for base in cls.__mro__ if base is not object for name in vars(base)}
    return any(not name.startswith("_") and callable(getattr(cls, name, None)) for name in names)
