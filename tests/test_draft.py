"""Drafting: all paths of services that were written before the search was tuned, and the demo's."""

from __future__ import annotations

import importlib
import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from urnshelf import DraftRefused
from urnshelf.drafting import draft

HERE = Path(__file__).parent
DEMO = "urnshelf.demo.harbour.services"
SERVICES = {
    f"{DEMO}:MooringDesk": (),
    f"{DEMO}:DuesOffice": (),
    f"{DEMO}:NightShift": (),
    "urnshelf.demo.harbour.lookout:may_sail": (),
    "shore.customs:CustomsShed": (),
    # a loop over a range that is never empty
    "shore.provisions:Chandler": ("for attempt in range(1, self.attempts + 1): no round",),
    "shore.crew:CrewOffice": (
        "match state: no case",  # the cases are all that there are
        "for _ in range(self.most_pages): no round",
    ),
    "shore.locks:LockKeeper": (
        "for number in range(polls): no round",  # there is one at least
        "widest is None: true",  # the model takes no other lane; by `move` it is reached
    ),
    # it returns before, where there are none
    "shore.tickets:FerryOffice": ("for passenger in passengers: no round",),
    "shore.beacons:LightOffice": ("for attempt in range(1, self.tries + 1): no round",),
}
"""Each with the ways that cannot be taken."""
PYTEST = ("-m", "pytest", "-q", "-p", "urnshelf.pytest_plugin", "test_it.py")
PLANTED = (f"{DEMO}:MooringDesk", f"{DEMO}:DuesOffice", "shore.customs:CustomsShed")


def loaded(where):
    module, _, name = where.partition(":")
    return getattr(importlib.import_module(module), name)


def run(folder, *words, **told):
    paths = os.pathsep.join([str(HERE), *sys.path])
    return subprocess.run(
        [sys.executable, *words], cwd=folder, env={**os.environ, "PYTHONPATH": paths, **told},
        capture_output=True, text=True, check=False,
    )  # fmt: skip


def urnshelf(folder, *words, **told):
    return run(folder, "-m", "urnshelf.cli", *words, **told)


@pytest.mark.parametrize("where", SERVICES)
def test_a_service(where, tmp_path, monkeypatch):
    is_slow = where.startswith("shore") and where not in PLANTED and "beacons" not in where
    if sys.gettrace() is not None and is_slow:
        pytest.skip("thousands of runs take minutes while lines are counted")
    thing = loaded(where)
    monkeypatch.chdir(tmp_path)  # what stands in the working directory is imported last
    drafts = draft(thing, plant_bugs=40 if where in PLANTED else 0)
    (tmp_path / "test_it.py").write_text(drafts.text, "utf-8")
    every_way_that_can_be_taken_is(drafts, SERVICES[where])
    most_planted_bugs_are_noticed(drafts)
    formatters_and_linters_have_nothing_to_say(tmp_path)
    it_passes_whatever_is_drawn(drafts, where, tmp_path)


def every_way_that_can_be_taken_is(drafts, unreachable):
    assert {one.condition for one in drafts.unreached} == set(unreachable)
    assert all(names for path in drafts.paths for names in path.takers.values()) or unreachable
    _, of = drafts.ways
    assert len(drafts.tests) <= 2 * of or not of


def most_planted_bugs_are_noticed(drafts):
    left = [str(bug) for bug in drafts.planted if not bug.is_noticed]
    assert len(left) <= 0.15 * len(drafts.planted), left


def it_passes_whatever_is_drawn(drafts, where, folder):
    """… and a published tool counts the branches that it takes."""
    seeds = 20 if "CI" in os.environ else 12
    (folder / "conftest.py").write_text(
        "import pytest\nfrom urnshelf import Shelf\n\n\n"
        f"@pytest.fixture(params=range({seeds}))\n"
        "def shelf(request):\n    with Shelf(request.param) as shelf:\n        yield shelf\n"
    )
    file = sys.modules[where.partition(":")[0]].__file__
    words = ["-m", "coverage", "run", "--branch", f"--include={file}", *PYTEST]
    done = run(folder, *words, PYTEST_DISABLE_PLUGIN_AUTOLOAD="1")
    assert f"{len(drafts.tests) * seeds} passed" in done.stdout, done.stdout[-2000:]
    run(folder, "-m", "coverage", "json", "-o", "branches.json")
    total = json.loads((folder / "branches.json").read_text())["totals"]
    if where.startswith("shore"):  # of the demo's, a file holds several
        assert total["covered_branches"] / total["num_branches"] >= 0.9


