"""`urnshelf serve`: the kiosks of a file at real addresses, and what is asked of them."""

from __future__ import annotations

import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from datetime import datetime
from pathlib import Path
from types import FrameType
from typing import Any

from rich.console import Console
from rich.text import Text

from urnshelf import run_ledger, running
from urnshelf.calls.ledger import Call, live_call
from urnshelf.calls.wording import plural
from urnshelf.cli.served_file import Opened, opened
from urnshelf.cli.showing import console
from urnshelf.doors.paged import PATH
from urnshelf.doors.serving import Address, Standing, served
from urnshelf.errors import FileRefused, UrnShelfError
from urnshelf.files.whole import why
from urnshelf.kiosk.masked import masked_exchange
from urnshelf.kiosk.response import Response
from urnshelf.kiosk.told import answerer, ended, outcome
from urnshelf.kiosk.traffic_out import save_traffic, traffic
from urnshelf.kiosks import Kiosk
from urnshelf.masking.masks import Masks
from urnshelf.project import settings_in

_LOOKS = 0.1
"""How often it is looked for what is new, in seconds."""
_MOST_ROUTES = 40


def serve(
    file: str,
    port: int,
    is_tls: bool,
    is_followed: bool,
    records: int | None,
    seed: int | None,
    ledger: str | None,
) -> int:
    """Serve the kiosks of a file until somebody stops it.

    Args:
        file: a plan, an OpenAPI document, or recorded traffic.
        port: of the first kiosk, the others have those after it; 0 for any that are free.
        is_tls: whether by HTTPS.
        is_followed: whether the file is read anew when it changes.
        records: how many each collection has, and each list that is drawn.
        seed: what is drawn from.
        ledger: where the requests are written at the end; beside where one stands, by the file's
            name, where it is not given.

    Raises:
        FileRefused: the file cannot be read, or the ledger not be written.
    """
    path = Path(file)
    running.masks = tuple(settings_in(Path("pyproject.toml")).get("masks", ()))
    serving = _Serving(path, records, seed, _ledger_at(path, ledger))
    # whoever presses Ctrl-C twice does not lose the ledger: it is written before signals end us
    with _stopped_by_signals() as stop:
        with ExitStack() as stack:
            serving.open(stack, port, is_tls)
            serving.tell()
            while not stop.wait(_LOOKS):
                serving.show_requests()
                if is_followed:
                    serving.follow()
        serving.show_requests()
        serving.write()
    return 0


def _ledger_at(path: Path, told: str | None) -> Path:
    """Where the ledger goes; refused now, and not at the end, where that cannot be."""
    at = Path(told or f"{path.stem}.ledger.jsonl")
    if at.suffix not in (".jsonl", ".har"):
        raise FileRefused(f"--ledger {at.name}: the ending must be .jsonl or .har")
    if at.is_file() and at.suffix == ".jsonl" and told is None:
        run_ledger.read(at)  # another's file of this name is not written over
    if not at.parent.is_dir():
        raise FileRefused(f"--ledger {at}: there is no folder {at.parent}")
    return at


@contextmanager
def _stopped_by_signals() -> Iterator[threading.Event]:
    """A block that ends when Ctrl-C is pressed, or SIGTERM comes."""
    stop = threading.Event()

    def stopping(_number: int, _frame: FrameType | None) -> None:
        stop.set()

    before = {one: signal.signal(one, stopping) for one in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield stop
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)


