"""Lists given for what a database session promises: each call gets a result of its own that has
these rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, get_origin

from urnshelf.calls.target import Target
from urnshelf.records.display import show

_RESULTS = frozenset({"Result", "CursorResult", "ScalarResult"})


class GivenRows:
    """The rows, and as what they are given.

    Args:
        items: records or values; rows of several columns as tuples.
        is_scalar: whether a row is its first column alone.
    """

    def __init__(self, items: Sequence[Any], is_scalar: bool) -> None:
        self._items = list(items)
        self._is_scalar = is_scalar

    def result(self) -> Any:
        """A result of SQLAlchemy's, which can be read once."""
        from sqlalchemy.engine import IteratorResult
        from sqlalchemy.engine.result import SimpleResultMetaData

        rows = [one if isinstance(one, tuple) else (one,) for one in self._items]
        names = [f"column_{number}" for number in range(1, max(map(len, rows), default=1) + 1)]
        made: Any = IteratorResult(SimpleResultMetaData(names), iter(rows))
        return made.scalars() if self._is_scalar else made

    def __repr__(self) -> str:
        return show(self._items, 40)


def as_rows(target: Target, value: object) -> Any:
    """A list as the rows of a result, where the method promises one; anything else as it is."""
    if type(value) is not list:
        return value
    bare = get_origin(target.promise.node.bare) or target.promise.node.bare
    # one that was imported for the checkers alone is not there: then the interface tells
    is_there = isinstance(bare, type) and bare is not Any
    of_what = bare if is_there else target.state.interface.origin
    is_result = target.promise.name.partition("[")[0] in _RESULTS
    if not is_result or not str(getattr(of_what, "__module__", "")).startswith("sqlalchemy."):
        return value
    return GivenRows(value, target.promise.name.startswith("Scalar"))
