"""Values by key: getters and setters that mirror each other, mappings, queues, declared stores, and
objects behind fakes.
"""

from __future__ import annotations

import asyncio
from collections.abc import (
    AsyncIterator,
    Callable,
    Iterator,
    Mapping,
    MutableMapping,
    MutableSet,
    Sequence,
)
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta, timezone
from typing import Any, Protocol

import pytest

from urnshelf import (
    InterfaceRefused,
    RecordMissing,
    RecordRefused,
    Shelf,
    UnansweredCall,
    cue,
    ledger_of,
    raising,
    tally,
)
from urnshelf.demo.harbour import Berth, BerthRepository, Mooring, Vessel

NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)


def told(shelf: Shelf, interface: Any) -> dict[str, str]:
    """How each method is read; empty for those that are not."""
    return {one.method.partition("(")[0]: one.read_as for one in shelf.explain(interface)}


def refused(shelf: Shelf, why: str, call: Callable[[], object]) -> None:
    with shelf.refusals_expected(), pytest.raises(UnansweredCall, match=why):
        call()


# --- a getter and a setter that mirror each other -------------------------------------------------


class Prices(Protocol):
    def look_up(self, berth: str, season: str) -> float | None: ...
    def remember(self, berth: str, season: str, price: float) -> None: ...
    def forget(self, berth: str, season: str) -> None: ...
    def has(self, berth: str, season: str) -> bool: ...


class Parts(Protocol):
    def get_state(self, chat: int) -> str | None: ...
    def set_state(self, chat: int, state: str | None) -> None: ...
    def get_data(self, chat: int) -> dict[str, int]: ...
    def set_data(self, chat: int, data: dict[str, int]) -> None: ...
    def update_data(self, chat: int, data: dict[str, int]) -> None: ...
    def delete(self, chat: int) -> None: ...


class Notes(Protocol):
    def find(self, berth_id: int) -> Berth | None: ...
    def get_note(self, berth_id: int) -> str | None: ...
    def set_note(self, berth_id: int, note: str) -> None: ...
    def get_defect(self, berth_id: int) -> str | None: ...
    def set_defect(self, berth_id: int, defect: str) -> None: ...


def test_what_is_remembered_is_looked_up(shelf: Shelf) -> None:
    prices = shelf.fake(Prices)
    assert prices.look_up("B-1", "summer") is None
    prices.remember("B-1", "summer", 120.5)
    prices.remember("B-1", season="winter", price=80.0)
    assert (prices.look_up("B-1", "summer"), prices.has("B-2", "summer")) == (120.5, False)
    prices.forget(season="summer", berth="B-1")
    assert (prices.look_up("B-1", "summer"), prices.look_up("B-1", "winter")) == (None, 80.0)
    assert ledger_of(prices.look_up)[0].statement == "GET 'B-1', 'summer'"
    refused(shelf, "there is no value for .*certain what 'forget'", lambda: prices.forget("B", "w"))


def test_what_has_different_names_is_kept_apart(shelf: Shelf) -> None:
    parts = shelf.fake(Parts)
    parts.set_state(7, "asked")
    parts.set_data(7, {"berth": 3})
    assert (parts.get_state(7), parts.get_data(7)) == ("asked", {"berth": 3})
    assert told(shelf, Parts)["set_state"] == "SET state of :chat to :state"
    refused(shelf, "'update_data'", lambda: parts.update_data(7, {"berth": 4}))
    refused(shelf, "None is not obvious|not among", lambda: parts.delete(7))
    refused(shelf, "there is no data for 8", lambda: parts.get_data(8))


def test_fields_of_records_are_no_values_apart(shelf: Shelf) -> None:
    berth = shelf.stock(Berth, defect=None)
    notes = shelf.fake(Notes)
    notes.set_note(berth.id, "by the crane")
    notes.set_defect(berth.id, "loose ladder")
    assert notes.get_note(berth.id) == "by the crane"
    assert shelf.records(Berth).get(berth.id).defect == "loose ladder"
    refused(shelf, "not read      because", lambda: notes.get_defect(berth.id))


class Whole(Protocol):
    def load(self) -> dict[str, int] | None: ...
    def save(self, settings: dict[str, int]) -> None: ...


class Pipe(Protocol):
    def read(self) -> bytes: ...
    def write(self, data: bytes) -> None: ...


