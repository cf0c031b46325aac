"""The records that others may refer to: looked at one by one, however many there are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, overload

from urnshelf.store.views import View


class Parents(Sequence[Any]):
    """The records of one type, or one field of each, in order of key.

    Args:
        view: of the type.
        field: that is wanted of each; None for copies of the whole records.
    """

    def __init__(self, view: View[Any], field: str | None) -> None:
        self._view, self._field = view, field
        rows = view.stored
        keys = rows.keys()
        self._keys = keys if rows.limited is None else [k for k in keys if k in rows.limited]

    def __len__(self) -> int:
        return len(self._keys)

    @overload
    def __getitem__(self, index: int) -> Any: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Any]: ...
    def __getitem__(self, index: Any) -> Any:
        if isinstance(index, slice):
            return [self[number] for number in range(*index.indices(len(self)))]
        row = self._view.stored.by_key[self._keys[index]]
        if self._field is not None:
            return self._view.stored.fetch(row, self._field)
        return self._view.copies((row,))[0]
