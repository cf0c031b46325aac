"""Spans of time: `list_between(start, end)` of records that have one moment, or a pair of them."""

from __future__ import annotations

from datetime import date, datetime
from typing import NamedTuple

from urnshelf.interfaces.members import Member
from urnshelf.readings.entities import Entity
from urnshelf.readings.verbs import words_of
from urnshelf.store.column import column
from urnshelf.store.conditions import Condition
from urnshelf.types.nodes import Node

STARTS = frozenset({"start", "begin", "since", "from_", "starting", "starts_at", "start_at"})
ENDS = frozenset({"end", "until", "to", "till", "ending", "ends_at", "end_at"})
_PAIRS = (
    ("start", "end"),
    ("starts", "ends"),
    ("started", "ended"),
    ("begin", "end"),
    ("begins", "ends"),
    ("from", "to"),
    ("from", "until"),
    ("arrival", "departure"),
    ("arrives", "departs"),
    ("opens", "closes"),
    ("opened", "closed"),
    ("since", "until"),
)
_SHAPES = ("{}", "{}_at", "{}_on", "{}_time", "{}_date", "valid_{}", "{}s_at")


class Span(NamedTuple):
    """The parameters of a span of time, and the fields that they are compared with."""

    start: str
    end: str
    first: str
    """The field of the record's only moment, or of the first of its pair."""
    last: str

    @property
    def is_pair(self) -> bool:
        """Whether the record has a span of its own: then some may lie in it only in part."""
        return self.first != self.last

    def overlapping(self, start: object, end: object) -> tuple[Condition, ...]:
        """The conditions on records whose own span has a part in this one."""
        return column(self.last) >= start, column(self.first) <= end


def span_of(member: Member, about: Entity) -> Span | None:
    """The span that a method asks for; None where its name speaks of none, or it is not certain."""
    if "between" not in words_of(member.name):
        return None
    start = [name for name in member.parameters if name in STARTS and name not in about.fields]
    end = [name for name in member.parameters if name in ENDS and name not in about.fields]
    if len(start) != 1 or len(end) != 1:
        return None
    nodes = member.parameter_nodes
    moments = [
        name
        for name, field in about.described.fields.items()
        if field.node.bare in (datetime, date) and _fits(nodes[start[0]], field.node)
    ]
    if len(moments) == 1:
        return Span(start[0], end[0], moments[0], moments[0])
    pair = _pair(moments)
    return None if pair is None else Span(start[0], end[0], *pair)


PARTLY = "some may lie between these only in part, and whether they are meant is not certain"


def is_partly_in(member: Member, about: Entity) -> bool:
    """Whether a method asks for records that may lie in the span only in part."""
    span = span_of(member, about)
    return span is not None and span.is_pair


def _fits(given: Node, field: Node) -> bool:
    return not given.is_known or given.bare == field.bare


def _pair(moments: list[str]) -> tuple[str, str] | None:
    """The first and the last moment of a record's own span, where it has just these two."""
    if len(moments) != 2:
        return None
    for first, last in _PAIRS:
        for shape in _SHAPES:
            wanted = (shape.format(first), shape.format(last))
            if set(wanted) == set(moments):
                return wanted
    return None
