"""Kiosks from OpenAPI documents: every operation served, what is forbidden noticed, what is not
promised refused; compared with published frameworks and validators.
"""

import copy
import json
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from random import Random
from typing import Any
from urllib.parse import quote

import httpx
import jsonschema
import pytest
import yaml
from openapi_core import OpenAPI
from openapi_core.testing import MockRequest
from openapi_schema_validator import (
    OAS30ReadValidator,
    OAS30WriteValidator,
    oas30_format_checker,
)
from werkzeug.datastructures import ImmutableMultiDict

import open_apis
from urnshelf import Shelf, Urn, cue, raising, tally
from urnshelf.demo.harbour import Berth
from urnshelf.errors import (
    CueRefused,
    FileRefused,
    RefusalHidden,
    ReplyRefused,
    SettingRefused,
    UrnShelfError,
)
from urnshelf.kiosk import from_document, from_record, response, undocumented

METHODS = ("get", "put", "post", "delete", "patch")


@cache
def document(name: str) -> dict[str, Any]:
    return json.loads(json.dumps(open_apis.DOCUMENTS[name](), default=str))


def written(folder: Path, data: Any, name: str = "port.json") -> Path:
    path = folder / name
    path.parent.mkdir(parents=True, exist_ok=True)
    text = data if isinstance(data, str) else json.dumps(data)
    path.write_text(text, "utf-8")
    return path


def led(data: Any, root: dict[str, Any]) -> Any:
    while isinstance(data, dict) and "$ref" in data:
        found: Any = root
        for word in data["$ref"].split("/")[1:]:
            found = found[word]
        data = found
    return data


def operations(root: dict[str, Any]) -> Iterator[tuple[str, str, dict[str, Any], list[Any]]]:
    for path, item in root["paths"].items():
        for method in METHODS:
            if method in item:
                own = item[method].get("parameters", [])
                several = [led(one, root) for one in [*item.get("parameters", []), *own]]
                by_key = {(one["name"], one["in"]): one for one in several}
                yield method, path, item[method], list(by_key.values())


