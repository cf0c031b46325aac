"""A kiosk as a transport adapter of requests; no socket is opened."""

from __future__ import annotations

import io
import ssl
import sys
import time
from collections.abc import Iterator, Mapping
from http.client import HTTPMessage
from types import SimpleNamespace
from typing import Any

import requests
import urllib3
from requests.adapters import HTTPAdapter

from urnshelf.doors.patience import body_of, wait_for
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Part, Response


class RequestsAdapter(HTTPAdapter):
    """Takes the requests of a `requests.Session` to a kiosk.

    Args:
        kiosk: answers them.
    """

    def __init__(self, kiosk: KioskCore) -> None:
        super().__init__()
        self._kiosk = kiosk

    def send(
        self,
        request: requests.PreparedRequest,
        stream: bool = False,
        timeout: Any = None,
        verify: bool | str = True,
        cert: Any = None,
        proxies: Mapping[str, str] | None = None,
    ) -> requests.Response:
        """Answer a request; what breaks the connection is raised as requests does."""
        del stream, verify, cert, proxies  # what is of a socket
        patience = timeout[1] if isinstance(timeout, tuple) else timeout
        answer = self._kiosk.answer(_request(request), sys._getframe(1))
        try:
            if answer.error is not None:
                raise answer.error
            time.sleep(wait_for(answer, patience))
        except OSError as broken:
            raise _as_requests(broken, request) from broken
        assert answer.response is not None
        raw = _raw(answer.response, request.method == "HEAD", patience)
        return self.build_response(request, raw)


def _request(request: requests.PreparedRequest) -> Request:
    body: Any = request.body or b""
    if not isinstance(body, (str, bytes, bytearray)):
        body = body.read() if hasattr(body, "read") else b"".join(body)
    data = body.encode() if isinstance(body, str) else bytes(body)
    pairs = [(_text(name), _text(value)) for name, value in request.headers.items()]
    return Request(request.method or "GET", request.url or "", pairs, data)


def _text(value: str | bytes) -> str:
    return value.decode("latin-1") if isinstance(value, bytes) else value


class _Body(io.RawIOBase):
    """A body that is read as it comes."""

    def __init__(self, parts: tuple[Part, ...], patience: float | None) -> None:
        self._steps: Iterator[Any] = body_of(parts, patience)
        self._left = b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while not self._left:
            step = self._next()
            if step is None:
                return 0
            time.sleep(step.seconds)
            self._left = step.body
        taken, self._left = self._left[: len(buffer)], self._left[len(buffer) :]
        buffer[: len(taken)] = taken
        return len(taken)

    def _next(self) -> Any:
        try:
            return next(self._steps, None)
        except TimeoutError as slow:
            # urllib3 makes its own of what the socket under it raises
            raise TimeoutError(str(slow)) from slow


def _raw(response: Response, is_head: bool, patience: float | None) -> urllib3.HTTPResponse:
    headers = urllib3.HTTPHeaderDict()
    message = HTTPMessage()
    for name, value in response.sent_headers:
        headers.add(name, value)
        message.add_header(name, value)
    body: Any = _Body(response.sent_parts(is_head), patience)
    # requests looks for the cookies there
    original: Any = SimpleNamespace(msg=message, close=lambda: None, isclosed=lambda: True)
    return urllib3.HTTPResponse(
        body, headers, response.status, preload_content=False, original_response=original,
        decode_content=False, reason=_reason(response.status),
    )  # fmt: skip


def _reason(status: int) -> str:
    from http import HTTPStatus

    return HTTPStatus(status).phrase if status in HTTPStatus._value2member_map_ else ""


def _as_requests(
    broken: OSError, request: requests.PreparedRequest
) -> requests.exceptions.RequestException:
    """What requests raises for an error of the network."""
    told = str(broken) or type(broken).__name__
    if isinstance(broken, TimeoutError):
        return requests.exceptions.ReadTimeout(told, request=request)
    if isinstance(broken, ssl.SSLError):
        return requests.exceptions.SSLError(told, request=request)
    return requests.exceptions.ConnectionError(told, request=request)