def test_one_value_without_a_key(shelf: Shelf) -> None:
    whole = shelf.fake(Whole)
    assert whole.load() is None
    whole.save({"berths": 3})
    assert whole.load() == {"berths": 3}
    assert not told(shelf, Pipe)["read"]


class Defaults(Protocol):
    def get(self, name: str) -> str: ...
    def set_default(self, name: str, value: str) -> None: ...


class Tokens(Protocol):
    def load(self, token: str) -> bytes | None: ...
    def store_token(self, token: str, claims: bytes) -> None: ...


def test_names_that_speak_of_different_things_are_no_pair(shelf: Shelf) -> None:
    assert not told(shelf, Defaults)["set_default"]
    assert told(shelf, Tokens)["load"] == "GET :token"


class Once(Protocol):
    def get(self, key: str) -> str | None: ...
    def create(self, key: str, value: str) -> None: ...
    def update(self, key: str, value: str) -> None: ...
    def remove(self, key: str) -> None: ...
    def discard(self, key: str) -> None: ...


def test_what_would_matter_is_refused_at_the_call(shelf: Shelf) -> None:
    once = shelf.fake(Once)
    once.create("a", "1")
    once.update("a", "2")
    once.discard("z")
    refused(shelf, "there is a value for 'a' already", lambda: once.create("a", "3"))
    refused(shelf, "there is no value for 'b'", lambda: once.update("b", "3"))
    refused(shelf, "there is no value for 'b'", lambda: once.remove("b"))
    assert once.get("a") == "2"
    once.remove("a")
    assert once.get("a") is None
    shelf.keyed(Once, missing=KeyError, duplicate=lambda kind, key, message: ValueError(key))
    with pytest.raises(KeyError):
        once.remove("b")
    once.create("a", "1")
    with pytest.raises(ValueError, match="a"):
        once.create("a", "2")


# --- what each operation honours ------------------------------------------------------------------


class Counters(Protocol):
    def get(self, key: str) -> str | None: ...
    def set(self, key: str, value: str, ttl: float | None = None) -> None: ...
    def incr(self, key: str, ttl: int = 10) -> str: ...
    def decr(self, key: str, amount: int) -> int: ...
    def touch(self, key: str) -> None: ...
    def expire(self, key: str, ttl: float) -> None: ...
    def clear(self, key: str) -> None: ...
    def size(self, key: str) -> int: ...
    def exists(self, *keys: str) -> int: ...
    def get_many(self, *keys: str, default: str = "0") -> list[str]: ...
    def set_many(self, keys: list[str], values: list[str]) -> None: ...
    def put(self, key: str, value: str, expire_at: float) -> None: ...
    def flush(self) -> None: ...


class Peeking(Protocol):
    def get(self, key: str, ttl: int) -> str | None: ...
    def set(self, key: str, value: str) -> None: ...


def test_counting_restarts_the_expiry_that_it_is_given(shelf: Shelf) -> None:
    counters = shelf.fake(Counters)
    assert (counters.incr("a"), counters.get("a")) == ("1", "1")
    shelf.clock.advance(seconds=9)
    assert counters.incr("a") == "2"
    shelf.clock.advance(seconds=9)
    counters.set("b", "41")
    assert (counters.get("a"), counters.decr("b", 1), counters.get("b")) == ("2", 40, "40")
    shelf.clock.advance(seconds=1)
    assert counters.get("a") is None
    counters.set("c", "six")
    refused(shelf, "the value of 'c' is 'six', which is no number", lambda: counters.incr("c"))


def test_every_parameter_counts(shelf: Shelf) -> None:
    counters = shelf.fake(Counters)
    counters.set_many(["a", "b"], ["1", "2"])
    assert counters.get_many("a", "z", default="-") == ["1", "-"]
    assert (counters.exists("a", "b", "z"), counters.get_many("b", "y")) == (2, ["2", "0"])
    counters.clear("a")
    assert (counters.get("a"), counters.get("b")) == (None, "2")
    counters.put("c", "3", shelf.clock.timestamp + 60)
    shelf.clock.advance(seconds=59)
    assert counters.get("c") == "3"
    shelf.clock.advance(seconds=1)
    assert counters.get("c") is None
    refused(shelf, "2 keys and 1 values", lambda: counters.set_many(["a", "b"], ["1"]))
    refused(shelf, "at once, for others never", lambda: counters.set("a", "1", 0))
    refused(shelf, "'touch' lacks", lambda: counters.touch("b"))
    refused(shelf, "'size' is not read with a 'key'", lambda: counters.size("b"))
    refused(shelf, "'flush'", counters.flush)
    refused(shelf, "length of time", lambda: counters.set("a", "1", "soon"))  # type: ignore[arg-type]
    assert not told(shelf, Peeking)["get"]


