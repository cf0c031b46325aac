"""Patterns of others are matched in bounded time: no request stops a kiosk for others."""

import json
import random
import re
import threading
from pathlib import Path
from typing import Any, NamedTuple

import httpx
import pytest

from urnshelf import FileRefused, RefusalHidden, Shelf, Urn, cue, rules
from urnshelf.kiosk import response
from urnshelf.urn import bounded_patterns
from urnshelf.urn.bounded_patterns import BoundedPattern, is_in

PATIENCE = 20.0
"""Of a client, in seconds: a match that backtracks for ever would take years."""
ENDLESS = ["^(a+)+$", "^(a|aa)+$", r"^(\w+\s?)*$", r"(a+a+)+b$", r"^(?=.*\d)([a-z]+\d*)+$"]


def document(folder: Path, schema: dict[str, Any]) -> Path:
    """A document whose one operation takes a query parameter and a body of a schema."""
    parameter = {"name": "code", "in": "query", "schema": schema}
    body = {"content": {"application/json": {"schema": {"properties": {"code": schema}}}}}
    operation = {
        "parameters": [parameter],
        "requestBody": body,
        "responses": {"200": {"description": ""}},
    }
    paths = {"/berths": {"post": operation}}
    path = folder / "port.json"
    path.write_text(json.dumps({"openapi": "3.1.0", "paths": paths}))
    return path


@pytest.mark.parametrize("pattern", ENDLESS)
def test_a_served_document_answers_others_while_one_sends_the_worst_text(
    tmp_path: Path, pattern: str
) -> None:
    text = "a" * 40 + "!"
    answers: list[httpx.Response] = []

    def ask(code: str, body: str) -> None:
        url = f"{address}/berths?code={code}"
        answers.append(httpx.post(url, json={"code": body}, timeout=PATIENCE))

    with pytest.raises(RefusalHidden), Shelf() as shelf:
        kiosk = shelf.kiosk(
            "port", openapi=document(tmp_path, {"type": "string", "pattern": pattern})
        )
        with kiosk.serve() as address:
            worst = [threading.Thread(target=ask, args=pair) for pair in ((text, "a"), ("a", text))]
            for thread in worst:
                thread.start()
            for thread in worst:
                thread.join(PATIENCE)
    assert len(answers) == 2
    for answer in answers:
        assert answer.status_code == 501
        assert f"does not match {pattern!r}" in answer.text


def test_a_long_body_does_not_stop_it_either(tmp_path: Path) -> None:
    schema = {"type": "string", "pattern": r"\s+$"}  # n² steps, from each place of the text
    with pytest.raises(RefusalHidden), Shelf() as shelf:
        kiosk = shelf.kiosk("port", openapi=document(tmp_path, schema))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        assert client.post("/berths", json={"code": " " * 1_000_000 + "x"}).status_code == 501


def test_a_long_list_of_unique_items_is_checked_at_once(tmp_path: Path) -> None:
    schema = {"type": "array", "uniqueItems": True}
    with pytest.raises(RefusalHidden, match="item twice"), Shelf() as shelf:
        kiosk = shelf.kiosk("port", openapi=document(tmp_path, schema))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        unique = [*range(50_000), 0.5, "0", True, [0], {"a": 0}, None, [1, 2], ["str", 2]]
        assert client.post("/berths", json={"code": unique}).status_code == 200
        for twice in (1.0, "0", True, [0], {"a": 0.0}, None):
            assert client.post("/berths", json={"code": [*unique, twice]}).status_code == 501


@pytest.mark.parametrize(
    ("pattern", "reason"),
    [
        (r"^(?:(a+)\1)+$", "it has a back-reference"),
        (r"^(?:a+(?!b))+$", "it has a negative look-ahead or look-behind in its middle"),
        (r"^(?:(?:a{0,5000}){0,5}b)*$", "it has more than RE2 takes"),
    ],
)
def test_what_no_engine_of_linear_time_can_run_is_refused_when_the_document_is_read(
    tmp_path: Path, shelf: Shelf, pattern: str, reason: str
) -> None:
    with pytest.raises(FileRefused) as refused:
        shelf.kiosk("port", openapi=document(tmp_path, {"type": "string", "pattern": pattern}))
    told = str(refused.value)
    assert "port.json, #/paths/~1berths/post" in told
    assert repr(pattern) in told
    assert reason in told
    assert "write it without that" in told


