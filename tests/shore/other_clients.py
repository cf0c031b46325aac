"""More that speaks HTTP: awaited, by an older client, and a function."""

from __future__ import annotations

import httpx
import requests

from shore.beacons import NoSuchLight, OfficeClosed


class AsyncLights:
    """The same, awaited."""

    def __init__(self, http: httpx.AsyncClient) -> None:
        self.http = http

    async def range_of(self, code: str) -> float:
        try:
            reply = await self.http.get(f"/lights/{code}")
            reply.raise_for_status()
        except httpx.HTTPStatusError as why:
            if why.response.status_code == 404:
                raise NoSuchLight(code) from why
            raise OfficeClosed(str(why.response.status_code)) from why
        body = reply.json()
        nominal = float(body["range_nm"])
        if nominal > 25:
            return 25.0
        return nominal


class ByRequests:
    """The same, by an older client."""

    def __init__(self, session: requests.Session, base_url: str) -> None:
        self._session = session
        self._base = base_url.rstrip("/")

    def put_out(self, code: str, *, by: str) -> bool:
        reply = self._session.put(f"{self._base}/lights/{code}", json={"state": "out", "by": by})
        if reply.status_code == 409:
            return False
        if not reply.ok:
            raise OfficeClosed(reply.text)
        return True


def count_of_lights(client: httpx.Client, district: str) -> int:
    """How many lights a district has; 0 where nobody knows."""
    try:
        reply = client.get(f"/districts/{district}")
    except httpx.ConnectError:
        return 0
    lights = reply.json()
    return len([one for one in lights if one.get("kind") != "buoy"])
