"""The speed bars of the design, measured side by side in one run: `python benchmarks/run.py`.

Each row times two pieces of work in turn, many short rounds of each, and compares the best rounds;
the bar is a ratio, or a time where the design gives one. Nothing here fails: read the table. With
`--keep` it goes into `history.jsonl`, a line a run; what the last line says is shown beside.
"""

from __future__ import annotations

import json
import os
import platform
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any, Protocol

from rich.console import Console
from rich.table import Table

from urnshelf import Shelf, Urn, column, cue, fitting, whatever
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    GaugeSilent,
    Mooring,
    MooringDesk,
    TideService,
    Vessel,
)
from urnshelf.fakes.compile import compiled
from urnshelf.interfaces.taking_apart import take_apart

ENVIRONMENT = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
"""An installed package is compiled; a checkout must be, too, to be compared."""
NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)


class TenMethods(Protocol):
    """An interface of ten methods."""

    def one(self, a: int, b: str) -> int: ...
    def two(self, a: int, b: str = "x") -> int: ...
    def three(self, a: int, *, b: str) -> int: ...
    def four(self, a: int, b: str) -> list[int]: ...
    def five(self) -> None: ...
    def six(self, *args: int) -> int: ...
    def seven(self, **kwargs: int) -> int: ...
    def eight(self, a: int, /, b: str) -> int: ...
    async def nine(self, a: int) -> int: ...
    async def ten(self, a: int, b: str) -> str: ...


@dataclass
class Row:
    """One line of the table."""

    work: str
    measured: str
    bar: str
    holds: bool


def seconds(work: Callable[[], object], calls: int) -> float:
    """The time of one call, over one round."""
    start = time.perf_counter()
    for _ in range(calls):
        work()
    return (time.perf_counter() - start) / calls


def side_by_side(
    ours: Callable[[], object], theirs: Callable[[], object], calls: int, rounds: int
) -> tuple[float, float, float]:
    """The median of the ratios, round by round, and the best time of each."""
    pairs = [(seconds(ours, calls), seconds(theirs, calls)) for _ in range(rounds)]
    return (
        statistics.median(a / b for a, b in pairs),
        min(a for a, _ in pairs),
        min(b for _, b in pairs),
    )


class HandGauge:
    """Fakes written by hand, one of each kind: each appends the call to a list, and replies."""

    def __init__(self) -> None:
        self.calls: list[tuple[Any, ...]] = []
        self.left = [1.0] * 10**6
        self.silent = GaugeSilent()

    def constant(self, harbour: str, at: datetime) -> float:
        self.calls.append((harbour, at))
        return 6.3

    def turns(self, harbour: str, at: datetime) -> float:
        self.calls.append((harbour, at))
        return self.left.pop()

    def matched(self, harbour: str, at: datetime) -> float:
        self.calls.append((harbour, at))
        return 6.3 if is_ternhythe(harbour) else 0.0

    def computed(self, harbour: str, at: datetime) -> float:
        self.calls.append((harbour, at))
        return len(harbour) * 0.5

    def raising(self, harbour: str, at: datetime) -> float:
        self.calls.append((harbour, at))
        raise self.silent


def is_ternhythe(harbour: str) -> bool:
    """A predicate."""
    return harbour == "Ternhythe"


def call_rows() -> list[Row]:
    """A cued, recorded call of each kind, against a fake written by hand of the same kind."""
    hand = HandGauge()
    half: Callable[[str, datetime], float] = lambda harbour, at: len(harbour) * 0.5  # noqa: E731
    kinds: list[tuple[str, Callable[[Any], object], Callable[..., float]]] = [
        ("any arguments, one value", lambda m: cue(m).gives(6.3), hand.constant),
        (
            "one argument, one value",
            lambda m: cue(m, "Ternhythe", whatever).gives(6.3),
            hand.constant,
        ),
        (
            "both arguments, one value",
            lambda m: cue(m, "Ternhythe", NOON).gives(6.3),
            hand.constant,
        ),
        ("two values in turn", lambda m: cue(m, "Ternhythe", NOON).gives(1.0, 2.0), hand.turns),
        (
            "for_calls",
            lambda m: cue(m, "Ternhythe", NOON).gives(6.3).for_calls(10**9),
            hand.constant,
        ),
        ("a predicate", lambda m: cue(m, fitting(is_ternhythe), whatever).gives(6.3), hand.matched),
        ("computed", lambda m: cue(m).computes(half), hand.computed),
        ("raising", lambda m: cue(m, "Ternhythe", NOON).raises(hand.silent), hand.raising),
    ]
    return [call_row(what, set_cue, by_hand, hand) for what, set_cue, by_hand in kinds]


