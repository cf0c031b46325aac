"""The page of a kiosk that is served, at a path of its own."""

from __future__ import annotations

import json
from typing import Any, Protocol
from urllib.parse import parse_qs

from urnshelf.doors.asgi import App, Receive, Scope, Send
from urnshelf.errors import UrnShelfError
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.masking import Masks
from urnshelf.kiosk.told import ended, in_full, in_short
from urnshelf.kiosk.traffic_out import traffic
from urnshelf.pages.page import Group, Page, rendered

PATH = "/_urnshelf"
"""Where the page is: no request to it is one to the kiosk."""


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
    """

    def __init__(self, app: App, holder: Holder) -> None:
        self._app = app
        self._holder = holder

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer one request."""
        path = str(scope.get("path", ""))
        if scope["type"] != "http" or (path != PATH and not path.startswith(f"{PATH}/")):
            await self._app(scope, receive, send)
            return
        query = parse_qs(scope.get("query_string", b"").decode("latin-1"))
        status, kind, body = self._found(path, query)
        headers = [
            (b"content-type", kind.encode()),
            (b"content-length", str(len(body)).encode()),
            (b"cache-control", b"no-store"),
        ]
        await send({"type": "http.response.start", "status": status, "headers": headers})
        shown = b"" if scope["method"] == "HEAD" else body
        await send({"type": "http.response.body", "body": shown, "more_body": False})

    def _found(self, path: str, query: dict[str, list[str]]) -> tuple[int, str, bytes]:
        kiosk = self._holder.kiosk
        rest = path.removeprefix(PATH).strip("/")
        if rest == "":
            try:
                return 200, "text/html; charset=utf-8", rendered(_page(kiosk)).encode()
            except UrnShelfError as refused:
                return 501, "text/plain; charset=utf-8", str(refused).encode()
        if rest == "traffic.har":
            return _json(traffic(kiosk._calls(), Masks()))
        if rest == "calls":
            return _json(_news(kiosk, _number(query.get("after", ["0"])[0])))
        found = [one for one in kiosk._calls() if f"calls/{one.number}" == rest]
        if found:
            return _json(in_full(found[0], kiosk._routes.all()))
        return 404, "text/plain; charset=utf-8", b"there is no such page"


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
