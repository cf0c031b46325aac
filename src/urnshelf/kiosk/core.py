"""The kiosk without its doors: a request is taken by the route that fits best, walks the one way
of a call, and comes out as a response.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING, Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.ledger import NO_REPLY, Call, LiveCall
from urnshelf.calls.script import script
from urnshelf.calls.target import FakeState, Target
from urnshelf.clock import Clock
from urnshelf.errors import ReplyRefused, UrnShelfError
from urnshelf.interfaces.members import Interface
from urnshelf.kiosk.broken import is_of_the_network, worded
from urnshelf.kiosk.collection import Collection, Handled
from urnshelf.kiosk.filling import checked
from urnshelf.kiosk.gated import Gated
from urnshelf.kiosk.gates import Gate
from urnshelf.kiosk.kept import KeptRequests, kept_requests
from urnshelf.kiosk.near import OUTSIDE, came_from, forbidden, unanswered
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.request import Request
from urnshelf.kiosk.response import Response, response
from urnshelf.kiosk.route import Route, RouteTarget
from urnshelf.kiosk.routing import Routes
from urnshelf.masking.masks import Masks
from urnshelf.store.stored import Store
from urnshelf.store.tables import Table

if TYPE_CHECKING:
    from urnshelf.kiosk.openapi.documented import Documented

MOST_BYTES = 256 * 2**20
"""Of bodies that a kiosk's ledger keeps; beyond them the older half of the calls is dropped."""

_SOURCE = """def another_process(target, live, _frame):
    return target.take(target, live, _getframe(0))
"""
_NAMES: dict[str, Any] = {"_getframe": sys._getframe}
exec(compile(_SOURCE, OUTSIDE, "exec"), _NAMES)
_from_outside: Callable[..., Any] = _NAMES["another_process"]
"""Takes a request that came over the network: its line of code is nobody's here."""


class _KioskState(FakeState):
    """What the library knows of a kiosk."""

    __slots__ = ()

    @property
    def label(self) -> str:
        return self.interface.name

    @property
    def expression(self) -> str:
        return f'shelf.kiosk("{self.interface.name}")'


