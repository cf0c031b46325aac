"""What stands before and behind a kiosk's routes: who may ask and how often, fields of records, a
real server, a file of its replies; and how much the ledger keeps.
"""

from __future__ import annotations

import json
import re
import threading
from collections.abc import Iterator
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import httpx
import pytest

from urnshelf import (
    FileRefused,
    LookRefused,
    RefusalHidden,
    ReplyRefused,
    SettingRefused,
    Shelf,
    cue,
    ledger_of,
    raising,
    tally,
)
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.kiosk import Request, from_record, from_template, response
from urnshelf.kiosks import Kiosk


@pytest.fixture
def kiosk(shelf: Shelf) -> Kiosk:
    kiosk = shelf.kiosk("port")
    cue(kiosk.route("GET", "/{rest:path}")).gives(response(text="in"))
    return kiosk


def client_of(kiosk: Kiosk) -> httpx.Client:
    return httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")


# --- who may ask, and how often -------------------------------------------------------------------


def test_a_bearer_token(kiosk: Kiosk) -> None:
    kiosk.lets_in(bearer="s3cret", under="/berths")
    client = client_of(kiosk)
    without = client.get("/berths/7")
    wrong = client.get("/berths/7", headers={"Authorization": "Bearer other"})
    right = client.get("/berths/7", headers={"Authorization": "bearer s3cret"})

    assert (without.status_code, without.headers["www-authenticate"]) == (401, "Bearer")
    assert 'error="invalid_token"' in wrong.headers["www-authenticate"]
    assert (right.text, client.get("/tides").text) == ("in", "in")
    told = ledger_of(kiosk)
    assert [call.answered_by for call in told[:2]] == [
        "the kiosk: who may ask, by bearer token"
    ] * 2


def test_a_password_and_a_key(shelf: Shelf, kiosk: Kiosk) -> None:
    kiosk.lets_in(basic={"pilot": "Törn"})
    client = client_of(kiosk)
    assert client.get("/", auth=("pilot", "Törn")).text == "in"
    assert client.get("/", auth=("pilot", "x")).status_code == 401
    assert client.get("/", headers={"Authorization": "Basic %%%"}).status_code == 401
    assert "Basic realm" in client.get("/").headers["www-authenticate"]
    keyed = shelf.kiosk("keyed")
    keyed.lets_in(api_key=("X-Api-Key", "k7"))
    cue(keyed.route("GET", "/")).gives(response(text="in"))
    client = client_of(keyed)
    assert client.get("/", headers={"x-api-key": "k7"}).text == "in"
    assert client.get("/?X-Api-Key=k7").text == "in"
    assert client.get("/").status_code == 401


def test_tokens_are_given_and_expire_on_the_shelfs_clock(shelf: Shelf, kiosk: Kiosk) -> None:
    given = kiosk.tokens("/oauth/token", {"desk": "s3cret"}, lasts=600)
    client = client_of(kiosk)
    form = {"grant_type": "client_credentials"}
    named = {**form, "client_id": "desk", "client_secret": "s3cret"}
    first = client.post("/oauth/token", data=form, auth=("desk", "s3cret"))
    second = client.post("/oauth/token", data=named)
    refused = client.post("/oauth/token", data=form, auth=("desk", "no"))
    other = client.post("/oauth/token", data={"grant_type": "password"}, auth=("desk", "s3cret"))
    bearer = {"Authorization": f"Bearer {first.json()['access_token']}"}

    assert first.headers["cache-control"] == "no-store"
    assert first.json()["access_token"] != second.json()["access_token"]
    assert (refused.status_code, refused.json()) == (401, {"error": "invalid_client"})
    assert (other.status_code, other.json()) == (400, {"error": "unsupported_grant_type"})
    assert client.get("/berths", headers=bearer).text == "in"
    shelf.clock.advance(minutes=10)
    expired = client.get("/berths", headers=bearer)
    assert expired.status_code == 401
    assert "the token expired at 2030-06-01 12:10" in expired.json()["detail"]
    assert tally(given) == 4


def test_a_limit_tells_when_to_come_again(shelf: Shelf, kiosk: Kiosk) -> None:
    kiosk.limits(2, per=60)
    client = client_of(kiosk)
    client.get("/a")
    shelf.clock.advance(seconds=20)
    found = [client.get(path) for path in "bc"]

    assert [one.status_code for one in found] == [200, 429]
    assert found[1].headers["retry-after"] == "40"
    shelf.clock.advance(timedelta(seconds=40))
    assert client.get("/d").status_code == 200


