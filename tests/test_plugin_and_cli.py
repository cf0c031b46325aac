"""The pytest plugin and the command line, as their users meet them."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

import inner

IMPORTS = """
from datetime import UTC, datetime
import pytest
from urnshelf import *
from urnshelf.demo.harbour import *
NOON = datetime(2030, 6, 1, 12, tzinfo=UTC)
"""


def run(pytester: pytest.Pytester, test: str, *options: str) -> pytest.RunResult:
    return inner.run(pytester, IMPORTS + test, *options)


def test_a_shelf_is_fresh_and_seeded_by_the_tests_name(pytester: pytest.Pytester) -> None:
    test = """
seen = {}
@pytest.mark.parametrize("n", [1, 2, 1])
def test_draw(shelf, n, request):
    assert shelf.records(Berth).count() == 0
    seen[request.node.nodeid] = shelf.stock(Berth).code
def test_draws_differ_by_name():
    assert len(set(seen.values())) == len(seen)
"""
    run(pytester, test).assert_outcomes(passed=4)
    same = "\ndef test_draw(shelf): print('drew', shelf.stock(Berth).code)\n"
    lines = [run(pytester, same, "-s", "--urnshelf-seed", "7").stdout.str() for _ in range(2)]
    codes = {line for text in lines for line in text.splitlines() if "drew" in line}
    assert len(codes) == 1


def test_a_failing_tally_tells_why_at_the_assertion_and_whole_below(
    pytester: pytest.Pytester,
) -> None:
    test = """
def test_it(shelf):
    pilots = shelf.fake(PilotPager)
    cue(pilots.page, 9, whatever).gives(None)
    for number in range(5):
        pilots.page(number, "Gray Heron")
    assert tally(pilots.page, 7, "Gray Heron") == 1
"""
    result = run(pytester, test, "--urnshelf-seed", "3")
    result.assert_outcomes(failed=1)
    result.stdout.fnmatch_lines(
        [
            "E *assert expected 1, counted 0 of PilotPager.page(7, 'Gray Heron')",
            "E *not counted: 5 calls with other arguments, the nearest:",
            "E *vessel_id  <-- differs",
            "E *more below, under 'urn shelf'",
            "*- urn shelf -*",
            "seed 3 (the same records again: --urnshelf-seed 3)",
            "0 calls of PilotPager.page*",
            "1 cue never used:",
            "  cue(PilotPager.page, 9, whatever*",
        ]
    )


@pytest.mark.parametrize(
    ("claim", "told"),
    [
        ("1 < tally(pilots.page)", "expected > 1, counted 1 of PilotPager.page"),
        ("tally(pilots.page) >= 2", "expected >= 2, counted 1 of PilotPager.page"),
        ("not unseen(pilots)", "1 unseen call of PilotPager: #1 PilotPager.page(vessel_id=7*"),
        ("not tally(pilots.page)", "assert not 1 call of PilotPager.page"),
        (
            "tally(pilots.page, 8, whatever)",
            "assert 0 calls of PilotPager.page(8, whatever)*",
        ),
    ],
)
def test_other_assertions(pytester: pytest.Pytester, claim: str, told: str) -> None:
    test = f"""
def test_it(shelf):
    pilots = shelf.fake(PilotPager)
    pilots.page(7, "Gray Heron")
    assert {claim}
"""
    result = run(pytester, test)
    result.assert_outcomes(failed=1)
    result.stdout.fnmatch_lines([f"E *{told}*"])
    report = result.stdout.str().partition("short test summary")[
        0
    ]  # the summary repeats it where CI is set
    assert report.count("at test_it.py:") == 1  # once: at the assertion, or in the section


def test_a_hidden_refusal_fails_the_test_itself(pytester: pytest.Pytester) -> None:
    test = """
def test_it(shelf):
    try:
        shelf.fake(TideService).depth_at("Ternhythe", NOON)
    except Exception:
        pass
def test_without_a_reply(shelf):
    cue(shelf.fake(TideService).depth_at)
"""
    result = run(pytester, test)
    result.assert_outcomes(failed=2)
    result.stdout.fnmatch_lines(["1 call was refused, and the code under test caught the refusal*"])
    result.stdout.fnmatch_lines(["cue(TideService.depth_at) was given no reply*"])
    assert "desk.py" not in result.stdout.str()


def test_a_refusal_shows_the_users_lines_and_none_of_ours(pytester: pytest.Pytester) -> None:
    test = """
