"""Putting records on the shelf: drawn ones, or the user's own."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Any

from urnshelf.errors import RecordRefused
from urnshelf.records.recognising import description_of
from urnshelf.store.stored import Store
from urnshelf.store.views import View

if TYPE_CHECKING:
    from urnshelf.urn.drawing import Urn

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Stocking:
    """Puts records on one shelf.

    Args:
        store: where they go.
        seed: what they are drawn from.
    """

    def __init__(self, store: Store, seed: int) -> None:
        self._store = store
        self._seed = seed
        self._drawn: dict[type, int] = {}

    @cached_property
    def urn(self) -> Urn:
        """The urn, made when it is first needed: many tests draw nothing."""
        from urnshelf.urn.drawing import Urn

        return Urn(self._seed, self._store.known, self._store.key_of)

    def stock(self, what: Any, n: Any, fields: dict[str, Any]) -> Any:
        """Records of a type, drawn, or one record as it is given."""
        if isinstance(n, Mapping):
            return self._store.view(what).add(what(**n))
        if isinstance(what, type):
            return self._draw(what, n, fields)
        if description_of(type(what)) is None or fields or n is not None:
            raise RecordRefused(
                f"stock() takes a record type and a number, or one record alone, not {what!r}"
            )
        return self._store.view(type(what)).add(what)

    def _draw(self, record_type: Any, n: int | None, fields: dict[str, Any]) -> Any:
        """Draw on where the last drawing of this type ended; an index whose key is taken is passed
        over.
        """
        if n is not None and (isinstance(n, bool) or not isinstance(n, int) or n < 0):
            raise RecordRefused(
                f"stock({record_type.__name__}, {n!r}): the number of records is a whole number "
                "from 0"
            )
        view = self._store.view(record_type)
        stored: list[Any] = []
        while len(stored) < (1 if n is None else n):
            start = self._drawn.get(record_type, 0)
            wanted = (1 if n is None else n) - len(stored)
            # counted before it is drawn: a record that is refused is not drawn again
            self._drawn[record_type] = start + wanted
            for record in self.urn.draw(record_type, range(start, start + wanted), **fields):
                if not _is_taken(view, record, fields):
                    stored.append(view.add(record))
        return stored[0] if n is None else stored


def _is_taken(view: View[Any], record: object, given: dict[str, Any]) -> bool:
    """Whether a drawn record has a key that is there already, and that nobody asked for."""
    # a key that was asked for is the user's own, and refused if it is taken
    if set(view.key_fields) & given.keys():
        return False
    key = view.key_of(record)
    return key is not None and key in view.stored.by_key
