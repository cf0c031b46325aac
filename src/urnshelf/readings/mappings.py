"""Readings of mappings and sets: the language defines what their methods do."""

from __future__ import annotations

import inspect
from collections.abc import Mapping, MutableMapping, MutableSet, Set
from typing import Any

from urnshelf.interfaces.members import Member
from urnshelf.readings.operations import Access, Operation, Reading, ReadParameter, Role, Unread
from urnshelf.readings.subject import Subject
from urnshelf.readings.value_runs import fitting
from urnshelf.store.live import LiveMapping, LiveSet

_LANGUAGE = (Mapping, MutableMapping, Set, MutableSet)
_CHANGING = frozenset(
    """
    __setitem__ __delitem__ pop popitem clear update setdefault add discard remove __ior__ __iand__
    __ixor__ __isub__
    """.split()
)


def read_mapping(subject: Subject) -> Reading | Unread | None:
    """What a method of a mapping or a set does; None for one of anything else."""
    member, interface = subject.member, subject.interface
    if not interface.is_mapping_or_set or member.kind == "attribute":
        return None
    origin: Any = interface.origin
    if issubclass(origin, MutableMapping):
        return _live_reading(member, LiveMapping, "a dictionary")
    if issubclass(origin, MutableSet):
        return _live_reading(member, LiveSet, "a set")
    own = next((vars(base).get(member.name) for base in _LANGUAGE if base in origin.__mro__), None)
    if member.has_code and member.function is own:
        return _told_by_others(member)
    return Unread(
        f"nothing can be put into {interface.name}: give what is in it, "
        f"shelf.fake({interface.name}, over=…)"
    )


def _live_reading(member: Member, live: type, what: str) -> Reading | Unread:
    defined = getattr(live, member.name, None)
    if defined is None or not _takes(defined, member):
        return Unread(f"{member.name!r} is no method of {what}, as the language defines it")

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        spaces: Any = access.table  # what a fake of a mapping sees is its values
        mapping = live(spaces.space("", is_own=True))
        access.did(meaning)
        reply = _called(getattr(mapping, member.name), member, values)
        # `fake |= more` gives itself
        return access.state.fake if reply is mapping else fitting(reply, member)

    meaning = f"{member.name}, as {what} does"
    operation = Operation.LANGUAGE_CHANGE if member.name in _CHANGING else Operation.LANGUAGE_LOOK
    return Reading(None, operation, _parts(member), lambda: meaning, answer)


_PLAIN = (type(None), bool, int, float, str, bytes, tuple, list, dict, set, frozenset)


def _called(method: Any, member: Member, values: tuple[Any, ...]) -> Any:
    """Call the language's own method. A default that only marks that nothing was given is none of
    its values: it is left out.
    """
    parameters = list(member.signature.parameters.values())
    pairs = list(zip(parameters, values, strict=True))
    marks = [one for one, value in pairs if value is one.default and type(value) not in _PLAIN]
    if not marks:
        return member.call(method, values)
    return method(*(value for one, value in pairs if one not in marks))


def _told_by_others(member: Member) -> Reading:
    """`get` and `items` of a mapping are defined by what `__getitem__` and `__iter__` give."""

    def answer(access: Access, values: tuple[Any, ...]) -> Any:
        access.did(meaning)
        fake = access.state.fake
        return member.call(lambda *args, **kwargs: member.function(fake, *args, **kwargs), values)

    meaning = f"{member.name}, by what its other methods give"
    return Reading(None, Operation.LANGUAGE_LOOK, _parts(member), lambda: meaning, answer)


def _parts(member: Member) -> tuple[ReadParameter, ...]:
    return tuple(ReadParameter(name, Role.OTHER) for name in member.parameters)


def _takes(defined: Any, member: Member) -> bool:
    """Whether the language's own method can be called as this one is."""
    kinds = inspect.Parameter
    wanted = list(member.signature.parameters.values())
    positional = [p for p in wanted if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD)]
    named = {p.name: None for p in wanted if p.kind is kinds.KEYWORD_ONLY}
    try:
        inspect.signature(defined).bind(None, *positional, **named)
    except (TypeError, ValueError):
        return False
    return True
