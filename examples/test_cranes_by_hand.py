"""The crane office, tested over a transport that is written by hand: the same tests as in
`test_cranes.py`, for comparison.
"""

import json
from collections.abc import Callable
from dataclasses import asdict, replace

import httpx
import pytest

from cranes import Crane, CraneOffice, CranesSilent, CraneTaken


class HandTransport(httpx.BaseTransport):
    """Does what the crane service does, as far as the tests need it."""

    def __init__(self) -> None:
        self.cranes: dict[int, Crane] = {}
        self.asked: list[tuple[str, str]] = []
        self.tokens: dict[str, float] = {}
        self.now = 0.0
        self.special: dict[str, list[Callable[[httpx.Request], httpx.Response | None]]] = {}

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        request.read()
        self.asked.append((request.method, request.url.path))
        if request.url.path == "/token":
            return self._token(request)
        token = request.headers.get("Authorization", "").removeprefix("Bearer ")
        if self.tokens.get(token, -1.0) <= self.now:
            return httpx.Response(401, json={"detail": "the token expired"})
        waiting = self.special.get(request.method, [])
        if waiting:
            special = (waiting.pop(0) if len(waiting) > 1 else waiting[0])(request)
            if special is not None:
                return special
        if request.url.path == "/cranes":
            return self._list(request)
        crane = self.cranes.get(int(request.url.path.rpartition("/")[2]))
        if crane is None:
            return httpx.Response(404)
        if request.method == "PATCH":
            if request.headers.get("If-Match") not in (None, self._tag(crane)):
                return httpx.Response(412)
            crane = replace(crane, **json.loads(request.content))
            self.cranes[crane.id] = crane
        return httpx.Response(200, json=asdict(crane), headers={"ETag": self._tag(crane)})

    def _token(self, request: httpx.Request) -> httpx.Response:
        if request.headers["Authorization"] != "Basic b2ZmaWNlOnMzY3JldA==":
            return httpx.Response(401, json={"error": "invalid_client"})
        if request.content != b"grant_type=client_credentials":
            return httpx.Response(400, json={"error": "unsupported_grant_type"})
        token = f"t{len(self.tokens)}"
        self.tokens[token] = self.now + 600
        told = {"access_token": token, "token_type": "Bearer", "expires_in": 600}
        return httpx.Response(200, json=told)

    def _list(self, request: httpx.Request) -> httpx.Response:
        asked = request.url.params
        fits = [
            crane
            for crane in sorted(self.cranes.values(), key=lambda crane: crane.id)
            if crane.is_free is (asked["is_free"] == "true")
            and crane.lifts_t >= float(asked["lifts_t__gte"])
        ]
        page, size = int(asked["page"]), int(asked["size"])
        here = fits[(page - 1) * size : page * size]
        headers = {}
        if page * size < len(fits):
            following = request.url.copy_set_param("page", page + 1)
            headers["Link"] = f'<{following.raw_path.decode()}>; rel="next"'
        return httpx.Response(200, json=[asdict(crane) for crane in here], headers=headers)

    @staticmethod
    def _tag(crane: Crane) -> str:
        return f'"{hash(str(crane))}"'


def silent(request: httpx.Request) -> httpx.Response:
    raise httpx.ReadTimeout("too late", request=request)


@pytest.fixture
def service() -> HandTransport:
    return HandTransport()


@pytest.fixture
def waits() -> list[float]:
    return []


@pytest.fixture
def make(
    service: HandTransport, waits: list[float], monkeypatch: pytest.MonkeyPatch
) -> Callable[[str], CraneOffice]:
    real = httpx.Client
    monkeypatch.setattr("cranes.httpx.Client", lambda **named: real(transport=service, **named))
    return lambda secret: CraneOffice("https://cranes.example", secret, waits.append)


@pytest.fixture
def office(make: Callable[[str], CraneOffice]) -> CraneOffice:
    return make("s3cret")


def test_free_cranes_are_read_page_by_page(service: HandTransport, office: CraneOffice) -> None:
    for number in range(1, 8):
        lifts = 40.0 if number < 6 else 20.0
        service.cranes[number] = Crane(number, "East", lifts, is_free=True)
    assert [crane.id for crane in office.free(lifts_t=30)] == [1, 2, 3, 4, 5]
    assert service.asked.count(("POST", "/token")) == 1


def test_a_token_that_expired_is_asked_for_again(
    service: HandTransport, office: CraneOffice
) -> None:
    service.cranes = {n: Crane(n, "East", 40.0, is_free=True) for n in (1, 2)}
    office.book(1)
    service.now += 600
    office.book(2)
    assert [crane.is_free for crane in service.cranes.values()] == [False, False]
    assert service.asked.count(("POST", "/token")) == 2


def test_a_crane_that_somebody_else_books_meanwhile(
    service: HandTransport, office: CraneOffice
) -> None:
    service.cranes[1] = Crane(1, "East", 40.0, is_free=True)
    service.special["PATCH"] = [lambda _: httpx.Response(412)]
    with pytest.raises(CraneTaken):
        office.book(1)


def test_a_service_that_is_busy_and_silent_for_a_while(
    service: HandTransport, office: CraneOffice, waits: list[float]
) -> None:
    service.cranes[1] = Crane(1, "East", 40.0, is_free=True)
    busy = httpx.Response(503, headers={"Retry-After": "7"})
    service.special["GET"] = [lambda _: busy, silent, lambda _: None]
    assert office.book(1) == service.cranes[1]
    assert waits == [7, 2]


def test_a_service_that_stays_silent(
    service: HandTransport, office: CraneOffice, waits: list[float]
) -> None:
    service.special["GET"] = [silent]
    with pytest.raises(CranesSilent, match="tried 3 times"):
        office.book(7)
    assert waits == [1, 2, 3]


def test_a_wrong_secret(service: HandTransport, make: Callable[[str], CraneOffice]) -> None:
    with pytest.raises(httpx.HTTPStatusError, match="401"):
        make("wrong").book(7)
    assert service.asked[-1] == ("POST", "/token")
