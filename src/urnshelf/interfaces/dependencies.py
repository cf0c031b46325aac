"""Which types are interfaces that something depends on, and which are data."""

from __future__ import annotations

import contextlib
import inspect
import sys

from urnshelf.records.recognising import describe
from urnshelf.types.nodes import Kind, Node

CONTEXTS = frozenset({contextlib.AbstractContextManager, contextlib.AbstractAsyncContextManager})
"""Python's own context managers."""


def is_interface(node: Node) -> bool:
    """Whether a type is an interface, not data: a Protocol or an abstract class of the user's
    own.
    """
    if node.origin in CONTEXTS:
        return True
    if (
        node.kind is not Kind.CLASS
        or is_of_the_language(node.origin)
        or describe(node.origin) is not None
    ):
        return False
    return bool(getattr(node.origin, "_is_protocol", False)) or inspect.isabstract(node.origin)


def is_of_the_language(cls: object) -> bool:
    """Whether a class belongs to Python itself: its values are data, not dependencies."""
    return not isinstance(cls, type) or cls.__module__.partition(".")[0] in sys.stdlib_module_names
