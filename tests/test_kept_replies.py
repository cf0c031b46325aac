"""Replies of real objects, kept in a file and answered from it ever after."""

from __future__ import annotations

import asyncio
import json
import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, Protocol

import pytest

from urnshelf import (
    FileRefused,
    InterfaceRefused,
    Shelf,
    UnansweredCall,
    attribute,
    cue,
    ledger_of,
    tally,
)
from urnshelf.demo.harbour import Berth, GaugeSilent, TideService, VesselKind
from urnshelf.demo.harbour.adaptors.sqlite import SqliteBerths, open_harbour
from urnshelf.demo.harbour.errors import BerthUnknown

NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
LATER = datetime(2030, 6, 1, 18, tzinfo=UTC)


class Gauge:
    """A real tide service: the water falls with every look, and one harbour is silent."""

    def __init__(self) -> None:
        self.looks = 0

    def depth_at(self, harbour: str, at: datetime) -> float:
        self.looks += 1
        if harbour == "Curlhythe":
            raise GaugeSilent(harbour, self.looks)
        return 6.5 - self.looks


@dataclass
class Reading:
    depth: Decimal
    kind: VesselKind
    token: str = ""


class Everything(Protocol):
    def plain(
        self, a: int, /, b: str = "x", *more: int, c: bool = False, **rest: float
    ) -> Reading: ...
    async def later(self, at: datetime) -> list[Reading]: ...
    def login(self, user: str, password: str) -> dict[str, Any]: ...
    def open_typed(self, what: Any) -> Any: ...
    def nothing(self) -> Reading | None: ...
    def streams(self) -> Any: ...


class Real:
    depth = 3

    def plain(self, a: int, /, b: str = "x", *more: int, c: bool = False, **rest: float) -> Reading:
        return Reading(Decimal("1.50") * a, VesselKind.FERRY)

    async def later(self, at: datetime) -> list[Reading]:
        await asyncio.sleep(0)
        return [Reading(Decimal(at.hour), VesselKind.CARGO)]

    def login(self, user: str, password: str) -> dict[str, Any]:
        return {"user": user, "access_token": "abc123", "inner": {"password": "hidden"}}

    def open_typed(self, what: Any) -> Any:
        return (what, {1, 2}, datetime(2030, 6, 1, tzinfo=UTC))

    def nothing(self) -> Reading | None:
        return None

    def streams(self) -> Any:
        return (one for one in range(3))


def test_kept_and_answered(tmp_path: Path) -> None:
    file = tmp_path / "tides.jsonl"
    with Shelf() as shelf:
        real = shelf.fake(TideService, over=Gauge(), keep_in=file)
        told = [real.depth_at("Ternhythe", NOON) for _ in range(2)]
        told.append(real.depth_at("Ternhythe", LATER))
        with pytest.raises(GaugeSilent) as silent:
            real.depth_at("Curlhythe", NOON)
    lines = file.read_text().splitlines()
    assert json.loads(lines[0]) == {
        "format": "urnshelf replies", "version": 1, "interface": "TideService",
        "methods": {"depth_at": "depth_at(harbour: str, at: datetime) -> float"},
    }  # fmt: skip
    assert lines[2] == (
        '{"method": "depth_at", "arguments": {"harbour": "Ternhythe", '
        '"at": "2030-06-01T12:00:00+00:00"}, "reply": 5.5}'
    )
    with Shelf() as shelf:
        kept = shelf.fake(TideService, answer_from=file)
        with pytest.raises(GaugeSilent) as again:
            kept.depth_at("Curlhythe", NOON)
        assert again.value.args == silent.value.args
        assert kept.depth_at("Ternhythe", at=LATER) == told[2]
        assert [kept.depth_at("Ternhythe", NOON) for _ in range(3)] == [*told[:2], told[1]]
        assert tally(kept.depth_at, "Ternhythe", NOON) == 3
        assert not shelf.unused_cues()


def test_a_call_that_is_not_there_is_refused_with_the_nearest(tmp_path: Path, shelf: Shelf) -> None:
    file = tmp_path / "tides.jsonl"
    with Shelf() as before:
        before.fake(TideService, over=Gauge(), keep_in=str(file)).depth_at("Ternhythe", NOON)
    kept = shelf.fake(TideService, answer_from=str(file))
    with shelf.refusals_expected(), pytest.raises(UnansweredCall) as refused:
        kept.depth_at("Ternhythe", LATER)
    assert "nearest cue   cue(TideService.depth_at, 'Ternhythe'" in str(refused.value)
    assert "at  <-- differs" in str(refused.value)
    # a cue of the test itself goes before
    cue(kept.depth_at, "Ternhythe", LATER).gives(1.0)
    assert kept.depth_at("Ternhythe", LATER) == 1.0


