"""Kiosks of files: plans with `[[kiosk]]` tables, the command that serves them, and its page."""

import json
import os
import re
import signal
import ssl
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import pytest

import chromium
from urnshelf import FileRefused, RecordRefused, RefusalHidden, Shelf, cue, tally
from urnshelf.cli.main import main
from urnshelf.demo.harbour import Berth, Vessel
from urnshelf.kiosk import response

PLAN = """
format = 1
seed = 7

[tables.berths]
type = "urnshelf.demo.harbour:Berth"
count = 3
[tables.berths.rules]
harbour = "Ternhythe"

[tables.depths]
schema = "depth.json"
count = 2

[[kiosk]]
name = "port"
[[kiosk.collections]]
path = "/berths"
table = "berths"
records = 5
tags = ["berths"]
[[kiosk.routes]]
route = "GET /berths/{berth_id}/code"
reply = { template = "{{ berth.code }}", content_type = "text/csv" }

[[kiosk]]
name = "tides"
[[kiosk.routes]]
route = "GET /depths"
reply = { table = "depths", headers = { X-Gauge = "7" } }
[[kiosk.routes]]
route = "GET /stations/{code}/depth"
reply = { status = 404, json = { at = 2030-06-01 } }
[[kiosk.routes]]
route = "GET /stations/{code}/depth"
tags = ["tides"]
parameters = { code = "TER" }
asked_with = { query = { at = "noon" }, headers = { X-Gauge = "7" } }
replies = [{ status = 503 }, { breaks = "reset" }, { json = { depth_m = 6.3 } }]
when_spent = "cycle"
waits = 0.01
"""
DEPTH = {
    "type": "object", "required": ["m"],
    "properties": {"m": {"type": "number", "minimum": 1, "maximum": 9}},
}  # fmt: skip


@pytest.fixture
def plan(tmp_path: Path) -> Path:
    (tmp_path / "depth.json").write_text(json.dumps(DEPTH))
    path = tmp_path / "harbour.toml"
    path.write_text(PLAN)
    return path


def client_of(kiosk: Any) -> httpx.Client:
    return httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")


def test_a_plan_tells_routes_replies_and_collections(shelf: Shelf, plan: Path) -> None:
    port, tides = shelf.kiosk("port", plan=plan), shelf.kiosk("tides", plan=plan)
    assert shelf.records(Berth).count() == 5
    berths = client_of(port).get("/berths").json()
    assert {one["harbour"] for one in berths} == {"Ternhythe"}
    code = client_of(port).get("/berths/2/code")
    assert (code.text, code.headers["content-type"]) == (berths[1]["code"], "text/csv")
    assert client_of(port).post("/berths", json={**berths[0], "id": None}).status_code == 201
    client = client_of(tides)
    depths = client.get("/depths")
    assert [1 <= one["m"] <= 9 for one in depths.json()] == [True, True]
    assert depths.headers["X-Gauge"] == "7"
    assert client.get("/stations/TER/depth").json() == {"at": "2030-06-01"}
    noon: Callable[[], httpx.Response] = lambda: client.get(  # noqa: E731
        "/stations/TER/depth?at=noon", headers={"X-Gauge": "7"}
    )
    assert noon().status_code == 503
    with pytest.raises(httpx.ReadError):
        noon()
    assert noon().json() == {"depth_m": 6.3}
    assert noon().status_code == 503
    depth = tides.route("GET", "/stations/{code}/depth")
    assert tally(depth, code="TER") == 5
    cue(depth).gives(response(json="mine"))  # a test's own cue goes before
    assert noon().json() == "mine"


def test_what_a_plan_set_is_told_with_its_line(plan: Path) -> None:
    line = 1 + PLAN.splitlines().index("reply = { status = 404, json = { at = 2030-06-01 } }") - 2
    with pytest.raises(RefusalHidden) as failed, Shelf() as shelf:
        tides = shelf.kiosk("tides", plan=plan)
        client_of(tides).post("/stations/TER/depth")
        tides.route("POST", "/stations/{code}/depth")
    assert "nearest route GET /stations/{code}/depth" in str(failed.value)
    place = tides.route("GET", "/stations/{code}/depth")._target.cues[-1].place
    assert (Path(place.file).name, place.line) == ("harbour.toml", line)


