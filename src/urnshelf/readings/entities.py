"""Which records a repository's method is about, and what names they and their fields go by."""

from __future__ import annotations

import re
import sys
from functools import cached_property
from typing import Any

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface, Member
from urnshelf.readings.results import is_record_type, result_of
from urnshelf.readings.verbs import GIVES, STORING, VERBS, verb_of, words_of
from urnshelf.records.description import snake_case
from urnshelf.records.recognising import describe
from urnshelf.store.definition import Definition, plain_definition
from urnshelf.types.nodes import ANYTHING, Kind, Node

_SUFFIXES = re.compile(
    r"(Abstract|Base|Async|I(?=[A-Z]))?(?P<name>\w+?)(Sync|Async)?"
    r"(Repository|Repo|DAO|Dao|DataAccess|Store|Storage|Gateway|Registry|Register|Collection"
    r"|Catalogue|Catalog|Mapper|Finder|Reader|Writer|Queries|Table|Archive|Book)"
    r"(Protocol|Port|Interface|ABC)?$"
)


class Entity:
    """A record type as names speak of it.

    Args:
        definition: how its records are stored.
    """

    def __init__(self, definition: Definition) -> None:
        self.definition = definition
        self.described = definition.described
        self.record_type = definition.record_type
        self.fields = self.described.names
        self.key_fields = definition.key_fields
        self.name = definition.word
        self.table_name = definition.table_name
        self.names = frozenset({self.name, *plurals(self.name)})
        self.last_words = self.names | _last_words(self.name) if "_" in self.name else self.names
        """The record's own name, many of it, and the same of its last word: `report` of a
        QuayReport.
        """
        # of a key of several fields no single name means all
        own = self.key_fields if len(self.key_fields) == 1 else ()
        by_name = ("id", "pk", "key", "identifier", f"{self.name}_id", f"{self.name}_key", *own)
        self.key_words = frozenset(by_name if self.key_fields else ())
        """The names that mean the primary key."""

    def node_of(self, path: str) -> Node:
        """The type of a field; of anything for one inside a record, whose type is not compared."""
        field = self.described.fields.get(path)
        return ANYTHING if field is None else field.node

    @cached_property
    def _named_values(self) -> dict[str, list[tuple[str, Any]]]:
        """The words that stand for values: a bool field's name, an enum's member."""
        found: dict[str, list[tuple[str, Any]]] = {}
        for name, field in self.described.fields.items():
            if field.node.bare is bool:
                for word in {name, name.removeprefix("is_").removeprefix("has_")}:
                    found.setdefault(word, []).append((name, True))
            elif field.node.is_enum:
                for member in field.node.bare:
                    for word in {member.name.lower(), snake_case(str(member.value))}:
                        found.setdefault(word, []).append((name, member))
        return found

    @cached_property
    def flags(self) -> dict[str, tuple[str, Any]]:
        """Words that stand for a value of one field, only where certain."""
        # a word that stands for values of two fields stands for neither
        named = self._named_values.items()
        return {word: paths[0] for word, paths in named if len(paths) == 1}

    def unclear(self, word: str) -> str:
        """Why a word of a name is not accounted for: it stands for several values, or for none."""
        paths = self._named_values.get(word, [])
        if len(paths) < 2:
            return f"the word {word!r} of its name is not accounted for"
        meant = [f"{name} = {value if value is True else value.name}" for name, value in paths]
        return f"the word {word!r} of its name may mean {' or '.join(meant)}"

    def is_key(self, name: str) -> bool:
        """Whether a name means the primary key."""
        return name in self.key_words

    def path(self, name: str) -> str | None:
        """The field that a name means, also one inside a record: `owner_city` is `owner.city`."""
        fields = self.described.fields
        if name in fields:
            return name
        for field in fields:
            inner = fields[field].node.bare
            if name.startswith(f"{field}_") and is_record_type(inner):
                rest = entity(plain_definition(inner)).path(name.removeprefix(f"{field}_"))
                if rest is not None:
                    return f"{field}.{rest}"
        return None


