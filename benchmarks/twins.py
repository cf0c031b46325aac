"""How much of a sequence's time in the twin check is the real one's: `python benchmarks/twins.py`.

Each sequence is run in both worlds, and right after that on the real one alone; the median of five
rounds over 300 sequences each counts. The bar: a fifth. Nothing here fails: read the table.
"""

from __future__ import annotations

import sqlite3
import statistics
import time
from collections.abc import Callable
from typing import Any

from rich.console import Console
from rich.table import Table

from urnshelf import Shelf
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringRegister,
    MooringUnknown,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.sqlite import fresh_harbour, fresh_register
from urnshelf.twins import Twin

SEQUENCES = 300
ROUNDS = 5


def arrange(shelf: Shelf) -> None:
    """What the adaptors raise."""
    shelf.define(Mooring, missing=MooringUnknown, duplicate=sqlite3.IntegrityError)
    shelf.define(Berth, missing=BerthUnknown)


def share(real: Callable[[], Any], *interfaces: Any) -> tuple[float, float]:
    """The real one's part, and the milliseconds of a whole sequence."""
    twin = Twin(*interfaces, real=real, arrange=arrange, seed=7)
    generator, runner = twin._generator, twin._runner
    shares, wholes = [], []
    with runner.running():
        for _ in range(ROUNDS):
            whole = alone = 0.0
            for number in range(SEQUENCES):
                start = time.perf_counter()
                sequence = generator.sequence(7, number)
                runner.run(sequence)
                between = time.perf_counter()
                runner.alone(sequence)
                whole += between - start
                alone += time.perf_counter() - between
            shares.append(alone / whole)
            wholes.append(whole / SEQUENCES * 1e3)
    return statistics.median(shares), statistics.median(wholes)


def main() -> None:
    """Measure and print."""
    table = Table("fakes and SQLite in memory", "a sequence", "the real one's own", "bar", "")
    ports = (VesselRepository, BerthRepository, MooringRegister)
    for name, part, whole in (
        ("the register", *share(fresh_register, MooringRegister)),
        ("all three repositories", *share(fresh_harbour, *ports)),
    ):
        holds = "ok" if part >= 0.2 else "UNDER"
        table.add_row(name, f"{whole:.1f} ms", f"{part:.0%}", "≥ 20 %", holds)
    Console(width=110).print(table)


if __name__ == "__main__":
    main()
