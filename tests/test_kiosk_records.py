"""Records behind routes: status codes, conditions, pages and problems, against what HTTP's own
documents say, and against SQLite.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlencode

import httpx
import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import BaseModel, Field

from thorough import examples
from urnshelf import RecordRefused, Shelf, cue, ledger_of, tally, unseen
from urnshelf.demo.harbour import Berth, Mooring, Vessel
from urnshelf.kiosk import response

PROBLEM = {
    "type": "object",
    "required": ["title", "status", "detail"],
    "properties": {"title": {"type": "string"}, "status": {"type": "integer"}},
}
"""What RFC 9457 says of a problem."""


@pytest.fixture
def client(shelf: Shelf) -> httpx.Client:
    kiosk = shelf.kiosk("port")
    kiosk.collection("/berths", Berth)
    return httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")


def checked(got: httpx.Response, status: int) -> Any:
    """The body of a problem of this status."""
    assert got.status_code == status
    assert got.headers["content-type"] == "application/problem+json"
    told = got.json()
    jsonschema.validate(told, PROBLEM)
    assert told["status"] == status
    return told


def test_a_record_is_created_got_changed_and_removed(shelf: Shelf, client: httpx.Client) -> None:
    sent = {
        "code": "B-7", "harbour": "Ternhythe", "length_m": 80.0, "depth_m": 5.0, "day_rate": "100",
    }  # fmt: skip
    made = client.post("/berths", json=sent)

    assert made.status_code == 201
    assert made.headers["location"] == "/berths/1"
    got = client.get(made.headers["location"])
    assert got.json() == made.json() == {**got.json(), **sent, "id": 1}
    assert got.headers["etag"] == made.headers["etag"]
    changed = client.patch("/berths/1", json={"depth_m": 6.5, "defect": None})
    assert (changed.status_code, changed.json()["depth_m"]) == (200, 6.5)
    assert shelf.records(Berth).get(1).depth_m == 6.5
    assert client.delete("/berths/1").status_code == 204
    assert shelf.records(Berth).count() == 0
    checked(client.get("/berths/1"), 404)


def test_conditional_requests(shelf: Shelf, client: httpx.Client) -> None:
    shelf.stock(Berth, 2)
    first = client.get("/berths/1")
    tag = first.headers["etag"]

    unchanged = client.get("/berths/1", headers={"If-None-Match": f'"x", W/{tag}'})
    assert (unchanged.status_code, unchanged.content) == (304, b"")
    assert client.patch("/berths/1", json={"code": "A"}, headers={"If-Match": tag}).is_success
    for act in (client.patch, client.put):
        checked(act("/berths/1", json=first.json(), headers={"If-Match": tag}), 412)
    checked(client.delete("/berths/1", headers={"If-Match": tag}), 412)
    checked(client.put("/berths/1", json=first.json(), headers={"If-None-Match": "*"}), 412)
    assert client.head("/berths/2").headers["content-length"] == str(
        len(client.get("/berths/2").content)
    )


BAD: list[tuple[Callable[[httpx.Client], httpx.Response], int, str]] = [
    (lambda c: c.get("/berths?harbor=x"), 400, "did you mean 'harbour'?"),
    (lambda c: c.get("/berths?depth_m__near=1"), 400, "is no field"),
    (lambda c: c.get("/berths?depth_m__gte=deep"), 400, "depth_m__gte=deep"),
    (lambda c: c.get("/berths?page=0"), 400, "a whole number from 1"),
    (lambda c: c.get("/berths?offset=-1"), 400, "a whole number from 0"),
    (lambda c: c.get("/berths?sort=depth"), 400, "is no field"),
    (lambda c: c.get("/berths?cursor=%00"), 400, "was not given by this service"),
    (lambda c: c.get("/berths/x"), 404, "no Berth has id=x"),
    (lambda c: c.delete("/berths/99"), 404, "no Berth has id=99"),
    (lambda c: c.post("/berths", json=[]), 422, "is a JSON object"),
    (lambda c: c.post("/berths", json={"code": 7}), 422, "#/code"),
    (lambda c: c.post("/berths", json={"kode": "x"}), 422, "did you mean 'code'?"),
    (lambda c: c.post("/berths", content=b"{"), 400, "is no JSON"),
    (lambda c: c.post("/berths"), 400, "the body is empty"),
    (lambda c: c.post("/berths", content=b"a", headers={"Content-Type": "text/csv"}), 415, "csv"),
    (lambda c: c.patch("/berths/1", json={"depth_m": "deep"}), 422, "#/depth_m"),
    (lambda c: c.put("/berths/1", json=c.get("/berths/2").json()), 422, "the path says 1"),
    (lambda c: c.post("/berths", json=c.get("/berths/2").json()), 409, "is there already"),
]


@pytest.mark.parametrize(("ask", "status", "says"), BAD)
def test_what_is_wrong_is_told(
    shelf: Shelf, client: httpx.Client, ask: Any, status: int, says: str
) -> None:
    shelf.stock(Berth, 2)
    before = list(shelf.records(Berth))
    told = checked(ask(client), status)
    assert says in str(told)
    assert list(shelf.records(Berth)) == before


def test_the_stores_own_rules_hold(shelf: Shelf) -> None:
    shelf.define(Vessel, unique=["name"])
    shelf.define(Mooring, references={"vessel_id": Vessel})
    kiosk = shelf.kiosk("port")
    kiosk.collection("/vessels", Vessel)
    kiosk.collection("/moorings", Mooring)
    one, other = shelf.stock(Vessel, 2)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")

    checked(client.patch(f"/vessels/{one.id}", json={"name": other.name}), 409)
    mooring = shelf.urn.draw(Mooring, vessel_id=one.id, berth_id=1)
    shelf.stock(mooring)
    checked(client.patch(f"/moorings/{mooring.id}", json={"vessel_id": 999}), 409)
    with shelf.rolled_back():
        assert client.delete(f"/moorings/{mooring.id}").status_code == 204
    assert client.get(f"/moorings/{mooring.id}").status_code == 200


class Crane(BaseModel):
    quay: str
    number: int
    reach_m: float = Field(gt=0)
    crew: list[str] = []


def test_a_key_of_two_fields_and_a_model_that_looks_at_its_values(shelf: Shelf) -> None:
    shelf.define(Crane, key=("quay", "number"))
    kiosk = shelf.kiosk("port")
    kiosk.collection("/cranes", Crane)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")

    made = client.post("/cranes", json={"quay": "East/1", "number": 2, "reach_m": 30})
    assert made.headers["location"] == "/cranes/East%2F1/2"
    assert client.get(made.headers["location"]).json()["crew"] == []
    told = checked(client.post("/cranes", json={"quay": "E", "number": 3, "reach_m": -1}), 422)
    assert "greater than 0" in str(told)


@dataclass
class Lamp:
    id: int
    quay: str
    height: int
    tags: list[str] = field(default_factory=list)


LAMPS = [Lamp(n, "NESW"[n % 4], n * 7 % 10) for n in range(1, 31)]
LINKS = st.sampled_from(["page", "offset", "cursor"])


@examples(150)
@given(
    quays=st.lists(st.sampled_from("NESW"), max_size=2, unique=True),
    least=st.none() | st.integers(0, 9),
    other=st.none() | st.sampled_from("NESW"),
    sort=st.sampled_from(["", "height", "-height,quay", "quay,-id"]),
    size=st.integers(1, 12),
    paging=LINKS,
)
def test_pages_follow_each_other_as_sqlite_orders_them(
    quays: list[str], least: int | None, other: str | None, sort: str, size: int, paging: str
) -> None:
    shelf = Shelf(seed=1)
    shelf.stock(LAMPS)
    kiosk = shelf.kiosk("lamps")
    kiosk.collection("/lamps", Lamp)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://lamps.example")
    query: list[tuple[str, Any]] = [("quay", one) for one in quays]
    query += [("height__gte", least)] if least is not None else []
    query += [("quay__ne", other)] if other is not None else []
    sort = "" if paging == "cursor" else sort
    query += [("sort", sort)] if sort else []
    query += {
        "page": [("page", 1), ("size", size)],
        "offset": [("offset", 0), ("limit", size)],
        "cursor": [("cursor", ""), ("limit", size)],
    }[paging]
    found: list[int] = []
    address: str | None = f"/lamps?{urlencode(query)}"
    while address:
        got = client.get(address)
        found += [one["id"] for one in got.json()]
        address = got.links.get("next", {}).get("url")

    assert found == _by_sqlite(quays, least, other, sort)
    assert got.headers["x-total-count"] == str(len(found))


def _by_sqlite(quays: list[str], least: int | None, other: str | None, sort: str) -> list[int]:
    parts = ["1"]
    parts += [f"quay IN ({','.join(map(repr, quays))})"] if quays else []
    parts += [f"height >= {least}"] if least is not None else []
    parts += [f"quay <> '{other}'"] if other is not None else []
    order = [f"{one[1:]} DESC" if one[0] == "-" else one for one in sort.split(",") if one]
    sql = f"SELECT id FROM lamp WHERE {' AND '.join(parts)} ORDER BY {','.join([*order, 'id'])}"
    with closing(sqlite3.connect(":memory:")) as database:
        database.execute("CREATE TABLE lamp (id, quay, height)")
        rows = [(one.id, one.quay, one.height) for one in LAMPS]
        database.executemany("INSERT INTO lamp VALUES (?, ?, ?)", rows)
        return [row[0] for row in database.execute(sql)]


def test_a_cue_goes_before_and_looks_are_no_work(shelf: Shelf, client: httpx.Client) -> None:
    shelf.stock(Berth, 2)
    remove = shelf.kiosk("port").route("DELETE", "/berths/{id}")
    cue(remove, id="1").gives(response(403))

    assert client.delete("/berths/1").status_code == 403
    assert client.delete("/berths/2").status_code == 204
    assert client.get("/berths/1").is_success
    assert tally(remove) == 2
    assert not unseen(shelf.kiosk("port"))
    told = ledger_of(remove)[1]
    assert told.answered_by == "the shelf's records: DELETE FROM berth WHERE id = 2"


def test_what_is_seen_is_what_a_view_shows(shelf: Shelf) -> None:
    shelf.stock(Berth, 3, harbour="Ternhythe")
    shelf.stock(Berth, 2, harbour="Curlhythe")
    kiosk = shelf.kiosk("port")
    kiosk.collection("/berths", Berth, view=shelf.view(Berth, harbour="Curlhythe"))
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert [one["id"] for one in client.get("/berths").json()] == [4, 5]
    checked(client.get("/berths/1"), 404)


def test_records_without_a_key_are_no_collection(shelf: Shelf) -> None:
    @dataclass
    class Gust:
        knots: float

    with pytest.raises(RecordRefused, match="key"):
        shelf.kiosk("wind").collection("/gusts", Gust)
