"""The house itself: floors, caches, generated code, what an interface and a reading tell as data,
rules in plans.
"""

from __future__ import annotations

import ast
import gc
import inspect
import json
import re
import shutil
import subprocess
import sys
import tomllib
import traceback
import typing
import weakref
from dataclasses import make_dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Protocol, get_origin

import pytest

import drawn
import urnshelf
from urnshelf import Shelf, UnansweredCall, Urn, caches, cue, rules, whatever
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    GaugeSilent,
    MooringRegister,
    TideService,
    Vessel,
)
from urnshelf.files.plan_values import rule_from, written
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.readings.honouring import HONOURED
from urnshelf.readings.operations import Operation, ReadParameter, Role
from urnshelf.types.nodes import node_of
from urnshelf.urn.rules import planned_rules


def test_drawn_values_stay_as_they_are(root: Path) -> None:
    kept = json.loads((root / "tests" / "golden" / "drawn.json").read_text())
    now = drawn.digests(drawn.everything())
    assert {name: text for name, text in now.items() if kept.get(name) != text} == {}
    assert kept.keys() == now.keys()


def test_every_process_gives_a_test_the_same_name(request: pytest.FixtureRequest) -> None:
    names = [item.nodeid for item in request.session.items]
    assert [name for name in names if " at 0x" in name] == []


def test_the_layout_is_as_contributors_are_told(root: Path) -> None:
    modules = [path for path in (root / "src").rglob("*.py") if not path.name.startswith("__")]
    assert [
        path.name for path in modules if not ast.get_docstring(ast.parse(path.read_text()))
    ] == []
    told = (root / "CONTRIBUTING.md").read_text()
    for path in re.findall(r"`([a-z_]+/(?:[a-z_/]+\.py|))`", told):
        assert any((root / base / path).exists() for base in ("src/urnshelf", ".")), path


def test_every_error_is_on_the_page_of_errors(root: Path) -> None:
    import urnshelf.errors

    page = (root / "docs" / "errors.md").read_text()
    told = [
        name
        for row in re.findall(r"(?m)^\| (.*?) \|", page)
        for name in re.findall(r"^`(\w+)`", row)
    ]
    names = [name for name, one in vars(urnshelf.errors).items() if isinstance(one, type)]
    assert sorted(names) == sorted(told) == told


def test_errors_show_the_users_lines(pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        test_acts="""
            from urnshelf import cue
            from urnshelf.demo.harbour import MooringDesk, TideService, Vessel

            def test_a_service(shelf):
                shelf.stock(Vessel, id=7)
                shelf.furnish(MooringDesk).moor(7, None)

            def test_a_cue(shelf):
                cue(shelf.fake(TideService).depth_at, there_is_no=1)
        """,
        test_collected="""
            from urnshelf import rules

            DEPTHS = rules.between(6, 5)
        """,
    )
    told = pytester.runpytest_subprocess("--continue-on-collection-errors").stdout
    places = re.findall(r"(?m)^(\S+\.py):\d+: ", told.str())
    ours = "src/urnshelf/demo/harbour/services.py"
    assert [place if "/" not in place else place[-len(ours) :] for place in places] == [
        "test_collected.py", "test_acts.py", ours, ours, "test_acts.py",
    ]  # fmt: skip


def public_members() -> dict[str, Any]:
    """What users meet: the public names, the rules, and what these give."""
    from urnshelf.calls.cue import Cue
    from urnshelf.calls.ledger import Call
    from urnshelf.calls.taken import Calls
    from urnshelf.calls.tally import Tally, Unseen
    from urnshelf.clock import Clock
    from urnshelf.readings.explaining import Explanation
    from urnshelf.store.column import Column
    from urnshelf.store.conditions import Condition
    from urnshelf.store.journal import Savepoint
    from urnshelf.store.queries import Distinct, Query
    from urnshelf.store.tables import Table

    found = {name: getattr(urnshelf, name) for name in urnshelf.__all__ if name != "rules"}
    found |= {f"rules.{name}": getattr(rules, name) for name in rules.__all__}
    given = (Cue, Call, Calls, Tally, Unseen, Clock, Explanation, Column, Condition)
    found |= {one.__name__: one for one in (*given, Savepoint, Distinct, Query, Table)}
    for name, cls in list(found.items()):
        for base in getattr(cls, "__mro__", ()) if isinstance(cls, type) else ():
            if base.__module__.startswith("urnshelf"):
                found |= {
                    f"{name}.{member}": value
                    for member, value in vars(base).items()
                    if not member.startswith("_")
                    and (
                        inspect.isfunction(value) or isinstance(value, (property, cached_property))
                    )
                }
    return found


def test_every_public_member_has_an_example() -> None:
    members = public_members()
    assert len(members) > 140
    # an annotation has no docstring that is its own; the functions that make them have the examples
    told = {name: one for name, one in members.items() if get_origin(one) is not Annotated}
    assert [name for name, one in told.items() if ">>>" not in (inspect.getdoc(one) or "")] == []


# --- floors ---------------------------------------------------------------------------------------