def formatters_and_linters_have_nothing_to_say(folder):
    for words in (["format", "--check"], ["check", "--select", "E,F,I,W,B,UP"]):
        done = run(folder, "-m", "ruff", *words, "--isolated", "test_it.py")
        assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize("where", ["shore.customs:CustomsShed.correct", f"{DEMO}:NightShift"])
def test_two_runs_draft_the_same_to_the_byte(where, tmp_path):
    texts = {
        urnshelf(tmp_path, "draft", where, "--runs", "2000", PYTHONHASHSEED=number).stdout
        for number in ("1", "2")
    }
    assert len(texts) == 1
    assert "def test_" in texts.pop()


def test_what_is_drafted_is_strictly_typed(tmp_path):
    (tmp_path / "test_it.py").write_text(draft(loaded(f"{DEMO}:DuesOffice")).text, "utf-8")
    done = run(tmp_path, "-m", "mypy", "--strict", "test_it.py")
    assert "Success" in done.stdout, done.stdout


# --- what is not asserted, but told ---------------------------------------------------------------

QUAY = """
import os
import socket
import subprocess
import time
from datetime import datetime
from typing import Protocol


class Berths(Protocol):
    def code_of(self, number: int) -> str | None: ...


class Tariff(Protocol):
    def fee(self, length: int) -> int: ...


class Quay:
    def __init__(self, berths: Berths, tariff: Tariff) -> None:
        self._berths = berths
        self._tariff = tariff

    def shout(self, number: int) -> str:
        return self._berths.code_of(number).upper()

    def dues(self, length: int) -> int:
        if length < 10:
            raise ValueError(f"{length} is no length")
        fee = self._tariff.fee(length)
        return fee * 2 if fee else 1

    def log(self, number: int) -> bool:
        if number > 3:
            try:
                with open("log.txt", "w") as file:
                    file.write("moored")
            except:
                pass
        return number > 5

    def ask(self) -> str:
        try:
            socket.create_connection(("127.0.0.1", 9), timeout=1)
        except BaseException:
            return "swallowed"
        return "there"

    def start(self) -> None:
        subprocess.run(["touch", "started.txt"])

    def wait(self, tries: int) -> int:
        for _ in range(tries):
            time.sleep(3600)
        return tries

    def is_late(self, year: int) -> bool:
        return datetime.now().year > year

    def turn(self) -> None:
        while True:
            pass


class Opener:
    def __init__(self) -> None:
        self.file = open("opened.txt", "w")

    def go(self) -> int:
        return 3


class Untyped:
    def __init__(self, berths) -> None:
        self.berths = berths

    def go(self) -> bool:
        return self.berths.code_of(3) is None
"""


@pytest.fixture
def project(tmp_path):
    (tmp_path / "quay.py").write_text(QUAY)
    (tmp_path / "broken.py").write_text("def f(:\n")
    return tmp_path


def test_crashes_are_told_and_not_asserted(project):
    done = urnshelf(project, "draft", "quay:Quay.shout", "-o", "test_quay.py")
    text = (project / "test_quay.py").read_text()
    assert "AttributeError: 'NoneType' object has no attribute 'upper'" in done.stdout
    assert "cue(berths.code_of).gives(None)" in done.stdout
    assert "AttributeError" in text.partition('"""\n\n')[0]  # in its heading
    assert "AttributeError" not in text.partition('"""\n\n')[2]


def test_a_default_that_decides_is_told_where_it_stands(project):
    done = urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    assert "Tariff.fee gives 3, which decides `fee` (quay.py:" in done.stdout
    assert "# a default that decides: `fee` (quay.py:" in (project / "test_quay.py").read_text()


@pytest.mark.parametrize(
    ("method", "told"),
    [
        ("Quay.log", "it would have written the file log.txt"),
        ("Quay.ask", "it would have looked up a host: 127.0.0.1"),
        ("Quay.start", "it would have started a process"),
        ("Opener.go", "it would have written the file opened.txt"),
    ],
)
def test_nothing_is_done_outside_and_it_is_told_with_its_line(project, method, told):
    before = sorted(one.name for one in project.iterdir())
    done = urnshelf(project, "draft", f"quay:{method}", "-o", "test_quay.py")
    assert f"  {told}" in done.stdout + done.stderr
    assert "quay.py:" in done.stdout + done.stderr
    after = {one.name for one in project.iterdir()} - {"__pycache__", "test_quay.py"}
    assert sorted(after) == [one for one in before if one != "__pycache__"]


