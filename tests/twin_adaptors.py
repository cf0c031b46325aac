"""Adaptors of the harbour over SQLite for the twin check: clean ones, and eighteen of which each
does one thing differently.
"""

from __future__ import annotations

import sqlite3
import struct
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import replace
from typing import Any, Protocol

from urnshelf import Shelf
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringState,
    MooringUnknown,
    Vessel,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.sqlite import (
    SCHEMA,
    SqliteBerths,
    SqliteMoorings,
    SqliteVessels,
    open_harbour,
)


class MooringBook(Protocol):
    """More than the demo's register."""

    def add(self, mooring: Mooring) -> Mooring: ...
    def save(self, mooring: Mooring) -> None: ...
    def get(self, mooring_id: int) -> Mooring: ...
    def exists(self, mooring_id: int) -> bool: ...
    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]: ...
    def find_by_state(self, state: MooringState) -> list[Mooring]: ...
    def list(self, limit: int = 100, offset: int = 0) -> list[Mooring]: ...
    def delete(self, mooring_id: int) -> None: ...
    def count(self) -> int: ...


class SqliteBook(SqliteMoorings):
    def save(self, mooring: Mooring) -> None:
        if mooring.id is not None:
            with self._connection:
                self._connection.execute("DELETE FROM mooring WHERE id = ?", (mooring.id,))
        self.add(mooring)

    def find_by_state(self, state: MooringState) -> list[Mooring]:
        return self._where("state = ?", state.value)

    def list(self, limit: int = 100, offset: int = 0) -> list[Mooring]:
        found = self._where("1 = ?", 1)
        return found[offset : offset + limit]


def arrange(shelf: Shelf) -> None:
    shelf.define(Mooring, missing=MooringUnknown, duplicate=sqlite3.IntegrityError)
    shelf.define(Berth, missing=BerthUnknown)


def over(cls: Callable[[sqlite3.Connection], Any]) -> Callable[[], Iterator[Any]]:
    """What makes fresh ones."""

    def fresh() -> Iterator[Any]:
        with closing(open_harbour()) as connection:
            yield cls(connection)

    return fresh


class NoneInsteadOfRaising(SqliteBook):
    def get(self, mooring_id: int) -> Any:
        return next(iter(self._where("id = ?", mooring_id)), None)


class OtherOrder(SqliteBook):
    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        return super().find_by_vessel_id(vessel_id)[::-1]


class QuietDelete(SqliteBook):
    def delete(self, mooring_id: int) -> None:
        if self.exists(mooring_id):
            super().delete(mooring_id)


class DaysNotSaved(SqliteBook):
    def add(self, mooring: Mooring) -> Mooring:
        super().add(mooring)
        with self._connection:
            self._connection.execute("UPDATE mooring SET days = 1 WHERE id = ?", (mooring.id,))
        return mooring


class AnyCase(SqliteVessels):
    def find_by_call_sign(self, call_sign: str) -> Vessel | None:
        return self._one("call_sign = ? COLLATE NOCASE", call_sign)


class LimitForgotten(SqliteBook):
    def list(self, limit: int = 100, offset: int = 0) -> list[Mooring]:
        return super().list(100, offset)


class AddOverwrites(SqliteBook):
    def add(self, mooring: Mooring) -> Mooring:
        if mooring.id is not None:
            with self._connection:
                self._connection.execute("DELETE FROM mooring WHERE id = ?", (mooring.id,))
        return super().add(mooring)


class KeyNotAssigned(SqliteBook):
    def add(self, mooring: Mooring) -> Mooring:
        super().add(replace(mooring))
        return mooring


class CountsDeleted(SqliteBook):
    deleted = 0

    def delete(self, mooring_id: int) -> None:
        super().delete(mooring_id)
        self.deleted += 1

    def count(self) -> int:
        return super().count() + self.deleted


class GivesItsOwn(SqliteBook):
    def __init__(self, connection: sqlite3.Connection) -> None:
        super().__init__(connection)
        self.known: dict[int, Mooring] = {}

    def get(self, mooring_id: int) -> Mooring:
        if mooring_id not in self.known or not self.exists(mooring_id):
            self.known[mooring_id] = super().get(mooring_id)
        return self.known[mooring_id]

    def save(self, mooring: Mooring) -> None:
        super().save(mooring)
        self.known.pop(mooring.id or 0, None)

    def add(self, mooring: Mooring) -> Mooring:
        self.known.pop(mooring.id or 0, None)
        return super().add(mooring)


class ZoneLost(SqliteBook):
    def _where(self, condition: str, value: object) -> list[Mooring]:
        found = super()._where(condition, value)
        return [replace(one, arrival=one.arrival.replace(tzinfo=None)) for one in found]


class DuesRounded(SqliteBook):
    def _where(self, condition: str, value: object) -> list[Mooring]:
        return [replace(one, dues=round(one.dues, 2)) for one in super()._where(condition, value)]


class OffsetByOne(SqliteBook):
    def list(self, limit: int = 100, offset: int = 0) -> list[Mooring]:
        return super().list(limit, max(0, offset - 1))


class StateNeverFound(SqliteBook):
    def find_by_state(self, state: MooringState) -> list[Mooring]:
        return [] if state is MooringState.DEPARTED else super().find_by_state(state)


