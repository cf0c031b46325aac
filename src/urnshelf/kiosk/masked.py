"""Requests and replies as they may be written down or shown: with their secrets masked."""

from __future__ import annotations

import re
from typing import Any
from urllib.parse import unquote

from urnshelf.calls.ledger import Call, live_call, values_of
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response
from urnshelf.masking.masks import MASK, Masks


def masked_request(request: Request, masks: Masks) -> Request:
    """A request with its secrets masked: in its address, its headers and its body.

    Args:
        request: as it came in.
        masks: what is not to be read.
    """
    headers = [(name, masks.header(name, value)) for name, value in request.headers.pairs]
    found = Request(request.method, masks.address(request.url), headers, _body(request, masks))
    found.came_at, found.took, found.waits = request.came_at, request.took, request.waits
    return found


def masked_response(reply: Response, masks: Masks) -> Response:
    """A reply with its secrets masked. Its parts are one part, where something had to be masked.

    Args:
        reply: as it went out.
        masks: what is not to be read.
    """
    headers = tuple((name, masks.header(name, value)) for name, value in reply.headers)
    said = Request("GET", "/", reply.headers, reply.body)
    body = _body(said, masks)
    parts = reply.parts if body == reply.body else (body,)
    return Response(reply.status, headers, parts, reply.is_streamed)


def masked_exchange(call: Call, masks: Masks) -> tuple[Request, Any]:
    """The request of a call, and its reply, which is anything where there was no response; with
    their secrets masked, also those that the names of the route's parameters tell of.

    Args:
        call: in the ledger.
        masks: what is not to be read; it knows this call's secrets from now on, and no others.
    """
    masks.forget()
    request = _without_parameters(call, masked_request(values_of(call)[-1], masks), masks)
    reply = call.reply
    return request, masked_response(reply, masks) if isinstance(reply, Response) else reply


def masked_line(call: Call, masks: Masks) -> str:
    """The line of a call's request, `GET /depth?token=…`; its bodies are not looked into.

    Args:
        call: in the ledger.
        masks: what is not to be read.
    """
    request: Request = values_of(call)[-1]
    bare = Request(request.method, masks.address(request.url))
    return _without_parameters(call, bare, masks).line


def _without_parameters(call: Call, request: Request, masks: Masks) -> Request:
    """A request without the values of those parameters of its path that are secrets."""
    values, names = values_of(call), live_call(call).target.parameters
    for name, value in zip(names[:-1], values[:-1], strict=True):
        if masks.hides(name, value):
            masks.hide(str(value), f"path {name}")
            path = "/".join(_part(part, str(value)) for part in request.raw_path.split("/"))
            url = request.url.replace(request.raw_path, path, 1)
            request = _at(url, request)
    return request


def _at(url: str, request: Request) -> Request:
    """The same request, of another address."""
    found = Request(request.method, url, request.headers.pairs, request.body)
    found.came_at, found.took, found.waits = request.came_at, request.took, request.waits
    return found


def _part(part: str, secret: str) -> str:
    """A part of a path, without a secret in it."""
    plain = unquote(part)
    return plain.replace(secret, MASK) if secret in plain else part


def _body(message: Request, masks: Masks) -> bytes:
    """The body with its secrets masked; not compressed, where something had to be masked."""
    if not message.body:
        return message.body
    coding = message.headers.get("content-encoding", "").lower()
    if coding not in ("", "identity") and not _is_text(message.content):
        masks.note_unseen(f"a body compressed by {coding}")
        return message.body
    kind = message.headers.get("content-type", "")
    charset = re.search(r"(?i)charset=[\"']?([\w.:-]+)", kind)
    content = masks.body(
        message.content, message.content_type, "utf-8" if charset is None else charset[1]
    )
    return message.body if content == message.content else content


def _is_text(content: bytes) -> bool:
    """Whether a body is text: recorders write bodies as they are once they are opened, and leave
    the header that says how they were compressed.
    """
    try:
        return "\0" not in content.decode()
    except UnicodeDecodeError:
        return False