def test_it(shelf):
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH"))
    shelf.furnish(MooringDesk).moor(7, NOON)
"""
    text = run(pytester, test).stdout.str()
    assert "UnansweredCall: TideService.depth_at" in text
    assert "services.py" in text
    assert not [
        name for name in ("desk.py", "compile.py", "cue.py", "<urnshelf fake>") if name in text
    ]


def test_a_refusal_that_another_failure_covers_is_told(pytester: pytest.Pytester) -> None:
    test = """
def test_it(shelf):
    try:
        shelf.fake(TideService).depth_at("Ternhythe", NOON)
    except Exception:
        pass
    assert 1 == 2
"""
    result = run(pytester, test)
    result.stdout.fnmatch_lines(
        ["*assert 1 == 2*", "caught by the code under test: TideService.depth_at*"]
    )


def command(*words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "urnshelf.cli", *words],
        capture_output=True,
        text=True,
        env={**os.environ, "PYTHONIOENCODING": "utf-8", **environment},
        check=False,
    )


def test_the_tour_is_the_same_in_every_process() -> None:
    one = command("tour", "--seed", "7", PYTHONHASHSEED="1")
    two = command("tour", "--seed", "7", PYTHONHASHSEED="2")
    assert (one.returncode, one.stderr) == (0, "")
    assert one.stdout == two.stdout
    assert "\x1b" not in one.stdout
    assert "The ledger: every call, in order" in one.stdout
    assert "vessel_id  <-- differs" in one.stdout
    assert one.stdout.count("  holds   assert") == 3
    assert command("tour", "--seed", "8").stdout != one.stdout


def test_help_version_and_wrong_words() -> None:
    assert "tour" in command().stdout
    assert command("--version").stdout.startswith("urnshelf 0.")
    wrong = command("tuor")
    assert wrong.returncode == 2
    assert "invalid choice: 'tuor'" in wrong.stderr


def test_a_look_is_told_only_where_it_is_asserted(pytester: pytest.Pytester) -> None:
    test = """
def look(shelf):
    pilots = shelf.fake(PilotPager)
    for number in range(9):
        pilots.page(number, "Gray Heron")
    return tally(pilots.page, 7, "Long Eider")
def test_about_something_else(shelf):
    assert look(shelf) == 0
    assert shelf.records(Berth).count() == 1
def test_under_a_name(shelf):
    paged = look(shelf)
    assert paged
"""
    text = run(pytester, test).stdout.str()
    other, _, named = text.partition("_ test_under_a_name _")
    assert "calls of PilotPager.page" not in other
    assert "0 calls of PilotPager.page(7, 'Long Eider')\nnot counted: 9 calls" in named


def test_more_below_is_told_only_where_there_is_a_below(pytester: pytest.Pytester) -> None:
    test = """
shelf = Shelf()
pilots = shelf.fake(PilotPager)
def test_it():
    for number in range(9):
        pilots.page(number, "Gray Heron")
    assert tally(pilots.page, 7, "Long Eider") == 1
"""
    text = run(pytester, test).stdout.str()
    assert "counted 0 of PilotPager.page(7, 'Long Eider')" in text
    assert "more below" not in text


# --- shelves of fixtures, settings ----------------------------------------------------------------


REFUSED = """
def ask(shelf):
    try:
        shelf.fake(TideService).depth_at("Ternhythe", NOON)
    except Exception:
        pass
"""


def test_tear_down_is_looked_at_and_nothing_is_told_twice(pytester: pytest.Pytester) -> None:
    test = f"""{REFUSED}
@pytest.fixture
def asked_at_the_end(shelf):
    yield
    ask(shelf)
@pytest.fixture
def cued_at_the_end(shelf):
    yield
    cue(shelf.fake(TideService).depth_at)
def test_refused(asked_at_the_end): pass
def test_without_a_reply(cued_at_the_end): pass
def test_told_once(shelf): ask(shelf)
def test_told_in_the_report(shelf):
    ask(shelf)
    assert False
"""
    result = run(pytester, test)
    result.assert_outcomes(passed=2, failed=2, errors=2)
    result.stdout.fnmatch_lines(["*called from   test_it.py:* in ask", "*was given no reply*"])
    text = result.stdout.str()
    assert "caught by the code under test: TideService.depth_at" in text


def test_a_fixture_that_makes_its_own_shelf(pytester: pytest.Pytester) -> None:
    test = f"""{REFUSED}
