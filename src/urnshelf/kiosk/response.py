"""What a kiosk replies to a request: status, headers and body, whole or in parts."""

from __future__ import annotations

import gzip
import json as codec
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from urnshelf.calls.replies import Raising
from urnshelf.errors import ReplyRefused
from urnshelf.kiosk.broken import is_of_the_network
from urnshelf.kiosk.headers import Headers, Pairs, header_pairs
from urnshelf.records.codec import Unfit, to_json
from urnshelf.records.display import show
from urnshelf.types.nodes import node_of

_COMPRESS = {"gzip": lambda body: gzip.compress(body, mtime=0), "deflate": zlib.compress}
NO_BODY = frozenset({204, 205, 304})
"""These statuses have none: RFC 9110, sections 15.3.5, 15.3.6 and 15.4.5."""


class Later:
    """Stands for a value that is taken when the reply is given."""


def holds_later(value: object) -> bool:
    """Whether something in a value is taken only when the reply is given."""
    if isinstance(value, Later):
        return True
    if isinstance(value, Mapping):
        return any(map(holds_later, value.values()))
    return isinstance(value, (list, tuple)) and any(map(holds_later, value))


class Pause(NamedTuple):
    """A wait between two parts of a body; made by `pause(…)`."""

    seconds: float

    def __repr__(self) -> str:
        return f"pause({self.seconds:g})"


Part = bytes | Pause | Raising
"""What a body is made of: bytes, waiting, and where it breaks off."""


class Response:
    """What a kiosk replies; made by `response(…)`. It never changes.

    Args:
        status: the status code.
        headers: name and value, in order.
        parts: what the body is made of, one after the other.
        is_streamed: whether the body's length is not told beforehand.
    """

    __slots__ = ("headers", "is_streamed", "is_undocumented", "parts", "status")

    def __init__(
        self,
        status: int,
        headers: Pairs = (),
        parts: tuple[Part, ...] = (),
        is_streamed: bool = False,
    ) -> None:
        self.is_undocumented = False
        """Whether it is given though a document does not promise it."""
        self.status = status
        self.headers = headers
        self.parts = parts
        self.is_streamed = is_streamed

    @property
    def size(self) -> int:
        """Of the body, in bytes."""
        return sum(len(part) for part in self.parts if isinstance(part, bytes))

    @property
    def body(self) -> bytes:
        """The whole body.

        >>> response(text="6.3").body
        b'6.3'
        """
        return b"".join(part for part in self.parts if isinstance(part, bytes))

    def with_headers(self, more: Mapping[str, str]) -> Response:
        """The same, with more headers; those that it has stay.

        >>> response(text="6.3").with_headers({"ETag": '"1"'}).headers[-1]
        ('ETag', '"1"')
        """
        has = Headers(self.headers)
        new = [(name, value) for name, value in more.items() if name not in has]
        return Response(self.status, (*self.headers, *new), self.parts, self.is_streamed)

    @property
    def sent_headers(self) -> Pairs:
        """The headers as they go out: with the body's length, where it is known; to HEAD that of
        the body which a GET would get.
        """
        has_none = self.status in NO_BODY or self.status < 200
        if self.is_streamed or has_none or "content-length" in Headers(self.headers):
            return self.headers
        return (*self.headers, ("Content-Length", str(self.size)))

    def sent_parts(self, is_head: bool = False) -> tuple[Part, ...]:
        """What goes out as the body: nothing to HEAD, and where the status has none."""
        return () if is_head or self.status in NO_BODY or self.status < 200 else self.parts

    def __deepcopy__(self, memo: object) -> Response:
        return self  # it never changes

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Response):
            return NotImplemented
        mine, theirs = (
            (one.status, one.headers, one.parts, one.is_streamed) for one in (self, other)
        )
        return mine == theirs

    def __hash__(self) -> int:
        return hash((self.status, self.headers))

    def __repr__(self) -> str:
        type_of_body = Headers(self.headers).get("content-type", "")
        shown = ""
        if self.parts:
            text = self.body.decode("utf-8", "replace")
            shown = f", {show(text, 60)}" if type_of_body else f", {len(self.body)} bytes"
        whole = f"response({self.status}{shown})"
        return f"undocumented({whole})" if self.is_undocumented else whole


