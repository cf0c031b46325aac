"""Empty replies, for a shelf that was told to answer with them: the least value of the promised type."""

from __future__ import annotations

import collections.abc as abc
from decimal import Decimal
from types import UnionType
from typing import Any, Union, get_args, get_origin

from urnshelf.calls.ledger import NO_REPLY
from urnshelf.calls.replies import LiveCall

_EMPTY: dict[Any, Any] = {
    type(None): lambda: None,
    bool: bool,
    int: int,
    float: float,
    complex: complex,
    str: str,
    bytes: bytes,
    bytearray: bytearray,
    Decimal: Decimal,
    list: list,
    tuple: tuple,
    dict: dict,
    set: set,
    frozenset: frozenset,
    abc.Sequence: list,
    abc.Collection: list,
    abc.Mapping: dict,
    abc.MutableMapping: dict,
    abc.Set: frozenset,
    abc.Iterable: list,
}


class Empty:
    """Who answered a call with an empty value."""

    is_look_up = False

    def __repr__(self) -> str:
        return "an empty value"


EMPTY = Empty()


def empty(call: LiveCall) -> Any:
    """The answerer of a shelf made with `unanswered="empty"`."""
    promise = call.target.member.promise
    reply = _stream(promise.stream) if promise.stream else empty_of(promise.type)
    if reply is not NO_REPLY:
        call.outcome.answered_by = EMPTY
    return reply


def empty_of(form: Any) -> Any:
    """The empty value of a type; `NO_REPLY` where there is none.

    >>> empty_of(list[int]), empty_of(int | None), empty_of(Any)
    ([], None, None)
    """
    origin = get_origin(form) or form
    if form is Any:
        return None
    if origin is Union or origin is UnionType:
        return None if type(None) in get_args(form) else empty_of(get_args(form)[0])
    make = _EMPTY.get(origin)
    return NO_REPLY if make is None else make()


def _stream(kind: str) -> Any:
    if kind == "sync":
        return iter(())
    return _nothing()


async def _nothing() -> abc.AsyncIterator[Any]:
    nothing: tuple[Any, ...] = ()
    for item in nothing:
        yield item
