"""What is released: public names, locked versions, what comes along, the README, the tour."""

from __future__ import annotations

import re
import tomllib
from importlib.metadata import metadata, version
from pathlib import Path
from typing import Any

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

import public
import urnshelf
from urnshelf.cli.main import main

ROOT = Path(__file__).parents[1]
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]


def needed(*extras: str) -> list[Requirement]:
    extra = PROJECT["optional-dependencies"]
    lines = [*PROJECT["dependencies"], *(line for name in extras for line in extra[name])]
    return [one for one in map(Requirement, lines) if one.name != "urnshelf"]


def locked(name: str) -> dict[str, str]:
    lines = (ROOT / name).read_text().splitlines()
    pinned = [re.match(r"([\w.-]+)==([\w.]+)", line) for line in lines if not line.startswith("#")]
    return {canonicalize_name(found[1]): found[2] for found in pinned if found}


def test_no_public_name_goes_unseen() -> None:
    kept = (ROOT / "tests" / "golden" / "public.txt").read_text().splitlines()
    assert public.lines() == kept, "see docs/stability.md, then tests/public.py"


def test_the_version_is_that_of_the_build() -> None:
    assert urnshelf.__version__ == version("urnshelf")
    assert "version" in PROJECT["dynamic"]


def test_the_lock_has_what_development_needs() -> None:
    pins = locked("requirements-dev.lock")
    for one in needed(*PROJECT["optional-dependencies"]):
        assert pins[canonicalize_name(one.name)] in one.specifier, one


def test_the_lowest_versions_are_those_that_are_promised() -> None:
    pins = locked("requirements-lowest.lock")
    for one in needed("data", "sql", "http", "completion"):
        lowest = next(part.version for part in one.specifier if part.operator == ">=")
        pinned = pins[canonicalize_name(one.name)]
        # the first that has a wheel for our lowest Python may be a patch later
        assert pinned.split(".")[: len(lowest.split("."))] == lowest.split("."), one


def licence_of(name: str) -> str:
    told = metadata(name)
    if expression := told.get("License-Expression"):
        return str(expression)
    kinds = [line for line in told.get_all("Classifier") or () if line.startswith("License ::")]
    return " ".join([*kinds, (told.get("License") or "").split("\n")[0]])


def test_what_comes_along_is_told_with_its_licence() -> None:
    page = (ROOT / "docs" / "install.md").read_text()
    rows = [row.split("|") for row in page.splitlines() if row.count("|") == 7]
    told: dict[str, list[Any]] = {}
    for cells in rows:
        for name in cells[1].split(","):
            told[canonicalize_name(name.strip())] = cells
    for one in needed("data", "sql", "http", "scale", "completion"):
        cells = told[canonicalize_name(one.name)]
        kind = re.split(r"[ -]", cells[5].strip())[0]
        real = licence_of(one.name).replace("Python Software Foundation", "PSF")
        assert kind.lower() in real.lower(), (one.name, cells[5], real)
    for extra in PROJECT["optional-dependencies"]:
        assert f"| `{extra}` |" in page, extra


def test_the_readme_is_short() -> None:
    text = (ROOT / "README.md").read_text()
    opening = re.sub(r"\s+", " ", text.split("\n\n")[1])
    assert len(re.findall(r"[.?!] [A-Z]|\.$", opening)) == 3
    assert len(re.findall(r"!\[", text)) == 1
    assert len(re.findall(r"(?m)^    \S.* && .*$", text)) == 2
    first = re.findall(r"(?s)```python\n(.*?)```", text)[0]
    body = first[first.index("def test") :].strip().splitlines()
    assert len([line for line in body if line.strip()]) < 20
    assert len(re.findall(r"(?m)^\* \[", text[text.index("## Read on") :])) == 5


def test_the_tour_shows_all_in_a_hundred_lines(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["tour"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) < 100
    steps = [line for line in lines if re.match(r"\d+\. ", line)]
    assert [line.split(".")[0] for line in steps] == [str(n) for n in range(1, 11)]
    shown = "\n".join(lines)
    for word in ("moor, by its own code; _tide_at, by the cue", "200 {\"depth_m\": 6.3}",
                 "def test_bill_gives", "the real one raises MooringUnknown"):  # fmt: skip
        assert word in shown, word
