"""What links choose from: records on a shelf, or those that would be drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.types.nodes import Node
from urnshelf.urn.around import Around
from urnshelf.urn.dealing import InTurn
from urnshelf.urn.layouts import record_type
from urnshelf.urn.rules.base import Place
from urnshelf.urn.rules.dealt import Dealt
from urnshelf.urn.rules.links import Link, OfItsOwn, Parents


class Linking:
    """What the links of one urn choose from.

    Args:
        around: what is around the urn.
        draw: draws records of it.
    """

    def __init__(self, around: Around, draw: Callable[..., Any]) -> None:
        self._around, self._draw = around, draw
        self._linking: list[Any] = []

    def parents_of(self, rule: Link, place: Place) -> Parents:
        """What a link chooses from."""
        field = self._linked_field(rule, place.field.node, place.where)
        if isinstance(rule, Dealt):
            parents_in_turn = self._in_turn(rule, field)
            return lambda: parents_in_turn
        is_own = place.where.partition(".")[0] == record_type(rule.record_type).name
        drawn: list[Any] = OfItsOwn() if is_own else []

        def parents() -> Sequence[Any]:
            known = self._around.parents(rule.record_type, field)
            # of its own type there are none before the first
            if not known and not drawn and not self.refers_to_itself(rule.record_type):
                drawn.extend(self._drawn_parents(rule, field))
            return known or drawn

        return parents

    def _in_turn(self, rule: Dealt, field: str | None) -> InTurn:
        """The parents by their index: those on the shelf, or as they would be drawn."""
        fetch = record_type(rule.record_type).fetch

        def some(indexes: range) -> Sequence[Any]:
            made = self._draw(rule.record_type, indexes)
            return made if field is None else [fetch(one, field) for one in made]

        return InTurn(some, lambda: self._around.parents(rule.record_type, field))

    def _drawn_parents(self, rule: Link, field: str | None) -> list[Any]:
        """The first that would be drawn; none where these need such parents themselves."""
        if rule.record_type in self._linking:
            return []
        self._linking.append(rule.record_type)
        try:
            made = self._draw(rule.record_type, range(rule.count))
        finally:
            self._linking.pop()
        fetch = record_type(rule.record_type).fetch
        return made if field is None else [fetch(one, field) for one in made]

    def refers_to_itself(self, what: Any) -> bool:
        """Whether records of a type refer to others of it."""
        return what in [parent for parent, _ in self._around.links(what).values()]

    def _linked_field(self, rule: Link, node: Node, where: str) -> str | None:
        """The field of the parents that is taken; None where they are taken whole."""
        parent = record_type(rule.record_type)
        if rule.field is not None:
            if rule.field not in parent.fields:
                raise RecordRefused(
                    f"{where}: link({parent.name}, {rule.field!r}): {parent.name} has no such "
                    f"field; {nearest(rule.field, parent.names)}"
                )
            return rule.field
        if node.bare is rule.record_type:
            return None
        key = self._around.key_of(rule.record_type)
        if len(key) == 1:
            return key[0]
        if not node.is_known:
            return None
        what = f"its key has {len(key)} fields" if key else "it has no key"
        raise RecordRefused(
            f"{where}: link({parent.name}): {what}; name the field to take, link({parent.name}, "
            f"{parent.names[0]!r})"
        )