def _last_words(name: str) -> set[str]:
    last = name.rpartition("_")[2]
    return set() if last == name else {last, *plurals(last)}


@remembered
def entity(definition: Definition) -> Entity:
    """The record type as names speak of it.

    Args:
        definition: how its records are stored.
    """
    return Entity(definition)


def record_of(member: Member, interface: Interface) -> Any:
    """The record type that a method is about; None where it cannot be told."""
    own = result_of(member.promise.node).record_type
    if own is not None:
        return own
    promised, stored = _mentioned(interface)
    named = _named(interface, promised | stored)
    given = [_record_in(node) for node in member.parameter_nodes.values()]
    # a type that no method mentions may only be called like the interface
    kept = [form for form in given if form in promised]
    if named is not None and (named in promised | stored or not kept):
        return named
    # what is given back tells more than what is taken: a `Filter` is taken, a `Berth` is promised
    for certain in (promised, promised | stored):
        if len(certain) == 1:
            return next(iter(certain))
    if verb_of(member.name) not in STORING:
        return None
    return next((form for form in given if form is not None), None)


def record_types_of(interface: Interface) -> set[Any]:
    """The record types that an interface gives back, or stores."""
    promised, stored = _mentioned(interface)
    return promised | stored


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


def item_record(node: Node) -> Any:
    """The record type of a collection's items; None for anything else."""
    is_many = node.kind in (Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM, Kind.CLASS)
    return node.item.bare if is_many and node.args and is_record_type(node.item.bare) else None


def _record_in(node: Node) -> Any:
    return node.bare if is_record_type(node.bare) else item_record(node)


@remembered
def _mentioned(interface: Interface) -> tuple[set[Any], set[Any]]:
    """The record types that the interface's methods promise, and those that they store.

    What is only handed along, as the user who asks, is neither; nor is what something is computed
    as. A plain class counts only where the method's verb is one of a store operation.
    """
    promised: set[Any] = set()
    stored: set[Any] = set()
    for member in interface.members.values():
        if member.kind == "method":
            verb = verb_of(member.name)
            given = {_record_in(node) for node in member.parameter_nodes.values()} - {None}
            spoken = result_of(member.promise.node).record_type
            if spoken is not None and _speaks_of_its_own(member, verb, spoken, given):
                promised.add(spoken)
            if verb in STORING:
                stored |= given
    return promised, stored


def _speaks_of_its_own(member: Member, verb: str, spoken: Any, given: set[Any]) -> bool:
    """Whether the records that a method gives are those that the interface keeps."""
    if verb in STORING:  # what storing another record gives is a result, not a record
        return not given or spoken in given
    if verb in VERBS or verb in GIVES:
        return True
    own = snake_case(spoken.__name__) if describe(spoken) is not None else ""
    words = "_".join(words_of(member.name))
    return bool(own) and any(words.startswith(name) for name in (own, *plurals(own)))


def names_told_by(interface: Interface) -> set[str]:
    """What the record type may be called that the interface is named after."""
    match = _SUFFIXES.match(interface.name.partition("[")[0])
    base = match["name"] if match else interface.name
    return {base, base.removesuffix("s"), base.removesuffix("es"), re.sub("ies$", "y", base)}


def _named(interface: Interface, mentioned: set[Any]) -> Any:
    """The record type that the interface is named after: `VesselRepository`, `VesselDao`,
    `Vessels`.
    """
    names = names_told_by(interface)
    for record_type in mentioned:
        if record_type.__name__ in names:
            return record_type
    module = sys.modules.get(getattr(interface.origin, "__module__", ""))
    for name in sorted(names):
        # the interface is named after it, but no method mentions it: `delete(key)` alone
        known = getattr(module, name, None)
        if known is not interface.origin and isinstance(known, type) and is_record_type(known):
            return known
    return None
