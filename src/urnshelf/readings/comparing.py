"""Conditions that a parameter of a look-up stands for, told by its name and its type."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from typing import Any

from urnshelf.near_names import nearest
from urnshelf.readings.entities import Entity, entity
from urnshelf.readings.operations import NotCertain
from urnshelf.readings.results import is_record_type, row_of
from urnshelf.store.column import column
from urnshelf.store.comparisons import TextPart, equals
from urnshelf.store.conditions import AllOf, Condition, Not, Predicate, Shown
from urnshelf.store.definition import plain_definition
from urnshelf.store.paths import Placeholder
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of

Make = Callable[[Any], Condition]
"""A condition from the argument's value."""

_NUMBERS = (int, float, Decimal)
_PREDICATES = frozenset(
    {"predicate", "condition", "filter", "where", "matches", "test", "fn", "func", "specification"}
)
_SIGNS: tuple[tuple[str, str], ...] = (
    (
        r"min_(.+)|(.+)_min|(.+)_gte|(.+)_ge|(.+)_from|from_(.+)|(.+)_since|since_(.+)"
        r"|(.+)_at_least",
        ">=",
    ),
    (
        r"max_(.+)|(.+)_max|(.+)_lte|(.+)_le|(.+)_to|to_(.+)|(.+)_until|until_(.+)|(.+)_at_most",
        "<=",
    ),
    (r"(.+)_gt|(.+)_after|after_(.+)|(.+)_above|above_(.+)|(.+)_over|(.+)_greater_than", ">"),
    (r"(.+)_lt|(.+)_before|before_(.+)|(.+)_below|below_(.+)|(.+)_under|(.+)_less_than", "<"),
    (r"(.+)_ne|(.+)_not|not_(.+)|exclude_(.+)|excluding_(.+)", "<>"),
    (r"(.+)_not_in|not_in_(.+)", "not in"),
    (r"(.+)_in", "in"),
    (r"(.+)_contains|(.+)_containing", "contains"),
    (r"(.+)_icontains", "contains, ignoring case"),
    (r"(.+)_iexact|(.+)_ignore_case", "=, ignoring case"),
    (r"(.+)_prefix|(.+)_startswith|(.+)_starts_with|(.+)_starting_with", "starts"),
    (r"(.+)_suffix|(.+)_endswith|(.+)_ends_with|(.+)_ending_with", "ends"),
)
_MAKERS: dict[str, Callable[[str, Any], Condition]] = {
    "=": equals,
    ">=": lambda path, value: column(path) >= value,
    "<=": lambda path, value: column(path) <= value,
    ">": lambda path, value: column(path) > value,
    "<": lambda path, value: column(path) < value,
    "<>": lambda path, value: column(path) != value,
    "in": lambda path, values: column(path).one_of(values),
    "not in": lambda path, values: ~column(path).one_of(values),
    "contains": lambda path, value: TextPart(path, "contains", value, False),
    "contains, ignoring case": lambda path, value: TextPart(path, "contains", value, True),
    "=, ignoring case": lambda path, value: column(path).ignoring_case == value,
    "starts": lambda path, value: TextPart(path, "starts", value, False),
    "ends": lambda path, value: TextPart(path, "ends", value, False),
}


def condition_maker(name: str, node: Node, about: Entity, several: bool = False) -> Make | None:
    """What makes a condition of an argument of this name and type; None where that is not
    certain.
    """
    if "__" in name or name.endswith("_"):
        # `depth_m__gte` and `type_`: two manners of writing that mean the same
        name = re.sub("__+", "_", name).removesuffix("_")
    several = several or node.kind in _COLLECTIONS
    return (
        # a field's own name goes first: a field may be called `min_depth`
        _equality(name, several, node, about)
        or _one_of(name, several, node, about)
        or comparison_of(name, about)
        or _of_parent(name, node, about)
        or _specification(name, node, about)
    )


def _equality(name: str, several: bool, node: Node, about: Entity) -> Make | None:
    path = (
        about.key_fields[0]
        if name in about.key_words and len(about.key_fields) == 1
        else about.path(name)
    )
    if path is None:
        flag = about.flags.get(name)
        # several values of a word that is itself a value would be unclear
        return None if flag is None or several else lambda value: _flag_condition(flag, value)
    if not _can_equal(_item(node) if several else node, about.node_of(path)):
        return None
    if several:
        return lambda values: column(path).one_of(values)
    return partial(equals, path)


def _flag_condition(flag: tuple[str, Any], value: object) -> Condition:
    """A word that stands for a field's value, given as yes or no."""
    field, wanted = flag
    if isinstance(value, Placeholder):
        return equals(field, value)
    # a bool field is compared as it is; for an enum's member, no means any of the others
    if wanted is True:
        return equals(field, bool(value))
    return equals(field, wanted) if value else Not(equals(field, wanted))


def _one_of(name: str, several: bool, node: Node, about: Entity) -> Make | None:
    # `ids: int` is one key with an odd name, not many
    if not several and node.is_known:
        return None
    for field in (
        "id",
        "key",
        "pk",
        *about.key_fields,
        f"{about.name}_id",
        f"{about.name}_key",
        *about.fields,
    ):
        if name in (f"{field}s", f"{field}_list", f"{field}_set", f"{field}es") or (
            field.endswith("y") and name == f"{field[:-1]}ies"
        ):
            path = _key_path(field, about) or about.path(field)
            if path is not None and _can_equal(_item(node), about.node_of(path)):
                return lambda values: column(path).one_of(values)
    return None


