"""Recorded traffic, HAR 1.2: read, served, written; compared with what browsers and other readers
make of it.
"""

import base64
import json
import re
from pathlib import Path
from typing import Any

import httpx
import pytest
from haralyzer import HarParser

import chromium
from urnshelf import FileRefused, RefusalHidden, Shelf, cue, raising, tally
from urnshelf.demo.harbour import Berth
from urnshelf.kiosk import response

PAGE = """<!doctype html><title>berths</title><ul id="list"></ul><script>
(async () => {
  const all = await (await fetch('/api/berths?harbour=Ternhythe&size=2')).json();
  for (const one of all) {
    const headers = {Authorization: 'Bearer s3cret'};
    const berth = await (await fetch('/api/berths/' + one.id, {headers})).json();
    document.getElementById('list').append(berth.code);
  }
  const body = JSON.stringify({...all[0], id: 9, code: 'Z-99'});
  const made = await fetch('/api/berths', {method: 'POST', body, headers: {'Content-Type': 'application/json'}});
  await fetch('/api/log-in', {method: 'POST', body: new URLSearchParams({user: 'desk', password: 'p4ss'})});
  document.title = 'done';
})();
</script>"""


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_what_a_browser_recorded_is_served_again(tmp_path: Path) -> None:
    har = tmp_path / "port.har"
    asked: list[tuple[str, str]] = []
    with Shelf(seed=7) as shelf, shelf.refusals_expected():
        real = shelf.kiosk("port")
        cue(real.route("GET", "/")).gives(response(text=PAGE, content_type="text/html"))
        cue(real.route("POST", "/api/log-in")).gives(
            response(json={"token": "t0ken"}, cookies={"session": "s3ss"}, compress="gzip")
        )
        shelf.stock(Berth, 3, harbour="Ternhythe")
        real.collection("/api/berths", Berth)
        with real.serve() as url:
            har.write_text(chromium.recorded(url), "utf-8")
            with httpx.Client(base_url=url) as client:
                berths = client.get("/api/berths?harbour=Ternhythe&size=2").json()
                one = client.get("/api/berths/1")
    assert json.loads(har.read_text())["log"]["creator"]["name"] == "WebInspector"
    with Shelf() as shelf:
        kiosk = shelf.kiosk("port", answer_from=har)
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        assert client.get("/").text == PAGE
        assert client.get("/api/berths?size=2&harbour=Ternhythe").json() == berths
        again = client.get("/api/berths/1")
        assert (again.json(), again.headers["etag"]) == (one.json(), one.headers["etag"])
        made = client.post("/api/berths", json={**berths[0], "id": 9, "code": "Z-99"})
        assert (made.status_code, made.json()["code"]) == (201, "Z-99")
        log_in = client.post("/api/log-in", data={"user": "desk", "password": "another"})
        assert log_in.json() == {"token": "…"}
        berth = kiosk.route("GET", "/api/berths/{berth_id:int}")
        assert tally(berth, berth_id=1) == 1
        asked = [line for line in kiosk.notes if "masked" in line]
        with shelf.refusals_expected():
            told = client.get("/api/berths/7").text
        assert "the file port.har has no reply to it" in told
    assert asked == [
        "port.har: field password masked, 1 ×",
        "port.har: field token masked, 1 ×",
        "port.har: header authorization masked, 2 ×",
        "port.har: header set-cookie masked, 1 ×",
    ]


def entry(
    url: str, reply: Any = None, method: str = "GET", status: int = 200, **more: Any
) -> dict[str, Any]:
    """An entry as the format has it."""
    content = {"size": -1, "mimeType": "application/json", "text": json.dumps(reply)}
    return {
        "startedDateTime": "2030-06-01T12:00:00Z", "time": 1, "cache": {}, "timings": {},
        "request": {"method": method, "url": url, "headers": [], "queryString": [], **more},
        "response": {"status": status, "headers": [], "content": content},
    }  # fmt: skip


def written(folder: Path, entries: Any, **log: Any) -> Path:
    path = folder / "port.har"
    path.write_text(json.dumps({"log": {"version": "1.2", "entries": entries, **log}}), "utf-8")
    return path


def served(shelf: Shelf, path: Path, **options: Any) -> tuple[Any, httpx.Client]:
    kiosk = shelf.kiosk("port", answer_from=path, **options)
    return kiosk, httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")


def test_requests_that_differ_in_keys_are_one_route(shelf: Shelf, tmp_path: Path) -> None:
    host = "https://port.example"
    uuid = "0b1f6a52-7c7e-4f0b-9a55-000000000007"
    paths = [
        "/berths/1", "/berths/2", f"/vessels/{uuid}/papers/7", "/berths/B-7/depth",
        "/v2/cities/44444444a/tides", "/berths", "/berths/free", "/companies/007",
    ]  # fmt: skip
    kiosk, client = served(shelf, written(tmp_path, [entry(host + one, one) for one in paths]))
    assert [one.member.name for one in kiosk._routes.all()] == [
        "GET /berths/{berth_id:int}", "GET /vessels/{vessel_id}/papers/{paper_id:int}",
        "GET /berths/{berth_id}/depth", "GET /v2/cities/{city_id}/tides", "GET /berths",
        "GET /berths/free", "GET /companies/{company_id}",
    ]  # fmt: skip
    for one in paths:
        assert client.get(one).json() == one


