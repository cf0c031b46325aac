"""What the names of methods tell of values that are kept by key: an act, and what is kept."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum, auto
from typing import TYPE_CHECKING, NamedTuple

from urnshelf.readings.verbs import twin_of, words_of

if TYPE_CHECKING:
    from urnshelf.interfaces.members import Member


class Act(Enum):
    """What the verb of a method does with what is kept."""

    GET = auto()
    SET = auto()
    ADD = auto()
    """Set where there is none; what else is not certain."""
    SET_IF_ABSENT = auto()
    SET_DEFAULT = auto()
    """Set where there is none, and give what there is then."""
    UPDATE = auto()
    """Set where there is one."""
    DELETE = auto()
    POP = auto()
    EXISTS = auto()
    COUNT_UP = auto()
    COUNT_DOWN = auto()
    KEYS = auto()
    TOUCH = auto()
    SIZE = auto()
    CLEAR = auto()


_ACTS = {
    **dict.fromkeys("get load fetch read retrieve lookup find peek mget".split(), Act.GET),
    **dict.fromkeys("set put store save write remember mset".split(), Act.SET),
    **dict.fromkeys(("add", "create", "insert"), Act.ADD),
    **dict.fromkeys(("setnx",), Act.SET_IF_ABSENT),
    "setdefault": Act.SET_DEFAULT,
    **dict.fromkeys(("update", "replace"), Act.UPDATE),
    **dict.fromkeys(
        """
        delete remove evict invalidate unset forget discard drop mdelete del destroy erase
        """.split(),
        Act.DELETE,
    ),
    **dict.fromkeys(("pop", "take"), Act.POP),
    **dict.fromkeys(("has", "exists", "exist", "contains"), Act.EXISTS),
    **dict.fromkeys(("incr", "increment", "incrby", "inc"), Act.COUNT_UP),
    **dict.fromkeys(("decr", "decrement", "decrby", "dec"), Act.COUNT_DOWN),
    "keys": Act.KEYS,
    **dict.fromkeys(("touch", "expire"), Act.TOUCH),
    **dict.fromkeys(("size", "count", "len"), Act.SIZE),
    **dict.fromkeys(("clear", "purge", "reset", "truncate"), Act.CLEAR),
}
_SPECIAL = {
    "has_key": Act.EXISTS,
    "__getitem__": Act.GET,
    "__setitem__": Act.SET,
    "__delitem__": Act.DELETE,
    "__contains__": Act.EXISTS,
    "__len__": Act.SIZE,
}
SETTING = frozenset({Act.SET, Act.ADD, Act.SET_IF_ABSENT, Act.SET_DEFAULT, Act.UPDATE})
_ABOUT_KEYS = frozenset({"by", "for", "of", "with", "from", "in", "to", "under"})
_NOISE = frozenset(
    """
    the many multi all each bulk batch if absent empty missing exists exist nx async dict
    """.split()
)
_MANY = frozenset({"multi", "bulk", "batch", "many"})
_OPENS_KEYS = frozenset({"get", "list", "iter", "yield", "all"})


class Told(NamedTuple):
    """What the name of a method tells."""

    act: Act
    noun: str
    """What is kept; empty where the name does not say."""
    is_all: bool = False


def told_by(name: str, members: Mapping[str, Member]) -> Told | None:
    """What a method's name tells of what is kept; None for a verb that is none of ours.

    Args:
        name: the method's.
        members: of its interface.
    """
    if name in _SPECIAL:
        return Told(_SPECIAL[name], "")
    words = words_of(twin_of(name, members))
    if words[0] in _MANY and len(words) > 1:
        words = words[1:]
    if words[:2] == ["look", "up"]:
        words = ["lookup", *words[2:]]
    if words[0] in _OPENS_KEYS and words[-1] == "keys" and len(words) == 2:
        return Told(Act.KEYS, "")
    act = _ACTS.get(words[0])
    if act is None:
        return None
    rest = words[1:]
    is_all = "all" in rest
    if act in SETTING and not {"absent", "empty", "nx", "missing"}.isdisjoint(rest):
        act = Act.SET_IF_ABSENT
    # `has_data_for_key` is about data
    about_key = next((place for place, word in enumerate(rest) if word in _ABOUT_KEYS), len(rest))
    rest = rest[:about_key]
    return Told(act, "_".join(word for word in rest if word not in _NOISE), is_all)
