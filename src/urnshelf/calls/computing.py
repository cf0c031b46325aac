"""Replies that are computed from the call's arguments by the user's function."""

from __future__ import annotations

import inspect
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from typing import Any

from urnshelf.calls.ledger import LiveCall
from urnshelf.calls.promised import broken_promise
from urnshelf.calls.replies import Pending
from urnshelf.errors import ReplyRefused
from urnshelf.records.fit import misfit
from urnshelf.types.forms import type_name

_ITERATORS = frozenset({Iterator, AsyncIterator})
_WHOLE, _ONE = 200, 1
"""How many items of a computed collection are looked at: of the first, and of those after it."""


class Computed:
    """A reply computed from the call's arguments by the user's function."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function
        self._sample = _WHOLE

    def give(self, call: LiveCall, turn: int) -> Any:  # noqa: ARG002
        """What the function makes of the arguments, and the method promises."""
        target = call.target
        result = target.call(self.function, call.live)
        if target.promise.awaited and inspect.isawaitable(result):
            return Pending(self._checked_later(call, result))
        return self._checked(call, result)

    async def _checked_later(self, call: LiveCall, result: Awaitable[Any]) -> Any:
        return self._checked(call, await result)

    def _checked(self, call: LiveCall, result: Any) -> Any:
        target = call.target
        if not target.desk.settings.check_replies:
            return result
        # the first in full; the same function gives the like again
        wrong = broken_promise(target, result, self._sample, self)
        if wrong:
            raise ReplyRefused(wrong)
        self._sample = _ONE
        # a generator may be sent to; of others nothing is asked but the next item
        if not target.promise.stream or target.promise.node.origin not in _ITERATORS:
            return result
        each = self._each if hasattr(result, "__next__") else self._each_later
        return each(call, result)

    def _each(self, call: LiveCall, items: Iterator[Any]) -> Iterator[Any]:
        call.taken = 0
        try:
            for item in items:
                yield self._item(call, item)
        finally:
            getattr(items, "close", bool)()

    async def _each_later(self, call: LiveCall, items: AsyncIterator[Any]) -> AsyncIterator[Any]:
        call.taken = 0
        try:
            async for item in items:
                yield self._item(call, item)
        finally:
            close: Any = getattr(items, "aclose", None)
            if close is not None:
                await close()

    def _item(self, call: LiveCall, item: object) -> Any:
        """One item of a stream, noted; it is looked at where the stream is read."""
        target = call.target
        wrong = misfit(item, target.promise.item)
        if wrong:
            wanted = type_name(target.promise.item.form)
            refusal = ReplyRefused(
                f"{target.name} promises a stream of {wanted}, but {self} gave one in which {wrong}"
            )
            target.desk.refusals.note(refusal, target)
            raise refusal
        call.taken = (call.taken or 0) + 1
        return item

    def __repr__(self) -> str:
        return f"computes({getattr(self.function, '__name__', self.function)!s})"
