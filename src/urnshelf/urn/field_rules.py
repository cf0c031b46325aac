"""Which rule each field of a type has: the one that was given, set, or declared, or what its name
and type suggest.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Any

from urnshelf.caches import remembered
from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest
from urnshelf.records.description import Description, Field
from urnshelf.records.recognising import description_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind, Node, node_of
from urnshelf.urn.by_type import Drawer, DrawRecord
from urnshelf.urn.layouts import Nested, Optional, record_type
from urnshelf.urn.rules.base import Place, Rule
from urnshelf.urn.rules.choices import all_different
from urnshelf.urn.rules.given import constant, declared, given_rule
from urnshelf.urn.rules.texts import nested_number, serial

ParentsOf = Callable[[Any, Place], Callable[[], Sequence[Any]]]


class FieldRules:
    """The rules of the fields of all types, for one urn.

    Args:
        parents: gives what a link chooses from.
        keeps_defaults: whether a field with a default is left to it.
    """

    def __init__(self, parents: ParentsOf, keeps_defaults: bool = False) -> None:
        self._parents = parents
        self._keeps_defaults = self.keeps_defaults = keeps_defaults
        self._set: dict[Any, dict[str, Any]] = {}
        self.drawer = Drawer(self._inside({}))

    def put(self, record: Description, given: Mapping[str, Any]) -> None:
        """Set rules for a type; refused where they do not fit."""
        self.given(record, given)
        self._set[record.form] = nearest_last(record, self._set.get(record.form, {}), given)

    def told(self, record: Description) -> set[str]:
        """The fields of which somebody said how they are drawn."""
        kept = [
            name
            for name, field in record.given.items()
            if self._keeps_defaults and field.has_default
        ]
        return {*kept, *self.given(record, self._set.get(record.form, {}))}

    @property
    def all_told(self) -> dict[Any, dict[str, Any]]:
        """What was set, by the type."""
        return dict(self._set)

    @property
    def is_plain(self) -> bool:
        """Whether nothing was told, so that every such urn has the same rules."""
        return not self._set and not self._keeps_defaults

    def of(
        self, record: Description, path: str, depth: int, given: Mapping[str, Any]
    ) -> dict[str, Rule]:
        """The rule of each field.

        Args:
            record: the type.
            path: of the record, for messages.
            depth: how many records deep it is.
            given: for this record alone.
        """
        told = nearest_last(record, self._set.get(record.form, {}), given)
        own = self.given(record, told, path) if told else {}
        if depth == 0 and self.is_plain:
            return {**_plain_rules(record.form), **own}
        siblings = {name: field.node for name, field in record.given.items()}
        return {
            name: own.get(name) or self.of_field(field, f"{path}.{name}", siblings, record, depth)
            for name, field in record.given.items()
        }

    def over(self, record: Description, given: Mapping[str, Any]) -> dict[str, Rule]:
        """The rules of the fields that are given with a draw; what was set inside of them holds."""
        if not self._set.get(record.form):
            return self.given(record, given)
        told = nearest_last(record, self._set[record.form], given)
        heads = {_head_of(name, record) for name in given}
        return self.given(
            record,
            {
                name: value
                for name, value in told.items()
                if name in given or _head_of(name, record) in heads
            },
        )

    def given(
        self, record: Description, given: Mapping[str, Any], path: str = ""
    ) -> dict[str, Rule]:
        """The rules that somebody gives for a type's fields, and for fields inside of them."""
        whole, parts = _steering(record, given)
        found = {}
        for name in [*whole, *parts]:
            where = f"{path or record.name}.{name}"
            place = Place(where, record.given[name], self._parents, record.key == (name,))
            found[name] = (
                given_rule(whole[name], place)
                if name in whole
                else self._steered(place, parts[name])
            )
        return found

    def of_field(
        self, field: Field, path: str, siblings: dict[str, Node], record: Description, depth: int
    ) -> Rule:
        """The rule of a field of which nobody said how it is drawn."""
        if self._keeps_defaults and field.has_default:
            return declared().placed(Place(path, field, self._parents))
        try:
            rule = self.drawer.field(
                field.name, field.node, field.limits, path, siblings, depth, field.notes
            )
        except RecordRefused as refusal:
            # said only when nobody gives a rule for this field
            return Refused(refusal)
        is_number = field.node.bare is int and field.name in ("id", *record.key)
        # a serial would give all items of one list the same
        rule = nested_number() if depth and is_number and not field.node.optional else rule
        return Optional(rule) if field.is_optional else rule

    def _inside(self, given: Mapping[str, Any]) -> DrawRecord:
        """What draws a record inside another one, some of its fields given."""

        def record_rule(record: Description, path: str, depth: int) -> Rule:
            return Nested(record, lambda: self.of(record, path, depth, given))

        return record_rule

    def _steered(self, place: Place, given: dict[str, Any]) -> Rule:
        """The rule of a field that is itself, or has in it, records some of whose fields are
        given.
        """
        node, drawer = place.field.node, Drawer(self._inside(given))
        ways = [one for one in _members(node) if _has(one, given)]
        if not ways:
            first = next(iter(given))
            raise RecordRefused(
                f"{place.where} is {type_name(node.form)}, and has no field {first!r} inside"
            )
        make = partial(drawer.value, path=place.where, limits=place.field.limits)
        # with a part of it given it is meant to be there
        return drawer.one_of([make(way) for way in ways])