def text_of(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    return ",".join(map(text_of, value)) if isinstance(value, list) else str(value)


def whole(schema: Any, root: dict[str, Any]) -> dict[str, Any]:
    """A schema with those of the document that it refers to."""
    found: dict[str, Any] = {}
    waiting = [schema]
    while waiting:
        for name in re.findall(r"#/components/schemas/([^\"]+)", json.dumps(waiting.pop())):
            if name not in found:
                found[name] = root["components"]["schemas"][name]
                waiting.append(found[name])
    return {**schema, "components": {"schemas": found}}


def drawn(schema: Any, root: dict[str, Any], seed: int) -> Any:
    return Urn(seed).draw(whole(schema, root))


def asked(
    root: dict[str, Any], method: str, path: str, operation: dict[str, Any], parameters: list[Any],
    seed: int = 0, without: tuple[str, str] | None = None,
) -> httpx.Request:  # fmt: skip
    """A request that the document takes; without one of its parameters."""
    base = root.get("servers", [{"url": ""}])[0]["url"]
    headers: dict[str, str] = {}
    query: list[tuple[str, str]] = []
    cookies: list[str] = []
    for one in parameters:
        if not one.get("required") or (one["name"], one["in"]) == without:
            continue
        text = text_of(drawn(one["schema"], root, seed))
        if one["in"] == "path":
            path = path.replace(f"{{{one['name']}}}", quote(text, safe=""))
        elif one["in"] == "query":
            query.append((one["name"], text))
        elif one["in"] == "header":
            headers[one["name"]] = text
        else:
            cookies.append(f"{one['name']}={text}")
    if cookies:
        headers["Cookie"] = "; ".join(cookies)
    for way in operation.get("security", []):
        for name in way:
            scheme = root["components"]["securitySchemes"][name]
            headers[scheme.get("name", "Authorization")] = "Bearer x"
    body, sent = led(operation.get("requestBody", {}), root).get("content", {}), {}
    if without != ("", "body"):
        for media, content in body.items():
            value = drawn(content["schema"], root, seed)
            if media == "application/json":
                sent = {"json": value}
            elif media == "multipart/form-data":
                files = {name: ("a.pdf", b"%PDF") for name, one in value.items() if name == "scan"}
                rest = {name: text_of(one) for name, one in value.items() if name != "scan"}
                sent = {"files": files, "data": rest}
            else:
                sent = {"data": {name: text_of(one) for name, one in value.items()}}
    url = f"{base if '://' in base else f'http://port.example{base}'}{path}"
    return httpx.Request(method, url, params=query or None, headers=headers, **sent)


def check_reply(root: dict[str, Any], operation: dict[str, Any], reply: httpx.Response) -> None:
    status = str(reply.status_code)
    told = operation["responses"]
    promised = led(told.get(status) or told.get(f"{status[0]}XX") or told["default"], root)
    content = promised.get("content", {})
    if not content:
        assert reply.content == b""
        return
    schema = whole(content["application/json"]["schema"], root)
    if root["openapi"].startswith("3.0"):
        OAS30ReadValidator(schema, format_checker=oas30_format_checker).validate(reply.json())
    else:
        checker = jsonschema.Draft202012Validator.FORMAT_CHECKER
        jsonschema.Draft202012Validator(schema, format_checker=checker).validate(reply.json())


@pytest.mark.parametrize("name", open_apis.DOCUMENTS)
def test_every_operation_is_served_and_each_reply_is_valid(
    shelf: Shelf, tmp_path: Path, name: str
) -> None:
    root = document(name)
    kiosk = shelf.kiosk(name, openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx())
    count = 0
    for method, path, operation, parameters in operations(root):
        for seed in range(1 if len(root["paths"]) > 50 else 4):
            reply = client.send(asked(root, method, path, operation, parameters, seed))
            assert reply.is_success, reply.text
            check_reply(root, operation, reply)
            again = client.send(asked(root, method, path, operation, parameters, seed))
            assert again.content == reply.content
        count += 1
    assert 5 <= count == len(kiosk._routes)


@pytest.mark.parametrize("name", open_apis.DOCUMENTS)
def test_the_absence_of_each_required_parameter_is_noticed(
    shelf: Shelf, tmp_path: Path, name: str
) -> None:
    root = document(name)
    kiosk = shelf.kiosk(name, openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx())
    noticed = 0
    with shelf.refusals_expected():
        for method, path, operation, parameters in operations(root):
            lacking = [(p["name"], p["in"]) for p in parameters if p.get("required")]
            lacking = [one for one in lacking if one[1] != "path"]
            if led(operation.get("requestBody", {}), root).get("required"):
                lacking.append(("", "body"))
            for one in lacking:
                request = asked(root, method, path, operation, parameters, without=one)
                reply = client.send(request)
                what = "body" if one[1] == "body" else f"{one[1]} {one[0]}"
                assert reply.status_code == 501
                assert "the document port.json forbids it" in reply.text
                assert f"  {what}  <-- differs\n      it is lacking" in reply.text
                noticed += 1
    assert noticed


def test_500_operations_are_served_from_yaml(shelf: Shelf, tmp_path: Path) -> None:
    path = written(tmp_path, yaml.safe_dump(document("FastAPI, 500")), "many.yaml")
    kiosk = shelf.kiosk("many", openapi=path)
    assert repr(kiosk) == "<kiosk many, 500 routes>"
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://many.example")
    assert client.get("/parts496/7").json()["id"] == 7


# --- compared with other implementations ----------------------------------------------------------

NUMBERS = {"type": "array", "items": {"type": "integer"}, "maxItems": 3}
THING = {
    "type": "object", "required": ["a"], "additionalProperties": False,
    "properties": {"a": {"type": "integer"}, "b": {"type": "string"}},
}  # fmt: skip
PLAIN = [
    {"type": "integer", "minimum": 0}, {"type": "number"}, {"type": "string", "maxLength": 5},
    {"type": "boolean"}, {"type": "string", "format": "date"}, {"enum": ["m", "ft"]},
]  # fmt: skip


def of_parameters(parameters: list[dict[str, Any]], openapi: str = "3.1.0") -> dict[str, Any]:
    """A document with an operation for each parameter."""
    paths = {}
    for number, one in enumerate(parameters):
        path = f"/t{number}" + (f"/{{{one['name']}}}" if one["in"] == "path" else "")
        one = {"required": True, **one}
        paths[path] = {"get": {"parameters": [one], "responses": {"200": {"description": "ok"}}}}
    return {"openapi": openapi, "info": {"title": "t", "version": "1"}, "paths": paths}


def test_parameters_are_read_as_a_published_implementation_reads_them(
    shelf: Shelf, tmp_path: Path
) -> None:
    texts = ["7", "-1", "7.5", "x", "longer", "true", "2028-02-30", "2028-02-28", "m"]
    lists = ["1,2", "1", "1,x", "1,2,3,4"]
    things = ["a,1,b,x", "a,1", "b,x", "a,x", "a,1,c,2"]
    cases: list[tuple[dict[str, Any], str]] = []
    for where, style in [("path", "simple"), ("header", "simple"), ("query", "form")]:
        several = [(one, texts) for one in PLAIN] + [(NUMBERS, lists), (THING, things)]
        for schema, said in several:
            told = {"name": "p", "in": where, "style": style, "explode": False, "schema": schema}
            cases += [(told, text) for text in said]
    root = of_parameters([told for told, _ in cases])
    published = OpenAPI.from_dict(root)
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    forbidden = 0
    with shelf.refusals_expected():
        for number, (told, text) in enumerate(cases):
            where, path = told["in"], f"/t{number}"
            query = {"p": text} if where == "query" else None
            headers = {"p": text} if where == "header" else None
            path += f"/{text}" if where == "path" else ""
            theirs = published.unmarshal_request(
                MockRequest(
                    "http://port.example",
                    "get",
                    path,
                    headers=headers,
                    args=ImmutableMultiDict(query) if query else None,
                    view_args={"p": text} if where == "path" else None,
                )
            )
            ours = client.get(path, params=query, headers=headers)
            assert ours.is_success is not bool(theirs.errors), (told, text, theirs.errors)
            forbidden += not ours.is_success
    assert 40 < forbidden < len(cases) - 40


@pytest.mark.parametrize(
    ("style", "explode", "where", "text", "value"),
    [
        # the table of OpenAPI 3.1.1, section 4.8.12.6
        ("matrix", False, "path", ";color=blue", "blue"),
        ("matrix", False, "path", ";color=blue,black,brown", ["blue", "black", "brown"]),
        ("matrix", True, "path", ";color=blue;color=black", ["blue", "black"]),
        ("matrix", False, "path", ";color=R,100,G,200", {"R": 100, "G": 200}),
        ("matrix", True, "path", ";R=100;G=200", {"R": 100, "G": 200}),
        ("label", False, "path", ".blue", "blue"),
        ("label", False, "path", ".blue,black", ["blue", "black"]),
        ("label", True, "path", ".blue.black", ["blue", "black"]),
        ("label", False, "path", ".R,100,G,200", {"R": 100, "G": 200}),
        ("label", True, "path", ".R=100.G=200", {"R": 100, "G": 200}),
        ("simple", False, "path", "blue,black", ["blue", "black"]),
        ("simple", False, "path", "R,100,G,200", {"R": 100, "G": 200}),
        ("simple", True, "path", "R=100,G=200", {"R": 100, "G": 200}),
        ("simple", True, "header", "R=100,G=200", {"R": 100, "G": 200}),
        ("form", False, "query", "color=blue,black", ["blue", "black"]),
        ("form", True, "query", "color=blue&color=black", ["blue", "black"]),
        ("form", False, "query", "color=R,100,G,200", {"R": 100, "G": 200}),
        ("form", True, "query", "R=100&G=200", {"R": 100, "G": 200}),
        ("form", False, "query", "color=", ""),
        ("spaceDelimited", False, "query", "color=blue%20black", ["blue", "black"]),
        ("spaceDelimited", False, "query", "color=R%20100%20G%20200", {"R": 100, "G": 200}),
        ("pipeDelimited", False, "query", "color=blue%7Cblack", ["blue", "black"]),
        ("pipeDelimited", False, "query", "color=R|100|G|200", {"R": 100, "G": 200}),
        ("pipeDelimited", True, "query", "color=blue&color=black", ["blue", "black"]),
        ("deepObject", True, "query", "color%5BR%5D=100&color[G]=200", {"R": 100, "G": 200}),
        ("form", False, "cookie", "color=blue,black", ["blue", "black"]),
    ],
)
def test_every_style(
    shelf: Shelf, tmp_path: Path, style: str, explode: bool, where: str, text: str, value: Any
) -> None:
    schema: dict[str, Any] = {"type": "string", "const": value}
    if isinstance(value, list):
        schema = {"type": "array", "items": {"type": "string"}, "const": value}
    elif isinstance(value, dict):
        numbers = {name: {"type": "integer"} for name in value}
        schema = {"type": "object", "properties": numbers, "const": value}
    told = {"name": "color", "in": where, "style": style, "explode": explode, "schema": schema}
    other = {**told, "schema": {**schema, "const": {"dict": {}, "list": [], "str": "x"}[
        type(value).__name__]}}  # fmt: skip
    root = of_parameters([told, other])
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    for number, is_taken in [(0, True), (1, False)]:
        url = f"/t{number}" + {"path": f"/{text}", "query": f"?{text}"}.get(where, "")
        name = "Cookie" if where == "cookie" else "color"
        headers = {name: text} if where in ("header", "cookie") else None
        with shelf.refusals_expected():
            assert client.get(url, headers=headers).is_success is is_taken


def changed(value: Any, way: int) -> Any:
    """A value with something wrong in it, or not."""
    if isinstance(value, dict) and value:
        names = sorted(value)
        name = names[way % len(names)]
        if way % 3 == 0:
            return {n: one for n, one in value.items() if n != name}
        return {**value, name: changed(value[name], way // 2)}
    if isinstance(value, list) and value:
        return [changed(value[0], way), *value[1:]]
    return [None, "x", 7, -1.5, [], {}, True, "2028-02-31", 2**40][way % 9]


@pytest.mark.parametrize("name", ["FastAPI", "flask-smorest", "flask-openapi3", "apispec"])
def test_bodies_are_taken_as_a_published_validator_takes_them(
    shelf: Shelf, tmp_path: Path, name: str
) -> None:
    root = document(name)
    kiosk = shelf.kiosk(name, openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx())
    verdicts = []
    for method, path, operation, parameters in operations(root):
        body = led(operation.get("requestBody", {}), root).get("content", {})
        if "application/json" not in body:
            continue
        schema = whole(body["application/json"]["schema"], root)
        if root["openapi"].startswith("3.0"):
            checker: Any = OAS30WriteValidator(schema, format_checker=oas30_format_checker)
        else:
            formats = jsonschema.Draft202012Validator.FORMAT_CHECKER
            checker = jsonschema.Draft202012Validator(schema, format_checker=formats)
        for number in range(60):
            value = changed(drawn(schema, root, number), number)
            if isinstance(value, dict):
                value.pop("id", None)  # read-only: "should not be sent", and no error where it is
            request = asked(root, method, path, operation, parameters)
            content = json.dumps(value).encode()
            headers = {**request.headers, "content-type": "application/json"}
            headers["content-length"] = str(len(content))
            with shelf.refusals_expected():
                got = client.request(method, request.url, headers=headers, content=content)
            is_valid = checker.is_valid(value)
            assert ("<-- differs" not in got.text) is is_valid, (value, got.text)
            verdicts.append(is_valid)
    assert set(verdicts) == {True, False}


# --- what the document does not promise, or forbids -----------------------------------------------

TIDES = """
openapi: 3.1.0
info: {title: Tides, version: '1'}
servers: [{url: 'https://tides.example/v2'}]
paths:
  /stations/{code}/depth:
    parameters: [{name: code, in: path, required: true, schema: {type: string}}]
    get:
      tags: [depths]
      parameters:
        - {name: at, in: query, required: true, schema: {type: string, format: date-time}}
        - {name: unit, in: query, schema: {enum: [m, ft]}}
      responses:
        200:
          description: the depth
          headers: {X-Gauge: {required: true, schema: {type: integer, minimum: 1, maximum: 9}}}
          content:
            application/json: {schema: {$ref: '#/components/schemas/Depth'}}
            text/csv: {schema: {type: string}, example: "code,depth_m"}
        404:
          description: no such station
          content:
            application/json:
              schema: {type: object, required: [detail], properties: {detail: {type: string}}}
              examples: {closed: {value: {detail: it is closed}}}
  /stations/{code}/readings/{id}:
    put:
      parameters:
        - {name: code, in: path, required: true, schema: {type: string}}
        - {name: id, in: path, required: true, schema: {type: integer}}
      requestBody:
        required: true
        content: {application/json: {schema: {$ref: '#/components/schemas/Reading'}}}
      responses: {204: {description: kept}, default: {description: anything else}}
components:
  schemas:
    Depth:
      type: object
      required: [code, depth_m]
      properties:
        code: {type: string}
        depth_m: {type: number, minimum: 0, maximum: 30}
        mood: {type: string, example: calm}
    Reading:
      type: object
      required: [id, depth_m, secret]
      properties:
        id: {type: integer, readOnly: true}
        depth_m: {type: number}
        secret: {type: string, writeOnly: true}
"""
AT = "?at=2030-06-01T12:00:00Z"


@pytest.fixture
def tides(shelf: Shelf, tmp_path: Path) -> Any:
    return shelf.kiosk("tides", openapi=written(tmp_path, TIDES, "tides.yaml"))


@pytest.fixture
def client(tides: Any) -> httpx.Client:
    return httpx.Client(transport=tides.for_httpx(), base_url="https://tides.example/v2")


def test_a_reply_speaks_of_what_was_asked(client: httpx.Client) -> None:
    reply = client.get(f"/stations/TER/depth{AT}")
    assert reply.json()["code"] == "TER"
    assert reply.json().get("mood", "calm") == "calm"  # the schema's own example
    assert 1 <= int(reply.headers["X-Gauge"]) <= 9
    other = client.get(f"/stations/NOR/depth{AT}")
    assert other.json()["code"] == "NOR"
    assert other.json()["depth_m"] != reply.json()["depth_m"]


def test_a_list_is_not_empty_by_chance(shelf: Shelf, tmp_path: Path) -> None:
    some = {"type": "array", "items": {"type": "integer"}}
    lists = {f"/l{n}": replying(some)["/a"] for n in range(40)}
    lists["/none"] = replying({**some, "maxItems": 0})["/a"]
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, of_paths(lists)))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert all(client.get(path).json() for path in lists if path != "/none")
    assert client.get("/none").json() == []


def test_the_client_chooses_the_media_type(shelf: Shelf, client: httpx.Client) -> None:
    url = f"/stations/TER/depth{AT}"
    assert client.get(url, headers={"Accept": "text/csv"}).text == "code,depth_m"
    for accept, media in {
        "text/html, application/*;q=0.8": "application/json",
        "application/json;q=0.1, text/csv;q=0.9": "text/csv",
        "application/json;q=0, */*": "text/csv",
        "*/*;q=0.5, text/csv;q=0.1": "application/json",
    }.items():
        assert client.get(url, headers={"Accept": accept}).headers["content-type"] == media
    with shelf.refusals_expected():
        none = client.get(url, headers={"Accept": "image/png"})
    assert "accepts image/png, and application/json, text/csv is promised" in none.text


@pytest.mark.parametrize(
    ("method", "url", "body", "told"),
    [
        ("GET", "/stations/TER/depth", None, "query at  <-- differs\n      it is lacking"),
        ("GET", "/stations/TER/depth?att=x", None, "it is lacking; did you mean 'att'?"),
        ("GET", "/stations/TER/depth?at=noon", None, "'noon' is no 'date-time'"),
        ("GET", f"/stations/TER/depth{AT}&unit=mile", None, "'mile' is none of ['m', 'ft']"),
        ("GET", f"/station/TER{AT}", None, "The document tides.yaml has no such operation."),
        ("DELETE", "/stations/TER/depth", None, "the route has:   GET"),
        ("PUT", "/stations/TER/readings/7", None, "body  <-- differs\n      it is lacking"),
        ("PUT", "/stations/TER/readings/x", {"depth_m": 1, "secret": "s"}, "'x' is no integer"),
        ("PUT", "/stations/TER/readings/7", {"depth_m": "1", "secret": "s"}, "#/depth_m '1' is no number"),
        ("PUT", "/stations/TER/readings/7", {"depth_m": 1}, "'secret' is lacking"),
        ("PUT", "/stations/TER/readings/7", "depth", "content type  <-- differs\n      it is not told, and application/json is taken"),
        ("GET", f"/stations/TER/depth{AT}", {"a": 1}, "none is taken, and it is '{\"a\":1}'"),
    ],
)  # fmt: skip
def test_what_the_document_forbids_fails_the_test(
    tmp_path: Path, method: str, url: str, body: Any, told: str
) -> None:
    sent: dict[str, Any] = {"content": body} if isinstance(body, str) else {"json": body}
    sent = {} if body is None else sent
    with pytest.raises(RefusalHidden) as failed, Shelf() as shelf:
        kiosk = shelf.kiosk("tides", openapi=written(tmp_path, TIDES, "tides.yaml"))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="https://tides.example/v2")
        reply = client.request(method, url, **sent)
        assert reply.status_code == 501
        assert told in reply.text
    assert told.splitlines()[-1].strip() in str(failed.value)


