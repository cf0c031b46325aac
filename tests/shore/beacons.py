"""A service that speaks HTTP: the lights of a coast, kept by another office."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Protocol

import httpx


class OfficeClosed(Exception):
    """The office of lights does not answer."""


class NoSuchLight(LookupError):
    """No light has that code."""


@dataclass(frozen=True)
class Light:
    code: str
    range_nm: float
    is_lit: bool


class Watch(Protocol):
    """Who is told of lights that are out."""

    def warn(self, code: str, text: str) -> None: ...


class LightOffice:
    """Asks for lights, and reports those that are out."""

    tries = 3

    def __init__(self, client: httpx.Client, watch: Watch, api_key: str | None = None) -> None:
        self._client = client
        self._watch = watch
        self._key = api_key

    def _headers(self) -> dict[str, str]:
        return {"X-Key": self._key} if self._key else {}

    def light(self, code: str) -> Light | None:
        """One light; none where the office knows none."""
        reply = self._client.get(f"/lights/{code}", headers=self._headers())
        if reply.status_code == 404:
            return None
        reply.raise_for_status()
        found = reply.json()
        return Light(found["code"], float(found["range_nm"]), found.get("state") == "lit")

    def dark(self, district: str) -> list[str]:
        """The codes of the lights that are out, page by page."""
        found: list[str] = []
        page: int | None = 1
        while page is not None and page < 4:
            reply = self._client.get("/lights", params={"district": district, "page": page})
            if reply.is_server_error:
                raise OfficeClosed(f"{reply.status_code} for page {page}")
            body = reply.json()
            for light in body["lights"]:
                if light["state"] != "lit":
                    found.append(light["code"])
            page = body.get("next")
        return found

    def report(self, code: str, seen_at: datetime, text: str = "") -> int:
        """Report a light that is out; gives the number of the report."""
        if not code:
            raise NoSuchLight("a light has a code")
        page: dict[str, Any] = {"seen_at": seen_at.isoformat(), "text": text or "out"}
        for attempt in range(1, self.tries + 1):
            try:
                reply = self._client.post(f"/lights/{code}/reports", json=page)
            except httpx.TransportError as why:
                if attempt == self.tries:
                    self._watch.warn(code, "the office does not answer")
                    raise OfficeClosed("no answer") from why
                continue
            if reply.status_code == 404:
                raise NoSuchLight(code)
            if reply.status_code in (200, 201):
                return int(reply.json()["number"])
            self._watch.warn(code, f"refused with {reply.status_code}")
            return 0
        return -1
