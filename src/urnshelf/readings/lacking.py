"""What a method lacks to be read: for messages about those that are about no records."""

from __future__ import annotations

from urnshelf.interfaces.members import Interface
from urnshelf.readings.acts import SETTING, Act, told_by
from urnshelf.readings.subject import Subject


def about_nothing(subject: Subject) -> str:
    """Why a method is about no records, and keeps nothing by key."""
    member, interface = subject.member, subject.interface
    told = told_by(member.name, interface.members)
    if told is None:
        return "nothing in its promise or its parameters is a record"
    names = [name for name in interface.members if not name.startswith("_")]
    kept = told.noun or "what it is about"
    if told.act is Act.GET:
        setters = [name for name in names if _act(name, interface) in SETTING]
        if not setters:
            return f"it promises no record, and no method sets {kept}"
        return f"it promises no record, and {_listed(setters)} sets what it gives"
    if told.act in SETTING:
        getters = [name for name in names if _act(name, interface) is Act.GET]
        if not getters:
            return f"it is given no record, and no method gives {kept} back"
        return f"it is given no record, and {_listed(getters)} gives back what it sets"
    return f"it is about no record, and no get and set of {kept} mirror each other"


def _act(name: str, interface: Interface) -> Act | None:
    told = told_by(name, interface.members)
    return None if told is None else told.act


def _listed(names: list[str]) -> str:
    """`neither 'set' nor 'put'`: with the same parameters and type."""
    quoted = [repr(name) for name in names[:3]]
    which = f"not even {quoted[0]}" if len(quoted) == 1 else f"none of {', '.join(quoted)}"
    return f"{which}, by its parameters and type,"