@pytest.fixture
def mine():
    with Shelf(unanswered="empty") as shelf:
        yield shelf
@pytest.fixture
def returned():
    return Shelf()
@pytest.fixture(scope="module")
def shared():
    shelf = Shelf()
    cue(shelf.fake(TideService).depth_at, "Curlhythe", whatever).gives(1.0)
    print("module seed", shelf.seed)
    return shelf
def test_section(mine):
    print("own seed", mine.seed)
    assert mine.fake(TideService).depth_at("Ternhythe", NOON) == 0.0
    assert tally(mine.fake(PilotPager).page) == 1
def test_refused(returned): ask(returned)
def test_shared(shared):
    cue(shared.fake(TideService).depth_at, "Gullkeld", whatever).gives(2.0)
    assert False
def test_shared_again(shared):
    assert tally(shared.fake(TideService).depth_at) == 0
"""
    result = run(pytester, test, "-s")
    result.assert_outcomes(passed=1, failed=3)
    result.stdout.fnmatch_lines(["1 call was refused*", "1 cue never used:", "*'Gullkeld'*"])
    text = result.stdout.str()
    assert "cue(TideService.depth_at, 'Curlhythe'" not in text
    own = text.partition("own seed ")[2].split()[0]
    assert f"seed {own} (the same records again: --urnshelf-seed {own})" in text
    alone = run(pytester, test, "-s", "-k", "test_shared_again").stdout.str()
    module = text.partition("module seed ")[2].split()[0]
    assert module == alone.partition("module seed ")[2].split()[0]


@pytest.mark.parametrize(
    ("marked", "outcome", "says"),
    [
        ("unanswered='empty'", "passed", ""),
        ("check_replies=False", "failed", "*UnansweredCall*"),
        ("unused_cues='refuse', unanswered='empty'", "failed", "*1 cue never used:*"),
        ("refusal_limit='many'", "errors", "*refusal_limit='many': a whole number from 1 is need*"),
        ("unanswerd='empty'", "errors", "*@pytest.mark.urnshelf: unanswerd='empty': there is no*"),
        ("'empty'", "errors", "*it takes settings by name, and not 'empty'*"),
    ],
)
def test_settings_by_the_marker(
    pytester: pytest.Pytester, marked: str, outcome: str, says: str
) -> None:
    test = f"""
pytestmark = pytest.mark.urnshelf(unanswered="refuse")
@pytest.mark.urnshelf({marked})
def test_it(shelf):
    cue(shelf.fake(PilotPager).page, 9, whatever).gives(None)
    assert shelf.fake(TideService).depth_at("Ternhythe", NOON) == 0.0
"""
    result = run(pytester, test, "--strict-markers")
    result.assert_outcomes(**{outcome: 1})
    result.stdout.fnmatch_lines([says] if says else [])


@pytest.mark.parametrize(
    ("table", "outcome", "says"),
    [
        ('unanswered = "empty"', "passed", ""),
        ("refusal_limit = 1", "failed", "*was refused 1 time, and is called again*"),
        ("refusal_limit = 0", "", "*[[]tool.urnshelf[]] refusal_limit=0: a whole number*"),
        ('unanswered = "skip"', "", "*unanswered='skip': choose 'refuse' or 'empty'*"),
        ("unanswered = ", "", "*pyproject.toml*"),
    ],
)
def test_settings_of_the_project(
    pytester: pytest.Pytester, table: str, outcome: str, says: str
) -> None:
    pytester.makepyprojecttoml(f"[tool.urnshelf]\n{table}\n")
    test = """
def test_it(shelf):
    for _ in range(2):
        try:
            depth = shelf.fake(TideService).depth_at("Ternhythe", NOON)
        except Exception:
            depth = 0.0
    assert depth == 0.0
"""
    result = run(pytester, test)
    if outcome:
        result.assert_outcomes(**{outcome: 1})
    shown = result.stdout if outcome else result.stderr
    shown.fnmatch_lines([says] if says else [])


def test_our_modules_are_imported_as_any(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        """
import sys
def test_it(shelf):
    import urnshelf.readings.reader
    loaders = {type(sys.modules[name].__loader__).__name__ for name in
               ("urnshelf.shelf", "urnshelf.calls.desk", "urnshelf.readings.reader")}
    assert loaders == {"SourceFileLoader"}
""".replace("    shelf.fake(list)\n", "    import urnshelf.readings.reader\n")
    )
    pytester.runpytest_subprocess().assert_outcomes(passed=1)
