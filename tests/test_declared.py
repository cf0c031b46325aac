"""Fakes, services and records declared by annotations, in pytest's tests and in unittest's."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from textwrap import dedent

import pytest

import inner

HEAD = """
    from __future__ import annotations
    import asyncio, functools, unittest
    from datetime import UTC, datetime
    import typing
    from typing import Annotated
    import pytest
    from urnshelf import (Faked, Furnished, Shelf, cue, faked, furnished, ledger_of, stocked, tally,
                          unseen, whatever)
    from urnshelf.cases import ShelfCase
    from urnshelf.demo.harbour import *
    NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
    Berths = Annotated[list[Berth], stocked(3, harbour="Ternhythe", in_service=True,
                                            length_m=90.0, depth_m=9.0)]
    Heron = Annotated[Vessel, stocked(name="Gray Heron", draught_m=4.1, length_m=40.0)]
"""


def run(pytester: pytest.Pytester, code: str, *options: str) -> pytest.RunResult:
    return inner.run(pytester, dedent(HEAD) + dedent(code), *options)


def test_parameters(pytester: pytest.Pytester) -> None:
    run(pytester, """
        @pytest.fixture
        def late(shelf):
            return shelf.fake(TideService)

        @pytest.mark.parametrize("days", [1, 2])
        def test_one(late, desk: Furnished[MooringDesk], tides: Faked[TideService], tmp_path,
                     berths: Berths, heron: Heron, days: int):
            assert late is tides
            cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
            assert desk.moor(heron.id, NOON, days).days == days
            assert len(berths) == 3 and tmp_path.exists()

        def test_another(shelf: Shelf, tides: Faked[TideService],
                         backup: Annotated[TideService, faked("backup")]):
            assert shelf.fake(TideService, "backup") is backup
            assert tally(shelf.fake(PilotPager, spare=True).page) == 0
            cue(backup.depth_at).gives(1.0)
            assert backup.depth_at("Ternhythe", NOON) == 1.0

        def test_given(desk: Annotated[MooringDesk, furnished(home="Curlhythe")],
                       tides: Faked[TideService], heron: Heron):
            cue(tides.depth_at, "Curlhythe", whatever).gives(6.3)
            with pytest.raises(NoBerthFits, match="Curlhythe"):
                desk.moor(heron.id, NOON)

        def test_plain(tmp_path) -> None:
            assert tmp_path

        def decorated(function):
            @functools.wraps(function)
            def called(*args, **kwargs):
                function(*args, **kwargs)
            return called

        @decorated
        def test_decorated(*, tides: Faked[TideService]):
            assert tides

        class TestWays:
            @staticmethod
            def test_static(tides: Faked[TideService], n: int = 3):
                assert tides and n == 3

            @classmethod
            def test_of_class(cls, tides: Faked[TideService]):
                assert tides and cls is TestWays
    """).assert_outcomes(passed=8)  # fmt: skip


def test_fields_are_fresh_before_everything_else(pytester: pytest.Pytester) -> None:
    run(pytester, """
        class TestDesk:
            tides: Faked[TideService]
            desk: Furnished[MooringDesk]
            heron: Heron
            what: str = "kept"
            seen: list = []

            @pytest.fixture(autouse=True)
            def arranged(self, shelf):
                assert self.tides is shelf.fake(TideService)

            def setup_method(self):
                self.depth = cue(self.tides.depth_at, "Ternhythe", whatever)
                self.seen.append(id(self.tides))

            def test_one(self, berths: Berths):
                self.depth.gives(6.3)
                assert self.desk.moor(self.heron.id, NOON).berth_id in {b.id for b in berths}

            def test_two(self, shelf):
                self.depth.gives(6.3)
                with pytest.raises(NoBerthFits):
                    self.desk.moor(self.heron.id, NOON)
                assert shelf.records(Berth).count() == 0
                assert self.what == "kept"

            @pytest.mark.urnshelf(unanswered="empty")
            def test_three(self):
                self.depth.gives(6.3)
                assert self.tides.depth_at("Curlhythe", NOON) == 0.0

        class TestMore(TestDesk):
            pilots: Faked[PilotPager]
            def test_four(self):
                self.depth.gives(6.3)
                assert self.pilots is not None and self.heron.name == "Gray Heron"

        class TestNone:
            def test_five(self):
                assert not hasattr(self, "tides")
    """).assert_outcomes(passed=8)  # fmt: skip


def test_async_tests(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(test_it=dedent(HEAD) + dedent("""
        @pytest.mark.asyncio
        async def test_one(tides: Faked[TideService], shelf):
            await asyncio.sleep(0)
            assert shelf.fake(TideService) is tides

        @pytest.mark.anyio
        async def test_two(tides: Faked[TideService]):
            import anyio
            await anyio.sleep(0)
            cue(tides.depth_at).gives(6.3)
            assert tides.depth_at("Ternhythe", NOON) == 6.3

        @pytest.mark.asyncio
        class TestLater:
            tides: Faked[TideService]
            async def test_three(self, pilots: Faked[PilotPager]):
                await asyncio.sleep(0)
                assert self.tides and pilots

        @pytest.fixture
        def anyio_backend():
            return "asyncio"
    """))  # fmt: skip
    pytester.runpytest_subprocess("-p", "no:cacheprovider").assert_outcomes(passed=3)


def test_a_decorator_that_asks_its_own_signature(pytester: pytest.Pytester) -> None:
    run(pytester, """
        from hypothesis import HealthCheck, given, settings, strategies as st

        @given(n=st.integers(0, 3))
        @settings(max_examples=5, suppress_health_check=list(HealthCheck))
        def test_numbers(tides: Faked[TideService], n):
            cue(tides.depth_at).gives(float(n))
            assert tides.depth_at("Ternhythe", NOON) == n
    """).assert_outcomes(passed=1)  # fmt: skip


@pytest.mark.skipif(pytest.version_tuple < (9,), reason="pytest 9 brought subtests")
def test_subtests(pytester: pytest.Pytester) -> None:
    result = run(pytester, """
        def test_depths(subtests, desk: Furnished[MooringDesk], tides: Faked[TideService],
                        berths: Berths, heron: Heron):
            cue(tides.depth_at, "Ternhythe", whatever).gives(6.3, 0.0)
            for number in (1, 2):
                with subtests.test(number=number):
                    assert tally(tides.depth_at) == number
                desk.moor(heron.id, NOON)
    """)  # fmt: skip
    told = result.stdout.str()
    assert result.ret == 1
    assert "expected 1, counted 0 of TideService.depth_at" in told
    assert "-- urn shelf --" in told


def test_the_same_seeds_whatever_the_worker(pytester: pytest.Pytester) -> None:
    code = """
        @pytest.mark.parametrize("n", range(4))
        def test_one(heron: Heron, n):
            print("drawn", n, heron.call_sign)

        class TestIt:
            heron: Heron
            def test_two(self):
                print("drawn", "two", self.heron.call_sign)

        class Case(ShelfCase, unittest.TestCase):
            heron: Heron
            def test_three(self):
                print("drawn", "three", self.heron.call_sign)
    """
    drawn = [
        sorted(re.findall("drawn .*", run(pytester, code, "-rP", *options).stdout.str()))
        for options in ((), ("-n", "2"), ("-n", "3"))
    ]
    assert len(drawn[0]) == 6
    assert drawn[0] == drawn[1] == drawn[2]


def test_what_cannot_be_made_is_told(pytester: pytest.Pytester) -> None:
    result = run(pytester, """
        def test_one(tides: Faked[int]): ...
        def test_two(heron: Annotated[Vessel, stocked(12)]): ...
        if typing.TYPE_CHECKING:
            from somewhere import Later
        def test_hidden(later: Faked[Later]): ...
        def test_three(heron: Annotated[list[Vessel], stocked()]): ...
        def test_four(heron: Annotated[Vessel, stocked(nmae="x")]): ...
        def test_five(desk: Annotated[MooringDesk, furnished(port="x")]): ...
        class Night:
            def __init__(self, limit: int): ...
        class TestIt:
            desk: Furnished[Night]
            def test_six(self): ...
    """)  # fmt: skip
    result.assert_outcomes(failed=6, errors=1)
    told = result.stdout.str()
    assert "tides is declared as int, which cannot be made: cannot fake int" in told
    assert "Annotated[list[Vessel], stocked(12)]" in told
    assert "did you mean 'name'?" in told
    assert "Later, which is no name when the tests run: import it outside of" in told
    assert "Traceback" not in told


def test_a_shelf_of_your_own(pytester: pytest.Pytester) -> None:
    run(pytester, """
        @pytest.fixture
        def base(): return {"seed": 11}

        @pytest.fixture
        def shelf(base):
            with Shelf(**base) as mine:
                yield mine

        def test_one(shelf, heron: Heron):
            assert shelf.seed == 11 and shelf.records(Vessel).count() == 1

        class TestIt:
            heron: Heron
            def setup_method(self): self.name = self.heron.name
            def test_two(self, shelf):
                assert shelf.seed == 11 and self.name == "Gray Heron"
    """).assert_outcomes(passed=2)  # fmt: skip


def test_one_shelf_for_several_tests(pytester: pytest.Pytester) -> None:
    pytester.makepyprojecttoml('[tool.urnshelf]\nshelf_scope = "class"\nunused_cues = "tell"')
    result = run(pytester, """
        class TestIt:
            tides: Faked[TideService]
            @pytest.fixture(scope="class", autouse=True)
            def arranged(self, shelf):
                shelf.stock(Vessel, 3)
                cue(shelf.fake(TideService).depth_at).gives(6.3)

            def test_one(self, shelf):
                assert self.tides.depth_at("Ternhythe", NOON) == 6.3
                shelf.stock(Vessel(9, "Gray Heron", "GH"))

            def test_two(self, shelf, heron: Heron):
                assert tally(self.tides.depth_at) == 0  # the call of the test before
                assert shelf.records(Vessel).count() == 5  # its records stay

        def test_of_its_own(shelf):
            assert shelf.records(Vessel).count() == 0

        @pytest.mark.urnshelf(unanswered="empty")
        def test_marked(shelf): ...
    """)  # fmt: skip
    result.assert_outcomes(passed=3, errors=1)
    assert "several tests share the shelf" in result.stdout.str()
    pytester.makepyprojecttoml('[tool.urnshelf]\nshelf_scope = "clas"')
    assert "shelf_scope='clas': choose 'function'" in run(pytester, "").stderr.str()


CASES = """
    class DeskCase(ShelfCase, unittest.TestCase):
        shelf_settings = {"unused_cues": "refuse"}
        desk: Furnished[MooringDesk]
        tides: Faked[TideService]
        berths: Berths
        heron: Heron

        def setUp(self):
            self.depth = cue(self.tides.depth_at, "Ternhythe", whatever).gives(6.3)

        def test_passes(self):
            self.assertEqual(self.desk.moor(self.heron.id, NOON).vessel_id, self.heron.id)

        def test_counts(self):
            self.desk.moor(self.heron.id, NOON)
            self.assertEqual(tally(self.tides.depth_at, "Curlhythe", whatever), 1)

        def test_parts(self):
            self.desk.moor(self.heron.id, NOON)
            for number in (1, 2):
                with self.subTest(number=number):
                    self.assertEqual(number, 1)

        def test_hides_a_refusal(self):
            self.desk.moor(self.heron.id, NOON)
            try:
                self.tides.depth_at("Curlhythe", NOON)
            except Exception:
                pass

        def test_uses_no_cue(self):
            self.assertTrue(self.heron)

        @unittest.skip("today")
        def test_skipped(self): ...

        @unittest.expectedFailure
        def test_expected(self):
            self.fail("as expected")

    class LaterCase(ShelfCase, unittest.IsolatedAsyncioTestCase):
        tides: Faked[TideService]
        async def asyncSetUp(self):
            cue(self.tides.depth_at).gives(1.0)
        async def test_later(self):
            await asyncio.sleep(0)
            self.assertEqual(self.tides.depth_at("Ternhythe", NOON), 2.0)

    class OddCase(ShelfCase, unittest.TestCase):
        tides: Faked[int]
        def test_odd(self): ...
