"""What a parameter of a look-up stands for: a condition on a field, an order, a page; told by its name and type."""

from __future__ import annotations

import collections.abc as abc
import re
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from inspect import Parameter
from typing import Any, NamedTuple, get_args, get_origin

from urnshelf.interfaces.hints import type_name
from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity, entity
from urnshelf.readings.reading import NotCertain
from urnshelf.readings.results import is_record_type, is_row_type
from urnshelf.records.shapes import storage_shape, values_of
from urnshelf.store.column import column
from urnshelf.store.conditions import AllOf, Condition, Not, Predicate, Shown, TextPart, equals
from urnshelf.store.values import Placeholder

Make = Callable[[Any], Condition]
"""A condition from the argument's value."""

COLLECTIONS = (
    list, set, frozenset, tuple, abc.Sequence, abc.Collection, abc.Iterable, abc.Set, abc.MutableSequence,
)  # fmt: skip
_NUMBERS = (int, float, Decimal)
_FILTERS = frozenset({"filters", "filter", "criteria", "where", "conditions", "query", "params", "kwargs", "by"})
_PREDICATES = frozenset({"predicate", "condition", "filter", "where", "matches", "test", "fn", "func", "specification"})
_PAGING = {
    **dict.fromkeys(("limit", "max_results", "max_count", "top", "first_n"), "limit"),
    **dict.fromkeys(("offset", "skip", "start_at"), "offset"),
    **dict.fromkeys(("page", "page_number", "page_no"), "page"),
    **dict.fromkeys(("page_size", "per_page", "page_limit", "size"), "page_size"),
    **dict.fromkeys(("order_by", "sort", "sort_by", "order", "ordering", "sorted_by", "sort_key"), "order"),
    **dict.fromkeys(("desc", "descending", "reverse", "is_descending"), "desc"),
}
_SIGNS: tuple[tuple[str, str], ...] = (
    (r"min_(.+)|(.+)_min|(.+)_gte|(.+)_ge|(.+)_from|from_(.+)|(.+)_since|since_(.+)|(.+)_at_least", ">="),
    (r"max_(.+)|(.+)_max|(.+)_lte|(.+)_le|(.+)_to|to_(.+)|(.+)_until|until_(.+)|(.+)_at_most", "<="),
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


class Part(NamedTuple):
    """One parameter's part of a look-up: a condition, or `limit`, `offset`, `page`, `page_size`, `order`, `desc`."""

    role: str
    name: str
    position: int
    make: Make | None = None
    optional: bool = False
    """Whether an argument of None asks for nothing."""
    default: Any = None


def parts_of(member: Member, about: Entity, by: list[str]) -> list[Part] | str:
    """What each parameter stands for, or why one of them cannot be told.

    Args:
        member: the method.
        about: its records.
        by: the fields that its name speaks of, which are those of its first parameters, in this order.
    """
    parts: list[Part] = []
    told = [one for name in by for one in _bounds(name, about)]
    named = [p for p in member.signature.parameters.values() if p.kind is not Parameter.VAR_KEYWORD]
    has_room = len([p for p in named if not _is_paging(p.name, about)]) >= len(told)
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        form = member.parameter_types[name]
        is_paging = _is_paging(name, about) and has_room
        if told and not is_paging and parameter.kind is not Parameter.VAR_KEYWORD:
            wanted = told.pop(0)
            several = parameter.kind is Parameter.VAR_POSITIONAL
            make = condition_maker(wanted, form, about, several)
            if make is None and name.startswith(wanted.removesuffix("s")):  # `list_for_vessel(vessel_id)`
                make = condition_maker(name, form, about, several)
            if make is None:
                return _no_field(about, wanted)
            parts.append(_condition(name, position, make, parameter))
            continue
        part = _part(name, position, parameter, form, about)
        if part is None:
            return _no_field(about, name)
        parts.append(part)
    if told:
        return f"its name speaks of {told[0]!r}, but no parameter is left for it"
    roles = {part.role for part in parts}
    if "page" in roles and not roles & {"page_size", "limit"}:
        return "it has a page, but no page size"
    return parts


def _bounds(name: str, about: Entity) -> tuple[str, ...]:
    """`find_by_age_between(low, high)` speaks of two parameters."""
    base = name.removesuffix("_between")
    return (f"{base}_gte", f"{base}_lte") if base != name and about.path(base) is not None else (name,)


def _is_paging(name: str, about: Entity) -> bool:
    return name in _PAGING and about.path(name) is None and name not in about.names


def _part(name: str, position: int, parameter: Parameter, form: Any, about: Entity) -> Part | None:
    optional = parameter.default is None
    if _is_paging(name, about):
        return Part(_PAGING[name], name, position, None, optional, parameter.default)
    if parameter.kind is Parameter.VAR_KEYWORD or (name in _FILTERS and is_row_type(_bare(form))):
        return Part("condition", name, position, lambda values: _by_names(values, about), optional)
    make = condition_maker(name, form, about, parameter.kind is Parameter.VAR_POSITIONAL)
    return None if make is None else _condition(name, position, make, parameter)


def _condition(name: str, position: int, make: Make, parameter: Parameter) -> Part:
    return Part("condition", name, position, _unless_unclear(make, parameter), parameter.default is None)


def _unless_unclear(make: Make, parameter: Parameter) -> Make:
    """An empty default may mean anything at all, or just what is empty: a call that relies on it is left to a cue."""
    default = parameter.default
    if default or not isinstance(default, (str, tuple, list, frozenset)) or isinstance(make(default), TextPart):
        return make

    def clear(value: Any) -> Condition:
        if type(value) is type(default) and value == default:
            raise NotCertain(f"{parameter.name}={default!r} may ask for nothing, or for what is empty")
        return make(value)

    return clear


def condition_maker(name: str, form: Any, about: Entity, several: bool = False) -> Make | None:
    """What makes a condition of an argument of this name and type; None where that is not certain."""
    name = re.sub("__+", "_", name).removesuffix("_")
    form = _bare(form)
    several = several or _is_collection_type(form)
    return (
        _equality(name, several, form, about)
        or _one_of(name, several, form, about)
        or comparison_of(name, about)
        or _of_parent(name, form, about)
        or _specification(name, form, about)
    )


def _equality(name: str, several: bool, form: Any, about: Entity) -> Make | None:
    path = _key_path(name, about) or about.path(name)
    if path is None:
        flag = about.flags.get(name)
        return None if flag is None or several else lambda value: _flag_condition(flag, value)
    if not _can_equal(_item(form) if several else form, about.hints.get(path)):
        return None
    if several:
        return lambda values: column(path).one_of(values)
    return lambda value: equals(path, value)


def _flag_condition(flag: tuple[str, Any], value: Any) -> Condition:
    """A word that stands for a field's value, given as yes or no."""
    field, wanted = flag
    if isinstance(value, Placeholder):
        return equals(field, value)
    if wanted is True:
        return equals(field, bool(value))
    return equals(field, wanted) if value else Not(equals(field, wanted))


def _one_of(name: str, several: bool, form: Any, about: Entity) -> Make | None:
    if not several and form is not Any:
        return None
    for field in ("id", "key", "pk", *about.key_fields, f"{about.name}_id", f"{about.name}_key", *about.fields):
        if name in (f"{field}s", f"{field}_list", f"{field}_set", f"{field}es") or (
            field.endswith("y") and name == f"{field[:-1]}ies"
        ):
            path = _key_path(field, about) or about.path(field)
            if path is not None and _can_equal(_item(form), about.hints.get(path)):
                return lambda values: column(path).one_of(values)
    return None


def comparison_of(name: str, about: Entity) -> Make | None:
    """What a name such as `min_depth_m` or `depth_m_below` compares; `placed_before` is about a field `placed_at`."""
    for pattern, sign in _SIGNS:
        for alternative in pattern.split("|"):
            match = re.fullmatch(alternative, name)
            path = match and (_key_path(match[1], about) or about.path(match[1]) or _moment_path(match[1], about))
            if path:
                return lambda value, path=path, sign=sign: _MAKERS[sign](path, value)  # type: ignore[misc]
    return None


def _of_parent(name: str, form: Any, about: Entity) -> Make | None:
    """A record of another type, which the records refer to by its key."""
    if not is_record_type(form) or form is about.record_type:
        return None
    parent = entity(form)
    if len(parent.key_fields) != 1:
        return None
    for field in (f"{name}_id", f"{parent.name}_id"):
        if field in about.fields:
            return lambda value: equals(field, _of(value, parent.key_fields[0]))
    return None


def _specification(name: str, form: Any, about: Entity) -> Make | None:
    """A condition as an object: a function, a thing that can tell whether it is satisfied, or a record of filters."""
    if isinstance(form, type) and issubclass(form, Condition):
        return lambda value: Shown(repr(value)) if isinstance(value, Placeholder) else _known_paths(value, about)
    if form is abc.Callable or get_origin(form) is abc.Callable or (form is Any and name in _PREDICATES):
        return lambda value: Shown(f"python({value})") if isinstance(value, Placeholder) else Predicate(value)
    asked = next((n for n in ("is_satisfied_by", "satisfied_by", "matches") if hasattr(form, n)), None)
    if asked is not None:
        return lambda value: (
            Shown(f"{value}.{asked}(*)") if isinstance(value, Placeholder) else Predicate(getattr(value, asked))
        )
    if is_record_type(form) and form is not about.record_type:
        return _filter_record(form, about)
    return None


def _known_paths(condition: Condition, about: Entity) -> Condition:
    for path in condition.fields:
        if path.partition(".")[0] not in about.fields:
            raise NotCertain(_no_field(about, path))
    return condition


def _filter_record(form: Any, about: Entity) -> Make | None:
    """A record whose every field is a filter; those that are None ask for nothing."""
    shape = storage_shape(form)
    hints = entity(form).hints
    makers = {field: condition_maker(field, hints[field], about) for field in (shape.fields if shape else ())}
    if not makers or None in makers.values():
        return None

    def make(value: Any) -> Condition:
        if isinstance(value, Placeholder):
            given = {field: Placeholder(f"{value.name}.{field}") for field in makers}
        else:
            given = {k: v for k, v in _values(value).items() if v is not None}
        return AllOf([makers[field](one) for field, one in given.items()])  # type: ignore[misc]

    return make


def _by_names(values: Any, about: Entity) -> Condition:
    """Filters by name, known only when the call is made."""
    if isinstance(values, Placeholder):
        return Shown(f"<each of {values}>")
    conditions = []
    for name, value in (values or {}).items():
        make = condition_maker(name, list if _is_collection(value) else Any, about)
        if make is None:
            raise NotCertain(_no_field(about, name))
        conditions.append(make(value))
    return AllOf(conditions)


def _moment_path(name: str, about: Entity) -> str | None:
    found = [field for field in (f"{name}_at", f"{name}_on") if about.hints.get(field) in (datetime, date)]
    return found[0] if len(found) == 1 else None


def _key_path(name: str, about: Entity) -> str | None:
    return about.key_fields[0] if len(about.key_fields) == 1 and about.is_key(name) else None


def _is_collection_type(form: Any) -> bool:
    return form in COLLECTIONS or get_origin(form) in COLLECTIONS


def _item(form: Any) -> Any:
    args = get_args(form)
    return args[0] if args and _is_collection_type(form) else Any if _is_collection_type(form) else form


def _can_equal(form: Any, field: Any) -> bool:
    """Whether values of a parameter's type can be those of a field: a day is no moment, a text is no enum's member.

    Where one of the types is not told, or is no plain class, it is taken for granted; but what collections have to do
    with each other (all of these, any of them, just these) is not.
    """
    if _is_collection_type(field):
        return False
    if Any in (form, field) or not isinstance(form, type) or not isinstance(field, type):
        return True
    if {form, field} == {date, datetime}:
        return False
    return issubclass(form, field) or issubclass(field, form) or (form in _NUMBERS and field in _NUMBERS)


def _no_field(about: Entity, name: str) -> str:
    path = _key_path(name, about) or about.path(name)
    if path is not None:
        return f"it is not certain how {name!r} compares with a field of type {type_name(about.hints.get(path))}"
    return f"{about.record_type.__name__} has no field {name!r}"


def _bare(form: Any) -> Any:
    """The type without `| None`."""
    args = [arg for arg in get_args(form) if arg is not type(None)]
    return args[0] if len(args) == 1 and type(None) in get_args(form) else form


def _is_collection(value: Any) -> bool:
    return isinstance(value, (list, tuple, set, frozenset))


def _of(record: Any, field: str) -> Any:
    return record if isinstance(record, Placeholder) else getattr(record, field, None)


def _values(record: Any) -> dict[str, Any]:
    shape = storage_shape(type(record))
    return dict(record) if isinstance(record, dict) else values_of(record, shape) if shape else {}
