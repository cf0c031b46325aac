"""Empty replies, for a shelf that was told to answer with them: the least value of the promised
type.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Callable
from decimal import Decimal
from typing import Any

from urnshelf.calls.entering import Entered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node

_EMPTY: dict[Any, Callable[[], Any]] = {
    bool: bool,
    int: int,
    float: float,
    complex: complex,
    str: str,
    bytes: bytes,
    bytearray: bytearray,
    Decimal: Decimal,
}


class Empty:
    """Who answered a call with an empty value."""

    is_look_up = False

    def __repr__(self) -> str:
        return "an empty value"


EMPTY = Empty()


def empty(call: LiveCall) -> Any:
    """The answerer of a shelf made with `unanswered="empty"`."""
    promise = call.target.promise
    if promise.stream:
        reply = _stream(promise.stream)
    elif promise.enters:
        value = empty_of(promise.entered)
        reply = value if value is NO_REPLY else Entered(value, promise.enters).give(call, 0)
    else:
        reply = empty_of(promise.node)
    if reply is not NO_REPLY:
        call.answered_by = EMPTY
    return reply


def empty_of(node: Node) -> Any:
    """The empty value of a type; `NO_REPLY` where there is none.

    >>> from urnshelf.types.nodes import node_of
    >>> empty_of(node_of(list[int])), empty_of(node_of(int | None)), empty_of(node_of(Any))
    ([], None, None)
    """
    if node.optional or node.kind in (Kind.ANY, Kind.NONE):
        return None
    if node.kind is Kind.UNION:
        return empty_of(node.args[0])
    if node.kind is Kind.ITEMS:
        return ITEM_TYPES[node.origin]()
    if node.kind is Kind.MAPPING:
        return MAPPING_TYPES[node.origin](())
    make = _EMPTY.get(node.bare)
    return NO_REPLY if make is None else make()


def _stream(kind: str) -> Any:
    if kind == "sync":
        return iter(())
    return _nothing()


async def _nothing() -> AsyncIterator[Any]:
    nothing: tuple[Any, ...] = ()
    for item in nothing:
        yield item
