"""Replies of a real server kept in a file, and answered from it ever after: the file of kept
replies, with requests in it.
"""

from __future__ import annotations

import base64
import difflib
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.interfaces.members import Interface
from urnshelf.kept_file import MASK, Kept, Reply, is_secret, read, write
from urnshelf.kiosk.headers import Headers, Pairs
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response, json_text
from urnshelf.records.equality import same

__tracebackhide__ = True  # a failing test shows its own lines, not ours

Sender = Callable[[Request], Response]
_OF_THE_WAY = frozenset(
    "connection content-encoding content-length date keep-alive server transfer-encoding".split()
)
"""Headers of how a reply came, and not of what it says."""

_SECRET_IN_ADDRESS = re.compile(r"([?&#])([\w.-]+)=([^&#\s>\"]*)")
"""A parameter of an address that a header holds."""


class KeepingRequests:
    """Asks a real server, and notes what it replies.

    Args:
        send: asks it.
        interface: of the kiosk.
        path: of the file.
    """

    def __init__(self, send: Sender, interface: Interface, path: str) -> None:
        self._send = send
        self._interface = interface
        self._where = Path(path)
        self._replies: list[Reply] = []

    def __call__(self, request: Request) -> Response:
        """What the server replies."""
        response = self._send(request)
        data = {"reply": _response_data(response)}
        self._replies.append(Reply(_line(request), _request_data(request), data))
        return response

    def write(self) -> None:
        """Write what was noted; what the file has of other requests stays.

        Raises:
            FileRefused: the file is of something else, or cannot be written.
        """
        where, name = self._where, self._interface.name
        before = read(where, name) if where.is_file() else Kept({}, [])
        asked = {one.place for one in self._replies}
        others = [one for one in before.replies if one.place not in asked]
        write(where, self._interface, [*others, *self._replies])


class KeptRequests:
    """Answers from a file, in turn where a request came again, and the last from then on.

    Args:
        path: of the file.
        name: the kiosk's.

    Raises:
        FileRefused: it is no such file, or of another kiosk.
    """

    def __init__(self, path: str, name: str) -> None:
        self._where = Path(path)
        self._replies: dict[str, list[Reply]] = {}
        self._given: dict[tuple[str, str], int] = {}
        for one in read(self._where, name).replies:
            self._replies.setdefault(one.method, []).append(one)

    def find(self, request: Request) -> Response | None:
        """The reply to a request; None where the file has none."""
        asked = _request_data(request)
        fits = [
            one for one in self._replies.get(_line(request), ()) if _is_like(one.arguments, asked)
        ]
        if not fits:
            return None
        place = fits[0].place
        turn = self._given[place] = self._given.get(place, -1) + 1
        return _response(fits[min(turn, len(fits) - 1)].ended["reply"], self._where.name)

    def nearest(self, request: Request) -> str:
        """The request of the file that comes nearest to one that is not in it."""
        asked = f"{_line(request)} {json_text(_request_data(request))}"
        kept = [
            f"{one.method} {json_text(one.arguments)}"
            for all_ in self._replies.values()
            for one in all_
        ]
        near = difflib.get_close_matches(asked, kept, 1, 0.0)
        return near[0] if near else "none"

    def __repr__(self) -> str:
        return f"the file {self._where.name}"


def _line(request: Request) -> str:
    return f"{request.method} {request.path}"


def _request_data(request: Request) -> dict[str, Any]:
    found = {} if not request.query else {"query": masked(request.query)}
    if request.form:
        return {**found, "form": masked(request.form), **_files(request)}
    return {**found, **_body_data(request.body, request.json, request.content_type, request.text)}


def _files(request: Request) -> dict[str, Any]:
    return {"files": sorted(request.files)} if request.files else {}


def _body_data(body: bytes, json: Any, content_type: str, text: str) -> dict[str, Any]:
    if not body:
        return {}
    if not isinstance(json, NoJson) and "json" in content_type:
        return {"json": masked(json)}
    is_text = content_type.startswith("text/") or content_type.endswith(("urlencoded", "xml"))
    if is_text and text.encode() == body:
        return {"text": text}
    return {"base64": base64.b64encode(body).decode()}


def _response_data(response: Response) -> dict[str, Any]:
    said = Request("GET", "/", response.headers, response.body)
    names = [name for name in said.headers if name not in _OF_THE_WAY]
    headers = {name: _header(name, said.headers.all(name)) for name in names}
    body = _body_data(said.body, said.json, said.content_type, said.text)
    return {"status": response.status, "headers": headers, **body}


def _header(name: str, values: list[str]) -> Any:
    if is_secret(name) or name == "set-cookie":
        return MASK
    shown = [_SECRET_IN_ADDRESS.sub(_without_value, value) for value in values]
    return shown[0] if len(shown) == 1 else shown


def _without_value(found: re.Match[str]) -> str:
    return f"{found[1]}{found[2]}={MASK}" if is_secret(found[2]) else found[0]


def masked(data: Any) -> Any:
    """The data, with what is not to be read masked by its name."""
    if isinstance(data, Mapping):
        return {n: MASK if is_secret(str(n)) else masked(one) for n, one in data.items()}
    return [masked(one) for one in data] if isinstance(data, list) else data


def _is_like(kept: Any, asked: Any) -> bool:
    """Whether a request is the kept one; what was masked may be anything."""
    if kept == MASK or same(kept, asked):
        return True
    if isinstance(kept, dict) and isinstance(asked, dict):
        return kept.keys() == asked.keys() and all(_is_like(kept[n], asked[n]) for n in kept)
    return False


def _response(data: Any, file: str) -> Response:
    try:
        pairs: Pairs = tuple(
            (name, str(one))
            for name, value in data["headers"].items()
            for one in (value if isinstance(value, list) else [value])
        )
        body = data.get("text", "").encode() or base64.b64decode(data.get("base64", ""))
        body = json_text(data["json"]).encode() if "json" in data else body
        shown = tuple((name, value.replace(MASK, "masked")) for name, value in Headers(pairs).pairs)
        return Response(int(data["status"]), shown, (body,))
    except (KeyError, TypeError, ValueError, AttributeError) as why:
        raise FileRefused(f"{file}: a reply has a status, headers and a body: {why}") from None
