"""A request as it came in, and what can be asked of it."""

from __future__ import annotations

import gzip
import json as codec
import zlib
from collections.abc import Iterable
from email.parser import BytesParser
from email.policy import HTTP
from functools import cached_property
from http.cookies import CookieError, SimpleCookie
from typing import Any, NamedTuple
from urllib.parse import parse_qsl, unquote, urlsplit

from urnshelf.kiosk.headers import Headers
from urnshelf.records.display import show


class Upload(NamedTuple):
    """A file that came in a multipart body."""

    name: str
    content_type: str
    body: bytes


class NoJson:
    """Stands for the JSON of a body that is none, and tells why."""

    def __init__(self, why: str) -> None:
        self.why = why

    def __repr__(self) -> str:
        return f"no JSON ({self.why})"


class Request:
    """One request; it never changes.

    Args:
        method: `GET`, `POST` …
        url: the whole address, with scheme and host.
        headers: name and value, in order.
        body: its bytes, as they were sent.

    >>> request = Request("GET", "http://tides.example/depth?at=noon&unit=m")
    >>> request.path, request.query, request.json
    ('/depth', {'at': 'noon', 'unit': 'm'}, no JSON (the body is empty))
    """

    def __init__(
        self,
        method: str,
        url: str,
        headers: Iterable[tuple[str, str]] = (),
        body: bytes = b"",
    ) -> None:
        self.method = method.upper()
        self.url = url
        self.headers = Headers(headers)
        self.body = body
        self.waits = 0.0
        """How long its reply is to be waited for, in seconds."""
        self.came_at = 0.0
        """When it came, in seconds since the epoch, by the machine's clock."""
        self.took = 0.0
        """How long it took to answer it, in seconds."""
        parts = urlsplit(url)
        self.scheme = parts.scheme
        self.host = parts.netloc
        self.raw_path = parts.path or "/"
        """The path as it came, percent-encoded."""
        self.query_text = parts.query

    @cached_property
    def path(self) -> str:
        """The path, decoded."""
        return unquote(self.raw_path)

    @cached_property
    def query(self) -> dict[str, Any]:
        """The parameters after the question mark; a list for one that came again."""
        return _by_name(parse_qsl(self.query_text, keep_blank_values=True))

    @cached_property
    def cookies(self) -> dict[str, str]:
        """The cookies, by name."""
        try:
            return {
                name: one.value for name, one in SimpleCookie(self.headers.get("cookie")).items()
            }
        except CookieError:
            return {}

    @cached_property
    def content_type(self) -> str:
        """What kind of body it has, without its parameters."""
        return self.headers.get("content-type", "").partition(";")[0].strip().lower()

    @cached_property
    def content(self) -> bytes:
        """The body, opened where it came compressed."""
        coding = self.headers.get("content-encoding", "").lower()
        try:
            if coding == "gzip":
                return gzip.decompress(self.body)
            return zlib.decompress(self.body) if coding == "deflate" else self.body
        except (OSError, EOFError, zlib.error):
            return self.body

    @cached_property
    def text(self) -> str:
        """The body as text, in the character set that it names, or UTF-8."""
        named = self.headers.get("content-type", "").partition("charset=")[2]
        try:
            return self.content.decode(named.strip("\"' ").partition(";")[0] or "utf-8", "replace")
        except LookupError:
            return self.content.decode("utf-8", "replace")

    @cached_property
    def json(self) -> Any:
        """The body, as JSON says it; `NoJson` where it is none."""
        if not self.body:
            return NoJson("the body is empty")
        try:
            return codec.loads(self.text)
        except (ValueError, RecursionError) as why:
            return NoJson(f"{why}: {show(self.text, 40)}")

    @cached_property
    def form(self) -> dict[str, Any]:
        """The fields of a form, by name; a list for one that came again."""
        if self.content_type == "multipart/form-data":
            return _by_name((name, text) for name, text in self._parts if isinstance(text, str))
        if self.content_type == "application/x-www-form-urlencoded":
            return _by_name(parse_qsl(self.text, keep_blank_values=True))
        return {}

    @cached_property
    def files(self) -> dict[str, Any]:
        """The files of a multipart form, by the name of their field."""
        return _by_name((name, one) for name, one in self._parts if isinstance(one, Upload))

    @cached_property
    def _parts(self) -> list[tuple[str, str | Upload]]:
        if self.content_type != "multipart/form-data":
            return []
        head = f"Content-Type: {self.headers['content-type']}\r\n\r\n".encode("latin-1", "replace")
        message = BytesParser(policy=HTTP).parsebytes(head + self.content)
        return [part for one in message.iter_parts() if (part := _part(one)) is not None]

    @property
    def target(self) -> str:
        """Path and query, as they came."""
        return self.raw_path + (f"?{self.query_text}" if self.query_text else "")

    @property
    def line(self) -> str:
        """`GET /depth?at=noon`."""
        return f"{self.method} {self.target}"

    def __deepcopy__(self, memo: object) -> Request:
        return self  # it never changes

    def __repr__(self) -> str:
        return f"<{show(self.line, 90).strip(chr(39))}>"


def _part(part: Any) -> tuple[str, str | Upload] | None:
    name = part.get_param("name", header="content-disposition")
    if not isinstance(name, str):
        return None
    body: bytes = part.get_payload(decode=True) or b""
    filename = part.get_filename()
    if filename is None:
        return name, body.decode(part.get_content_charset() or "utf-8", "replace")
    return name, Upload(str(filename), part.get_content_type(), body)


def _by_name(pairs: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, list[Any]] = {}
    for name, value in pairs:
        found.setdefault(name, []).append(value)
    return {name: values[0] if len(values) == 1 else values for name, values in found.items()}
