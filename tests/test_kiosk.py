"""Remote services: routes, conditions, replies and broken connections, the same through every
door.
"""

from __future__ import annotations

import asyncio
import gc
import gzip
import json
import re
import socket
import ssl
import subprocess
import threading
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from datetime import UTC, datetime
from decimal import Decimal
from http.client import HTTPConnection
from pathlib import Path
from typing import Any

import aiohttp
import httpx
import pytest
import requests
import urllib3
from hypothesis import HealthCheck, given
from hypothesis import strategies as st

import urnshelf
from thorough import examples
from urnshelf import (
    CueRefused,
    EndlessCalls,
    HostRefused,
    LookRefused,
    RefusalHidden,
    ReplyRefused,
    SettingRefused,
    Shelf,
    cue,
    fitting,
    holding,
    ledger_of,
    passing_through,
    raising,
    tally,
    unseen,
    whatever,
)
from urnshelf.demo.harbour import Berth, GaugeSilent, MooringDesk, Vessel
from urnshelf.demo.harbour.adaptors.http import HttpPager, HttpTides
from urnshelf.kiosk import Request, pause, response
from urnshelf.kiosks import Kiosk

HOST = "http://tides.example"
NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
Ask = Callable[..., tuple[int, dict[str, str], bytes]]
"""Takes a method, a path, and `headers` and `body`; gives status, headers and body."""


def _by_httpx(kiosk: Kiosk, stack: ExitStack) -> Ask:
    client = stack.enter_context(httpx.Client(transport=kiosk.for_httpx(), base_url=HOST))

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        got = client.request(method, path, headers=headers, content=body)
        return got.status_code, dict(got.headers), got.content

    return ask


def _by_httpx_async(kiosk: Kiosk, _stack: ExitStack) -> Ask:
    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        async def go() -> Any:
            async with httpx.AsyncClient(transport=kiosk.for_httpx(), base_url=HOST) as client:
                got = await client.request(method, path, headers=headers, content=body)
                return got.status_code, dict(got.headers), got.content

        return asyncio.run(go())

    return ask


def _by_asgi(kiosk: Kiosk, _stack: ExitStack) -> Ask:
    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        async def go() -> Any:
            door = httpx.ASGITransport(kiosk.app)
            async with httpx.AsyncClient(transport=door, base_url=HOST) as client:
                got = await client.request(method, path, headers=headers, content=body)
                return got.status_code, dict(got.headers), got.content

        return asyncio.run(go())

    return ask


def _by_requests(kiosk: Kiosk, stack: ExitStack) -> Ask:
    session = stack.enter_context(requests.Session())
    session.mount("http://", kiosk.for_requests())

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        got = session.request(method, HOST + path, headers=headers, data=body)
        return got.status_code, {k.lower(): v for k, v in got.headers.items()}, got.content

    return ask


def _served(kiosk: Kiosk, stack: ExitStack) -> Ask:
    url = stack.enter_context(kiosk.serve())
    client = stack.enter_context(httpx.Client(base_url=url))

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        got = client.request(method, path, headers=headers, content=body)
        return got.status_code, dict(got.headers), got.content

    return ask


def _urllib(kiosk: Kiosk, stack: ExitStack) -> Ask:
    stack.enter_context(kiosk.stands_in_for(HOST))

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        asked = urllib.request.Request(HOST + path, body or None, headers or {}, method=method)
        try:
            got = urllib.request.urlopen(asked)
        except urllib.error.HTTPError as error:
            got = error
        with got:
            found = {k.lower(): v for k, v in got.headers.items()}
            return got.status, found, _opened(found, got.read())

    return ask


def _urllib3(kiosk: Kiosk, stack: ExitStack) -> Ask:
    stack.enter_context(kiosk.stands_in_for(HOST))
    pool = urllib3.PoolManager()

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        got = pool.request(method, HOST + path, body=body or None, headers=headers, redirect=False)
        return got.status, {k.lower(): v for k, v in got.headers.items()}, got.data

    return ask


def _aiohttp(kiosk: Kiosk, stack: ExitStack) -> Ask:
    stack.enter_context(kiosk.stands_in_for(HOST))

    def ask(method: str, path: str, headers: Any = None, body: bytes = b"") -> Any:
        async def go() -> Any:
            async with (
                aiohttp.ClientSession() as session,
                session.request(
                    method, HOST + path, headers=headers, data=body or None, allow_redirects=False
                ) as got,
            ):
                found = {k.lower(): v for k, v in got.headers.items()}
                return got.status, found, await got.read()

        return asyncio.run(go())

    return ask


def _opened(headers: dict[str, str], body: bytes) -> bytes:
    return gzip.decompress(body) if headers.get("content-encoding") == "gzip" else body


WAYS = [_by_httpx, _by_httpx_async, _by_asgi, _by_requests, _served, _urllib, _urllib3, _aiohttp]