class Says(Protocol):
    def get(self, key: str) -> bytes: ...
    def set(self, key: str, value: bytes) -> bool | None: ...
    def delete(self, key: str) -> bool | None: ...
    def set_many(self, mapping: Mapping[str, bytes]) -> list[str]: ...
    def put(self, key: str, value: bytes) -> str: ...
    def get_multi(self, keys: Sequence[str]) -> Sequence[bytes | None]: ...
    def get_all(self) -> dict[str, bytes]: ...
    def setdefault(self, key: str, value: bytes) -> bytes: ...


class Etags(Protocol):
    def get(self, key: str) -> bytes | None: ...
    def put(self, key: str, value: bytes) -> str: ...


def test_what_cannot_be_set_is_not_got_as_nothing(shelf: Shelf) -> None:
    etags = shelf.fake(Etags)
    cue(etags.put).gives("a@1")
    etags.put("a", b"1")
    refused(shelf, "not even 'put', by its parameters and type", lambda: etags.get("a"))


class Missing:
    """What stands for nothing."""


class WithSentinel(Protocol):
    def get(self, key: str) -> bytes | Missing: ...
    def set(self, key: str, value: bytes) -> None: ...


def test_promises_are_kept_or_not_read(shelf: Shelf) -> None:
    says = shelf.fake(Says)
    assert (says.set("a", b"1"), says.delete("a")) == (True, True)
    refused(shelf, "not certain what 'delete' does", lambda: says.delete("a"))
    assert (told(shelf, Says)["set_many"], told(shelf, Says)["put"]) == ("", "")
    assert (says.setdefault("b", b"2"), says.setdefault("b", b"3")) == (b"2", b"2")
    assert (says.get_multi(["b", "z"]), says.get_all()) == ([b"2", None], {"b": b"2"})
    refused(shelf, r"default=… or missing=… of shelf.keyed\(\)", lambda: says.get("z"))
    kept = shelf.fake(WithSentinel)
    kept.set("a", b"1")
    assert kept.get("a") == b"1"
    refused(shelf, "its promise does not say what then", lambda: kept.get("z"))


class ManyOnly(Protocol):
    def mget(self, keys: Sequence[str]) -> list[bytes | None]: ...
    def mset(self, key_value_pairs: Sequence[tuple[str, bytes]]) -> None: ...
    def mdelete(self, keys: Sequence[str]) -> None: ...
    def yield_keys(self, prefix: str | None = None) -> Iterator[str]: ...
    async def amget(self, keys: Sequence[str]) -> list[bytes | None]: ...
    def ayield_keys(self, prefix: str | None = None) -> AsyncIterator[str]: ...


class Untold:
    def get(self, key): ...  # type: ignore[no-untyped-def]
    def set(self, key, value): ...  # type: ignore[no-untyped-def]
    def delete(self, key): ...  # type: ignore[no-untyped-def]
    def add(self, key, value): ...  # type: ignore[no-untyped-def]
    def get_many(self, keys): ...  # type: ignore[no-untyped-def]


class Anything(Protocol):
    def get(self, key: str) -> Any: ...
    def set(self, key: str, value: Any) -> Any: ...


def test_without_a_promise_only_what_is_certain(shelf: Shelf) -> None:
    untold, anything = shelf.fake(Untold), shelf.fake(Anything)
    assert (untold.set("a", 1), untold.get("a"), untold.add("b", 2)) == (True, 1, True)
    assert untold.delete("b")
    refused(shelf, "its promise does not say what then", lambda: untold.get("b"))
    refused(shelf, "a mapping, or the values in the order", lambda: untold.get_many(["a"]))
    refused(shelf, "there is a value for 'a' already", lambda: untold.add("a", 2))
    refused(shelf, "there is no value for 'b'", lambda: untold.delete("b"))
    assert (anything.set("a", 1), anything.get("a"), anything.get("z")) == (True, 1, None)


