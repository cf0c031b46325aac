"""A served kiosk against a hand-written application by the same server, in one run:
`python benchmarks/serving.py`.

A client in a process of its own keeps eight connections and asks each of both in turn.
"""

from __future__ import annotations

import json
import resource
import statistics
import subprocess
import sys
import time
from contextlib import ExitStack
from operator import truediv
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

from rich.console import Console
from rich.table import Table

from urnshelf import Shelf, cue
from urnshelf.doors.serving import app_served
from urnshelf.kiosk import Request, response

CLIENT = """
import socket, sys, threading, time
urls, count = sys.argv[1].split(","), int(sys.argv[2])
sent = b"GET /depth HTTP/1.1\\r\\nHost: tides.example\\r\\n\\r\\n"
def asks(host, port):
    with socket.create_connection((host, port)) as raw:
        raw.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        for _ in range(count):
            raw.sendall(sent)
            data = b""
            while not data.endswith(b"6.3}"):
                data += raw.recv(4096)
for _ in range(int(sys.argv[3])):
    for url in urls:
        host, port = url.removeprefix("http://").split(":")
        threads = [threading.Thread(target=asks, args=[host, int(port)]) for _ in range(8)]
        begun = time.perf_counter()
        [one.start() for one in threads]
        [one.join() for one in threads]
        print(8 * count / (time.perf_counter() - begun))
"""


async def by_hand(scope: Any, receive: Any, send: Any) -> None:
    """A reply of the same length, and a list of what was asked."""
    message = await receive()
    CALLS.append((scope["method"], scope["path"], message.get("body")))
    body = json.dumps({"depth_m": 6.3}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", b"16")]
    await send({"type": "http.response.start", "status": 200, "headers": headers})
    await send({"type": "http.response.body", "body": body})


CALLS: list[Any] = []


def main() -> None:
    """Measure and print."""
    shelf = Shelf(repeat_limit=10**9)
    kiosk = shelf.kiosk("tides")
    cue(kiosk.route("GET", "/depth")).gives(response(json={"depth_m": 6.3}))
    with ExitStack() as stack:
        urls = [stack.enter_context(kiosk.serve()), stack.enter_context(app_served(by_hand))]
        words = [sys.executable, "-c", CLIENT, ",".join(urls), "300", "9"]
        rates = list(map(float, subprocess.check_output(words, text=True).split()))
    ours, theirs = rates[::2], rates[1::2]
    ratio = statistics.median(a / b for a, b in zip(ours, theirs, strict=True))
    table = Table("work", "measured", "bar", "")
    measured = f"{ratio:.2f} × ({max(ours):,.0f} : {max(theirs):,.0f} a second)"
    table.add_row(
        "a cued JSON reply, served", measured, "≥ 0.7 ×", "ok" if ratio >= 0.7 else "OVER"
    )
    begun = time.perf_counter()
    with httpx_client(kiosk) as client:
        for _ in range(2000):
            client.get("http://tides.example/depth")
    each = (time.perf_counter() - begun) / 2000
    table.add_row("the same by httpx, without a socket", f"{each * 1e6:.0f} µs", "–", "ok")
    before = peak_megabytes()
    for number in range(100_000):
        kiosk.answer(Request("GET", f"http://tides.example/depth?at={number}"))
    grown = peak_megabytes() - before
    holds = "ok" if grown <= 100 else "OVER"
    table.add_row("memory that 100,000 requests take", f"{grown:.0f} MB", "≤ 100 MB", holds)
    reading, opening = document_times()
    times = f"{statistics.median(map(truediv, opening, reading)):.1f} ×"
    measured = f"{times} ({min(opening) * 1e3:.0f} : {min(reading) * 1e3:.0f} ms)"
    holds = "ok" if statistics.median(map(truediv, opening, reading)) <= 2 else "OVER"
    table.add_row(
        "a document of 500 operations: a kiosk, against its YAML", measured, "≤ 2 ×", holds
    )
    Console(width=110).print(table)


def document_times() -> tuple[list[float], list[float]]:
    """How long the YAML of a document takes to be read by PyYAML, and to be read and served."""
    import yaml

    path = Path(mkdtemp()) / "many.yaml"
    path.write_text(yaml.safe_dump(document(), sort_keys=False))
    text, reading, opening = path.read_text(), [], []
    for _ in range(9):
        begun = time.perf_counter()
        yaml.load(text, getattr(yaml, "CSafeLoader", yaml.SafeLoader))
        read = time.perf_counter()
        with Shelf() as shelf:
            shelf.kiosk("many", openapi=path)
            opening.append(time.perf_counter() - read)
        reading.append(read - begun)
    return reading, opening


def document() -> dict[str, Any]:
    """A document of 500 operations."""
    plain = {
        "type": "object",
        "required": ["code"],
        "properties": {
            "code": {"type": "string", "maxLength": 20},
            "depth_m": {"type": "number", "minimum": 0},
            "tags": {"type": "array", "items": {"type": "string"}},
            "note": {"type": ["string", "null"]},
        },
    }
    paths: dict[str, Any] = {}
    schemas: dict[str, Any] = {}
    key = {"name": "id", "in": "path", "required": True, "schema": {"type": "integer"}}
    limit = {"name": "limit", "in": "query", "schema": {"type": "integer", "minimum": 1}}
    for number in range(125):
        one = {"$ref": f"#/components/schemas/Part{number}"}
        schemas[f"Part{number}"] = plain
        body = {"required": True, "content": {"application/json": {"schema": one}}}
        several = {"type": "array", "items": one}
        paths[f"/parts{number}"] = {
            "get": {"tags": ["parts"], "parameters": [limit], "responses": replies(several)},
            "post": {"tags": ["parts"], "requestBody": body, "responses": replies(one)},
        }
        paths[f"/parts{number}/{{id}}"] = {
            "get": {"tags": ["parts"], "parameters": [key], "responses": replies(one)},
            "delete": {"parameters": [key], "responses": {"204": {"description": "gone"}}},
        }
    whole = {"openapi": "3.1.0", "info": {"title": "Many", "version": "1"}, "paths": paths}
    return json.loads(json.dumps({**whole, "components": {"schemas": schemas}}))  # no aliases


def replies(schema: Any) -> dict[str, Any]:
    """Two replies, as most operations have."""
    content = {"application/json": {"schema": schema}}
    wrong = {
        "application/json": {
            "schema": {"type": "object", "properties": {"detail": {"type": "string"}}}
        }
    }
    return {
        "200": {"description": "found", "content": content},
        "422": {"description": "wrong", "content": wrong},
    }


def peak_megabytes() -> float:
    """The most memory that this process had at a time."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def httpx_client(kiosk: Any) -> Any:
    """A client of the kiosk."""
    import httpx

    return httpx.Client(transport=kiosk.for_httpx())


if __name__ == "__main__":
    main()
