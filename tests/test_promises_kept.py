"""Whatever is read answers what its method promises, and what is not read says why: verbs,
parameters and promises, each with each, held against a validator.
"""

from __future__ import annotations

from collections.abc import Generator, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Any, Protocol
from uuid import UUID

import pydantic
import pytest
from hypothesis.database import ExampleDatabase, InMemoryExampleDatabase

from urnshelf import RecordMissing, RecordRefused, Shelf, UnansweredCall


@dataclass
class Lamp:
    """A record whose key is a text."""

    code: str
    watts: int


@dataclass
class Buoy:
    """A record with a number as key, that a set can hold."""

    id: int | None
    watts: int

    def __hash__(self) -> int:
        return hash(self.id)


VERBS = """add save update get list find_by_watts get_many page first delete delete_all
    delete_by_watts count exists""".split()
GENERATORS = (Iterator, Generator)


def promises(record: type, key: type) -> list[Any]:
    """Types that a method may promise; `key` and what is no key among them."""
    rows = dict[str, Any]
    return [
        None, bool, int, str, float, UUID, key, record, record | None, bool | None, Any,
        rows, rows | None, list[rows], list[record], list[record] | None, tuple[record, ...],
        set[record], Set[record], Sequence[record], Iterator[record], Generator[record, None, None],
        dict[int, record], dict[str, record], Mapping[UUID, record], dict[str, int],
        tuple[list[record], int], tuple[list[rows], int], tuple[record, bool], list[key],
    ]  # fmt: skip


def interface(verb: str, parameters: dict[str, Any], promise: Any) -> type:
    names: dict[str, Any] = {}
    exec(f"def {verb}(self, {', '.join(parameters)}): ...", names)
    names[verb].__annotations__ = {**parameters, "return": promise}
    return type("Records", (Protocol,), {verb: names[verb], "__module__": __name__})  # type: ignore[arg-type]


@pytest.mark.parametrize(("record", "key"), [(Lamp, "code"), (Buoy, "id")])
@pytest.mark.parametrize("verb", VERBS)
def test_whatever_is_read_keeps_its_promise(record: type, key: str, verb: str) -> None:
    key_type = {"code": str, "id": int}[key]
    given: dict[str, tuple[Any, Any]] = {
        "record": (record, record(**{key: key_type(7), "watts": 3})),
        "records": (list[record], [record(**{key: key_type(8), "watts": 3})]),  # type: ignore[valid-type]
        key: (key_type, key_type(1)),
        "ids": (list[key_type], [key_type(1)]),  # type: ignore[valid-type]
        "watts": (int, 3),
    }
    told = 0
    for promise in promises(record, key_type):
        for names in [(), *((name,) for name in given), (key, "watts")]:
            read_as = interface(verb, {name: given[name][0] for name in names}, promise)
            with Shelf(seed=7) as shelf:
                shelf.define(record, key=key)
                if not shelf.explain(read_as)[0].read_as:
                    continue
            for stocked in (0, 1):
                with Shelf(seed=7) as shelf, shelf.refusals_expected():
                    shelf.define(record, key=key)
                    if stocked:
                        shelf.stock(record(**{key: key_type(1), "watts": 3}))
                    try:
                        got = getattr(shelf.fake(read_as), verb)(*(given[n][1] for n in names))
                    except (RecordMissing, RecordRefused, UnansweredCall):
                        continue  # said aloud, in place of an answer
                told += 1
                origin = getattr(promise, "__origin__", None)
                if origin in GENERATORS:
                    assert isinstance(got, origin)
                    pydantic.TypeAdapter(list[record]).validate_python(list(got), strict=True)  # type: ignore[valid-type]
                else:
                    pydantic.TypeAdapter(promise).validate_python(got, strict=True)
    assert told >= 4


VALUE_METHODS: dict[str, dict[str, tuple[Any, Any]]] = {
    "get": {"key": (str, "k")},
    "__getitem__": {"key": (str, "k")},
    "pop": {"key": (str, "k")},
    "get_many": {"keys": (list[str], ["k", "z"])},
    "set": {"key": (str, "k"), "value": (str, "w")},
    "set_many": {"mapping": (dict[str, str], {"k": "w"})},
    "delete": {"key": (str, "k")},
    "has": {"key": (str, "k")},
    "incr": {"key": (str, "n")},
    "decr": {"key": (str, "n")},
    "keys": {},
    "clear": {},
    "count": {},
}


@pytest.mark.parametrize("method", VALUE_METHODS)
def test_key_value_stores_keep_their_promises(method: str) -> None:
    types: list[Any] = [
        None, bool, int, float, str, bytes, str | None, int | None, Any, list[str], set[str],
        list[str | None], tuple[str, ...], dict[str, str], dict[str, Any],
        Mapping[str, str], list[tuple[str, str]], Iterator[str], UUID,
    ]  # fmt: skip
    given, told = VALUE_METHODS[method], 0
    for promise in types:
        cache = interface(method, {name: form for name, (form, _) in given.items()}, promise)
        for other in {"get", "set"} - {method}:
            setattr(cache, other, getattr(Values, other))
        with Shelf(seed=7) as shelf, shelf.refusals_expected():
            fake: Any = shelf.fake(cache)
            try:
                fake.set("k", "v")
                got = getattr(fake, method)(*(value for _, value in given.values()))
            except UnansweredCall:
                continue
        told += 1
        is_stream = getattr(promise, "__origin__", None) is Iterator
        form, got = (list[str], list(got)) if is_stream else (promise, got)
        pydantic.TypeAdapter(form).validate_python(got, strict=True)
    assert told


class Values(Protocol):
    """A key–value store."""

    def get(self, key: str) -> Any: ...
    def set(self, key: str, value: Any) -> None: ...
    def incr(self, key: str) -> int: ...


def test_a_store_of_several_values_for_a_key_is_none(shelf: Shelf) -> None:
    real, fake = InMemoryExampleDatabase(), shelf.fake(ExampleDatabase)
    for value in (b"a", b"b"):
        real.save(b"k", value)
        with shelf.refusals_expected(), pytest.raises(UnansweredCall, match="'fetch'"):
            fake.save(b"k", value)
    assert set(real.fetch(b"k")) == {b"a", b"b"}
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        fake.fetch(b"k")


def test_a_value_that_does_not_fit_is_said(shelf: Shelf) -> None:
    class Counters(Values, Protocol):
        def pop(self, key: str) -> int: ...

    counters = shelf.fake(Counters)
    counters.set("moored", "many")
    with shelf.refusals_expected():
        with pytest.raises(UnansweredCall, match="'pop' promises: it is 'many', a str, not int"):
            counters.pop("moored")
        with pytest.raises(UnansweredCall, match="'moored' is 'many', which is no number"):
            counters.incr("moored")
    assert counters.get("moored") == "many"
