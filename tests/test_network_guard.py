"""While there is a kiosk no real host is reached: not by a proxy, nor by a name looked up."""

import asyncio
import email.utils
import http.client
import http.server
import multiprocessing
import os
import smtplib
import socket
import subprocess
import sys
import threading
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

import aiohttp
import httpx
import pytest
import requests
import sqlalchemy
import urllib3

from urnshelf import HostRefused, RefusalHidden, Shelf, cue
from urnshelf.kiosk import response

STOOD_IN = "tides.example"
FOREIGN = "gauges.example"


class Listener:
    """A proxy on loopback, as companies have one: it notes what comes, and answers with 200."""

    def __init__(self) -> None:
        self.received: list[bytes] = []
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        threading.Thread(target=self._run, daemon=True).start()

    def _run(self) -> None:
        with suppress(OSError):
            while True:
                connection, _ = self._listening.accept()
                with connection, suppress(OSError):
                    connection.settimeout(5)
                    data = connection.recv(65536)
                    if data:
                        self.received.append(data)
                        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 5\r\n\r\nproxy")

    def close(self) -> None:
        self._listening.close()


@pytest.fixture
def proxy() -> Iterator[Listener]:
    with closing(Listener()) as listener:
        yield listener


VARIABLES = "HTTP_PROXY http_proxy HTTPS_PROXY https_proxy ALL_PROXY all_proxy".split()


