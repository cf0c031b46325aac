"""Run both checkers over `refused.py` and compare what they refuse with its marks."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

FILE = Path(__file__).with_name("refused.py")


def marked() -> set[int]:
    """The lines that must be refused."""
    return {
        n for n, line in enumerate(FILE.read_text().splitlines(), 1) if line.endswith("# refused")
    }


def by_mypy() -> set[int]:
    """The lines that mypy refuses."""
    words = [sys.executable, "-m", "mypy", "--strict", "--no-error-summary", str(FILE)]
    out = subprocess.run(words, capture_output=True, text=True, check=False).stdout
    return {int(n) for n in re.findall(r"refused\.py:(\d+): error", out)}


def by_pyright() -> set[int]:
    """The lines that pyright refuses."""
    words = [
        sys.executable,
        "-m",
        "pyright",
        "--pythonpath",
        sys.executable,
        "--outputjson",
        str(FILE),
    ]
    out = subprocess.run(words, capture_output=True, text=True, check=False).stdout
    found = json.loads(out)["generalDiagnostics"]
    return {d["range"]["start"]["line"] + 1 for d in found if d["severity"] == "error"}


def main() -> int:
    """Print where a checker and the marks disagree; 1 if they do."""
    wrong = 0
    for name, lines in (("mypy", by_mypy()), ("pyright", by_pyright())):
        for line in sorted(lines ^ marked()):
            wrong = 1
            print(f"{FILE.name}:{line}: {name} {'refuses' if line in lines else 'accepts'} it")
    print(f"{len(marked())} lines, two checkers: {'they disagree' if wrong else 'all refused'}")
    return wrong


if __name__ == "__main__":
    raise SystemExit(main())