def test_an_import_into_the_demo_is_told(root: Path, tmp_path: Path) -> None:
    packages = ["calls", "records", "types", "rules", "shelf"]
    shutil.copytree(
        root / "src" / "urnshelf",
        tmp_path / "urnshelf",
        ignore=shutil.ignore_patterns("__pycache__"),
    )
    shutil.copy(root / ".importlinter", tmp_path)
    ports = tmp_path / "urnshelf" / "demo" / "harbour" / "ports.py"
    imports = "".join(f"\nimport urnshelf.{package}" for package in packages)
    ports.write_text(f"{ports.read_text()}{imports}\n")
    linter = Path(sys.executable).with_name("lint-imports")
    words = [str(linter), "--no-cache"]
    told = subprocess.run(
        words, cwd=tmp_path, capture_output=True, text=True, env={"PYTHONPATH": str(tmp_path)}
    )
    assert told.returncode == 1
    assert "The demo imports nothing of ours BROKEN" in told.stdout
    for package in packages:
        assert f"urnshelf.demo.harbour.ports -> urnshelf.{package}" in told.stdout


# --- caches ---------------------------------------------------------------------------------------


def test_every_memory_is_listed_and_can_be_cleared(root: Path) -> None:
    code = [path.read_text() for path in (root / "src").rglob("*.py") if path.name != "caches.py"]
    assert not any("lru_cache" in text or "@cache\n" in text for text in code)
    shelf = Shelf(seed=7)
    shelf.stock(Berth, 3)
    caches.forget()
    assert shelf.fake(BerthRepository).get(2).id == 2
    assert Urn(7).draw(Vessel) == Urn(7).draw(Vessel)


def test_a_local_class_is_free_to_go() -> None:
    def use() -> weakref.ref[type]:
        Local = make_dataclass("Local", [("id", int), ("name", str)])
        shelf = Shelf()
        shelf.stock(Local, 2)
        return weakref.ref(Local)

    gone = use()
    caches.forget()
    gc.collect()
    assert gone() is None


# --- interfaces -----------------------------------------------------------------------------------


def test_members_tell_which_exceptions_their_docstring_names() -> None:
    assert interface_of(BerthRepository).members["get"].raises == (BerthUnknown,)
    assert interface_of(TideService).members["depth_at"].raises == (GaugeSilent,)
    assert interface_of(BerthRepository).members["count"].raises == ()


def test_a_traceback_shows_the_generated_code(shelf: Shelf) -> None:
    tides: Any = shelf.fake(TideService)
    cue(tides.depth_at).raises(GaugeSilent())
    try:
        tides.depth_at("Ternhythe", None)
    except GaugeSilent as silent:
        told = "".join(traceback.format_exception(silent))
    assert "return _us_target.take(_us_target, (harbour, at, ), _us_getframe(1))" in told


# --- readings -------------------------------------------------------------------------------------


class Store(Protocol):
    def get(self, key: str) -> str | None: ...
    def set(self, key: str, value: str) -> None: ...
    def clear(self, key: str) -> None: ...
    def keys(self, limit: int) -> list[str]: ...
    def delete(self) -> int: ...
    def exists(self, key: str) -> str: ...


def test_what_an_operation_does_not_honour_is_not_read(shelf: Shelf) -> None:
    told = {method.method.partition("(")[0]: method for method in shelf.explain(Store)}
    assert [told[name].read_as for name in ("get", "set")] == ["GET :key", "SET :key to :value"]
    for name, why in {
        "keys": "the parameter 'limit' is not accounted for",
        "delete": "'delete' lacks what it is about: key",
        "exists": "'exists' is read where it promises bool or int",
    }.items():
        assert told[name].advice.startswith(why), name
    store = shelf.fake(Store)
    store.set("a", "1")
    store.set("b", "2")
    store.clear("a")
    assert (store.get("a"), store.get("b")) == (None, "2")


def test_every_operation_lists_what_it_honours() -> None:
    assert set(HONOURED) == set(Operation) - {Operation.TAUGHT, Operation.TOLD}


def reading(shelf: Shelf, interface: Any, method: str) -> Any:
    return shelf._readings.read(interface_of(interface).members[method], interface_of(interface))


def test_a_reading_is_data(shelf: Shelf) -> None:
    found = reading(shelf, BerthRepository, "find_by_harbour")
    assert (found.record_type, found.operation) == (Berth, Operation.LOOK_UP)
    assert found.parameters == (ReadParameter("harbour", Role.CONDITION, "harbour", "="),)
    assert [str(part) for part in found.condition] == ["harbour = :harbour"]
    assert reading(shelf, BerthRepository, "save").parameters == (
        ReadParameter("berth", Role.RECORD),
    )
    removal = reading(shelf, MooringRegister, "delete")
    assert (removal.operation, [str(one) for one in removal.condition]) == (
        Operation.REMOVE,
        ["id = :mooring_id"],
    )


