"""Run both checkers over `refused.py`, and compare what they refuse with its marks, and what they
say of a wrong argument with the golden files.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

FILE = Path(__file__).with_name("refused.py")
GOLDEN = FILE.parents[1] / "golden"
WRONG_ARGUMENT = "cue(tides.depth_at, 5, noon)"
"""The line whose message is told word for word."""

Found = dict[int, list[str]]
"""The messages of each line."""


def marked() -> set[int]:
    """The lines that must be refused."""
    return {
        n for n, line in enumerate(FILE.read_text().splitlines(), 1) if line.endswith("# refused")
    }


def by_mypy() -> Found:
    """What mypy refuses."""
    words = [sys.executable, "-m", "mypy", "--strict", "--no-error-summary", str(FILE)]
    out = subprocess.run(words, capture_output=True, text=True, check=False).stdout
    found: Found = {}
    for line, kind, text in re.findall(r"refused\.py:(\d+): (error|note): (.*)", out):
        if kind == "error" or int(line) in found:
            found.setdefault(int(line), []).append(text)
    return found


def by_pyright() -> Found:
    """What pyright refuses."""
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
    found: Found = {}
    for one in json.loads(out)["generalDiagnostics"]:
        if one["severity"] == "error":
            found.setdefault(one["range"]["start"]["line"] + 1, []).append(one["message"])
    return found


def main() -> int:
    """Print where a checker and the marks disagree, or its words changed; 1 if they do."""
    wrong = 0
    told = FILE.read_text().splitlines()
    line_told = next(n for n, line in enumerate(told, 1) if WRONG_ARGUMENT in line)
    for name, found in (("mypy", by_mypy()), ("pyright", by_pyright())):
        for line in sorted(found.keys() ^ marked()):
            wrong = 1
            print(f"{FILE.name}:{line}: {name} {'refuses' if line in found else 'accepts'} it")
        said = "\n".join(found.get(line_told, [])) + "\n"
        golden = GOLDEN / f"wrong_argument_{name}.txt"
        if "--write" in sys.argv:
            golden.write_text(said)
        if said != golden.read_text():
            wrong = 1
            print(f"{golden.name} is not what {name} says now:\n{said}")
    print(f"{len(marked())} lines, two checkers: {'they disagree' if wrong else 'all refused'}")
    return wrong


if __name__ == "__main__":
    raise SystemExit(main())
