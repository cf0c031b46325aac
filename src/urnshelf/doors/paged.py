"""The page of a kiosk that is served, at a path of its own.

It shows what was recorded, so it is for whoever sits at this machine, and for no page of another
origin: there are no headers that let one read it (Fetch standard, section 3.3), and a request must
name this machine as its host, which one by a rebound name does not.
"""

from __future__ import annotations

import json
from typing import Any, Protocol
from urllib.parse import parse_qs, urlsplit

from urnshelf.doors.asgi import Receive, Scope, Send
from urnshelf.doors.guard import is_loopback
from urnshelf.errors import UrnShelfError
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.told import ended, in_full, in_short
from urnshelf.kiosk.traffic_out import traffic
from urnshelf.masking.masks import Masks
from urnshelf.pages.page import Group, Page, rendered

PATH = "/_urnshelf"
"""Where the page is: no request to it is one to the kiosk."""
_GUARDING = (
    (b"cache-control", b"no-store"),
    (b"cross-origin-resource-policy", b"same-origin"),
    (b"content-security-policy", b"frame-ancestors 'none'"),
    (b"referrer-policy", b"no-referrer"),
    (b"x-content-type-options", b"nosniff"),
)
"""Headers by which a browser keeps what is shown from pages of other origins."""
_TEXT = "text/plain; charset=utf-8"


class Holder(Protocol):
    """What has the kiosk that answers now."""

    @property
    def kiosk(self) -> KioskCore:
        """It."""
        ...


class Paged:
    """An ASGI application: the page at its path, and the kiosk everywhere else.

    Args:
        app: the kiosk's.
        holder: has the kiosk.
        host: where it listens; requests may name it, besides loopback.
    """

    def __init__(self, app: Any, holder: Holder, host: str) -> None:
        self._app = app
        self._holder = holder
        self._host = host.lower()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer one request."""
        path = str(scope.get("path", ""))
        if scope["type"] != "http" or (path != PATH and not path.startswith(f"{PATH}/")):
            await self._app(scope, receive, send)
            return
        status, kind, body = self._answer(scope, path)
        headers = [
            (b"content-type", kind.encode()),
            (b"content-length", str(len(body)).encode()),
            *([(b"allow", b"GET, HEAD")] if status == 405 else []),
            *_GUARDING,
        ]
        await send({"type": "http.response.start", "status": status, "headers": headers})
        shown = b"" if scope["method"] == "HEAD" else body
        await send({"type": "http.response.body", "body": shown, "more_body": False})

    def _answer(self, scope: Scope, path: str) -> tuple[int, str, bytes]:
        headers = dict(scope.get("headers", ()))
        if scope["method"] not in ("GET", "HEAD"):
            return 405, _TEXT, b"the page is read, by GET or HEAD, and nothing else"
        host = headers.get(b"host", b"").decode("latin-1")
        if not self._is_ours(host):
            said = f"the page answers to the name of this machine, and not to {host!r}"
            return 421, _TEXT, said.encode()
        query = parse_qs(scope.get("query_string", b"").decode("latin-1"))
        return self._found(path, query)

    def _is_ours(self, host: str) -> bool:
        """Whether a request's host is loopback, or where the kiosk was told to listen."""
        try:
            name = (urlsplit(f"//{host}").hostname or "").lower()
        except ValueError:
            return False
        return name == self._host or is_loopback(name)

    def _found(self, path: str, query: dict[str, list[str]]) -> tuple[int, str, bytes]:
        kiosk = self._holder.kiosk
        rest = path.removeprefix(PATH).strip("/")
        if rest == "":
            try:
                return 200, "text/html; charset=utf-8", rendered(_page(kiosk)).encode()
            except UrnShelfError as refused:
                return 501, _TEXT, str(refused).encode()
        if rest == "traffic.har":
            return _json(traffic(kiosk._calls(), Masks()))
        if rest == "calls":
            return _json(_news(kiosk, _number(query.get("after", ["0"])[0])))
        found = [one for one in kiosk._calls() if f"calls/{one.number}" == rest]
        if found:
            return _json(in_full(found[0], kiosk._routes.all()))
        return 404, _TEXT, b"there is no such page"


def _number(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() else 0


def _json(data: Any) -> tuple[int, str, bytes]:
    return 200, "application/json", json.dumps(data, ensure_ascii=False).encode(errors="replace")


def _news(kiosk: KioskCore, after: int) -> dict[str, Any]:
    # a kiosk that was read anew begins to count anew
    is_anew = after > kiosk._desk.count
    routes = kiosk._routes.all()
    new = ended(kiosk._calls(after))[:1000]
    return {"entries": [in_short(one, routes) for one in new], "anew": is_anew}


def _page(kiosk: KioskCore) -> Page:
    routes = kiosk._routes.all()
    groups = [
        Group(one.path.text, one.method, one.method.lower(), one.tags, (one.member.name,))
        for one in routes
    ]
    entries = [in_short(one, routes) for one in ended(kiosk._calls())[-5000:]]
    return Page(
        f"the kiosk {kiosk.name}", "route", "request", groups, entries, tuple(kiosk.notes),
        live=f"{PATH}/calls", har=f"{PATH}/traffic.har",
    )  # fmt: skip