def test_many_at_once_and_their_asynchronous_counterparts(shelf: Shelf) -> None:
    many = shelf.fake(ManyOnly)
    many.mset([("a/1", b"1"), ("b/1", b"2")])
    many.mdelete(["a/2"])
    assert many.mget(["b/1", "z"]) == [b"2", None]
    assert (list(many.yield_keys("a/")), list(many.yield_keys())) == (["a/1"], ["a/1", "b/1"])

    async def use() -> tuple[Any, list[str]]:
        return await many.amget(["a/1"]), [key async for key in many.ayield_keys(prefix="b/")]

    assert asyncio.run(use()) == ([b"1"], ["b/1"])


def test_a_record_inside_kept_values_is_not_the_interfaces_own(shelf: Shelf) -> None:
    class PagesOf(Protocol):
        def get_page(self, url: str) -> list[Berth] | None: ...
        def set_page(self, url: str, page: list[Berth]) -> None: ...
        def count(self) -> int: ...

    shelf.stock(Berth, 3)
    pages = shelf.fake(PagesOf)
    pages.set_page("/berths", list(shelf.records(Berth)))
    assert len(pages.get_page("/berths") or []) == 3
    assert pages.count() == 1


def test_arguments_of_other_types_are_no_raw_errors(shelf: Shelf) -> None:
    counters: Any = shelf.fake(Counters)
    refused(shelf, "not of their types", lambda: counters.set_many(5, 6))
    refused(shelf, "not of their types", lambda: counters.decr("a", "b"))


def test_a_value_that_cannot_be_a_key_is_said(shelf: Shelf) -> None:
    class Loose(Protocol):
        def get(self, key: Any) -> Any: ...
        def set(self, key: Any, value: Any) -> None: ...

    refused(shelf, "cannot be a key", lambda: shelf.fake(Loose).set([1], 2))


class Tickets(Protocol):
    def get(self, key: str) -> str | None: ...
    def set(self, key: str, value: str, expires_at: datetime | float | None = None) -> None: ...


@pytest.mark.parametrize("noon", [NOON, NOON.replace(tzinfo=None)], ids=["in a zone", "naive"])
def test_values_end_on_the_clock_however_it_tells_the_time(shelf: Shelf, noon: datetime) -> None:
    shelf.clock.set(noon)
    tickets, hour = shelf.fake(Tickets), timedelta(hours=1)
    tickets.set("naive", "1", NOON.replace(tzinfo=None) + hour)
    tickets.set("in a zone", "2", NOON + hour)
    tickets.set("seconds", "3", (NOON + hour).timestamp())
    shelf.clock.advance(minutes=59)
    assert [tickets.get(key) for key in ("naive", "in a zone", "seconds")] == ["1", "2", "3"]
    shelf.clock.set(shelf.clock.in_zone(UTC) + timedelta(minutes=1))
    assert [tickets.get(key) for key in ("naive", "in a zone", "seconds")] == [None] * 3


def test_a_zone_that_was_set_is_kept(shelf: Shelf) -> None:
    zone = timezone(timedelta(hours=2))
    shelf.clock.set(datetime(2031, 3, 30, 1, 30, tzinfo=zone))
    assert shelf.clock.advance(hours=1) == datetime(2031, 3, 30, 2, 30, tzinfo=zone)
    assert (shelf.clock.now.tzinfo, shelf.clock.in_zone(UTC).hour) == (zone, 0)


# --- mappings and sets ----------------------------------------------------------------------------


class Shelf_(Protocol):
    def __getitem__(self, where: str) -> bytes: ...
    def __setitem__(self, where: str, what: bytes) -> None: ...
    def __delitem__(self, where: str) -> None: ...
    def __contains__(self, where: str) -> bool: ...
    def __len__(self) -> int: ...


class Row(Protocol):
    def __getitem__(self, index: int) -> str: ...
    def __setitem__(self, index: int, value: str) -> None: ...


def test_what_looks_like_a_mapping_is_one(shelf: Shelf) -> None:
    things, row = shelf.fake(Shelf_), shelf.fake(Row)
    things["a"] = b"1"
    assert (things["a"], "a" in things, "b" in things, len(things)) == (b"1", True, False, 1)
    del things["a"]
    with pytest.raises(KeyError):
        _ = things["a"]
    refused(shelf, "the language has what it sets given back", lambda: row.__setitem__(0, "a"))