def test_a_repository_answers_from_the_file_alone(tmp_path: Path, shelf: Shelf) -> None:
    file = tmp_path / "berths.jsonl"
    connection = open_harbour()
    with Shelf(seed=7) as before:
        real = before.wrap(SqliteBerths(connection), keep_in=file)

        mine = before.urn.draw(Berth, 3, harbour="Ternhythe")
        for berth in mine:
            real.save(berth)
        with pytest.raises(BerthUnknown):
            real.get(99)
        assert real.find_by_harbour("Ternhythe") == mine
    connection.close()
    kept = shelf.fake(SqliteBerths, answer_from=file)
    assert kept.find_by_harbour("Ternhythe") == mine
    with pytest.raises(BerthUnknown):
        kept.get(99)
    kept.save(mine[0])
    with shelf.refusals_expected(), pytest.raises(UnansweredCall):
        kept.count()  # the shelf would know an answer, and the file does not


def test_every_kind_of_call_comes_back(tmp_path: Path) -> None:
    file = tmp_path / "all.jsonl"

    def use(fake: Everything) -> list[Any]:
        return [
            fake.plain(2), fake.plain(2, "y", 5, 6, c=True, d=1.5), asyncio.run(fake.later(NOON)),
            fake.open_typed((1, {"a": b"x"})), fake.nothing(),
        ]  # fmt: skip

    with Shelf() as shelf:
        told = use(shelf.fake(Everything, over=Real(), keep_in=file))
    with Shelf() as shelf:
        assert use(shelf.fake(Everything, answer_from=file)) == told
        with shelf.refusals_expected(), pytest.raises(UnansweredCall):
            shelf.fake(Everything).plain(3)


class Log:
    """Changes what it gave, counts unevenly, and calls its own methods."""

    def __init__(self) -> None:
        self.numbers = [1, 1, 2, 1, 1]

    def lines(self) -> list[str]:
        return ["a", "b"]

    def next(self) -> int:
        return self.numbers.pop(0)

    def tens(self) -> int:
        return self.next() * 10

    async def later(self) -> int:
        await asyncio.sleep(0)
        return self.next() + 100


def test_as_it_was_answered_and_in_turn(tmp_path: Path) -> None:
    file = tmp_path / "log.jsonl"

    def use(log: Log) -> list[Any]:
        lines = log.lines()
        shown = list(lines)
        lines.clear()  # what the service does with it is no part of the answer
        return [shown, [log.next() for _ in range(3)], log.tens(), asyncio.run(log.later())]

    with Shelf() as shelf:
        told = use(shelf.wrap(Log(), keep_in=file))
    assert told == [["a", "b"], [1, 1, 2], 10, 101]
    assert file.read_text().count('"method": "next"') == 3  # those from outside
    with Shelf() as shelf:
        assert use(shelf.fake(Log, answer_from=file)) == told


def test_secrets_are_masked_by_name(tmp_path: Path) -> None:
    file = tmp_path / "all.jsonl"
    with Shelf() as shelf:
        shelf.fake(Everything, over=Real(), keep_in=file).login("ann", password="hunter")
    text = file.read_text()
    assert not [word for word in ("hunter", "abc123", "hidden") if word in text]
    with Shelf() as shelf:
        kept = shelf.fake(Everything, answer_from=file)
        assert kept.login("ann", "another")["access_token"] == "…"


def test_what_was_kept_before_stays_and_the_file_is_sorted(tmp_path: Path) -> None:
    file = tmp_path / "tides.jsonl"
    for harbour, at in (("Ternhythe", NOON), ("Arnhythe", NOON), ("Ternhythe", NOON)):
        with Shelf() as shelf:
            shelf.fake(TideService, over=Gauge(), keep_in=file).depth_at(harbour, at)
    kept = [json.loads(line)["arguments"]["harbour"] for line in file.read_text().splitlines()[1:]]
    assert kept == ["Arnhythe", "Ternhythe"]
    # nothing is kept of a test that fails
    before = file.read_text()
    with pytest.raises(KeyError), Shelf() as shelf:
        shelf.fake(TideService, over=Gauge(), keep_in=file).depth_at("Other", NOON)
        raise KeyError
    assert file.read_text() == before


