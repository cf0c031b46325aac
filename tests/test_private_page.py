"""What `serve` recorded is shown to whoever sits at this machine, and to no other origin."""

import json
import socket
from collections.abc import Iterator
from typing import Any

import httpx
import pytest

import chromium
from urnshelf import Shelf, cue
from urnshelf.doors.serving import served
from urnshelf.kiosk import response

PATHS = ("/_urnshelf", "/_urnshelf/calls", "/_urnshelf/calls/1", "/_urnshelf/traffic.har")
TOKEN = "t0p-s3cret-of-the-desk"


@pytest.fixture
def address() -> Iterator[str]:
    """A kiosk as `urnshelf serve` has it: pages of other origins may ask its own routes."""
    with Shelf() as shelf:
        kiosk = shelf.kiosk("port")
        cue(kiosk.route("GET", "/{rest:path}")).gives(response(404))
        cue(kiosk.route("GET", "/berths")).gives(response(json=[]))
        with served(kiosk, is_for_pages=True) as url:
            httpx.get(f"{url}/berths", headers={"Authorization": f"Bearer {TOKEN}"})
            yield str(url)


@pytest.mark.parametrize("path", PATHS)
@pytest.mark.parametrize("origin", ["http://evil.example", "null", "http://localhost:3000"])
def test_no_header_lets_another_origin_read_it(address: str, path: str, origin: str) -> None:
    reply = httpx.get(address + path, headers={"Origin": origin})
    assert reply.status_code == 200
    assert not [name for name in reply.headers if name.startswith("access-control")]
    assert reply.headers["cross-origin-resource-policy"] == "same-origin"
    asked = {"Origin": origin, "Access-Control-Request-Method": "GET"}
    preflight = httpx.options(address + path, headers=asked)
    assert preflight.status_code == 405
    assert not [name for name in preflight.headers if name.startswith("access-control")]
    own = httpx.get(f"{address}/berths", headers={"Origin": origin})
    assert own.headers["access-control-allow-origin"] == origin


@pytest.mark.parametrize("path", PATHS)
def test_it_is_read_and_nothing_else(address: str, path: str) -> None:
    for method in ("POST", "PUT", "PATCH", "DELETE", "OPTIONS", "PROPFIND"):
        reply = httpx.request(method, address + path)
        assert (reply.status_code, reply.headers["allow"]) == (405, "GET, HEAD")
    head = httpx.head(address + path)
    assert (head.status_code, head.content) == (200, b"")


@pytest.mark.parametrize(
    "host",
    ["evil.example", "127.0.0.1.evil.example", "localhost.evil.example", "0.0.0.0", "192.0.2.7",
     "", "a@evil.example", "[::1", "127.0.0.1@evil.example"],
)  # fmt: skip
def test_a_request_by_a_rebound_name_gets_nothing(address: str, host: str) -> None:
    for path in PATHS:
        reply = httpx.get(address + path, headers={"Host": host})
        assert reply.status_code == 421
        assert TOKEN not in reply.text
        assert "berths" not in reply.text


def test_the_names_of_this_machine_are_answered(address: str) -> None:
    port = address.rpartition(":")[2]
    for host in ("127.0.0.1", "localhost", "LOCALHOST", "[::1]", "127.8.8.8", "kiosk.localhost"):
        for named in (host, f"{host}:{port}"):
            assert httpx.get(f"{address}/_urnshelf", headers={"Host": named}).status_code == 200


def test_the_address_that_was_named_is_answered_and_no_other(shelf: Shelf) -> None:
    kiosk = shelf.kiosk("port")
    with kiosk.serve(host="0.0.0.0") as url:
        port = url.rpartition(":")[2]
        page = f"http://127.0.0.1:{port}/_urnshelf"
        assert httpx.get(page).status_code == 200
        assert httpx.get(page, headers={"Host": f"0.0.0.0:{port}"}).status_code == 200
        assert httpx.get(page, headers={"Host": f"kiosk.example:{port}"}).status_code == 421


def test_a_request_line_with_another_host_does_not_lead_there(address: str) -> None:
    port = int(address.rpartition(":")[2])
    for line in ("http://evil.example/_urnshelf/calls", "//_urnshelf/calls", "/%5Furnshelf/calls"):
        with socket.create_connection(("127.0.0.1", port)) as raw:
            raw.settimeout(10)
            request = f"GET {line} HTTP/1.1\r\nHost: evil.example\r\nConnection: close\r\n\r\n"
            raw.sendall(request.encode())
            reply = b"".join(iter(lambda: raw.recv(65536), b""))
        assert b"access-control" not in reply
        assert TOKEN.encode() not in reply
        assert b'"entries"' not in reply


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_a_page_of_another_origin_in_a_browser_reads_nothing(address: str, shelf: Shelf) -> None:
    evil = shelf.kiosk("evil")
    cue(evil.route("GET", "/")).gives(response(text="<p>x</p>", content_type="text/html"))
    cue(evil.route("GET", "/favicon.ico")).gives(response(404))
    tries = f"""(async () => {{
      const found = [];
      const read = async (name, asks) => {{
        try {{ found.push([name, (await (await asks()).text()).length]); }}
        catch (error) {{ found.push([name, 'refused']); }}
      }};
      for (const path of {json.dumps(PATHS)}) {{
        const url = '{address}' + path;
        await read('plain', () => fetch(url));
        await read('with credentials', () => fetch(url, {{credentials: 'include'}}));
        await read('with a preflight', () => fetch(url, {{headers: {{'X-Desk': '1'}}}}));
        await read('opaque', () => fetch(url, {{mode: 'no-cors'}}));
        await read('frame', () => new Promise((done, fail) => {{
          const frame = document.createElement('iframe');
          frame.onload = () => {{
            try {{ done({{text: async () => frame.contentWindow.document.body.innerText}}); }}
            catch (error) {{ fail(error); }}
          }};
          frame.src = url;
          document.body.append(frame);
        }}));
      }}
      const own = await (await fetch('{address}/berths')).json();
      return [found, own];
    }})()"""

    def asked(page: str) -> Any:
        return chromium.in_a_browser(page, lambda evaluate: evaluate(tries))

    with evil.serve() as page:
        found, own = asked(page)
    assert own == []  # the kiosk's own routes may be asked
    assert {outcome for _, outcome in found} <= {"refused", 0}


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_a_browser_by_a_rebound_name_reads_nothing(address: str) -> None:
    port = address.rpartition(":")[2]
    text = "document.body.innerText"
    flag = f"--host-resolver-rules=MAP evil.example 127.0.0.1:{port}"

    async def steps(evaluate: chromium.Evaluate) -> Any:
        await chromium.until(evaluate, f"{text}.length > 0")
        calls = "fetch('/_urnshelf/calls').then((reply) => reply.text())"
        return [await evaluate(text), await evaluate(calls)]

    for said in chromium.in_a_browser("http://evil.example/_urnshelf", steps, flags=(flag,)):
        assert "answers to the name of this machine" in said