@pytest.fixture
def kiosk(shelf: Shelf) -> Kiosk:
    return shelf.kiosk("tides")


@pytest.fixture(params=WAYS, ids=lambda way: way.__name__[1:])
def ask(request: pytest.FixtureRequest, kiosk: Kiosk) -> Iterator[Ask]:
    with ExitStack() as stack:
        yield request.param(kiosk, stack)


# --- every door -----------------------------------------------------------------------------------


def test_a_cued_reply_comes_whole_and_the_request_is_in_the_ledger(kiosk: Kiosk, ask: Ask) -> None:
    depth = kiosk.route("GET", "/stations/{code}/depth")
    cue(depth, code="TER").asked_with(query={"at": whatever}).gives(
        response(200, json={"depth_m": 6.3}, headers={"X-Gauge": "7"})
    )

    status, headers, body = ask("GET", "/stations/TER/depth?at=noon", headers={"Accept": "a/b"})

    assert (status, json.loads(body)) == (200, {"depth_m": 6.3})
    assert (headers["content-type"], headers["x-gauge"]) == ("application/json", "7")
    assert tally(depth, code="TER") == 1
    assert tally(depth.asked_with(query={"at": "noon"}, headers={"ACCEPT": "a/b"}), code="TER") == 1
    assert tally(depth.asked_with(query={"at": "late"}), code="TER") == 0
    request = ledger_of(depth)[0].arguments.request
    assert request.query == {"at": "noon"}
    assert request.path == "/stations/TER/depth"


def test_bodies_of_every_kind_are_read_and_matched(kiosk: Kiosk, ask: Ask) -> None:
    pages = kiosk.route("POST", "/pages")
    as_json, as_form = {"Content-Type": "application/json"}, {}
    as_form["Content-Type"] = "application/x-www-form-urlencoded"
    parts = {"Content-Type": "multipart/form-data; boundary=cut"}
    upload = (
        b'--cut\r\nContent-Disposition: form-data; name="note"\r\n\r\nat noon\r\n'
        b'--cut\r\nContent-Disposition: form-data; name="plan"; filename="a.txt"\r\n'
        b"Content-Type: text/plain\r\n\r\nB-1\r\n--cut--\r\n"
    )
    cue(pages).asked_with(json=holding(vessel_id=7)).gives(response(201, json={"id": 1}))
    cue(pages).asked_with(form={"vessel_id": 8}).gives(response(202))
    cue(pages).asked_with(
        form={"note": "at noon"}, files={"plan": holding(name="a.txt", body=b"B-1")}
    ).gives(response(203, text="kept"))
    cue(pages).asked_with(cookies={"pilot": "Jo"}, body=b"\x00\xff").gives(response(204))

    assert ask("POST", "/pages", as_json, b'{"vessel_id": 7, "urgent": true}')[0] == 201
    assert ask("POST", "/pages", as_form, b"vessel_id=8&urgent=")[0] == 202
    assert ask("POST", "/pages", parts, upload)[::2] == (203, b"kept")
    assert ask("POST", "/pages", {"Cookie": "pilot=Jo"}, b"\x00\xff")[::2] == (204, b"")
    packed = {**as_json, "Content-Encoding": "gzip"}
    assert ask("POST", "/pages", packed, gzip.compress(b'{"vessel_id": 7}'))[0] == 201
    assert tally(pages) == 5


def test_replies_of_every_kind(kiosk: Kiosk, ask: Ask) -> None:
    route = kiosk.route("GET", "/{kind}")
    cue(route, kind="gzip").gives(response(json=[1, 2, 3], compress="gzip"))
    cue(route, kind="chunks").gives(response(chunks=["6.", pause(0.01), b"3"]))
    cue(route, kind="events").gives(
        response(events=["one", {"data": {"a": 1}, "event": "tide", "id": 3}])
    )
    cue(route, kind="moved").gives(response(307, headers={"Location": "/gzip"}))
    cue(route, kind="records").gives(response(json={"at": NOON, "dues": Decimal("1.50")}))
    cue(route, kind="turns").gives(response(503), response(text="again"), when_spent="cycle")

    status, headers, _ = ask("GET", "/moved")
    assert (status, headers.get("location", "")) in ((307, "/gzip"), (200, ""))  # or followed
    assert json.loads(ask("GET", "/gzip")[2]) == [1, 2, 3]
    assert ask("GET", "/chunks")[2] == b"6.3"
    assert ask("GET", "/events")[2] == b'data: one\n\nevent: tide\nid: 3\ndata: {"a": 1}\n\n'
    assert json.loads(ask("GET", "/records")[2])["dues"] == "1.50"
    assert [ask("GET", "/turns")[0] for _ in range(3)] == [503, 200, 503]


