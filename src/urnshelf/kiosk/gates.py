"""Who may ask, and how often: what stands before a kiosk's routes."""

from __future__ import annotations

import base64
import binascii
from collections import deque
from collections.abc import Mapping
from datetime import datetime, timedelta
from hashlib import blake2b
from math import ceil
from typing import Any, Protocol

from urnshelf.clock import Clock
from urnshelf.errors import SettingRefused
from urnshelf.kiosk.problems import problem
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response, response
from urnshelf.records.display import show


class Gate(Protocol):
    """What looks at a request before its route does."""

    def stops(self, request: Request) -> Response | None:
        """The reply to a request that may not pass; None for one that may."""
        ...


class Tokens:
    """The tokens that a kiosk gave, and until when they hold.

    Args:
        clock: the shelf's.
        secret: what makes this kiosk's tokens unlike those of others.
    """

    def __init__(self, clock: Clock, secret: str) -> None:
        self._clock = clock
        self._secret = secret
        self._until: dict[str, datetime | None] = {}

    def add(self, token: str) -> None:
        """A token that holds for ever."""
        self._until[token] = None

    def give(self, seconds: float) -> str:
        """A new token that holds so long."""
        told = f"{self._secret} {len(self._until)}".encode()
        token = blake2b(told, digest_size=16).hexdigest()
        self._until[token] = self._clock.now + timedelta(seconds=seconds)
        return token

    def why_not(self, token: str) -> str:
        """Why a token does not hold; empty for one that does."""
        if token not in self._until:
            return "the token is none that was given"
        until = self._until[token]
        if until is None or self._clock.as_shown(until) > self._clock.now:
            return ""
        return f"the token expired at {until}"


class ByToken:
    """Only requests with a bearer token pass: RFC 6750."""

    def __init__(self, tokens: Tokens) -> None:
        self._tokens = tokens

    def stops(self, request: Request) -> Response | None:
        """401 without a token that holds."""
        scheme, _, token = request.headers.get("authorization", "").partition(" ")
        if scheme.lower() != "bearer":
            return _unknown("a bearer token is needed", "Bearer")
        why = self._tokens.why_not(token.strip())
        if not why:
            return None
        return _unknown(why, f'Bearer error="invalid_token", error_description="{why}"')

    def __repr__(self) -> str:
        return "the kiosk: who may ask, by bearer token"


class ByPassword:
    """Only requests with a name and its password pass: RFC 7617."""

    def __init__(self, known: Mapping[str, str]) -> None:
        self._known = dict(known)

    def stops(self, request: Request) -> Response | None:
        """401 without a name that is known, and its password."""
        named = credentials(request)
        if named is not None and named[0] in self._known and self._known[named[0]] == named[1]:
            return None
        why = "a name and its password are needed" if named is None else "no such name or password"
        return _unknown(why, 'Basic realm="kiosk"')

    def __repr__(self) -> str:
        return "the kiosk: who may ask, by password"


class ByKey:
    """Only requests with a key in a header, or in the query, pass."""

    def __init__(self, name: str, key: str) -> None:
        self._name, self._key = name, key

    def stops(self, request: Request) -> Response | None:
        """401 without the key."""
        found = request.headers.get(self._name) or request.query.get(self._name)
        if found == self._key:
            return None
        why = f"{self._name} is needed" if not found else f"{self._name} is not the key"
        return _unknown(why, f'ApiKey name="{self._name}"')

    def __repr__(self) -> str:
        return "the kiosk: who may ask, by key"


class Limit:
    """So many requests in so long; what comes more is told when to come again.

    Args:
        most: requests.
        seconds: in which they may come.
        clock: the shelf's.
    """

    def __init__(self, most: int, seconds: float, clock: Clock) -> None:
        self._most = most
        self._span = timedelta(seconds=seconds)
        self._clock = clock
        self._came: deque[datetime] = deque()

    def stops(self, request: Request) -> Response | None:  # noqa: ARG002
        """429 for one too many."""
        now = self._clock.now
        while self._came and self._clock.as_shown(self._came[0]) <= now - self._span:
            self._came.popleft()
        if len(self._came) < self._most:
            self._came.append(now)
            return None
        first = self._clock.as_shown(self._came[0])
        wait = ceil((first + self._span - now).total_seconds())
        told = problem(429, f"{self._most} requests may come in {self._span.total_seconds():g} s")
        return told.with_headers({"Retry-After": str(wait)})

    def __repr__(self) -> str:
        return "the kiosk: how often one may ask"


class TokenGiver:
    """A token end point: RFC 6749, section 4.4, for clients that ask for themselves.

    Args:
        tokens: which it gives.
        clients: names and secrets.
        lasts: how long a token holds, in seconds.
    """

    def __init__(self, tokens: Tokens, clients: Mapping[str, str], lasts: float) -> None:
        self._tokens = tokens
        self._clients = dict(clients)
        self._lasts = lasts

    def answer(self, request: Request) -> Response:
        """A token, or what the request has wrong."""
        form = request.form
        named = credentials(request) or (form.get("client_id"), form.get("client_secret"))
        if self._clients.get(str(named[0])) != named[1] or named[1] is None:
            told = {"WWW-Authenticate": 'Basic realm="kiosk"'}
            return response(401, json={"error": "invalid_client"}, headers=told)
        if form.get("grant_type") != "client_credentials":
            given = "grant_type" in form
            error = "unsupported_grant_type" if given else "invalid_request"
            return response(400, json={"error": error})
        token = {"access_token": self._tokens.give(self._lasts), "token_type": "Bearer"}
        told = {"Cache-Control": "no-store"}
        return response(json={**token, "expires_in": round(self._lasts)}, headers=told)


def credentials(request: Request) -> tuple[str, str] | None:
    """The name and the password that a request has by basic authentication."""
    scheme, _, text = request.headers.get("authorization", "").partition(" ")
    if scheme.lower() != "basic":
        return None
    try:
        told = base64.b64decode(text.strip(), validate=True).decode()
    except (binascii.Error, UnicodeDecodeError):
        return None
    name, colon, password = told.partition(":")
    return (name, password) if colon else None


def _unknown(why: str, challenge: str) -> Response:
    return problem(401, why).with_headers({"WWW-Authenticate": challenge})


def number_of(value: Any, what: str, *, whole: bool = False) -> Any:
    """A number over 0; raises SettingRefused for anything else."""
    kinds = (int,) if whole else (int, float)
    if isinstance(value, bool) or not isinstance(value, kinds) or not value > 0:
        raise SettingRefused(f"{what}: {show(value, 40)} is no number over 0")
    return value
