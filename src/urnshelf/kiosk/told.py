"""A kiosk's requests as a page shows them: in short, and one of them in full; without secrets."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from itertools import takewhile
from shlex import quote
from typing import Any

from urnshelf.calls.ledger import NO_REPLY, Call, live_call, values_of
from urnshelf.calls.script import Line
from urnshelf.kiosk.headers import Headers, Pairs
from urnshelf.kiosk.masked import masked_exchange, masked_line
from urnshelf.kiosk.reasons import Condition, reasons
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.route import RouteTarget
from urnshelf.kiosk.traffic import phrase
from urnshelf.masking.masks import MASK, Masks
from urnshelf.records.display import show

_OF_THE_WAY = frozenset("host content-length connection accept-encoding".split())
"""Headers that a client writes itself."""
_LONGEST = 200_000
"""Of a body, in letters, as it is shown."""


def in_short(call: Call, routes: Sequence[RouteTarget]) -> dict[str, Any]:
    """A request in a line: `n` its number, `g` the number of its route, `w` what was asked, `r`
    what was replied, `b` who answered, `f` how long that took, `s` what was asked of the records,
    `e` whether nothing answered.

    Args:
        call: in the ledger.
        routes: of the kiosk.
    """
    masks = Masks()
    request: Request = values_of(call)[-1]
    target: Any = live_call(call).target
    # a statement has the values of the bodies; without one they need not be looked into
    line = masked_exchange(call, masks)[0].line if call.statement else masked_line(call, masks)
    return {
        "n": call.number,
        "g": routes.index(target) if target in routes else -1,
        "w": line,
        "r": outcome(call),
        "b": masks.message(answerer(call)),
        "f": f"{request.took * 1000:.1f} ms",
        "s": masks.message(call.statement),
        "e": not isinstance(call.reply, Response),
    }


def ended(calls: Iterable[Call]) -> list[Call]:
    """Those up to the first that is still being answered: what is shown of one stays."""
    return list(takewhile(lambda one: one.reply is not NO_REPLY or one.error is not None, calls))


def outcome(call: Call) -> str:
    """What was replied, in short: `200 OK, 41 bytes`."""
    reply = call.reply
    if isinstance(reply, Response):
        size = f", {reply.size:,} bytes" if reply.size else ""
        return f"{reply.status} {phrase(reply.status)}".rstrip() + size
    if isinstance(call.error, OSError):
        return f"broken: {type(call.error).__name__}"
    return "no reply yet" if reply is NO_REPLY and call.error is None else "501 refused"


def answerer(call: Call) -> str:
    """Who answered: where the cue was set, or what it was."""
    by: Any = live_call(call).answered_by
    if by is None:
        return "nobody"
    if not isinstance(by, Line):
        return repr(by)
    return f"the cue at {by.place.file.rpartition('/')[2]}:{by.place.line}"


def in_full(call: Call, routes: Sequence[RouteTarget]) -> dict[str, Any]:
    """All of a request: why it was answered so, what it was, what was replied, and both as code.

    Args:
        call: in the ledger.
        routes: of the kiosk.
    """
    masks = Masks()
    why = reasons(call, routes)
    request, reply = masked_exchange(call, masks)
    asked = _message(request.line, request.headers.pairs, _shown(request))
    message, replied = "" if call.error is None else masks.message(str(call.error)), ""
    if isinstance(reply, Response):
        said = Request("GET", "/", reply.headers, reply.body)
        replied = _message(f"{reply.status} {phrase(reply.status)}", reply.headers, _shown(said))
    return {
        "title": masks.message(why.title),
        "where": why.where,
        "conditions": [_condition(one, masks) for one in why.conditions],
        "copy": [
            {"key": "curl", "title": "as curl", "text": as_curl(request)},
            {"key": "cue", "title": "as a cue line", "text": as_cue(call, request, reply)},
        ],
        "parts": [
            {"title": "message", "text": message},
            {"title": "request", "text": asked},
            {"title": "reply", "text": replied},
        ],
    }  # fmt: skip


def _condition(condition: Condition, masks: Masks) -> dict[str, Any]:
    """A condition, without the secrets that are wanted and came: its last word is their name."""
    name = condition.name.rpartition(" ")[2].strip("[]'\"").rpartition("'")[2]
    shown = condition._asdict()
    for side in ("wanted", "came"):
        is_hidden = masks.hides(name, shown[side]) and shown[side] not in _NOTHING
        shown[side] = MASK if is_hidden else masks.message(shown[side])
    return shown


_NOTHING = ("nothing", "whatever", "as the document says")


def _message(first: str, headers: Pairs, body: str) -> str:
    lines = [first, *(f"{name}: {value}" for name, value in headers)]
    return "\n".join([*lines, *(["", body] if body else [])])


def _shown(said: Request) -> str:
    if not said.body:
        return ""
    if not isinstance(said.json, NoJson) and "json" in said.content_type:
        return json.dumps(said.json, ensure_ascii=False, indent=2)[:_LONGEST]
    try:
        return said.content.decode()[:_LONGEST]
    except UnicodeDecodeError:
        return f"{len(said.body):,} bytes"


def as_curl(request: Request) -> str:
    """The request as a command line.

    >>> as_curl(Request("GET", "http://tides.example/depth?at=noon"))
    "curl 'http://tides.example/depth?at=noon'"
    """
    words = ["curl"]
    if request.method == "HEAD":
        words.append("--head")
    elif request.method != ("POST" if request.body else "GET"):
        words += ["-X", request.method]
    words.append(quote(request.url))
    for name, value in request.headers.pairs:
        if name.lower() not in _OF_THE_WAY:
            words += ["-H", quote(f"{name}: {value}")]
    if request.body:
        words += _body(request)
    return " ".join(words)


def _body(request: Request) -> list[str]:
    try:
        text = request.body.decode()
    except UnicodeDecodeError:
        return ["--data-binary", "@FILE"]
    # an @ at the front would be the name of a file
    kind = [] if "content-type" in request.headers else ["-H", "'Content-Type:'"]
    return [*kind, "--data-raw", quote(text)]


def as_cue(call: Call, request: Request, reply: Any) -> str:
    """The request and its reply as the line of a test.

    Args:
        call: in the ledger.
        request: the call's, as it may be shown.
        reply: likewise.
    """
    target: Any = live_call(call).target
    values = values_of(call)
    is_routed = bool(target.cues) or target.path.text != "/{path:path}"
    names = target.path.kinds if is_routed else ()
    route = target.expression
    if not is_routed:
        kiosk = target.state.expression
        route = f'{kiosk}.route("{request.method}", "{request.raw_path}")'
    masks = Masks()
    path = [
        f"{name}={MASK if masks.hides(name, value) else value!r}"
        for name, value in zip(names, values, strict=False)
    ]
    asked = [f"query={request.query!r}"] if request.query else []
    if request.body and not isinstance(request.json, NoJson):
        asked.append(f"json={request.json!r}")
    told = f".asked_with({', '.join(asked)})" if asked else ""
    return f"cue({', '.join([route, *path])}){told}.gives({_reply(reply)})"


def _reply(reply: Any) -> str:
    if not isinstance(reply, Response):
        return "response(200, json={})"
    said = Request("GET", "/", reply.headers, reply.body)
    kind = Headers(reply.headers).get("content-type", "")
    if not said.body:
        return f"response({reply.status})"
    if not isinstance(said.json, NoJson) and "json" in kind:
        told = "" if kind == "application/json" else f", content_type={kind!r}"
        return f"response({reply.status}, json={said.json!r}{told})"
    if kind.startswith("text/plain") and len(said.text) < _LONGEST:
        return f"response({reply.status}, text={said.text!r})"
    return f"response({reply.status}, body={show(said.content, 200)}, content_type={kind!r})"
