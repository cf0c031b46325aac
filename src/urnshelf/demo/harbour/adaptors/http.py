"""The tide gauge over HTTP, and the pilots' pager over HTTP."""

from __future__ import annotations

from datetime import datetime

import httpx

from urnshelf.demo.harbour.errors import GaugeSilent


class HttpTides:
    """Asks a tide server; fits the TideService port."""

    def __init__(self, client: httpx.Client) -> None:
        self._client = client

    def depth_at(self, harbour: str, at: datetime) -> float:
        reply = self._client.get(f"/tides/{harbour}", params={"at": at.isoformat()})
        if reply.status_code == httpx.codes.SERVICE_UNAVAILABLE:
            raise GaugeSilent(f"the gauge at {harbour} does not answer")
        reply.raise_for_status()
        return float(reply.json()["depth_m"])


class HttpPager:
    """Posts a page to the pilots; fits the PilotPager port."""

    def __init__(self, client: httpx.Client) -> None:
        self._client = client

    def page(self, vessel_id: int, message: str, *, urgent: bool = False) -> None:
        page = {"vessel_id": vessel_id, "message": message, "urgent": urgent}
        self._client.post("/pages", json=page).raise_for_status()
