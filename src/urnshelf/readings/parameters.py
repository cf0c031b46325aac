"""What each parameter of a look-up is: a condition, an order, a limit, a page."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from inspect import Parameter
from typing import Any, NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings.comparing import Make, by_names, condition_maker, no_field
from urnshelf.readings.entities import Entity
from urnshelf.readings.operations import NotCertain, ReadParameter, Role
from urnshelf.readings.results import is_row_type
from urnshelf.readings.spans import span_of
from urnshelf.store.column import column
from urnshelf.store.comparisons import Comparison, OneOf, TextPart
from urnshelf.store.conditions import Condition, Not
from urnshelf.store.paths import Placeholder
from urnshelf.types.nodes import Node

_FILTERS = frozenset(
    {"filters", "filter", "criteria", "where", "conditions", "query", "params", "kwargs", "by"}
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
    span = span_of(member, about) if "between" in member.name else None
    for name in by:
        words += _bounds(name, about) if name.endswith("_between") else (name,)
    paged = (
        _NO_PAGING
        if PAGING.keys().isdisjoint(member.parameters)
        else _paged(member, about, len(words))
    )
    for position, (name, parameter) in enumerate(member.signature.parameters.items()):
        node = member.parameter_nodes[name]
        if span is not None and name in (span.start, span.end):
            bound = partial(
                _BOUNDS[name == span.end], span.last if name == span.end else span.first
            )
            parts.append(_condition(position, bound, parameter))
            continue
        if words and name not in paged and parameter.kind is not Parameter.VAR_KEYWORD:
            wanted = words.pop(0)
            part = _named_part(wanted, position, parameter, node, about)
        else:
            wanted = name
            part = _part(name, position, parameter, node, about)
        if part is None:
            return no_field(about, wanted)
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


_BOUNDS: tuple[Callable[[str, Any], Condition], ...] = (
    lambda path, value: column(path) >= value,
    lambda path, value: column(path) <= value,
)
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
            Role.CONDITION, name, position, lambda values: by_names(values, about), optional
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
