"""Readings of queues, stacks and logs of records: what came first, or last, is taken or shown."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from urnshelf.caches import remembered
from urnshelf.interfaces.members import Interface
from urnshelf.readings.entities import item_record
from urnshelf.readings.operations import (
    Access,
    NotCertain,
    Operation,
    Promised,
    Reading,
    Unread,
)
from urnshelf.readings.results import Result, is_record_type, result_of
from urnshelf.readings.subject import Subject
from urnshelf.readings.verbs import PUSHES, twin_of, words_of
from urnshelf.store.paths import identifier
from urnshelf.store.views import View

_FIRST = frozenset({"dequeue", "poll", "popleft", "shift", "receive"})
_TAKES = _FIRST | frozenset({"pop", "take"})
_PEEKS = frozenset({"peek", "front"})
_DRAINS = frozenset({"drain"})
_SIZES = frozenset({"size", "qsize", "length", "len", "is_empty", "empty"})
QUEUES = _TAKES | _PEEKS | _DRAINS | {"size", "qsize", "length", "len", "is", "empty"}
"""The verbs that queues have besides those that add."""


@remembered
def pushed_by(interface: Interface) -> frozenset[Any]:
    """The types of the records that the interface is handed to keep in order."""
    found: set[Any] = set()
    for member in interface.members.values():
        if member.kind == "method" and _verb(member.name, interface) in PUSHES:
            for node in member.parameter_nodes.values():
                record = node.bare if is_record_type(node.bare) else item_record(node)
                found |= {record} - {None}
    return frozenset(found)


def gives_back(record_type: object, interface: Interface) -> bool:
    """Whether the interface gives records of this type; an attribute may, too."""
    return any(
        result_of(member.promise.node).record_type is record_type
        for member in interface.members.values()
    )


def read_queue(subject: Subject) -> Reading | Unread | None:
    """A method that takes or shows records in the order in which they came; None for any other."""
    member, interface = subject.member, subject.interface
    if subject.about.record_type not in pushed_by(interface) or member.parameters:
        return None
    verb, joined = subject.words[0], "_".join(subject.words)
    if verb in _DRAINS and subject.result.kind is Promised.MANY:
        return _reading(subject, Operation.TAKE, "every {}, first come first, and DELETE", _drained)
    if joined in _SIZES:
        return _size_reading(subject, is_empty="empty" in subject.words)
    is_taking = verb in _TAKES
    if not (is_taking or verb in _PEEKS):
        return None
    if subject.result.kind not in (Promised.ONE, Promised.ONE_OR_NONE):
        return Unread(f"{verb!r} is read where it promises a record, or a record or None")
    end = _end(interface)
    which = {0: "the first {}", -1: "the last {}", None: "the only {}"}[end]
    operation = Operation.TAKE if is_taking else Operation.LOOK_UP
    return _reading(
        subject, operation, f"{which}{' and DELETE' if is_taking else ''}", _one(end, is_taking)
    )


Run = Callable[[View[Any], Result], Any]


def _reading(subject: Subject, operation: Operation, meaning: str, run: Run) -> Reading:
    about, result = subject.about, subject.result
    text = f"SELECT {meaning.format(identifier(about.table_name))}"

    def answer(access: Access, values: tuple[Any, ...]) -> Any:  # noqa: ARG001
        access.did(text)
        return run(access.table, result)

    return Reading(about.record_type, operation, (), lambda: text, answer)


def _drained(table: View[Any], result: Result) -> Any:
    rows = table.in_order_of_arrival()
    found = table.copies(rows)
    table.remove_rows(rows)
    return result.all_given(found)


def _one(end: int | None, is_taking: bool) -> Run:
    def run(table: View[Any], result: Result) -> Any:
        rows = table.in_order_of_arrival()
        if not rows:
            return _nothing(table, result)
        if end is None and len(rows) > 1:
            raise NotCertain(
                f"there are {len(rows)} records, and whether the first or the last comes next is "
                "not certain: the interface is called neither a queue nor a stack"
            )
        row = rows[end or 0]
        found = table.copies((row,))[0]
        if is_taking:
            table.remove_rows([row])
        return result.given(found)

    return run


def _nothing(table: View[Any], result: Result) -> Any:
    if result.kind is Promised.ONE_OR_NONE:
        return None
    if table.stored.definition.has_own_missing:
        raise table.missing_error(None)
    raise NotCertain(
        f"there is no {table.name}, and what it does then is not certain: tell it, "
        f"shelf.define({table.name}, missing=…)"
    )


def _size_reading(subject: Subject, is_empty: bool) -> Reading | Unread:
    wanted = Promised.BOOL if is_empty else Promised.INT
    if subject.result.kind is not wanted:
        return Unread(f"{subject.member.name!r} is read where it promises {wanted.value}")
    name = identifier(subject.about.table_name)
    text = f"SELECT count(*){' = 0' if is_empty else ''} FROM {name}"

    def answer(access: Access, values: tuple[Any, ...]) -> Any:  # noqa: ARG001
        access.did(text)
        count = access.table.count()
        return count == 0 if is_empty else count

    return Reading(subject.about.record_type, Operation.COUNT_ALL, (), lambda: text, answer)


@remembered
def _end(interface: Interface) -> int | None:
    """Where the next record is taken from: 0 for the first, -1 for the last; None where that is not
    certain.
    """
    verbs = {_verb(name, interface) for name in interface.members}
    words = re.findall("[A-Z][a-z]+", interface.name)
    if "Stack" in words:
        return -1
    is_queue = "enqueue" in verbs or not verbs.isdisjoint(_FIRST) or "Queue" in words
    return 0 if is_queue else None


def _verb(name: str, interface: Interface) -> str:
    return words_of(twin_of(name, interface.members))[0]
