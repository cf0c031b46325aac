"""Remarks at the end of a run, and those that fail their tests."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from pathlib import Path
from textwrap import dedent

import pytest

import inner

SMELLS = """
    import os
    from typing import Protocol
    import pytest
    from urnshelf import Shelf, cue, tally, whatever
    from urnshelf.demo.harbour import *

    class Many(Protocol):
        def a(self) -> int: ...
        def b(self) -> int: ...
        def c(self) -> int: ...
        async def later(self) -> int: ...

    def test_fine(shelf):
        cue(shelf.fake(TideService).depth_at).gives(6.3)
        assert shelf.fake(TideService).depth_at("Ternhythe", None) == 6.3

    def test_unused(shelf):
        cue(shelf.fake(PilotPager).page, 9, whatever).gives(None)

    def test_hidden(shelf):
        cue(shelf.fake(TideService).depth_at, "Ternhythe", whatever).gives(1.0)
        cue(shelf.fake(TideService).depth_at).gives(2.0)
        assert shelf.fake(TideService).depth_at("Ternhythe", None) == 2.0

    @pytest.mark.urnshelf(unanswered="empty")
    def test_empty(shelf):
        assert shelf.fake(TideService).depth_at("Ternhythe", None) == 0.0

    def test_cued_write(shelf):
        berths = shelf.fake(BerthRepository)
        cue(berths.save).gives(None)
        berths.save(shelf.urn.draw(Berth))

    def test_unawaited(shelf):
        many = shelf.fake(Many)
        cue(many.later).gives(1)
        many.later().close()

    def test_idle(shelf):
        shelf.fake(Many)
        shelf.fake(QuayPatrol, spare=True)
        shelf.furnish(MooringDesk)

    def test_many(shelf):
        many = shelf.fake(Many)
        for method in (many.a, many.b, many.c):
            cue(method).gives(1)
            assert method() == 1

    def test_swaps(shelf):
        for name in "XY":
            shelf.swap(os.environ, f"URNSHELF_{name}", "1")

    def test_fails(shelf):
        cue(shelf.fake(PilotPager).page, 9, whatever).gives(None)
        assert False
"""
LIMITS = "[tool.urnshelf]\nmost_cued = 2\nmost_swapped = 1\n"
TOLD = {
    "unused-cue (2): cues never used": "test_it.py:18  test_unused: cue(PilotPager.page, 9, whatever)",
    "hidden-cue (1): ": "hidden by cue(TideService.depth_at).gives(2.0) set at",
    "empty-answer (1): ": "test_empty: TideService.depth_at(harbour='Ternhythe', at=None); to cue it: cue(",
    "cued-write (1): ": "test_cued_write: BerthRepository.save",
    "never-awaited (1): ": "test_unawaited: Many.later",
    "idle-fake (1): ": "test_idle: shelf.fake(Many)",
    "many-cues (1): ": "test_many: 3 methods, Many.a, Many.b, Many.c",
    "many-swaps (1): ": "test_swaps: 2 things",
}  # fmt: skip


def smelly(pytester: pytest.Pytester, *options: str) -> pytest.RunResult:
    pytester.makepyprojecttoml(LIMITS)
    quiet = ("-W", "ignore")
    return inner.run(pytester, dedent(SMELLS), *quiet, *options)


@pytest.mark.parametrize("options", [(), ("-n", "2")], ids=["one process", "xdist"])
def test_the_run_ends_with_a_list(pytester: pytest.Pytester, options: tuple[str, ...]) -> None:
    result = smelly(pytester, "--urnshelf-remarks", *options)
    result.assert_outcomes(passed=9, failed=1)
    assert result.ret == 1
    told = result.stdout.str().partition("urn shelf remarks")[2]
    for what, text in TOLD.items():
        assert what in told, told
        assert text in told, told
    assert "test_fine" not in told
    assert "test_fails" not in told.partition("short test summary")[0]


def test_without_the_option_there_is_none(pytester: pytest.Pytester) -> None:
    assert "remarks" not in smelly(pytester).stdout.str()
    pytester.makepyprojecttoml("[tool.urnshelf]\nremarks = true")
    result = inner.run(pytester, "def test_it(shelf): ...")
    assert "nothing to remark on" in result.stdout.str()


def test_chosen_kinds_fail_their_tests(pytester: pytest.Pytester) -> None:
    result = smelly(pytester, "--urnshelf-strict", "unused-cue, idle-fake")
    result.assert_outcomes(passed=6, failed=4)
    assert result.ret == 1
    told = result.stdout.str()
    assert (
        "unused-cue: test_it.py:18: test_unused: cue(PilotPager.page, 9, whatever).gives(None)"
        in told
    )
    assert "take them out, or say spare=True" in told
    assert "urn shelf remarks" not in told
    result = smelly(pytester, "--urnshelf-strict", "all", "-n", "2")
    result.assert_outcomes(passed=1, failed=9)
    pytester.makepyprojecttoml('[tool.urnshelf]\nstrict = ["unused-cue"]')
    code = "from urnshelf import cue\nfrom urnshelf.demo.harbour import PilotPager\n"
    code += "def test_it(shelf):\n    cue(shelf.fake(PilotPager).page).gives(None)\n"
    assert inner.run(pytester, code).ret == 1


def test_junit_has_them_as_properties(pytester: pytest.Pytester, tmp_path: Path) -> None:
    smelly(pytester, "--urnshelf-remarks", "--junit-xml", str(tmp_path / "x.xml"))
    found = {
        case.get("name"): [one.get("value") or "" for one in case.iter("property")]
        for case in ET.parse(tmp_path / "x.xml").iter("testcase")
    }
    assert len(found["test_unused"]) == 1
    assert found["test_unused"][0].startswith(
        "unused-cue: test_it.py:18: test_unused: cue(PilotPager.page"
    )
    assert found["test_fine"] == []


@pytest.mark.parametrize(
    ("table", "told"),
    [
        ("remarks = 1", "remarks=1: choose true or false"),
        ('strict = "all"', "choose a list of kinds"),
        ("most_cued = 0", "choose a whole number from 1"),
        ('strict = ["unused"]', "there is no such remark; did you mean 'unused-cue'?"),
        ("most_kued = 3", "there is no such setting; did you mean 'most_cued'"),
    ],
)
def test_settings_that_there_are_not(pytester: pytest.Pytester, table: str, told: str) -> None:
    pytester.makepyprojecttoml(f"[tool.urnshelf]\n{table}")
    result = inner.run(pytester, "def test_it(): ...")
    assert result.ret == 4
    assert told in result.stderr.str()