def test_without_what_stands_before_all_paths_nothing_is_there(shelf: Shelf, tides: Any) -> None:
    client = httpx.Client(transport=tides.for_httpx(), base_url="https://tides.example")
    with shelf.refusals_expected():
        reply = client.get(f"/stations/TER/depth{AT}")
    assert "the route has:   /v2/stations/{code}/depth" in reply.text


def test_a_cue_must_give_what_is_promised(tides: Any, client: httpx.Client) -> None:
    depth = tides.route("GET", "/stations/{code}/depth")
    good = {"code": "TER", "depth_m": 6.3}
    gauge = {"X-Gauge": "3"}
    wrong = {
        "status: 503 is not promised: 200, 404 is": response(503),
        "body: 'depth_m' is lacking": response(json={"code": "TER"}, headers=gauge),
        "body: #/depth_m 99 is above 30": response(json={**good, "depth_m": 99}, headers=gauge),
        "content type: it is text/plain": response(text="6.3", headers=gauge),
        "content type: it is text/event-stream": response(events=["6.3"], headers=gauge),
        "header X-Gauge: it is promised, and lacking": response(json=good),
        "header X-Gauge: 12 is above 9": response(json=good, headers={"X-Gauge": "12"}),
    }
    for told, reply in wrong.items():
        with pytest.raises(ReplyRefused, match=re.escape(told)) as refused:
            cue(depth, code="TER").gives(reply)
        assert "told at  tides.yaml, #/paths/~1stations~1{code}~1depth/get" in str(refused.value)
    cue(depth, code="TER").gives(response(json=good, headers=gauge))
    assert client.get(f"/stations/TER/depth{AT}").json() == good
    with pytest.raises(ReplyRefused, match="a whole response"):
        undocumented(from_document())
    # as the advice says
    cue(depth, code="TER").gives(undocumented(response(503)), raising(ConnectionResetError()))
    assert client.get(f"/stations/TER/depth{AT}").status_code == 503
    with pytest.raises(httpx.ReadError):
        client.get(f"/stations/TER/depth{AT}")
    reading = tides.route("PUT", "/stations/{code}/readings/{id}")
    cue(reading, code="TER", id=7).gives(response(418))  # by `default`
    taken = client.put("/stations/TER/readings/7", json={"depth_m": 1, "secret": "s"})
    assert taken.status_code == 418
    assert tally(reading, code="TER", id=7) == 1


