"""The verbs that open the names of repositories' methods."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from urnshelf.records.description import snake_case

if TYPE_CHECKING:
    from urnshelf.interfaces.members import Member

LOOK_UPS = frozenset(
    """
    get find load fetch list all by read retrieve lookup search query select filter stream iter
    iterate scan one first many page paginate match matching
    """.split()
)
PUSHES = frozenset({"append", "push", "enqueue"})
"""Verbs that add only where the interface gives back, too, what was added."""
ADDS = frozenset({"add", "create", "insert"}) | PUSHES
SAVES = frozenset({"save", "upsert", "store", "put", "persist"})
UPDATES = frozenset({"update", "modify", "patch", "change"})
REMOVES = frozenset({"delete", "remove", "destroy", "erase"})
COUNTS = frozenset({"count"})
QUESTIONS = frozenset({"exists", "exist", "has", "contains", "any"})

LOOKING = (
    LOOK_UPS
    | COUNTS
    | QUESTIONS
    | frozenset({"is", "are", "sum", "total", "average", "max", "min"})
)
"""Verbs of methods that change nothing."""

HOUSEKEEPING = frozenset(
    """
    close aclose open connect disconnect startup shutdown start stop ping flush dispose initialize
    """.split()
)
"""Methods that a dependency may have beside what it is for; without a parameter they change
nothing that another method could give back.
"""
STORING = (
    ADDS
    | SAVES
    | UPDATES
    | REMOVES
    | frozenset(
        """
        set write append register replace merge drop discard pop evict forget expire unset clear
        purge reset mset mput mdelete cache remember overwrite incr decr increment decrement touch
        """.split()
    )
)
"""Verbs after which something is there, or gone, that was not before."""
CLEARS = frozenset("clear purge reset drain flush empty wipe truncate cleanup prune vacuum".split())

GIVES = frozenset(
    """
    pop dequeue poll popleft shift receive take peek front drain latest last next oldest newest
    """.split()
)
"""Verbs that give records one had before."""

VERBS = LOOK_UPS | ADDS | SAVES | UPDATES | REMOVES | COUNTS | QUESTIONS


def verb_of(method: str) -> str:
    """The word that opens the name; `bulk_insert` is an insert."""
    return words_of(method)[0]


def words_of(method: str) -> list[str]:
    """The words of a name; `bulk_insert` is an insert."""
    name = method.strip("_")
    words = (name if name.islower() else snake_case(name)).split("_")
    return words[1:] if words[0] in ("bulk", "batch") and len(words) > 1 else words


def twin_of(method: str, members: Mapping[str, Member]) -> str:
    """The name under which an asynchronous method would be called were it none: `get` for `aget`,
    and for `get_async`.
    """
    if method.startswith("a") and (method[1:] in members or _is_async_form(method, members)):
        return method[1:]
    return method.removesuffix("_async") or method


def _is_async_form(method: str, members: Mapping[str, Member]) -> bool:
    known = method[1:].partition("_")[0] in VERBS | STORING
    return known and method in members and members[method].promise.awaited