def test_side_effects_can_be_allowed(project):
    done = urnshelf(project, "draft", "quay:Quay.log", "--allow-side-effects")
    assert "number > 3" not in done.stderr
    assert "def test_log_gives_true" in done.stdout
    assert (project / "log.txt").read_text() == "moored"


def test_sleeping_takes_no_time(project):
    done = urnshelf(project, "draft", "quay:Quay.wait")
    assert 'shelf.swap("time:sleep", everywhere=False)' in done.stdout


@pytest.mark.parametrize(
    ("what", "told"),
    [
        ("quay:Quay.dus", "Quay has no method 'dus'; did you mean 'dues'?"),
        ("quay:Quy", "quay has no 'Quy'"),
        ("quay", "MODULE:SERVICE"),
        ("broken:f", "SyntaxError: invalid syntax (broken.py, line 1)"),
        ("quay:Berths", "Berths is an interface, and no service"),
        ("quay:Untyped.go", "takes berths, and it has no type: annotate it with its interface"),
        ("quay:Quay.turn", "Quay.turn never ends"),
        ("quay:Quay.is_late", "asks datetime.now() by itself"),
    ],
)
def test_what_cannot_be_drafted_is_told(project, what, told):
    done = urnshelf(project, "draft", what)
    assert done.returncode == 2
    assert told in done.stderr
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize("name", ["AsyncLights", "ByRequests", "count_of_lights"])
def test_clients_of_every_kind_are_given(name, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    drafts = draft(loaded(f"shore.other_clients:{name}"))
    assert drafts.unreached == ()
    assert "were guessed from the code that reads them" in drafts.doubts[0]
    (tmp_path / "test_it.py").write_text(drafts.text, "utf-8")
    formatters_and_linters_have_nothing_to_say(tmp_path)
    typed = run(tmp_path, "-m", "mypy", "--strict", "test_it.py", MYPYPATH=str(HERE))
    assert "Success" in typed.stdout, typed.stdout
    done = run(tmp_path, *PYTEST, PYTEST_DISABLE_PLUGIN_AUTOLOAD="1")
    assert f"{len(drafts.tests)} passed" in done.stdout, done.stdout[-2000:]


PUBLISHED = [
    "packaging.utils:canonicalize_name", "packaging.version:Version", "werkzeug.http:parse_age",
    "itsdangerous.encoding:base64_decode", "httpx._utils:unquote", "rich.cells:chop_cells",
    "starlette.datastructures:MutableHeaders", "flask.helpers:get_root_path",
]  # fmt: skip
"""Code that nobody here wrote."""


@pytest.mark.parametrize("where", PUBLISHED)
def test_published_code_is_drafted_for(where, tmp_path, monkeypatch):
    thing = loaded(where)
    monkeypatch.chdir(tmp_path)
    drafts = draft(thing, runs=200)
    assert "probe" not in drafts.text  # names are made of the code as it was written
    (tmp_path / "test_it.py").write_text(drafts.text, "utf-8")
    done = run(tmp_path, *PYTEST, PYTEST_DISABLE_PLUGIN_AUTOLOAD="1")
    assert f"{len(drafts.tests)} passed" in done.stdout, done.stdout[-2000:]


def test_methods_that_cannot_be_drafted_do_not_hinder_the_others(project):
    done = urnshelf(project, "draft", "quay:Quay", "--runs", "300")
    assert "def test_dues_gives_6" in done.stdout
    assert "Quay.turn never ends" in done.stderr
    assert "asks datetime.now() by itself" in done.stderr


def test_ways_count_by_the_tests_that_are_left(project, monkeypatch):
    monkeypatch.syspath_prepend(str(project))
    drafts = draft(importlib.import_module("quay").Quay.dues)
    assert drafts.ways == (4, 4)
    fewer = drafts.only([name for name in drafts.tests if "raises" not in name])
    assert fewer.ways == (3, 4)
    assert [one.condition for one in fewer.unreached] == ["length < 10: true"]
    assert fewer.unreached[0].why == "a run took it, but no test of that holds"
    assert "length < 10: true" in fewer.text


# --- the file -------------------------------------------------------------------------------------


def test_a_file_that_is_there_is_only_added_to(project):
    file = project / "test_quay.py"
    urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    whole = file.read_text()
    again = urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    assert "has its test there already" in again.stdout
    assert file.read_text() == whole
    head, _, _ = whole.rpartition("\n\n\ndef test_")
    own = f"{head}\n\n\ndef test_of_my_own() -> None:\n    assert 1 + 1 == 2\n"
    file.write_text(own)
    urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    text = file.read_text()
    assert text.startswith(own.rstrip("\n"))
    assert text.count("def test_") == whole.count("def test_") + 1
    assert "passed" in run(project, "-m", "pytest", "-q", "-n0", "test_quay.py").stdout


def test_a_file_keeps_its_mark_and_ends_of_lines(project):
    file = project / "test_quay.py"
    own = b"\xef\xbb\xbfimport os\r\n\r\n\r\ndef test_mine():\r\n    assert os.sep\r\n"
    file.write_bytes(own)
    urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    data = file.read_bytes()
    assert data.startswith(b"\xef\xbb\xbfimport os\r\n")
    assert b"def test_mine():\r\n    assert os.sep\r\n" in data
    assert data.count(b"\n") == data.count(b"\r\n")
    assert data.count(b"def test_") == 4


def test_the_projects_own_fixtures_are_used(project):
    (project / "conftest.py").write_text(
        "import pytest\nfrom quay import Tariff\n\n\n"
        "@pytest.fixture\ndef prices(shelf) -> Tariff:\n    return shelf.fake(Tariff)\n"
    )
    urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    text = (project / "test_quay.py").read_text()
    assert "prices: Tariff" in text
    assert "cue(prices.fee)" in text
    assert "def prices" not in text


def test_what_is_drafted_is_mended_like_any_test(project):
    urnshelf(project, "draft", "quay:Quay.dues", "-o", "test_quay.py")
    (project / "quay.py").write_text(QUAY.replace("fee * 2", "fee * 3"))
    mended = urnshelf(project, "mend", "test_quay.py")
    changed = [one for one in mended.stdout.splitlines() if one[:1] in "+-" and "result" in one]
    assert changed == ["-    assert result == 6", "+    assert result == 9"]
    (project / "quay.py").write_text(
        QUAY.replace("fee = self", "assert length < 5, 'too long'\n        fee = self")
    )
    assert "draft it again" in urnshelf(project, "mend", "test_quay.py").stdout


def test_replies_and_arguments_can_be_told(project, monkeypatch):
    monkeypatch.syspath_prepend(str(project))
    quay = importlib.import_module("quay")
    told = draft(quay.Quay.dues, replies={quay.Tariff.fee: [4]})
    assert "cue(tariff.fee).gives(4)" in told.text
    assert [one.condition for one in told.unreached] == ["fee: false"]
    assert draft(quay.Untyped, given={"berths": quay.Berths}).doubts == ()
    silent = draft(quay.Quay.dues, replies={quay.Tariff.fee: [LookupError("no fee")]})
    assert 'cue(tariff.fee).raises(LookupError("no fee"))' in silent.text
    with pytest.raises(DraftRefused, match="no code can be written for <object"):
        draft(quay.Untyped, given={"berths": object()})
    with pytest.raises(DraftRefused, match="no code can be written for <object"):
        draft(quay.Quay.dues, replies={quay.Tariff.fee: [object()]})


# --- pictures -------------------------------------------------------------------------------------


def test_the_decisions_as_text_and_as_pictures(tmp_path):
    done = urnshelf(tmp_path, "draft", f"{DEMO}:MooringDesk.moor", "--picture")
    assert "48  vessel is None" in done.stdout
    assert "  1  test_moor_raises_vessel_unknown_when_vessel_is_none" in done.stdout
    for name, begins in (("paths.png", b"\x89PNG"), ("paths.svg", b"<?xml")):
        urnshelf(tmp_path, "draft", f"{DEMO}:total_days", "--picture", name)
        assert (tmp_path / name).read_bytes().startswith(begins)
    refused = urnshelf(tmp_path, "draft", f"{DEMO}:NightShift", "--picture", "paths.gif")
    assert "the ending must be .png or .svg" in refused.stderr