def test_a_computed_reply_must_be_promised_too(
    shelf: Shelf, tides: Any, client: httpx.Client
) -> None:
    depth = tides.route("GET", "/v2/stations/{code}/depth")  # as it is asked for
    cue(depth).computes(lambda code, request: response(404, json={"detail": code}))
    assert client.get(f"/stations/TER/depth{AT}").json() == {"detail": "TER"}
    cue(depth).computes(lambda code, request: response(404, json={"reason": code}))
    with shelf.refusals_expected():
        reply = client.get(f"/stations/TER/depth{AT}")
    assert "body: 'detail' is lacking" in reply.text


def test_replies_of_the_document_by_status(tides: Any, client: httpx.Client) -> None:
    depth = tides.route("GET", "/stations/{code}/depth")
    cue(depth).gives(
        from_document(404, example="closed"), from_document(404, detail="no such station"),
        from_document(depth_m=6.3), from_document(404),
    )  # fmt: skip
    replies = [client.get(f"/stations/TER/depth{AT}") for _ in range(4)]
    assert [one.status_code for one in replies] == [404, 404, 200, 404]
    assert replies[0].json() == {"detail": "it is closed"}
    assert replies[1].json() == {"detail": "no such station"}
    assert replies[2].json()["depth_m"] == 6.3


