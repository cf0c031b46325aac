"""Replies of a real server kept in a file, and answered from it ever after: the file of kept
replies, with requests in it.
"""

from __future__ import annotations

import base64
import difflib
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from urnshelf.errors import FileRefused
from urnshelf.interfaces.members import Interface
from urnshelf.kept_file import Kept, Reply, read, write
from urnshelf.kiosk.headers import Headers, Pairs
from urnshelf.kiosk.masked import masked_request, masked_response
from urnshelf.kiosk.request import NoJson, Request
from urnshelf.kiosk.response import Response, json_text
from urnshelf.masking.masks import MASK, Masks, is_like
from urnshelf.records.equality import same

Sender = Callable[[Request], Response]
_OF_THE_WAY = frozenset(
    "connection content-encoding content-length date keep-alive server transfer-encoding".split()
)
"""Headers of how a reply came, and not of what it says."""


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
        self._masks = Masks()

    def __call__(self, request: Request) -> Response:
        """What the server replies."""
        response = self._send(request)
        asked = masked_request(request, self._masks)
        data = {"reply": response_data(masked_response(response, self._masks))}
        self._replies.append(Reply(request_line(asked), request_data(asked), data))
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
        notes = self._masks.notes()
        write(where, self._interface, [*others, *self._replies], [*before.notes, *notes])


class KeptRequests:
    """Answers from a file, in turn where a request came again, and the last from then on.

    Args:
        replies: those of the file.
        file: its name.
        masks: how requests are masked, to be looked up.
    """

    def __init__(self, replies: Iterable[Reply], file: str, masks: Masks) -> None:
        self._file = file
        self._masks = masks
        self._replies: dict[str, list[Reply]] = {}
        self._given: dict[tuple[str, str], int] = {}
        for one in replies:
            self._replies.setdefault(one.method, []).append(one)

    def find(self, request: Request) -> Response | None:
        """The reply to a request; None where the file has none."""
        asked = masked_request(request, self._masks)
        line, data = request_line(asked), request_data(asked)
        exact = [one for one in self._replies.get(line, ()) if same(one.arguments, data)]
        fits = exact or [one for one in self._of(line) if _is_like(one.arguments, data)]
        if not fits:
            return None
        place = fits[0].place
        turn = self._given[place] = self._given.get(place, -1) + 1
        return _response(fits[min(turn, len(fits) - 1)].ended["reply"], self._file)

    def _of(self, line: str) -> list[Reply]:
        """The replies to a method and path; of the path, too, what was masked may be anything."""
        return [
            reply
            for kept, replies in self._replies.items()
            if is_like(kept, line, same)
            for reply in replies
        ]

    def nearest(self, request: Request) -> str:
        """The request of the file that comes nearest to one that is not in it."""
        masked = masked_request(request, self._masks)
        asked = f"{request_line(masked)} {json_text(request_data(masked))}"
        kept = [
            f"{one.method} {json_text(one.arguments)}"
            for all_ in self._replies.values()
            for one in all_
        ]
        near = difflib.get_close_matches(asked, kept, 1, 0.0)
        return near[0] if near else "none"

    def __repr__(self) -> str:
        return f"the file {self._file}"


def request_line(request: Request) -> str:
    """Method and path."""
    return f"{request.method} {request.path}"


def request_data(request: Request) -> dict[str, Any]:
    """What a request says besides method and path.

    Args:
        request: masked, where secrets are not to be read.
    """
    found = {} if not request.query else {"query": request.query}
    if request.form:
        return {**found, "form": request.form, **_files(request)}
    return {**found, **_said(request)}


def _files(request: Request) -> dict[str, Any]:
    return {"files": sorted(request.files)} if request.files else {}


def _said(message: Request) -> dict[str, Any]:
    """The body of a request or a reply."""
    kind, text, body = message.content_type, message.text, message.body
    if not body:
        return {}
    if "json" in kind and not isinstance(message.json, NoJson):
        return {"json": message.json}
    is_text = not kind or kind.startswith("text/")
    is_text = is_text or kind.endswith(("urlencoded", "xml", "javascript", "ndjson", "jsonl"))
    if is_text and text.encode() == body:
        return {"text": text}
    return {"base64": base64.b64encode(body).decode()}


def response_data(response: Response, *, as_sent: bool = False) -> dict[str, Any]:
    """What a reply says.

    Args:
        response: masked, where secrets are not to be read.
        as_sent: whether the body stays byte for byte what it was.
    """
    said = Request("GET", "/", response.headers, response.body)
    names = [name for name in said.headers if name not in _OF_THE_WAY]
    headers = {name: _header(said.headers.all(name)) for name in names}
    body = _said(said)
    if as_sent and "json" in body:
        body = {"base64": base64.b64encode(said.content).decode()}
    return {"status": response.status, "headers": headers, **body}


def _header(values: list[str]) -> Any:
    return values[0] if len(set(values)) == 1 else values


def _is_like(kept: dict[str, Any], asked: dict[str, Any]) -> bool:
    """Whether a request is the kept one; what was masked may be anything."""
    if "base64" in kept and "text" in asked:  # of older files, where no content type was told
        asked = {**asked, "base64": base64.b64encode(asked["text"].encode()).decode()}
        asked.pop("text")
    return is_like(kept, asked, same)


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


def kept_requests(path: Path, name: str) -> KeptRequests:
    """The replies that a kiosk kept in a file.

    Args:
        path: of the file.
        name: the kiosk's.

    Raises:
        FileRefused: it is no such file, or of another kiosk.
    """
    return KeptRequests(read(path, name).replies, path.name, Masks())