@pytest.mark.parametrize("way", WAYS, ids=lambda way: way.__name__[1:])
def test_a_request_that_nothing_answers(way: Any) -> None:
    with pytest.raises(RefusalHidden) as told, Shelf() as shelf, ExitStack() as stack:
        kiosk = shelf.kiosk("tides")
        ask = way(kiosk, stack)
        depth = kiosk.route("GET", "/stations/{code}/depth")
        cue(depth, code="TER").asked_with(query={"at": "noon"}).gives(response())
        status, _, body = ask("GET", "/stations/TER/depth?at=late")
        nowhere = ask("GET", "/stations/TER/depht")

    assert (status, nowhere[0]) == (501, 501)
    assert "request.query['at']  <-- differs" in body.decode()
    assert "the cue wants: 'noon'" in body.decode()
    assert "nearest route GET /stations/{code}/depth" in nowhere[2].decode()
    assert "the call has:  'late'" in str(told.value)
    assert 'shelf.kiosk("tides").route("GET", "/stations/TER/depht")' in str(told.value)


# --- broken connections ---------------------------------------------------------------------------


def _errors(kiosk: Kiosk, stack: ExitStack, way: str) -> Callable[[str], object]:
    """Asks for a path with the way's own client, which has a patience of 0.3 s."""
    if way == "served":
        url = stack.enter_context(kiosk.serve())
        return lambda path: httpx.get(url + path, timeout=0.3)
    if way == "httpx":
        client = httpx.Client(transport=kiosk.for_httpx(), base_url=HOST, timeout=0.3)
        return client.get
    if way == "requests":
        session = requests.Session()
        session.mount("http://", kiosk.for_requests())
        return lambda path: session.get(HOST + path, timeout=0.3)
    stack.enter_context(kiosk.stands_in_for(HOST))
    if way == "urllib":
        return lambda path: urllib.request.urlopen(HOST + path, timeout=0.3).read()
    if way == "urllib3":
        pool = urllib3.PoolManager(timeout=0.3, retries=False)
        return lambda path: pool.request("GET", HOST + path)

    async def go(path: str) -> None:
        patience = aiohttp.ClientTimeout(total=0.3)
        async with aiohttp.ClientSession(timeout=patience) as session:
            await (await session.get(HOST + path)).read()

    return lambda path: asyncio.run(go(path))


RAISED: dict[str, tuple[Any, Any, Any, Any]] = {
    # refused, reset, timed out, broken off in the body
    "httpx": (httpx.ConnectError, httpx.ReadError, httpx.ReadTimeout, httpx.ReadError),
    "served": (httpx.ReadError, httpx.ReadError, httpx.ReadTimeout, httpx.ReadError),
    "requests": (
        requests.ConnectionError,
        requests.ConnectionError,
        requests.ReadTimeout,
        requests.exceptions.ChunkedEncodingError,
    ),
    "urllib": (urllib.error.URLError, ConnectionResetError, TimeoutError, ConnectionResetError),
    "urllib3": (
        urllib3.exceptions.ProtocolError,
        urllib3.exceptions.ProtocolError,
        urllib3.exceptions.ReadTimeoutError,
        urllib3.exceptions.ProtocolError,
    ),
    "aiohttp": (
        aiohttp.ClientConnectorError,
        aiohttp.ClientOSError,
        TimeoutError,
        aiohttp.ClientPayloadError,
    ),
}


@pytest.mark.parametrize("way", RAISED)
def test_a_broken_connection_is_what_the_client_in_use_makes_of_it(kiosk: Kiosk, way: str) -> None:
    route = kiosk.route("GET", "/{kind}")
    cue(route, kind="refused").raises(ConnectionRefusedError())
    cue(route, kind="reset").raises(ConnectionResetError)
    cue(route, kind="slow").gives(response(text="late")).waits(30)
    cue(route, kind="silent").raises(TimeoutError())
    cue(route, kind="half").gives(response(chunks=["6.", raising(ConnectionResetError())]))
    cue(route, kind="drip").gives(response(chunks=["6.", pause(30), "3"]))
    refused, reset, slow, half = RAISED[way]
    with ExitStack() as stack:
        ask = _errors(kiosk, stack, way)
        begun = time.monotonic()
        for kind, raised in [
            ("refused", refused), ("reset", reset), ("slow", slow), ("silent", slow), ("half", half)
        ]:  # fmt: skip
            with pytest.raises(raised):
                ask(f"/{kind}")
        with pytest.raises((slow, requests.ConnectionError)):
            ask("/drip")
    assert time.monotonic() - begun < 10  # nobody waited for what the client would give up
    kinds = ["refused", "reset", "slow", "silent", "half", "drip"]
    assert list(dict.fromkeys(ledger_of(route).each("kind"))) == kinds


