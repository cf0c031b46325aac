"""The fields of a record side by side: which of them a field belongs with, by their names."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from decimal import Decimal
from keyword import iskeyword

from urnshelf.caches import remembered
from urnshelf.types.nodes import Node

Siblings = Mapping[str, Node]
"""The names and types of all fields of a record, in their order."""


def numbers_of(siblings: Siblings, *, may_be_none: bool = False) -> Siblings:
    """The fields that are numbers, and that a formula can name.

    Args:
        siblings: all fields.
        may_be_none: whether those that may be None are among them.
    """
    return {
        name: node
        for name, node in siblings.items()
        if node.bare in (int, float, Decimal)
        and (may_be_none or not node.optional)
        and name.isidentifier()  # a key of a TypedDict may be anything
        and not iskeyword(name)
    }


def plain(name: str) -> str:
    """A name without the underscores around it, in small letters."""
    return name.lower().strip("_")


def split(name: str, endings: Collection[str]) -> tuple[str, str] | None:
    """What stands before a known ending, and the ending; None where it ends otherwise.

    >>> split("recipient_city", {"city", "town"}), split("capacity", {"city"})
    (('recipient', 'city'), None)
    """
    return next((parts for parts in _parted(name) if parts[1] in endings), None)


@remembered
def _parted(name: str) -> tuple[tuple[str, str], ...]:
    """A name as a front and an ending, in all ways, the longest ending first."""
    words = plain(name).split("_")
    return tuple(("_".join(words[:n]), "_".join(words[n:])) for n in range(len(words)))


def those(siblings: Siblings, endings: Collection[str], front: str) -> Iterator[str]:
    """The fields that end so, with the same before it, in the order of the endings."""
    found = {
        parts[1]: name
        for name in reversed(list(siblings))
        if (parts := split(name, endings)) is not None and parts[0] == front
    }
    return (found[ending] for ending in endings if ending in found)


def beside(siblings: Siblings, endings: Collection[str], front: str, name: str = "") -> str | None:
    """The first field that ends so: with the same before it, or else with nothing before it.

    Args:
        siblings: all fields.
        endings: the likeliest first.
        front: what stands before the ending.
        name: of the field that asks, which is never found.
    """
    for one in dict.fromkeys((front, "")):
        for found in those(siblings, endings, one):
            if found != name:
                return found
    return None
