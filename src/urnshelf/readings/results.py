"""What a method promises, as an answer from the store: one record, many, a count, a key …"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.readings.operations import Promised
from urnshelf.records.description import describe, looks_like_record
from urnshelf.types.nodes import ITEM_TYPES, Kind, Node

Collect = Callable[[list[Any]], Any]


class Result(NamedTuple):
    """The kind of a promise, and how records are given to keep it."""

    kind: Promised
    record_type: Any = None
    collect: Collect = list
    as_row: bool = False
    """Whether records are given as plain dictionaries."""
    node: Node | None = None


_SIMPLE = {
    Kind.NONE: Promised.NONE,
    Kind.ANY: Promised.UNKNOWN,
    Kind.UNKNOWN: Promised.UNKNOWN,
}


@remembered
def result_of(node: Node) -> Result:
    """What kind of answer a promised type asks for."""
    kind = _SIMPLE.get(node.kind)
    if kind is None and node.bare in (bool, int) and not node.optional:
        kind = Promised.BOOL if node.bare is bool else Promised.INT
    if kind is not None:
        return Result(kind, node=node)
    found = _of_records(node)
    if found is None:
        return Result(Promised.OTHER, node=node)
    if not node.optional:
        return found
    return found._replace(kind=Promised.ONE_OR_NONE) if found.kind is Promised.ONE else Result(Promised.OTHER)


def _of_records(node: Node) -> Result | None:
    if is_record_type(node.bare):
        return Result(Promised.ONE, node.bare)
    if is_row_type(node) and _is_open_row(node):
        return Result(Promised.ONE, None, list, True)
    if node.kind is Kind.MAPPING and len(node.args) == 2 and is_record_type(node.args[1].bare):
        return Result(Promised.BY_KEY, node.args[1].bare)
    if node.kind is Kind.TUPLE:
        return _page(node)
    if node.kind not in (Kind.ITEMS, Kind.STREAM, Kind.ASYNC_STREAM) or not node.args:
        return None
    item = result_of(node.item)
    if item.kind is not Promised.ONE:
        return None
    return Result(Promised.MANY, item.record_type, _collector(node), item.as_row)


def _collector(node: Node) -> Collect:
    """What is made of a list; an async stream is made of it by the answerer."""
    if node.kind is Kind.STREAM:
        return iter  # type: ignore[return-value]
    made = ITEM_TYPES.get(node.origin, list)
    return set if made is frozenset and node.origin is not frozenset else made


def _page(node: Node) -> Result | None:
    if len(node.args) != 2 or node.args[1].bare is not int:
        return None
    many = result_of(node.args[0])
    return many._replace(kind=Promised.PAGE) if many.kind is Promised.MANY else None


@remembered
def is_record_type(form: Any) -> bool:
    """Whether a type is one whose instances are records, where a store operation speaks of it."""
    return isinstance(form, type) and (describe(form) is not None or looks_like_record(form))


def is_row_type(node: Node) -> bool:
    """Whether a type is a plain mapping from field names to values."""
    if node.kind is not Kind.MAPPING:
        return False
    return not node.args or (node.args[0].bare is str and not is_record_type(node.args[1].bare))


def _is_open_row(node: Node) -> bool:
    return not node.args or not node.args[1].is_known
