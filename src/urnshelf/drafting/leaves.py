"""The leaves of an arrangement: each value that can be varied, and its type."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from urnshelf.drafting.arrangement import Asked
from urnshelf.drafting.over_http import REPLY_NODE, ROUTE, usual_replied
from urnshelf.drafting.reached_for import known_reply
from urnshelf.drafting.service import Service
from urnshelf.drafting.trial import Trial
from urnshelf.drafting.usual_values import usual
from urnshelf.drafting.values import Leaf, leaves_of, node_for
from urnshelf.interfaces.members import Member
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of


def member_of(asked: Asked) -> Member:
    """The member of the interface that is asked."""
    members = interface_of(asked.form).members
    return members[asked.method or "__call__"]


def reply_node(asked: Asked) -> Node:
    """The type of one reply; of a stream the list of its items."""
    if asked.kind == ROUTE:
        return REPLY_NODE
    promise = member_of(asked).promise
    if asked.kind == "enters":
        return promise.entered
    if asked.kind == "streams":
        return node_of(list[promise.item.form])  # type: ignore[name-defined]
    return promise.node


def usual_reply(asked: Asked) -> Any:
    """A usual reply of a method; `NO_VALUE` where there is none."""
    if asked.kind == ROUTE:
        return usual_replied()
    known = known_reply(asked.form)
    return usual(reply_node(asked), asked.method) if known is None else known


def is_untold(asked: Asked) -> bool:
    """Whether nobody says what a method gives."""
    if asked.kind == ROUTE:
        return True
    return reply_node(asked).kind in (Kind.ANY, Kind.UNKNOWN) and known_reply(asked.form) is None


def all_leaves(trial: Trial, service: Service) -> list[Leaf]:
    """Every value of a trial's arrangement that can be varied, those of the act first."""
    return list(_leaves(trial, service))


def _leaves(trial: Trial, service: Service) -> Iterator[Leaf]:
    arrangement, drawn = trial.arrangement, trial.drawn
    for part in ("given", "built"):
        values: dict[str, Any] = {**service.defaults(part), **getattr(arrangement, part)}
        for name, value in values.items():
            if service.is_free(part, name):
                node = service.node_at(part, name)
                node = node_for(value) if node is ANYTHING else node
                yield from leaves_of(value, node, (part, name), drawn)
    for number, record in enumerate(arrangement.records):
        yield from leaves_of(record, node_of(record.form), ("records", number), drawn)
    for asked, replies in arrangement.replies.items():
        if asked in service.fixed:
            continue
        node = reply_node(asked)
        for number, value in enumerate(replies):
            yield from leaves_of(value, node, ("replies", asked, number), drawn)