def test_replies_to_the_same_request_come_in_turn(shelf: Shelf, tmp_path: Path) -> None:
    url = "http://port.example/depth"
    entries = [entry(url, n) for n in (1, 2, 2)] + [entry(f"{url}?at=noon", 9)]
    _, client = served(shelf, written(tmp_path, entries))
    assert [client.get("/depth").json() for _ in range(4)] == [1, 2, 2, 2]
    assert client.get("/depth?at=noon").json() == 9
    with shelf.refusals_expected():
        assert 'nearest   GET /depth {"query": {"at": "noon"}}' in client.get("/depth?at=now").text


def test_a_cue_goes_before_the_file(shelf: Shelf, tmp_path: Path) -> None:
    kiosk, client = served(shelf, written(tmp_path, [entry("http://h.example/berths/1", "old")]))
    cue(kiosk.route("GET", "/berths/{berth_id:int}"), berth_id=2).gives(response(json="new"))
    assert [client.get(f"/berths/{n}").json() for n in (1, 2)] == ["old", "new"]


def test_bodies_of_every_kind(shelf: Shelf, tmp_path: Path) -> None:
    image = entry("http://h.example/plan.png")
    image["response"]["content"] = {
        "size": 3, "mimeType": "image/png", "encoding": "base64",
        "text": base64.b64encode(b"\x00\xff\x01").decode(),
    }  # fmt: skip
    form = entry("http://h.example/log-in", "in", "POST", postData={
        "mimeType": "application/x-www-form-urlencoded", "params": [{"name": "user", "value": "a b"}]})  # fmt: skip
    two = entry("http://h.example/two")
    two["response"]["headers"] = [{"name": "Set-Cookie", "value": "a=1\nb=2"},
        {"name": "Content-Encoding", "value": "br"}, {"name": ":status", "value": "200"}]  # fmt: skip
    none = entry("http://h.example/gone", status=204, method="DELETE")
    old = entry("http://h.example/old")
    old["response"]["content"] = {
        "size": 3, "mimeType": "text/plain; charset=iso-8859-1", "text": "Kai é"}  # fmt: skip
    spaced = entry("http://h.example/spaced")
    spaced["response"]["content"]["text"] = '{"a":  1.50}'
    entries = [image, form, two, none, old, spaced]
    _, client = served(shelf, written(tmp_path, entries, version="1.1"), unmasked=True)
    assert client.get("/plan.png").content == b"\x00\xff\x01"
    assert client.post("/log-in", data={"user": "a b"}).json() == "in"
    got = client.get("/two")
    assert got.headers.get_list("set-cookie") == ["a=1", "b=2"]
    assert "content-encoding" not in got.headers
    assert client.delete("/gone").status_code == 204
    assert client.get("/old").content == "Kai é".encode("latin-1")
    assert client.get("/spaced").text == '{"a":  1.50}'  # byte for byte


def test_what_cannot_be_served_is_told(shelf: Shelf, tmp_path: Path) -> None:
    lost = entry("http://h.example/lost")
    lost["response"]["content"] = {"size": 9, "mimeType": "text/plain"}
    entries = [
        lost, entry("data:text/plain,x"), entry("http://h.example/failed", status=0),
        entry("wss://h.example/live", status=101), entry("http://h.example/c", method="CONNECT"),
        entry("http://h.example/kept", 1),
    ]  # fmt: skip
    kiosk, _ = served(shelf, written(tmp_path, entries))
    assert kiosk.notes == [
        "port.har: replies whose body was not recorded: 1 left out",
        "port.har: requests without a network (data:, blob:, websockets): 2 left out",
        "port.har: requests without a reply: 1 left out",
        "port.har: requests by CONNECT: 1 left out",
    ]
    assert repr(kiosk) == "<kiosk port, 1 routes, 4 notes: see .notes>"


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ("{", "port.har, line 1, column 2: it is no JSON"),
        ("[]", "port.har, #: a mapping is wanted, not []"),
        ({}, "port.har, #/log: a mapping is wanted, not None"),
        ({"log": {"version": "2.0", "entries": []}}, "port.har, #/log/version: 1.2 is read, not '2.0'"),
        ({"log": {}}, "port.har, #/log: it has no entries"),
        ({"log": {"entries": {}}}, "port.har, #/log/entries: a list is wanted, not {}"),
        ({"log": {"entries": [7]}}, "port.har, #/log/entries/0: a mapping is wanted, not 7"),
        ({"log": {"entries": [{"request": {}}]}}, "port.har, #/log/entries/0/response: a mapping"),
        ([{"request": {"url": 1}}], "port.har, #/log/entries/0/request/url: a text is wanted, not 1"),
        ([{"request": {"url": "http:///x"}}], "request/url: an address with a host is wanted"),
        ([{"response": {"status": "ok"}}], "response/status: a whole number is wanted, not 'ok'"),
        ([{"response": {"status": 900}}], "response/status: 200 to 599 is wanted, not 900"),
        ([{"response": {"headers": [{"value": "x"}]}}], "headers/0/name: a text is wanted, not None"),
        ([{"response": {"headers": [{"name": "a b", "value": "x"}]}}], "response/headers: headers: 'a b' is no name"),
        ([{"response": {"content": {"text": "%", "encoding": "base64"}}}], "content/text: it is no base64"),
        ([{"response": {"content": {"text": "x", "encoding": "zip"}}}], "content/encoding: base64 is read"),
    ],
)  # fmt: skip
def test_a_file_that_is_none(tmp_path: Path, data: Any, told: str) -> None:
    path = tmp_path / "port.har"
    if isinstance(data, list):
        good = entry("http://h.example/a", 1)
        entries = [{**good, **{part: {**good[part], **more} for part, more in data[0].items()}}]
        data = {"log": {"version": "1.2", "entries": entries}}
    path.write_text(data if isinstance(data, str) else json.dumps(data))
    with Shelf() as shelf, pytest.raises(FileRefused, match=re.escape(told)):
        shelf.kiosk("port", answer_from=path)