class Tags(MutableSet[str]):
    """Its methods are those of the language."""


def test_a_mapping_is_a_dictionary(shelf: Shelf) -> None:
    depths: MutableMapping[str, list[float]] = shelf.fake(MutableMapping[str, list[float]])
    assert not depths
    depths.setdefault("B-1", []).append(6.3)
    depths.update({"B-2": [7.0]}, east=[1.0])
    assert depths
    assert depths == {"B-1": [6.3], "B-2": [7.0], "east": [1.0]}
    keys = depths.keys()
    assert (depths.pop("east"), depths.pop("west", None), "east" in keys) == ([1.0], None, False)
    assert (len(depths), [*depths], [*depths.values()]) == (2, ["B-1", "B-2"], [[6.3], [7.0]])
    with pytest.raises(KeyError):
        _ = depths["west"]
    with pytest.raises(KeyError):
        del depths["west"]
    assert tally(depths.__setitem__) == 0
    with shelf.rolled_back():
        depths.clear()
    assert len(depths) == 2


def test_a_set_is_a_set(shelf: Shelf) -> None:
    tags = shelf.fake(Tags)
    tags |= {"cargo", "ferry"}
    tags.discard("tug")
    assert (tags & {"cargo", "tug"}, tags <= {"cargo", "ferry"}, len(tags)) == ({"cargo"}, True, 2)
    assert tags is shelf.fake(Tags)
    with pytest.raises(KeyError):
        tags.remove("tug")


def test_nothing_can_be_put_into_a_mapping_that_does_not_change(shelf: Shelf) -> None:
    flags = shelf.fake(Mapping[str, str])
    refused(shelf, r"shelf.fake\(Mapping\[str, str\], over=…\)", lambda: flags["SE"])
    cue(flags.__getitem__).raises(KeyError)
    cue(flags.__getitem__, "SE").gives("blue")
    assert (flags.get("SE"), flags.get("NO", "none"), "NO" in flags) == ("blue", "none", False)
    other = shelf.fake(Mapping[str, str], "told", over={"NO": "red"})
    assert (other["NO"], other.get("SE"), bool(other), dict(other)) == (
        "red",
        None,
        True,
        {"NO": "red"},
    )


# --- queues ---------------------------------------------------------------------------------------


@dataclass
class Job:
    what: str


class Jobs(Protocol):
    def enqueue(self, job: Job) -> None: ...
    def dequeue(self) -> Job | None: ...
    def peek(self) -> Job: ...
    def drain(self) -> list[Job]: ...
    def size(self) -> int: ...
    def is_empty(self) -> bool: ...


class Pile(Protocol):
    def push(self, job: Job) -> None: ...
    def pop(self) -> Job: ...


class JobStack(Pile, Protocol):
    """Its name says from where it takes."""


def test_a_queue_gives_what_came_first(shelf: Shelf) -> None:
    jobs = shelf.fake(Jobs)
    for what in ("moor", "fuel", "leave"):
        jobs.enqueue(Job(what))
    assert (jobs.size(), jobs.peek(), jobs.dequeue()) == (3, Job("moor"), Job("moor"))
    with shelf.rolled_back():
        jobs.dequeue()
    assert [job.what for job in jobs.drain()] == ["fuel", "leave"]
    assert (jobs.dequeue(), jobs.is_empty(), list(shelf.records(Job))) == (None, True, [])
    refused(shelf, r"shelf.define\(Job, missing=…\)", jobs.peek)
    assert ledger_of(jobs.drain)[0].statement == "SELECT every job, first come first, and DELETE"


def test_from_which_end_must_be_certain(shelf: Shelf) -> None:
    pile, stack = shelf.fake(Pile), shelf.fake(JobStack)
    pile.push(Job("moor"))
    assert pile.pop() == Job("moor")
    pile.push(Job("fuel"))
    pile.push(Job("leave"))
    refused(shelf, "neither a queue nor a stack", pile.pop)
    assert stack.pop() == Job("leave")


@dataclass
class Visit:
    id: int
    starts_at: datetime
    ends_at: datetime


class Visits(Protocol):
    def stream_between(self, start: datetime, end: datetime) -> Iterator[Visit]: ...
    def count_between(self, start: datetime, end: datetime) -> int: ...


class Moorings(Protocol):
    def list_between(self, start: datetime, end: datetime) -> list[Mooring]: ...