"""
TOLD = (
    "0 calls of TideService.depth_at('Curlhythe', whatever)",
    "expected:    'Curlhythe'",
    "1 call was refused, and the code under test caught the refusal",
    "1 cue never used",
    "tides is declared as int, which cannot be made",
    "#1  TideService.depth_at(harbour='Ternhythe', at=datetime(2030, 6, 1, 12, 0, tzinfo=UTC)) → 1",
)  # fmt: skip


def test_unittest_has_the_whole_report(tmp_path: Path) -> None:
    (tmp_path / "test_it.py").write_text(dedent(HEAD) + dedent(CASES))
    ended = subprocess.run(
        [sys.executable, "-m", "unittest", "-v", "test_it"],
        cwd=tmp_path, capture_output=True, text=True,
    )  # fmt: skip
    told = ended.stderr
    assert "FAILED (failures=3, errors=3, skipped=1, expected failures=1)" in told, told
    assert all(text in told for text in TOLD), told
    assert told.count("--- urn shelf ---") == 5
    assert "_Case" not in told.replace("LaterCase", "").replace("DeskCase", "")


def test_the_same_under_pytest(pytester: pytest.Pytester) -> None:
    result = run(pytester, CASES)
    told = result.stdout.str()
    assert re.search(r"FAILED\(number=2\)|DeskCase.test_parts", told), told
    assert " 1 skipped, 1 xfailed" in told
    assert all(text in told for text in TOLD), told
    assert "\n--- urn shelf ---" not in told
    assert told.count("-- urn shelf --") >= 6


def test_the_projects_settings_are_those_of_unittests_shelves(pytester: pytest.Pytester) -> None:
    pytester.makepyprojecttoml('[tool.urnshelf]\nunanswered = "empty"')
    run(pytester, """
        class Case(ShelfCase, unittest.TestCase):
            tides: Faked[TideService]
            def test_one(self):
                self.assertEqual(self.tides.depth_at("Ternhythe", NOON), 0.0)
    """).assert_outcomes(passed=1)  # fmt: skip
