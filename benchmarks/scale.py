"""A million rows of two related tables: by one process, by workers of Dask, and by a run that was
killed half way and started again; the SHA-256 of all files is the same.

    python benchmarks/scale.py [ROWS]
"""

from __future__ import annotations

import hashlib
import json
import signal
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

PLAN = """format = 1
seed = 7

[tables.vessels]
count = {count}

[tables.vessels.rules]
id = {{ serial = "" }}
kind = {{ among = ["cargo", "ferry", "tug"], weights = [5, 3, 2] }}
length_m.by = "kind"
length_m.decimals = 1
length_m.quantiles.cargo = [20, 60, 90, 200]
length_m.quantiles.else = [8, 20, 40]
draught_m = {{ quantiles = [0.5, 2, 5, 12], leans = {{ length_m = 0.9 }} }}
dues = {{ gathered = "sum moorings.dues" }}

[tables.moorings]

[tables.moorings.rules]
id = {{ serial = "" }}
vessel_id = {{ dealt = "vessels", children = {{ 0 = 2, 1 = 3, 3 = 2 }} }}
days.among = [1, 2, 3, 9]
days.by = "vessel_id.kind"
days.weights.cargo = [1, 2, 5, 2]
days.weights.else = [9, 3, 1, 0]
day_rate = {{ between = [20.0, 90.0], decimals = 2 }}
dues = {{ formula = "days * day_rate", decimals = 2 }}
"""
PARTS = 16


def begun(plan: Path, folder: Path, *more: str) -> subprocess.Popen[bytes]:
    """A run of the command."""
    words = [sys.executable, "-m", "urnshelf.cli", "draw", str(plan), "-o", str(folder)]
    return subprocess.Popen(
        [*words, "--format", "csv", "--parts", str(PARTS), *more], stdout=subprocess.DEVNULL
    )


def timed(plan: Path, folder: Path, *more: str) -> float:
    """How long a run takes, in seconds."""
    start = time.perf_counter()
    assert begun(plan, folder, *more).wait() == 0
    return time.perf_counter() - start


def digest(folder: Path) -> tuple[str, int]:
    """The SHA-256 of all files together, and how many records they have."""
    files = json.loads((folder / "manifest.json").read_text())["files"]
    told = json.dumps(files, sort_keys=True).encode()
    return hashlib.sha256(told).hexdigest()[:16], sum(one["records"] for one in files.values())


def main() -> None:
    """Draw them all, and tell."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    with TemporaryDirectory() as temporary:
        base = Path(temporary)
        plan = base / "season.toml"
        plan.write_text(PLAN.format(count=rows * 7 // 16))
        dask = ("--engine", "dask", "--workers")
        took = {
            "one process": timed(plan, base / "one"),
            "1 worker": timed(plan, base / "single", *dask, "1"),
            "2 workers": timed(plan, base / "two", *dask, "2"),
        }
        killed = begun(plan, base / "killed", *dask, "2")
        time.sleep(took["2 workers"] / 2)
        killed.send_signal(signal.SIGKILL)
        killed.wait()
        time.sleep(3)  # its workers notice that nobody is there
        there = len(list((base / "killed" / ".parts").glob("*.json")))
        timed(plan, base / "killed", *dask, "2")
        names = ("one", "single", "two", "killed")
        found = {name: digest(base / name) for name in names}
        count = found["one"][1]
        for name, (told, _) in found.items():
            print(f"{name:8} {told}")
        print(f"killed when {there} of {PARTS} parts were there; the same: "
              f"{len({*found.values()}) == 1}")  # fmt: skip
        for name, seconds in took.items():
            print(f"{name:12} {seconds:6.1f} s  {count / seconds:10,.0f} rows a second")


if __name__ == "__main__":
    main()