def test_a_span_of_time(shelf: Shelf) -> None:
    noon, hour = datetime(2030, 6, 1, 12, tzinfo=UTC), timedelta(hours=1)
    moorings = [shelf.stock(Mooring, arrival=noon + n * hour) for n in range(4)]
    found = shelf.fake(Moorings).list_between(noon + hour, end=noon + 2 * hour)
    assert found == moorings[1:3]
    (
        shelf.stock(Visit(1, noon, noon + hour)),
        shelf.stock(Visit(2, noon + 2 * hour, noon + 4 * hour)),
    )
    visits = shelf.fake(Visits)
    assert [visit.id for visit in visits.stream_between(noon, noon + hour)] == [1]
    refused(shelf, "only in part", lambda: visits.stream_between(noon, noon + 3 * hour))
    assert not told(shelf, Visits)["count_between"]


# --- declared stores ------------------------------------------------------------------------------


class Blobs(Protocol):
    def fetch(self, namespace: str, id: int) -> bytes: ...
    def keep(self, namespace: str, id: int, blob: bytes, ttl: int | None = None) -> None: ...
    def drop(self, id: int, namespace: str) -> bool: ...
    def known(self, namespace: str, id: int) -> bool: ...
    def all_of(self) -> list[tuple[str, int]]: ...
    def wipe(self) -> None: ...
    def etag(self, namespace: str, id: int) -> str: ...


def test_a_store_is_declared_in_one_line(shelf: Shelf) -> None:
    shelf.keyed(
        Blobs, get=Blobs.fetch, set=Blobs.keep, remove=Blobs.drop, has=Blobs.known,
        keys=Blobs.all_of, clear=Blobs.wipe, default=b"", key=("namespace", "id"),
    )  # fmt: skip
    blobs = shelf.fake(Blobs)
    assert (blobs.fetch("a", 1), blobs.known("a", 1)) == (b"", False)
    blobs.keep("a", 1, b"x", ttl=60)
    blobs.keep("b", 1, blob=b"y")
    assert (blobs.fetch("a", 1), blobs.all_of()) == (b"x", [("a", 1), ("b", 1)])
    shelf.clock.advance(seconds=60)
    assert (blobs.fetch("a", 1), blobs.drop(1, "b"), blobs.drop(1, "b")) == (b"", True, False)
    blobs.keep("b", 1, b"y")
    blobs.wipe()
    assert blobs.all_of() == []
    assert told(shelf, Blobs)["keep"] == "SET :namespace, :id to :blob"
    refused(shelf, "'etag'|nothing in its promise", lambda: blobs.etag("a", 1))


class Other(Protocol):
    def fetch(self, namespace: str, id: int) -> bytes: ...


@pytest.mark.parametrize(
    ("parts", "complaint"),
    [
        ({"get": Blobs.fetch, "set": Blobs.wipe}, "'wipe' has no parameter 'namespace'"),
        ({"get": Blobs.etag, "set": Blobs.keep}, "what is set is bytes, what is got is str"),
        ({"get": Blobs.fetch, "key": "id"}, "'namespace' is neither the key"),
        ({"get": Blobs.fetch, "has": Blobs.etag}, "it promises str"),
        ({"get": Blobs.fetch, "default": ""}, "'fetch' promises bytes, but it is '', a str"),
        ({"get": Prices.look_up}, "give a method of it, such as Blobs.fetch"),
        ({"get": Other.fetch}, "give a method of it, such as Blobs.fetch"),
        ({}, "say which methods get and set"),
        (
            {"get": Blobs.fetch, "missing": KeyError, "default": b""},
            "gives something, or it raises",
        ),
        ({"get": Blobs.fetch, "key": 5}, "give the names of its parameters"),
        ({"get": Blobs.fetch, "missing": Missing}, "give an exception that is made with a message"),
    ],
)
def test_what_does_not_fit_is_refused(shelf: Shelf, parts: Any, complaint: str) -> None:
    with pytest.raises((InterfaceRefused, RecordRefused), match=complaint):
        shelf.keyed(Blobs, **parts)


