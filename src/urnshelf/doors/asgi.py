"""A kiosk as an ASGI application."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any, Protocol
from urllib.parse import quote, urlsplit

from urnshelf.calls.replies import Raising
from urnshelf.calls.waiting import slept
from urnshelf.kiosk.broken import worded
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.problems import problem
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Pause, Response

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
LARGEST_BODY = 64 * 2**20
"""In bytes; what is larger is answered by 413."""


class Answers(Protocol):
    """A kiosk, or what stands for one."""

    def answer(self, request: Request) -> Answer:
        """What comes of a request."""
        ...


class App:
    """Takes requests as ASGI has them (version 3) to a kiosk.

    Args:
        kiosk: answers them.
        breaks: breaks the connection of a request, as an error says; where the server has no way
            to, the error is raised in it.
    """

    def __init__(
        self,
        kiosk: Answers,
        breaks: Callable[[Scope, Receive, OSError], Awaitable[None]] | None = None,
    ) -> None:
        self._kiosk = kiosk
        self._breaks = breaks

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer one request, or the server's beginning and end."""
        if scope["type"] == "lifespan":
            await _live(receive, send)
        elif scope["type"] == "http":
            await self._answer(scope, receive, send)
        else:  # the connection is closed before it is made
            await send({"type": "websocket.close", "code": 1000})

    async def _answer(self, scope: Scope, receive: Receive, send: Send) -> None:
        body = await _body(receive)
        if body is None:
            too_large = problem(413, f"the body is larger than {LARGEST_BODY:,} bytes")
            answer = Answer(too_large, None, 0.0)
        else:
            answer = self._kiosk.answer(_request(scope, body))
        if answer.waits:
            await slept(answer.waits)
        broken = answer.error
        if answer.response is not None:
            broken = await _send(answer.response, scope["method"] == "HEAD", send)
        if broken is None:
            return
        if self._breaks is None:
            raise broken
        await self._breaks(scope, receive, broken)


async def _live(receive: Receive, send: Send) -> None:
    while True:
        message = await receive()
        await send({"type": f"{message['type']}.complete"})
        if message["type"] == "lifespan.shutdown":
            return


async def _body(receive: Receive) -> bytes | None:
    """The whole body; None where it is too large."""
    parts: list[bytes] = []
    size = 0
    while True:
        message = await receive()
        size += len(message.get("body", b""))
        if size <= LARGEST_BODY:
            parts.append(message.get("body", b""))
        if not message.get("more_body", False):
            return b"".join(parts) if size <= LARGEST_BODY else None


def _request(scope: Scope, body: bytes) -> Request:
    headers = [(n.decode("latin-1"), v.decode("latin-1")) for n, v in scope["headers"]]
    host = next((value for name, value in headers if name == "host"), "")
    if not host and scope.get("server"):
        host = ":".join(str(one) for one in scope["server"] if one is not None)
    raw = scope.get("raw_path") or quote(scope["path"]).encode()
    path = raw.partition(b"?")[0].decode("latin-1")
    whole = urlsplit(path)
    if whole.scheme in ("http", "https") and whole.netloc:
        # a client that takes the kiosk for a proxy: RFC 9112, section 3.2.2
        host, path = whole.netloc, whole.path or "/"
    query = scope.get("query_string", b"").decode("latin-1")
    url = f"{scope.get('scheme', 'http')}://{host}{path}" + (f"?{query}" if query else "")
    return Request(scope["method"], url, headers, body)


async def _send(response: Response, is_head: bool, send: Send) -> OSError | None:
    """Send a reply; how the connection breaks on the way, where it does."""
    headers = [
        (name.lower().encode("latin-1"), value.encode("latin-1"))
        for name, value in response.sent_headers
    ]
    await send({"type": "http.response.start", "status": response.status, "headers": headers})
    for part in response.sent_parts(is_head):
        if isinstance(part, Pause):
            await slept(part.seconds)
        elif isinstance(part, Raising):
            return broken_by(part)
        else:
            await send({"type": "http.response.body", "body": part, "more_body": True})
    await send({"type": "http.response.body", "body": b"", "more_body": False})
    return None


def broken_by(part: Raising) -> OSError:
    """The error with which a body breaks off."""
    try:
        part.throw()
    except OSError as broken:
        return worded(broken)
    raise AssertionError  # `response(…)` takes no other
