"""Published interfaces: what their fakes answer is what their published implementations answer,
after every step of random sequences; what is refused is left out on both sides.
"""

from __future__ import annotations

import asyncio
import inspect
import shelve
from collections import UserDict
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

import cachelib
import cachetools
import diskcache
import dogpile.cache.api
import dogpile.cache.backends.memory
import keyring.backend
import keyrings.alt.file
import limits.aio.storage
import limits.storage
import pytest
import tinydb.storages
import zict
import zict.common
from cachecontrol.cache import BaseCache, DictCache
from hypothesis import given
from hypothesis import strategies as st
from key_value.aio.protocols.key_value import AsyncKeyValue
from key_value.aio.stores.memory import MemoryStore

from thorough import examples
from urnshelf import Shelf, UnansweredCall

KEYS = st.sampled_from(["a", "b", "c"])
NUMBERS = st.integers(-3, 9)
BYTES = st.sampled_from([b"", b"1", b"two"])
TABLES = st.dictionaries(KEYS, st.dictionaries(KEYS, NUMBERS, max_size=2), max_size=2)
LONG = st.sampled_from([60, 3600])

Arguments = tuple[Any, ...]
Step = tuple[str, Arguments]


class Pair(NamedTuple):
    """A published interface and an implementation of it."""

    interface: Any
    real: Callable[[Path], Any]
    steps: dict[str, tuple[Any, ...]]
    """The arguments of each method that changes something."""
    looks: dict[str, list[Arguments]]
    """The calls that look after each step."""
    declare: Callable[[Shelf], None] = lambda shelf: None


def each(*more: Any) -> list[Arguments]:
    return [(key, *more) for key in ("a", "b", "c", "z")]


CACHE = {
    "set": (KEYS, NUMBERS),
    "add": (KEYS, NUMBERS, LONG),
    "delete": (KEYS,),
    "inc": (KEYS,),
    "dec": (KEYS, NUMBERS),
    "clear": (),
    "set_many": (st.dictionaries(KEYS, NUMBERS),),
}
CACHE_LOOKS: dict[str, list[Arguments]] = {
    "get": each(),
    "has": each(),
    "get_many": [("a", "b", "z")],
    "get_dict": [("a", "b", "c")],
}
MAPPING = {
    "__setitem__": (KEYS, NUMBERS),
    "__delitem__": (KEYS,),
    "pop": (KEYS, st.sampled_from([None, 7])),
    "setdefault": (KEYS, NUMBERS),
    "update": (st.dictionaries(KEYS, NUMBERS),),
    "clear": (),
}
MAPPING_LOOKS: dict[str, list[Arguments]] = {
    "__getitem__": each(),
    "get": [*each(), ("z", 5)],
    "__contains__": each(),
    "__len__": [()],
    "__iter__": [()],
    "keys": [()],
    "items": [()],
    "values": [()],
}
COUNTS = {"incr": (KEYS, st.just(60), st.integers(1, 4)), "clear": (KEYS,), "reset": ()}


def from_zero(interface: Any) -> Callable[[Shelf], None]:
    return lambda shelf: shelf.keyed(interface, default=0)


def ring(folder: Path) -> Any:
    made = keyrings.alt.file.PlaintextKeyring()
    made.file_path = str(folder / "ring.cfg")
    return made


