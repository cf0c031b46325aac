"""The requests of a ledger as HAR 1.2, which browsers' tools open.

Source: HTTP Archive (HAR) format 1.2.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Iterable
from datetime import UTC, datetime
from http.cookies import CookieError, SimpleCookie
from importlib.metadata import version
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, urlencode

from urnshelf.calls.ledger import NO_REPLY, Call, values_of
from urnshelf.errors import FileRefused
from urnshelf.files.whole import unfinished, why
from urnshelf.kiosk.headers import Headers, Pairs
from urnshelf.kiosk.masking import Masks
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.traffic import phrase

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
            files.part(path).write_text(text, "utf-8", "backslashreplace", newline="\n")
    except OSError as error:
        raise FileRefused(f"{path.name} cannot be written: {why(error)}") from None


def _entry(call: Call, masks: Masks) -> dict[str, Any]:
    request: Request = values_of(call)[-1]
    took = max(request.took, request.waits) * 1000
    moment = datetime.fromtimestamp(request.came_at, UTC).isoformat(timespec="milliseconds")
    found: dict[str, Any] = {
        "startedDateTime": moment,
        "time": took,
        "request": _asked(request, masks),
        "response": _replied(call, masks),
        "cache": {},
        "timings": {"send": 0, "wait": took, "receive": 0},
        "comment": f"#{call.number}, answered by {call.answered_by or 'nobody'}",
    }
    return found


def _asked(request: Request, masks: Masks) -> dict[str, Any]:
    query = parse_qsl(request.query_text, keep_blank_values=True)
    found: dict[str, Any] = {
        "method": request.method,
        "url": masks.address(request.url),
        "httpVersion": _HTTP,
        "cookies": [_named(n, masks.header("cookie", v)) for n, v in request.cookies.items()],
        "headers": _headers(request.headers.pairs, masks),
        "queryString": [
            _named(n, str(masks.data({n: v}, "query")[n])) for n, v in query
        ],
        "headersSize": -1,
        "bodySize": len(request.body),
    }  # fmt: skip
    if request.body:
        kind = request.headers.get("content-type", "")
        found["postData"] = {"mimeType": kind, "text": _posted(request, masks)}
    return found


def _posted(request: Request, masks: Masks) -> str:
    if not isinstance(request.json, NoJson):
        return json.dumps(masks.data(request.json), ensure_ascii=False)
    if request.content_type == "application/x-www-form-urlencoded":
        return urlencode(masks.data(request.form), doseq=True)
    return request.text


def _replied(call: Call, masks: Masks) -> dict[str, Any]:
    reply = call.reply
    whole = {"httpVersion": _HTTP, "redirectURL": "", "headersSize": -1}
    if not isinstance(reply, Response):
        is_open = reply is NO_REPLY and call.error is None
        why_none = "no reply yet" if is_open else str(call.error)
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
        "cookies": [
            _named(name, masks.header("set-cookie", value)) for name, value in _set(headers)
        ],
        "headers": _headers(reply.headers, masks),
        "content": _content(reply, headers, masks),
        "redirectURL": masks.address(headers.get("location", "")),
        "bodySize": reply.size,
    }


def _content(reply: Response, headers: Headers, masks: Masks) -> dict[str, Any]:
    said = Request("GET", "/", reply.headers, reply.body)
    found: dict[str, Any] = {
        "size": len(said.content),
        "mimeType": headers.get("content-type", ""),
    }
    if not said.content:
        return found
    if not isinstance(said.json, NoJson) and "json" in said.content_type:
        whole = masks.data(said.json)
        # as it was sent, where nothing had to be masked
        text = said.text if whole == said.json else json.dumps(whole, ensure_ascii=False)
        return {**found, "text": text}
    try:
        return {**found, "text": said.content.decode()}
    except UnicodeDecodeError:
        text = base64.b64encode(said.content).decode()
        return {**found, "text": text, "encoding": "base64"}


def _set(headers: Headers) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    for text in headers.all("set-cookie"):
        try:
            found += [(name, one.value) for name, one in SimpleCookie(text).items()]
        except CookieError:
            continue
    return found


def _headers(pairs: Pairs, masks: Masks) -> list[dict[str, str]]:
    return [_named(name, masks.header(name, value)) for name, value in pairs]


def _named(name: str, value: str) -> dict[str, str]:
    return {"name": name, "value": value}