def test_a_refusal_offers_the_declaration_that_works(shelf: Shelf) -> None:
    class Answers(Protocol):
        def lookup(self, prompt: str, model: str) -> list[str] | None: ...
        def update(self, prompt: str, model: str, return_val: list[str], cost: int = 0) -> None: ...

    class Memory(Protocol):
        def lookup(self, topic: str) -> str: ...
        def find_title(self, topic: str) -> str: ...
        def put_down(self, topic: str, text: str) -> None: ...

    with shelf.refusals_expected(), pytest.raises(UnansweredCall) as refusal:
        shelf.fake(Memory).put_down("tides", "high")
    line = next(text for text in str(refusal.value).splitlines() if "shelf.keyed(" in text)
    exec(line.strip(), {"shelf": shelf, "Memory": Memory})
    shelf.fake(Memory).put_down("tides", "high")
    assert shelf.fake(Memory).lookup("tides") == "high"
    refused(shelf, "'cost' is not accounted for|None is not obvious", lambda: shelf.fake(
        Answers
    ).update("a", "b", ["c"]))  # fmt: skip


# --- an object behind a fake ----------------------------------------------------------------------


class DictStore:
    """A store that somebody wrote."""

    limit = 3

    def __init__(self) -> None:
        self.values: dict[str, str] = {}

    def get(self, key: str) -> str | None:
        return self.values.get(key)

    def put(self, key: str, value: str) -> str:
        self.values[key] = value
        return f"{key}@1"

    async def count(self) -> int:
        return len(self.values)


class Store(Protocol):
    limit: int

    def get(self, key: str) -> str | None: ...
    def put(self, key: str, value: str) -> str: ...
    async def count(self) -> int: ...


class Entered(Protocol):
    def __enter__(self) -> Entered: ...
    def __exit__(self, *args: object) -> None: ...


class Itself:
    """It gives itself."""

    def __enter__(self) -> Itself:
        return self

    def __exit__(self, *args: object) -> None:
        """Swallow nothing."""


class Reads(Protocol):
    def get(self, key: str) -> str | None: ...


def test_what_no_cue_answers_goes_to_the_object(shelf: Shelf) -> None:
    real = DictStore()
    store, reads = shelf.fake(Store, over=real), shelf.fake(Reads, over=real)
    assert (store.put("a", "1"), reads.get("a"), asyncio.run(store.count())) == ("a@1", "1", 1)
    assert (store.limit, tally(store.put, "a", "1")) == (3, 1)
    store.limit = 5
    assert (real.limit, store.limit) == (5, 5)
    cue(store.get, "a").gives(raising(OSError("disk")), "cued").for_calls(2)
    with pytest.raises(OSError, match="disk"):
        store.get("a")
    assert (store.get("a"), store.get("a"), real.values) == ("cued", "1", {"a": "1"})
    assert ledger_of(store.get)[-1].answered_by.startswith("the object behind: <")
    with shelf.fake(Entered, over=Itself()) as entered:
        assert entered is shelf.fake(Entered)
    cue(store.count).passes_through().waits(0.01)
    assert asyncio.run(store.count()) == 1


class Stricter:
    def get(self, name: str, strict: bool) -> str | None: ...


@pytest.mark.parametrize(
    ("real", "complaint"),
    [
        (DictStore, r"give an object of that class, over=DictStore\(…\)"),
        (Stricter(), "its 'get' takes other parameters"),
        (5, "it has no method 'get'"),
    ],
)
def test_an_object_must_have_the_methods(shelf: Shelf, real: object, complaint: str) -> None:
    with pytest.raises(InterfaceRefused, match=complaint):
        shelf.fake(Reads, over=real)


# --- records go in and come out -------------------------------------------------------------------


class Keeping(Protocol):
    def add(self, vessel: Vessel) -> Vessel: ...
    def save(self, vessel: Vessel) -> Vessel: ...
    def save_all(self, vessels: list[Vessel]) -> list[Vessel]: ...
    def get_many(self, ids: list[int]) -> list[Vessel]: ...
    def get_some(self, ids: set[int]) -> list[Vessel]: ...


class Tide(Protocol):
    def add(self, level: Level) -> Level: ...


@dataclass(frozen=True)
class Level:
    id: int | None
    metres: float


def test_what_is_stored_is_given_back_itself(shelf: Shelf) -> None:
    keeping = shelf.fake(Keeping)
    mine = Vessel(7, "Gray Heron", "GH-7")
    assert keeping.add(mine) is mine
    mine.name = "changed"
    assert shelf.records(Vessel).get(7).name == "Gray Heron"
    assert (keeping.save(mine) is mine, keeping.save_all([mine])[0] is mine) == (True, True)
    level = Level(None, 6.3)
    assert shelf.fake(Tide).add(level) == replace(level, id=1)