class KioskCore(Gated):
    """A stand-in for a remote service: routes, and what they reply.

    Args:
        name: how messages call it.
        desk: takes the requests as calls.
        store: the shelf's records.
        clock: by which tokens expire, and limits are counted.
    """

    _urnshelf_members: tuple[Any, ...] = ()

    def __init__(self, name: str, desk: Desk, store: Store, clock: Clock) -> None:
        self.name = name
        self._desk = desk
        self._store = store
        self._clock = clock
        self.hosts: list[str] = []
        """Those that it has stood in for."""
        self.let_out: set[str] = set()
        """Hosts that may be reached all the same."""
        self.children: list[str] = []
        """Programs that were started while it was there: what they reach is not guarded."""
        self._bytes = 0
        self._replies: set[int] = set()
        self._gates: list[tuple[str, Gate]] = []
        self._urnshelf_state = _KioskState(self, Interface(self, KioskCore, name, {}), name, desk)
        self._routes = Routes(self._urnshelf_state)
        self._handlers: dict[RouteTarget, Handled] = {}
        self._behind: Callable[[Request], Response] | None = None
        self._kept: KeptRequests | None = None
        self._free: set[Target] = set()
        self._document: Documented | None = None
        self._notes: list[str] = []
        desk.put_next(script, self._answer)

    def route(self, method: str, path: str) -> Route:
        """The requests of one method and path; the same ones again for the same words.

        Args:
            method: `GET`, `POST` …
            path: with parameters in braces, `/stations/{code}/depth`; after a colon their kind may
                stand: `{id:int}`, `{id:uuid}`, `{ratio:float}`, `{rest:path}`.

        Raises:
            CueRefused: a path that no request can have.

        >>> depth = shelf.kiosk("tides").route("GET", "/stations/{code}/depth")
        >>> depth
        <route tides: GET /stations/{code}/depth>
        """
        return Route(self._routes.target(method, path))

    def collection(self, path: str, record_type: type, *, view: Table[Any] | None = None) -> None:
        """Put the shelf's records of one type behind a path: listed with filters
        (`?harbour=Ternhythe&depth_m__gte=4`), an order (`sort=-depth_m`) and pages (`page` and
        `size`, `offset` and `limit`, or `cursor`), got, created, replaced, changed and removed.
        What a request has wrong is told as problem details (RFC 9457). A cue of such a route goes
        before.

        Args:
            path: of all of them, `/berths`; that of one is `/berths/{id}`, by the names of the
                key's fields.
            record_type: of the records.
            view: only those that are seen through it: `shelf.view(…)`.

        Raises:
            RecordRefused: records without a key.

        >>> kiosk = shelf.kiosk("berths")
        >>> kiosk.collection("/berths", Berth)
        >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe")
        >>> import httpx
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
        >>> [berth["id"] for berth in client.get("/berths?harbour=Ternhythe&sort=-id").json()]
        [3, 2, 1]
        """
        seen = self._store.view(record_type) if view is None else view._view
        seen.need_key("asked for")
        for (method, of), handled in Collection(path, seen).acts().items():
            target = self._acted_by(method, of)
            if target is not None:
                self._handlers[target] = handled

    def _acted_by(self, method: str, path: str) -> RouteTarget | None:
        """The route of an act of a collection; of a document only those that are there."""
        is_closed = self._routes.is_closed
        return self._routes.find(method, path) if is_closed else self._routes.target(method, path)

    @property
    def notes(self) -> list[str]:
        """What is not done of what its document says, and what was masked or left out of recorded
        traffic, a line each.

        >>> shelf.kiosk("tides").notes
        []
        """
        return list(self._notes)

    def answer(self, request: Request, frame: FrameType | None = None) -> Answer:
        """What comes of a request.

        Args:
            request: as it came in.
            frame: the caller's, where it came from this thread.
        """
        self._drop_what_is_too_much()
        request.came_at = time.time()
        began = time.perf_counter()
        target, values = self._routes.taken_by(request)
        take = target.take if frame is not None else _from_outside
        try:
            reply = take(target, (*values.values(), request), frame or sys._getframe())
        except UrnShelfError as refused:
            if all(one is not refused for one in self._desk.refusals.noted):
                self._desk.refusals.note(refused, target)  # nothing of ours is hidden by a 501
            return Answer(response(501, text=_sendable(str(refused))), None, 0.0)
        except Exception as error:
            if isinstance(error, OSError) and is_of_the_network(type(error)):
                return Answer(None, worded(error), request.waits)
            return Answer(self._failed(target, request, error), None, 0.0)
        finally:
            request.took = time.perf_counter() - began
            self._bytes += len(request.body)
        if id(reply) not in self._replies:  # a cue gives the same one again and again
            self._replies.add(id(reply))
            self._bytes += reply.size
        return Answer(reply, None, request.waits)

    def _calls(self, after: int = 0) -> list[Call]:
        """Its requests so far; those after one with a number."""
        state = self._urnshelf_state
        return self._desk.calls_after(after, lambda call: call.target.state is state)

    def _drop_what_is_too_much(self) -> None:
        """The ledger has a size, in calls and, where bodies are large, in bytes."""
        self._desk.drop_oldest()
        if self._bytes > MOST_BYTES:
            self._desk.keep_last(len(self._desk.ledger) // 2)
            self._bytes //= 2
        if len(self._replies) > self._desk.settings.ledger_size:
            self._replies.clear()

    def _answer(self, call: LiveCall) -> Any:
        """The answerer: what a route replies that no cue takes."""
        target = call.target
        if not isinstance(target, RouteTarget) or target.state is not self._urnshelf_state:
            return NO_REPLY
        handler = self._handlers.get(target)
        if handler is not None:
            call.answered_by = handler
            with self._store.lock:
                return self._handled(target, call, handler)
        request: Request = call.live[-1]
        if self._kept is not None:
            return checked(call, self._from_file(call, request, self._kept))
        if self._behind is not None:
            call.answered_by = self._behind
            return checked(call, self._behind(request))
        if self._document is not None and target.promised is not None:
            return self._from_document(call, target)
        text = unanswered(self._desk._find(call), target, self._routes.all())
        raise self._desk.refusal(call, text)

    def _handled(self, target: RouteTarget, call: LiveCall, handler: Handled) -> Response:
        promised: Any = target.promised
        if promised is None or self._document is None:
            return handler(call)
        return checked(call, self._document.of_collection(call, handler, promised))

    def _from_document(self, call: LiveCall, target: RouteTarget) -> Response:
        promised: Any = target.promised
        assert self._document is not None
        try:
            return checked(call, self._document.answer(call, promised))
        except ReplyRefused as why:
            text = unanswered(self._desk._find(call), target, self._routes.all(), str(why))
            raise self._desk.refusal(call, text) from None

    def _forbidden(self, call: LiveCall) -> Any:
        """The answerer before the cues: what the document forbids."""
        target = call.target
        if target.state is not self._urnshelf_state or not isinstance(target, RouteTarget):
            return NO_REPLY
        wrong = () if target.promised is None else target.promised.forbids(call.live[-1])
        if not wrong:
            return NO_REPLY
        came = came_from(self._desk._find(call))
        text = forbidden(call.live[-1].line, target, wrong, came)
        raise self._desk.refusal(call, text)

    def _answer_from(self, path: Path, is_unmasked: bool) -> None:
        """Answer from a file of kept replies, or of recorded traffic."""
        if path.suffix != ".har":
            self._kept = kept_requests(path, self.name)
            return
        from urnshelf.kiosk.traffic import Traffic  # few kiosks have some

        traffic = Traffic(path, Masks(is_off=is_unmasked))
        if not self._routes.is_closed:
            for method, of in traffic.routes():
                self._routes.target(method, of)
        self._kept = KeptRequests(traffic.replies, path.name, Masks(is_off=is_unmasked))
        self._notes += traffic.notes

    def _read_document(self, path: Path, seed: int) -> None:
        """Take the routes of an OpenAPI document."""
        from urnshelf.kiosk.openapi.documented import Documented  # few kiosks have one

        self._document = Documented(path, self._routes, self._store, seed, self.name)
        self._desk.put_before(self._forbidden)
        self._notes += self._document.notes

    def _from_file(self, call: LiveCall, request: Request, kept: KeptRequests) -> Response:
        found = kept.find(request)
        if found is None:
            text = (
                f"{request.line} was requested of the kiosk {self.name}, and {kept!r} has no reply "
                f"to it\n  nearest   {kept.nearest(request)}"
            )
            raise self._desk.refusal(call, text)
        call.answered_by = kept
        return found

    def _failed(self, target: RouteTarget, request: Request, error: Exception) -> Response:
        """What a client gets where a reply's own function fails; the test is told."""
        text = (
            f"{request.line} was requested of the kiosk {self.name}, and its reply raised "
            f"{type(error).__name__}: {error}"
        )
        told = UrnShelfError(text)
        told.__cause__ = error
        self._desk.refusals.note(told, target)
        return response(500, text=_sendable(text))

    def __repr__(self) -> str:
        notes = f", {len(self._notes)} notes: see .notes" if self._notes else ""
        return f"<kiosk {self.name}, {len(self._routes)} routes{notes}>"


def _sendable(text: str) -> str:
    """A message without half characters, which no reply can have."""
    return text.encode(errors="backslashreplace").decode()
