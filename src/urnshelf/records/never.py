"""Matchers that no value of a type can fit: a misspelt field, a type that is another."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any

from urnshelf.near_names import nearest
from urnshelf.records.equality import Matcher
from urnshelf.records.matchers import expected_types, wanted_parts
from urnshelf.records.recognising import describe
from urnshelf.types.annotations import annotations_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import Kind, Node

_SCALARS = frozenset({int, float, complex, str, bytes, bool, type(None)})
"""Classes of which none is another's, but for those that inherit from one another."""
_NUMBERS = {float: {int, float}, complex: {int, float, complex}}
"""As checkers have it, an int will do for a float (PEP 484)."""


_DEPTH, _SAMPLE = 6, 50
"""How deep, and how far into each container: nobody writes matchers beyond, and a record may hold
itself.
"""


def never_fits(wanted: Any, node: Node, depth: int = 0) -> str | None:
    """Why no value of the type can be what is wanted; None where one may.

    Args:
        wanted: a matcher, or a container or a record with matchers inside.
        node: the type.
        depth: how deep inside of others it is.

    >>> from urnshelf.records.matchers import of_type
    >>> from urnshelf.types.nodes import node_of
    >>> never_fits(of_type(str), node_of(int))
    'the value is int'
    """
    if depth > _DEPTH:
        return None
    if node.kind is Kind.UNION:
        whys = [never_fits(wanted, one, depth + 1) for one in node.args]
        return None if None in whys else whys[0]
    if isinstance(wanted, Matcher):
        return _matcher(wanted, node, depth)
    parts = islice(_inside(wanted, node), _SAMPLE)
    return next((why for one, part in parts if (why := never_fits(one, part, depth + 1))), None)


def _matcher(wanted: Matcher, node: Node, depth: int) -> str | None:
    types = expected_types(wanted)
    if types:
        return _other_type(types, node)
    for name, value in wanted_parts(wanted).items():
        field = _field(name, node)
        why = field if isinstance(field, str) else field and never_fits(value, field, depth + 1)
        if why:
            return why
    return None


def _other_type(types: Iterable[type], node: Node) -> str | None:
    known: Any = node.bare
    if not isinstance(known, type) or known not in _SCALARS:
        return None
    if type(None) in types and node.optional:
        return None
    allowed = _NUMBERS.get(known, {known})
    if any(one not in _SCALARS or issubclass(one, tuple(allowed)) for one in types):
        return None
    return f"the value is {type_name(node.form)}"


def _field(name: str, node: Node) -> Node | str | None:
    """The type of a field, or why there is none; None where there may be one."""
    cls = node.bare
    if node.kind not in (Kind.CLASS, Kind.TYPED_DICT) or not isinstance(cls, type):
        return None
    described = describe(cls)
    if described is not None and name in described.fields:
        return described.fields[name].node
    may_have = _has if cls in _SCALARS else _may_have
    if any(may_have(one, name) for one in _family(cls)):
        return None
    hint = f"; {nearest(name, described.fields)}" if described else ""
    return f"{cls.__name__} has no field {name!r}{hint}"


def _family(cls: type) -> Iterator[type]:
    """The class, and all that inherit from it: an object of one of these is given as well."""
    yield cls
    children: list[type] = type.__subclasses__(cls)
    for child in children:
        yield from _family(child)


def _may_have(cls: type, name: str) -> bool:
    described = describe(cls)
    if described is None:
        return True  # what its constructor assigns cannot be told
    is_field = name in described.fields or name in annotations_of(cls)
    return is_field or described.takes_more or _has(cls, name)


def _has(cls: type, name: str) -> bool:
    # not by `hasattr`: what only the members of an enum have, the class denies
    return any(name in vars(base) for base in cls.__mro__)


def _inside(wanted: Any, node: Node) -> Iterator[tuple[Any, Node]]:
    """The parts of a container or a record, each with its type."""
    if isinstance(wanted, (list, tuple, set, frozenset)) and node.kind is Kind.ITEMS:
        yield from ((item, node.item) for item in wanted)
    elif isinstance(wanted, tuple) and node.kind is Kind.TUPLE and len(wanted) == len(node.args):
        yield from zip(wanted, node.args, strict=True)
    elif isinstance(wanted, dict) and node.kind is Kind.MAPPING and len(node.args) == 2:
        yield from ((item, node.args[1]) for item in wanted.values())
    elif describe(type(wanted)) is not None:
        description: Any = describe(type(wanted))
        values = description.values(wanted)
        yield from ((values[name], description.fields[name].node) for name in values)
