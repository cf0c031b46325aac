"""What a method promises to give."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import AbstractAsyncContextManager, AbstractContextManager
from typing import Any, NamedTuple

from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of

_MANAGERS: dict[Any, str] = {AbstractContextManager: "sync", AbstractAsyncContextManager: "async"}


class Promise(NamedTuple):
    """The type that a caller receives, after awaiting where that is needed; `item` is that of a
    stream's items.
    """

    node: Node = ANYTHING
    awaited: bool = False
    stream: str = ""
    """`sync` or `async`; empty for what is no stream."""
    item: Node = ANYTHING

    @property
    def name(self) -> str:
        """The promised type as a developer writes it."""
        return type_name(self.node.form)

    @property
    def enters(self) -> str:
        """`sync` or `async` for a context manager; empty for anything else."""
        return _MANAGERS.get(self.node.origin, "") if self.node.args else ""

    @property
    def entered(self) -> Node:
        """The type of what entering it gives."""
        return self.node.item

    @property
    def is_nothing(self) -> bool:
        """Whether None is all that it gives."""
        return self.node.kind is Kind.NONE


def promise_of(returned: object, is_async: bool) -> Promise:
    """The promise of a method.

    Args:
        returned: what its annotation says.
        is_async: whether it was defined as one whose call is awaited.
    """
    node, awaited = node_of(returned), is_async
    if not is_async and node.kind is Kind.AWAITABLE:
        node, awaited = (node.args[-1] if node.args else ANYTHING), True
    if node.kind is Kind.STREAM or node.origin is Iterable:
        return Promise(node, awaited, "sync", node.item)
    if node.kind is Kind.ASYNC_STREAM:
        return Promise(node, awaited, "async", node.item)
    return Promise(node, awaited)
