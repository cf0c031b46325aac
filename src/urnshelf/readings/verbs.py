"""The verbs that open the names of repositories' methods."""

from __future__ import annotations

from urnshelf.records.description import snake_case

LOOK_UPS = frozenset(
    """
    get find load fetch list all by read retrieve lookup search query select filter stream iter
    iterate scan one first many page paginate match matching
    """.split()
)
ADDS = frozenset({"add", "create", "insert"})
SAVES = frozenset({"save", "upsert", "store", "put", "persist"})
UPDATES = frozenset({"update", "modify", "patch", "change"})
REMOVES = frozenset({"delete", "remove"})
COUNTS = frozenset({"count"})
QUESTIONS = frozenset({"exists", "exist", "has", "contains", "any"})

VERBS = LOOK_UPS | ADDS | SAVES | UPDATES | REMOVES | COUNTS | QUESTIONS


def verb_of(method: str) -> str:
    """The word that opens the name; `bulk_insert` is an insert."""
    return words_of(method)[0]


def words_of(method: str) -> list[str]:
    """The words of a name; `bulk_insert` is an insert."""
    name = method.strip("_")
    words = (name if name.islower() else snake_case(name)).split("_")
    return words[1:] if words[0] in ("bulk", "batch") and len(words) > 1 else words
