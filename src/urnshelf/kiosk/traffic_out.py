"""The requests of a ledger as HAR 1.2, which browsers' tools open.

Source: HTTP Archive (HAR) format 1.2.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Iterable
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl

from urnshelf.calls.ledger import NO_REPLY, Call
from urnshelf.errors import FileRefused
from urnshelf.files.whole import unfinished, why
from urnshelf.kiosk.headers import Headers, Pairs
from urnshelf.kiosk.masked import masked_exchange
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.traffic import phrase
from urnshelf.masking.masks import Masks

_HTTP = "HTTP/1.1"


def traffic(calls: Iterable[Call], masks: Masks) -> dict[str, Any]:
    """The document.

    Args:
        calls: requests of kiosks.
        masks: what is not to be read.
    """
    entries = [_entry(call, masks) for call in calls]
    creator = {"name": "Urn Shelf", "version": version("urnshelf")}
    return {"log": {"version": "1.2", "creator": creator, "entries": entries}}


def save_traffic(path: Path, data: dict[str, Any]) -> None:
    """Write the document.

    Args:
        path: of the file, which ends in .har.
        data: what `traffic` made.

    Raises:
        FileRefused: another ending, or the file cannot be written.
    """
    if path.suffix != ".har":
        raise FileRefused(f"{path.name}: recorded traffic is written to a file that ends in .har")
    text = json.dumps(data, ensure_ascii=False, indent=1)
    try:
        with unfinished() as files:
            files.part(path, is_private=True).write_text(
                text, "utf-8", "backslashreplace", newline="\n"
            )
    except OSError as error:
        raise FileRefused(f"{path.name} cannot be written: {why(error)}") from None


def _entry(call: Call, masks: Masks) -> dict[str, Any]:
    request, reply = masked_exchange(call, masks)
    took = max(request.took, request.waits) * 1000
    moment = datetime.fromtimestamp(request.came_at, UTC).isoformat(timespec="milliseconds")
    found: dict[str, Any] = {
        "startedDateTime": moment,
        "time": took,
        "request": _asked(request),
        "response": _replied(call, reply, masks),
        "cache": {},
        "timings": {"send": 0, "wait": took, "receive": 0},
        "comment": masks.message(f"#{call.number}, answered by {call.answered_by or 'nobody'}"),
    }
    return found


def _asked(request: Request) -> dict[str, Any]:
    query = parse_qsl(request.query_text, keep_blank_values=True)
    found: dict[str, Any] = {
        "method": request.method,
        "url": request.url,
        "httpVersion": _HTTP,
        "cookies": [_named(name, value) for name, value in _cookies(request.headers)],
        "headers": _headers(request.headers.pairs),
        "queryString": [_named(name, value) for name, value in query],
        "headersSize": -1,
        "bodySize": len(request.body),
    }  # fmt: skip
    if request.body:
        kind = request.headers.get("content-type", "")
        found["postData"] = {"mimeType": kind, "text": request.text}
    return found


def _replied(call: Call, reply: Any, masks: Masks) -> dict[str, Any]:
    whole = {"httpVersion": _HTTP, "redirectURL": "", "headersSize": -1}
    if not isinstance(reply, Response):
        is_open = reply is NO_REPLY and call.error is None
        why_none = "no reply yet" if is_open else masks.message(str(call.error))
        content = {"size": 0, "mimeType": ""}
        return {
            "status": 0, "statusText": "", "cookies": [], "headers": [], "content": content,
            "bodySize": -1, "_error": why_none, **whole,
        }  # fmt: skip
    headers = Headers(reply.headers)
    return {
        **whole,
        "status": reply.status,
        "statusText": phrase(reply.status),
        "cookies": [_named(name, value) for name, value in _set_cookies(headers)],
        "headers": _headers(reply.headers),
        "content": _content(reply, headers),
        "redirectURL": headers.get("location", ""),
        "bodySize": reply.size,
    }


def _content(reply: Response, headers: Headers) -> dict[str, Any]:
    content = Request("GET", "/", reply.headers, reply.body).content
    found: dict[str, Any] = {"size": len(content), "mimeType": headers.get("content-type", "")}
    if not content:
        return found
    try:
        return {**found, "text": content.decode()}
    except UnicodeDecodeError:
        text = base64.b64encode(content).decode()
        return {**found, "text": text, "encoding": "base64"}


def _cookies(headers: Headers) -> list[tuple[str, str]]:
    """The cookies of a request: RFC 6265, section 4.2.1."""
    pairs = (pair.partition("=") for text in headers.all("cookie") for pair in text.split(";"))
    return [(name.strip(), value.strip()) for name, _, value in pairs if name.strip()]


def _set_cookies(headers: Headers) -> list[tuple[str, str]]:
    """The cookies that a reply sets: RFC 6265, section 4.1.1."""
    pairs = (text.partition(";")[0].partition("=") for text in headers.all("set-cookie"))
    return [(name.strip(), value.strip()) for name, _, value in pairs if name.strip()]


def _headers(pairs: Pairs) -> list[dict[str, str]]:
    return [_named(name, value) for name, value in pairs]


def _named(name: str, value: str) -> dict[str, str]:
    return {"name": name, "value": value}