@pytest.mark.parametrize(
    ("act", "says"),
    [
        (lambda k: k.lets_in(), "give one of"),
        (lambda k: k.lets_in(bearer="a", basic={}), "give one of"),
        (lambda k: k.limits(0, per=1), "no number over 0"),
        (lambda k: k.limits(1, per=True), "no number over 0"),
        (lambda k: k.tokens("/t", {}, lasts=-1), "no number over 0"),
        (lambda k: k.lets_in(bearer="a", under="api"), "begin with a slash"),
        (lambda k: k.passes_through("tides.example"), "give the address of a server"),
    ],
)
def test_bad_settings_are_told(kiosk: Kiosk, act: Any, says: str) -> None:
    with pytest.raises(SettingRefused, match=says):
        act(kiosk)


# --- fields of records ----------------------------------------------------------------------------


def test_a_reply_takes_fields_of_the_record_that_is_asked_for(shelf: Shelf) -> None:
    vessel, *_ = shelf.stock(Vessel, 3)
    mooring = shelf.stock(Mooring, vessel_id=vessel.id)
    kiosk = shelf.kiosk("port")
    cue(kiosk.route("GET", "/vessels/{id}/name")).gives(
        response(json={"name": from_record(Vessel, "name"), "of": [from_record(Vessel, "id")]})
    )
    cue(kiosk.route("GET", "/sign/{vessel_id:int}")).gives(
        response(503), response(json=from_record(Vessel, "name", "call_sign"))
    )
    cue(kiosk.route("GET", "/whole")).gives(response(json=from_record(Mooring)))
    cue(kiosk.route("GET", "/text/{id}")).gives(
        response(
            text=from_template("{{ it.name }}{% if query.loud %}!{% endif %} {{ id }}", it=Vessel),
            headers={"X-Kind": "told"},
        )
    )
    client = client_of(kiosk)

    assert client.get(f"/vessels/{vessel.id}/name").json() == {
        "name": vessel.name,
        "of": [vessel.id],
    }
    sign = [client.get(f"/sign/{vessel.id}") for _ in range(2)]
    assert sign[0].status_code == 503
    assert sign[1].json() == {"name": vessel.name, "call_sign": vessel.call_sign}
    assert client.get(f"/whole?id={mooring.id}").json()["vessel_id"] == vessel.id
    text = client.get(f"/text/{vessel.id}?loud=1")
    assert (text.text, text.headers["x-kind"]) == (f"{vessel.name}! {vessel.id}", "told")
    for path in ("/vessels/99/name", "/vessels/x/name"):
        assert client.get(path).status_code == 404


def test_a_reply_that_cannot_be_filled_fails_the_test() -> None:
    with pytest.raises(RefusalHidden) as told, Shelf() as shelf:
        kiosk = shelf.kiosk("port")
        shelf.stock(Berth)
        cue(kiosk.route("GET", "/nothing")).gives(response(json=from_record(Berth, "code")))
        cue(kiosk.route("GET", "/{id}")).gives(response(json=from_record(Berth, "kode")))
        cue(kiosk.route("GET", "/text/{id}")).gives(response(text=from_template("{{ unknown }}")))
        cue(kiosk.route("GET", "/safe/{id}")).gives(
            response(text=from_template("{{ ''.__class__.__mro__ }}"))
        )
        client = client_of(kiosk)
        statuses = [
            client.get(path).status_code for path in ("/nothing", "/1", "/text/1", "/safe/1")
        ]
    assert statuses == [501, 501, 500, 500]
    assert "nothing in it says which Berth it is about" in str(told.value)
    with pytest.raises(ReplyRefused, match="200 to 599"):
        response(1, json=from_record(Berth))


# --- a real server behind -------------------------------------------------------------------------


class Gauge(BaseHTTPRequestHandler):
    """A real tide server, by the standard library."""

    protocol_version = "HTTP/1.1"
    asked: list[str] = []

    def do_GET(self) -> None:
        Gauge.asked.append(self.path)
        told = {"depth_m": len(Gauge.asked) * 1.0, "token": "t0p", "at": self.headers["X-At"]}
        body = json.dumps(told).encode()
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Set-Cookie", "session=s3cret")
        self.send_header("Link", '</depth?page=2&access_token=l1nk>; rel="next"')
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.send_response(201)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_args: object) -> None:
        pass


@pytest.fixture
def real() -> Iterator[str]:
    Gauge.asked.clear()
    with ThreadingHTTPServer(("127.0.0.1", 0), Gauge) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()


def test_what_no_cue_takes_goes_to_a_real_server(shelf: Shelf, real: str) -> None:
    kiosk = shelf.kiosk("tides")
    depth = kiosk.route("GET", "/depth/{code}")
    cue(depth, code="TER").gives(response(503)).for_calls(1)
    cue(depth, code="CUR").raises(ConnectionResetError())
    kiosk.passes_through(f"{real}/api")
    client = client_of(kiosk)

    assert client.get("/depth/TER").status_code == 503
    got = client.get("/depth/TER?unit=m", headers={"X-At": "noon"})
    with pytest.raises(httpx.ReadError):
        client.get("/depth/CUR")
    assert (got.json()["at"], Gauge.asked) == ("noon", ["/api/depth/TER?unit=m"])
    assert client.post("/pages", content=b"\x00\x01").content == b"\x00\x01"
    assert re.match(
        r"the server behind: http://127\.0\.0\.1:\d+/api", ledger_of(depth)[1].answered_by
    )