def _members(node: Node) -> tuple[Node, ...]:
    return node.args if node.kind is Kind.UNION else (node_of(node.bare),)


def _has(node: Node, given: Iterable[str]) -> bool:
    """Whether a type, or its items, has the first fields of these names."""
    if node.kind in (Kind.ITEMS, Kind.MAPPING, Kind.TUPLE):
        return any(_has(one, given) for one in (node.args[1:] or node.args))
    record = description_of(node.bare) if node.kind in (Kind.CLASS, Kind.TYPED_DICT) else None
    return record is not None and all(_head_of(name, record) for name in given)


def _steering(
    record: Description, given: Mapping[str, Any]
) -> tuple[dict[str, Any], dict[str, dict[str, Any]]]:
    """What is given for whole fields, and what for fields inside of them: `home__city`."""
    whole: dict[str, Any] = {}
    parts: dict[str, dict[str, Any]] = {}
    for name, value in given.items():
        head = _head_of(name, record)
        if head is None:
            hint = nearest(name.replace("__", ".").partition(".")[0], record.given)
            if name in ("n", "start", "what"):
                hint = f"what is no field goes by position, as in draw({record.name}, 10)"
            raise RecordRefused(f"{type_name(record.form)} has no field {name!r}; {hint}")
        rest = name.removeprefix(head).removeprefix("__").removeprefix(".")
        if rest:
            parts.setdefault(head, {})[rest] = value
        else:
            whole[head] = value
    both = whole.keys() & parts.keys()
    if both:
        raise RecordRefused(
            f"{record.name}.{min(both)} is given whole, and fields inside of it besides: give one "
            "of the two"
        )
    return whole, parts


def nearest_last(
    record: Description, earlier: Mapping[str, Any], given: Mapping[str, Any]
) -> dict[str, Any]:
    """What was set, and what is given after it: a field that is given whole, or inside of which
    something is, is no longer as it was set whole, or inside.
    """
    if not earlier:
        return dict(given)
    told = dict(earlier)
    for name in given:
        head = _head_of(name, record)
        for other in list(told):
            if _head_of(other, record) == head and (name == head or other == head):
                del told[other]
    return {**told, **given}


def _head_of(name: str, record: Description) -> str | None:
    """The field that a name, or its beginning, names."""
    if name in record.given:
        return name
    found = [field for field in record.given if name.startswith((f"{field}__", f"{field}."))]
    return max(found, key=len, default=None)


@remembered
def _plain_rules(form: object) -> dict[str, Rule]:
    """The rules of a type's fields, where an urn was told nothing."""
    record = record_type(form)
    siblings = {name: field.node for name, field in record.given.items()}
    return {
        name: _PLAIN.of_field(field, f"{type_name(form)}.{name}", siblings, record, 0)
        for name, field in record.given.items()
    }


_PLAIN = FieldRules(lambda _, __: tuple)


class Refused(Rule):
    """A field that cannot be drawn, which matters only where somebody draws it."""

    vectorised = False

    def __init__(self, why: RecordRefused) -> None:
        self._why = str(why)

    def one(self, bits: object, *inputs: object) -> Any:  # noqa: ARG002
        """Refused."""
        raise RecordRefused(self._why)


def key_rule(rule: Rule, place: Place) -> Rule:
    """The rule of the field that is the key alone: no two records of an urn have the same.

    Args:
        rule: what its name and type suggest.
        place: where it stands.
    """
    field = place.field
    if field.node.optional:
        return constant(None)  # it is assigned when the record is stored
    if field.node.bare is int and not field.limits.is_tried and field.limits.choices is None:
        numbers = serial().narrowed(field.limits)
        if numbers is not None:
            return numbers.placed(place)
    if rule.size is not None and not rule.in_series:
        return all_different(rule).placed(place)
    return rule