def test_a_taught_method_is_data_too(shelf: Shelf) -> None:
    class Berths(Protocol):
        def dredge(
            self, berth_id: int, min_depth_m: float, tools: str, limit: int
        ) -> list[Berth]: ...

    @shelf.teach(Berths.dredge)
    def dredge(
        shelf: Shelf, berth_id: int, min_depth_m: float, tools: str, limit: int
    ) -> list[Berth]:
        return []

    interface = interface_of(Berths)
    assert shelf._readings.parameters_of(interface.members["dredge"], interface) == (
        ReadParameter("berth_id", Role.KEY, "id", "="),
        ReadParameter("min_depth_m", Role.CONDITION, "depth_m", ">="),
        ReadParameter("tools", Role.OTHER),
        ReadParameter("limit", Role.LIMIT),
    )


WALKED = (95, 40)
"""How many of our functions a reading's first call, which asks what kind of interface it is, and
each further one may walk through.
"""


def test_a_reading_walks_few_functions(tmp_path: Path) -> None:
    code = (
        "import sys; sys.path.insert(0, sys.argv[1]); from walking import walked\n"
        "from urnshelf import Shelf; from urnshelf.demo.harbour import Berth, BerthRepository, "
        "VesselRepository\n"
        "shelf = Shelf(7); shelf.stock(Berth, 12, harbour='Ternhythe'); berths = "
        "shelf.fake(BerthRepository)\n"
        "shelf.fake(VesselRepository).find(1)\n"
        "print(*[walked(lambda: berths.find_by_harbour('Ternhythe')) for _ in range(3)])"
    )
    words = [sys.executable, "-c", code, str(Path(__file__).parent)]
    first, second, third = map(int, subprocess.check_output(words, text=True).split())
    assert (first <= WALKED[0], second <= WALKED[1], third <= WALKED[1]) == (True, True, True), (
        first,
        second,
    )


# --- rules in plan files --------------------------------------------------------------------------


@pytest.mark.parametrize(
    "name", [name for name in drawn.RULES if name not in ("derived", "link", "link_field", "wide")]
)
def test_a_rule_written_to_a_plan_draws_the_same(name: str) -> None:
    rule = drawn.RULES[name]
    text = written(rule)
    told = tomllib.loads(f"rule = {text}")["rule"]
    fields = [("id", Any), ("whole", int), ("choice", str), ("days", date), ("quantiles", float)]
    made = make_dataclass("Ruled", [(one, Any) for one, _ in fields])
    # of some records, for one alone may have none
    given = {"id": rule, "quantiles": rules.between(1, 9)}
    sample = Urn(1).draw(make_dataclass("Ruled", fields), 40, **given)
    node = node_of(next((type(one.id) for one in sample if one.id is not None), int))
    again = rule_from(told, node, "here", lambda table, field: rules.link(Berth, field))
    others: dict[str, Any] = {
        "whole": rules.between(0, 60), "choice": rules.among("a", "x"),
        "days": date(2030, 1, 1), "quantiles": rules.between(1.0, 9.0),
    }  # fmt: skip
    both = [Urn(5).draw(made, 60, id=one, **others) for one in (rule, again)]
    assert [record.id for record in both[0]] == [record.id for record in both[1]]


def test_links_are_told_and_code_is_not() -> None:
    assert written(rules.link(Berth, "code")) == '{ link = "berths", field = "code" }'
    assert (
        written(rules.between(Decimal("1.50"), Decimal(9)))
        == '{ between = ["1.50", "9.00"], decimals = 2 }'
    )
    with pytest.raises(Exception, match="the rule 'derived' cannot be written to a plan file"):
        written(rules.derived(lambda whole: whole))
    assert planned_rules().keys() == set(rules.__all__) - {"derived", "children"}


def test_a_pattern_is_counted_and_not_listed() -> None:
    text = Urn(7).draw(typing.Annotated[str, Pattern("(ab|c[d-f]{2,5})+x?[0-9a-f]{12}")])
    assert len(text) > 12
    huge = rules.all_different(rules.pattern("[A-Z]{3}[0-9]{9}"))
    made = make_dataclass("Coded", [("code", str)])
    assert len({record.code for record in Urn(7).draw(made, 50, code=huge)}) == 50


class Pattern:
    """A note, as libraries of types attach it."""

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern


def test_limits_are_never_changed_in_place() -> None:
    from urnshelf.types.limits import Limits, limits_of

    limits = limits_of([Pattern("[a-z]{3}")], Limits(min_length=2))
    Urn(7).draw(typing.Annotated[str, Pattern("[a-z]{3}")], 3)
    assert (limits.pattern, limits.min_length, limits.checks) == ("[a-z]{3}", 2, ())
    with pytest.raises(AttributeError):
        limits.ge = 3  # type: ignore[misc]


def test_the_whole_way_of_a_call_is_one(shelf: Shelf) -> None:
    tides: Any = shelf.fake(TideService)
    cue(tides.depth_at, "Ternhythe", whatever).gives(6.3).for_calls(2)
    cue(tides.depth_at).gives(1.0).for_calls(1)
    assert [tides.depth_at("Ternhythe", None) for _ in range(3)] == [1.0, 6.3, 6.3]
    with (
        shelf.refusals_expected(),
        pytest.raises(UnansweredCall, match="has served the 2 calls it was set for"),
    ):
        tides.depth_at("Ternhythe", None)