def test_names_that_are_not_found_and_certificates_that_do_not_fit(kiosk: Kiosk) -> None:
    depth = kiosk.route("GET", "/depth")
    cue(depth).gives(
        raising(socket.gaierror(-2, "Name or service not known")),
        raising(ssl.SSLError(1, "expired")),
    )
    with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
        for told in ("Name or service not known", "expired"):
            with pytest.raises(httpx.ConnectError, match=told):
                client.get("/depth")


# --- cues and looks mean what they mean elsewhere -------------------------------------------------


def test_cues_of_a_route(kiosk: Kiosk) -> None:
    depth = kiosk.route("GET", "/stations/{code}/depth")
    one = kiosk.route("GET", "/berths/{id:int}")
    cue(depth).gives(response(text="any"))
    cue(depth, code=fitting(lambda code: code.startswith("T"))).gives(response(text="T"))
    cue(depth, code="TER").gives(response(503)).for_calls(1)
    cue(one, id=7).gives(passing_through, response(text="second"))
    cue(one, id=7).computes(
        lambda id, request: response(text=f"{id} {request.query['unit']}")
    ).for_calls(1)
    with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
        codes = [client.get(f"/stations/{code}/depth").text for code in ("TER", "TER", "CUR")]
        computed = client.get("/berths/7?unit=m").text

    assert (codes, computed) == (["", "T", "any"], "7 m")
    assert ledger_of(depth).each("code") == ["TER", "TER", "CUR"]
    assert unseen(kiosk)[0].arguments.id == 7
    assert str(unseen(kiosk)[0]) == "tides: GET /berths/7?unit=m"


def test_what_is_not_there_is_not_even_like_whatever(kiosk: Kiosk) -> None:
    pages = kiosk.route("POST", "/pages")
    cue(pages).gives(response(400))
    cue(pages).asked_with(json=whatever, content_type=whatever).gives(response(201))
    cue(pages).asked_with(query={"at": whatever}).gives(response(202))
    with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
        as_json = {"Content-Type": "application/json"}
        broken = client.post("/pages", content=b"{", headers=as_json)
        sent = [client.post("/pages"), broken, client.post("/pages", json=None)]
        sent += [client.post("/pages", json=[]), client.post("/pages?at=")]
    assert [one.status_code for one in sent] == [400, 400, 400, 201, 202]


def test_the_more_special_route_takes_a_request(kiosk: Kiosk) -> None:
    for path in ("/{rest:path}", "/berths/{code}", "/berths/{id:int}", "/berths/free"):
        cue(kiosk.route("GET", path)).gives(response(text=path))
    with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
        found = [client.get(path).text for path in ("/berths/free", "/berths/7", "/a/b/c")]
        encoded = client.get("/berths/B%2F1").text
    assert found == ["/berths/free", "/berths/{id:int}", "/{rest:path}"]
    assert encoded == "/berths/{code}"
    assert ledger_of(kiosk.route("GET", "/berths/{code}"))[0].arguments.code == "B/1"


REFUSED: list[tuple[Callable[[Kiosk], object], type[Exception], str]] = [
    (lambda k: k.route("GET", "depth"), CueRefused, "begins with a slash"),
    (lambda k: k.route("GET", "/depth?at=noon"), CueRefused, "a route has no query"),
    (lambda k: k.route("GET", "/{a}/{a}"), CueRefused, "is no name for a parameter"),
    (lambda k: k.route("GET", "/{a:number}"), CueRefused, "there is no kind 'number'"),
    (lambda k: k.route("GET", "/{a"), CueRefused, "a brace has no other"),
    (lambda k: k.route("FETCH", "/"), CueRefused, "there is no method FETCH"),
    (lambda k: cue(k.route("GET", "/{id}"), id=7), CueRefused, "for a number write {id:int}"),
    (lambda k: cue(k.route("GET", "/{id}"), "a", "b"), CueRefused, "takes"),
    (lambda k: cue(k.route("GET", "/")).asked_with(), CueRefused, "say what is asked"),
    (lambda k: cue(k.route("GET", "/")).asked_with(path="/"), CueRefused, "a request has query"),
    (lambda k: cue(k.route("GET", "/")).asked_with(query="at"), CueRefused, "give a mapping"),
    (lambda k: cue(k.route("GET", "/")).gives({"a": 1}), ReplyRefused, "promises Response"),
    (lambda k: cue(k.route("GET", "/")).raises(ValueError("no")), CueRefused, "no request ends"),
    (lambda k: cue(k.route("GET", "/")).raises(FileNotFoundError), CueRefused, "no request ends"),
    (lambda k: cue(k.route("GET", "/")).gives(raising(KeyError)), CueRefused, "no request ends"),
    (
        lambda k: (k.route("GET", "/{id}/x"), k.route("GET", "/{key}/x")),
        CueRefused,
        "takes the same requests as GET /{id}/x",
    ),
    (lambda k: response(json=float("nan")), ReplyRefused, "json=nan"),
    (lambda k: response(text="a", headers={"Content-Length": 5}), ReplyRefused, "has 1 bytes"),
    (lambda k: response(headers={"Transfer-Encoding": "chunked"}), ReplyRefused, "give chunks="),
    (lambda k: response(99), ReplyRefused, "200 to 599"),
    (lambda k: response(204, text="x"), ReplyRefused, "has no body"),
    (lambda k: response(text="a", json=1), ReplyRefused, "text and json|json and text"),
    (lambda k: response(headers={"X": "a\r\nSet-Cookie: b"}), ReplyRefused, "control character"),
    (lambda k: response(headers={"a b": "c"}), ReplyRefused, "is no name of a header"),
    (lambda k: response(headers={"X": "☃"}), ReplyRefused, "percent-encoded"),
    (lambda k: response(json=object()), ReplyRefused, "json="),
    (lambda k: response(chunks=[raising(ValueError)]), ReplyRefused, "no body breaks off"),
    (lambda k: response(body="text"), ReplyRefused, "given as text="),  # type: ignore[arg-type]
    (lambda k: response(text="a", compress="zip"), ReplyRefused, "'gzip' or 'deflate'"),
    (lambda k: response(events=[{"data": 1, "name": "x"}]), ReplyRefused, "an event has"),
    (lambda k: pause(-1), ReplyRefused, "from 0"),
    (lambda k: k.stands_in_for("tides.example"), SettingRefused, "a scheme and a host"),
    (lambda k: k.stands_in_for("https://tides.example/v1"), SettingRefused, "a scheme and a host"),
    (lambda k: k.serve(port=99999).__enter__(), SettingRefused, "0 to 65535"),
    (lambda k: Shelf().kiosk(""), SettingRefused, "give it a name"),
]