def test_an_object_written_in_c(tmp_path: Path) -> None:
    file = tmp_path / "calls.jsonl"
    connection = sqlite3.connect(":memory:")
    with Shelf() as shelf:
        wrapped: Any = shelf.wrap(connection, keep_in=file)
        assert wrapped.commit() is None
    connection.close()
    assert '"method": "commit"' in file.read_text()


def changed(**how: Any) -> Any:
    def change(lines: list[str]) -> list[str]:
        head, first, *rest = map(json.loads, lines)
        head |= how.get("head", {})
        first |= how.get("first", {})
        return [json.dumps(one) for one in (head, first, *rest)]

    return change


BROKEN: dict[str, tuple[Any, str]] = {
    "format": (changed(head={"format": "x"}), "no file of replies"),
    "version": (changed(head={"version": 2}), "its version is 2"),
    "interface": (changed(head={"interface": "Pilots"}), "the replies of 'Pilots', not of TideService"),
    "method": (changed(head={"methods": {"depth": "depth()"}}), "no 'depth' any more; did you mean"),
    "declared": (
        changed(head={"methods": {"depth_at": "depth_at(harbour: str) -> float"}}),
        r"was depth_at\(harbour: str\) -> float, and is now depth_at\(harbour: str, at: datetime\)",
    ),
    "line": (lambda lines: [lines[0], lines[1][:-5]], "line 2, column"),
    "parts": (changed(first={"error": {}}), "line 2: a \"method\", its \"arguments\""),
    "type": (changed(first={"reply": "deep"}), "depth_at: "),
    "arguments": (changed(first={"arguments": {"harbour": "x"}}), "'at' is lacking"),
    "empty": (lambda lines: [], "no file of replies"),
}  # fmt: skip


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_file_is_told(tmp_path: Path, shelf: Shelf, name: str) -> None:
    file = tmp_path / "tides.jsonl"
    with Shelf() as before:
        before.fake(TideService, over=Gauge(), keep_in=file).depth_at("Ternhythe", NOON)
    change, told = BROKEN[name]
    file.write_text("\n".join(change(file.read_text().splitlines())))
    with pytest.raises(FileRefused, match=told):
        shelf.fake(TideService, answer_from=file)


def test_only_exceptions_are_made_of_a_file(tmp_path: Path, shelf: Shelf) -> None:
    file = tmp_path / "tides.jsonl"
    with Shelf() as before:
        fake = before.fake(TideService, over=Gauge(), keep_in=file)
        with pytest.raises(GaugeSilent):
            fake.depth_at("Curlhythe", NOON)
    for wrong, told in (("os:system", "no exception"), ("nowhere:X", "no module"), (3, ".")):
        text = file.read_text().replace(
            '"urnshelf.demo.harbour.errors:GaugeSilent"', json.dumps(wrong)
        )
        (tmp_path / "other.jsonl").write_text(text)
        with pytest.raises(FileRefused, match=told):
            shelf.fake(TideService, answer_from=tmp_path / "other.jsonl")


def test_what_cannot_be_kept_is_told(tmp_path: Path, shelf: Shelf) -> None:
    with pytest.raises(FileRefused, match=r"Everything\.streams cannot be kept: of its reply: "):
        with Shelf() as other:
            other.fake(Everything, over=Real(), keep_in=tmp_path / "x.jsonl").streams()
    with pytest.raises(FileRefused, match="cannot be written"):
        with Shelf() as other:
            fake = other.fake(TideService, over=Gauge(), keep_in=tmp_path / "none" / "x.jsonl")
            fake.depth_at("Ternhythe", NOON)
    with pytest.raises(FileRefused, match="cannot be read"):
        shelf.fake(TideService, answer_from=tmp_path / "none.jsonl")
    with pytest.raises(InterfaceRefused, match="keep_in= keeps what a real object answers"):
        shelf.fake(TideService, keep_in=tmp_path / "x.jsonl")
    with pytest.raises(InterfaceRefused, match="give answer_from= or over="):
        shelf.fake(TideService, over=Gauge(), answer_from=tmp_path / "x.jsonl")


def test_wrapped_and_kept(tmp_path: Path, shelf: Shelf) -> None:
    file = tmp_path / "gauge.jsonl"
    with Shelf() as before:
        gauge = before.wrap(Gauge(), keep_in=file)
        assert gauge.depth_at("Ternhythe", NOON) == 5.5
        assert ledger_of(gauge).names == ["Gauge.depth_at"]
    kept = shelf.fake(Gauge, answer_from=file)
    assert kept.depth_at("Ternhythe", NOON) == 5.5
    cue(attribute(kept, "looks")).gives(3)
    assert kept.looks == 3
