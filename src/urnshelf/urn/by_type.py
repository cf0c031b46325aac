"""Types drawn: the rule for a value of a type, within its limits."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import partial
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.description import Description
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.types.limits import NO_LIMITS, Limits, limits_of
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node, node_of
from urnshelf.urn.belonging import Belonging
from urnshelf.urn.by_name import rule_for
from urnshelf.urn.library_types import noted_rule, typed_rule
from urnshelf.urn.parts import Checked, Fitted, Items, OneOf, Tuple
from urnshelf.urn.plain_types import simple_rule
from urnshelf.urn.rules.base import Rule, computed
from urnshelf.urn.rules.choices import among, sometimes_none
from urnshelf.urn.rules.given import constant
from urnshelf.urn.safe_rules import Safe

DEEPEST = 4
"""How many records deep a record is nested; deeper ones are None, or left out of their list."""
NONE_RATE = 0.25

DrawRecord = Callable[[Description, str, int], Rule]


class Drawer:
    """Makes the rules of types; records inside are drawn by the function that it is given."""

    def __init__(self, record_rule: DrawRecord) -> None:
        self._record_rule = record_rule

    def field(
        self,
        name: str,
        node: Node,
        limits: Limits,
        path: str,
        siblings: Mapping[str, Node],
        depth: int = 0,
        notes: Iterable[Any] = (),
    ) -> Rule:
        """The rule of a record's field: what its name suggests, within its limits, or else its
        type.

        Args:
            name: the field's.
            node: its type.
            limits: what its type and the record limit.
            path: for messages.
            siblings: all fields of the record.
            depth: how many records deep it is.
            notes: what was attached to it besides its type's own.
        """
        # a type that holds itself must come to an end
        if node.optional and depth >= DEEPEST and _is_record(node):
            return constant(None)
        named = rule_for(name, node.bare, siblings) if limits.choices is None else None
        by_type = partial(self._tried, node, limits, path, depth)
        rule = by_type() if named is None else within(named, limits, by_type, path)
        if named is not None and named.needs and limits and not isinstance(named, Safe):
            alone = rule_for(name, node.bare, {})
            other = by_type() if alone is None else within(alone, limits, by_type, path)
            rule = Fitted(named, limits, other)
        rule = noted_rule((*node.notes, *notes), rule, path)
        # a serial is a key, and of a key only the store knows when it is there
        is_left = rule.in_series or rule.tells_none
        found = sometimes_none(rule, NONE_RATE) if node.optional and not is_left else rule
        if not found.needs:
            return found

        def by_itself() -> Rule:
            return self.field(name, node, limits, path, {}, depth, notes)

        return Belonging(found, by_itself, node.optional)

    def value(self, node: Node, path: str, depth: int = 0, limits: Limits = NO_LIMITS) -> Rule:
        """The rule of a type; raises RecordRefused, with the path, for one that cannot be drawn."""
        if node.optional and depth >= DEEPEST and _is_record(node):
            return constant(None)
        rule = self._tried(node, limits_of(node.notes, limits), path, depth)
        rule = noted_rule(node.notes, rule, path)
        return sometimes_none(rule, NONE_RATE) if node.optional else rule

    def one_of(self, ways: list[Rule]) -> Rule:
        """One of several rules; the only one is itself."""
        return ways[0] if len(ways) == 1 else OneOf(ways)

    def _ending(self, members: tuple[Node, ...], depth: int) -> tuple[Node, ...]:
        """Deep inside, those members of a union that hold no further records, where there are
        some.
        """
        if depth < DEEPEST:
            return members
        return tuple(one for one in members if not _holds_records(one)) or members

    def _tried(self, node: Node, limits: Limits, path: str, depth: int) -> Rule:
        rule = self._rule(node, limits, path, depth)
        return Checked(rule, limits, path) if limits.is_tried else rule

    def _rule(self, node: Node, limits: Limits, path: str, depth: int) -> Rule:
        if limits.choices is not None:
            return among(*limits.choices)
        simple = simple_rule(node.bare, limits, path)
        if simple is not None:
            return simple
        if node.kind is Kind.UNION:
            return self.one_of(
                [self.value(one, path, depth, limits) for one in self._ending(node.args, depth)]
            )
        if node.kind is Kind.LITERAL:
            return among(*node.values)
        if node.is_enum:
            return among(*node.bare)
        if node.kind in (Kind.ANY, Kind.UNKNOWN):
            # of anything: one of each, so that code which expects one kind is found out
            return among(None, True, 7, 4.5, "Ternhythe")
        if node.kind is Kind.VARIABLE:
            return self.value(node.args[0] if node.args else node_of(str), path, depth, limits)
        if node.kind is Kind.NONE:
            return constant(None)
        container = self._container(node, limits, path, depth)
        if container is not None:
            return container
        record = description_of(node.bare) if node.kind in (Kind.CLASS, Kind.TYPED_DICT) else None
        if record is not None and record.given:
            if depth >= 4 * DEEPEST:
                raise RecordRefused(f"cannot draw {path}: its type holds itself without end")
            return self._record_rule(record, path, depth + 1)
        known = typed_rule(node, lambda one: self.value(one, path, depth))
        return known or self._refuse(node, path)

    def _container(self, node: Node, limits: Limits, path: str, depth: int) -> Rule | None:
        if node.kind is Kind.TUPLE:
            return Tuple(
                [self.value(arg, f"{path}[{i}]", depth) for i, arg in enumerate(node.args)]
            )
        if node.kind is Kind.MAPPING:
            key, value = node.args if len(node.args) == 2 else (node_of(str), node_of(Any))
            if depth >= DEEPEST and not limits.min_length and _is_record(value):
                return computed(lambda bits: MAPPING_TYPES[node.origin]([]))
            keys = self.value(key, f"{path} key", depth)
            values = self.value(value, f"{path}[]", depth)
            return Items(MAPPING_TYPES[node.origin], limits, path, keys, values)
        if node.kind is Kind.ITEMS:
            make = ITEM_TYPES[node.origin]
            # a type that holds a list of itself must come to an end
            if depth >= DEEPEST and not limits.min_length and _is_record(node.item):
                return computed(lambda bits: make([]))
            return Items(make, limits, path, self.value(node.item, f"{path}[]", depth))
        return None

    def _refuse(self, node: Node, path: str) -> Rule:
        head, _, tail = path.partition(".")
        name = tail.partition(".")[0].partition("[")[0] or "field"
        raise RecordRefused(
            f"cannot draw {path}: nothing is known of the type {type_name(node.form)}; give a "
            "value or a rule, "
            f"as in draw({head}, {name}=…) or set_rules({head}, {name}=…)"
        )


def within(rule: Rule, limits: Limits, by_type: Callable[[], Rule], path: str) -> Rule:
    """The rule that a name suggests, within limits; that of the type, where it has no way to keep
    them.

    Raises:
        RecordRefused: nothing that is safe keeps the limits.
    """
    if not limits or (limits.pattern is not None and not isinstance(rule, Safe)):
        return rule if not limits else by_type()
    try:
        narrowed = rule.narrowed(limits)
    except RecordRefused:  # no text of such a length
        narrowed = None
    if narrowed is not None and not limits.checks:
        return narrowed
    if narrowed is None and isinstance(rule, Safe) and rule.must:
        raise RecordRefused(
            f"cannot draw {path}: no {rule.what} that belongs to nobody keeps its limits; give a "
            "value, or a rule"
        )
    if narrowed is None and limits.bounds:
        return by_type()
    return Fitted(narrowed or rule, limits, by_type())


def _is_record(node: Node) -> bool:
    return any(
        one.kind in (Kind.CLASS, Kind.TYPED_DICT) and description_of(one.bare) is not None
        for one in (node.args if node.kind is Kind.UNION else (node,))
    )


def _holds_records(node: Node) -> bool:
    """Whether a type is a record that has further ones in it, which may be the type itself."""
    record = description_of(node.bare) if _is_record(node) else None
    fields = record.given.values() if record is not None else ()
    return any(_is_record(one) for field in fields for one in (field.node, *field.node.args))
