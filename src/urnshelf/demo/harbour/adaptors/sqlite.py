"""The harbour's repositories on SQLite."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from datetime import datetime
from decimal import Decimal

from urnshelf.demo.harbour.errors import BerthUnknown, MooringUnknown
from urnshelf.demo.harbour.ports import BerthRepository
from urnshelf.demo.harbour.records import Berth, Mooring, MooringState, Vessel, VesselKind

SCHEMA = """
CREATE TABLE IF NOT EXISTS vessel (
    id INTEGER PRIMARY KEY, name TEXT NOT NULL, call_sign TEXT NOT NULL, kind TEXT NOT NULL,
    length_m REAL NOT NULL, draught_m REAL NOT NULL, owner TEXT NOT NULL, flag TEXT NOT NULL,
    insured_until TEXT);
CREATE TABLE IF NOT EXISTS berth (
    id INTEGER PRIMARY KEY, code TEXT NOT NULL, harbour TEXT NOT NULL, length_m REAL NOT NULL,
    depth_m REAL NOT NULL, day_rate TEXT NOT NULL, in_service INTEGER NOT NULL, defect TEXT);
CREATE TABLE IF NOT EXISTS mooring (
    id INTEGER PRIMARY KEY AUTOINCREMENT, vessel_id INTEGER NOT NULL, berth_id INTEGER NOT NULL,
    arrival TEXT NOT NULL, days INTEGER NOT NULL, depth_at_arrival_m REAL NOT NULL, dues TEXT NOT
    NULL, state TEXT NOT NULL);
"""


def open_harbour(path: str = ":memory:") -> sqlite3.Connection:
    """A connection to a database that has the harbour's tables."""
    connection = sqlite3.connect(path, check_same_thread=False)  # a web service has several
    connection.executescript(SCHEMA)
    return connection


@contextmanager
def fresh_register() -> Iterator[SqliteMoorings]:
    """A register in a database of its own, which is gone afterwards."""
    with closing(open_harbour()) as connection:
        yield SqliteMoorings(connection)


@contextmanager
def fresh_harbour() -> Iterator[tuple[SqliteVessels, SqliteBerths, SqliteMoorings]]:
    """All three in a database of their own, which is gone afterwards."""
    with closing(open_harbour()) as connection:
        yield SqliteVessels(connection), SqliteBerths(connection), SqliteMoorings(connection)


class SqliteVessels:
    """Vessels in a table; fits the VesselRepository port."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection

    def find(self, vessel_id: int) -> Vessel | None:
        return self._one("id = ?", vessel_id)

    def find_by_call_sign(self, call_sign: str) -> Vessel | None:
        return self._one("call_sign = ?", call_sign)

    def list(self) -> Sequence[Vessel]:
        return [
            self._vessel(row)
            for row in self._connection.execute("SELECT * FROM vessel ORDER BY id")
        ]

    def save(self, vessel: Vessel) -> None:
        insured = vessel.insured_until.isoformat() if vessel.insured_until else None
        with self._connection:
            self._connection.execute(
                "INSERT OR REPLACE INTO vessel VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    vessel.id,
                    vessel.name,
                    vessel.call_sign,
                    vessel.kind.value,
                    vessel.length_m,
                    vessel.draught_m,
                    vessel.owner,
                    vessel.flag,
                    insured,
                ),
            )

    def _one(self, condition: str, value: object) -> Vessel | None:
        query = f"SELECT * FROM vessel WHERE {condition} ORDER BY id LIMIT 1"
        row = self._connection.execute(query, (value,)).fetchone()
        return self._vessel(row) if row else None

    @staticmethod
    def _vessel(row: tuple[int, str, str, str, float, float, str, str, str | None]) -> Vessel:
        number, name, call_sign, kind, length, draught, owner, flag, insured = row
        until = datetime.fromisoformat(insured) if insured else None
        return Vessel(
            number, name, call_sign, VesselKind(kind), length, draught, owner, flag, until
        )


class SqliteBerths(BerthRepository):
    """Berths in a table."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection

    def get(self, berth_id: int) -> Berth:
        row = self._connection.execute("SELECT * FROM berth WHERE id = ?", (berth_id,)).fetchone()
        if row is None:
            raise BerthUnknown(f"no berth has the number {berth_id}")
        return self._berth(row)

    def find_by_harbour(self, harbour: str) -> list[Berth]:
        rows = self._connection.execute(
            "SELECT * FROM berth WHERE harbour = ? ORDER BY id", (harbour,)
        )
        return [self._berth(row) for row in rows]

    def save(self, berth: Berth) -> None:
        with self._connection:
            self._connection.execute(
                "INSERT OR REPLACE INTO berth VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    berth.id,
                    berth.code,
                    berth.harbour,
                    berth.length_m,
                    berth.depth_m,
                    str(berth.day_rate),
                    berth.in_service,
                    berth.defect,
                ),
            )

    def count(self) -> int:
        return int(self._connection.execute("SELECT count(*) FROM berth").fetchone()[0])

    @staticmethod
    def _berth(row: tuple[int, str, str, float, float, str, int, str | None]) -> Berth:
        number, code, harbour, length, depth, rate, in_service, defect = row
        return Berth(number, code, harbour, length, depth, Decimal(rate), bool(in_service), defect)


class SqliteMoorings:
    """The book of moorings in a table; fits the MooringRegister port."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection

    def add(self, mooring: Mooring) -> Mooring:
        with self._connection:
            cursor = self._connection.execute(
                "INSERT INTO mooring VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    mooring.id,
                    mooring.vessel_id,
                    mooring.berth_id,
                    mooring.arrival.isoformat(),
                    mooring.days,
                    mooring.depth_at_arrival_m,
                    str(mooring.dues),
                    mooring.state.value,
                ),
            )
        mooring.id = cursor.lastrowid
        return mooring

    def get(self, mooring_id: int) -> Mooring:
        found = self._where("id = ?", mooring_id)
        if not found:
            raise MooringUnknown(f"no mooring has the number {mooring_id}")
        return found[0]

    def exists(self, mooring_id: int) -> bool:
        return bool(self._where("id = ?", mooring_id))

    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        return self._where("vessel_id = ?", vessel_id)

    def all(self) -> list[Mooring]:
        return self._where("1 = ?", 1)

    def delete(self, mooring_id: int) -> None:
        with self._connection:
            gone = self._connection.execute(
                "DELETE FROM mooring WHERE id = ?", (mooring_id,)
            ).rowcount
        if not gone:
            raise MooringUnknown(f"no mooring has the number {mooring_id}")

    def count(self) -> int:
        return int(self._connection.execute("SELECT count(*) FROM mooring").fetchone()[0])

    def _where(self, condition: str, value: object) -> list[Mooring]:
        query = f"SELECT * FROM mooring WHERE {condition} ORDER BY id"
        return [self._mooring(row) for row in self._connection.execute(query, (value,))]

    @staticmethod
    def _mooring(row: tuple[int, int, int, str, int, float, str, str]) -> Mooring:
        number, vessel, berth, arrival, days, depth, dues, state = row
        return Mooring(
            number,
            vessel,
            berth,
            datetime.fromisoformat(arrival),
            days,
            depth,
            Decimal(dues),
            MooringState(state),
        )
