"""A real server behind a kiosk: what no cue takes goes there."""

from __future__ import annotations

import httpx

from urnshelf.doors.guard import in_the_open
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response

_OF_THE_WAY = frozenset(
    "accept-encoding connection content-length host keep-alive transfer-encoding".split()
)
"""Headers of how a message goes, which each way has of its own."""


class RealServer:
    """Asks a real server.

    Args:
        url: scheme, host and, where there is one, the path before all others.
    """

    def __init__(self, url: str) -> None:
        self._url = url.rstrip("/")

    def __call__(self, request: Request) -> Response:
        """What it replies; raises OSError where the connection breaks."""
        headers = [(n, v) for n, v in request.headers.pairs if n.lower() not in _OF_THE_WAY]
        try:
            with in_the_open(), httpx.Client(follow_redirects=False, trust_env=False) as client:
                got = client.request(
                    request.method,
                    self._url + request.target,
                    headers=headers,
                    content=request.body,
                )
        except httpx.TimeoutException as slow:
            raise TimeoutError(str(slow)) from slow
        except httpx.ConnectError as refused:
            raise ConnectionRefusedError(str(refused)) from refused
        except httpx.TransportError as broken:
            raise ConnectionResetError(str(broken)) from broken
        # the body is opened already
        gone = {*_OF_THE_WAY, "content-encoding"}
        pairs = [(n, v) for n, v in got.headers.multi_items() if n.lower() not in gone]
        return Response(got.status_code, tuple(pairs), (got.content,))

    def __repr__(self) -> str:
        return f"the server behind: {self._url}"