@pytest.mark.parametrize(("act", "error", "says"), REFUSED)
def test_bad_input_is_told(kiosk: Kiosk, act: Any, error: type[Exception], says: str) -> None:
    with pytest.raises(error, match=says):
        act(kiosk)


@pytest.mark.parametrize(
    ("fails", "told"),
    [
        (lambda request: 1 / 0, "ZeroDivisionError"),
        (lambda request: Path("x").read_text(), "FileNotFound"),
    ],
)
def test_a_function_that_fails_is_a_500_and_fails_the_test(fails: Any, told: str) -> None:
    with pytest.raises(RefusalHidden, match=told), Shelf() as shelf:
        kiosk = shelf.kiosk("tides")
        cue(kiosk.route("GET", "/")).computes(fails)
        with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
            assert client.get("/").status_code == 500


# --- in the place of a host -----------------------------------------------------------------------


def test_a_host_that_nobody_stands_in_for_is_refused() -> None:
    with pytest.raises(RefusalHidden, match="gauges.example is no host"), Shelf() as shelf:
        shelf.kiosk("tides").stands_in_for("https://tides.example")
        with pytest.raises(httpx.ConnectError):
            httpx.get("https://gauges.example/depth")
        with pytest.raises(HostRefused), socket.socket() as reaching:
            reaching.connect(("192.0.2.7", 80))


def test_while_there_is_a_kiosk_no_real_host_is_reached_but_those_that_are_let_out_to() -> None:
    with pytest.raises(RefusalHidden, match=r'lets_out\("192.0.2.7"\)'), Shelf() as shelf:
        kiosk = shelf.kiosk("tides")
        with socket.socket() as reaching:
            with pytest.raises(HostRefused):
                reaching.connect(("192.0.2.7", 9))
            kiosk.lets_out("192.0.2.7")
            reaching.settimeout(0.01)
            with pytest.raises(OSError) as real:
                reaching.connect(("192.0.2.7", 9))
        assert not isinstance(real.value, HostRefused)
    forgotten = Shelf()
    forgotten.kiosk("tides")
    del forgotten
    gc.collect()
    with socket.socket() as reaching:
        reaching.settimeout(0.01)
        with pytest.raises(OSError) as real:
            reaching.connect(("192.0.2.7", 9))
    assert not isinstance(real.value, HostRefused)


def test_no_name_is_looked_up_nothing_sent_and_no_loop_goes_on(shelf: Shelf) -> None:
    shelf.kiosk("tides")
    with shelf.refusals_expected():
        for look_up in (socket.gethostbyname, socket.gethostbyname_ex):
            with pytest.raises(HostRefused):
                look_up("gauges.example")
        with socket.socket(type=socket.SOCK_DGRAM) as sending, pytest.raises(HostRefused):
            sending.sendto(b"?", ("192.0.2.7", 53))
        with pytest.raises(EndlessCalls, match="the host gauges.example was refused 200 times"):
            while True:
                with suppress(HostRefused):
                    socket.create_connection(("gauges.example", 80))
    assert socket.gethostbyname("127.0.0.1") == "127.0.0.1"
    assert socket.getaddrinfo("localhost", 80)


