"""What a parameter of a look-up stands for: a condition on a field, an order, a page; told by its
name and type.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from inspect import Parameter
from typing import Any, NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity, entity
from urnshelf.readings.operations import NotCertain, ReadParameter, Role
from urnshelf.readings.results import is_record_type, is_row_type, row_of
from urnshelf.store.column import column
from urnshelf.store.conditions import (
    AllOf,
    Comparison,
    Condition,
    Not,
    OneOf,
    Predicate,
    Shown,
    TextPart,
    equals,
)
from urnshelf.store.definition import untold
from urnshelf.store.paths import Placeholder
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of

Make = Callable[[Any], Condition]
"""A condition from the argument's value."""

_NUMBERS = (int, float, Decimal)
_FILTERS = frozenset(
    {"filters", "filter", "criteria", "where", "conditions", "query", "params", "kwargs", "by"}
)
_PREDICATES = frozenset(
    {"predicate", "condition", "filter", "where", "matches", "test", "fn", "func", "specification"}
)
PAGING = {
    **dict.fromkeys(("limit", "max_results", "max_count", "top", "first_n"), Role.LIMIT),
    **dict.fromkeys(("offset", "skip", "start_at"), Role.OFFSET),
    **dict.fromkeys(("page", "page_number", "page_no"), Role.PAGE),
    **dict.fromkeys(("page_size", "per_page", "page_limit", "size"), Role.PAGE_SIZE),
    **dict.fromkeys(
        ("order_by", "sort", "sort_by", "order", "ordering", "sorted_by", "sort_key"), Role.ORDER
    ),
    **dict.fromkeys(("desc", "descending", "reverse", "is_descending"), Role.DESCENDING),
}
_SIGNS: tuple[tuple[str, str], ...] = (
    (
        r"min_(.+)|(.+)_min|(.+)_gte|(.+)_ge|(.+)_from|from_(.+)|(.+)_since|since_(.+)|(.+)_at_least",
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


class Asked(NamedTuple):
    """One parameter's part of a look-up: a condition, or an order, a limit, a page."""

    role: Role
    name: str
    position: int
    make: Make | None = None
    optional: bool = False
    """Whether an argument of None asks for nothing."""
    default: Any = None

    def read(self) -> ReadParameter:
        """As data: its role, and the field that it is compared with."""
        return (
            ReadParameter(self.name, self.role)
            if self.make is None
            else read_condition(self.name, self.make)
        )


def read_condition(name: str, make: Make) -> ReadParameter:
    """A parameter that is compared with a field, as data."""
    field, sign = _compared(make(Placeholder(name)))
    return ReadParameter(name, Role.CONDITION, field, sign)


def _compared(condition: Condition) -> tuple[str, str]:
    """The field and the sign of a condition on one field; both empty for any other."""
    if isinstance(condition, Comparison):
        return (
            condition.path,
            f"{condition.sign}, ignoring case" if condition.fold else condition.sign,
        )
    if isinstance(condition, OneOf):
        return condition.path, "in"
    if isinstance(condition, TextPart):
        return (
            condition.path,
            f"{condition.where}, ignoring case" if condition.fold else condition.where,
        )
    if isinstance(condition, Not):
        field, sign = _compared(condition.part)
        return field, f"not {sign}" if sign else ""
    return "", ""


def parts_of(member: Member, about: Entity, by: list[str]) -> list[Asked] | str:
    """What each parameter stands for, or why one of them cannot be told.

    Args:
        member: the method.
        about: its records.
        by: the fields that its name speaks of, which are those of its first parameters, in this
            order.
    """
    parts: list[Asked] = []
    words: list[str] = []
    for name in by:
        words += _bounds(name, about) if name.endswith("_between") else (name,)
    paged = (
        _NO_PAGING
        if PAGING.keys().isdisjoint(member.parameters)
        else _paged(member, about, len(words))
    )
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        node = member.parameter_nodes[name]
        if words and name not in paged and parameter.kind is not Parameter.VAR_KEYWORD:
            wanted = words.pop(0)
            part = _named_part(wanted, position, parameter, node, about)
        else:
            wanted = name
            part = _part(name, position, parameter, node, about)
        if part is None:
            return _no_field(about, wanted)
        parts.append(part)
    if words:
        return f"its name speaks of {words[0]!r}, but no parameter is left for it"
    if (
        paged
        and Role.PAGE in paged.values()
        and not {Role.PAGE_SIZE, Role.LIMIT} & {*paged.values()}
    ):
        return "it has a page, but no page size"
    return parts


_NO_PAGING: dict[str, Role] = {}


def _paged(member: Member, about: Entity, words: int) -> dict[str, Role]:
    """The parameters of orders and pages, where enough others are left for the fields that the name
    speaks of.
    """
    found = {name: PAGING[name] for name in member.parameters if _is_paging(name, about)}
    named = [
        p.name for p in member.signature.parameters.values() if p.kind is not Parameter.VAR_KEYWORD
    ]
    return found if len([name for name in named if name not in found]) >= words else _NO_PAGING


def _named_part(
    wanted: str, position: int, parameter: Parameter, node: Node, about: Entity
) -> Asked | None:
    several = parameter.kind is Parameter.VAR_POSITIONAL
    make = condition_maker(wanted, node, about, several)
    if make is None and parameter.name.startswith(
        wanted.removesuffix("s")
    ):  # `list_for_vessel(vessel_id)`
        make = condition_maker(parameter.name, node, about, several)
    return None if make is None else _condition(position, make, parameter)


def _bounds(name: str, about: Entity) -> tuple[str, ...]:
    """`find_by_age_between(low, high)` speaks of two parameters."""
    base = name.removesuffix("_between")
    return (
        (f"{base}_gte", f"{base}_lte") if base != name and about.path(base) is not None else (name,)
    )


def _is_paging(name: str, about: Entity) -> bool:
    return name in PAGING and about.path(name) is None and name not in about.names


def _part(
    name: str, position: int, parameter: Parameter, node: Node, about: Entity
) -> Asked | None:
    optional = parameter.default is None
    if name in PAGING and _is_paging(name, about):
        return Asked(PAGING[name], name, position, None, optional, parameter.default)
    if parameter.kind is Parameter.VAR_KEYWORD or (name in _FILTERS and is_row_type(node)):
        return Asked(
            Role.CONDITION, name, position, lambda values: _by_names(values, about), optional
        )
    make = condition_maker(name, node, about, parameter.kind is Parameter.VAR_POSITIONAL)
    return None if make is None else _condition(position, make, parameter)


def _condition(position: int, make: Make, parameter: Parameter) -> Asked:
    default = parameter.default
    if not default and isinstance(default, (str, tuple, list, frozenset)):
        make = _unless_unclear(make, parameter)
    return Asked(Role.CONDITION, parameter.name, position, make, default is None)


def _unless_unclear(make: Make, parameter: Parameter) -> Make:
    """An empty default may mean anything at all, or just what is empty: a call that relies on it is
    left to a cue.
    """
    default = parameter.default
    if isinstance(make(default), TextPart):
        return make

    def clear(value: object) -> Condition:
        if type(value) is type(default) and value == default:
            raise NotCertain(
                f"{parameter.name}={default!r} may ask for nothing, or for what is empty"
            )
        return make(value)

    return clear


def condition_maker(name: str, node: Node, about: Entity, several: bool = False) -> Make | None:
    """What makes a condition of an argument of this name and type; None where that is not
    certain.
    """
    if "__" in name or name.endswith("_"):
        name = re.sub("__+", "_", name).removesuffix("_")
    several = several or node.kind in _COLLECTIONS
    return (
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
    if wanted is True:
        return equals(field, bool(value))
    return equals(field, wanted) if value else Not(equals(field, wanted))


def _one_of(name: str, several: bool, node: Node, about: Entity) -> Make | None:
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
                return lambda value, path=path, sign=sign: _MAKERS[sign](path, value)  # type: ignore[misc]
    return None


def _of_parent(name: str, node: Node, about: Entity) -> Make | None:
    """A record of another type, which the records refer to by its key."""
    if not is_record_type(node.bare) or node.bare is about.record_type:
        return None
    parent = entity(untold(node.bare))
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
            raise NotCertain(_no_field(about, path))
    return condition


def _filter_record(form: object, about: Entity) -> Make | None:
    """A record whose every field is a filter; those that are None ask for nothing."""
    fields = untold(form).described.fields
    makers = {name: condition_maker(name, field.node, about) for name, field in fields.items()}
    certain = {field: make for field, make in makers.items() if make is not None}
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


def _by_names(values: Any, about: Entity) -> Condition:
    """Filters by name, known only when the call is made."""
    if isinstance(values, Placeholder):
        return Shown(f"<each of {values}>")
    conditions = []
    for name, value in (values or {}).items():
        make = condition_maker(name, _SEVERAL if _is_collection(value) else ANYTHING, about)
        if make is None:
            raise NotCertain(_no_field(about, name))
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
    if {mine, theirs} == {date, datetime}:
        return False
    return (
        issubclass(mine, theirs)
        or issubclass(theirs, mine)
        or (mine in _NUMBERS and theirs in _NUMBERS)
    )


def _no_field(about: Entity, name: str) -> str:
    path = _key_path(name, about) or about.path(name)
    if path is not None:
        words = type_name(about.node_of(path).bare)
        return f"it is not certain how {name!r} compares with a field of type {words}"
    return f"{about.record_type.__name__} has no field {name!r}"


def _is_collection(value: object) -> bool:
    return isinstance(value, (list, tuple, set, frozenset))


def _of(record: object, field: str) -> Any:
    return record if isinstance(record, Placeholder) else getattr(record, field, None)