def undocumented(reply: Response) -> Response:
    """The same reply, given though the kiosk's document does not promise it: as services do that
    are overloaded, or broken.

    Args:
        reply: made by `response(…)`.

    >>> undocumented(response(503))
    undocumented(response(503))
    """
    if not isinstance(reply, Response) or hasattr(reply, "filled"):
        raise ReplyRefused(f"undocumented({show(reply, 60)}): a whole response is needed")
    found = Response(reply.status, reply.headers, reply.parts, reply.is_streamed)
    found.is_undocumented = True
    return found


def pause(seconds: float) -> Pause:
    """A wait between two chunks of a body.

    Args:
        seconds: from 0.

    >>> response(chunks=["6.", pause(0.5), "3"]).parts
    (b'6.', pause(0.5), b'3')
    """
    if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not seconds >= 0:
        raise ReplyRefused(f"pause({seconds!r}): a number of seconds from 0 is needed")
    return Pause(float(seconds))


def response(
    status: int = 200,
    *,
    json: Any = ...,
    text: str | None = None,
    body: bytes | None = None,
    chunks: Iterable[bytes | str | Pause | Raising] | None = None,
    events: Iterable[Any] | None = None,
    headers: Mapping[str, Any] | Sequence[tuple[str, str]] = (),
    cookies: Mapping[str, str] | None = None,
    content_type: str | None = None,
    compress: str | None = None,
) -> Response:
    """What a route replies: `cue(route).gives(response(200, json={"depth_m": 6.3}))`.

    At most one of `json`, `text`, `body`, `chunks` and `events` is given; without any the body is
    empty.

    Args:
        status: 200 to 599.
        json: what the body says as JSON; records and their values, moments and amounts among them,
            as the library writes them.
        text: plain text, or what `content_type` says it is.
        body: bytes.
        chunks: a body that is sent in parts, its length not told: bytes, texts, `pause(seconds)`,
            and `raising(ConnectionResetError())` where it breaks off.
        events: server-sent events: each a text or JSON value, or a mapping with `data` and `event`,
            `id`, `retry`; `pause(…)` and `raising(…)` among them.
        headers: a mapping, whose values may be lists, or pairs.
        cookies: name and value of cookies that are set.
        content_type: instead of that which goes with the body.
        compress: `"gzip"` or `"deflate"`.

    Raises:
        ReplyRefused: a status or header that there cannot be, or two bodies.

    >>> response(201, json={"id": 7}, headers={"Location": "/berths/7"})
    response(201, '{"id": 7}')
    """
    _check_status(status)
    if holds_later(json) or isinstance(text, Later):
        from urnshelf.kiosk.filling import unfilled  # few replies are

        more: dict[str, Any] = {
            "headers": headers, "cookies": cookies, "content_type": content_type,
            "compress": compress,
        }  # fmt: skip
        response(status, **more)  # what else is wrong is told now
        return unfilled(status, json, text, more)
    given = {
        "json": None if json is ... else (json,),
        "text": text, "body": body, "chunks": chunks, "events": events,
    }  # fmt: skip
    several = [name for name, one in given.items() if one is not None]
    if len(several) > 1:
        raise ReplyRefused(f"response({status}): {' and '.join(several)} are each a whole body")
    kind, parts = _body(several[0] if several else "", given)
    pairs = header_pairs(headers)
    pairs += tuple(("Set-Cookie", f"{name}={value}") for name, value in (cookies or {}).items())
    header_pairs(pairs)
    if compress is not None:
        parts, pairs = _compressed(parts, pairs, compress)
    kind = content_type or kind
    if kind and "content-type" not in Headers(pairs):
        pairs = (("Content-Type", kind), *pairs)
    if status in NO_BODY and parts:
        raise ReplyRefused(f"response({status}): a reply of this status has no body")
    is_streamed = chunks is not None or events is not None
    _check_length(status, Headers(pairs), parts, is_streamed)
    return Response(status, header_pairs(pairs), parts, is_streamed)


def _check_length(
    status: int, headers: Headers, parts: tuple[Part, ...], is_streamed: bool
) -> None:
    """Refuse what no server could send, and a client would wait for."""
    size = Response(status, (), parts).size
    told = headers.get("content-length")
    if "transfer-encoding" in headers:
        raise ReplyRefused(f"response({status}): Transfer-Encoding is the server's; give chunks=…")
    if told is not None and (is_streamed or told != str(size)):
        raise ReplyRefused(
            f"response({status}): Content-Length says {told}, and the body has {size} bytes; for a "
            "body that breaks off give chunks=[…, raising(ConnectionResetError())]"
        )


