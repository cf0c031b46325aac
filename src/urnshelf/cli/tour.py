"""The tour: the harbour story, step by step, with the real library."""

from __future__ import annotations

import dataclasses
from datetime import UTC, datetime

from rich import box
from rich.console import Console
from rich.panel import Panel
from rich.table import Column, Table
from rich.text import Text

from urnshelf import Shelf, cue, ledger_of, raising, tally, whatever
from urnshelf.calls.ledger import Call
from urnshelf.cli.showing import cell, console, record_table
from urnshelf.demo.harbour import (
    Berth,
    GaugeSilent,
    Mooring,
    MooringDesk,
    PilotPager,
    TideService,
    Vessel,
)
from urnshelf.records.display import show

NOON = datetime(2030, 6, 1, 12, 0, tzinfo=UTC)


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
        Column("method", no_wrap=True),
        "arguments",
        "reply",
        "answered by",
        box=box.SIMPLE_HEAD,
        pad_edge=False,
        show_edge=False,
    )
    for call in ledger_of(shelf):
        reply = f"raised {call.error!r}" if call.error else _brief(call.reply, 26)
        table.add_row(str(call.number), call.method, _brief_arguments(call), reply, _answerer(call))
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
        out.print(
            Panel(
                Text(f"AssertionError: {failure}"),
                border_style="red",
                title="the message",
                title_align="left",
                expand=False,
            )
        )


def _step(out: Console, number: int, title: str, *code: str) -> None:
    out.print(Text(f"{number}. {title}", style="bold cyan"))
    for line in code:
        out.print(Text(f"    {line}", style="dim"))


def _brief_arguments(call: Call) -> str:
    return ", ".join(f"{name}={_brief(call.arguments[name], 30)}" for name in call.arguments)


def _brief(value: object, width: int) -> str:
    return cell(value) if isinstance(value, datetime) else show(value, width)


def _answerer(call: Call) -> str:
    if call.statement:
        return call.statement if len(call.statement) <= 52 else call.statement[:51] + "…"
    return "the cue of step 2" if call.answered_by.startswith("cue(") else call.answered_by