def call_row(
    what: str, set_cue: Callable[[Any], object], by_hand: Callable[..., float], hand: HandGauge
) -> Row:
    """One of them."""
    shelf = Shelf()
    tides = shelf.fake(TideService)
    set_cue(tides.depth_at)

    def call(method: Callable[..., float]) -> None:
        for _ in range(500):
            try:  # noqa: SIM105  # a context manager would cost more than the call that is measured
                method("Ternhythe", NOON)
            except GaugeSilent:
                pass

    def theirs() -> None:
        hand.calls.clear()
        hand.left.extend([1.0] * 500)
        call(by_hand)

    def ours() -> None:
        shelf._desk.ledger.clear()
        call(tides.depth_at)

    ratio, mine, best = side_by_side(ours, theirs, 2, 150)
    measured = f"{ratio:.1f} × ({mine * 2e6:.0f} ns : {best * 2e6:.0f} ns)"
    return Row(f"a call, cued: {what}", measured, "≤ 15 ×", ratio <= 15)


def computed_row() -> Row:
    """A computed list of records, looked at before it is given, against the same on trust."""
    berths = Urn(7).draw(Berth, 100)
    asked = []
    for checked in (True, False):
        fake = Shelf(check_replies=checked).fake(BerthRepository)
        cue(fake.find_by_harbour).computes(lambda harbour: berths)
        asked.append(fake.find_by_harbour)
    ratio, mine, best = side_by_side(
        lambda: asked[0]("Ternhythe"), lambda: asked[1]("Ternhythe"), 500, 60
    )
    measured = f"{ratio:.1f} × ({mine * 1e9:.0f} ns : {best * 1e9:.0f} ns)"
    return Row("a computed list of 100 records, checked", measured, "≤ 3 × unchecked", ratio <= 3)


def making_rows() -> list[Row]:
    """Making fakes and shelves."""

    def first() -> None:
        compiled(take_apart(TenMethods))

    shelf = Shelf()
    shelf.fake(TenMethods)
    number = iter(range(10**9))
    first_s = min(seconds(first, 1) for _ in range(40))
    next_s = min(
        seconds(lambda: shelf.fake(TenMethods, name=str(next(number))), 200) for _ in range(20)
    )
    shelf_s = min(seconds(Shelf, 200) for _ in range(20))
    return [
        Row(
            "first fake of a 10-method interface",
            f"{first_s * 1e3:.2f} ms",
            "≤ 2.5 ms",
            first_s <= 2.5e-3,
        ),
        Row("each further one", f"{next_s * 1e6:.1f} µs", "≤ 10 µs", next_s <= 10e-6),
        Row("a shelf", f"{shelf_s * 1e6:.1f} µs", "≤ 50 µs", shelf_s <= 50e-6),
    ]


def record_rows() -> list[Row]:
    """Getting records from the shelf."""
    shelf = Shelf()
    rows = {vessel.id: vessel for vessel in shelf.stock(Vessel, 1000)}
    table = shelf.records(Vessel)

    def by_hand() -> Vessel:
        return Vessel(**vars(rows[500]))

    ratio, _, _ = side_by_side(lambda: table.get(500), by_hand, 1000, 60)
    small = min(seconds(small_shelf, 1) for _ in range(30))
    return [
        Row("records.get(key) against hand-copied records", f"{ratio:.2f} ×", "≤ 3 ×", ratio <= 3),
        Row(
            "a shelf with 3 types and 100 records", f"{small * 1e3:.1f} ms", "≤ 5 ms", small <= 5e-3
        ),
        *look_up_rows(),
    ]


def small_shelf() -> None:
    """A shelf as tests have it."""
    shelf = Shelf(seed=7)
    shelf.stock(Vessel, 40)
    shelf.stock(Berth, 40)
    shelf.stock(Mooring, 20)