def test_documents_and_traffic_in_a_plan(shelf: Shelf, tmp_path: Path) -> None:
    paths = {"/depth": {"get": {"responses": {"200": {"description": "ok"}}}}}
    (tmp_path / "tides.json").write_text(json.dumps({"openapi": "3.1.0", "paths": paths}))
    plan = tmp_path / "plan.toml"
    plan.write_text("""
        format = 1
        [[kiosk]]
        name = "tides"
        openapi = "tides.json"
        [[kiosk.routes]]
        route = "GET /depth"
        reply = { status = 503, undocumented = true }
        """)
    assert client_of(shelf.kiosk("tides", plan=plan)).get("/depth").status_code == 503
    assert main(["draw", str(plan)]) == 2


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('name = "tides"', 'nam = "tides"', "harbour.toml, kiosk 2: give it a name"),
        ('name = "tides"', 'name = "port"', "harbour.toml: there are two kiosks 'port'"),
        ("[[kiosk.collections]]", "[[kiosk.colections]]", "harbour.toml, kiosk 'port': 'colections' is not known; did you mean 'collections'?"),
        ('table = "berths"', 'table = "berth"', "collection '/berths': there is no table 'berth'; did you mean 'berths'?"),
        ('table = "berths"', 'table = "depths"', "the table 'depths' is of a JSON Schema, and records of a type are kept"),
        ("records = 5", 'records = "many"', "records = 'many', but a whole number from 0 is needed"),
        ("{berth_id}/code", "{berth_id/code", "route 'GET /berths/{berth_id/code': '/berths/{berth_id/code': a brace has no other"),
        ("template =", "templte =", "'templte' is not known; did you mean 'template'?"),
        ('{{ berth.code }}"', '{{ berth.code"', "route 'GET /berths/{berth_id}/code': from_template('{{ berth.code'): line 1: unexpected end of template"),
        ('route = "GET /depths"', 'route = "FETCH /depths"', "there is no method FETCH"),
        ("status = 404", "status = 999", "route 'GET /stations/{code}/depth': response(999): a status is"),
        ('parameters = { code = "TER" }', "parameters = { kode = 1 }", "kode"),
        ('parameters = { code = "TER" }', "parameters = 7", "parameters = 7, but a table is needed"),
        ("query = {", "quary = {", "asked_with(quary=…): a request has query"),
        ('"reset"', '"rest"', "breaks = 'rest'; did you mean 'reset'?"),
        ('when_spent = "cycle"', 'when_spent = "round"', "when_spent"),
        ("waits = 0.01", "waits = -1", "waits(-1)"),
        ('tags = ["tides"]', 'tags = "tides"', "tags = 'tides', but a list of texts is needed"),
        ("[[kiosk]]\nname = \"tides\"", "[kiosk2]\nname = \"tides\"", "'kiosk2' is not known; did you mean 'kiosk'?"),
    ],
)  # fmt: skip
def test_a_plan_that_is_wrong_is_told_with_its_place(
    plan: Path, old: str, new: str, told: str
) -> None:
    assert old in PLAN
    plan.write_text(PLAN.replace(old, new, 1))
    refused = (FileRefused, RecordRefused)
    with Shelf() as shelf, pytest.raises(refused, match=re.escape(told)) as why:
        for name in ("port", "tides"):
            kiosk = shelf.kiosk(name, plan=plan)
            client_of(kiosk).get("/berths/1/code")
    assert str(why.value).startswith("harbour.toml")


# --- the command ----------------------------------------------------------------------------------


class Serving:
    """The command while it runs."""

    def __init__(self, process: subprocess.Popen[str], path: Path) -> None:
        self.process = process
        self._path = path

    @property
    def said(self) -> str:
        return self._path.read_text("utf-8")

    def until(self, wanted: str) -> str:
        for _ in range(150):
            if re.search(wanted, self.said):
                return self.said
            assert self.process.poll() is None, self.said
            time.sleep(0.1)
        raise AssertionError(f"{wanted} did not come:\n{self.said}")

    @property
    def addresses(self) -> list[str]:
        self.until("Ctrl-C ends it")
        return re.findall(r"^\S+  (https?://\S+)$", self.said, re.MULTILINE)

    def stop(self, by: int = signal.SIGINT) -> int:
        self.process.send_signal(by)
        return self.process.wait(20)


