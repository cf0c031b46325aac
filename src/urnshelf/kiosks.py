"""A kiosk with its doors: an application, transports for clients, a real address."""

from __future__ import annotations

from contextlib import AbstractContextManager
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any

from urnshelf.calls.desk import Desk
from urnshelf.clock import Clock
from urnshelf.errors import SettingRefused
from urnshelf.kiosk.core import KioskCore
from urnshelf.kiosk.kept import KeepingRequests
from urnshelf.masking.masks import Masks
from urnshelf.store.stored import Store

if TYPE_CHECKING:
    from os import PathLike

    from urnshelf.doors.asgi import App
    from urnshelf.doors.by_httpx import HttpxTransport
    from urnshelf.doors.by_requests import RequestsAdapter
    from urnshelf.doors.serving import Address
    from urnshelf.doors.standing_in import StandsIn


class Kiosk(KioskCore):
    """A stand-in for a remote service; made by `shelf.kiosk(name)`.

    >>> kiosk = shelf.kiosk("tides")
    >>> depth = kiosk.route("GET", "/tides/{harbour}")
    >>> _ = cue(depth, harbour="Ternhythe").gives(response(json={"depth_m": 6.3}))
    >>> import httpx
    >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://tides.example")
    >>> client.get("/tides/Ternhythe").json()
    {'depth_m': 6.3}
    >>> tally(depth, harbour="Ternhythe") == 1
    True
    """

    def __init__(self, name: str, desk: Desk, store: Store, clock: Clock) -> None:
        super().__init__(name, desk, store, clock)
        self._standing: list[StandsIn] = []
        from urnshelf.doors.guard import GUARD

        GUARD.begin(self)
        self._urnshelf_state.unreached = (
            "nobody can ask it: give a client its transport, serve it, or let it stand in for a "
            f'host, shelf.kiosk("{name}").stands_in_for("https://…")'
        )

    def _open(self, door: str, *packages: str) -> None:
        """One of its doors is opened."""
        _need(door, *packages)
        self._urnshelf_state.unreached = ""

    @property
    def app(self) -> App:
        """The kiosk as an ASGI application, for whatever runs one.

        >>> import asyncio, httpx
        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        >>> async def ask():
        ...     door = httpx.ASGITransport(kiosk.app)
        ...     async with httpx.AsyncClient(transport=door) as client:
        ...         return (await client.get("http://tides.example/depth")).text
        >>> asyncio.run(ask())
        '6.3'
        """
        self._open("app")
        from urnshelf.doors.asgi import App

        return App(self)

    def for_httpx(self) -> HttpxTransport:
        """A transport for `httpx.Client(transport=…)` and `httpx.AsyncClient(transport=…)`; no
        socket is opened, and nothing is waited for that the client would give up.

        Raises:
            SettingRefused: httpx is not installed.

        >>> import httpx
        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).raises(ConnectionRefusedError())
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://tides.example")
        >>> client.get("/depth")
        Traceback (most recent call last):
            ...
        httpx.ConnectError: [Errno 111] Connection refused
        """
        self._open("for_httpx()", "httpx")
        from urnshelf.doors.by_httpx import HttpxTransport

        return HttpxTransport(self)

    def for_requests(self) -> RequestsAdapter:
        """An adapter for `requests.Session.mount("http://", …)`; no socket is opened, and nothing
        is waited for that the client would give up.

        Raises:
            SettingRefused: requests is not installed.

        >>> import requests
        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        >>> session = requests.Session()
        >>> session.mount("http://tides.example", kiosk.for_requests())
        >>> session.get("http://tides.example/depth").text
        '6.3'
        """
        self._open("for_requests()", "requests")
        from urnshelf.doors.by_requests import RequestsAdapter

        return RequestsAdapter(self)

    def serve(
        self, port: int = 0, *, tls: bool = False, host: str = "127.0.0.1"
    ) -> AbstractContextManager[Address]:
        """Serve the kiosk at a real address of this machine, for a block.

        Args:
            port: 0 for one that is free.
            tls: whether by HTTPS, with a certificate made on the spot; the address has
                `ca_file`, which a client must trust.
            host: where to listen. Beyond loopback only where it is said.

        Returns:
            A context manager; entering it gives the address, a text.

        Raises:
            SettingRefused: a port that there is not, or uvicorn (for TLS trustme) is not installed.

        >>> import httpx
        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        >>> with kiosk.serve() as url:
        ...     url.startswith("http://127.0.0.1:"), httpx.get(f"{url}/depth").text
        (True, '6.3')
        """
        self._open("serve()", "uvicorn", "h11", *(("trustme",) if tls else ()))
        from urnshelf.doors.serving import served

        door: AbstractContextManager[Address] = served(self, port, tls=tls, host=host)
        return door

    def passes_through(self, url: str, *, keep_in: str | PathLike[str] | None = None) -> None:
        """Send what no cue and no collection takes to a real server.

        Args:
            url: of the server, `"http://127.0.0.1:8000"`; a path in it stands before all others.
            keep_in: a file in which its replies are kept, once the shelf is left and nothing
                failed, secrets masked by their names; `shelf.kiosk(name, answer_from=…)` answers
                from it ever after.

        Raises:
            SettingRefused: no address of a server, or httpx is not installed.

        >>> real, kiosk = shelf.kiosk("real"), shelf.kiosk("tides")
        >>> _ = cue(real.route("GET", "/depth")).gives(response(text="6.3"))
        >>> import httpx
        >>> with real.serve() as url:
        ...     kiosk.passes_through(url)
        ...     httpx.Client(transport=kiosk.for_httpx()).get("http://tides.example/depth").text
        '6.3'
        """
        _need("passes_through()", "httpx", "h11")
        from urnshelf.doors.real_server import RealServer

        if not isinstance(url, str) or not url.startswith(("http://", "https://")):
            raise SettingRefused(f"passes_through({url!r}): give the address of a server, http://…")
        self._behind = RealServer(url)
        if keep_in is not None:
            interface = self._urnshelf_state.interface
            self._behind = keeping = KeepingRequests(self._behind, interface, str(keep_in))
            self._desk.at_end.append(keeping.write)

    def _follow_plan(self, path: Path, stocked: set[str]) -> None:
        """Say what a plan file says of it.

        Args:
            path: of the file.
            stocked: the tables whose records are on the shelf already.
        """
        from urnshelf.files.plan_file import read_plan
        from urnshelf.kiosk.planned import Planning, planned_kiosk

        plan = read_plan(path)
        Planning(self, planned_kiosk(plan, self.name, path.name), plan, stocked).apply()

    def save_traffic(self, path: str | PathLike[str], *, unmasked: bool = False) -> list[str]:
        """Write the requests so far, and their replies, as HAR 1.2, which browsers' tools open.

        Args:
            path: of the file, which ends in `.har`.
            unmasked: whether secrets stay; otherwise they are masked, by their names and by how
                they look.

        Returns:
            What was masked, and what could not be looked into, a line each.

        Raises:
            FileRefused: another ending, or the file cannot be written.

        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        >>> import httpx
        >>> client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://tides.example")
        >>> _ = client.get("/depth", headers={"Authorization": "Bearer s3cret"})
        >>> from pathlib import Path
        >>> from tempfile import mkdtemp
        >>> kiosk.save_traffic(Path(mkdtemp()) / "tides.har")
        ['header authorization masked, 1 ×']
        """
        from urnshelf.kiosk.traffic_out import save_traffic, traffic

        masks = Masks(is_off=unmasked)
        save_traffic(Path(path), traffic(self._calls(), masks))
        return masks.notes()

    def stands_in_for(self, url: str) -> StandsIn:
        """Stand in the place of a host: clients that the code under test makes itself come here,
        those of httpx, requests, urllib, urllib3 and aiohttp. From now on, until the block or the
        shelf is left.

        Args:
            url: scheme and host, `"https://tides.example"`.

        Returns:
            What ends it, where it is used as a block.

        Raises:
            SettingRefused: no address of a host.

        >>> import urllib.request
        >>> kiosk = shelf.kiosk("tides")
        >>> _ = cue(kiosk.route("GET", "/depth")).gives(response(text="6.3"))
        >>> with kiosk.stands_in_for("https://tides.example"):
        ...     urllib.request.urlopen("https://tides.example/depth").read()
        b'6.3'
        """
        self._open("stands_in_for()", "h11")
        from urnshelf.doors.standing_in import StandsIn

        stands = StandsIn(self, url)
        self._standing.append(stands)
        self.hosts.append(url)
        return stands

    def lets_out(self, *hosts: str) -> None:
        """Let these hosts be reached. While there is a kiosk, others than this machine are refused,
        and the test fails: it reaches no real one by accident.

        Args:
            hosts: names or addresses, such as that of a database of the tests.

        >>> shelf.kiosk("tides").lets_out("db.example")
        """
        self.let_out.update(hosts)

    def leave(self) -> None:
        """Stand in for nobody any more, and let the network be; leaving the shelf does it.

        >>> kiosk = shelf.kiosk("tides")
        >>> _ = kiosk.stands_in_for("https://tides.example")
        >>> kiosk.leave()
        """
        while self._standing:
            self._standing.pop().end()
        from urnshelf.doors.guard import GUARD

        GUARD.end(self)

    if not TYPE_CHECKING:  # to the checkers a kiosk has what it has, and nothing else

        def __getattr__(self, name: str) -> Any:
            """A name that we do not have: our nearest, and what it does."""
            if name.startswith("_") or hasattr(type(self), name):
                # Python asks here, too, where a property raises: what it raised is what counts
                return object.__getattribute__(self, name)
            from urnshelf.near_names import KIOSK, no_such_name, public

            raise AttributeError(
                no_such_name("a kiosk", name, public(type(self)), KIOSK), name=name, obj=self
            )


_OF_THE_EXTRA = ("h11", "jinja2", "trustme", "uvicorn", "yaml")


def _need(door: str, *packages: str) -> None:
    lacking = [name for name in packages if find_spec(name) is None]
    if lacking:
        # a client is the code under test's own: no extra of ours brings it
        clients = [name for name in lacking if name not in _OF_THE_EXTRA]
        extra = ["'urnshelf[http]'"] if len(clients) < len(lacking) else []
        raise SettingRefused(
            f"{door} needs {' and '.join(lacking)}: pip install {' '.join([*extra, *clients])}"
        )
