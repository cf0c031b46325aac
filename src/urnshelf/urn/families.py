"""Families: parents that are stocked with their children, and those with theirs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.description import Description, snake_case
from urnshelf.records.display import show
from urnshelf.urn.dealing import Counts, Dealing, hand_of
from urnshelf.urn.variants import Variant, untold


class Children:
    """So many children of each parent; made by `rules.children(…)`.

    Args:
        form: their type.
        counts: how many one parent has.
        field: the one that names the parent; None where it is found.
        below: children of these.
        fields: for every child.
    """

    def __init__(
        self,
        form: Any,
        counts: Any,
        field: str | None,
        below: tuple[Children, ...],
        fields: Mapping[str, Any],
    ) -> None:
        self.form, self.counts, self.field = form, counts, field
        self.below, self.fields = below, dict(fields)
        self.hand = hand_of(counts, f"children({form.__name__})")

    def dealing(self, key: int) -> Dealing:
        """How they are dealt."""
        return Dealing(self.hand, key)

    def __repr__(self) -> str:
        return f"children({self.form.__name__}, {self.counts!r})"


def children(
    of: type | Variant[Any], counts: Counts, /, *more: str | Children, **fields: object
) -> Children:
    """Children that are stocked with their parents: `shelf.stock(Vessel, 3, children(…))`.

    Args:
        of: the children's type, or a variant of one.
        counts: how many each parent has: a number, the least and the most, or each number with how
            often it comes.
        more: the field that names the parent, where it is not told by references or its name; and
            children of these.
        fields: for every child: a value, a rule, or a function of other fields.

    Raises:
        RecordRefused: no record type, no counts, or two fields for the parent.

    >>> vessels = shelf.stock(Vessel, 3, rules.children(Mooring, (1, 2), days=3))
    >>> sorted({mooring.vessel_id for mooring in shelf.records(Mooring)})
    [1, 2, 3]
    """
    form, told = untold(of, fields)
    names = [one for one in more if isinstance(one, str)]
    below = tuple(one for one in more if isinstance(one, Children))
    if not isinstance(form, type):
        raise RecordRefused(f"children({show(of, 60)}): it takes a record type, or a variant")
    if len(names) > 1 or len(names) + len(below) < len(more):
        raise RecordRefused(
            f"children({form.__name__}, …): after the numbers stand the field that names the "
            "parent, and children of these"
        )
    return Children(form, counts, names[0] if names else None, below, told)


def parent_field(
    child: Description,
    parent: Description,
    key: tuple[str, ...],
    links: Mapping[str, Any],
    told: str | None,
) -> tuple[str, str | None]:
    """The field of a child that names its parent, and the parent's field that it holds; None for
    the parent itself.

    Args:
        child: the children's type.
        parent: their parents'.
        key: of the parents.
        links: the fields of the child that refer to others.
        told: the field, where somebody says it.

    Raises:
        RecordRefused: none, or several.
    """
    if told is not None:
        if told not in child.given:
            raise RecordRefused(
                f"children({child.name}, …, {told!r}): {child.name} has no such field; "
                f"{nearest(told, child.given)}"
            )
        is_whole = child.given[told].node.bare is parent.form
        return told, None if is_whole else links.get(told, (None, None))[1] or _only(key, parent)
    referring = [(name, field) for name, (of, field) in links.items() if of is parent.form]
    if len(referring) == 1:
        name, field = referring[0]
        return name, field or _only(key, parent)
    found = list(_by_name(child, parent, key))
    if len(found) == 1:
        return found[0]
    raise RecordRefused(
        f"children({child.name}): which field names its {parent.name}? Say it: "
        f'children({child.name}, …, "{snake_case(parent.name)}_id"), or '
        f"shelf.define({child.name}, references={{…: {parent.name}}})"
    )


def _only(key: tuple[str, ...], parent: Description) -> str:
    if len(key) != 1:
        raise RecordRefused(
            f"children of {parent.name}: its key has {len(key)} fields, so no one field names it; "
            f"shelf.define({parent.name}, key=…)"
        )
    return key[0]


def _by_name(
    child: Description, parent: Description, key: tuple[str, ...]
) -> Iterator[tuple[str, str | None]]:
    for name, field in child.given.items():
        if field.node.bare is parent.form:
            yield name, None
        elif len(key) == 1 and name in (f"{snake_case(parent.name)}_{key[0]}", _plain(key[0])):
            yield name, key[0]


def _plain(key: str) -> str:
    """A key that says itself whose it is; of `id` nobody can tell."""
    return "" if key == "id" else key
