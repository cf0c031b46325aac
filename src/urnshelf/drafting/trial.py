"""A trial: one run of the method over an arrangement, on a shelf of its own."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from urnshelf.calls.cueing import cue
from urnshelf.calls.handles import attribute
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.script import Line
from urnshelf.calls.target import AssignmentTarget, Target
from urnshelf.drafting.arrangement import Arrangement, Asked, Lacking
from urnshelf.drafting.crashes import crash
from urnshelf.drafting.decisions import Way
from urnshelf.drafting.guarding import Guard, Refused, Stopped
from urnshelf.drafting.noting import Hint, NeverEnds, Notes
from urnshelf.drafting.over_http import ROUTE, as_response, asked_of_route
from urnshelf.drafting.record_changes import Change, changes, stored
from urnshelf.drafting.service import Service
from urnshelf.drafting.values import Path, is_plain, made
from urnshelf.errors import UrnShelfError
from urnshelf.fakes.obvious import CLOCK, OBVIOUS
from urnshelf.interfaces.members import Member
from urnshelf.kiosk.route import RouteTarget
from urnshelf.readings.operations import Operation, Reading
from urnshelf.records.recognising import describe
from urnshelf.shelf import Shelf

SEED = 7
"""Of a shelf on which nothing else is said."""
_MOST_REQUESTS = 200
_LIMITS: dict[str, Any] = {"repeat_limit": 400, "refusal_limit": 20}


class Made(NamedTuple):
    """A call that the service made.

    Args:
        asked: the method.
        target: likewise, as the desk knows it.
        arguments: in the order of the parameters, as they were.
        by: `cue`, `reading`, `obvious`, `clock`, or empty.
        reading: who answered, where it was one.
        reply: what came back.
        line: of the service's code.
        is_empty: whether nothing was found.
    """

    asked: Asked
    target: Target
    arguments: tuple[Any, ...]
    by: str
    reading: Reading | None
    reply: Any
    line: int
    is_empty: bool

    @property
    def operation(self) -> Operation | None:
        """That of its reading."""
        return None if self.reading is None else self.reading.operation


@dataclass(eq=False)
class Trial:
    """What one run did.

    Args:
        arrangement: what was set up, with all replies that were needed.
        ways: those that were taken, in order.
    """

    arrangement: Arrangement
    ways: dict[Way, int] = field(default_factory=dict)
    operands: dict[int, list[tuple[Any, Any]]] = field(default_factory=dict)
    hints: list[Hint] = field(default_factory=list)
    result: Any = None
    error: BaseException | None = None
    refused: str = ""
    """Why it can be no test; empty where it can."""
    is_finding: bool = False
    """Whether it ended with a crash that no code raises on purpose."""
    crashed_at: tuple[str, int] = ("", 0)
    drawn: dict[Path, Mapping[str, Any]] = field(default_factory=dict)
    """The fields of each record, as they were before the act."""
    records: dict[Path, Any] = field(default_factory=dict)
    calls: list[Made] = field(default_factory=list)
    changes: list[Change] = field(default_factory=list)
    stopped: list[Stopped] = field(default_factory=list)
    lacking: Lacking | None = None
    never_ends: bool = False

    def put(self, path: Path, value: Any) -> Arrangement:
        """Its arrangement with another value at a place; what the urn drew around it stays.

        A drawn field may change with the one that is told: then a candidate would change more than
        it should.
        """
        arrangement = self.arrangement
        at = path[:-1]
        if at in self.drawn:
            form = _form_at(arrangement, at)
            description = describe(form)
            told = _told_at(arrangement, at)
            for name, one in self.drawn[at].items():
                is_key = description is not None and name in description.key
                is_given = description is not None and name in description.given
                if is_given and not is_key and name not in told and is_plain(one):
                    arrangement = arrangement.put((*at, name), one)
        return arrangement.put(path, value)

    @property
    def asks_by_itself(self) -> list[str]:
        """What it asked the clock, or chance, by itself."""
        return [told for one in self.hints if (told := _of_chance(one))]

    @property
    def is_path(self) -> bool:
        """Whether it can be a test."""
        return not self.refused and not self.is_finding

    @property
    def returned(self) -> bool:
        """Whether it came to an end without an exception."""
        return self.is_path and self.error is None


class Trials:
    """Runs arrangements.

    Args:
        service: what is run.
        notes: what its probes note.
        guard: what keeps it from doing anything outside.
    """

    def __init__(self, service: Service, notes: Notes, guard: Guard) -> None:
        self._service = service
        self._notes = notes
        self._guard = guard
        self.count = 0

    def run(self, arrangement: Arrangement, seed: int = SEED) -> Trial:
        """Run it once.

        Args:
            arrangement: what is set up.
            seed: the shelf's.
        """
        self.count += 1
        trial = Trial(arrangement)
        self._notes.clear()
        self._guard.stopped = []
        shelf = Shelf(seed, **_LIMITS)
        try:
            self._act(shelf, trial)
        finally:
            trial.ways, trial.operands = self._notes.ways, self._notes.operands
            trial.hints = self._notes.hints
            trial.stopped = self._guard.stopped
            self._notes.clear()
            shelf._undo()
            shelf._let_go()
        return trial

    def _act(self, shelf: Shelf, trial: Trial) -> None:
        shelf._desk.put_after(_lacking)
        if self._service.clients:
            shelf._desk.put_before(_Counting())
        try:
            before, call = self._set_up(shelf, trial)
        except (Refused, UrnShelfError) as why:
            trial.refused = str(why)
            return
        except (Lacking, NeverEnds) as why:  # a constructor that acts
            trial.refused = f"{type(why).__name__} while it was built"
            trial.lacking = why if isinstance(why, Lacking) else None
            return
        except Exception as why:
            trial.refused = f"{type(why).__name__}: {why}"
            return
        trial.calls = []
        ours = len(shelf._desk.ledger)
        try:
            with self._guard.on():
                trial.result = self._service.settled(call())
        except Lacking as lacking:
            trial.lacking, trial.refused = lacking, f"{lacking.asked!r} has no reply"
        except NeverEnds:
            trial.never_ends, trial.refused = True, "it never ends"
        except Exception as error:
            trial.error = error
        except BaseException as error:
            trial.refused = f"{type(error).__name__}: {error}"
        trial.calls = [_made(one) for one in shelf._desk.ledger[ours:]]
        self._judge(shelf, trial)
        trial.changes = list(changes(before, stored(shelf)))

    def _set_up(self, shelf: Shelf, trial: Trial) -> tuple[Any, Any]:
        def keep(at: Path, record: Any) -> None:
            description = describe(type(record)) or describe(_form_at(trial.arrangement, at))
            trial.drawn[at] = dict(description.values(record)) if description else {}
            trial.records[at] = record

        arrangement = trial.arrangement
        for form, key in arrangement.defined.items():
            shelf.define(form, key=key)
        for place, value in arrangement.swapped.items():
            if value is None:
                swap_sleep(shelf, place)
            else:
                shelf.swap(place, made(value, shelf, keep, ("swapped", place)))
        for number, record in enumerate(arrangement.records):
            at = ("records", number)
            told = {n: made(one, shelf, keep, (*at, n)) for n, one in record.told.items()}
            keep(at, shelf.stock(record.form, **told))
        for asked, values in arrangement.replies.items():
            replies = [
                made(one, shelf, keep, ("replies", asked, n)) for n, one in enumerate(values)
            ]
            arrange_reply(shelf, asked, replies)
        built = {n: made(v, shelf, keep, ("built", n)) for n, v in arrangement.built.items()}
        given = {n: made(v, shelf, keep, ("given", n)) for n, v in arrangement.given.items()}
        call = self._service.prepared(shelf, built, given, self._guard)
        return stored(shelf), call

    def _judge(self, shelf: Shelf, trial: Trial) -> None:
        """Whether it is a path, a finding, or nothing at all."""
        noted = shelf._desk.refusals.noted
        if noted and not trial.refused:
            trial.refused = str(noted[0])
        error = trial.error
        if error is None or trial.refused:
            if self._guard.stopped and not trial.refused:
                trial.refused = f"it would have {self._guard.stopped[0].what}"
            return
        if self._guard.stopped:
            trial.refused = f"it would have {self._guard.stopped[0].what}"
        elif isinstance(error, UrnShelfError):
            trial.refused = str(error)
        else:
            trial.is_finding, trial.crashed_at = crash(error, self._service)


def arrange_reply(shelf: Shelf, asked: Asked, values: list[Any]) -> None:
    """Set the cue of one method."""
    if asked.kind == ROUTE:
        method, _, path = asked.method.partition(" ")
        route = shelf.kiosk(str(asked.name)).route(method, path)
        cue(route).gives(*map(as_response, values))
        return
    fake = shelf.fake(asked.form, asked.name)
    if asked.kind == "attribute":
        cue(attribute(fake, asked.method)).gives(*values)
        return
    target = getattr(fake, asked.method) if asked.method else fake
    if asked.kind == "streams":
        cue(target).streams(*values[0])
    elif asked.kind == "enters":
        cue(target).enters(*values)
    else:
        cue(target).gives(*values)


def swap_sleep(shelf: Shelf, place: str) -> None:
    """Let sleeping take no time, where a module's name stands for it."""
    if place in ("time:sleep", "asyncio:sleep"):
        shelf.swap(place, everywhere=False)
    else:
        shelf.swap(place)


