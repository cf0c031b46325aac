"""The tour: the harbour story, step by step, with the real library."""

from __future__ import annotations

import asyncio
import dataclasses
from datetime import UTC, datetime
from textwrap import indent
from typing import Any

from rich import box
from rich.console import Console
from rich.table import Column, Table
from rich.text import Text

from urnshelf import Shelf, cue, ledger_of, raising, tally, whatever
from urnshelf.calls.ledger import Call
from urnshelf.cli.showing import cell, console, record_table
from urnshelf.demo.harbour import (
    Berth,
    DuesOffice,
    GaugeSilent,
    Mooring,
    MooringDesk,
    MooringRegister,
    PilotPager,
    TideService,
    Vessel,
)
from urnshelf.demo.harbour.adaptors.sqlite import fresh_register
from urnshelf.doors.asgi import App
from urnshelf.drafting import draft
from urnshelf.kiosk import response
from urnshelf.records.display import show
from urnshelf.twins import Twin

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)
_IN = " " * 4
_TWIN = (
    "urnshelf twin urnshelf.demo.harbour:MooringRegister "
    "--real urnshelf.demo.harbour.adaptors.sqlite:fresh_register"
)


def tour(seed: int) -> None:
    """Tell the story.

    Args:
        seed: what the records are drawn from.
    """
    out = console()
    out.print(
        Text(
            "A mooring desk gives vessels a berth. It needs three repositories, a tide gauge and a "
            "pager.",
            style="bold",
        )
    )
    out.print("None of them exists here: the shelf makes all five from their interfaces.\n")
    with Shelf(seed) as shelf:
        _records(out, shelf)
        desk = _furnish(out, shelf)
        _act(out, desk)
        _checks(out, shelf)
        _ledger(out, shelf)
        _failure(out, shelf)
    _real(out)
    _remote(out)
    _drafted(out)
    _twin(out)
    out.print(
        Text.assemble(
            "\nNext: copy the first test from the README; ",
            ("urnshelf --help", "bold"),
            " lists the commands.",
        )
    )


def _records(out: Console, shelf: Shelf) -> None:
    _step(
        out,
        1,
        "Records",
        'shelf.stock(Berth, 12, harbour="Ternhythe", in_service=True)',
        'shelf.stock(Vessel(id=7, name="Gray Heron", …))',
    )
    berths = shelf.stock(Berth, 12, harbour="Ternhythe", in_service=True)
    shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007", length_m=38.0, draught_m=4.1))
    fields = ["id", "code", "harbour", "length_m", "depth_m", "day_rate", "defect"]
    out.print(
        record_table(
            f"3 of {len(berths)} berths, drawn from seed {shelf.seed}",
            fields,
            berths[:3],
            out.width,
        ),
        "",
    )


def _furnish(out: Console, shelf: Shelf) -> MooringDesk:
    _step(
        out,
        2,
        "Fakes and cues",
        "desk = shelf.furnish(MooringDesk)",
        "tides = shelf.fake(TideService)",
        'cue(tides.depth_at, "Ternhythe", whatever).gives(raising(GaugeSilent()), 6.3)',
    )
    desk = shelf.furnish(MooringDesk)
    tides = shelf.fake(TideService)
    cue(tides.depth_at, "Ternhythe", whatever).gives(raising(GaugeSilent()), 6.3)
    out.print(
        "The gauge is silent once, then answers. The repositories need no cue: they work on the "
        "shelf's records.\n"
    )
    return desk


def _act(out: Console, desk: MooringDesk) -> None:
    _step(out, 3, "The real service acts", "mooring = desk.moor(vessel_id=7, arrival=NOON, days=3)")
    mooring = desk.moor(vessel_id=7, arrival=NOON, days=3)
    fields = [f.name for f in dataclasses.fields(Mooring)]
    out.print(record_table(None, fields, [mooring], out.width), "")


def _checks(out: Console, shelf: Shelf) -> None:
    tides, pilots = shelf.fake(TideService), shelf.fake(PilotPager)
    _step(out, 4, "Result, state and calls are checked")
    for source, holds in (
        ("shelf.records(Mooring).count() == 1", shelf.records(Mooring).count() == 1),
        ("tally(tides.depth_at) == 2", tally(tides.depth_at) == 2),
        ("tally(pilots.page, 7, whatever) == 1", tally(pilots.page, 7, whatever) == 1),
    ):
        out.print(
            Text.assemble(
                ("  holds   " if holds else "  FAILS   ", "green" if holds else "red"),
                f"assert {source}",
            )
        )
    out.print()


