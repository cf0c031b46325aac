"""An office that books cranes at a remote service: it asks for a token, tries again, reads pages,
and gives up in time.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import httpx

TRIES = 3


@dataclass
class Crane:
    """A crane, as the service tells of it."""

    id: int
    quay: str
    lifts_t: float
    is_free: bool = True


class CraneTaken(Exception):
    """Somebody else has booked it."""


class CranesSilent(Exception):
    """The service does not answer, or wants to be left alone."""


class CraneOffice:
    """Books cranes.

    Args:
        url: of the service.
        secret: of this client, whose name is `office`.
        sleep: waits before another try.
    """

    def __init__(self, url: str, secret: str, sleep: Callable[[float], None] = time.sleep) -> None:
        self._client = httpx.Client(base_url=url, timeout=2.0)
        self._secret = secret
        self._sleep = sleep
        self._token = ""

    def free(self, lifts_t: float) -> Iterator[Crane]:
        """Free cranes that lift so much, page by page."""
        page: str | None = f"/cranes?is_free=true&lifts_t__gte={lifts_t:g}&page=1&size=2"
        while page:
            got = self._ask("GET", page)
            yield from (Crane(**one) for one in got.json())
            page = got.links.get("next", {}).get("url")

    def book(self, crane_id: int) -> Crane:
        """Book a crane, unless somebody was quicker; raises CraneTaken then."""
        seen = self._ask("GET", f"/cranes/{crane_id}")
        unchanged = {"If-Match": seen.headers["ETag"]}
        got = self._ask("PATCH", f"/cranes/{crane_id}", {"is_free": False}, unchanged)
        if not seen.json()["is_free"] or got.status_code == 412:
            raise CraneTaken(f"crane {crane_id} is taken")
        return Crane(**got.json())

    def _ask(self, method: str, path: str, json: Any = None, headers: Any = None) -> httpx.Response:
        if not self._token:
            self._log_in()
        for tried in range(1, TRIES + 1):
            try:
                named = {"Authorization": f"Bearer {self._token}", **(headers or {})}
                got = self._client.request(method, path, json=json, headers=named)
            except httpx.TimeoutException:
                self._sleep(tried)
                continue
            if got.status_code == httpx.codes.UNAUTHORIZED:
                self._log_in()
            elif got.status_code in (429, 503):
                self._sleep(float(got.headers.get("Retry-After", tried)))
            else:
                return got
        raise CranesSilent(f"{method} {path}: tried {TRIES} times")

    def _log_in(self) -> None:
        form = {"grant_type": "client_credentials"}
        got = self._client.post("/token", data=form, auth=("office", self._secret))
        got.raise_for_status()
        self._token = got.json()["access_token"]
