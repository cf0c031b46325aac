"""What goes into a swapped place: the fake of what belongs there, a given value that fits, or the
original with cues laid over it.
"""

from __future__ import annotations

import inspect
import os
from collections.abc import Callable
from enum import Enum
from functools import cached_property
from types import FunctionType, MethodType
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.replies import passing_through
from urnshelf.calls.script import script
from urnshelf.calls.target import NOTHING, STATE, state_of
from urnshelf.errors import InterfaceRefused, SwapRefused
from urnshelf.fakes.behind import put_behind, through, why_not_behind
from urnshelf.fakes.furnish import dependency
from urnshelf.fakes.making import Fakes
from urnshelf.fakes.places import ABSENT, Attribute, Item, Place, original_kept
from urnshelf.fakes.places import original as original_of
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.types.annotations import signature_of
from urnshelf.types.nodes import Kind, Node, node_of


class Replacing:
    """Makes what goes into places.

    Args:
        fakes: of the shelf.
        wrap: lays cues over an object.
        desk: of the shelf.
    """

    def __init__(self, fakes: Fakes, wrap: Callable[[Any], Any], desk: Desk) -> None:
        self.fakes = fakes
        self._wrap = wrap
        self._desk = desk

    def replacement(self, place: Place, given: object) -> Any:
        """What goes in, as the test gets it.

        Args:
            place: where.
            given: a value, `passing_through`, or NOTHING.

        Raises:
            SwapRefused: nothing can be made for this place, or the value does not fit.
        """
        original = original_of(place)
        if given is passing_through:
            return self._laid_over(place, original)
        if given is NOTHING:
            return self._fake(place, original)
        state = state_of(given)
        if state is not None and not state.is_wrapped:
            self.fakes.note_given([given])
        wrong = _wrong(given, place, original) if self._desk.settings.check_replies else ""
        if wrong:
            raise SwapRefused(f"{place}: {wrong}")
        return given

    def _fake(self, place: Place, original: object) -> Any:
        written = place.annotation()
        node = None if written is ABSENT else node_of(written)
        members: tuple[Node, ...] = () if node is None else (node,)
        if node is not None and node.kind is Kind.UNION:
            members = node.args
        forms = [form for one in members if (form := dependency(one)) is not None]
        if not forms and inspect.isroutine(original):
            forms = [_function(place, original)]
        elif not forms and not isinstance(original, type) and _may_be_faked(original):
            forms = [type(original)]
        elif not forms and isinstance(original, type):
            return self._class_of_a_fake(place, original)
        if len(forms) != 1:
            raise SwapRefused(
                f"{place} is {show(original, 60) if original is not ABSENT else 'not there'}, of "
                f"which no fake can be made: give what goes in, shelf.swap(…, value)"
            )
        try:
            return self.fakes.give(forms[0])
        except InterfaceRefused as why:
            raise SwapRefused(f"{place}: {why}") from None

    def _class_of_a_fake(self, place: Place, cls: type) -> Any:
        """A class of this name whose constructor gives the fake."""
        try:
            fake = self.fakes.give(cls)
            signature = signature_of(cls)
        except (InterfaceRefused, ValueError) as why:
            raise SwapRefused(f"{place}: {why}") from None

        def construct(_: type, /, *args: object, **kwargs: object) -> Any:
            try:
                signature.bind(*args, **kwargs)
            except TypeError as why:
                raise TypeError(f"{cls.__name__}: {why}") from None
            return fake

        body = {"__new__": construct, "__module__": cls.__module__, "__doc__": cls.__doc__}
        return type(cls)(cls.__name__, (cls,), body)

    def _laid_over(self, place: Place, original: object) -> Any:
        if inspect.isroutine(original):
            function = _function(place, original)
            fake = self.fakes.give(function)
            put_behind(object.__getattribute__(fake, STATE), function)
            self._desk.put_next(script, through)
            return fake
        if original is ABSENT:
            raise SwapRefused(f"{place}: there is nothing that calls could pass through to")
        try:
            return self._wrap(original)
        except InterfaceRefused as why:
            raise SwapRefused(f"{place}: {why}") from None


def as_kept(place: Place, value: Any) -> Any:
    """The value as the place keeps it: in a class a method, where there was one."""
    if not isinstance(place, Attribute) or not isinstance(place.holder, type):
        return value
    found = original_kept(place)
    if isinstance(found, (property, cached_property)) and not hasattr(type(value), "__get__"):
        return property(lambda _: value)
    if isinstance(found, staticmethod):
        return staticmethod(value)
    if isinstance(found, classmethod):
        return _Method(value, is_of_class=True)
    if inspect.isroutine(found) and not isinstance(value, FunctionType):
        return _Method(value, is_of_class=False)
    return value


class _Method:
    """What can be called, kept in a class in place of a method: it gets the object, or the class,
    as its first argument.
    """

    def __init__(self, function: Any, is_of_class: bool) -> None:
        self._function = function
        self._is_of_class = is_of_class

    def __get__(self, real: object, owner: type) -> Any:
        if self._is_of_class:
            return MethodType(self._function, owner)
        return self._function if real is None else MethodType(self._function, real)


def _function(place: Place, original: object) -> Any:
    """What is called with what the place's callers give: of a class's method, with the object."""
    is_of_class = isinstance(place, Attribute) and isinstance(place.holder, type)
    return getattr(original, "__func__", original) if is_of_class else original


def _may_be_faked(original: object) -> bool:
    try:
        return (
            original is not ABSENT and original is not None and bool(interface_of(type(original)))
        )
    except InterfaceRefused:
        return False


def _wrong(value: object, place: Place, original: object) -> str:
    """Why a value does not fit into a place; empty where it does."""
    written = place.annotation()
    if written is not ABSENT:
        return misfit(value, node_of(written)) or ""
    if isinstance(original, (property, cached_property)):
        return ""
    if isinstance(original, type):
        return "" if callable(value) else f"it is a class, and not {show(value, 60)}"
    if inspect.isroutine(original):
        return _wrong_function(value, original, place)
    if isinstance(place, Item) and place.holder is os.environ:
        is_text = value is None or isinstance(value, str)
        return "" if is_text else f"it is a text, or None for none, and not {show(value, 60)}"
    if isinstance(original, Enum) or not _may_be_faked(original):
        is_known = original is not ABSENT and original is not None
        why = misfit(value, node_of(type(original))) if is_known else None
        hint = "; where both may be there, annotate it" if isinstance(place, Attribute) else ""
        return f"{why}{hint}" if why else ""
    if isinstance(value, type(original)):
        return ""
    why = why_not_behind(interface_of(type(original)), value)
    return f"{show(value, 60)} cannot stand for a {type(original).__name__}: {why}" if why else ""


def _wrong_function(value: object, original: object, place: Place) -> str:
    if not callable(value):
        return f"it is called, and {show(value, 60)} cannot be"
    try:
        taken = signature_of(value)
        wanted = interface_of(_function(place, original))
    except (InterfaceRefused, TypeError, ValueError, AttributeError):  # written in C
        return ""
    member = wanted.members["__call__"]
    try:
        member.call(taken.bind, member.blank_arguments)
    except TypeError as why:
        return f"it takes other parameters than {wanted.name}{member.signature}: {why}"
    return ""
