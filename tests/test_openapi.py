"""Kiosks from OpenAPI documents: every operation served, what is forbidden noticed, what is not
promised refused; compared with published frameworks and validators.
"""

import itertools
import json
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlencode

import httpx
import jsonschema
import open_apis
import pytest
import yaml
from openapi_core import OpenAPI
from openapi_core.testing import MockRequest
from openapi_schema_validator import OAS30ReadValidator, oas30_format_checker
from werkzeug.datastructures import ImmutableMultiDict

from urnshelf import Shelf, Urn, cue, raising, tally
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


def drawn(schema: Any, root: dict[str, Any], seed: int) -> Any:
    return Urn(seed).draw({**schema, "components": root.get("components", {})})


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
    promised = led(operation["responses"][str(reply.status_code)], root)
    content = promised.get("content", {})
    if not content:
        assert reply.content == b""
        return
    schema = {**content["application/json"]["schema"], "components": root["components"]}
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
    assert count == len(list(operations(root)))


@pytest.mark.parametrize("name", open_apis.DOCUMENTS)
def test_the_absence_of_each_required_parameter_is_noticed(
    shelf: Shelf, tmp_path: Path, name: str
) -> None:
    root = document(name)
    kiosk = shelf.kiosk(name, openapi=written(tmp_path, root))
    client = httpx.Client(transport=kiosk.for_httpx())
    noticed = 0
    with shelf.refusals_expected():
        for method, path, operation, parameters in itertools.islice(operations(root), 60):
            lacking = [(p["name"], p["in"]) for p in parameters if p.get("required")]
            lacking = [one for one in lacking if one[1] != "path"]
            if led(operation.get("requestBody", {}), root).get("required"):
                lacking.append(("", "body"))
            for one in lacking:
                request = asked(root, method, path, operation, parameters, without=one)
                reply = client.send(request)
                what = "body" if one[1] == "body" else f"{one[1]} {one[0]}"
                assert reply.status_code == 501
                assert f"the document port.json forbids it" in reply.text
                assert f"  {what}  <-- differs\n      it is lacking" in reply.text
                noticed += 1
    assert noticed


def test_500_operations_are_served_within_twice_the_time_of_reading_them(
    shelf: Shelf, tmp_path: Path
) -> None:
    # the time itself is measured in benchmarks/serving.py; here, that nothing is done twice
    path = written(tmp_path, yaml.safe_dump(document("FastAPI, 500")), "many.yaml")
    kiosk = shelf.kiosk("many", openapi=path)
    assert repr(kiosk) == "<kiosk many, 500 routes>"
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://many.example")
    assert client.get("/parts496/7").json()["id"] == 7
