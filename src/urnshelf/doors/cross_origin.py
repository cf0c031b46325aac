"""Pages of other origins may ask the routes of a kiosk that is served: browsers want that said.

Source: the Fetch standard, section 3.3 (CORS protocol).
"""

from __future__ import annotations

from collections.abc import MutableMapping
from typing import Any

from urnshelf.doors.asgi import Receive, Scope, Send
from urnshelf.doors.paged import Holder


class CrossOrigin:
    """An ASGI application that lets pages of every origin ask another one.

    Args:
        app: it.
        holder: has the kiosk, whose own routes for OPTIONS go before.
    """

    def __init__(self, app: Any, holder: Holder) -> None:
        self._app = app
        self._holder = holder

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer what a browser asks beforehand, and let it read the replies."""
        headers = dict(scope.get("headers", ()))
        origin = headers.get(b"origin")
        if scope["type"] != "http" or origin is None:
            await self._app(scope, receive, send)
            return
        wanted = headers.get(b"access-control-request-method")
        if scope["method"] == "OPTIONS" and wanted is not None and not self._has_options():
            asked = headers.get(b"access-control-request-headers", b"*")
            told = [
                (b"access-control-allow-methods", wanted),
                (b"access-control-allow-headers", asked),
                *_allowed(origin),
            ]
            await send({"type": "http.response.start", "status": 204, "headers": told})
            await send({"type": "http.response.body", "body": b"", "more_body": False})
            return

        async def opened(message: MutableMapping[str, Any]) -> None:
            if message["type"] == "http.response.start":
                names = [name.lower() for name, _ in message["headers"]]
                if b"access-control-allow-origin" not in names:
                    shown = (b"access-control-expose-headers", b", ".join(names))
                    more = [*_allowed(origin), shown]
                    message = {**message, "headers": [*message["headers"], *more]}
            await send(message)

        await self._app(scope, receive, opened)

    def _has_options(self) -> bool:
        return any(one.method == "OPTIONS" for one in self._holder.kiosk._routes.all())


def _allowed(origin: bytes) -> list[tuple[bytes, bytes]]:
    return [
        (b"access-control-allow-origin", origin),
        (b"access-control-allow-credentials", b"true"),
        (b"vary", b"Origin"),
    ]
