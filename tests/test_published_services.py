"""Published services, unchanged, on fakes of what they depend on: some without a cue, the others
with one declaration each.
"""

from __future__ import annotations

import asyncio
import shelve
import threading
from collections.abc import Callable, Iterator, MutableMapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import cachecontrol
import cachetools
import dogpile.cache
import dogpile.cache.api
import huey
import huey.storage
import keyring
import keyring.backend
import limits
import limits.storage
import minimalkv
import pyrate_limiter
import pytest
import requests
import starsessions
import tinydb
import zict
from aiocache import SimpleMemoryCache
from aiocache.base import BaseCache
from aiocache.lock import RedLock
from apscheduler.jobstores.base import BaseJobStore
from apscheduler.jobstores.memory import MemoryJobStore
from apscheduler.schedulers.background import BackgroundScheduler
from dogpile.cache.region import CacheRegion
from hypothesis.database import ExampleDatabase, InMemoryExampleDatabase, MultiplexedDatabase
from key_value.aio.protocols.key_value import AsyncKeyValue
from key_value.aio.wrappers.prefix_keys import PrefixKeysWrapper
from minimalkv.decorator import PrefixDecorator
from minimalkv.memory import DictStore
from starsessions.session import SessionHandler

from urnshelf import InterfaceRefused, Shelf, cue, ledger_of, passing_through, raising, tally

# --- without a cue --------------------------------------------------------------------------------


class Lighthouse(BaseHTTPRequestHandler):
    """Tells how often it was asked; what it says may be kept for a minute."""

    asked = 0

    def do_GET(self) -> None:
        type(self).asked += 1
        text = str(self.asked).encode()
        self.send_response(200)
        self.send_header("Cache-Control", "max-age=60")
        self.send_header("Content-Length", str(len(text)))
        self.end_headers()
        self.wfile.write(text)

    def log_message(self, format: str, *args: object) -> None:
        """Say nothing."""


@pytest.fixture
def lighthouse() -> Iterator[str]:
    Lighthouse.asked = 0
    with ThreadingHTTPServer(("127.0.0.1", 0), Lighthouse) as server:
        thread = threading.Thread(target=server.serve_forever)
        thread.start()
        yield f"http://127.0.0.1:{server.server_port}/light"
        server.shutdown()
        thread.join()


def test_an_http_client_that_keeps_answers(shelf: Shelf, lighthouse: str) -> None:
    kept = shelf.fake(cachecontrol.cache.BaseCache)
    with cachecontrol.CacheControl(requests.Session(), cache=kept) as client:
        assert [client.get(lighthouse).text for _ in range(3)] == ["1", "1", "1"]
    assert tally(kept.set) == 1


def test_a_limiter_of_calls(shelf: Shelf) -> None:
    counts = shelf.fake(limits.storage.Storage)
    limiter = limits.strategies.FixedWindowRateLimiter(counts)
    two = limits.parse("2/minute")
    assert [limiter.hit(two, "desk") for _ in range(3)] == [True, True, False]
    limiter.clear(two, "desk")
    assert limiter.hit(two, "desk")


def test_a_ring_of_passwords(shelf: Shelf) -> None:
    before = keyring.get_keyring()
    keyring.set_keyring(shelf.fake(keyring.backend.KeyringBackend))
    try:
        keyring.set_password("desk", "ada", "secret")
        assert keyring.get_password("desk", "ada") == "secret"
        keyring.delete_password("desk", "ada")
        assert keyring.get_password("desk", "ada") is None
    finally:
        keyring.set_keyring(before)


def test_a_database_of_documents(shelf: Shelf) -> None:
    storage = shelf.fake(tinydb.storages.Storage)
    with tinydb.TinyDB(storage=lambda: storage) as database:
        database.insert_multiple([{"code": "B-1", "depth": 6}, {"code": "B-2", "depth": 9}])
        database.update({"depth": 7}, tinydb.where("code") == "B-1")
        assert database.search(tinydb.where("depth") > 6) == [
            {"code": "B-1", "depth": 7},
            {"code": "B-2", "depth": 9},
        ]


def test_what_is_put_around_a_mapping(shelf: Shelf) -> None:
    inner = shelf.fake(MutableMapping[str, bytes])
    texts = zict.Func(str.encode, bytes.decode, inner)
    texts["a"] = "loose ladder"
    assert (texts["a"], dict(inner)) == ("loose ladder", {"a": b"loose ladder"})
    with shelve.Shelf(shelf.fake(MutableMapping[bytes, bytes])) as values:
        values["depths"] = [6.3, 7.1]
        assert (values["depths"], "x" in values) == ([6.3, 7.1], False)
    asked = []

    @cachetools.cached(shelf.fake(MutableMapping[Any, int], "memo"))
    def depth(code: str) -> int:
        asked.append(code)
        return len(code)

    assert (depth("B-12"), depth("B-12"), asked) == (4, 4, ["B-12"])


def test_keys_with_a_prefix(shelf: Shelf) -> None:
    values = shelf.fake(AsyncKeyValue)

    async def use() -> list[Any]:
        prefixed = PrefixKeysWrapper(key_value=values, prefix="harbour")
        await prefixed.put("B-1", {"depth": 6})
        return [await prefixed.get("B-1"), await prefixed.delete("B-2"), await values.get("B-1")]

    assert asyncio.run(use()) == [{"depth": 6}, False, None]


# --- with one declaration -------------------------------------------------------------------------