def test_many_come_in_the_order_in_which_they_are_asked_for(shelf: Shelf) -> None:
    vessels = shelf.stock(Vessel, 3)
    keeping = shelf.fake(Keeping)
    assert keeping.get_many([3, 1, 9]) == [vessels[2], vessels[0]]
    assert ledger_of(keeping.get_many)[0].statement == (
        "SELECT * FROM vessel WHERE id IN (3, 1, 9) "
        "ORDER BY CASE id WHEN 3 THEN 0 WHEN 1 THEN 1 WHEN 9 THEN 2 END"
    )
    assert keeping.get_many([]) == []
    refused(shelf, "asked for twice", lambda: keeping.get_many([1, 1]))
    assert told(shelf, Keeping)["get_many"].endswith("ORDER BY its place in :ids")


# --- exceptions of one's own ----------------------------------------------------------------------


class BerthUnknown(Exception):
    def __init__(self, number: int, harbour: str) -> None:
        super().__init__(f"berth {number} of {harbour}")


class BerthGone(Exception):
    def __init__(self, number: int) -> None:
        self.number = number


def test_an_exception_is_tried_when_it_is_told(shelf: Shelf) -> None:
    with pytest.raises(RecordRefused, match=r"missing=lambda record_type, key, message: BerthUn"):
        shelf.define(Berth, missing=BerthUnknown)
    with pytest.raises(RecordRefused, match="a function of the record"):
        shelf.define(Berth, missing=lambda message: BerthGone(1))
    shelf.define(Berth, missing=lambda record_type, key, message: BerthGone(key))
    with pytest.raises(BerthGone) as gone:
        shelf.fake(BerthRepository).get(7)
    assert gone.value.number == 7
    other = Shelf()
    other.define(Berth, missing=lambda record_type, key, message: 1 / 0)
    with pytest.raises(RecordRefused, match="ZeroDivisionError.*\n.*no Berth has id=7"):
        other.records(Berth).get(7)
    third = Shelf()
    third.define(Berth, missing=lambda record_type, key, message: None)
    with pytest.raises(RecordRefused, match="gave None, no exception"):
        third.records(Berth).get(7)


def test_a_lesson_may_replace_a_reading(shelf: Shelf) -> None:
    @shelf.teach(BerthRepository.get)
    def get(shelf: Shelf, berth_id: int) -> Berth:
        return shelf.urn.draw(Berth, id=berth_id)

    assert shelf.fake(BerthRepository).get(99).id == 99
    with pytest.raises(RecordMissing):
        Shelf().fake(BerthRepository).get(99)


# --- what is refused was not done -----------------------------------------------------------------


class Tally(Protocol):
    def get(self, key: str) -> float | None: ...
    def set(self, key: str, value: float) -> None: ...
    def incr(self, key: str, amount: int = 1) -> int: ...


def test_a_count_whose_result_is_not_what_is_promised_is_refused_and_not_made(shelf: Shelf) -> None:
    tallies = shelf.fake(Tally)
    tallies.set("moorings", 2.5)
    refused(shelf, "it is 3.5, a float, not int", lambda: tallies.incr("moorings"))
    assert tallies.get("moorings") == 2.5


_NONE_GIVEN = object()


class Chest(MutableMapping[str, int]):
    def pop(self, key: str, default: Any = _NONE_GIVEN) -> Any: ...


def test_a_default_that_only_marks_that_nothing_was_given_is_never_given_out(shelf: Shelf) -> None:
    chest = shelf.fake(Chest)
    with pytest.raises(KeyError):
        chest.pop("anchor")
    assert chest.pop("anchor", 3) == 3


def test_a_record_that_is_refused_has_no_key_that_it_had_not_before(shelf: Shelf) -> None:
    shelf.define(Mooring, references={"vessel_id": Vessel})
    mooring = shelf.urn.draw(Mooring, id=None, vessel_id=7)
    with pytest.raises(RecordRefused, match="refers to a Vessel"):
        shelf.records(Mooring).add(mooring)
    assert mooring.id is None
    shelf.stock(Vessel, id=7)
    shelf.records(Mooring).add(mooring)
    assert mooring.id is not None