@pytest.mark.parametrize(
    ("reply", "told"),
    [
        (from_document(500), "500 is not promised: 200, 404 is"),
        (from_document(404, example="shut"), "no example 'shut'; it has closed"),
        (from_document(404, detail=7), "#/detail 7 is no string"),
        (from_document(dept_m=6.3), "there is no field 'dept_m'; did you mean 'depth_m'?"),
    ],
    ids=str,
)
def test_what_the_document_has_not_cannot_be_given(
    shelf: Shelf, tides: Any, client: httpx.Client, reply: Any, told: str
) -> None:
    cue(tides.route("GET", "/stations/{code}/depth")).gives(reply)
    with shelf.refusals_expected():
        assert told in client.get(f"/stations/TER/depth{AT}").text


def test_routes_are_those_of_the_document(shelf: Shelf, tides: Any) -> None:
    for method, path, told in [
        ("GET", "/station/{code}", "no such operation; did you mean 'GET /v2/stations/{code}/depth'"),
        ("GET", "/stations/{station}/depth", "calls it GET /stations/{code}/depth"),
        ("POST", "/stations/{code}/depth", "no such operation"),
    ]:  # fmt: skip
        with pytest.raises(CueRefused, match=re.escape(told)):
            tides.route(method, path)
    with pytest.raises(CueRefused, match=re.escape("takes a whole number for {id}, not '7'")):
        cue(tides.route("PUT", "/stations/{code}/readings/{id}"), code="TER", id="7")
    with pytest.raises(SettingRefused, match="give its document or plan the first time"):
        shelf.kiosk("tides", openapi="tides.yaml")
    assert shelf.kiosk("tides") is tides


def test_what_a_client_sends_besides_is_told_and_passes(
    tides: Any, client: httpx.Client, shelf: Shelf
) -> None:
    from urnshelf.remarks import Limits, remarks_of

    assert client.get(f"/stations/TER/depth{AT}&lang=en").is_success
    [remark] = [one for one in remarks_of(shelf, "t.py:1", "t", Limits()) if "query" in one.kind]
    assert str(remark) == (
        "undocumented-query: t.py:1: t: GET /stations/{code}/depth was asked with lang, of which "
        "tides.yaml says nothing"
    )


def test_nothing_is_written_only_in_a_reply_and_nothing_read_only_needed(
    client: httpx.Client,
) -> None:
    reply = client.put("/stations/TER/readings/7", json={"depth_m": 1, "secret": "s"})
    assert reply.status_code == 204


# --- records --------------------------------------------------------------------------------------


def of_berths() -> dict[str, Any]:
    """A document whose schema is a record's, written by FastAPI, with names of its own."""
    import fastapi
    import pydantic

    app = fastapi.FastAPI()
    types: dict[str, Any] = {
        "code": str, "harbour": str, "length_m": float, "depth_m": float, "day_rate": str,
        "in_service": bool,
    }  # fmt: skip
    short = pydantic.create_model("BerthIn2", code=(str, ...))
    given = pydantic.create_model(
        "BerthIn", defect=(str | None, None), **{name: (one, ...) for name, one in types.items()}
    )
    berth = pydantic.create_model("Berth", __base__=given, id=(int, ...))
    page = pydantic.create_model("Page", items=(list[berth], ...), total=(int, ...))
    problem = pydantic.create_model("Problem", detail=(str, ...), code=(int, ...))

    @app.get("/berths")
    def many(harbour: str = "", sort: str = "", short: str = "") -> list[berth]: ...
    @app.get("/pages")
    def pages(size: int = 10) -> page: ...
    @app.post("/berths", responses={409: {"model": problem}})
    def new(one: given | short, short: int = 0) -> berth: ...
    @app.get("/berths/by-code/{code}")
    def by_code(code: str) -> berth: ...
    @app.get("/berths/{berthId}", responses={404: {"model": problem}})
    def one(berthId: int) -> berth: ...
    @app.put("/berths/{berthId}")
    def put(berthId: int, one: given) -> berth: ...
    @app.delete("/berths/{berthId}", status_code=204)
    def gone(berthId: int) -> None: ...
    @app.post("/berths/{berthId}/inspect")
    def inspect(berthId: int) -> berth: ...

    return app.openapi()


BERTH = {
    "code": "B-77", "harbour": "Ternhythe", "length_m": 30, "depth_m": 4, "day_rate": "12.50",
    "in_service": True,
}  # fmt: skip


def test_where_a_schema_is_a_records_the_shelf_answers(shelf: Shelf, tmp_path: Path) -> None:
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, of_berths()))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/berths/3").json()["id"] == 3  # there are none: drawn
    berths = shelf.stock(Berth, 3, harbour="Ternhythe")
    listed = client.get("/berths?harbour=Ternhythe&sort=-id").json()
    assert [one["code"] for one in listed] == [one.code for one in reversed(berths)]
    page = client.get("/pages?size=2").json()
    assert [one["id"] for one in page["items"]] == [1, 2]
    assert page["total"] == 3
    assert client.get("/berths/2").json()["code"] == berths[1].code
    made = client.post("/berths", json=BERTH)
    assert made.status_code == 200  # as the document promises it, not 201
    assert shelf.records(Berth).get(made.json()["id"]).code == "B-77"
    changed = client.put("/berths/4", json={**BERTH, "code": "B-78"})
    assert changed.json()["code"] == shelf.records(Berth).get(4).code == "B-78"
    assert client.delete("/berths/4").status_code == 204
    assert shelf.records(Berth).count() == 3
    gone = client.get("/berths/4")
    assert gone.status_code == 404
    assert gone.json()["detail"] == "no Berth has id=4"
    assert isinstance(gone.json()["code"], int)  # the document's own field


