"""Methods that are not read: what each lacks, and the declarations that would answer it; each was
tried before it is advised.
"""

from __future__ import annotations

from collections.abc import Iterator

from urnshelf.errors import UrnShelfError
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.acts import SETTING, Act, told_by
from urnshelf.readings.declared import Declared
from urnshelf.readings.declaring import declare_keyed
from urnshelf.readings.stores import kept_by
from urnshelf.readings.subject import Subject
from urnshelf.readings.units import is_unit_of_work
from urnshelf.store.definition import Definition

_PARTS = {Act.DELETE: "remove", Act.CLEAR: "remove", Act.EXISTS: "has", Act.KEYS: "keys"}


def declarations(
    member: Member, interface: Interface, keyless: Definition | None, may_tell: bool
) -> tuple[str, ...]:
    """Lines of code that would answer the method.

    Args:
        member: the method.
        interface: where it stands.
        keyless: the records that it is about, where they need a key.
        may_tell: whether it may only tell somebody something.
    """
    found = []
    if keyless is not None:
        found.append(keyless.without_key.partition(": ")[2])
    parts = {} if kept_by(interface) else _parts(interface)
    if member.name in parts.values():
        named = ", ".join(f"{part}={interface.name}.{name}" for part, name in parts.items())
        found.append(f"shelf.keyed({interface.name}, {named})    # it keeps values by key")
    is_a_store = is_unit_of_work(interface) or interface.is_mapping_or_set
    if may_tell and member.promise.is_nothing and not is_a_store:
        found.append(f"shelf.tells({interface.name})    # nothing reads back what it is told")
    return tuple(found)


def _parts(interface: Interface) -> dict[str, str]:
    """The methods of a dictionary that the interface could be declared to be."""
    names = interface.members
    acts = {
        name: told.act
        for name, member in names.items()
        if member.kind == "method" and (told := told_by(name, names)) is not None
    }
    for getter in [name for name, act in acts.items() if act is Act.GET]:
        for setter in [name for name, act in acts.items() if act in SETTING]:
            parts = {"get": getter, "set": setter}
            if names[getter].parameters and _is_accepted(interface, parts):
                return _with_others(interface, parts, acts)
    return {}


def _with_others(
    interface: Interface, parts: dict[str, str], acts: dict[str, Act]
) -> dict[str, str]:
    for name, part in _others(acts):
        if part not in parts and _is_accepted(interface, {**parts, part: name}):
            parts[part] = name
    return parts


def _others(acts: dict[str, Act]) -> Iterator[tuple[str, str]]:
    return ((name, _PARTS[act]) for name, act in acts.items() if act in _PARTS)


def _is_accepted(interface: Interface, parts: dict[str, str]) -> bool:
    methods = {part: getattr(interface.origin, name, None) for part, name in parts.items()}
    try:
        declare_keyed(Declared(), interface.form, methods)
    except UrnShelfError:
        return False
    return True


def about_nothing(subject: Subject) -> str:
    """Why a method is about no records, and keeps nothing by key."""
    member, interface = subject.member, subject.interface
    told = told_by(member.name, interface.members)
    if told is None:
        return "nothing in its promise or its parameters is a record"
    names = [name for name in interface.members if not name.startswith("_")]
    kept = told.noun or "what it is about"
    if told.act is Act.GET:
        setters = [name for name in names if _act_of(name, interface) in SETTING]
        if not setters:
            return f"it promises no record, and no method sets {kept}"
        return f"it promises no record, and {_listed(setters)} sets what it gives"
    if told.act in SETTING:
        getters = [name for name in names if _act_of(name, interface) is Act.GET]
        if not getters:
            return f"it is given no record, and no method gives {kept} back"
        return f"it is given no record, and {_listed(getters)} gives back what it sets"
    return f"it is about no record, and no get and set of {kept} mirror each other"


def _act_of(name: str, interface: Interface) -> Act | None:
    told = told_by(name, interface.members)
    return None if told is None else told.act


def _listed(names: list[str]) -> str:
    """`neither 'set' nor 'put'`: with the same parameters and type."""
    quoted = [repr(name) for name in names[:3]]
    which = f"not even {quoted[0]}" if len(quoted) == 1 else f"none of {', '.join(quoted)}"
    return f"{which}, by its parameters and type,"
