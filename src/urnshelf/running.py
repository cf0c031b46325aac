"""What a runner of tests tells shelves, and what both know of seeds."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

seed_for_new_shelf: Callable[[], int] = lambda: 0  # noqa: E731
"""A runner puts a function in its place that knows which test runs."""
masks: tuple[str, ...] = ()
"""Names of secrets that the project adds: `masks` under `[tool.urnshelf]`."""
shelf_of_a_test: Callable[[Any], Any] | None = None
"""A runner puts a function in its place that makes a test's shelf as the project says."""


def note_new_shelf(shelf: Any) -> None:
    """A runner puts a function in its place that remembers which test made it."""


def seed_of(name: str) -> int:
    """The seed of a test, by its name: the same in every process."""
    from hashlib import blake2b  # only a test that uses a shelf pays for it

    return int.from_bytes(blake2b(name.encode(), digest_size=4).digest())


@contextmanager
def unnoticed() -> Iterator[None]:
    """A block whose shelves are nobody's: no test tells of them."""
    global note_new_shelf
    before, note_new_shelf = note_new_shelf, lambda shelf: None
    try:
        yield
    finally:
        note_new_shelf = before