def test_afterwards_every_client_is_as_it_was() -> None:
    watched = [
        (httpx.HTTPTransport, "handle_request"), (httpx.AsyncHTTPTransport, "handle_async_request"),
        (urllib3.connection.HTTPConnection, "connect"),
        (aiohttp.TCPConnector, "_create_connection"),
        (socket, "getaddrinfo"), (socket, "gethostbyname"), (socket.socket, "connect"),
        (socket.socket, "connect_ex"), (socket.socket, "sendto"),
    ]  # fmt: skip
    before = [getattr(holder, name) for holder, name in watched]
    own = "connect" in vars(socket.socket)
    with Shelf() as shelf:
        shelf.kiosk("tides").stands_in_for("https://tides.example")
        with shelf.kiosk("pages").stands_in_for("http://pages.example"):
            assert [getattr(*one) for one in watched] != before
    assert [getattr(holder, name) for holder, name in watched] == before
    assert ("connect" in vars(socket.socket)) == own


def test_this_machine_stays_open_and_hosts_are_told_apart(shelf: Shelf) -> None:
    tides, pages = shelf.kiosk("tides"), shelf.kiosk("pages")
    cue(tides.route("GET", "/")).gives(response(text="tides"))
    cue(pages.route("GET", "/")).gives(response(text="pages"))
    tides.stands_in_for("https://tides.example")
    pages.stands_in_for("http://pages.example:8080")
    with tides.serve() as url:
        found = [
            httpx.get(one).text
            for one in (url, "https://tides.example", "http://pages.example:8080")
        ]
    assert found == ["tides", "tides", "pages"]


# --- at a real address ----------------------------------------------------------------------------


def test_curl_keeps_its_connection_and_trusts_the_certificate(kiosk: Kiosk) -> None:
    depth = kiosk.route("GET", "/depth")
    cue(depth).gives(response(text="6.3\n"))
    with kiosk.serve(tls=True) as url:
        assert url.startswith("https://127.0.0.1:")
        command = ["curl", "-sv", "--cacert", str(url.ca_file), f"{url}/depth", f"{url}/depth"]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert done.stdout == "6.3\n6.3\n"
    assert "Re-using existing connection" in done.stderr
    assert ledger_of(depth)[0].called_from.file == "<over HTTP>"


def test_fifty_clients_at_once_lose_nothing_and_mix_nothing(kiosk: Kiosk) -> None:
    route = kiosk.route("GET", "/{number:int}")
    cue(route).computes(lambda number, request: response(json={"number": number}))
    gate = threading.Barrier(50)
    with kiosk.serve() as url:

        def asks(client_number: int) -> bool:
            with httpx.Client(base_url=url) as client:
                gate.wait()
                wanted = [client_number * 100 + n for n in range(10)]
                return [client.get(f"/{n}").json()["number"] for n in wanted] == wanted

        with ThreadPoolExecutor(50) as pool:
            assert all(pool.map(asks, range(50)))
    assert tally(route) == 500
    assert len(set(ledger_of(route).each("number"))) == 500


ANY_TEXT = st.text(max_size=40)


@examples(300)
@given(
    method=st.sampled_from(
        ["GET", "POST", "PUT", "DELETE", "PATCH", "HEAD", "OPTIONS", "FETCH", "get"]
    ),
    target=st.one_of(st.text(max_size=60), st.sampled_from(["/../../quay", "/%00", "//x"])),
    headers=st.lists(st.tuples(ANY_TEXT, ANY_TEXT), max_size=5),
    body=st.binary(max_size=200),
)
def test_any_request_gets_an_answer(
    method: str, target: str, headers: list[tuple[str, str]], body: bytes
) -> None:
    shelf = Shelf(refusal_limit=10**6)
    kiosk = shelf.kiosk("tides")
    cue(kiosk.route("POST", "/pages/{id:int}")).asked_with(json=holding(a=1)).gives(response(201))
    answer = kiosk.answer(Request(method, "http://tides.example/" + target, headers, body))
    assert answer.response is not None
    assert answer.response.status in (201, 501)
    assert "Traceback" not in answer.response.body.decode()


# --- the demo's real client -----------------------------------------------------------------------


def test_the_tide_client_asks_as_it_should_and_tells_a_silent_gauge(kiosk: Kiosk) -> None:
    depth, pages = kiosk.route("GET", "/tides/{harbour}"), kiosk.route("POST", "/pages")
    cue(depth, harbour="Ternhythe").gives(response(json={"depth_m": 6.3}))
    cue(depth, harbour="Curlhythe").gives(response(503), response(500), raising(TimeoutError()))
    cue(pages).gives(response(202))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url=HOST)
    tides = HttpTides(client)

    assert tides.depth_at("Ternhythe", NOON) == 6.3
    for error in (GaugeSilent, httpx.HTTPStatusError, httpx.ReadTimeout):
        with pytest.raises(error):
            tides.depth_at("Curlhythe", NOON)
    HttpPager(client).page(7, "Gray Heron to B-1", urgent=True)

    assert tally(depth.asked_with(query={"at": NOON.isoformat()}), harbour="Ternhythe") == 1
    sent = pages.asked_with(
        json={"vessel_id": 7, "message": "Gray Heron to B-1", "urgent": True},
        headers={"Content-Type": "application/json", "Host": "tides.example"},
    )
    assert tally(sent) == 1
    assert tally(depth, harbour="Curlhythe") == 3
    assert not unseen(kiosk)