def asked_of(target: Target) -> Asked:
    """What is asked of a fake, by its target."""
    if isinstance(target, RouteTarget):
        return asked_of_route(target)
    state = target.state
    method = "" if target.member.name == "__call__" else target.member.name
    kind = "assigned" if isinstance(target, AssignmentTarget) else kind_of(target.member)
    return Asked(state.interface.form, state.name, method, kind)


def kind_of(member: Member) -> str:
    """What sort of reply a member of an interface has."""
    if member.kind == "attribute":
        return "attribute"
    if member.promise.enters:
        return "enters"
    return "streams" if member.promise.stream else "gives"


def _lacking(call: LiveCall) -> Any:
    """The last answerer: what nobody arranged ends the run, and is arranged for the next."""
    if isinstance(call.target, AssignmentTarget):
        return NO_REPLY
    raise Lacking(asked_of(call.target), _lacking_key(call))


class _Counting:
    """Ends a run that asks a kiosk for ever; answers nothing."""

    def __init__(self) -> None:
        self._count = 0

    def __call__(self, call: LiveCall) -> Any:
        self._count += isinstance(call.target, RouteTarget)
        if self._count > _MOST_REQUESTS:
            raise NeverEnds
        return NO_REPLY


_KEY = re.compile(r"(\w+) has no key: shelf\.define\(\w+, key='(\w+)'\)")


