"""What an installation brings along: `python benchmarks/installed.py`, a row a package.

Each extra is installed into an environment of its own. A package's size is that of its files as pip
tells them, compiled ones included; the time of its import is that of a new interpreter less that of
one which imports nothing, the best of some, over the time in which pytest is imported.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from rich.console import Console
from rich.table import Table

ROOT = Path(__file__).parents[1]
EXTRAS = ("", "data", "sql", "http", "scale", "completion")
IMPORTS = {"argcomplete": "argcomplete", "dask": "dask.dataframe", "pyyaml": "yaml"}
"""How a package is imported, where not by its name."""

TOLD = """
import json, re
from importlib.metadata import distributions
told = []
for one in distributions():
    name = one.metadata["Name"].lower().replace("_", "-")
    if name in ("pip", "setuptools", "urnshelf"):
        continue
    files = [one.locate_file(path) for path in one.files or ()]
    size = sum(path.stat().st_size for path in files if path.exists())
    licence = one.metadata["License-Expression"] or next(
        (c.rsplit(" :: ", 1)[1] for c in one.metadata.get_all("Classifier") or ()
         if c.startswith("License ::")), (one.metadata["License"] or "?").splitlines()[0])
    told.append((name, one.version, size, licence))
print(json.dumps(told))
"""


def seconds(python: Path, code: str, rounds: int = 7) -> float:
    """The best time of a new interpreter that runs something."""
    times = []
    for _ in range(rounds):
        start = time.perf_counter()
        subprocess.run([python, "-c", code], check=True, capture_output=True)
        times.append(time.perf_counter() - start)
    return min(times)


def installed(extra: str, folder: Path) -> tuple[Path, list[tuple[str, str, int, str]]]:
    """An environment with an extra, and what is in it: name, version, bytes, licence."""
    subprocess.run([sys.executable, "-m", "venv", folder], check=True)
    python = folder / "bin" / "python"
    what = f"{ROOT}[{extra}]" if extra else str(ROOT)
    subprocess.run([python, "-m", "pip", "install", "-q", what], check=True, capture_output=True)
    return python, json.loads(subprocess.check_output([python, "-c", TOLD], text=True))


def main() -> None:
    """Install, measure, print."""
    table = Table("extra", "package", "MB", "import", "licence")
    base: set[str] = set()
    for extra in EXTRAS:
        with tempfile.TemporaryDirectory() as folder:
            python, packages = installed(extra, Path(folder))
            nothing = seconds(python, "pass")
            for name, version, size, licence in sorted(packages, key=lambda one: -one[2]):
                if name in base:
                    continue
                module = IMPORTS.get(name, name.replace("-", "_"))
                try:
                    took = f"{1e3 * (seconds(python, f'import {module}') - nothing):.0f} ms"
                except subprocess.CalledProcessError:
                    took = "–"
                row = (f"{name} {version}", f"{size / 1e6:.1f}", took, licence)
                table.add_row(extra or "base", *row)
            base |= {name for name, *_ in packages} if not extra else set()
    Console(width=120).print(table)


if __name__ == "__main__":
    main()