class _Serving:
    """The kiosks while they are served."""

    def __init__(self, path: Path, records: int | None, seed: int | None, ledger: Path) -> None:
        self._path = path
        self._drawn = records, seed
        self._ledger = ledger
        self._out: Console = console()
        self._now = opened(path, records, seed)
        self._before: list[Opened] = []
        self._standing: list[Standing] = []
        self._addresses: list[Address] = []
        self._state = self._now.state()

    def open(self, stack: ExitStack, port: int, is_tls: bool) -> None:
        """Serve each kiosk at an address of its own."""
        for number, kiosk in enumerate(self._now.kiosks):
            standing = Standing(kiosk)
            at = port + number if port else 0
            door = served(standing, at, tls=is_tls, is_for_pages=True)
            self._addresses.append(stack.enter_context(door))
            self._standing.append(standing)

    def tell(self) -> None:
        """The addresses and the routes."""
        for kiosk, address in zip(self._now.kiosks, self._addresses, strict=True):
            self._line(Text(f"{kiosk.name}  {address}", style="bold"))
            if address.ca_file:
                self._line(Text(f"  a client must trust  {address.ca_file}", style="dim"))
            self._line(Text(f"  the page  {address}{PATH}", style="dim"))
            self._routes(kiosk)
            for note in kiosk.notes:
                self._line(Text(f"  {note}", style="yellow"))
            self._line(Text())
        self._line(Text("Ctrl-C ends it.", style="dim"))

    def _routes(self, kiosk: Kiosk) -> None:
        routes = [one for one in kiosk._routes.all() if one.method != "HEAD"]
        widest = max((len(one.path.text) for one in routes), default=0)
        for one in routes[:_MOST_ROUTES]:
            line = Text("  ")
            line.append(f"{one.method:<7}", style="cyan")
            line.append(f"{one.path.text:<{min(widest, 60)}}  ")
            line.append(", ".join(one.tags), style="dim")
            self._line(line)
        if len(routes) > _MOST_ROUTES:
            self._line(
                Text(f"  … and {len(routes) - _MOST_ROUTES} more: see the page", style="dim")
            )

    def _line(self, text: Text) -> None:
        text.rstrip()
        self._out.print(text, soft_wrap=True)
        sys.stdout.flush()  # whoever follows it through a pipe sees it now

    # --- while it runs ----------------------------------------------------------------------------

    def show_requests(self) -> None:
        """Those that came since."""
        for call in ended(self._now.shelf._desk.calls_after(self._now.seen)):
            self._request(call)
            self._now.seen = call.number

    def _request(self, call: Call) -> None:
        masks = Masks()
        request, reply = masked_exchange(call, masks)
        is_served = isinstance(reply, Response)
        status = reply.status if is_served else 501
        moment = datetime.fromtimestamp(request.came_at).strftime("%H:%M:%S")
        line = Text(f"{moment}  ")
        if len(self._standing) > 1:
            width = max(len(one.kiosk.name) for one in self._standing)
            line.append(f"{_name(call):<{width}}  ", style="dim")
        line.append(f"{outcome(call).partition(',')[0]}  ", style=_style(status, is_served))
        line.append(request.line)
        by = masks.message(answerer(call))
        line.append(f"  {by}, {request.took * 1000:.1f} ms", style="dim")
        self._line(line)
        if call.error is not None and not isinstance(call.error, OSError):
            for told in masks.message(str(call.error)).splitlines()[1:]:
                if told.strip():
                    self._line(Text(f"    {told}", style="red" if "differs" in told else "dim"))

    def follow(self) -> None:
        """Read the file anew where it changed; one that is wrong is told, and the old one stays."""
        state = self._now.state()
        if state == self._state:
            return
        self._state = state
        try:
            new = opened(self._path, *self._drawn)
        except UrnShelfError as wrong:
            self._line(Text(f"{wrong}", style="red"))
            self._line(Text("  as before it goes on", style="dim"))
            return
        self.show_requests()
        by_name = {one.name: one for one in new.kiosks}
        for standing in self._standing:
            name = standing.kiosk.name
            if name in by_name:
                standing.kiosk = by_name[name]
        self._before.append(self._now)
        self._now, self._state = new, new.state()
        told = plural(len(new.kiosks), "kiosk")
        self._line(Text(f"{self._path.name} was read anew: {told}, new records", style="green"))
        if [one.name for one in new.kiosks] != [one.kiosk.name for one in self._standing]:
            told = "  kiosks came or went: stop it and start it again for those"
            self._line(Text(told, style="yellow"))

    # --- the end ----------------------------------------------------------------------------------

    def write(self) -> None:
        """Write the ledger, where there was a request."""
        all_opened = [*self._before, self._now]
        calls = [call for one in all_opened for call in one.shelf._desk.calls()]
        for one in all_opened:
            for kiosk in one.kiosks:
                kiosk.leave()
        if not calls:
            self._line(Text("stopped; no request came"))
            return
        if self._ledger.suffix == ".har":
            masks = Masks()
            save_traffic(self._ledger, traffic(calls, masks))
            told = masks.notes()
        else:
            notes = self._write_run([one.shelf for one in all_opened])
            told = [f"urnshelf ledger {self._ledger}", *notes]
        said = f"  ({'; '.join(told)})" if told else ""
        self._line(Text(f"stopped; {plural(len(calls), 'request')} in {self._ledger}{said}"))

    def _write_run(self, shelves: list[Any]) -> list[str]:
        """What was masked."""
        run_ledger.begin(self._ledger)
        try:
            return run_ledger.append(self._ledger, f"serve {self._path.name}", "served", shelves)
        except OSError as error:
            raise FileRefused(f"{self._ledger} cannot be written: {why(error)}") from None


def _name(call: Call) -> str:
    state: Any = live_call(call).target.state
    return str(state.interface.name)


def _style(status: int, is_served: bool) -> str:
    if not is_served or status >= 500:
        return "bold red"
    return "yellow" if status >= 400 else "green"