def test_names_of_properties_are_patterns_too(tmp_path: Path, shelf: Shelf) -> None:
    for pattern, told in ((r"^(?:(a+)\1)+$", "back-reference"), ("[", "no regular expression")):
        schema = {"type": "object", "patternProperties": {pattern: {"type": "string"}}}
        with pytest.raises(FileRefused, match=f"patternProperties/.*{told}"):
            shelf.kiosk("port", openapi=document(tmp_path, schema))


def test_the_engine_that_is_lacking_is_named(
    tmp_path: Path, shelf: Shelf, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bounded_patterns, "has_re2", lambda: False)
    with pytest.raises(FileRefused, match=r"pip install 'urnshelf\[http\]'"):
        shelf.kiosk("port", openapi=document(tmp_path, {"type": "string", "pattern": "^(a+)+$"}))
    few_steps = {"type": "string", "pattern": "^[A-Z]{2}-[0-9]+$"}
    assert shelf.kiosk("other", openapi=document(tmp_path, few_steps)).notes == []


def test_a_text_that_is_too_long_for_its_pattern_is_refused_and_the_advice_works(
    tmp_path: Path,
) -> None:
    schema = {
        "type": "string",
        "pattern": r"(?=.*\d)(?=.*[a-z]).{8,}",
    }  # as passwords are asked for
    long = {"code": "a" * 20_000}
    with pytest.raises(RefusalHidden, match="may take too long"), Shelf() as shelf:
        kiosk = shelf.kiosk("port", openapi=document(tmp_path, schema))
        client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        assert client.post("/berths", json={"code": "abcdefg1"}).status_code == 200
        told = client.post("/berths", json=long).text
    most = int(re.findall(r"give maxLength: (\d+) beside it", told)[0])
    with pytest.raises(RefusalHidden, match=f"is longer than {most}"), Shelf() as shelf:
        path = document(tmp_path, {**schema, "maxLength": most})
        client = httpx.Client(
            transport=shelf.kiosk("port", openapi=path).for_httpx(), base_url="http://port.example"
        )
        assert client.post("/berths", json=long).status_code == 501


def test_a_path_with_many_parameters_in_one_part(shelf: Shelf) -> None:
    kiosk = shelf.kiosk("port")
    route = kiosk.route("GET", "/x/{a}-{b}-{c}-{d}-{e}")
    cue(route).computes(lambda a, b, c, d, e, request: response(json=[a, b, c, d, e]))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/x/1-2-3-4-5-%2F").json() == ["1-2", "3", "4", "5", "/"]
    with shelf.refusals_expected():
        assert client.get("/x/" + "-" * 50_000 + "/").status_code == 501


def generated(random_: random.Random, depth: int = 0) -> str:
    """A regular expression."""
    choice = random_.random()
    inner = lambda: generated(random_, depth + 1)  # noqa: E731
    if depth > 3 or choice < 0.35:
        return random_.choice(
            ["a", "b", "[ab]", r"\d", r"\w", "[^a]", ".", r"\s", "é", r"[\w-]", r"[\s\S]", r"\.",
             r"[^\W\d]", "-", r"\D", r"\S"]
        )  # fmt: skip
    if choice < 0.55:
        return inner() + inner()
    if choice < 0.65:
        return f"(?:{inner()}|{inner()})"
    if choice < 0.9:
        return f"(?:{inner()})" + random_.choice(["*", "+", "?", "{2,3}", "{0,2}", "*?", "{1,}"])
    return random_.choice(["(?i:%s)", "(%s)"]) % inner()


def test_both_engines_say_the_same_as_the_standard_library() -> None:
    random_, compared = random.Random(), 0
    while compared < 1_000:
        pattern = generated(random_)
        pattern = random_.choice(["", "^", f"^(?={generated(random_)})", "^(?!b)"]) + pattern
        pattern += random_.choice(["", "$"])
        both = BoundedPattern(pattern)
        for _ in range(4):
            text = "".join(random_.choice("ab1é .-_\nA") for _ in range(random_.randint(0, 7)))
            expected = re.search(pattern, text) is not None
            assert is_in(pattern, text) is expected, (pattern, text)
            linear = all(part.decides(text) for part in both._linear_parts(len(text)))
            assert linear is expected, (pattern, text)
            compared += 1


class Coded(NamedTuple):
    code: str


@pytest.mark.parametrize("pattern", ENDLESS)
def test_what_is_drawn_of_such_a_pattern_matches(pattern: str) -> None:
    drawn = Urn(seed=7).draw(Coded, 20, code=rules.pattern(pattern))
    assert all(is_in(pattern, one.code) for one in drawn)
