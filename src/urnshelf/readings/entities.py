"""Which records a repository's method is about, and what names they and their fields go by."""

from __future__ import annotations

import re
import sys
from enum import Enum
from functools import cached_property, lru_cache
from typing import Any, get_args, get_origin

from urnshelf.interfaces.hints import hints_of, resolve
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.results import is_record_type, result_of
from urnshelf.records.keys import snake_case
from urnshelf.records.shapes import storage_shape
from urnshelf.store.definition import key_fields

_SUFFIXES = re.compile(
    r"(Abstract|Base|Async|I(?=[A-Z]))?(?P<name>\w+?)(Sync|Async)?"
    r"(Repository|Repo|DAO|Dao|DataAccess|Store|Storage|Gateway|Registry|Register|Collection|Catalogue|Catalog|Mapper"
    r"|Finder|Reader|Writer|Queries|Table|Archive|Book)(Protocol|Port|Interface|ABC)?$"
)


class Entity:
    """A record type as names speak of it."""

    def __init__(self, record_type: Any, keys: tuple[str, ...] | None = None) -> None:
        shape = storage_shape(record_type)
        assert shape is not None
        self.record_type = record_type
        self.fields = shape.fields
        self.key_fields = key_fields(record_type, shape) if keys is None else keys
        self.name = snake_case(record_type.__name__)
        self.names = frozenset({self.name, *plurals(self.name)})
        hints = hints_of(record_type) or hints_of(getattr(record_type, "__init__", record_type))
        self.hints = {field: _unwrapped(hints.get(field, Any)) for field in self.fields}

    @cached_property
    def flags(self) -> dict[str, tuple[str, Any]]:
        """Words that stand for a value of one field: a bool field's name, an enum's member; only where certain."""
        found: dict[str, list[tuple[str, Any]]] = {}
        for field, form in self.hints.items():
            if form is bool:
                for word in {field, field.removeprefix("is_").removeprefix("has_")}:
                    found.setdefault(word, []).append((field, True))
            elif isinstance(form, type) and issubclass(form, Enum):
                for member in form:
                    words = {member.name.lower(), snake_case(str(member.value))}
                    for word in words:
                        found.setdefault(word, []).append((field, member))
        return {word: places[0] for word, places in found.items() if len(places) == 1}

    def is_key(self, name: str) -> bool:
        """Whether a name means the primary key."""
        if not self.key_fields:
            return False
        return name in ("id", "pk", "key", "identifier", f"{self.name}_id", f"{self.name}_key") or (
            (name,) == self.key_fields
        )

    def path(self, name: str) -> str | None:
        """The field that a name means, also one inside a record: `owner_city` is `owner.city`."""
        if name in self.fields:
            return name
        for field in self.fields:
            inner = self.hints[field]
            if name.startswith(f"{field}_") and is_record_type(inner):
                rest = Entity(inner).path(name.removeprefix(f"{field}_"))
                if rest is not None:
                    return f"{field}.{rest}"
        return None


@lru_cache(maxsize=1024)
def entity(record_type: Any, keys: tuple[str, ...] | None = None) -> Entity:
    """The type's entity.

    Args:
        record_type: the records' class.
        keys: the fields of its primary key, where it was told.
    """
    return Entity(record_type, keys)


def record_of(member: Member, interface: Interface) -> Any:
    """The record type that a method is about; None where it cannot be told."""
    told = result_of(member.promise.type).record_type
    if told is not None:
        return told
    promised, mentioned = _mentioned(interface)
    named = _named(interface, mentioned)
    if named is not None:
        return named
    for certain in (promised, mentioned):
        if len(certain) == 1:
            return next(iter(certain))
    given = [form if is_record_type(form) else item_record(form) for form in member.parameter_types.values()]
    return next((form for form in given if form is not None), None)


def plurals(word: str) -> set[str]:
    """The ways in which code writes many of a thing.

    >>> sorted(plurals("entry"))
    ['entries', 'entry_list', 'entrys']
    """
    ends = {f"{word}s", f"{word}_list"}
    if word.endswith("y"):
        ends.add(f"{word[:-1]}ies")
    if word.endswith(("s", "x", "ch", "sh")):
        ends.add(f"{word}es")
    return ends


def item_record(form: Any) -> Any:
    """The record type of a collection's items; None for anything else."""
    args = get_args(form)
    return args[0] if args and get_origin(form) is not None and is_record_type(args[0]) else None


def _mentioned(interface: Interface) -> tuple[set[Any], set[Any]]:
    """The record types that the interface's methods promise, and those that they promise or take."""
    promised, given = set(), set()
    for member in interface.members.values():
        if member.kind == "method":
            promised.add(result_of(member.promise.type).record_type)
            given |= {f if is_record_type(f) else item_record(f) for f in member.parameter_types.values()}
    return promised - {None}, (promised | given) - {None}


def _named(interface: Interface, mentioned: set[Any]) -> Any:
    """The record type that the interface is named after: `VesselRepository`, `VesselDao`, `Vessels`."""
    match = _SUFFIXES.match(interface.name.partition("[")[0])
    base = match["name"] if match else interface.name
    names = {base, base.removesuffix("s"), base.removesuffix("es"), re.sub("ies$", "y", base)}
    for record_type in mentioned:
        if record_type.__name__ in names:
            return record_type
    module = sys.modules.get(getattr(interface.origin, "__module__", ""))
    for name in sorted(names):
        known = getattr(module, name, None)
        if known is not interface.origin and is_record_type(known):
            return known
    return None


def _unwrapped(form: Any) -> Any:
    """The type under `| None`, `Annotated` and a mapper's wrapping."""
    form = resolve(form, None) if isinstance(form, str) else form
    args = [arg for arg in get_args(form) if arg is not type(None)]
    if getattr(get_origin(form), "__name__", "") == "Mapped" or hasattr(form, "__metadata__"):
        return _unwrapped(args[0])
    return args[0] if len(args) == 1 and type(None) in get_args(form) else form