def _lacking_key(call: LiveCall) -> tuple[Any, str] | None:
    """The key that a record type needs, for a call to be read."""
    found = _KEY.search(call.target.desk.unread(call).why)
    if found is None:
        return None
    nodes = [*call.target.member.parameter_nodes.values(), call.target.promise.node]
    forms = [form for node in nodes for form in (node.bare, node.item.bare)]
    form = next((one for one in forms if getattr(one, "__name__", "") == found[1]), None)
    # its own look-ups may tell better than its first field
    return None if form is None else (form, found[2])


def _made(live: LiveCall) -> Made:
    by = live.answered_by
    reading = by if isinstance(by, Reading) else None
    line = next((p[0] for i, p in enumerate(live.code.co_positions()) if i == live.offset // 2), 0)
    is_empty = live.error is not None or live.reply is None or _is_bare(live.reply)
    return Made(
        asked_of(live.target), live.target, live.kept, _told_by(by), reading, live.reply, line or 0,
        is_empty,
    )  # fmt: skip


def _told_by(by: Any) -> str:
    """Who answered a call, in a word."""
    if isinstance(by, Line):
        return "cue"
    if isinstance(by, Reading):
        return "reading"
    return {id(OBVIOUS): "obvious", id(CLOCK): "clock"}.get(id(by), "")


def _is_bare(reply: Any) -> bool:
    return isinstance(reply, (list, tuple, dict, set, frozenset, bool, int)) and not reply


_OF_CHANCE = {
    "datetime": ("now", "utcnow", "today"),
    "date": ("today",),
    "time": ("time", "monotonic", "perf_counter", "time_ns"),
    "random": ("random", "randint", "choice", "uniform", "shuffle", "sample"),
    "secrets": ("token_hex", "token_urlsafe", "randbelow", "choice"),
    "uuid": ("uuid4", "uuid1"),
}


def _of_chance(hint: Hint) -> str:
    name = getattr(hint.subject, "__name__", "")
    return f"{name}.{hint.name}" if hint.name in _OF_CHANCE.get(name, ()) else ""


def _told_at(arrangement: Arrangement, at: Path) -> Mapping[str, Any]:
    part, name, *rest = at
    value: Any = getattr(arrangement, part)[name]
    for one in rest:
        value = value.told[one] if hasattr(value, "told") else value[one]
    return value.told if hasattr(value, "told") else {}


def _form_at(arrangement: Arrangement, at: Path) -> Any:
    part, name, *rest = at
    if part == "records" and not rest:
        return arrangement.records[name].form
    value: Any = getattr(arrangement, part)[name]
    for one in rest:
        value = value.told[one] if hasattr(value, "told") else value[one]
    return getattr(value, "form", type(value))
