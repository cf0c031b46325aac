"""The words of a method's name: a verb, how many, the fields it speaks of, values that are named,
an order.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any, NamedTuple

from urnshelf.readings.comparing import comparison_of
from urnshelf.readings.entities import Entity

_NOISE = frozenset(
    """
    all any every each record records entity entities item items row rows object objects model
    models page paged paginated list many bulk batch
    """.split()
)
_OF_MANY = frozenset("list all stream iter iterate scan many search filter page paginate".split())
_BY = frozenset(
    {"by", "for", "with", "where", "in", "at", "from", "having", "matching", "of", "using"}
)
_COMPARING = frozenset("after before since until between to above below over under min max".split())
_ORDERS = frozenset({"order", "ordered", "sorted", "sort"})
_TAILS = (["or", "none"], ["if", "exists"], ["with", "count"], ["and", "count"], ["with", "total"])
_LAST_OF_TAILS = frozenset(tail[-1] for tail in _TAILS)


class Name(NamedTuple):
    """What a method's name says."""

    verb: str
    by: list[str]
    """The fields that it speaks of, in order; each stands for a parameter."""
    flags: list[tuple[str, Any, bool]]
    """Fields whose value is named: the field, the value, and whether it is the other way round."""
    order: list[str]
    is_first: bool
    many: bool
    """Whether it speaks of several records."""


def name_of(words: list[str], about: Entity, parameters: Sequence[str] = ()) -> Name | str:
    """The name taken apart, or the word that is not accounted for.

    Args:
        words: of the name.
        about: its records.
        parameters: their names, which may account for a word: `list_after(after_id)`.
    """
    verb, words = _verb(words, about)
    words = _without_tail(words) if words and words[-1] in _LAST_OF_TAILS else words
    order: list[str] = []
    if not _ORDERS.isdisjoint(words):
        words, order = _order(words, about)
    by: list[str] = []
    flags: list[tuple[str, Any, bool]] = []
    is_first = verb == "first"
    # `with_harbour(…)` has no verb of its own: it looks up
    verb = "by" if verb in _BY else verb
    many = verb in _OF_MANY
    while words:
        flag = None if words[0] == "by" else _flag(words, about)
        # a field or a value goes before the record's own name: a Berth may have a field `berth`
        own = 0 if flag or words[0] in _BY else _own_words(words, about)
        if flag is not None:
            flags.append(flag[0])
            words = flag[1]
        elif words[0] in _BY:
            by += _fields_of(words[1:], about)
            words = []
        elif own:
            many = many or "_".join(words[:own]) != about.name
            words = words[own:]
        elif words[0] in _NOISE:
            many = many or words[0] in ("all", "many", "list", "every") or words[0].endswith("s")
            words = words[1:]
        elif words[0] == "first":
            is_first = True
            words = words[1:]
        elif words[0] == "one" or _is_a_parameter(words[0], parameters):
            words = words[1:]
        else:
            # whatever word is left must mean something, or the method is not read
            compared = _comparison(words, about)
            if not compared:
                return about.unclear(words[0])
            by.append("_".join(words[:compared]))
            words = words[compared:]
    return Name(verb, by, flags, order, is_first, many)


def _without_tail(words: list[str]) -> list[str]:
    """Without the words that only repeat the promise: `get_or_none`, `list_with_count`."""
    for tail in _TAILS:
        if words[-len(tail) :] == tail:
            words = words[: -len(tail)]
    return words


def _verb(words: list[str], about: Entity) -> tuple[str, list[str]]:
    if words[:2] == ["look", "up"]:
        return "lookup", words[2:]
    if words[-1] in ("exists", "exist") and len(words) > 1:  # `email_exists`, `owner_exists`
        # `berth_exists` asks for any berth, `code_exists` for one with a code
        known = "_".join(words[:-1]) in about.names
        return "exists", words[:-1] if known else ["by", *words[:-1]]
    own = _own_words(words, about)
    if own:  # `berths_by_harbour`
        return ("list" if "_".join(words[:own]) != about.name else "get"), words[own:]
    return words[0], (words if words[0] == "first" or words[0] in _BY else words[1:])


def _comparison(words: list[str], about: Entity) -> int:
    """How many words from here are a field and what it is compared with: `list_placed_before`."""
    lengths = range(len(words), 1, -1)
    return next((n for n in lengths if comparison_of("_".join(words[:n]), about) is not None), 0)


def _is_a_parameter(word: str, parameters: Sequence[str]) -> bool:
    """Whether a word only says what a parameter says as well."""
    tokens = [token for name in parameters for token in name.split("_")]
    if word in ("sorted", "ordered"):
        return any(token in ("sort", "order") for token in tokens)
    return word in _COMPARING and (word in tokens or (word == "between" and len(parameters) > 1))


def _own_words(words: list[str], about: Entity) -> int:
    """How many words from here are the record's own name, or many of it."""
    for length in range(len(words), 0, -1):
        if "_".join(words[:length]) in about.names:
            return length
    return 1 if words and words[0] in about.last_words and words[0] not in about.flags else 0


def _order(words: list[str], about: Entity) -> tuple[list[str], list[str]]:
    for start in range(len(words) - 2):
        if words[start] in _ORDERS and words[start + 1] == "by":
            rest = words[start + 2 :]
            descending = rest[-1] in ("desc", "descending")
            path = about.path(
                "_".join(rest[:-1] if descending or rest[-1] in ("asc", "ascending") else rest)
            )
            if path is not None:
                return words[:start], [f"{path} desc" if descending else path]
    return words, []


def _fields_of(words: list[str], about: Entity) -> list[str]:
    """The fields after `by`."""
    if words[:1] and words[0] in ("the", "its", "a", "an"):
        words = words[1:]
    if "and" in words:
        return _split("_".join(words), about)
    return ["_".join(words)] if words else []


def _split(joined: str, about: Entity) -> list[str]:
    """The fields after `by`, joined by `and`; a field may have an `and` in its own name."""
    if about.path(joined) is not None or "_and_" not in joined:
        return [joined]
    for match in re.finditer("_and_", joined):
        head = joined[: match.start()]
        # the longest field wins only where the shorter is none: `find_by_land_and_sea`
        if about.path(head) is not None or about.is_key(head) or match.end() == len(joined):
            return [head, *_split(joined[match.end() :], about)]
    return joined.split("_and_")


def _flag(words: list[str], about: Entity) -> tuple[tuple[str, Any, bool], list[str]] | None:
    """A value that is named: `open` for a field `is_open`, `departed` for a state; `not` turns it
    round.
    """
    negated = words[0] == "not" and len(words) > 1
    rest = words[1:] if negated else words
    # the longest first: `out_of_service` before `out`
    for length in range(len(rest), 0, -1):
        found = about.flags.get("_".join(rest[:length]))
        if found is not None:
            return (*found, negated), rest[length:]
    return None