def look_up_rows() -> list[Row]:
    """Look-ups on 100,000 records against a plain loop over them, and savepoints."""
    shelf = Shelf()
    berths = shelf.records(Berth)
    for n in range(100_000):
        berths.add(Berth(n, f"B-{n}", f"Harbour {n % 5000}", 40.0, n % 997 / 10, Decimal(100)))
    plain = list(berths)

    def scan() -> list[Berth]:
        return [berth for berth in plain if berth.harbour == "Harbour 77"]

    def ranged() -> list[Berth]:
        return [berth for berth in plain if 50.0 <= berth.depth_m <= 50.1]

    def change() -> None:
        with shelf.rolled_back():
            berths.save(plain[5])

    for _ in range(4):
        (
            len(berths.where(harbour="Harbour 77")),
            len(berths.where(column("depth_m").between(50.0, 50.1))),
        )
    equal, mine, _ = side_by_side(lambda: list(berths.where(harbour="Harbour 77")), scan, 5, 20)
    within, _, _ = side_by_side(
        lambda: list(berths.where(column("depth_m").between(50.0, 50.1))), ranged, 5, 20
    )
    back = min(seconds(change, 50) for _ in range(20))
    return [
        Row(
            "20 of 100,000 records by a field, against a scan",
            f"{1 / equal:.0f} × faster ({mine * 1e6:.0f} µs)",
            "≥ 50 × faster",
            1 / equal >= 50,
        ),
        Row("200 of 100,000 by a range, against a scan", f"{1 / within:.1f} × faster", "–", True),
        Row("one change of 100,000 records rolled back", f"{back * 1e6:.0f} µs", "–", True),
    ]


@dataclass
class Trio:
    """Number, category and date columns."""

    quantity: int
    status: str
    created_at: datetime


@dataclass
class Customer:
    """A realistic mix: names, an e-mail made from them, money, a code, a moment, a status."""

    id: int
    given_name: str
    family_name: str
    email: str
    price: Decimal
    code: str
    created_at: datetime
    status: str


def drawing_rows() -> list[Row]:
    """Drawing one, ten, a thousand and a million records, and a million into a file."""
    urn = Urn(7)
    urn.data_frame(Trio, 10)
    urn.draw(Customer, 1000)
    one = min(seconds(lambda: urn.draw(Customer), 20) for _ in range(30))
    ten = min(seconds(lambda: urn.draw(Customer, 10), 10) for _ in range(20))
    thousand = min(seconds(lambda: urn.draw(Customer, 1000), 1) for _ in range(20))
    million = 1_000_000
    trio = million / min(seconds(lambda: urn.data_frame(Trio, million), 1) for _ in range(3))
    mix = million / min(seconds(lambda: urn.data_frame(Customer, million), 1) for _ in range(2))
    objects = million / seconds(lambda: urn.draw(Customer, million), 1)
    with tempfile.TemporaryDirectory() as folder:
        out = str(Path(folder) / "vessels.jsonl")
        vessels = ["-m", "urnshelf.cli", "draw", "urnshelf.demo.harbour:Vessel"]
        words = [*vessels, "-n", str(million), "-o", out]
        peak = peak_megabytes(*words)
    return [
        Row("1 record of 8 fields", f"{one * 1e6:.0f} µs", "≤ 100 µs", one <= 100e-6),
        Row("10 / 1,000 records", f"{ten * 1e6:.0f} µs / {thousand * 1e3:.1f} ms", "–", True),
        Row(
            "a frame of number, category, date", f"{trio:,.0f} a second", "≥ 1,000,000", trio >= 1e6
        ),
        Row("a frame of the realistic mix", f"{mix:,.0f} a second", "≥ 300,000", mix >= 3e5),
        Row(
            "the realistic mix as objects",
            f"{objects:,.0f} a second",
            "≥ 150,000",
            objects >= 1.5e5,
        ),
        Row("peak memory, 1,000,000 records to a file", f"{peak:.0f} MB", "≤ 300 MB", peak <= 300),
    ]


