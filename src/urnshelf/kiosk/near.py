"""The message of a request that nothing answers: which routes came near, and what differed."""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from typing import Any

from urnshelf.calls.ledger import Call, values_of
from urnshelf.calls.wording import nearest_cues
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.route import RouteTarget
from urnshelf.records.display import show

_SHOWN = 3
OUTSIDE = "<over HTTP>"
"""The file of a line of code that is in another process."""


def unanswered(
    call: Call, target: RouteTarget, routes: Sequence[RouteTarget], why: str = ""
) -> str:
    """The message of a refusal.

    Args:
        call: the request, in the ledger.
        target: the route that took it; one of no route where none did.
        routes: all of the kiosk.
        why: what its document has to say, where it has something.
    """
    request: Request = values_of(call)[-1]
    is_routed = target in routes
    lines = [
        f"{request.line} was requested of the kiosk {target.state.label}, and nothing answers it.",
        "",
        f"  requested     {came_from(call)}",
    ]
    lines += _came(request)
    if is_routed:
        lines.append(f"  route         {target.member.name}")
        lines += [f"  document      {why}"] if why else []
        cued = nearest_cues(target.cues, call) if target.cues else ["  cues          none on it"]
        is_drawn = target.promised is not None and "draw" not in why
        reply = "from_document()" if is_drawn else "response(200, json={})"
        advice = _advice(target.expression, target, values_of(call), reply)
        return "\n".join([*lines, *cued, *advice])
    lines += _near_routes(request, routes)
    document = next((one.promised.name for one in routes if one.promised is not None), "")
    if document:
        return "\n".join([*lines, "", f"The document {document} has no such operation."])
    kiosk = target.state.expression
    named = f'{kiosk}.route("{request.method}", "{request.raw_path}")'
    return "\n".join([*lines, *_advice(named, target, ())])


def came_from(call: Call) -> str:
    """Which line of code made a request; of one from another process none is known."""
    place = call.called_from
    return "over the network" if place.file == OUTSIDE else f"from {place}"


def _came(request: Request) -> list[str]:
    """The body, where there is one: it is what differs most often."""
    return [f"  its body      {show(request.text, 80)}"] if request.body else []


def _near_routes(request: Request, routes: Sequence[RouteTarget]) -> list[str]:
    if not routes:
        return ["  routes        none yet"]
    ranked = by_likeness(request, routes)
    lines: list[str] = []
    for title, route in zip(
        ("nearest route", "another route", "another route"), ranked, strict=False
    ):
        lines.append(f"  {title} {route.member.name}")
        if route.method != request.method:
            lines += _both("method", route.method, request.method)
        if route.path.values(request.raw_path) is None:
            lines += _both("path", str(route.path), request.raw_path)
    if len(routes) > _SHOWN:
        lines.append(f"                … and {len(routes) - _SHOWN} routes that differ more")
    return lines


def by_likeness(request: Request, routes: Sequence[RouteTarget]) -> list[RouteTarget]:
    """The routes, the one first that comes nearest to a request."""
    return sorted(routes, key=lambda route: -_likeness(request, route))


def _both(part: str, wanted: str, has: str) -> list[str]:
    return [
        f"      {part}  <-- differs",
        f"          the route has:   {wanted}",
        f"          the request has: {has}",
    ]


def _likeness(request: Request, route: RouteTarget) -> float:
    fits = route.path.values(request.raw_path) is not None
    alike = difflib.SequenceMatcher(None, str(route.path), request.raw_path).ratio()
    return (2.0 if fits else alike) + (0.5 if route.method == request.method else 0.0)


def _advice(
    route: str,
    target: RouteTarget,
    values: tuple[object, ...],
    reply: str = "response(200, json={})",
) -> list[str]:
    written = [f"{name}={value!r}" for name, value in zip(target.path.kinds, values, strict=False)]
    asked = ", ".join([route, *written]) if values else route
    return ["", "To answer it:", f"    cue({asked}).gives({reply})"]


def forbidden(call_line: str, target: RouteTarget, wrong: Sequence[Any], place: object) -> str:
    """The message of a request that the document forbids.

    Args:
        call_line: the request.
        target: the route that took it.
        wrong: what is wrong with it.
        place: where it came from.
    """
    promised = target.promised
    assert promised is not None
    lines = [
        f"{call_line} was requested of the kiosk {target.state.label}, and the document "
        f"{promised.name} forbids it.",
        "",
        f"  requested     {place}",
        f"  told at       {promised.at}",
    ]
    for one in wrong:
        lines += [f"  {one.what}  <-- differs", f"      {one.text}"]
    return "\n".join([*lines, "", "Mend the request; or the document, where the service takes it."])