@pytest.mark.parametrize(
    ("method", "path", "told"),
    [
        ("DELETE", "/berths/9", "no Berth has id=9, and the document promises no 404 for it"),
        ("POST", "/berths/1/inspect", "there are records of Berth on the shelf, and what POST"),
        ("GET", "/berths?short=x", "but the records do not: "),
        ("GET", "/berths/by-code/B-1", "there are records of Berth on the shelf, and what GET"),
        (
            "POST",
            "/berths?short=1",
            "the records do not: no Berth can be made of the body; #/harbour the field is missing",
        ),
    ],
)
def test_what_records_cannot_tell_is_refused(
    shelf: Shelf, tmp_path: Path, method: str, path: str, told: str
) -> None:
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, of_berths()))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    shelf.stock(Berth, 2)
    sent = {"code": "B-9"} if path.endswith("short=1") else None
    with shelf.refusals_expected():
        reply = client.request(method, path, json=sent)
    assert told in reply.text
    advice = reply.text.splitlines()[-1].strip()
    assert advice.endswith(".gives(from_document())")
    exec(advice, {"cue": cue, "shelf": shelf, "from_document": from_document})
    assert client.request(method, path, json=sent).is_success


def test_a_collection_at_a_document(shelf: Shelf, tmp_path: Path) -> None:
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, of_berths()))
    kiosk.collection("/berths", Berth)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    kiosk.collection("/pages", Berth)
    assert client.get("/berths").json() == []
    assert client.get("/pages").json() == {"items": [], "total": 0}
    assert client.post("/berths", json=BERTH).json()["id"] == 1
    with shelf.refusals_expected():  # the document has no such operation
        assert client.patch("/berths/1", json={"code": "B-1"}).status_code == 501
    inspect = kiosk.route("POST", "/berths/{berthId}/inspect")
    cue(inspect).gives(response(json=from_record(Berth)))
    assert client.post("/berths/1/inspect").json()["code"] == "B-77"


# --- documents that are none ----------------------------------------------------------------------

OK = {"200": {"description": "ok"}}


def of_paths(paths: Any, **more: Any) -> dict[str, Any]:
    return {"openapi": "3.1.0", "info": {"title": "t", "version": "1"}, "paths": paths, **more}


def replying(schema: Any) -> dict[str, Any]:
    content = {"application/json": {"schema": schema}}
    return {"/a": {"get": {"responses": {"200": {"description": "ok", "content": content}}}}}


SCHEMA = "#/paths/~1a/get/responses/200/content/application~1json/schema"
SELF = {"A": {"allOf": [{"$ref": "#/components/schemas/A"}]}}
MALFORMED: dict[str, tuple[str, Any, str]] = {
    "no JSON": ("a.json", "{", "a.json, line 1, column 2: it is no JSON: "),
    "twice in JSON": ("a.json", '{"a": 1, "a": 2}', "'a' stands there twice"),
    "too deep": ("a.json", "[" * 100_000, "it is nested too deeply to be read"),
    "no YAML": ("a.yaml", "a: [", "a.yaml, line 2, column 1: it is no YAML: "),
    "twice in YAML": ("a.yaml", "a: 1\na: 2", "line 2, column 1: it is no YAML: 'a' stands there twice"),
    "a tag": ("a.yaml", "a: !!python/name:os.system", "the tag tag:yaml.org,2002:python/name:os.system is none"),
    "two documents": ("a.yaml", "--- {}\n--- {}\n", "found another document"),
    "empty": ("a.yaml", "", "a.yaml: a mapping is wanted, not None"),
    "no version": ("a.yaml", "paths: {}", "a.yaml, #: it is no OpenAPI document"),
    "version 2": ("a.yaml", "swagger: '2.0'", "a.yaml, #: it is of version '2.0', and 3.0 and 3.1"),
    "version 3.2": ("a.yaml", "openapi: 3.2.0", "a.yaml, #: openapi is '3.2.0', and 3.0 and 3.1"),
    "no paths": ("a.yaml", "openapi: 3.1.0", "a.yaml, #: it has no paths"),
    "paths": ("a.json", of_paths([]), "a.json, #/paths: a mapping is wanted, not []"),
    "a path": ("a.json", of_paths({"a": {}}), "a.json, #/paths/a: the path 'a' begins with no slash"),
    "an operation": ("a.json", of_paths({"/a": {"get": []}}), "a.json, #/paths/~1a/get: a mapping is wanted"),
    "no replies": ("a.json", {**of_paths({"/a": {"get": {}}}), "openapi": "3.0.3"}, "a.json, #/paths/~1a/get/responses: a mapping is wanted"),
    "a status": ("a.json", of_paths({"/a": {"get": {"responses": {"20": {}}}}}), "responses/20: '20' is no status"),
    "a parameter": ("a.json", of_paths({"/a": {"get": {"parameters": [{"name": "x"}], "responses": OK}}}), "a.json, #/paths/~1a/get/parameters/0/in: a text is wanted, not None"),
    "its place": ("a.json", of_paths({"/a": {"get": {"parameters": [{"name": "x", "in": "body"}], "responses": OK}}}), "parameters/0/in: one of path, query, header, cookie is wanted"),
    "its style": ("a.json", of_parameters([{"name": "x", "in": "query", "style": "label"}]), "parameters/0/style: in the query it is one of form, spaceDelimited"),
    "twice": ("a.json", of_paths({"/a": {"get": {"parameters": [{"name": "x", "in": "query"}] * 2, "responses": OK}}}), "parameters/1: 'x' stands twice in the query"),
    "not declared": ("a.json", of_paths({"/a/{x}": {"get": {"responses": OK}}}), "a.json, #/paths/~1a~1{x}/get: the path's parameter 'x' is not declared"),
    "a type": ("a.json", of_paths(replying({"type": "strin"})), f"a.json, {SCHEMA}/type: one of null, boolean, integer, number"),
    "a pattern": ("a.json", of_paths(replying({"pattern": "(["})), f"a.json, {SCHEMA}/pattern: the pattern '([' is no regular expression"),
    "inside": ("a.json", of_paths(replying({"items": {"properties": {"x": 7}}})), f"a.json, {SCHEMA}/items/properties/x: a schema is wanted, not 7"),
    "to nothing": ("a.json", of_paths(replying({"$ref": "#/components/schemas/Gone"})), f"a.json, {SCHEMA}: the reference '#/components/schemas/Gone' leads to nothing"),
    "in a circle": ("a.json", of_paths({"/a": {"$ref": "#/x/a"}}, x={"a": {"$ref": "#/x/b"}, "b": {"$ref": "#/x/a"}}), "a.json, #/paths/~1a: the reference '#/x/a' leads in a circle"),
    "schemas in a circle": ("a.json", of_paths(replying({"$ref": "#/components/schemas/A"}), components={"schemas": SELF}), "a.json, #/components/schemas/A/allOf/0/$ref: it leads back to itself"),
    "to no file": ("a.json", of_paths({"/a": {"$ref": "b.yaml"}}), "a.json, #/paths/~1a: the reference 'b.yaml' leads to nothing: there is no such file"),
    "outside": ("a.json", of_paths({"/a": {"$ref": "../other.yaml"}}), "a.json, #/paths/~1a: the reference '../other.yaml' leads out of the folder"),
    "to a link outside": ("a.json", of_paths({"/a": {"$ref": "link.yaml"}}), "the reference 'link.yaml' leads out of the folder"),
    "to the root": ("a.json", of_paths({"/a": {"$ref": "/etc/hostname"}}), "leads out of the folder"),
    "to the network": ("a.json", of_paths({"/a": {"$ref": "https://port.example/a.yaml"}}), "leads to the network: put the file beside it"),
    "in another file": ("a.json", of_paths({"/a": {"$ref": "parts/bad.yaml#/of~1a"}}), "parts/bad.yaml, #/of~1a/get/responses/200/content/application~1json/schema/type: one of null"),
    "an alias": ("a.yaml", "openapi: 3.1.0\npaths: &p\n  /a: *p\n", "a.yaml, #/paths/~1a: an alias stands within itself"),
    "the same requests": ("a.json", of_parameters([{"name": "x", "in": "path"}]) | {"paths": {f"/a/{{{n}}}": {"get": {"parameters": [{"name": n, "in": "path", "required": True}], "responses": OK}} for n in "xy"}}, "a.json, #/paths/~1a~1{y}/get: it takes the same requests as GET /a/{x}"),
    "security": ("a.json", of_paths({"/a": {"get": {"security": [{"key": []}], "responses": OK}}}), "a.json, #/paths/~1a/get/security: there is no security scheme 'key'"),
    "ways": ("a.json", of_paths({"/a": {"get": {"security": ["key"], "responses": OK}}}), "a.json, #/paths/~1a/get/security: a mapping of schemes is wanted, not 'key'"),
    "a scheme": ("a.json", of_paths({}, components={"securitySchemes": {"key": {"type": "apiKey", "name": "k", "in": "body"}}}), "a.json, #/components/securitySchemes/key/in: one of header, query, cookie is wanted"),
    "servers": ("a.json", of_paths({"/a": {"get": {"responses": OK}}}, servers=[{"url": "/{v}"}]), "a.json, #/servers/0: the variable 'v' is not declared"),
}  # fmt: skip