def peak_megabytes(*words: str) -> float:
    """The most memory that a process had at a time."""
    code = (
        "import resource, subprocess, sys; subprocess.run([sys.executable, *sys.argv[1:]], "
        "check=True, "
        "stdout=subprocess.DEVNULL); print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    out = subprocess.check_output([sys.executable, "-c", code, *words], env=ENVIRONMENT)
    return int(out) / 1024


def command_seconds(*words: str) -> float:
    """The processor time of a whole process: it wavers less than the time on the wall."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, *words], check=True, capture_output=True, env=ENVIRONMENT)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def difference(ours: tuple[str, ...], theirs: tuple[str, ...], rounds: int) -> float:
    """What our process takes longer than theirs, run in turn: the best of each, for a busy machine
    only adds.
    """
    pairs = [(command_seconds(*ours), command_seconds(*theirs)) for _ in range(rounds)]
    return min(a for a, _ in pairs) - min(b for _, b in pairs)


def import_rows() -> list[Row]:
    """What importing costs."""
    names = "from urnshelf import Shelf, cue, raising, tally, unseen, whatever"
    bare = difference(("-c", names), ("-c", "pass"), 15)
    inside = (
        "import time, pytest; s = time.perf_counter(); import urnshelf.pytest_plugin; "
        "print(time.perf_counter() - s)"
    )
    plugin = min(
        float(subprocess.check_output([sys.executable, "-c", inside], env=ENVIRONMENT))
        for _ in range(15)
    )
    return [
        Row(
            "import what a test uses, over the bare interpreter",
            f"{bare * 1e3:.0f} ms",
            "≤ 60 ms",
            bare <= 0.06,
        ),
        Row(
            "the pytest plugin, where pytest is imported",
            f"{plugin * 1e3:.0f} ms",
            "≤ 40 ms",
            plugin <= 0.04,
        ),
    ]


HAND_TEST = """
from datetime import UTC, datetime
from decimal import Decimal
import pytest
from urnshelf.demo.harbour import *
NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)

class Vessels:
    def __init__(self, rows): self.rows = {v.id: v for v in rows}
    def find(self, vessel_id): return self.rows.get(vessel_id)
class Berths:
    def __init__(self, rows): self.rows = rows
    def find_by_harbour(self, harbour): return [b for b in self.rows if b.harbour == harbour]
class Moorings:
    def __init__(self): self.rows = []
    def all(self): return list(self.rows)
    def add(self, mooring):
        mooring.id = len(self.rows) + 1
        self.rows.append(mooring)
        return mooring
class Tides:
    def __init__(self): self.calls = []
    def depth_at(self, harbour, at):
        self.calls.append((harbour, at))
        return 6.3
class Pilots:
    def __init__(self): self.calls = []
    def page(self, vessel_id, message, *, urgent=False):
        self.calls.append((vessel_id, message, urgent))

class Harbour:
    def __init__(self): self.moorings, self.tides, self.pilots = Moorings(), Tides(), Pilots()
@pytest.fixture
def harbour(): return Harbour()

@pytest.mark.parametrize("n", range(1000))
def test_moor(n, harbour):
    vessel = Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1)
    size, rate = dict(length_m=80.0, depth_m=5.0), Decimal(100)
    berth = Berth(id=1, code="B-1", harbour="Ternhythe", **size, day_rate=rate)
    moorings, tides, pilots = harbour.moorings, harbour.tides, harbour.pilots
    desk = MooringDesk(Vessels([vessel]), Berths([berth]), moorings, tides, pilots)
    mooring = desk.moor(7, NOON)
    assert mooring.berth_id == 1
    assert len(moorings.rows) == 1
    assert tides.calls == [("Ternhythe", NOON)]
    assert len(pilots.calls) == 1
"""

OUR_TEST = """
from datetime import UTC, datetime
from decimal import Decimal
import pytest
from urnshelf import cue, tally, whatever
from urnshelf.demo.harbour import *
NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)

@pytest.mark.parametrize("n", range(1000))
def test_moor(n, shelf):
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", draught_m=4.1))
    size, rate = dict(length_m=80.0, depth_m=5.0), Decimal(100)
    shelf.stock(Berth(id=1, code="B-1", harbour="Ternhythe", **size, day_rate=rate))
    tides, pilots = shelf.fake(TideService), shelf.fake(PilotPager)
    cue(tides.depth_at, "Ternhythe", NOON).gives(6.3)
    mooring = shelf.furnish(MooringDesk).moor(7, NOON)
    assert mooring.berth_id == 1
    assert shelf.records(Mooring).count() == 1
    assert tally(tides.depth_at) == 1
    assert tally(pilots.page, 7, whatever) == 1