@pytest.fixture(params=VARIABLES)
def in_the_environment(
    request: pytest.FixtureRequest, proxy: Listener, monkeypatch: pytest.MonkeyPatch
) -> Listener:
    for name in ("no_proxy", "NO_PROXY"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv(request.param, proxy.url)
    return proxy


def by_httpx(url: str) -> str:
    return httpx.get(url).text


def by_httpx_async(url: str) -> str:
    async def ask() -> str:
        async with httpx.AsyncClient() as client:
            return (await client.get(url)).text

    return asyncio.run(ask())


def by_requests(url: str) -> str:
    return requests.get(url, timeout=10).text


def by_urllib(url: str) -> str:
    with urllib.request.urlopen(url, timeout=10) as reply:
        return reply.read().decode()


def by_aiohttp(url: str) -> str:
    async def ask() -> str:
        async with aiohttp.ClientSession(trust_env=True) as session, session.get(url) as reply:
            return await reply.text()

    return asyncio.run(ask())


def by_urllib3(url: str) -> str:
    with urllib3.PoolManager() as pool:
        return pool.request("GET", url, retries=False, timeout=10).data.decode()


CLIENTS = [by_httpx, by_httpx_async, by_requests, by_urllib, by_aiohttp, by_urllib3]


@pytest.mark.parametrize("client", CLIENTS)
def test_nothing_comes_to_a_proxy_of_the_environment(
    in_the_environment: Listener, client: Callable[[str], str]
) -> None:
    with pytest.raises(RefusalHidden, match=f"{FOREIGN} is no host"), Shelf() as shelf:
        kiosk = shelf.kiosk("tides")
        cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        for scheme in ("http", "https"):
            kiosk.stands_in_for(f"{scheme}://{STOOD_IN}")
            assert client(f"{scheme}://{STOOD_IN}/depth") == "6.3"
            with pytest.raises(Exception, match=r".*"):
                client(f"{scheme}://{FOREIGN}/depth")
    assert in_the_environment.received == []


def test_afterwards_the_proxies_of_the_environment_are_used_again(
    proxy: Listener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("http_proxy", proxy.url)
    monkeypatch.delenv("no_proxy", raising=False)
    with Shelf() as shelf:
        shelf.kiosk("tides")
        assert urllib.request.getproxies() == {}
        from_within = urllib.request.getproxies
    assert urllib.request.getproxies()["http"] == proxy.url
    assert from_within()["http"] == proxy.url  # a module that was imported meanwhile has this
    assert {by_httpx(f"http://{FOREIGN}/"), by_requests(f"http://{FOREIGN}/")} == {"proxy"}


def test_clients_that_were_made_before_do_not_reach_it_either(
    proxy: Listener, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("http_proxy", "https_proxy"):
        monkeypatch.setenv(name, proxy.url)
    monkeypatch.delenv("no_proxy", raising=False)
    client = httpx.Client()
    opener = urllib.request.build_opener()
    with pytest.raises(RefusalHidden), Shelf() as shelf:
        kiosk = shelf.kiosk("tides")
        cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        for scheme in ("http", "https"):
            kiosk.stands_in_for(f"{scheme}://{STOOD_IN}")
            assert client.get(f"{scheme}://{STOOD_IN}/depth").text == "6.3"
            assert opener.open(f"{scheme}://{STOOD_IN}/depth").read() == b"6.3"
            for ask in (client.get, opener.open):
                with pytest.raises((HostRefused, httpx.TransportError, OSError)):
                    ask(f"{scheme}://{FOREIGN}/depth")
    assert proxy.received == []


def asked_raw(proxy: Listener, line: str, how: str) -> None:
    with socket.create_connection(("127.0.0.1", proxy.port)) as raw:
        data = f"{line}\r\nHost: x\r\n\r\n".encode()
        if how == "sendmsg":
            raw.sendmsg([data[:7], data[7:]])
        else:
            getattr(raw, how)(data)


@pytest.mark.parametrize("how", ["send", "sendall", "sendmsg"])
@pytest.mark.parametrize(
    "line",
    [
        f"CONNECT {FOREIGN}:443 HTTP/1.1", f"GET http://{FOREIGN}/depth HTTP/1.1",
        f"POST https://user:pass@{FOREIGN}:8443/depth?x=1 HTTP/1.0",
        "CONNECT 192.0.2.7:443 HTTP/1.1", "CONNECT [2001:db8::7]:443 HTTP/1.1",
        f"GET http://{STOOD_IN}/depth HTTP/1.1",
    ],
)  # fmt: skip
def test_a_request_line_for_another_host_is_refused(proxy: Listener, line: str, how: str) -> None:
    with pytest.raises(RefusalHidden, match="which a proxy would be asked for"), Shelf() as shelf:
        shelf.kiosk("tides").stands_in_for(f"http://{STOOD_IN}")
        with pytest.raises(HostRefused, match="Give the client no proxy"):
            asked_raw(proxy, line, how)
    assert proxy.received == []


@pytest.mark.parametrize(
    ("data", "host"),
    [
        (b"\5\1\0\3\x0e" + FOREIGN.encode() + b"\1\xbb", FOREIGN),
        (b"\5\1\0\1\xc0\0\2\7\1\xbb", "192.0.2.7"),
        (b"\5\1\0\4" + socket.inet_pton(socket.AF_INET6, "2001:db8::7") + b"\1\xbb", "2001:db8::7"),
        (b"\4\1\1\xbb\xc0\0\2\7desk\0", "192.0.2.7"),
        (b"\4\1\1\xbb\0\0\0\1desk\0" + FOREIGN.encode() + b"\0", FOREIGN),
    ],
)  # fmt: skip
def test_a_socks_proxy_is_not_asked_for_another_host(
    proxy: Listener, data: bytes, host: str
) -> None:
    with pytest.raises(RefusalHidden, match=host), Shelf() as shelf:
        shelf.kiosk("tides")
        with socket.create_connection(("127.0.0.1", proxy.port)) as raw:
            with pytest.raises(HostRefused, match="which a proxy would be asked for"):
                raw.sendall(data)
        for near in (b"\5\1\0", b"\5\1\0\1\x7f\0\0\1\1\xbb", b"\5 is how another text begins"):
            with socket.create_connection(("127.0.0.1", proxy.port)) as raw:
                raw.sendall(near)


def test_an_explicit_proxy_is_refused_and_one_that_is_let_out_to_is_not(proxy: Listener) -> None:
    with pytest.raises(RefusalHidden), Shelf() as shelf:
        shelf.kiosk("tides")
        for scheme in ("http", "https"):
            with (
                urllib3.ProxyManager(proxy.url) as pool,
                pytest.raises((HostRefused, urllib3.exceptions.HTTPError)),
            ):
                pool.request("GET", f"{scheme}://{FOREIGN}/", retries=False)
    assert proxy.received == []
    with Shelf() as shelf:
        shelf.kiosk("tides").lets_out(FOREIGN)
        with urllib3.ProxyManager(proxy.url) as pool:
            assert pool.request("GET", f"http://{FOREIGN}/", retries=False).data == b"proxy"


def test_what_goes_to_this_machine_goes_on(proxy: Listener, shelf: Shelf) -> None:
    kiosk = shelf.kiosk("tides")
    for line in ("GET / HTTP/1.1", "CONNECT localhost:1 HTTP/1.1", "GET http://127.0.0.1/ HTTP/1.1",
                 f"a text that has CONNECT {FOREIGN}:443 HTTP/1.1"):  # fmt: skip
        asked_raw(proxy, line, "sendall")
    # a kiosk that is served is asked as a proxy, too: what is sent there stays here
    cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
    with kiosk.serve() as url, httpx.Client(proxy=str(url)) as client:
        assert client.get(f"http://{FOREIGN}/depth").text == "6.3"


def test_no_message_goes_to_a_foreign_address_and_no_foreign_name_is_asked_for() -> None:
    with pytest.raises(RefusalHidden), Shelf() as shelf:
        shelf.kiosk("tides")
        with socket.socket(type=socket.SOCK_DGRAM) as sending, pytest.raises(HostRefused):
            sending.sendmsg([b"?"], [], 0, ("192.0.2.7", 53))
        for ask in (socket.gethostbyaddr, socket.getfqdn):
            for host in (FOREIGN, "192.0.2.7"):
                with pytest.raises(HostRefused):
                    ask(host)
        with pytest.raises(HostRefused):
            socket.getnameinfo(("192.0.2.7", 80), 0)
        numeric = socket.NI_NUMERICHOST | socket.NI_NUMERICSERV
        assert socket.getnameinfo(("192.0.2.7", 80), numeric) == ("192.0.2.7", "80")
        for broadcast in ("255.255.255.255", "224.0.0.1"):
            with socket.socket(type=socket.SOCK_DGRAM) as sending, pytest.raises(HostRefused):
                sending.sendto(b"?", (broadcast, 9))


# --- honest programs ------------------------------------------------------------------------------


def test_a_program_may_ask_for_its_own_name(shelf: Shelf) -> None:
    shelf.kiosk("tides")
    assert socket.getfqdn()
    assert socket.getfqdn("127.0.0.1")
    own = socket.gethostbyname(socket.gethostname())
    with socket.create_server((own, 0)) as server:
        socket.create_connection((own, server.getsockname()[1])).close()
    assert email.utils.make_msgid().endswith(">")


def test_a_server_and_a_mail_of_the_standard_library_work(shelf: Shelf) -> None:
    shelf.kiosk("tides")
    received: list[bytes] = []

    class Mail(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b"up")

        def log_message(self, *_: object) -> None: ...

    with http.server.HTTPServer(("127.0.0.1", 0), Mail) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        assert by_urllib(f"http://127.0.0.1:{server.server_port}/") == "up"
        server.shutdown()
    with _mail_server(received) as port, smtplib.SMTP("127.0.0.1", port, timeout=10) as client:
        message = f"Message-ID: {email.utils.make_msgid()}\r\nSubject: moored\r\n\r\nBerth 7\r\n"
        client.sendmail("desk@port.example", ["master@port.example"], message)
    assert b"Berth 7" in b"".join(received)


@contextmanager
def _mail_server(received: list[bytes]) -> Iterator[int]:
    """A server that takes one mail: RFC 5321, as little of it as a client needs."""

    def run() -> None:
        connection, _ = listening.accept()
        with connection, connection.makefile("rwb") as file:
            file.write(b"220 port.example\r\n")
            file.flush()
            is_data = False
            for line in file:
                received.append(line)
                word = line[:4].upper()
                if is_data:
                    is_data = line != b".\r\n"
                    if is_data:
                        continue
                elif word == b"DATA":
                    is_data = True
                said = {b"DATA": b"354 go on\r\n", b"QUIT": b"221 bye\r\n"}
                file.write(said.get(word, b"250 well\r\n"))
                file.flush()
                if word == b"QUIT":
                    return

    with socket.create_server(("127.0.0.1", 0)) as listening:
        threading.Thread(target=run, daemon=True).start()
        yield listening.getsockname()[1]


def test_a_unix_socket_is_reached(shelf: Shelf, tmp_path: Path) -> None:
    shelf.kiosk("tides")
    place = str(tmp_path / "db.sock")
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind(place)
        listening.listen()
        with socket.socket(socket.AF_UNIX) as client:
            client.connect(place)
            client.sendall(f"CONNECT {FOREIGN}:443 HTTP/1.1\r\n".encode())
            with listening.accept()[0] as other:
                assert other.recv(100).startswith(b"CONNECT")


@pytest.mark.skipif("URNSHELF_POSTGRES" not in os.environ, reason="PostgreSQL is not installed")
def test_a_database_is_reached_by_its_port_and_by_its_unix_socket(shelf: Shelf) -> None:
    shelf.kiosk("tides")
    by_port = sqlalchemy.make_url(os.environ["URNSHELF_POSTGRES"])
    with sqlalchemy.create_engine(by_port, poolclass=sqlalchemy.NullPool).connect() as database:
        folder = database.execute(sqlalchemy.text("show unix_socket_directories")).scalar()
    by_socket = by_port.set(host=None, port=None, query={"host": folder, "port": str(by_port.port)})
    with sqlalchemy.create_engine(by_socket, poolclass=sqlalchemy.NullPool).connect() as database:
        assert database.execute(sqlalchemy.text("select inet_client_addr()")).scalar() is None


# --- child processes ------------------------------------------------------------------------------


def _does_nothing() -> None: ...


@pytest.mark.parametrize(
    ("start", "told"),
    [
        (lambda: subprocess.run([sys.executable, "-c", ""], check=True), "python"),
        (lambda: os.system("true --token t0ken"), "true"),
        (lambda: os.waitpid(os.posix_spawn("/bin/true", ["true"], {}), 0), "true"),
    ],
    ids=["subprocess", "system", "posix_spawn"],
)
def test_a_child_process_is_a_remark(start: Callable[[], Any], told: str) -> None:
    from urnshelf.remarks import Limits, remarks_of

    with Shelf() as shelf:
        start()  # without a kiosk nothing is guarded, and nothing is said
        shelf.kiosk("tides")
        start()
        start()
    [remark] = remarks_of(shelf, "t.py:1", "t", Limits())
    assert remark.kind == "child-process"
    assert told in remark.text
    assert "t0ken" not in remark.text


def test_a_process_of_multiprocessing_is_one_remark() -> None:
    from urnshelf.remarks import Limits, remarks_of

    with Shelf() as shelf:
        shelf.kiosk("tides")
        process = multiprocessing.get_context("fork").Process(target=_does_nothing, name="diver")
        process.start()
        process.join()
    assert [remark.text for remark in remarks_of(shelf, "t.py:1", "t", Limits())] == ["t: 'diver'"]


def test_afterwards_all_is_as_it_was() -> None:
    watched: list[tuple[Any, str]] = [
        (socket, "gethostbyaddr"), (socket, "getfqdn"), (socket, "getnameinfo"),
        (socket.socket, "send"), (socket.socket, "sendall"), (socket.socket, "sendmsg"),
        (urllib.request, "getproxies"), (urllib.request.Request, "set_proxy"),
        (subprocess.Popen, "__init__"), (os, "system"), (os, "fork"),
        (http.client.HTTPConnection, "connect"),
    ]  # fmt: skip
    before = [getattr(holder, name) for holder, name in watched]
    with Shelf() as shelf:
        shelf.kiosk("tides").stands_in_for(f"http://{STOOD_IN}")
        assert [getattr(holder, name) for holder, name in watched] != before
    assert [getattr(holder, name) for holder, name in watched] == before
    assert "send" not in vars(socket.socket)