@pytest.mark.parametrize("case", MALFORMED)
def test_a_document_that_is_none_is_told_with_its_place(tmp_path: Path, case: str) -> None:
    name, text, told = MALFORMED[case]
    folder = tmp_path / "api"
    written(folder, {"of/a": {"get": {"responses": {"200": {"content": {"application/json": {
        "schema": {"type": "strin"}}}}}}}}, "parts/bad.yaml")  # fmt: skip
    written(tmp_path, "{}", "other.yaml")
    (folder / "link.yaml").symlink_to(tmp_path / "other.yaml")
    with Shelf() as shelf:
        with pytest.raises(FileRefused, match=re.escape(told)):
            shelf.kiosk("port", openapi=written(folder, text, name))
        # nothing is served: the name is free
        shelf.kiosk("port", openapi=written(folder, of_paths({}), "good.json"))
    with pytest.raises(UrnShelfError, match="cannot be read"), Shelf() as shelf:
        shelf.kiosk("port", openapi=tmp_path / "nowhere.yaml")


def test_references_across_files(shelf: Shelf, tmp_path: Path) -> None:
    written(tmp_path, "get:\n  parameters: [{$ref: '../shared.yaml#/params/at'}]\n"
        "  responses: {200: {$ref: '../shared.yaml#/replies/ok'}}\n", "paths/a.yaml")  # fmt: skip
    written(tmp_path, """
        params: {at: {name: at, in: query, required: true, schema: {$ref: '#/schemas/At'}}}
        schemas:
          At: {enum: [noon, dusk]}
          Depth:
            type: object
            required: [at, m]
            properties:
              at: {$ref: '#/schemas/At'}
              m: {type: number, minimum: 0, maximum: 9}
              next: {$ref: 'main.yaml#/components/schemas/Next'}
        replies: {ok: {description: ok, content: {application/json: {schema: {$ref: '#/schemas/Depth'}}}}}
        """, "shared.yaml")  # fmt: skip
    main = written(tmp_path, """
        openapi: 3.1.0
        paths: {/a: {$ref: paths/a.yaml}}
        components: {schemas: {Next: {type: object, properties: {deeper: {$ref: 'shared.yaml#/schemas/Depth'}}}}}
        """, "main.yaml")  # fmt: skip
    kiosk = shelf.kiosk("port", openapi=main)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/a?at=noon").json()["at"] == "noon"
    with shelf.refusals_expected():
        reply = client.get("/a?at=dawn")
    assert "told at       paths/a.yaml, #/get" in reply.text
    with pytest.raises(ReplyRefused, match="#/next/deeper/m 10 is above 9"):
        deep = {"at": "dusk", "m": 1, "next": {"deeper": {"at": "noon", "m": 10}}}
        cue(kiosk.route("GET", "/a")).gives(response(json=deep))


def test_a_document_that_changed_is_read_anew(tmp_path: Path) -> None:
    statuses = []
    for status in ("200", "404"):
        written(tmp_path, {"ok": {"responses": {status: {"description": "x"}}}}, "parts.json")
        root = of_paths({"/a": {"get": {"$ref": "parts.json#/ok"}}})
        if status == "200":
            written(tmp_path, root)
        for _ in range(2):
            with Shelf() as shelf:
                kiosk = shelf.kiosk("port", openapi=tmp_path / "port.json")
                client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
                statuses.append(client.get("/a").status_code)
    assert statuses == [200, 200, 404, 404]


