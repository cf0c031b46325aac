"""A kiosk as a transport of httpx, for clients of both kinds; no socket is opened."""

from __future__ import annotations

import socket
import ssl
import sys
import time
from collections.abc import AsyncIterator, Iterator
from types import FrameType

import httpx

from urnshelf.calls.waiting import slept
from urnshelf.doors.patience import Waited, body_of, wait_for
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response


class HttpxTransport(httpx.BaseTransport, httpx.AsyncBaseTransport):
    """Takes the requests of an `httpx.Client` or `httpx.AsyncClient` to a kiosk.

    Args:
        kiosk: answers them.
    """

    def __init__(self, kiosk: KioskCore) -> None:
        self._kiosk = kiosk

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """Answer a request; what breaks the connection is raised as httpx does."""
        answer = self._answer(request, request.read(), sys._getframe(1))
        patience = _patience(request)
        try:
            time.sleep(wait_for(answer, patience))
        except OSError as broken:
            raise _as_httpx(broken, request) from broken
        assert answer.response is not None
        return _made(answer.response, _Body(answer.response, request, patience))

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        """Likewise, while other tasks run."""
        answer = self._answer(request, await request.aread(), sys._getframe(1))
        patience = _patience(request)
        try:
            await slept(wait_for(answer, patience))
        except OSError as broken:
            raise _as_httpx(broken, request) from broken
        assert answer.response is not None
        return _made(answer.response, _Body(answer.response, request, patience))

    def _answer(self, request: httpx.Request, body: bytes, frame: FrameType) -> Answer:
        answer = self._kiosk.answer(_request(request, body), frame)
        if answer.error is not None:
            raise _as_httpx(answer.error, request) from answer.error
        return answer


class _Body(httpx.SyncByteStream, httpx.AsyncByteStream):
    """The body of a reply, as it comes."""

    def __init__(self, response: Response, request: httpx.Request, patience: float | None) -> None:
        self._parts = response.sent_parts(request.method == "HEAD")
        self._request = request
        self._patience = patience

    def __iter__(self) -> Iterator[bytes]:
        for step in self._steps():
            time.sleep(step.seconds)
            yield step.body

    async def __aiter__(self) -> AsyncIterator[bytes]:
        for step in self._steps():
            await slept(step.seconds)
            yield step.body

    def _steps(self) -> Iterator[Waited]:
        try:
            yield from body_of(self._parts, self._patience)
        except OSError as broken:
            raise _as_httpx(broken, self._request) from broken


def _request(request: httpx.Request, body: bytes) -> Request:
    headers = [(n.decode("latin-1"), v.decode("latin-1")) for n, v in request.headers.raw]
    return Request(request.method, str(request.url), headers, body)


def _made(response: Response, body: _Body) -> httpx.Response:
    headers = [(n.encode("latin-1"), v.encode("latin-1")) for n, v in response.sent_headers]
    return httpx.Response(response.status, headers=headers, stream=body)


def _patience(request: httpx.Request) -> float | None:
    seconds: float | None = request.extensions.get("timeout", {}).get("read")
    return seconds


def _as_httpx(broken: OSError, request: httpx.Request) -> httpx.TransportError:
    """What httpx raises for an error of the network."""
    kinds: list[tuple[tuple[type[OSError], ...], type[httpx.TransportError]]] = [
        ((ConnectionRefusedError, socket.gaierror, ssl.SSLError), httpx.ConnectError),
        ((TimeoutError,), httpx.ReadTimeout),
    ]
    kind = next((theirs for ours, theirs in kinds if isinstance(broken, ours)), httpx.ReadError)
    return kind(str(broken) or type(broken).__name__, request=request)
