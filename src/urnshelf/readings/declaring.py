"""What is declared of a whole interface: that it is a dictionary, or only tells somebody
something.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from urnshelf.errors import InterfaceRefused, RecordMissing
from urnshelf.interfaces.members import Interface, Member
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.readings import value_runs as runs
from urnshelf.readings.declared import Declared, Manners
from urnshelf.readings.doing import Doing
from urnshelf.readings.key_values import Roles, reading_of
from urnshelf.readings.operations import Operation, Reading, Role
from urnshelf.readings.stores import EXPIRING, Kept, is_said, kept_by
from urnshelf.readings.teaching import code_of
from urnshelf.records.display import show
from urnshelf.records.fit import misfit
from urnshelf.store.journal import ABSENT
from urnshelf.store.own_errors import OwnError, error_maker
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node

_PARTS: dict[str, tuple[Operation, Callable[[Doing], Any], str]] = {
    "get": (Operation.VALUE_GET, runs.get, "GET {key}"),
    "set": (Operation.VALUE_SET, runs.put, "SET {key} to {value}"),
    "remove": (Operation.VALUE_DELETE, runs.drop, "DELETE {key}"),
    "has": (Operation.VALUE_EXISTS, runs.exists, "EXISTS {key}"),
    "keys": (Operation.VALUE_KEYS, runs.keys, "every key"),
    "clear": (Operation.VALUE_CLEAR, runs.clear, "DELETE every key"),
}
_OTHER_ROLES = {
    ("set", "expires"): Role.EXPIRES,
    ("get", "default"): Role.DEFAULT,
    ("keys", "prefix"): Role.PREFIX,
}
_WITHOUT_KEY = frozenset({"keys", "clear"})


def declare_telling(declared: Declared, form: object) -> None:
    """Note that an interface only tells somebody something: what promises None does nothing."""
    interface = interface_of(form)
    if not any(member.promise.is_nothing for member in interface.members.values()):
        raise InterfaceRefused(
            f"tells({interface.name}): no method of it promises None, so there is none that only "
            "tells"
        )
    declared.some = True
    declared.telling.add(form)


def declare_keyed(
    declared: Declared,
    form: object,
    parts: dict[str, Any],
    key: str | Iterable[str] = (),
    default: object = ABSENT,
    errors: tuple[OwnError | None, OwnError | None] = (None, None),
) -> None:
    """Note that an interface keeps values by key.

    Args:
        declared: where it is noted.
        form: the interface.
        parts: its methods, by what they do.
        key: the parameters that are the key; those of the getter, where there is none.
        default: what a miss gives.
        errors: what a miss raises, and what a key raises that has a value already.
    """
    interface = interface_of(form)
    if not isinstance(key, str) and not all(isinstance(name, str) for name in _listed(key)):
        raise InterfaceRefused(
            f"keyed({interface.name}, key={show(key, 40)}): give the names of its parameters"
        )
    given = {part: method for part, method in parts.items() if method is not None}
    members = {part: _member_of(method, part, interface) for part, method in given.items()}
    manners = _manners(interface, default, errors)
    readings = {}
    if members:
        kept = _kept(interface, members, (key,) if isinstance(key, str) else tuple(key))
        for part, member in members.items():
            readings[form, member.name] = _declared_reading(part, member, kept, interface)
        _check_default(manners, members)
    elif not kept_by(interface):
        raise InterfaceRefused(
            f"keyed({interface.name}): say which methods get and set, as in "
            f"shelf.keyed({interface.name}, get={interface.name}.fetch, set={interface.name}.put)"
        )
    declared.some = True
    declared.readings.update(readings)
    declared.manners_of[form] = manners


def _listed(key: object) -> list[Any]:
    return list(key) if isinstance(key, Iterable) else [key]


def _manners(
    interface: Interface, default: object, errors: tuple[OwnError | None, OwnError | None]
) -> Manners:
    missing, duplicate = (
        None if told is None else error_maker(told, RecordMissing, interface.origin, "keyed", what)
        for told, what in zip(errors, ("missing", "duplicate"), strict=True)
    )
    if missing is not None and default is not ABSENT:
        raise InterfaceRefused(
            f"keyed({interface.name}, default=…, missing=…): a miss gives something, or it raises"
        )
    return Manners(default, missing, duplicate)


def _member_of(method: Any, part: str, interface: Interface) -> Member:
    name = getattr(method, "__name__", None)
    member = interface.members.get(name or "")
    is_its_own = member is not None and code_of(member.function) is code_of(method)
    if member is None or member.kind != "method" or not is_its_own:
        raise InterfaceRefused(
            f"keyed({interface.name}, {part}={show(method, 40)}): give a method of it, such as "
            f"{interface.name}.{next(iter(interface.members), part)}"
        )
    return member


def _kept(interface: Interface, members: dict[str, Member], key: tuple[str, ...]) -> Kept:
    """What is kept: its key, and the type of its values."""
    by_key = next((members[part] for part in ("get", "remove", "has") if part in members), None)
    keys = key or _key_parameters(by_key, members.get("set"))
    for part, member in members.items():
        lacking = [name for name in keys if name not in member.parameters]
        if lacking and part not in _WITHOUT_KEY:
            raise InterfaceRefused(
                f"keyed({interface.name}): {member.name!r} has no parameter {lacking[0]!r}, which "
                f"is the key; tell it: key=({', '.join(map(repr, member.parameters))},)"
            )
    getter = members.get("get")
    value = _value_node(members, keys)
    if getter is not None:
        _check_types(interface, getter.promise.node, value)
        value = getter.promise.node
    own = " ".join(sorted(member.name for member in members.values()))
    return Kept(frozenset({""}), keys, value, is_plain=False, own=own)


def _check_types(interface: Interface, got: Node, given: Node) -> None:
    """Refuse a getter and a setter that are not about the same values."""
    classes = [node.origin for node in (got, given) if node.is_known]
    if len(classes) < 2 or not all(isinstance(one, type) for one in classes):
        return
    if issubclass(classes[0], classes[1]) or issubclass(classes[1], classes[0]):
        return
    raise InterfaceRefused(
        f"keyed({interface.name}): what is set is {type_name(given.form)}, what is got is "
        f"{type_name(got.form)}; teach them: @shelf.teach(…)"
    )


def _key_parameters(by_key: Member | None, setter: Member | None) -> tuple[str, ...]:
    if by_key is not None:
        optional = {
            name
            for name, parameter in by_key.signature.parameters.items()
            if name == "default" or parameter.kind is parameter.VAR_KEYWORD
        }
        return tuple(name for name in by_key.parameters if name not in optional)
    names = () if setter is None else setter.parameters
    return tuple(name for name in names if name not in EXPIRING)[:-1]


def _value_node(members: dict[str, Member], keys: tuple[str, ...]) -> Node:
    setter = members.get("set")
    names = [] if setter is None else [n for n in setter.parameters if n not in (*keys, *EXPIRING)]
    return setter.parameter_nodes[names[0]] if setter is not None and names else ANYTHING


def _declared_reading(part: str, member: Member, kept: Kept, interface: Interface) -> Reading:
    roles = _roles(part, member, kept, interface)
    operation, run, meaning = _PARTS[part]
    key = ", ".join(f":{name}" for name in kept.keys)
    value = ", ".join(f":{member.parameters[place]}" for place in roles.get(Role.VALUE, ()))
    _check_promise(part, member, kept, interface)
    return reading_of(
        member, kept, operation, run, roles, meaning.format(key=key or "the value", value=value)
    )


def _roles(part: str, member: Member, kept: Kept, interface: Interface) -> Roles:
    found: dict[Role, list[int]] = {}
    for name in kept.keys if part not in _WITHOUT_KEY else ():
        found.setdefault(Role.KEY, []).append(member.parameters.index(name))
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        if position in found.get(Role.KEY, ()):
            continue
        role = _OTHER_ROLES.get((part, "expires" if name in EXPIRING else name))
        is_value = part == "set" and parameter.kind is not parameter.VAR_KEYWORD
        if role is None and is_value and Role.VALUE not in found:
            role = Role.VALUE
        if role is None:
            raise InterfaceRefused(
                f"keyed({interface.name}, {part}={interface.name}.{member.name}): its parameter "
                f"{name!r} is neither the key nor {'a value' if part == 'set' else 'a default'}; "
                f"name the key, key=(…), or teach it: @shelf.teach({interface.name}.{member.name})"
            )
        found.setdefault(role, []).append(position)
    if part == "set" and Role.VALUE not in found:
        raise InterfaceRefused(
            f"keyed({interface.name}, set={interface.name}.{member.name}): no parameter is left "
            "for the value"
        )
    return {role: tuple(positions) for role, positions in found.items()}


def _check_promise(part: str, member: Member, kept: Kept, interface: Interface) -> None:
    node = member.promise.node
    says = is_said(node)
    fits = {
        "get": True,
        "set": says,
        "remove": says or node.bare is int or node.bare == kept.value.bare,
        "has": node.bare is bool or not node.is_known,
        "keys": node.kind in (Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM) or not node.is_known,
        "clear": says or node.bare is int,
    }[part]
    if not fits:
        raise InterfaceRefused(
            f"keyed({interface.name}, {part}={interface.name}.{member.name}): it promises "
            f"{member.promise.name}, and what that would be is not certain; teach it: "
            f"@shelf.teach({interface.name}.{member.name})"
        )


def _check_default(manners: Manners, members: dict[str, Member]) -> None:
    getter = members.get("get")
    if getter is None or manners.default is ABSENT:
        return
    wrong = misfit(manners.default, getter.promise.node)
    if wrong is not None:
        raise InterfaceRefused(
            f"keyed(…, default={show(manners.default, 40)}): {getter.name!r} promises "
            f"{getter.promise.name}, but {wrong}"
        )
