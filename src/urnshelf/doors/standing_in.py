"""A kiosk in the place of a host: clients that the code under test makes itself come to it."""

from __future__ import annotations

import contextlib
import importlib
import socket
import threading
from collections.abc import Callable
from http.client import HTTPConnection, HTTPSConnection
from importlib.util import find_spec
from types import TracebackType
from typing import Any, ClassVar, Self
from urllib.parse import urlsplit

from urnshelf.doors.guard import OPEN, swap
from urnshelf.doors.memory_socket import NOT_REACHED, MemorySocket
from urnshelf.doors.wire import Wire
from urnshelf.errors import SettingRefused
from urnshelf.kiosk.core import KioskCore
from urnshelf.records.display import show

_PORTS = {"http": 80, "https": 443}
Origin = tuple[str, str, int]


def origin_of(url: str) -> Origin:
    """Scheme, host and port."""
    parts = urlsplit(url)
    scheme = parts.scheme.lower()
    return scheme, (parts.hostname or "").lower(), parts.port or _PORTS.get(scheme, 0)


class StandsIn:
    """A kiosk in the place of a host, until the block or the shelf is left.

    Args:
        kiosk: answers.
        url: of the host.
    """

    def __init__(self, kiosk: KioskCore, url: str) -> None:
        self.url = url
        self.kiosk = kiosk
        self.origin = _checked(url)
        _Places.add(self)

    def end(self) -> None:
        """The host is itself again."""
        _Places.remove(self)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.end()

    def __repr__(self) -> str:
        return f"stands_in_for({self.url!r})"


def _checked(url: str) -> Origin:
    parts = urlsplit(url if isinstance(url, str) else "")
    if parts.scheme not in _PORTS or not parts.hostname or parts.path.strip("/") or parts.query:
        raise SettingRefused(
            f"stands_in_for({show(url, 60)}): give a scheme and a host, 'https://tides.example'"
        )
    return origin_of(url)


class _Places:
    """Which hosts are stood in for: one book for the process, as the clients are."""

    _active: ClassVar[list[StandsIn]] = []
    _undo = contextlib.ExitStack()
    _lock = threading.RLock()

    @classmethod
    def add(cls, one: StandsIn) -> None:
        with cls._lock:
            if not cls._active:
                _swap_all(cls._undo)
            cls._active.append(one)

    @classmethod
    def remove(cls, one: StandsIn) -> None:
        with cls._lock:
            if one in cls._active:
                cls._active.remove(one)
                if not cls._active:
                    cls._undo.close()

    @classmethod
    def at(cls, origin: Origin) -> KioskCore | None:
        """The kiosk that stands there: the one that came last."""
        if OPEN.is_so:
            return None
        return next((o.kiosk for o in reversed(cls._active) if o.origin == origin), None)


def _swap_all(undo: contextlib.ExitStack) -> None:
    swap(undo, HTTPConnection, "connect", lambda real: _connecting(real, "http"))
    swap(undo, HTTPSConnection, "connect", lambda real: _connecting(real, "https"))
    for name, swap_client in _CLIENTS.items():
        if find_spec(name) is not None:
            swap_client(undo, importlib.import_module(name))


# --- clients, one by one --------------------------------------------------------------------------


def _connecting(real: Callable[[Any], None], scheme: str) -> Callable[[Any], None]:
    """`connect` of the standard library's connections, and of those that are made like them."""

    def connect(connection: Any) -> None:
        origin = (scheme, connection.host.lower(), connection.port or _PORTS[scheme])
        kiosk = _Places.at(origin)
        if kiosk is None:
            real(connection)
            return
        timeout = connection.timeout
        patience = timeout if isinstance(timeout, (int, float)) else socket.getdefaulttimeout()
        host = f"{origin[1]}" + ("" if origin[2] == _PORTS[scheme] else f":{origin[2]}")
        connection.sock = MemorySocket(Wire(kiosk, f"{scheme}://{host}"), patience)
        connection.is_verified = True  # there is nothing to verify, and no warning to give

    return connect


def _swap_urllib3(undo: contextlib.ExitStack, urllib3: Any) -> None:
    swap(undo, urllib3.connection.HTTPConnection, "connect", lambda r: _connecting(r, "http"))
    swap(undo, urllib3.connection.HTTPSConnection, "connect", lambda r: _connecting(r, "https"))


def _swap_httpx(undo: contextlib.ExitStack, httpx: Any) -> None:
    from urnshelf.doors.by_httpx import HttpxTransport

    def handling(real: Any) -> Any:
        def handle_request(transport: Any, request: Any) -> Any:
            kiosk = _Places.at(origin_of(str(request.url)))
            if kiosk is None:
                return real(transport, request)
            return HttpxTransport(kiosk).handle_request(request)

        return handle_request

    def handling_later(real: Any) -> Any:
        async def handle_async_request(transport: Any, request: Any) -> Any:
            kiosk = _Places.at(origin_of(str(request.url)))
            if kiosk is None:
                return await real(transport, request)
            return await HttpxTransport(kiosk).handle_async_request(request)

        return handle_async_request

    swap(undo, httpx.HTTPTransport, "handle_request", handling)
    swap(undo, httpx.AsyncHTTPTransport, "handle_async_request", handling_later)


def _swap_aiohttp(undo: contextlib.ExitStack, aiohttp: Any) -> None:
    from urnshelf.doors.memory_transport import MemoryTransport

    def creating(real: Any) -> Any:
        async def _create_connection(connector: Any, req: Any, *rest: Any) -> Any:
            kiosk = _Places.at(origin_of(str(req.url)))
            if kiosk is None:
                return await real(connector, req, *rest)

            def breaks(protocol: Any, broken: OSError) -> None:
                if isinstance(broken, TimeoutError):
                    protocol.set_exception(aiohttp.SocketTimeoutError(str(broken)))
                elif isinstance(broken, NOT_REACHED):
                    told = aiohttp.ClientConnectorError(req.connection_key, broken)
                    protocol.set_exception(told)
                else:
                    protocol.connection_lost(broken)

            protocol = connector._factory()
            wire = Wire(kiosk, str(req.url.origin()))
            protocol.connection_made(MemoryTransport(wire, protocol, breaks))
            return protocol

        return _create_connection

    swap(undo, aiohttp.TCPConnector, "_create_connection", creating)


_CLIENTS: dict[str, Callable[[contextlib.ExitStack, Any], None]] = {
    "urllib3": _swap_urllib3,
    "httpx": _swap_httpx,
    "aiohttp": _swap_aiohttp,
}
"""What is installed of them is swapped; requests goes by urllib3."""
