"""A kiosk at a real address of this machine: a server in a thread of its own."""

from __future__ import annotations

import asyncio
import socket
import struct
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

from urnshelf.doors.asgi import App, Receive, Scope
from urnshelf.doors.cross_origin import CrossOrigin
from urnshelf.doors.guard import GUARD
from urnshelf.doors.paged import Paged
from urnshelf.errors import SettingRefused
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.request import Request

_LOOPBACK = ("127.0.0.1", "::1", "localhost")
_START = 10.0
"""How long a server may take to begin, in seconds."""


class Address(str):
    """Where a kiosk is served: `http://127.0.0.1:40231`.

    Attributes:
        ca_file: the certificate that a client must trust, as a file; None without TLS.
    """

    ca_file: str | None = None


class _Connections:
    """The connections that are open, so that one can be broken."""

    def __init__(self) -> None:
        self.open: dict[Any, Any] = {}

    def protocol(self) -> type[H11Protocol]:
        """The server's, which notes them."""
        noted = self.open

        class Noting(H11Protocol):
            def connection_made(self, transport: Any) -> None:
                super().connection_made(transport)
                self.peer = transport.get_extra_info("peername")[:2]
                raw = transport.get_extra_info("socket")
                # each part of a body goes at once, and does not wait for company
                raw.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                noted[self.peer] = transport

            def connection_lost(self, exc: Exception | None) -> None:
                noted.pop(self.peer, None)
                super().connection_lost(exc)

        return Noting

    def close(self) -> None:
        """End all of them: the block is over."""
        for transport in list(self.open.values()):
            transport.abort()

    async def breaks(self, scope: Scope, receive: Receive, broken: OSError) -> None:
        """Break the connection of a request."""
        transport = self.open.get(tuple(scope["client"])[:2])
        if not isinstance(broken, TimeoutError) and transport is not None:
            _reset(transport)
        # to one that waits in vain nothing comes, until it has enough
        while (await receive())["type"] != "http.disconnect":
            pass


def _reset(transport: Any) -> None:
    """End a connection so that the other side learns of it as broken, not as over."""
    raw = transport.get_extra_info("socket")
    if raw is not None:
        raw.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
    transport.abort()


class Standing:
    """The kiosk that answers now: another may take its place.

    Args:
        kiosk: the first.
    """

    def __init__(self, kiosk: KioskCore) -> None:
        self.kiosk = kiosk

    def answer(self, request: Request) -> Answer:
        """What comes of a request."""
        return self.kiosk.answer(request)


@contextmanager
def served(
    kiosk: KioskCore | Standing,
    port: int = 0,
    *,
    tls: bool = False,
    host: str = "127.0.0.1",
    is_for_pages: bool = False,
) -> Iterator[Address]:
    """Serve a kiosk.

    Args:
        kiosk: answers the requests.
        port: 0 for one that is free.
        tls: whether by HTTPS, with a certificate made on the spot.
        host: where to listen; beyond loopback only when it is said.
        is_for_pages: whether pages of other origins may ask it.
    """
    connections = _Connections()
    standing = kiosk if isinstance(kiosk, Standing) else Standing(kiosk)
    app: Any = App(standing, connections.breaks)
    if is_for_pages:
        app = CrossOrigin(app, standing)  # inside: what was recorded is for no other origin
    paged = Paged(app, standing, host)
    with app_served(paged, port, tls=tls, host=host, connections=connections) as address:
        yield address


@contextmanager
def app_served(
    app: Any,
    port: int = 0,
    *,
    tls: bool = False,
    host: str = "127.0.0.1",
    connections: _Connections | None = None,
) -> Iterator[Address]:
    """Serve an ASGI application; see `served`."""
    if not isinstance(port, int) or not 0 <= port <= 65535:
        raise SettingRefused(f"serve(port={port!r}): a port is a number from 0 to 65535")
    noted = connections or _Connections()
    with TemporaryDirectory(prefix="urnshelf-") as folder:
        certificate = _certificate(Path(folder), host) if tls else {}
        config = uvicorn.Config(
            app, lifespan="off", ws="none", log_config=None, log_level="critical",
            http=noted.protocol(), access_log=False, timeout_graceful_shutdown=1,
            server_header=False, date_header=False, **certificate,
        )  # fmt: skip
        with _listening(host, port) as listening:
            port = listening.getsockname()[1]
            address = Address(f"http{'s' if tls else ''}://{_shown(host)}:{port}")
            address.ca_file = str(Path(folder) / "ca.pem") if tls else None
            GUARD.served.add(port)
            try:
                with _running(uvicorn.Server(config), listening, noted):
                    yield address
            finally:
                GUARD.served.discard(port)


def _listening(host: str, port: int) -> socket.socket:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    try:
        return socket.create_server((host, port), family=family)
    except OSError as why:
        raise SettingRefused(
            f"serve(port={port}, host={host!r}): {why.strerror or why}; port=0 takes one that is "
            "free"
        ) from None


def _shown(host: str) -> str:
    return f"[{host}]" if ":" in host else host


@contextmanager
def _running(
    server: uvicorn.Server, listening: socket.socket, connections: _Connections
) -> Iterator[None]:
    begun = threading.Event()
    loops: list[asyncio.AbstractEventLoop] = []

    async def run() -> None:
        loops.append(asyncio.get_running_loop())
        serving = asyncio.create_task(server.serve([listening]))
        while not server.started and not serving.done():
            await asyncio.sleep(0.001)
        begun.set()
        await serving

    thread = threading.Thread(target=asyncio.run, args=[run()], name="urnshelf kiosk", daemon=True)
    thread.start()
    if not begun.wait(_START):
        raise SettingRefused(f"serve(): the server did not begin within {_START:g} s")
    try:
        yield
    finally:
        server.should_exit = True
        loops[0].call_soon_threadsafe(connections.close)
        thread.join(_START)


def _certificate(folder: Path, host: str) -> dict[str, Any]:
    import trustme

    authority = trustme.CA()
    certificate = authority.issue_cert(*dict.fromkeys([host, *_LOOPBACK]))
    authority.cert_pem.write_to_path(str(folder / "ca.pem"))
    certificate.private_key_and_cert_chain_pem.write_to_path(str(folder / "server.pem"))
    return {"ssl_certfile": str(folder / "server.pem")}