def test_two_hosts_with_the_same_request(shelf: Shelf, tmp_path: Path) -> None:
    entries = [entry("http://a.example/x", 1), entry("http://b.example/x", 2)]
    told = "GET /x was asked of a.example and of b.example, and a kiosk is one of them"
    with pytest.raises(FileRefused, match=told):
        shelf.kiosk("port", answer_from=written(tmp_path, entries))


# --- out ------------------------------------------------------------------------------------------


def test_the_ledger_is_written_for_other_tools(tmp_path: Path) -> None:
    path = tmp_path / "out.har"
    with pytest.raises(RefusalHidden), Shelf() as shelf:
        kiosk = shelf.kiosk("port")
        cue(kiosk.route("GET", "/berths")).gives(response(json=[{"id": 1, "token": "t0ken"}]))
        cue(kiosk.route("POST", "/log-in")).gives(
            response(302, headers={"Location": "/in?token=t0ken"}, cookies={"session": "s3ss"})
        )
        cue(kiosk.route("GET", "/plan")).gives(response(body=b"\x00\xff", content_type="image/png"))
        cue(kiosk.route("GET", "/late")).gives(response(text="é")).waits(0.01)
        cue(kiosk.route("GET", "/down")).gives(raising(ConnectionResetError()))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        client.get("/berths?harbour=Ternhythe&api_key=k3y", headers={"Authorization": "Bearer s3c"})
        client.post("/log-in", data={"user": "desk", "password": "p4ss"})
        client.get("/plan")
        client.get("/late")
        client.get("/nowhere")
        with pytest.raises(httpx.ReadError):
            client.get("/down")
        masked = kiosk.save_traffic(path)
        whole = tmp_path / "whole.har"
        assert kiosk.save_traffic(whole, unmasked=True) == []
        with pytest.raises(FileRefused, match=re.escape("a file that ends in .har")):
            kiosk.save_traffic(tmp_path / "out.json")
    text = path.read_text("utf-8")
    for secret in ("k3y", "s3c", "p4ss", "t0ken", "s3ss"):
        assert secret not in text
        assert secret in whole.read_text("utf-8")
    assert "header authorization masked, 1 ×" in masked
    parser = HarParser(json.loads(text))  # a reader that nobody here wrote
    assert parser.version == "1.2"
    entries = parser.pages[0].entries if parser.pages else parser.har_data["entries"]
    found = [(one["request"]["method"], one["response"]["status"]) for one in entries]
    assert found == [
        ("GET", 200),
        ("POST", 302),
        ("GET", 200),
        ("GET", 200),
        ("GET", 0),
        ("GET", 0),
    ]
    assert entries[3]["time"] >= 10
    assert base64.b64decode(entries[2]["response"]["content"]["text"]) == b"\x00\xff"
    assert "nothing answers it" in entries[4]["response"]["_error"]


@pytest.mark.skipif(not chromium.IS_THERE, reason="Chromium is not installed")
def test_a_browsers_own_tools_open_it(shelf: Shelf, tmp_path: Path) -> None:
    kiosk = shelf.kiosk("port")
    cue(kiosk.route("GET", "/berths")).gives(response(json=[1, 2]))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    client.get("/berths?size=2")
    path = tmp_path / "out.har"
    kiosk.save_traffic(path)
    assert chromium.imported(path.read_text("utf-8")) == [
        ["http://port.example/berths?size=2", 200, "[1, 2]"]
    ]


def test_what_was_written_is_read_again(tmp_path: Path) -> None:
    path = tmp_path / "port.har"
    with Shelf() as shelf:
        kiosk = shelf.kiosk("port")
        cue(kiosk.route("GET", "/berths/{id}")).gives(response(json={"id": 1}, compress="gzip"))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        client.get("/berths/1?token=t")
        kiosk.save_traffic(path)
    with Shelf() as shelf:
        _, client = served(shelf, path)
        assert client.get("/berths/1?token=another").json() == {"id": 1}
