"""Why a request was answered so, or why nothing answered it: a condition a line."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from urnshelf.calls.ledger import Call, live_call, values_of
from urnshelf.calls.script import Line
from urnshelf.calls.wording import distance
from urnshelf.kiosk.near import by_likeness
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.route import RouteTarget
from urnshelf.kiosk.wanting import Wanting
from urnshelf.records.display import show
from urnshelf.records.equality import same
from urnshelf.records.matchers import whatever


class Condition(NamedTuple):
    """One thing that is asked of a request.

    Args:
        name: which part of it.
        wanted: what is wanted there.
        came: what came.
        fits: whether that is what is wanted.
    """

    name: str
    wanted: str
    came: str
    fits: bool


class Reasons(NamedTuple):
    """Why.

    Args:
        title: what answered, or that nothing did.
        where: where that was said.
        conditions: what it asks of a request.
    """

    title: str
    where: str
    conditions: list[Condition]


def reasons(call: Call, routes: Sequence[RouteTarget]) -> Reasons:
    """Why a request was answered so, or by nothing.

    Args:
        call: the request, in the ledger.
        routes: all of the kiosk.
    """
    live: Any = live_call(call)
    target: RouteTarget = live.target
    request: Request = values_of(call)[-1]
    by = live.answered_by
    if isinstance(by, Line):
        return Reasons(f"answered by {by}", f"set at {by.place}", list(_of_cue(by, call)))
    promised: Any = target.promised
    if not isinstance(call.reply, Response) and promised is not None:
        told = promised.conditions(request)
        if any(not one.fits for one in told):
            return Reasons(f"the document {promised.name} forbids it", promised.at, told)
    if by is not None:
        where = "" if promised is None else promised.at
        told = [] if promised is None else promised.conditions(request)
        return Reasons(f"answered by {by!r}", where, told)
    if target in routes and target.cues:
        nearest = min(target.cues, key=lambda one: distance(one.expected, values_of(call)))
        title = f"nothing fitted; the nearest cue is {nearest}"
        return Reasons(title, f"set at {nearest.place}", list(_of_cue(nearest, call)))
    if target in routes:
        return Reasons(f"nothing answers the route {target.member.name}", "no cue is on it", [])
    near = by_likeness(request, routes)
    if not near:
        return Reasons("nothing fitted", "there are no routes yet", [])
    return Reasons(
        f"nothing fitted; the nearest route is {near[0].member.name}",
        "",
        list(_of_route(near[0], request)),
    )


def _of_route(route: RouteTarget, request: Request) -> Iterator[Condition]:
    yield Condition("method", route.method, request.method, route.method == request.method)
    fits = route.path.values(request.raw_path) is not None
    yield Condition("path", str(route.path), request.raw_path, fits)


def _of_cue(line: Line, call: Call) -> Iterator[Condition]:
    target: Any = line.target
    values = values_of(call)
    yield from _of_route(target, values[-1])
    wanted = line.expected or (whatever,) * len(values)
    for name, one, value in zip(target.parameters[:-1], wanted[:-1], values, strict=False):
        yield Condition(f"path {name}", show(one, 60), show(value, 60), same(one, value))
    if isinstance(wanted[-1], Wanting):
        for name, one, value, fits in wanted[-1].compared(values[-1]):
            yield Condition(name, show(one, 80), show(value, 80), fits)
    if line.is_spent:
        served = f"{line.served}"
        yield Condition("calls it is for", str(line.limit), served, fits=False)