def test_the_desk_asks_the_gauge_again(shelf: Shelf, kiosk: Kiosk) -> None:
    depth = kiosk.route("GET", "/tides/{harbour}")
    cue(depth, harbour="Ternhythe").gives(response(503), response(json={"depth_m": 6.3}))
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1))
    shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True, length_m=90.0)
    tides = HttpTides(httpx.Client(transport=kiosk.for_httpx(), base_url=HOST))
    mooring = shelf.furnish(MooringDesk, tides=tides).moor(vessel_id=7, arrival=NOON)

    assert mooring.berth_id == 1
    assert tally(depth) == 2


def test_a_kiosk_lives_beside_fakes_and_records(shelf: Shelf, kiosk: Kiosk) -> None:
    berth = shelf.stock(Berth, 3)[1]
    cue(kiosk.route("GET", "/berths/{id:int}")).computes(
        lambda id, request: response(json=shelf.records(Berth).get(id))
    )
    with httpx.Client(transport=kiosk.for_httpx(), base_url=HOST) as client:
        assert client.get("/berths/2").json()["code"] == berth.code
    assert ledger_of(shelf).names == ["tides: GET /berths/{id:int}"]


def test_a_look_at_what_nobody_can_ask_is_refused(shelf: Shelf) -> None:
    kiosk = shelf.kiosk("tides")
    for look in (lambda: tally(kiosk.route("GET", "/")), lambda: unseen(kiosk)):
        with pytest.raises(LookRefused, match="nobody can ask it: give a client its transport"):
            look()
    kiosk.for_httpx()
    assert tally(kiosk.route("GET", "/")) == 0