PAIRS = {
    "cachelib": Pair(
        cachelib.BaseCache, lambda _: cachelib.SimpleCache(default_timeout=0), CACHE, CACHE_LOOKS
    ),
    "cachelib, in files": Pair(
        cachelib.BaseCache,
        lambda folder: cachelib.FileSystemCache(str(folder), default_timeout=0),
        # of a key that is not there it says that it deleted it, and the other one that it did not
        {name: arguments for name, arguments in CACHE.items() if name != "delete"},
        CACHE_LOOKS,
    ),
    "cachecontrol": Pair(
        BaseCache,
        lambda _: DictCache(),
        {"set": (KEYS, BYTES), "delete": (KEYS,), "close": ()},
        {"get": each()},
    ),
    "dogpile.cache": Pair(
        dogpile.cache.api.CacheBackend,
        lambda _: dogpile.cache.backends.memory.MemoryBackend({}),
        {
            "set": (KEYS, NUMBERS),
            "set_multi": (st.dictionaries(KEYS, NUMBERS),),
            "delete": (KEYS,),
            "delete_multi": (st.lists(KEYS, unique=True),),
        },
        {"get": each(), "get_multi": [(["a", "b"],), (["c", "z"],)]},
        lambda shelf: shelf.keyed(
            dogpile.cache.api.CacheBackend, default=dogpile.cache.api.NO_VALUE
        ),
    ),
    "limits": Pair(
        limits.storage.Storage,
        lambda _: limits.storage.MemoryStorage(),
        COUNTS,
        {"get": each()},
        from_zero(limits.storage.Storage),
    ),
    "limits, asynchronous": Pair(
        limits.aio.storage.Storage,
        lambda _: limits.aio.storage.MemoryStorage(),
        COUNTS,
        {"get": each()},
        from_zero(limits.aio.storage.Storage),
    ),
    "keyring": Pair(
        keyring.backend.KeyringBackend,
        ring,
        {
            "set_password": (KEYS, KEYS, st.sampled_from(["old", "new"])),
            "delete_password": (KEYS, KEYS),
        },
        {"get_password": [*each("a"), *each("b"), *each("c")]},
    ),
    "tinydb": Pair(
        tinydb.storages.Storage,
        lambda _: tinydb.storages.MemoryStorage(),
        {"write": (TABLES,), "close": ()},
        {"read": [()]},
    ),
    "key_value": Pair(
        AsyncKeyValue,
        lambda _: MemoryStore(),
        {
            "put": (KEYS, st.dictionaries(KEYS, NUMBERS)),
            "put_many": (st.just(["a", "c"]), st.just([{"n": 1}, {"n": 2}])),
            "delete": (KEYS,),
            "delete_many": (st.lists(KEYS, unique=True),),
        },
        {"get": each(), "get_many": [(["a", "b", "z"],)]},
    ),
    "a dictionary of one's own": Pair(UserDict, lambda _: UserDict(), MAPPING, MAPPING_LOOKS),
    "cachetools": Pair(
        cachetools.Cache, lambda _: cachetools.Cache(maxsize=99), MAPPING, MAPPING_LOOKS
    ),
    "zict": Pair(zict.common.ZictBase, lambda _: zict.LRU(99, {}), MAPPING, MAPPING_LOOKS),
    "diskcache": Pair(
        diskcache.Index, lambda folder: diskcache.Index(str(folder)), MAPPING, MAPPING_LOOKS
    ),
    "shelve": Pair(
        shelve.Shelf,
        lambda folder: shelve.DbfilenameShelf(str(folder / "values")),
        MAPPING,
        {name: calls for name, calls in MAPPING_LOOKS.items() if name not in ("keys", "__iter__")},
    ),
    "a set in order": Pair(
        zict.InsertionSortedSet,
        lambda _: zict.InsertionSortedSet(),
        {"add": (KEYS,), "discard": (KEYS,), "remove": (KEYS,), "clear": (), "popleft": ()},
        {
            "__contains__": each(),
            "__len__": [()],
            "__iter__": [()],
            "isdisjoint": [({"a"},), ({"z"},)],
            "__le__": [({"a", "b", "c"},)],
            "__and__": [({"a"},)],
            "__or__": [({"z"},)],
        },
    ),
}
UNORDERED = ("diskcache", "shelve", "zict", "cachetools")


def outcome(subject: Any, step: Step, loop: asyncio.AbstractEventLoop) -> Any:
    """What a call gives, or the type of what it raises."""
    name, arguments = step
    try:
        given = getattr(subject, name)(*arguments)
        given = loop.run_until_complete(given) if inspect.isawaitable(given) else given
    except UnansweredCall:
        raise
    except Exception as error:
        return type(error)
    is_many = name in ("__iter__", "keys", "items", "values", "__and__", "__or__")
    return sorted(given) if is_many else given


def sequences(pair: Pair) -> st.SearchStrategy[list[Step]]:
    steps = [
        st.tuples(st.just(name), st.tuples(*arguments)) for name, arguments in pair.steps.items()
    ]
    return st.lists(st.one_of(steps), max_size=8)


@pytest.mark.parametrize("name", PAIRS)
def test_a_fake_is_what_its_published_implementation_is(
    name: str, tmp_path_factory: pytest.TempPathFactory
) -> None:
    pair, loop = PAIRS[name], asyncio.new_event_loop()
    answered: set[str] = set()

    @examples(60, derandomize=True)
    @given(sequences(pair))
    def compare(steps: list[Step]) -> None:
        real = pair.real(tmp_path_factory.mktemp("real"))
        shelf = Shelf()
        pair.declare(shelf)
        fake = shelf.fake(pair.interface)
        with shelf.refusals_expected():
            for step in steps:
                try:
                    mine = outcome(fake, step, loop)
                except UnansweredCall:
                    continue  # refused: neither does it
                answered.add(step[0])
                assert mine == outcome(real, step, loop), step
                for method, calls in pair.looks.items():
                    for arguments in calls:
                        look = (method, arguments)
                        try:
                            seen = outcome(fake, look, loop)
                        except UnansweredCall:
                            continue
                        answered.add(method)
                        assert seen == outcome(real, look, loop), look
        for opened in (real, getattr(real, "cache", None)):
            if hasattr(opened, "close") and not inspect.iscoroutinefunction(opened.close):
                opened.close()

    try:
        compare()
    finally:
        loop.close()
    unanswered = {*pair.steps, *pair.looks} - answered
    assert unanswered == UNREAD.get(name, set())


UNREAD = {
    "cachelib": {"set_many"},  # it promises a list, of what it does not say
    "cachelib, in files": {"set_many"},
    "a set in order": {"popleft"},
}