@contextmanager
def serving(folder: Path, *words: str) -> Iterator[Serving]:
    out = folder / "said.txt"
    with out.open("w") as said:
        process = subprocess.Popen(
            [sys.executable, "-m", "urnshelf.cli", "serve", *words],
            cwd=folder, stdout=said, stderr=said, text=True, env={**os.environ, "NO_COLOR": "1"},
        )  # fmt: skip
    try:
        yield Serving(process, out)
    finally:
        process.kill()
        process.wait(10)


def test_a_plan_is_served(plan: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with serving(tmp_path, "harbour.toml", "--records", "2", "--seed", "8") as command:
        port, tides = command.addresses
        assert "  GET    /stations/{code}/depth  tides\n" in command.said
        assert len(httpx.get(f"{port}/berths").json()) == 2
        assert httpx.get(f"{tides}/stations/NOR/depth").status_code == 404
        assert httpx.get(f"{tides}/station").status_code == 501
        said = command.until("GET /station  nobody")
        assert re.search(r"port   200 OK  GET /berths  the shelf's records, [0-9.]+ ms\n", said)
        assert "404 Not Found  GET /stations/NOR/depth  the cue at harbour.toml:" in said
        assert "the request has: /station\n" in said
        assert command.stop() == 0
        assert "stopped; 3 requests in harbour.ledger.jsonl" in command.said
    assert main(["ledger", str(tmp_path / "harbour.ledger.jsonl")]) == 0
    assert "tides: GET /stations/{code}/depth(code='NOR'" in capsys.readouterr().out


def test_a_file_is_read_anew_when_it_changes(plan: Path, tmp_path: Path) -> None:
    with serving(tmp_path, "harbour.toml", "--follow", "--ledger", "asked.har") as command:
        tides = command.addresses[1]
        url = f"{tides}/stations/NOR/depth"
        assert httpx.get(url).status_code == 404
        plan.write_text(PLAN.replace("status = 404", "status = 410"))
        command.until("harbour.toml was read anew: 2 kiosks, new records")
        assert httpx.get(url).status_code == 410
        plan.write_text(PLAN.replace("status = 404", "status = 9"))
        command.until(r"response\(9\): a status is a whole number, 200 to 599")
        assert httpx.get(url).status_code == 410  # as before it goes on
        (tmp_path / "depth.json").write_text("{")
        plan.write_text(PLAN)
        command.until("the schema depth.json is no JSON")
        assert command.stop(signal.SIGTERM) == 0
    entries = json.loads((tmp_path / "asked.har").read_text())["log"]["entries"]
    assert [one["response"]["status"] for one in entries] == [404, 410, 410]


def test_a_document_is_served_by_https(tmp_path: Path) -> None:
    schema = {"type": "array", "items": {"type": "integer", "minimum": 0, "maximum": 9}}
    content = {"application/json": {"schema": schema}}
    get = {"tags": ["depths"], "responses": {"200": {"description": "", "content": content}},
           "callbacks": {"tide": {"{$url}": {}}}}  # fmt: skip
    document = {"openapi": "3.1.0", "servers": [{"url": "/v2"}], "paths": {"/depths": {"get": get}}}
    (tmp_path / "tides.json").write_text(json.dumps(document))
    with serving(tmp_path, "tides.json", "--tls", "--records", "4") as command:
        [address] = command.addresses
        assert address.startswith("https://")
        [file] = re.findall(r"a client must trust  (\S+)", command.said)
        with httpx.Client(verify=ssl.create_default_context(cafile=file)) as client:
            assert len(client.get(f"{address}/v2/depths").json()) == 4
        assert "  GET    /v2/depths  depths\n" in command.said
        assert "  GET /depths: the callback tide is not sent\n" in command.said
        assert command.stop() == 0


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_a_page_of_another_origin_may_ask_it(plan: Path, tmp_path: Path, shelf: Shelf) -> None:
    kiosk = shelf.kiosk("front end")
    cue(kiosk.route("GET", "/")).gives(response(text="<title>x</title>", content_type="text/html"))
    cue(kiosk.route("GET", "/favicon.ico")).gives(response(404))
    with serving(tmp_path, "harbour.toml") as command, kiosk.serve() as page:
        port = command.addresses[0]
        asks = f"""(async () => {{
          const headers = {{'Content-Type': 'application/json', 'X-Desk': 'd'}};
          const berth = {{...(await (await fetch('{port}/berths/1')).json()), id: 99}};
          const made = await fetch('{port}/berths', {{method: 'POST', headers, body: JSON.stringify(berth)}});
          return [made.status, made.headers.get('location')];
        }})()"""
        assert chromium.in_a_browser(page, lambda evaluate: evaluate(asks)) == [201, "/berths/99"]
        assert command.stop() == 0


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["nowhere.toml"], "nowhere.toml: there is no such file"),
        (["harbour.txt"], "harbour.txt: the ending must be one of .toml, .yaml"),
        (["plain.toml"], "plain.toml has no kiosks; begin one with [[kiosk]]"),
        (["bad.har"], "bad.har, #/log: a mapping is wanted"),
        (["good.har", "--records", "3"], "nothing of recorded traffic is drawn"),
        (["good.har", "--ledger", "x.txt"], "--ledger x.txt: the ending must be .jsonl or .har"),
        (["good.har", "--ledger", "no/x.har"], "there is no folder no"),
        (["good.har", "--port", "70000"], "a port is a number from 0 to 65535"),
        (["other.har"], "other.ledger.jsonl: it is no ledger"),
    ],
)
def test_what_cannot_be_served_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str],
    words: list[str], told: str,
) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    Path("plain.toml").write_text(
        'format = 1\n[tables.berths]\ntype = "urnshelf.demo.harbour:Berth"'
    )
    Path("bad.har").write_text("{}")
    for name in ("good.har", "other.har"):
        Path(name).write_text('{"log": {"version": "1.2", "entries": []}}')
    Path("other.ledger.jsonl").write_text('{"mine": 1}\n')
    assert main(["serve", *words]) == 2
    assert told in capsys.readouterr().err
    assert json.loads(Path("other.ledger.jsonl").read_text()) == {"mine": 1}