def comparison_of(name: str, about: Entity) -> Make | None:
    """What a name such as `min_depth_m` or `depth_m_below` compares; `placed_before` is about a
    field `placed_at`.
    """
    for pattern, sign in _SIGNS:
        for alternative in pattern.split("|"):
            match = re.fullmatch(alternative, name)
            path = match and (
                _key_path(match[1], about) or about.path(match[1]) or _moment_path(match[1], about)
            )
            if path:
                return partial(_MAKERS[sign], path)
    return None


def _of_parent(name: str, node: Node, about: Entity) -> Make | None:
    """A record of another type, which the records refer to by its key."""
    if not is_record_type(node.bare) or node.bare is about.record_type:
        return None
    parent = entity(plain_definition(node.bare))
    # one field of ours cannot refer to a key of several
    if len(parent.key_fields) != 1:
        return None
    for field in (f"{name}_id", f"{parent.name}_id"):
        if field in about.fields:
            return lambda value: equals(field, _of(value, parent.key_fields[0]))
    return None


def _specification(name: str, node: Node, about: Entity) -> Make | None:
    """A condition as an object: a function, a thing that can tell whether it is satisfied, or a
    record of filters.
    """
    form = node.bare
    if isinstance(form, type) and issubclass(form, Condition):
        return lambda value: (
            Shown(repr(value)) if isinstance(value, Placeholder) else _known_paths(value, about)
        )
    if node.kind is Kind.CALLABLE or (not node.is_known and name in _PREDICATES):
        return lambda value: (
            Shown(f"python({value})") if isinstance(value, Placeholder) else Predicate(value)
        )
    asked = next(
        (n for n in ("is_satisfied_by", "satisfied_by", "matches") if hasattr(form, n)), None
    )
    if asked is not None:
        return lambda value: (
            Shown(f"{value}.{asked}(*)")
            if isinstance(value, Placeholder)
            else Predicate(getattr(value, asked))
        )
    if is_record_type(form) and form is not about.record_type:
        return _filter_record(form, about)
    return None


def _known_paths(condition: Condition, about: Entity) -> Condition:
    for path in condition.fields:
        if path.partition(".")[0] not in about.fields:
            raise NotCertain(no_field(about, path))
    return condition


def _filter_record(form: object, about: Entity) -> Make | None:
    """A record whose every field is a filter; those that are None ask for nothing."""
    fields = plain_definition(form).described.fields
    makers = {name: condition_maker(name, field.node, about) for name, field in fields.items()}
    certain = {field: make for field, make in makers.items() if make is not None}
    # one filter that is not understood would silently widen what is found
    if not makers or len(certain) < len(makers):
        return None

    def make(value: object) -> Condition:
        if isinstance(value, Placeholder):
            given: dict[str, Any] = {
                field: Placeholder(f"{value.name}.{field}") for field in certain
            }
        else:
            given = {k: v for k, v in row_of(value).items() if v is not None}
        return AllOf([certain[field](one) for field, one in given.items()])

    return make


def by_names(values: Any, about: Entity) -> Condition:
    """Filters by name, known only when the call is made."""
    if isinstance(values, Placeholder):
        return Shown(f"<each of {values}>")
    conditions = []
    for name, value in (values or {}).items():
        make = condition_maker(name, _SEVERAL if _is_collection(value) else ANYTHING, about)
        if make is None:
            raise NotCertain(no_field(about, name))
        conditions.append(make(value))
    return AllOf(conditions)


_COLLECTIONS = frozenset({Kind.ITEMS, Kind.TUPLE})
_SEVERAL = node_of(list)


def _moment_path(name: str, about: Entity) -> str | None:
    found = [
        field
        for field in (f"{name}_at", f"{name}_on")
        if about.node_of(field).bare in (datetime, date)
    ]
    # `placed_at` and `placed_on` side by side: which is meant is not certain
    return found[0] if len(found) == 1 else None


def _key_path(name: str, about: Entity) -> str | None:
    return about.key_fields[0] if len(about.key_fields) == 1 and about.is_key(name) else None


def is_collection_type(node: Node) -> bool:
    """Whether a type is a collection of items."""
    return node.kind in _COLLECTIONS


def _item(node: Node) -> Node:
    return node.item if is_collection_type(node) else node


def _can_equal(given: Node, field: Node) -> bool:
    """Whether values of a parameter's type can be those of a field: a day is no moment, a text is
    no enum's member.

    Where one of the types is not told, or is no plain class, it is taken for granted; but what
    collections have to do with each other (all of these, any of them, just these) is not.
    """
    if field.kind in _COLLECTIONS:
        return False
    mine, theirs = given.bare, field.bare
    if not (
        given.is_known and field.is_known and isinstance(mine, type) and isinstance(theirs, type)
    ):
        return True
    # a datetime is a date to Python, but no day equals a moment
    if {mine, theirs} == {date, datetime}:
        return False
    return (
        issubclass(mine, theirs)
        or issubclass(theirs, mine)
        or (mine in _NUMBERS and theirs in _NUMBERS)
    )


def no_field(about: Entity, name: str) -> str:
    """Why a name is no condition: the records have no such field, or its type is another."""
    path = _key_path(name, about) or about.path(name)
    if path is not None:
        words = type_name(about.node_of(path).bare)
        return f"it is not certain how {name!r} compares with a field of type {words}"
    hint = nearest(name, about.fields)
    asks = f"; {hint}" if hint.startswith("did") else ""
    return f"{about.record_type.__name__} has no field {name!r}{asks}"


def _is_collection(value: object) -> bool:
    return isinstance(value, (list, tuple, set, frozenset))


def _of(record: object, field: str) -> Any:
    return record if isinstance(record, Placeholder) else getattr(record, field, None)
