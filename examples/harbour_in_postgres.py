"""The harbour's repositories on PostgreSQL."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from decimal import Decimal
from typing import TypeAlias

import psycopg

from urnshelf.demo.harbour.errors import BerthUnknown, MooringUnknown
from urnshelf.demo.harbour.ports import BerthRepository
from urnshelf.demo.harbour.records import Berth, Mooring, MooringState, Vessel, VesselKind

SCHEMA = """
CREATE TABLE IF NOT EXISTS vessel (
    id BIGINT PRIMARY KEY, name TEXT NOT NULL, call_sign TEXT NOT NULL, kind TEXT NOT NULL,
    length_m DOUBLE PRECISION NOT NULL, draught_m DOUBLE PRECISION NOT NULL, owner TEXT NOT NULL,
    flag TEXT NOT NULL, insured_until TIMESTAMPTZ);
CREATE TABLE IF NOT EXISTS berth (
    id BIGINT PRIMARY KEY, code TEXT NOT NULL, harbour TEXT NOT NULL,
    length_m DOUBLE PRECISION NOT NULL, depth_m DOUBLE PRECISION NOT NULL, day_rate NUMERIC
    NOT NULL, in_service BOOLEAN NOT NULL, defect TEXT);
CREATE TABLE IF NOT EXISTS mooring (
    id BIGSERIAL PRIMARY KEY, vessel_id BIGINT NOT NULL, berth_id BIGINT NOT NULL,
    arrival TIMESTAMPTZ NOT NULL, days BIGINT NOT NULL, depth_at_arrival_m DOUBLE PRECISION NOT
    NULL, dues NUMERIC NOT NULL, state TEXT NOT NULL);
"""
_VesselRow: TypeAlias = "tuple[int, str, str, str, float, float, str, str, datetime | None]"
_BerthRow: TypeAlias = "tuple[int, str, str, float, float, Decimal, bool, str | None]"
_MooringRow: TypeAlias = "tuple[int, int, int, datetime, int, float, Decimal, str]"


@contextmanager
def harbour_at(url: str) -> Iterator[psycopg.Connection]:
    """A connection to a database that has the harbour's tables."""
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(SCHEMA)
        yield connection


class PostgresVessels:
    """Vessels in a table; fits the VesselRepository port."""

    def __init__(self, connection: psycopg.Connection) -> None:
        self._connection = connection

    def find(self, vessel_id: int) -> Vessel | None:
        found = self._where("WHERE id = %s", vessel_id)
        return found[0] if found else None

    def find_by_call_sign(self, call_sign: str) -> Vessel | None:
        found = self._where("WHERE call_sign = %s", call_sign)
        return found[0] if found else None

    def list(self) -> Sequence[Vessel]:
        return self._where("")

    def save(self, vessel: Vessel) -> None:
        with self._connection.transaction():
            self._connection.execute("DELETE FROM vessel WHERE id = %s", (vessel.id,))
            self._connection.execute(
                "INSERT INTO vessel VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)",
                (
                    vessel.id,
                    vessel.name,
                    vessel.call_sign,
                    vessel.kind.value,
                    vessel.length_m,
                    vessel.draught_m,
                    vessel.owner,
                    vessel.flag,
                    vessel.insured_until,
                ),
            )

    def _where(self, condition: str, *values: object) -> Sequence[Vessel]:
        query = f"SELECT * FROM vessel {condition} ORDER BY id".encode()
        return [_vessel(row) for row in self._connection.execute(query, values)]


class PostgresBerths(BerthRepository):
    """Berths in a table."""

    def __init__(self, connection: psycopg.Connection) -> None:
        self._connection = connection

    def get(self, berth_id: int) -> Berth:
        found = self._where("id = %s", berth_id)
        if not found:
            raise BerthUnknown(f"no berth has the number {berth_id}")
        return found[0]

    def find_by_harbour(self, harbour: str) -> list[Berth]:
        return self._where("harbour = %s", harbour)

    def save(self, berth: Berth) -> None:
        with self._connection.transaction():
            self._connection.execute("DELETE FROM berth WHERE id = %s", (berth.id,))
            self._connection.execute(
                "INSERT INTO berth VALUES (%s, %s, %s, %s, %s, %s, %s, %s)",
                (
                    berth.id,
                    berth.code,
                    berth.harbour,
                    berth.length_m,
                    berth.depth_m,
                    berth.day_rate,
                    berth.in_service,
                    berth.defect,
                ),
            )

    def count(self) -> int:
        return _count(self._connection, "berth")

    def _where(self, condition: str, *values: object) -> list[Berth]:
        query = f"SELECT * FROM berth WHERE {condition} ORDER BY id".encode()
        return [_berth(row) for row in self._connection.execute(query, values)]


class PostgresMoorings:
    """The book of moorings in a table; fits the MooringRegister port."""

    def __init__(self, connection: psycopg.Connection) -> None:
        self._connection = connection

    def add(self, mooring: Mooring) -> Mooring:
        values = (
            mooring.vessel_id,
            mooring.berth_id,
            mooring.arrival,
            mooring.days,
            mooring.depth_at_arrival_m,
            mooring.dues,
            mooring.state.value,
        )
        with self._connection.transaction():
            if mooring.id is None:
                found = self._connection.execute("SELECT nextval('mooring_id_seq')").fetchone()
                mooring.id = found[0] if found else None
            else:  # a number that the caller gave is not given again
                self._connection.execute(
                    "SELECT setval('mooring_id_seq', greatest(%s, last_value), is_called OR "
                    "%s >= last_value) FROM mooring_id_seq",
                    (mooring.id, mooring.id),
                )
            self._connection.execute(
                "INSERT INTO mooring VALUES (%s, %s, %s, %s, %s, %s, %s, %s)", (mooring.id, *values)
            )
        return mooring

    def get(self, mooring_id: int) -> Mooring:
        found = self._where("WHERE id = %s", mooring_id)
        if not found:
            raise MooringUnknown(f"no mooring has the number {mooring_id}")
        return found[0]

    def exists(self, mooring_id: int) -> bool:
        return bool(self._where("WHERE id = %s", mooring_id))

    def find_by_vessel_id(self, vessel_id: int) -> list[Mooring]:
        return self._where("WHERE vessel_id = %s", vessel_id)

    def all(self) -> list[Mooring]:
        return self._where("")

    def delete(self, mooring_id: int) -> None:
        gone = self._connection.execute("DELETE FROM mooring WHERE id = %s", (mooring_id,))
        if not gone.rowcount:
            raise MooringUnknown(f"no mooring has the number {mooring_id}")

    def count(self) -> int:
        return _count(self._connection, "mooring")

    def _where(self, condition: str, *values: object) -> list[Mooring]:
        query = f"SELECT * FROM mooring {condition} ORDER BY id".encode()
        return [_mooring(row) for row in self._connection.execute(query, values)]


def _count(connection: psycopg.Connection, table: str) -> int:
    found = connection.execute(f"SELECT count(*) FROM {table}".encode()).fetchone()
    return int(found[0]) if found else 0


def _vessel(row: _VesselRow) -> Vessel:
    number, name, call_sign, kind, length, draught, owner, flag, until = row
    return Vessel(number, name, call_sign, VesselKind(kind), length, draught, owner, flag, until)


def _berth(row: _BerthRow) -> Berth:
    return Berth(*row)


def _mooring(row: _MooringRow) -> Mooring:
    number, vessel, berth, arrival, days, depth, dues, state = row
    return Mooring(number, vessel, berth, arrival, days, depth, dues, MooringState(state))