def test_what_is_left_out_is_told(shelf: Shelf, tmp_path: Path) -> None:
    root = document("apispec")
    root = copy.deepcopy(root)
    root["components"]["schemas"]["Load"]["properties"]["name"] = {"pattern": r"^\p{L}+$"}
    root["components"]["schemas"]["Load"]["example"] = {"t": -1}
    kiosk = shelf.kiosk("cranes", openapi=written(tmp_path, root))
    assert sorted(kiosk.notes) == [
        "POST /cranes/{id}: the callback lifted is not sent",
        "POST /cranes/{id}: the link next of 202 means nothing",
        "port.json, #/components/responses/Load/content/application~1json: the example 'schema' is "
        "not used: #/t -1 is below 0",
        "port.json, #/components/schemas/Load/properties/name/pattern: '^\\\\p{L}+$' is not kept: "
        "Python has no such pattern",
    ]


def test_credentials_must_be_there(shelf: Shelf, tmp_path: Path) -> None:
    schemes = {
        "key": {"type": "apiKey", "in": "query", "name": "key"},
        "basic": {"type": "http", "scheme": "basic"}, "oauth": {"type": "oauth2", "flows": {}},
    }  # fmt: skip
    root = of_paths(
        {"/a": {"get": {"responses": OK}}, "/b": {"get": {"responses": OK, "security": []}}},
        security=[{"key": [], "basic": []}, {"oauth": []}], components={"securitySchemes": schemes},
    )  # fmt: skip
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/b").is_success
    assert client.get("/a?key=1", auth=("desk", "s3cret")).is_success
    assert client.get("/a", headers={"Authorization": "Bearer t"}).is_success
    with shelf.refusals_expected():
        told = client.get("/a?key=1").text
    assert "the header Authorization: basic … (basic), or the header Authorization: Bearer" in told


def test_yaml_is_read_by_its_newer_version(shelf: Shelf, tmp_path: Path) -> None:
    root = written(tmp_path, """
        openapi: 3.1.0
        paths: {/a: {get: {responses: {200: {description: no, content: {application/json: {
          example: {on: no, at: 12:30, day: 2028-02-03, code: 010, big: 1e3, none: ~, text: '7'}}}}}}}}
        """, "a.yaml")  # fmt: skip
    kiosk = shelf.kiosk("port", openapi=root)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/a").json() == {
        "on": "no", "at": "12:30", "day": "2028-02-03", "code": 10, "big": 1000.0, "none": None,
        "text": "7",
    }  # fmt: skip


def test_forms_and_other_bodies(shelf: Shelf, tmp_path: Path) -> None:
    number = {"type": "integer"}
    parts = {
        "scan": {"type": "string", "format": "binary", "maxLength": 5}, "n": number,
        "meta": {"type": "object", "properties": {"a": number}},
    }  # fmt: skip
    schemas = {
        "multipart/form-data": {"type": "object", "required": ["scan", "n"], "properties": parts},
        "application/x-www-form-urlencoded": {"type": "object", "required": ["n"], "properties": {"n": number}},
        "text/*": {"type": "string", "maxLength": 3},
    }  # fmt: skip
    content = {media: {"schema": schema} for media, schema in schemas.items()}
    content["application/octet-stream"] = {}
    post = {"requestBody": {"required": True, "content": content}, "responses": OK}
    kiosk = shelf.kiosk("port", openapi=written(tmp_path, of_paths({"/papers": {"post": post}})))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    scan = {"scan": ("plan.pdf", b"%PDF")}
    taken: list[dict[str, Any]] = [
        {"files": scan, "data": {"n": "7", "meta": '{"a": 1}'}},
        {"data": {"n": "7"}},
        {"content": b"abc", "headers": {"Content-Type": "text/csv"}},
        {"content": b"\x00\xff", "headers": {"Content-Type": "application/octet-stream"}},
    ]
    for sent in taken:
        assert client.post("/papers", **sent).is_success
    forbidden: dict[str, dict[str, Any]] = {
        "#/scan '1234567' is longer than 5": {"files": {"scan": ("x", b"1234567")}, "data": {"n": "7"}},
        "'scan' is lacking": {"files": {"other": ("x", b"1")}, "data": {"n": "7"}},
        "#/meta/a 'x' is no integer": {"files": scan, "data": {"n": "7", "meta": '{"a": "x"}'}},
        "#/n 'x' is no integer": {"data": {"n": "x"}},
        "'abcd' is longer than 3": {"content": b"abcd", "headers": {"Content-Type": "text/csv"}},
        "it is application/json, and multipart/form-data": {"json": {}},
    }  # fmt: skip
    for told, sent in forbidden.items():
        with shelf.refusals_expected():
            assert told in client.post("/papers", **sent).text


def places(data: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    inner = data.items() if isinstance(data, dict) else []
    for name, one in enumerate(data) if isinstance(data, list) else inner:
        yield (*path, name)
        yield from places(one, (*path, name))


ODD = [
    None, True, 0, -1, 1.5, "x", "", [], {}, [None], {"a": None}, {"$ref": "#/nowhere"}, {"$ref": 7},
    {"$ref": "#"}, {"$ref": "\ud800"}, 10**30, "#/paths", "\ud800", {"": ""}, {"type": "string"},
]  # fmt: skip


@pytest.mark.parametrize("seed", range(4))
def test_whatever_is_wrong_is_refused_or_served(tmp_path: Path, seed: int) -> None:
    random = Random(seed)
    served, told = 0, []
    for number in range(60):
        data = copy.deepcopy(document(["FastAPI", "flask-smorest", "apispec"][number % 3]))
        for place in random.sample(list(places(data)), 2):
            holder = data
            try:
                for name in place[:-1]:
                    holder = holder[name]
                if random.random() < 0.3:
                    del holder[place[-1]]
                else:
                    holder[place[-1]] = copy.deepcopy(random.choice(ODD))
            except (KeyError, IndexError, TypeError):
                continue  # another change took it away
        path = written(tmp_path, data)
        with Shelf() as shelf, shelf.refusals_expected():
            try:
                kiosk = shelf.kiosk("port", openapi=path)
            except FileRefused as refused:
                told.append(str(refused))
                continue
            client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
            for method, url in [
                ("GET", "/v2/moorings/7"),
                ("GET", "/berths/"),
                ("PUT", "/loads/x"),
            ]:
                assert client.request(method, url, json={"t": 1}).status_code != 500
            served += 1
    assert 5 < served < 55
    assert all(one.startswith("port.json") for one in told)
