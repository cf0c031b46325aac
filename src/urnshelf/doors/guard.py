"""While there is a kiosk, no other host than this machine is reached: a test that meets a real one
does so by accident.
"""

from __future__ import annotations

import contextlib
import ipaddress
import socket
import threading
from collections.abc import Callable, Iterator
from typing import Any, cast
from weakref import WeakSet

from urnshelf.errors import HostRefused
from urnshelf.kiosk.core import KioskCore


def swap(undo: contextlib.ExitStack, holder: Any, name: str, make: Callable[[Any], Any]) -> None:
    """Put something in the place of a class's or a module's function, until it is undone."""
    own = vars(holder).get(name)
    before = getattr(holder, name)
    setattr(holder, name, make(before))
    if own is None:
        undo.callback(delattr, holder, name)
    else:
        undo.callback(setattr, holder, name, own)


class _Guard:
    """Who wants it: one for the process, as its sockets are."""

    def __init__(self) -> None:
        # a shelf that nobody leaves must not keep the network shut when it is gone
        self._kiosks: WeakSet[KioskCore] = WeakSet()
        self._undo = contextlib.ExitStack()
        self._lock = threading.RLock()
        self._is_up = False

    def begin(self, kiosk: KioskCore) -> None:
        with self._lock:
            self._kiosks.add(kiosk)
            if not self._is_up:
                self._is_up = True
                for name in ("getaddrinfo", "gethostbyname", "gethostbyname_ex"):
                    swap(self._undo, socket, name, _looking_up)
                for name in ("connect", "connect_ex", "sendto"):
                    swap(self._undo, socket.socket, name, _reaching)

    def end(self, kiosk: KioskCore) -> None:
        with self._lock:
            self._kiosks.discard(kiosk)
            if self._is_up and not self._kiosks:
                self._is_up = False
                self._undo.close()

    def letting_out(self, host: str) -> list[KioskCore]:
        """The kiosks that let this host be reached."""
        return [kiosk for kiosk in list(self._kiosks) if host in kiosk.let_out]

    def check(self, host: object) -> None:
        """Raise HostRefused for a host that is neither this machine nor let out to; the tests are
        told, whoever catches it.
        """
        kiosks = list(self._kiosks)
        name = _text(host)
        if OPEN.is_so or not kiosks or _is_near(host) or any(name in k.let_out for k in kiosks):
            return
        urls = dict.fromkeys(url for kiosk in kiosks for url in kiosk.hosts)
        error = HostRefused(
            f"{name} is no host that a kiosk stands in for, and a test reaches no real one\n"
            f"  there are   {', '.join(urls) or 'none'}\n"
            f'To answer it: shelf.kiosk("…").stands_in_for("https://{name}"), or to let it be '
            f'reached: shelf.kiosk("{kiosks[0].name}").lets_out("{name}")'
        )
        for desk in {id(kiosk._desk): kiosk._desk for kiosk in kiosks}.values():
            # a loop that tries for ever is ended, as one of refused calls is
            desk.refusals.note(error, cast(Any, _Host(name)))
        raise error


class _Host(str):
    """A host, as refusals are counted by it."""

    __slots__ = ()

    @property
    def name(self) -> str:
        """As messages call it."""
        return f"the host {self}"


class _Open(threading.local):
    is_so = False


OPEN = _Open()
GUARD = _Guard()


@contextlib.contextmanager
def in_the_open() -> Iterator[None]:
    """A block in which this thread reaches real hosts: a test has said that it wants one."""
    OPEN.is_so = True
    try:
        yield
    finally:
        OPEN.is_so = False


def _is_near(host: object) -> bool:
    """Whether a host is this machine."""
    if host is None or isinstance(host, int):
        return True
    name = _text(host)
    if name in ("", "localhost", "0.0.0.0", "::") or name.endswith(".localhost"):
        return True
    return _is_address(name) and ipaddress.ip_address(name.partition("%")[0]).is_loopback


def _is_address(host: str) -> bool:
    try:
        ipaddress.ip_address(host.partition("%")[0])
    except ValueError:
        return False
    return True


def _text(host: object) -> str:
    return host.decode("ascii", "replace") if isinstance(host, bytes) else str(host)


def _looking_up(real: Any) -> Any:
    def look_up(host: Any, *rest: Any, **named: Any) -> Any:
        # an address is no name that is looked up; to reach it is another thing
        if not _is_address(_text(host)):
            GUARD.check(host)
        found = real(host, *rest, **named)
        for kiosk in GUARD.letting_out(_text(host)):
            kiosk.let_out.update(_addresses(found))
        return found

    return look_up


def _addresses(found: Any) -> list[str]:
    """The addresses that a name stands for, as one of the three ways of looking up gives them."""
    if isinstance(found, str):
        return [found]
    if isinstance(found, tuple):
        return list(found[2])
    return [one[4][0] for one in found]


def _reaching(real: Any) -> Any:
    def reach(reaching: Any, *args: Any) -> Any:
        address = args[-1] if args else None  # `sendto` has what is sent before it
        if isinstance(address, tuple) and reaching.family in (socket.AF_INET, socket.AF_INET6):
            GUARD.check(address[0])
        return real(reaching, *args)

    return reach
