"""What a method promises, as an answer from the store: one record, many, a count, a key …"""

from __future__ import annotations

import collections.abc as abc
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.readings.operations import Promised
from urnshelf.records.recognising import describe, description_of, looks_like_record
from urnshelf.types.nodes import ITEM_TYPES, Kind, Node

Collect = Callable[[list[Any]], Any]


def _generated(records: list[Any]) -> Iterator[Any]:
    yield from records


_COLLECTORS: dict[Any, Collect] = {
    **ITEM_TYPES,
    abc.Iterator: iter,
    abc.Generator: _generated,
}
"""What is made of a list of records; an async stream is made of it by the answerer."""
_HASHING = (set, frozenset)


class Result(NamedTuple):
    """The kind of a promise, and how records are given to keep it."""

    kind: Promised
    record_type: Any = None
    collect: Collect = list
    as_row: bool = False
    """Whether records are given as plain dictionaries."""
    node: Node | None = None

    def given(self, record: object) -> Any:
        """One record, or None, as it is promised."""
        return row_of(record) if self.as_row and record is not None else record

    def all_given(self, records: list[Any]) -> Any:
        """Many records, as they are promised."""
        return self.collect([row_of(one) for one in records] if self.as_row else records)


@remembered
def result_of(node: Node) -> Result:
    """What kind of answer a promised type asks for."""
    found = _TELLERS.get(node.kind, _other)(node)
    if not node.optional or found.kind is Promised.OTHER:
        return found
    return (
        found._replace(kind=Promised.ONE_OR_NONE)
        if found.kind is Promised.ONE
        else Result(Promised.OTHER)
    )


def _other(node: Node) -> Result:
    return Result(Promised.OTHER, node=node)


def _none(node: Node) -> Result:
    return Result(Promised.NONE, node=node)


def _unknown(node: Node) -> Result:
    return Result(Promised.UNKNOWN, node=node)


def _one(node: Node) -> Result:
    if node.bare is bool or node.bare is int:
        return Result(Promised.BOOL if node.bare is bool else Promised.INT, node=node)
    return (
        Result(Promised.ONE, node.bare)
        if is_record_type(node.bare)
        else Result(Promised.OTHER, node=node)
    )


def _many(node: Node) -> Result:
    args = node.args
    if not args:
        return Result(Promised.OTHER, node=node)
    collect, item = _COLLECTORS.get(node.origin, list), args[0]
    record_type, as_row = item.bare, False
    if item.kind is not Kind.CLASS or item.optional or not is_record_type(record_type):
        one = result_of(item)
        if one.kind is not Promised.ONE:
            return Result(Promised.OTHER, node=node)
        record_type, as_row = one.record_type, one.as_row
    # a set of what cannot be hashed is promised, but nobody could ever give one
    if collect in _HASHING and (as_row or record_type.__hash__ is None):
        return Result(Promised.OTHER, node=node)  # there is no such set
    return Result(Promised.MANY, record_type, collect, as_row)


def _mapping(node: Node) -> Result:
    if is_row_type(node) and (not node.args or not node.args[1].is_known):
        return Result(Promised.ONE, None, list, True)
    if len(node.args) == 2 and is_record_type(node.args[1].bare):
        return Result(Promised.BY_KEY, node.args[1].bare, node=node)
    return Result(Promised.OTHER, node=node)


def _page(node: Node) -> Result:
    if len(node.args) == 2 and node.args[1].bare is int:
        many = result_of(node.args[0])
        if many.kind is Promised.MANY:
            return many._replace(kind=Promised.PAGE)
    return Result(Promised.OTHER, node=node)


_TELLERS: dict[Kind, Callable[[Node], Result]] = {
    Kind.NONE: _none,
    Kind.ANY: _unknown,
    Kind.UNKNOWN: _unknown,
    Kind.CLASS: _one,
    Kind.TYPED_DICT: _one,
    Kind.MAPPING: _mapping,
    Kind.TUPLE: _page,
    **dict.fromkeys((Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM), _many),
}


@remembered
def is_record_type(form: object) -> bool:
    """Whether a type is one whose instances are records, where a store operation speaks of it."""
    return isinstance(form, type) and (describe(form) is not None or looks_like_record(form))


def is_row_type(node: Node) -> bool:
    """Whether a type is a plain mapping from field names to values."""
    if node.kind is not Kind.MAPPING:
        return False
    return not node.args or (node.args[0].bare is str and not is_record_type(node.args[1].bare))


def row_of(record: Any) -> dict[str, Any]:
    """The record as a plain dictionary."""
    described = None if isinstance(record, dict) else description_of(type(record))
    return dict(record) if described is None else described.values(record)