def test_a_stand_in_may_ask_the_very_host(shelf: Shelf, real: str) -> None:
    kiosk = shelf.kiosk("tides")
    kiosk.passes_through(real)
    with kiosk.stands_in_for(real):
        assert httpx.get(f"{real}/depth").json()["depth_m"] == 1.0
    assert tally(kiosk.route("GET", "/depth")) == 0  # no route was there then
    assert len(ledger_of(kiosk)) == 1


def test_replies_are_kept_and_given_ever_after(tmp_path: Path, real: str) -> None:
    file = tmp_path / "tides.jsonl"
    with Shelf() as shelf:
        kiosk = shelf.kiosk("tides")
        kiosk.passes_through(real, keep_in=file)
        client = client_of(kiosk)
        kept = [client.get("/depth?at=noon&api_key=a").json()["depth_m"] for _ in range(2)]
        client.post("/pages", json={"vessel_id": 7, "password": "x"})
        client.post("/login", data={"name": "Jo", "password": "f0rm"})
    text = file.read_text()
    assert not any(secret in text for secret in ("t0p", "s3cret", "l1nk", "f0rm", 'password": "x'))

    with pytest.raises(RefusalHidden, match=r'nearest   GET /depth \{"query"'), Shelf() as shelf:
        kiosk = shelf.kiosk("tides", answer_from=file)
        client = client_of(kiosk)
        given = [client.get("/depth?at=noon&api_key=other").json()["depth_m"] for _ in range(3)]
        posted = client.post("/pages", json={"vessel_id": 7, "password": "y"})
        assert client.post("/login", data={"name": "Jo", "password": "z"}).status_code == 201
        absent = client.get("/depth?at=late&api_key=a")
    assert given == [*kept, kept[-1]]
    assert (posted.status_code, absent.status_code) == (201, 501)
    assert "</depth?page=2&access_token=" in text
    assert len(Gauge.asked) == 2


@pytest.mark.parametrize("text", ["", "{}", '{"format": "urnshelf replies", "version": 9}'])
def test_a_file_that_is_none_is_told(shelf: Shelf, tmp_path: Path, text: str) -> None:
    file = tmp_path / "tides.jsonl"
    file.write_text(text)
    with pytest.raises(FileRefused, match=r"tides\.jsonl"):
        shelf.kiosk("tides", answer_from=file)


# --- how much is kept -----------------------------------------------------------------------------


def test_of_many_requests_the_oldest_are_dropped_and_looks_at_them_refused() -> None:
    shelf = Shelf(ledger_size=100)
    kiosk = shelf.kiosk("tides")
    route = kiosk.route("GET", "/{number:int}")
    answers = cue(route).gives(response())
    asks = lambda number: kiosk.answer(Request("GET", f"http://tides.example/{number}"))  # noqa: E731
    for number in range(100):
        asks(number)
    assert tally(route) == 100
    for number in range(100, 1000):
        asks(number)

    assert len(shelf._desk.ledger) <= 126
    assert answers._line.served == 1000
    for look in (lambda: tally(route), lambda: ledger_of(kiosk), lambda: ledger_of(shelf)):
        with pytest.raises(LookRefused, match=r"has dropped the oldest \d+.*ledger_size=1_000"):
            look()
    shelf.forget_calls()
    asks(7)
    assert [call.number for call in ledger_of(route)] == [1001]


def test_of_large_bodies_fewer_are_kept(shelf: Shelf, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("urnshelf.kiosk.core.MOST_BYTES", 10_000)
    kiosk = shelf.kiosk("tides")
    get, post = kiosk.route("GET", "/"), kiosk.route("POST", "/")
    kiosk.for_httpx()
    cue(get).gives(response(body=b"x" * 500))
    cue(post).computes(lambda request: response(body=request.body))
    for _ in range(100):
        kiosk.answer(Request("GET", "http://tides.example/"))
    assert tally(get) == 100  # one reply, given again and again
    for _ in range(100):
        kiosk.answer(Request("POST", "http://tides.example/", (), b"y" * 500))
    assert len(shelf._desk.ledger) < 25
    with pytest.raises(LookRefused, match="has dropped the oldest"):
        ledger_of(kiosk)


def test_a_computed_reply_may_break_the_connection(kiosk: Kiosk) -> None:
    def refuses(request: Request) -> Any:
        raise ConnectionRefusedError

    route = kiosk.route("GET", "/gone")
    cue(route).computes(refuses)
    with pytest.raises(httpx.ConnectError, match="Connection refused"):
        client_of(kiosk).get("/gone")
    cue(route).gives(raising(TimeoutError("too late")))
    with pytest.raises(httpx.ReadTimeout, match="too late"):
        client_of(kiosk).get("/gone")