def test_a_region_of_a_cache(shelf: Shelf) -> None:
    shelf.keyed(dogpile.cache.api.CacheBackend, default=dogpile.cache.api.NO_VALUE)
    region = CacheRegion()
    region.configure("dogpile.cache.null")
    region.backend = shelf.fake(dogpile.cache.api.CacheBackend)
    region.set("depth", 6)
    assert (region.get("depth"), region.get("height", ignore_expiration=True)) == (
        6,
        dogpile.cache.api.NO_VALUE,
    )
    region.delete("depth")
    assert region.get("depth") is dogpile.cache.api.NO_VALUE


def test_what_a_limiter_has_left(shelf: Shelf) -> None:
    shelf.keyed(limits.storage.Storage, default=0)
    limiter = limits.strategies.FixedWindowRateLimiter(shelf.fake(limits.storage.Storage))
    one = limits.parse("1/minute")
    assert limiter.test(one, "desk")
    assert limiter.hit(one, "desk")
    assert not limiter.test(one, "desk")


def test_a_limiter_by_a_moving_window(shelf: Shelf) -> None:
    storage = shelf.fake(limits.storage.MemoryStorage, over=limits.storage.MemoryStorage())
    limiter = limits.strategies.MovingWindowRateLimiter(storage)
    assert [limiter.hit(limits.parse("1/minute"), "desk") for _ in range(2)] == [True, False]
    assert tally(storage.acquire_entry) == 2


def test_a_store_of_files_with_a_prefix(shelf: Shelf) -> None:
    files = shelf.fake(minimalkv.KeyValueStore, over=DictStore())
    PrefixDecorator("harbour-", files).put("chart", b"6.3")
    assert (files.get("harbour-chart"), tally(files.put)) == (b"6.3", 1)


def test_two_databases_as_one(shelf: Shelf) -> None:
    first = shelf.fake(ExampleDatabase, "first", over=InMemoryExampleDatabase())
    second = shelf.fake(ExampleDatabase, "second", over=InMemoryExampleDatabase())
    both = MultiplexedDatabase(first, second)
    both.save(b"k", b"v")
    assert set(first.fetch(b"k")) == set(second.fetch(b"k")) == {b"v"}
    cue(second.save).gives(raising(OSError("disk full")), passing_through)
    with pytest.raises(OSError, match="disk full"):
        both.save(b"k", b"w")
    both.save(b"k", b"x")
    assert set(second.fetch(b"k")) == {b"v", b"x"}


def test_a_bucket_that_leaks(shelf: Shelf) -> None:
    rates = [pyrate_limiter.Rate(1, pyrate_limiter.Duration.MINUTE)]
    bucket = shelf.fake(pyrate_limiter.AbstractBucket, over=pyrate_limiter.InMemoryBucket(rates))
    assert [bucket.put(pyrate_limiter.RateItem("desk", 1)) for _ in range(2)] == [True, False]
    assert bucket.count() == 1


def test_a_queue_of_tasks(shelf: Shelf) -> None:
    storage = shelf.fake(huey.storage.BaseStorage, over=huey.storage.MemoryStorage())
    queue = huey.Huey("harbour", storage_class=lambda name, **options: storage)
    queue.put("depth", 6)
    assert (queue.get("depth", peek=True), queue.get("depth"), queue.get("depth")) == (6, 6, None)
    cue(storage.put_data).raises(OSError("full"))
    with pytest.raises(OSError, match="full"):
        queue.put("depth", 7)


def test_a_scheduler(shelf: Shelf) -> None:
    jobs = shelf.fake(BaseJobStore, over=MemoryJobStore())
    scheduler = BackgroundScheduler(timezone="UTC")
    scheduler.add_jobstore(jobs)
    scheduler.start(paused=True)
    try:
        scheduler.add_job(print, "interval", minutes=5, id="depths")
        assert [job.id for job in scheduler.get_jobs()] == ["depths"]
        scheduler.remove_job("depths")
        assert scheduler.get_jobs() == []
    finally:
        scheduler.shutdown()
    assert tally(jobs.add_job) == 1


def test_a_session_of_a_visitor(shelf: Shelf) -> None:
    store = shelf.fake(starsessions.SessionStore, over=starsessions.InMemoryStore())
    scope: dict[str, Any] = {"session": {}, "type": "http"}
    connection = type("Connection", (), {"scope": scope, "session": scope["session"]})()

    async def use() -> dict[str, Any]:
        first = SessionHandler(connection, None, store, starsessions.JsonSerializer(), 60)
        await first.load()
        connection.session["berth"] = "B-1"
        session_id = await first.save(60)
        connection.session.clear()
        again = SessionHandler(connection, session_id, store, starsessions.JsonSerializer(), 60)
        await again.load()
        return dict(connection.session)

    assert asyncio.run(use())["berth"] == "B-1"


def test_a_lock_in_a_cache(shelf: Shelf) -> None:
    cache = shelf.fake(BaseCache, over=SimpleMemoryCache())

    async def use() -> Any:
        async with RedLock(cache, "tide", lease=5):
            await cache.set("tide", 6.3)
        return await cache.get("tide")

    assert asyncio.run(use()) == 6.3
    assert ledger_of(cache.set).each("value") == [6.3]


def test_an_object_that_lacks_a_method_stands_behind_nothing(shelf: Shelf) -> None:
    wrong: list[Callable[[], Any]] = [
        lambda: shelf.fake(ExampleDatabase, over=DictStore()),
        lambda: shelf.fake(ExampleDatabase, over=InMemoryExampleDatabase),
    ]
    whys = ["it has no method 'save'", "give an object of that class"]
    for make, why in zip(wrong, whys, strict=True):
        with pytest.raises(InterfaceRefused, match=why):
            make()