def _ledger(out: Console, shelf: Shelf) -> None:
    _step(out, 5, "The ledger: every call, in order", "ledger_of(shelf)")
    table = Table(
        "#",
        Column("call", no_wrap=True, ratio=12),
        Column("reply", no_wrap=True, ratio=6),
        Column("answered by", no_wrap=True, ratio=7),
        box=box.SIMPLE_HEAD,
        pad_edge=False,
        show_edge=False,
        expand=True,
    )
    for call in ledger_of(shelf):
        reply = f"raised {call.error!r}" if call.error else show(call.reply, 60)
        table.add_row(str(call.number), _brief(call), reply, _answerer(call))
    out.print(table, "")


def _failure(out: Console, shelf: Shelf) -> None:
    _step(
        out,
        6,
        "A check that fails explains itself",
        "assert tally(pilots.page, 8, whatever) == 1, tally(pilots.page, 8, whatever)",
    )
    pilots = shelf.fake(PilotPager)
    try:
        assert tally(pilots.page, 8, whatever) == 1, tally(pilots.page, 8, whatever)
    except AssertionError as failure:
        out.print(Text(f"AssertionError: {failure}\n", style="red"))


def _real(out: Console) -> None:
    _step(
        out,
        7,
        "A real object, of which one method is replaced",
        "desk = shelf.wrap(shelf.furnish(MooringDesk))",
        "cue(desk._tide_at, NOON).gives(6.3)",
    )
    with Shelf(7) as shelf:
        shelf.stock(Berth, 12, harbour="Ternhythe", in_service=True)
        shelf.stock(Vessel, id=7, length_m=38.0, draught_m=4.1)
        desk = shelf.wrap(shelf.furnish(MooringDesk))
        cue(desk._tide_at, NOON).gives(6.3)
        desk.moor(vessel_id=7, arrival=NOON)
        ran = [f"{one.method.split('.')[1]}, by {_answerer(one)}" for one in ledger_of(desk)]
        out.print(f"The rest of it is real: {'; '.join(ran)}\n")


def _remote(out: Console) -> None:
    _step(
        out,
        8,
        "A remote service over HTTP: a kiosk",
        'tide = shelf.kiosk("tides").route("GET", "/tides/{harbour}")',
        'cue(tide, harbour="Ternhythe").gives(response(json={"depth_m": 6.3}))',
    )
    with Shelf(7) as shelf:
        kiosk = shelf.kiosk("tides")
        tide = kiosk.route("GET", "/tides/{harbour}")
        cue(tide, harbour="Ternhythe").gives(response(json={"depth_m": 6.3}))
        status, body = asyncio.run(_asked(kiosk.app, "/tides/Ternhythe"))
        out.print(f"GET /tides/Ternhythe -> {status} {body}; {tally(tide)!r}\n")


async def _asked(app: App, path: str) -> tuple[int, str]:
    """What an ASGI application replies: the one door that needs no client, which nobody has yet."""
    told: list[Any] = []

    async def receive() -> dict[str, Any]:
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message: Any) -> None:
        told.append(message)

    scope = {"type": "http", "method": "GET", "path": path, "query_string": b"", "headers": []}
    await app(scope, receive, send)
    return told[0]["status"], b"".join(one.get("body", b"") for one in told).decode()


def _drafted(out: Console) -> None:
    _step(
        out,
        9,
        "A test for every path of the code",
        "urnshelf draft urnshelf.demo.harbour:DuesOffice.bill",
    )
    drafts = draft(DuesOffice, "bill", runs=200)
    ways, of = drafts.ways
    out.print(f"{len(drafts.tests)} tests take {ways} of {of} ways; the last of them:")
    source = drafts.text.rpartition("\n\n\n")[2]
    out.print(Text(f"{indent(source, _IN)}", style="green"))


def _twin(out: Console) -> None:
    _step(out, 10, "Is the fake right? Both through the same operations", _TWIN)
    checked = Twin(MooringRegister, real=fresh_register, sequences=20).check()
    out.print(f"{checked.heading}; the first:")
    first, _, rest = checked.differences[0].rstrip().partition("\n")
    out.print(Text(f"{_IN}{first}", style="red"))
    out.print(Text(indent(rest, _IN)))


def _step(out: Console, number: int, title: str, *code: str) -> None:
    out.print(Text(f"{number}. {title}", style="bold"))
    for line in code:
        out.print(Text(f"{_IN}{line}", style="dim"))


def _brief(call: Call) -> str:
    given = [f"{name}={_value(call.arguments[name])}" for name in call.arguments]
    return f"{call.method}({', '.join(given)})"


def _value(value: object) -> str:
    return cell(value) if isinstance(value, datetime) else show(value, 30)


def _answerer(call: Call) -> str:
    if call.answered_by.startswith("cue("):
        return "the cue"
    return call.statement or call.answered_by
