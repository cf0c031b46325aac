"""Two worlds for the same tests: the services over fakes, and over SQLite and a real HTTP
server.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, Protocol

import httpx

from urnshelf import Shelf, cue, ledger_of, raising, whatever
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    DuesOffice,
    GaugeSilent,
    Mooring,
    MooringDesk,
    NightShift,
    PilotPager,
    QuayPatrol,
    QuayReport,
    TideService,
    Vessel,
)
from urnshelf.demo.harbour.adaptors.http import HttpPager, HttpTides
from urnshelf.demo.harbour.adaptors.sqlite import (
    SqliteBerths,
    SqliteMoorings,
    SqliteVessels,
    open_harbour,
)


class World(Protocol):
    """What the tests need, whatever the services stand on."""

    @property
    def desk(self) -> MooringDesk: ...
    @property
    def dues(self) -> DuesOffice: ...
    @property
    def night(self) -> NightShift: ...
    def put(self, *records: Vessel | Berth | Mooring) -> None: ...
    def tide(self, *answers: float | None) -> None:
        """The gauge's answers in turn; None where it is silent."""

    def patrol_sees(self, *reports: QuayReport) -> None: ...
    def moorings(self) -> list[Mooring]: ...
    def berth(self, berth_id: int) -> Berth: ...
    def gauge_requests(self) -> int: ...
    def pages(self) -> list[tuple[int, str, bool]]: ...
    def lit(self) -> list[str]: ...


class ShelfWorld:
    """The services over fakes: the repositories need no cue."""

    def __init__(self, shelf: Shelf) -> None:
        self._shelf = shelf
        self.desk = shelf.furnish(MooringDesk)
        self.dues = shelf.furnish(DuesOffice)
        self.night = shelf.furnish(NightShift)

    def put(self, *records: Vessel | Berth | Mooring) -> None:
        self._shelf.tells(QuayPatrol)  # nothing reads back which berths are lit
        for record in records:
            self._shelf.stock(record)

    def tide(self, *answers: float | None) -> None:
        replies = [raising(GaugeSilent()) if answer is None else answer for answer in answers]
        cue(self._shelf.fake(TideService).depth_at, "Ternhythe", whatever).gives(*replies)

    def patrol_sees(self, *reports: QuayReport) -> None:
        for report in reports:
            cue(self._shelf.fake(QuayPatrol).report_on, report.berth_code).gives(report)

    def moorings(self) -> list[Mooring]:
        return list(self._shelf.records(Mooring))

    def berth(self, berth_id: int) -> Berth:
        return self._shelf.fake(BerthRepository).get(berth_id)

    def gauge_requests(self) -> int:
        return len(ledger_of(self._shelf.fake(TideService)))

    def pages(self) -> list[tuple[int, str, bool]]:
        calls = ledger_of(self._shelf.fake(PilotPager).page)
        return [
            (call.arguments.vessel_id, call.arguments.message, call.arguments.urgent)
            for call in calls
        ]

    def lit(self) -> list[str]:
        return ledger_of(self._shelf.fake(QuayPatrol).light_up).each("berth_code")


class HarbourServer(ThreadingHTTPServer):
    """A tide gauge and a pager that speak HTTP on loopback."""

    def __init__(self) -> None:
        super().__init__(("127.0.0.1", 0), _Handler)
        self.answers: list[float | None] = []
        self.requests = 0
        self.pages: list[tuple[int, str, bool]] = []

    def next_answer(self) -> float | None:
        self.requests += 1
        return self.answers.pop(0) if len(self.answers) > 1 else self.answers[0]


class _Handler(BaseHTTPRequestHandler):
    @property
    def harbour(self) -> HarbourServer:
        assert isinstance(self.server, HarbourServer)
        return self.server

    def do_GET(self) -> None:
        depth = self.harbour.next_answer()
        self._reply(503 if depth is None else 200, {"depth_m": depth})

    def do_POST(self) -> None:
        page = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        self.harbour.pages.append((page["vessel_id"], page["message"], page["urgent"]))
        self._reply(202, {})

    def _reply(self, status: int, body: Any) -> None:
        data = json.dumps(body).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, format: str, *args: object) -> None:
        """Nothing: the tests read the server's own lists."""


class SimulatedPatrol:
    """People with lamps, simulated."""

    def __init__(self) -> None:
        self.reports: dict[str, QuayReport] = {}
        self.lit: list[str] = []

    async def report_on(self, berth_code: str) -> QuayReport:
        return self.reports[berth_code]

    async def light_up(self, berth_code: str) -> None:
        self.lit.append(berth_code)


@dataclass
class RealWorld:
    """The services over SQLite and HTTP."""

    vessels: SqliteVessels
    berths: SqliteBerths
    register: SqliteMoorings
    server: HarbourServer
    client: httpx.Client
    patrol: SimulatedPatrol

    @property
    def desk(self) -> MooringDesk:
        return MooringDesk(
            self.vessels, self.berths, self.register, HttpTides(self.client), HttpPager(self.client)
        )

    @property
    def dues(self) -> DuesOffice:
        return DuesOffice(self.register, self.berths)

    @property
    def night(self) -> NightShift:
        return NightShift(self.berths, self.patrol)

    def put(self, *records: Vessel | Berth | Mooring) -> None:
        for record in records:
            if isinstance(record, Vessel):
                self.vessels.save(record)
            elif isinstance(record, Berth):
                self.berths.save(record)
            else:
                self.register.add(record)

    def tide(self, *answers: float | None) -> None:
        self.server.answers = list(answers)

    def patrol_sees(self, *reports: QuayReport) -> None:
        self.patrol.reports |= {report.berth_code: report for report in reports}

    def moorings(self) -> list[Mooring]:
        return self.register.all()

    def berth(self, berth_id: int) -> Berth:
        return self.berths.get(berth_id)

    def gauge_requests(self) -> int:
        return self.server.requests

    def pages(self) -> list[tuple[int, str, bool]]:
        return self.server.pages

    def lit(self) -> list[str]:
        return self.patrol.lit


def fresh_harbour_at(url: str) -> Callable[[], Iterator[tuple[Any, Any, Any]]]:
    """What makes the three repositories on PostgreSQL, and takes back what a test wrote there."""

    def fresh() -> Iterator[tuple[Any, Any, Any]]:
        import harbour_in_postgres as postgres  # not everybody has a server

        with postgres.harbour_at(url) as connection:
            with connection.transaction(force_rollback=True):
                connection.execute("ALTER SEQUENCE mooring_id_seq RESTART")
                yield (
                    postgres.PostgresVessels(connection),
                    postgres.PostgresBerths(connection),
                    postgres.PostgresMoorings(connection),
                )

    return fresh


@contextmanager
def real_world() -> Iterator[RealWorld]:
    with closing(open_harbour()) as connection, HarbourServer() as server:
        threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
        with httpx.Client(
            base_url=f"http://127.0.0.1:{server.server_port}", trust_env=False
        ) as client:
            repositories = (
                SqliteVessels(connection),
                SqliteBerths(connection),
                SqliteMoorings(connection),
            )
            yield RealWorld(*repositories, server, client, SimulatedPatrol())
        server.shutdown()
