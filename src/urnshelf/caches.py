"""What is found out once about a class, a type or a method: every memory of the library, in one
place.

One rule for all of them: each remembers its last 2,048 questions, and forgets the one that was
asked longest ago. So what is told of a module's classes stays, and a class made inside a function
is free to go sooner or later; `forget` lets everything go at once.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any, Protocol, TypeVar, cast

F = TypeVar("F", bound=Callable[..., Any])
MOST = 2048


class Memory(Protocol):
    """A function that remembers its answers."""

    def cache_clear(self) -> None:
        """Forget them."""

    def cache_info(self) -> Any:
        """How many there are, and how often they were asked for."""


MEMORIES: dict[str, Memory] = {}
"""By the name of the function: everything that the library remembers across shelves."""


def remembered(function: F) -> F:
    """A function that is asked often, and always answers the same: it remembers.

    Args:
        function: of arguments that can be hashed.

    >>> @remembered
    ... def twice(number: int) -> int:
    ...     return 2 * number
    >>> twice(4)
    8
    """
    memory = lru_cache(maxsize=MOST)(function)
    MEMORIES[f"{function.__module__}.{function.__qualname__}"] = memory
    return cast(F, memory)


def forget() -> None:
    """Forget everything that was found out about classes, types and methods; it is found out again
    when needed.
    """
    for memory in MEMORIES.values():
        memory.cache_clear()