class StaleIndex(SqliteBook):
    def __init__(self, connection: sqlite3.Connection) -> None:
        super().__init__(connection)
        self.vessels: dict[int, list[int]] = {}

    def add(self, mooring: Mooring) -> Mooring:
        added = super().add(mooring)
        known = self.vessels.setdefault(added.vessel_id, [])
        if added.id not in known and not any(added.id in one for one in self.vessels.values()):
            known.append(added.id or 0)
        return added

    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        known = sorted(self.vessels.get(vessel_id, []))
        return [self.get(one) for one in known if self.exists(one)]


class HalfAsExact(SqliteBook):
    def _where(self, condition: str, value: object) -> list[Mooring]:
        found = super()._where(condition, value)
        for one in found:
            one.depth_at_arrival_m = struct.unpack("f", struct.pack("f", one.depth_at_arrival_m))[0]
        return found


class EmptyIsNone(SqliteBerths):
    def get(self, berth_id: int) -> Berth:
        found = super().get(berth_id)
        return replace(found, defect=found.defect or None)

    def find_by_harbour(self, harbour: str) -> list[Berth]:
        return [replace(one, defect=one.defect or None) for one in super().find_by_harbour(harbour)]


# --- and some more --------------------------------------------------------------------------------


class InsertsOnly(SqliteBook):
    def save(self, mooring: Mooring) -> None:
        if mooring.id is None or not self.exists(mooring.id):
            self.add(mooring)


class ZeroIsNoLimit(SqliteBook):
    def list(self, limit: int = 100, offset: int = 0) -> list[Mooring]:
        return super().list(limit or 100, offset)


class EachOnce(SqliteBook):
    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        found: dict[str, Mooring] = {}
        for one in super().find_by_vessel_id(vessel_id):
            found.setdefault(repr(replace(one, id=None)), one)
        return list(found.values())


class DeletesAllOfTheVessel(SqliteBook):
    def delete(self, mooring_id: int) -> None:
        for one in super().find_by_vessel_id(self.get(mooring_id).vessel_id):
            super().delete(one.id or 0)


class ExistsAsNumber(SqliteBook):
    def exists(self, mooring_id: int) -> Any:
        return int(super().exists(mooring_id))


class ChangesWhatItIsGiven(SqliteBerths):
    def save(self, berth: Berth) -> None:
        super().save(berth)
        berth.code = berth.code.upper()


def reusing_keys() -> Iterator[SqliteBook]:
    """SQLite's own way without AUTOINCREMENT: the key of the last one that was deleted comes
    again.
    """
    with closing(sqlite3.connect(":memory:")) as connection:
        connection.executescript(SCHEMA.replace("AUTOINCREMENT", ""))
        yield SqliteBook(connection)


PLANTED: dict[str, tuple[Any, Callable[[], Any], str]] = {
    "None instead of raising": (MooringBook, over(NoneInsteadOfRaising), "MooringBook.get"),
    "order": (MooringBook, over(OtherOrder), "MooringBook.find_by_vessel_id"),
    "delete of a missing one": (MooringBook, over(QuietDelete), "MooringBook.delete"),
    "a field not saved": (MooringBook, over(DaysNotSaved), "Mooring.days"),
    "case": (VesselRepository, over(AnyCase), "VesselRepository.find_by_call_sign"),
    "limit": (MooringBook, over(LimitForgotten), "MooringBook.list"),
    "duplicate overwrites": (MooringBook, over(AddOverwrites), "MooringBook.add"),
    "key not assigned": (MooringBook, over(KeyNotAssigned), "Mooring.id"),
    "counts deleted": (MooringBook, over(CountsDeleted), "MooringBook.count"),
    "alias from get": (MooringBook, over(GivesItsOwn), "a change of what the caller holds"),
    "lost time zone": (MooringBook, over(ZoneLost), "Mooring.arrival"),
    "rounded Decimal": (MooringBook, over(DuesRounded), "Mooring.dues"),
    "offset by one": (MooringBook, over(OffsetByOne), "MooringBook.list"),
    "a state never found": (MooringBook, over(StateNeverFound), "MooringBook.find_by_state"),
    "stale index": (MooringBook, over(StaleIndex), "MooringBook.find_by_vessel_id"),
    "float32": (MooringBook, over(HalfAsExact), "Mooring.depth_at_arrival_m"),
    '"" to None': (BerthRepository, over(EmptyIsNone), "Berth.defect"),
    "a key used again": (MooringBook, reusing_keys, "a key that was another's"),
}
"""By name: the interface, what makes the real one, and what the report must speak of."""
MORE: dict[str, tuple[Any, Callable[[], Any], str]] = {
    "inserts only": (MooringBook, over(InsertsOnly), "MooringBook.find_by"),
    "no limit of 0": (MooringBook, over(ZeroIsNoLimit), "MooringBook.list"),
    "each once": (MooringBook, over(EachOnce), "MooringBook.find_by_vessel_id"),
    "deletes more": (MooringBook, over(DeletesAllOfTheVessel), "MooringBook."),
    "a number for a bool": (MooringBook, over(ExistsAsNumber), "MooringBook.exists"),
    "changes what it is given": (BerthRepository, over(ChangesWhatItIsGiven), "Berth.code"),
}
