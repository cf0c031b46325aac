"""One connection, as bytes: what a client writes comes in, and what a kiosk replies goes out."""

from __future__ import annotations

from collections.abc import Iterator
from http import HTTPStatus
from types import FrameType
from typing import Any, NamedTuple

import h11

from urnshelf.calls.replies import Raising
from urnshelf.doors.asgi import broken_by
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.problems import problem
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Pause, Response


class Step(NamedTuple):
    """What comes next: after so many seconds bytes, or how the connection breaks."""

    seconds: float
    data: bytes
    broken: OSError | None = None


class Wire:
    """The server's side of one connection, without a socket.

    Args:
        kiosk: answers the requests.
        origin: scheme and host, as `https://tides.example`.
    """

    def __init__(self, kiosk: KioskCore, origin: str) -> None:
        self._kiosk = kiosk
        self._origin = origin
        self._protocol = h11.Connection(h11.SERVER)
        self._head: h11.Request | None = None
        self._body: list[bytes] = []

    def feed(self, data: bytes, frame: FrameType | None) -> Iterator[Step]:
        """Take what a client wrote; what comes of it, once a request is whole."""
        try:
            self._protocol.receive_data(data)
            while True:
                event = self._protocol.next_event()
                if isinstance(event, h11.Request):
                    self._head, self._body = event, []
                    yield from self._go_on()
                elif isinstance(event, h11.Data):
                    self._body.append(bytes(event.data))
                elif isinstance(event, h11.EndOfMessage):
                    yield from self._reply(frame)
                else:
                    return
        except h11.RemoteProtocolError as why:
            yield from self._sent(problem(400, str(why)))

    def _go_on(self) -> Iterator[Step]:
        if self._protocol.they_are_waiting_for_100_continue:
            go_on = h11.InformationalResponse(status_code=100, headers=[])
            yield Step(0.0, self._protocol.send(go_on) or b"")

    def _reply(self, frame: FrameType | None) -> Iterator[Step]:
        answer = self._kiosk.answer(self._request(), frame)
        if answer.response is None:
            yield Step(answer.waits, b"", answer.error)
            return
        yield from self._sent(answer.response, answer)
        if self._protocol.our_state is h11.DONE and self._protocol.their_state is h11.DONE:
            self._protocol.start_next_cycle()

    def _request(self) -> Request:
        head = self._head
        assert head is not None
        target = head.target.decode("latin-1")
        url = target if "://" in target else f"{self._origin}{target}"
        headers = [(n.decode("latin-1"), v.decode("latin-1")) for n, v in head.headers.raw_items()]
        return Request(head.method.decode("ascii"), url, headers, b"".join(self._body))

    def _sent(self, response: Response, answer: Answer | None = None) -> Iterator[Step]:
        send = self._protocol.send
        status = response.status
        known = status in HTTPStatus._value2member_map_
        reason = HTTPStatus(status).phrase.encode() if known else b""
        pairs: Any = [(n.encode("latin-1"), v.encode("latin-1")) for n, v in response.sent_headers]
        head = h11.Response(status_code=status, headers=pairs, reason=reason)
        yield Step(0.0 if answer is None else answer.waits, send(head) or b"")
        seconds = 0.0
        is_head = self._head is not None and self._head.method == b"HEAD"
        for part in response.sent_parts(is_head):
            if isinstance(part, Pause):
                seconds += part.seconds
            elif isinstance(part, Raising):
                yield Step(seconds, b"", broken_by(part))
                return
            else:
                yield Step(seconds, send(h11.Data(data=part)) or b"")
                seconds = 0.0
        yield Step(seconds, send(h11.EndOfMessage()) or b"")
