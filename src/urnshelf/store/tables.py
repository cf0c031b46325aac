"""Tables: the records of one type as tests have them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Generic, TypeVar

from urnshelf.store.conditions import Condition
from urnshelf.store.queries import Query
from urnshelf.store.views import View

T = TypeVar("T")


class Table(Generic[T]):
    """The records of one type, or some of them; made by `shelf.records(…)` and `shelf.view(…)`.

    Records go in and come out as copies, as from a database, so that a change shows only once it is
    saved.

    >>> _ = shelf.stock(Berth, 3)
    >>> berths = shelf.records(Berth)
    >>> berths, [berth.id for berth in berths]
    (<3 Berth records>, [1, 2, 3])
    """

    def __init__(self, view: View[T]) -> None:
        self._view = view

    def get(self, key: object) -> T:
        """A copy of the record with this key; raises RecordMissing, or the exception that was told
        to `define`.

        Args:
            key: a tuple where the key is made of several fields.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).get(2).id
        2
        """
        self._view.need_key("got")
        return self._view.get(key)

    def find(self, key: object) -> T | None:
        """A copy of the record with this key, or None.

        >>> shelf.records(Berth).find(2) is None
        True
        """
        self._view.need_key("found")
        return self._view.find(key)

    def add(self, record: T) -> T:
        """Store a copy of a new record; an empty key is assigned, on the given record too, when it
        can be changed.

        Returns:
            A copy of what was stored.

        Raises:
            RecordRefused: not a record of this type, or the key is taken; for the latter, and for a
                unique field that is taken, the exception told to `define`.

        >>> mooring = shelf.urn.draw(Mooring, id=None, vessel_id=7)
        >>> shelf.records(Mooring).add(mooring).id
        1
        """
        return self._view.add(record)

    def save(self, record: T) -> T:
        """Store a copy of a record, new or changed.

        Raises:
            RecordOutdated: the record has a version, and another saving counted it up since this
                one was read.

        >>> berth = shelf.stock(Berth, in_service=True)
        >>> berth.in_service = False
        >>> _ = shelf.records(Berth).save(berth)
        >>> shelf.records(Berth).get(berth.id).in_service
        False
        """
        return self._view.save(record)

    def remove(self, key: object) -> bool:
        """Take the record with this key away; whether there was one.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).remove(2), shelf.records(Berth).remove(2)
        (True, False)
        """
        self._view.need_key("removed")
        return self._view.remove(key)

    def where(self, *conditions: Condition | Callable[[T], object], **fields: object) -> Query[T]:
        """A query: the records that fulfil these conditions, in order of key.

        Args:
            conditions: comparisons such as `column("depth_m") >= 4`; as a last resort a function of
                the record.
            fields: a field and the value it must have.

        >>> _ = shelf.stock(Berth, 3, depth_m=8.0, harbour="Ternhythe")
        >>> shelf.records(Berth).where(column("depth_m") >= 4, harbour="Ternhythe").count()
        3
        """
        return self._view.where(*conditions, **fields)

    def count(self) -> int:
        """How many records there are.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.records(Berth).count()
        3
        """
        return self._view.count()

    __len__ = count

    def __iter__(self) -> Iterator[T]:
        return iter(self._view.all())

    def __repr__(self) -> str:
        return f"<{self.count()} {self._view.name} records>"