def test_a_port_that_is_taken(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "a.har").write_text('{"log": {"version": "1.2", "entries": []}}')
    with Shelf() as shelf, shelf.kiosk("port").serve() as url:
        assert main(["serve", str(tmp_path / "a.har"), "--port", url.rpartition(":")[2]]) == 2
    assert "Address already in use" in capsys.readouterr().err


# --- the page -------------------------------------------------------------------------------------


@pytest.fixture
def page(shelf: Shelf, plan: Path) -> Iterator[tuple[Any, str]]:
    """A kiosk with some requests, and its page's address."""
    tides = shelf.kiosk("tides", plan=plan)
    with tides.serve() as url:
        httpx.get(f"{url}/stations/TER/depth?at=noon", headers={"X-Gauge": "7"})
        httpx.get(f"{url}/stations/TER/depth?at=dusk</script>", headers={"X-Gauge": "8"})
        with shelf.refusals_expected():
            httpx.post(f"{url}/stations/TER/depth", json={"it's": [1]})
        yield tides, f"{url}/_urnshelf"


def test_one_request_in_full(page: tuple[Any, str]) -> None:
    tides, url = page
    first = httpx.get(f"{url}/calls/1").json()
    assert first["title"].startswith(
        "answered by cue(tides: GET /stations/{code}/depth, code='TER')"
    )
    assert first["conditions"] == [
        {"name": "method", "wanted": "GET", "came": "GET", "fits": True},
        {"name": "path", "wanted": "/stations/{code}/depth", "came": "/stations/TER/depth", "fits": True},
        {"name": "path code", "wanted": "'TER'", "came": "'TER'", "fits": True},
        {"name": "query['at']", "wanted": "'noon'", "came": "'noon'", "fits": True},
        {"name": "headers['X-Gauge']", "wanted": "'7'", "came": "'7'", "fits": True},
    ]  # fmt: skip
    assert first["parts"][2]["text"] == "503 Service Unavailable"
    third = httpx.get(f"{url}/calls/3").json()
    assert third["title"] == "nothing fitted; the nearest route is GET /stations/{code}/depth"
    assert [one["fits"] for one in third["conditions"]] == [False, True]
    assert "and nothing answers it." in third["parts"][0]["text"]
    assert httpx.get(f"{url}/calls/99").status_code == 404
    assert tally(tides.route("GET", "/stations/{code}/depth")) == 2  # the page asks nothing of it