def _check_status(status: object) -> None:
    if isinstance(status, bool) or not isinstance(status, int) or not 200 <= status <= 599:
        raise ReplyRefused(f"response({show(status, 40)}): a status is a whole number, 200 to 599")


def _body(name: str, given: Mapping[str, Any]) -> tuple[str, tuple[Part, ...]]:
    """The content type that goes with a body, and its parts."""
    if name == "json":
        return "application/json", (json_text(given["json"][0]).encode(),)
    if name == "text":
        text = str(given["text"])
        if not _is_sound(text):
            raise ReplyRefused(f"text={show(text, 60)}: half a character cannot be sent")
        return "text/plain; charset=utf-8", (text.encode(),)
    if name == "body":
        return "application/octet-stream", (_bytes(given["body"]),)
    if name == "chunks":
        return "application/octet-stream", tuple(map(_part, given["chunks"]))
    if name == "events":
        return "text/event-stream", tuple(map(_event, given["events"]))
    return "", ()


def json_text(value: object) -> str:
    """A value as JSON text.

    Raises:
        ReplyRefused: it holds what JSON cannot say.
    """
    try:
        text = codec.dumps(plain(value), ensure_ascii=False, allow_nan=False)
        # half a character can stand in JSON, escaped, and not in UTF-8
        return text if _is_sound(text) else codec.dumps(plain(value), allow_nan=False)
    except (Unfit, TypeError, ValueError, RecursionError) as why:
        raise ReplyRefused(f"json={show(value, 60)}: {why}") from None


def _is_sound(text: str) -> bool:
    try:
        text.encode()
        return True
    except UnicodeEncodeError:
        return False


def plain(value: object) -> Any:
    """A value as JSON holds it: what is JSON already as it is, and records by their fields."""
    if value is None or isinstance(value, (bool, int, float, str)):
        return value
    if isinstance(value, Mapping) and not hasattr(type(value), "__total__"):
        return {str(name): plain(one) for name, one in value.items()}
    if isinstance(value, (list, tuple)) and not hasattr(value, "_fields"):
        return [plain(one) for one in value]
    return to_json(value, node_of(type(value)))


def _bytes(body: object) -> bytes:
    if not isinstance(body, (bytes, bytearray, memoryview)):
        raise ReplyRefused(f"body={show(body, 60)}: bytes are needed; a text is given as text=")
    return bytes(body)


def _part(one: Any) -> Part:
    if isinstance(one, (Pause, Raising)):
        return _broken(one)
    return one.encode() if isinstance(one, str) else _bytes(one)


def _broken(one: Pause | Raising) -> Part:
    if isinstance(one, Raising) and not is_of_the_network(one.kind):
        raise ReplyRefused(
            f"{one!r}: no body breaks off with it; use raising(ConnectionResetError()), or "
            "raising(TimeoutError())"
        )
    return one


def _event(one: Any) -> Part:
    if isinstance(one, (Pause, Raising)):
        return _broken(one)
    told = one if isinstance(one, Mapping) and "data" in one else {"data": one}
    unknown = set(told) - {"data", "event", "id", "retry"}
    if unknown:
        raise ReplyRefused(f"events: {show(unknown, 40)}: an event has data, event, id and retry")
    return "".join(_event_lines(told)).encode()


def _event_lines(told: Mapping[str, Any]) -> Iterator[str]:
    for name in ("event", "id", "retry"):
        if name in told:
            text = str(told[name])
            if "\n" in text or "\r" in text:
                raise ReplyRefused(f"events: {name}={show(text, 40)} is longer than a line")
            yield f"{name}: {text}\n"
    data = told["data"]
    for line in (data if isinstance(data, str) else json_text(data)).splitlines() or [""]:
        yield f"data: {line}\n"
    yield "\n"


def _compressed(
    parts: tuple[Part, ...], pairs: Pairs, coding: str
) -> tuple[tuple[Part, ...], Pairs]:
    if coding not in _COMPRESS:
        raise ReplyRefused(f"compress={coding!r}: choose 'gzip' or 'deflate'")
    if any(not isinstance(part, bytes) for part in parts):
        raise ReplyRefused("compress: a body that waits or breaks off is not compressed by us")
    body = b"".join(part for part in parts if isinstance(part, bytes))
    return (_COMPRESS[coding](body),), (*pairs, ("Content-Encoding", coding))
