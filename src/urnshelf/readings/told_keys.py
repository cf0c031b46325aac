"""The key of records that have none of the usual names: told by how an interface asks for them."""

from __future__ import annotations

from typing import Any

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface
from urnshelf.readings.operations import Promised
from urnshelf.readings.results import result_of
from urnshelf.readings.verbs import twin_of, words_of
from urnshelf.store.definition import plain_definition

_BARE = frozenset({"get", "load", "find", "fetch"})
_BARE_REMOVALS = frozenset({"delete", "remove"})


@remembered
def keys_told_by(interface: Interface, record_type: Any) -> tuple[str, ...]:
    """The fields by which alone the interface's bare `get`, `load`, `find` or `delete` knows a
    record: one is its key, several leave it open.
    """
    described = plain_definition(record_type).described
    found: dict[str, None] = {}
    for member in interface.members.values():
        if member.kind != "method" or len(member.parameters) != 1:
            continue
        words, name = words_of(twin_of(member.name, interface.members)), member.parameters[0]
        if len(words) != 1 or name not in described.fields:
            continue
        mine, own = member.parameter_nodes[name], described.node_of(name)
        if mine.is_known and own.is_known and mine.bare != own.bare:
            continue
        result = result_of(member.promise.node)
        gives = result.kind in (Promised.ONE, Promised.ONE_OR_NONE)
        if (words[0] in _BARE and gives and result.record_type in (record_type, None)) or (
            words[0] in _BARE_REMOVALS
            and result.kind in (Promised.NONE, Promised.BOOL, Promised.INT)
        ):
            found[name] = None
    return tuple(found)