def test_a_request_as_curl_and_as_a_cue_line(shelf: Shelf, page: tuple[Any, str]) -> None:
    _, url = page
    told = httpx.get(f"{url}/calls/3").json()["copy"]
    with shelf.refusals_expected():
        again = subprocess.run(
            told[0]["text"].replace("curl ", "curl -s ", 1),
            shell=True, capture_output=True, text=True, timeout=20,
        )  # fmt: skip
    assert "and nothing answers it." in again.stdout
    assert (
        httpx.get(f"{url}/calls/4").json()["parts"][1]["text"].endswith('"it\'s": [\n    1\n  ]\n}')
    )
    with Shelf() as other:  # the line works when pasted
        exec(told[1]["text"], {"shelf": other, "cue": cue, "response": response})
        client = client_of(other.kiosk("tides"))
        assert client.post("/stations/TER/depth", json={"it's": [1]}).json() == {}
    line = httpx.get(f"{url}/calls/1").json()["copy"][1]["text"]
    assert line == (
        'cue(shelf.kiosk("tides").route("GET", "/stations/{code}/depth"), code=\'TER\')'
        ".asked_with(query={'at': 'noon'}).gives(response(503))"
    )
    har = httpx.get(f"{url}/traffic.har").json()
    assert len(har["log"]["entries"]) == 4


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_the_page_in_a_browser(page: tuple[Any, str]) -> None:
    _, url = page
    kiosk_url = url.removesuffix("/_urnshelf")
    text = httpx.get(url).text
    assert not re.findall(r'(?:src|href)="https?:|@import|url\(', text)  # it needs no network
    assert text.count("</script>") == 2
    rows = (
        "[...document.querySelectorAll('.row')].map((one) => one.querySelector('.w').textContent)"
    )
    key = "dispatchEvent(new KeyboardEvent('keydown', {key: '%s', bubbles: true}))"

    async def steps(evaluate: chromium.Evaluate) -> None:
        await chromium.until(evaluate, "document.querySelectorAll('.row').length === 3")
        groups = await evaluate(
            "[...document.querySelectorAll('.group')].map((one) => one.textContent.trim())"
        )
        assert groups == ["GET/depths", "GET/stations/{code}/depth2"]
        assert await evaluate(
            "[...document.querySelectorAll('.tag')].map((o) => o.textContent)"
        ) == ["tides"]
        # as they come
        httpx.get(f"{kiosk_url}/depths")
        await chromium.until(evaluate, "document.querySelectorAll('.row').length === 4")
        assert (await evaluate(rows))[0] == "GET /depths"
        # searched as one types
        await evaluate("find.value = 'dusk'; find.dispatchEvent(new Event('input'))")
        await chromium.until(evaluate, "document.querySelectorAll('.row').length === 1")
        assert await evaluate("document.querySelectorAll('mark')[0].textContent") == "dusk"
        # by keyboard
        await evaluate(f"find.blur(); {key % 'Escape'}; {key % 'j'}")
        await chromium.until(evaluate, "detail.querySelectorAll('.asked').length > 0")
        await evaluate(key % "j")
        await chromium.until(evaluate, "detail.textContent.includes('nothing fitted')")
        differing = "[...detail.querySelectorAll('.asked.differs')].map((one) => one.textContent)"
        assert await evaluate(differing) == ["✗methodGETPOST"]
        await evaluate(f"errors.click(); {key % '/'}")
        assert await evaluate(rows) == ["POST /stations/TER/depth"]
        assert await evaluate("document.activeElement.id") == "find"
        await evaluate(f"find.blur(); {key % 'Escape'}; document.querySelector('.tag').click()")
        assert len(await evaluate(rows)) == 2
        wide = "document.documentElement.scrollWidth <= innerWidth"
        assert await evaluate(wide)

    chromium.in_a_browser(url, steps)


def test_a_page_of_a_kiosk_without_anything(shelf: Shelf) -> None:
    with shelf.kiosk("tides").serve() as url:
        text = httpx.get(f"{url}/_urnshelf").text
        assert "no routes yet" in text
        assert httpx.get(f"{url}/_urnshelf/calls?after=x").json() == {"entries": [], "anew": False}
        assert httpx.head(f"{url}/_urnshelf").content == b""


def test_records_of_two_kiosks_are_of_one_shelf(shelf: Shelf, plan: Path) -> None:
    plan.write_text(PLAN + '[[kiosk.collections]]\npath = "/b"\ntable = "berths"\n')
    port, tides = shelf.kiosk("port", plan=plan), shelf.kiosk("tides", plan=plan)
    berths = client_of(port).get("/berths").json()
    assert client_of(tides).get("/b").json() == berths
    assert client_of(tides).delete("/b/1").status_code == 204
    assert client_of(port).get("/berths/1").status_code == 404
    assert shelf.records(Vessel).count() == 0