def test_a_body_that_is_too_large_is_told(kiosk: Kiosk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("urnshelf.doors.asgi.LARGEST_BODY", 1000)
    cue(kiosk.route("POST", "/")).gives(response(201))
    with kiosk.serve() as url, httpx.Client(base_url=url) as client:
        assert client.post("/", content=b"x" * 1001).status_code == 413
        assert client.post("/", content=iter([b"x"] * 1000)).status_code == 201  # in chunks
        assert client.post("/", content=b"x").status_code == 201


def test_what_is_no_http_is_a_400_and_the_server_goes_on(kiosk: Kiosk) -> None:
    cue(kiosk.route("GET", "/")).gives(response(text="on"))
    with kiosk.serve() as url:
        host, port = url.removeprefix("http://").split(":")
        for sent in (b"\x16\x03\x01\x00\r\n\r\n", b"GET / HTTP/9\r\n\r\n", b"GET\r\n\r\n"):
            with socket.create_connection((host, int(port))) as raw:
                raw.sendall(sent)
                assert raw.recv(100).startswith(b"HTTP/1.1 400")
        assert httpx.get(url).text == "on"


def test_a_port_that_is_taken_is_told_and_ipv6_is_served(kiosk: Kiosk) -> None:
    cue(kiosk.route("GET", "/")).gives(response(text="on"))
    with kiosk.serve(host="::1") as url:
        assert url.startswith("http://[::1]:")
        assert httpx.get(url).text == "on"
    with kiosk.serve() as url:
        port = int(url.rpartition(":")[2])
        with pytest.raises(SettingRefused, match=rf"port={port}.*port=0"):
            kiosk.serve(port).__enter__()


def test_a_served_kiosk_listens_on_loopback_alone(kiosk: Kiosk) -> None:
    kiosk.for_httpx()
    opened: list[Any] = []
    real = socket.socket.bind

    def bind(self: socket.socket, address: Any) -> None:
        opened.append(address)
        real(self, address)

    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(socket.socket, "bind", bind)
        with kiosk.serve():
            pass
        with kiosk.stands_in_for("https://tides.example"), kiosk.serve(tls=True):
            pass
    assert [address[0] for address in opened] == ["127.0.0.1", "127.0.0.1"]


METHODS = ["GET", "POST", "PUT", "DELETE", "PATCH", "OPTIONS"]
PARTS = ["berths", "berths", "..", "1", "7", "%2e%2e", "%00", "etc", "%2F", "a+b", "%ff", "~"]
QUERIES = [
    "",
    "?id=1",
    "?id=x",
    "?sort=-id",
    "?cursor=%00",
    "?page=-1",
    "?a=%",
    "?limit=9&offset=1",
]
NAMES = ["If-Match", "If-None-Match", "Content-Type", "Cookie", "Authorization", "X-Other"]
VALUES = [
    "*",
    '"x"',
    "W/",
    "text/csv",
    "application/json",
    "a=b; c",
    "Basic %%%",
    "Bearer",
    "~" * 99,
]
BODIES = [None, b"", b"{}", b"[]", b'{"id": 1}', b'{"code": null}', b"\x00\xff", b"{" * 999]


def request_of(number: int) -> tuple[str, str, dict[str, str], bytes | None]:
    """One of very many requests: a number is quicker drawn than its parts."""

    def taken(some: Any) -> Any:
        nonlocal number
        number, index = divmod(number, len(some))
        return some[index]

    path = "/" + "/".join(taken(PARTS) for _ in range(taken(range(5))))
    headers = {taken(NAMES): taken(VALUES) for _ in range(taken(range(3)))}
    return taken(METHODS), path + taken(QUERIES), headers, taken(BODIES)


WHOLE_REQUESTS = st.integers(0, 2**63).map(request_of)


def test_ten_thousand_random_requests_over_a_socket() -> None:
    """Whatever comes, the client gets an answer that is HTTP, and no socket leads elsewhere."""
    reached: set[Any] = set()
    real = socket.socket.connect
    shelf = Shelf(refusal_limit=10**6)
    kiosk = shelf.kiosk("tides")
    kiosk.collection("/berths", Berth)
    shelf.stock(Berth, 5)
    statuses: Counter[int] = Counter()

    def connect(self: socket.socket, address: Any) -> None:
        reached.add(address[0])
        real(self, address)

    with pytest.MonkeyPatch.context() as patched, kiosk.serve() as url:
        patched.setattr(socket.socket, "connect", connect)
        connection = HTTPConnection(url.removeprefix("http://"), timeout=30)

        @examples(1000, suppress_health_check=list(HealthCheck))
        @given(st.lists(WHOLE_REQUESTS, min_size=10, max_size=10))
        def asks(ten: list[Any]) -> None:
            for method, target, headers, body in ten:
                connection.request(method, target, body, headers)
                got = connection.getresponse()
                assert b"Traceback" not in got.read()
                statuses[got.status] += 1

        asks()
        connection.close()
    assert statuses.total() >= 3000
    assert statuses.keys() <= {200, 201, 204, 304, 400, 404, 409, 412, 415, 422, 501}
    assert reached == {"127.0.0.1"}


def test_an_application_begins_and_ends_and_closes_what_is_no_request(kiosk: Kiosk) -> None:
    async def talk(scope: str, *came: str) -> list[str]:
        messages = [{"type": one} for one in came]
        sent: list[str] = []

        async def receive() -> Any:
            return messages.pop(0)

        async def send(message: Any) -> None:
            sent.append(message["type"])

        await kiosk.app({"type": scope}, receive, send)
        return sent

    begun = talk("lifespan", "lifespan.startup", "lifespan.shutdown")
    assert asyncio.run(begun) == ["lifespan.startup.complete", "lifespan.shutdown.complete"]
    assert asyncio.run(talk("websocket", "websocket.connect")) == ["websocket.close"]


def test_a_name_that_we_do_not_have_leads_to_ours(kiosk: Kiosk, shelf: Shelf) -> None:
    for holder, name, told in [
        (kiosk, "post", "the nearest is route: The requests of one method and path"),
        (kiosk, "intercept", "the nearest is stands_in_for: Stand in the place of a host"),
        (shelf, "server", "the nearest is kiosk: A stand-in for a remote service"),
        (urnshelf, "response", "the nearest is kiosk.response: What a route replies"),
    ]:
        with pytest.raises(AttributeError, match=re.escape(told)):
            getattr(holder, name)


@pytest.mark.parametrize(
    ("lacks", "act", "told"),
    [
        (["httpx"], lambda k: k.for_httpx(), "needs httpx: pip install httpx"),
        (["requests"], lambda k: k.for_requests(), "needs requests: pip install requests"),
        (["uvicorn"], lambda k: k.serve(), "needs uvicorn: pip install 'urnshelf[http]'"),
        (
            ["httpx", "h11"],
            lambda k: k.passes_through("http://127.0.0.1"),
            "needs httpx and h11: pip install 'urnshelf[http]' httpx",
        ),
    ],
)
def test_what_is_not_installed_is_told(
    kiosk: Kiosk, monkeypatch: pytest.MonkeyPatch, lacks: list[str], act: Any, told: str
) -> None:
    monkeypatch.setattr("urnshelf.kiosks.find_spec", lambda name: None if name in lacks else name)
    with pytest.raises(SettingRefused, match=re.escape(told)):
        act(kiosk)