"""


class Plain:
    """A real object with a method of one line."""

    def method(self, value: int) -> int:
        """One line."""
        return value


def wrapped_row() -> Row:
    """A wrapped method that no cue takes, against the bare one."""
    bare, wrapped = Plain(), Plain()
    with Shelf() as shelf:
        shelf.wrap(wrapped)

        def ours() -> None:
            shelf._desk.ledger.clear()
            for _ in range(500):
                wrapped.method(3)

        def theirs() -> None:
            for _ in range(500):
                bare.method(3)

        ratio, mine, best = side_by_side(ours, theirs, 2, 150)
    measured = f"{ratio:.1f} × ({mine * 2e6:.0f} ns : {best * 2e6:.0f} ns)"
    return Row("a wrapped method of one line, without a cue", measured, "≤ 20 ×", ratio <= 20)


def empty_row() -> Row:
    """What the plugin costs where no test uses us."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "test_empty.py"
        file.write_text("".join(f"def test_{n}(): pass\n" for n in range(1000)))
        common = ("-m", "pytest", "-q", "-p", "no:cacheprovider", "-c", "/dev/null", str(file))
        pairs = [
            (command_seconds(*common), command_seconds(*common, "-p", "no:urnshelf"))
            for _ in range(15)
        ]
    more = statistics.median(a - b for a, b in pairs)
    ratio = statistics.median(a / b for a, b in pairs)
    measured = f"{more * 1e3:.0f} ms, {ratio:.2f} ×"
    holds = ratio <= 1.05 or more <= 0.04
    return Row("1,000 empty tests, with the plugin", measured, "≤ 40 ms or 1.05 ×", holds)


def suite_row() -> Row:
    """A thousand tests of the mooring desk, with our fakes and with hand-written ones."""
    with tempfile.TemporaryDirectory() as folder:
        ours, hand = Path(folder) / "test_ours.py", Path(folder) / "test_hand.py"
        ours.write_text(OUR_TEST)
        hand.write_text(HAND_TEST)
        common = ("-m", "pytest", "-q", "-p", "no:cacheprovider", "-c", "/dev/null")
        pairs = [
            (
                command_seconds(*common, str(ours)),
                command_seconds(*common, str(hand), "-p", "no:urnshelf"),
            )
            for _ in range(11)
        ]
    ratio = statistics.median(a / b for a, b in pairs)
    mine, theirs = (statistics.median(column) for column in zip(*pairs, strict=True))
    return Row(
        "1,000 demo tests against hand-written fakes",
        f"{ratio:.2f} × ({mine:.2f} s : {theirs:.2f} s)",
        "≤ 1.25 ×",
        ratio <= 1.25,
    )


def main() -> None:
    """Measure and print."""
    shelf = Shelf()
    shelf.furnish(MooringDesk)
    rows = [
        *call_rows(),
        computed_row(),
        *making_rows(),
        *record_rows(),
        *drawing_rows(),
        *import_rows(),
        wrapped_row(),
        empty_row(),
        suite_row(),
    ]
    printed(rows, last_kept())
    if "--keep" in sys.argv[1:]:
        keep(rows)


HISTORY = Path(__file__).with_name("history.jsonl")


def last_kept() -> dict[str, str]:
    """What the last run that was kept had measured, by the work; the commit as `commit`."""
    lines = HISTORY.read_text().splitlines() if HISTORY.exists() else []
    if not lines:
        return {}
    last = json.loads(lines[-1])
    return {"commit": last["commit"], **last["measured"]}


def keep(rows: list[Row]) -> None:
    """Add a line to the history."""
    words = ["git", "describe", "--always", "--dirty"]
    commit = subprocess.check_output(words, text=True, cwd=HISTORY.parent).strip()
    line = {
        "date": datetime.now(UTC).date().isoformat(),
        "commit": commit,
        "python": platform.python_version(),
        "measured": {row.work: row.measured for row in rows},
    }
    with HISTORY.open("a", encoding="utf-8") as file:
        file.write(json.dumps(line, ensure_ascii=False) + "\n")


def printed(rows: list[Row], before: dict[str, str]) -> None:
    """Print the table."""
    table = Table("work", "measured", "bar", "")
    if before:
        table.add_column(f"at {before['commit']}")
    for row in rows:
        cells = [row.work, row.measured, row.bar, "ok" if row.holds else "OVER"]
        table.add_row(*cells, *([before.get(row.work, "–")] if before else []))
    Console(width=130).print(table)


if __name__ == "__main__":
    main()
