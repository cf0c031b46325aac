"""While there is a kiosk, no other host than this machine is reached: a test that meets a real one
does so by accident.

What Python's own sockets do is guarded, and so are requests to a proxy, which would reach others in
their place. UNIX sockets, child processes, and code that opens sockets itself are not.
"""

from __future__ import annotations

import _socket
import contextlib
import ipaddress
import os
import re
import socket
import ssl
import subprocess
import sys
import threading
import urllib.request
from collections.abc import Callable, Iterator
from multiprocessing.process import BaseProcess
from typing import Any, cast
from urllib.parse import urlsplit
from weakref import WeakSet

from urnshelf.errors import HostRefused
from urnshelf.kiosk.core import KioskCore

_INTERNET = (socket.AF_INET, socket.AF_INET6)
_TO_A_PROXY = re.compile(
    rb"(?:CONNECT |[A-Z]{3,20} [a-z][a-z0-9+.-]{0,20}://(?:[^\s/?#@]{0,500}@)?)"
    rb"(?P<host>\[[0-9a-fA-F:.%]+\]|[^\s/?#:\[\]]+)(?::[0-9]{1,5})?(?:[/?#][^\s]*)? HTTP/1\.[01]"
)
"""What a client writes to a proxy first: RFC 9112, sections 3.2.2 (absolute-form) and 3.2.3."""
_LONGEST_LINE = 16_384
_LONGEST_OF_SOCKS = 600


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
        self.served: set[int] = set()
        """The ports at which kiosks are served: what is sent there stays here."""

    def begin(self, kiosk: KioskCore) -> None:
        with self._lock:
            self._kiosks.add(kiosk)
            if not self._is_up:
                self._is_up = True
                _swap_sockets(self._undo)
                _swap_proxies(self._undo)
                _swap_children(self._undo)

    def end(self, kiosk: KioskCore) -> None:
        with self._lock:
            self._kiosks.discard(kiosk)
            if self._is_up and not self._kiosks:
                self._is_up = False
                self._undo.close()

    @property
    def is_open(self) -> bool:
        """Whether this thread may reach real hosts."""
        return OPEN.is_so or not self._kiosks

    def letting_out(self, host: str) -> list[KioskCore]:
        """The kiosks that let this host be reached."""
        return [kiosk for kiosk in list(self._kiosks) if host in kiosk.let_out]

    def check(self, host: object, by_way_of: str = "") -> None:
        """Raise HostRefused for a host that is neither this machine nor let out to; the tests are
        told, whoever catches it.

        Args:
            host: its name or address.
            by_way_of: the proxy that is asked for it.
        """
        name = _text(host)
        if self.is_open or _is_this_machine(host) or self.letting_out(name):
            return
        kiosks = list(self._kiosks)
        urls = dict.fromkeys(url for kiosk in kiosks for url in kiosk.hosts)
        through = f", which {by_way_of} would be asked for" if by_way_of else ""
        without = "Give the client no proxy. " if by_way_of else ""
        self._refuse(
            name,
            f"{name}{through} is no host that a kiosk stands in for, and a test reaches no real one"
            f"\n  there are   {', '.join(urls) or 'none'}\n"
            f'{without}To answer it: shelf.kiosk("…").stands_in_for("https://{name}"), or to let '
            f'it be reached: shelf.kiosk("{kiosks[0].name}").lets_out("{name}")',
        )

    def check_proxy(self, address: tuple[Any, ...]) -> None:
        """Raise HostRefused for the address of a proxy that the environment names: to reach it is
        to reach any host.
        """
        if self.is_open or address[1] in self.served or self.letting_out(_text(address[0])):
            return
        for scheme, url in _proxies_of_the_environment().items():
            if _is_at(url, address):
                kiosk = next(iter(self._kiosks)).name
                at = f"{_text(address[0])}:{address[1]}"
                self._refuse(
                    at,
                    f"{at} is the proxy that the environment names for {scheme!r}, and while there "
                    "is a kiosk no proxy is used: it would reach real hosts\nMake the client after "
                    "the kiosk, so that it finds no proxy in the environment; or to let the proxy "
                    f'be reached: shelf.kiosk("{kiosk}").lets_out("{_text(address[0])}")',
                )

    def _refuse(self, name: str, text: str) -> None:
        error = HostRefused(text)
        for desk in {id(kiosk._desk): kiosk._desk for kiosk in list(self._kiosks)}.values():
            # a loop that tries for ever is ended, as one of refused calls is
            desk.refusals.note(error, cast(Any, _Host(name)))
        raise error

    def note_child(self, program: str) -> None:
        """A child process was started: what it reaches nobody here sees."""
        if not self.is_open:
            for kiosk in list(self._kiosks):
                kiosk.children.append(program)


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


# --- which host is this machine -------------------------------------------------------------------


def is_loopback(host: str) -> bool:
    """Whether a name or an address is that by which a machine calls itself."""
    if host == "localhost" or host.endswith(".localhost"):
        return True
    return _is_address(host) and _address(host).is_loopback


def _is_this_machine(host: object) -> bool:
    if host is None or isinstance(host, int):
        return True
    name = _text(host).lower().rstrip(".")
    if name in ("", "0.0.0.0", "::") or is_loopback(name):
        return True
    # servers, mail and messages ask for the machine's own name
    own = socket.gethostname().lower()
    return name in (own, own.partition(".")[0]) or (_is_address(name) and _is_own_address(name))


def _is_own_address(address: str) -> bool:
    """Whether one of this machine's interfaces has an address: to itself it goes by itself. No
    packet is sent: a datagram socket that is connected only looks up the way.
    """
    family = socket.AF_INET6 if ":" in address else socket.AF_INET
    way = _socket.socket(family, socket.SOCK_DGRAM)
    try:
        way.connect((address, 9))
        own: str = way.getsockname()[0]
        return own == address.partition("%")[0]
    except OSError:
        return False
    finally:
        way.close()


def _is_address(host: str) -> bool:
    try:
        _address(host)
    except ValueError:
        return False
    return True


def _address(host: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address:
    found = ipaddress.ip_address(host.partition("%")[0])
    return getattr(found, "ipv4_mapped", None) or found


def _text(host: object) -> str:
    return (
        bytes(host).decode("ascii", "replace")
        if isinstance(host, (bytes, bytearray))
        else str(host)
    )


# --- sockets --------------------------------------------------------------------------------------


def _swap_sockets(undo: contextlib.ExitStack) -> None:
    for name in ("getaddrinfo", "gethostbyname", "gethostbyname_ex"):
        swap(undo, socket, name, _looking_up)
    for name in ("gethostbyaddr", "getfqdn"):
        swap(undo, socket, name, _naming)
    swap(undo, socket, "getnameinfo", _naming_address)
    for name in ("connect", "connect_ex", "sendto"):
        swap(undo, socket.socket, name, _reaching)
    swap(undo, socket.socket, "sendmsg", _sending_parts)
    for holder, name in (
        (socket.socket, "send"),
        (socket.socket, "sendall"),
        (ssl.SSLSocket, "send"),
    ):
        swap(undo, holder, name, _sending)
    swap(undo, ssl.SSLObject, "write", _writing)


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


def _naming(real: Any) -> Any:
    def name_of(host: Any = "", *rest: Any) -> Any:
        GUARD.check(host)
        return real(host, *rest) if host != "" else real()

    return name_of


def _naming_address(real: Any) -> Any:
    def name_of(address: Any, flags: int) -> Any:
        if not flags & socket.NI_NUMERICHOST and isinstance(address, tuple) and address:
            GUARD.check(address[0])
        return real(address, flags)

    return name_of


def _reaching(real: Any) -> Any:
    def reach(reaching: Any, *args: Any) -> Any:
        address = args[-1] if args else None  # `sendto` has what is sent before it
        _check_address(reaching, address)
        return real(reaching, *args)

    return reach


def _check_address(reaching: Any, address: Any) -> None:
    if isinstance(address, tuple) and len(address) > 1 and reaching.family in _INTERNET:
        GUARD.check(address[0])
        GUARD.check_proxy(address)


def _sending_parts(real: Any) -> Any:
    def send_parts(sending: Any, buffers: Any, *rest: Any) -> Any:
        parts = list(buffers)
        if len(rest) > 2:
            _check_address(sending, rest[2])
        _check_line(
            sending, b"".join(bytes(memoryview(part)[:_LONGEST_LINE]) for part in parts[:8])
        )
        return real(sending, parts, *rest)

    return send_parts


def _sending(real: Any) -> Any:
    def send(sending: Any, data: Any, *rest: Any) -> Any:
        _check_line(sending, data)
        return real(sending, data, *rest)

    return send


def _writing(real: Any) -> Any:
    def write(writing: Any, data: Any) -> Any:
        _check_line(None, data)
        return real(writing, data)

    return write


def _check_line(sending: Any, data: Any) -> None:
    """Refuse what asks a proxy on this machine for another host."""
    written = memoryview(data).cast("B")
    first = bytes(written[:1])
    if b"A" <= first <= b"Z":
        match = _TO_A_PROXY.match(bytes(written[:_LONGEST_LINE]))
        host = None if match is None else match["host"].strip(b"[]").decode("ascii", "replace")
    elif first in (b"\4", b"\5") and len(written) <= _LONGEST_OF_SOCKS:
        host = _host_of_socks(bytes(written))
    else:
        return
    if host is not None and (sending is None or _leads_elsewhere(sending)):
        GUARD.check(host, "a proxy")


def _host_of_socks(data: bytes) -> str | None:
    """The host that a SOCKS proxy is asked for: RFC 1928, section 4, and its older form, in which a
    name stands behind the user's.
    """
    if data[:1] == b"\5" and data[2:3] == b"\0" and len(data) > 4:
        size, begin = {1: 4, 4: 16}.get(data[3], data[4] + 1), 4
        if len(data) != begin + size + 2 or data[3] not in (1, 3, 4):
            return None
        if data[3] == 3:
            return data[5 : 5 + data[4]].decode("ascii", "replace")
        return str(ipaddress.ip_address(data[begin : begin + size]))
    if data[:2] in (b"\4\1", b"\4\2") and len(data) > 8 and data[-1:] == b"\0":
        name = data[8:-1].partition(b"\0")[2]
        is_by_name = data[4:7] == b"\0\0\0" and name != b""
        return (
            name.decode("ascii", "replace") if is_by_name else str(ipaddress.ip_address(data[4:8]))
        )
    return None


def _leads_elsewhere(sending: Any) -> bool:
    """Whether a socket is connected, and to something else than a kiosk."""
    if sending.family not in _INTERNET:
        return False
    try:
        return sending.getpeername()[1] not in GUARD.served
    except OSError:
        return False


# --- proxies of the environment -------------------------------------------------------------------

_READERS = ("getproxies", "getproxies_environment")
_REAL_READERS = [getattr(urllib.request, name) for name in _READERS]


def _proxies_of_the_environment() -> dict[str, str]:
    return {scheme: url for scheme, url in _REAL_READERS[0]().items() if scheme != "no"}


class _Readers:
    """Who has taken a reader of the proxies by its name: each module is looked at once."""

    def __init__(self) -> None:
        self._seen: set[int] = set()
        self._holders: list[tuple[Any, str]] = [(urllib.request, name) for name in _READERS]

    def holders(self) -> list[tuple[Any, str]]:
        """Modules, and the name that they gave it."""
        modules = {id(module): module for module in list(sys.modules.values())}
        for identity in modules.keys() - self._seen:
            module = modules[identity]
            held = getattr(module, "__dict__", {})
            self._holders += [
                (module, name)
                for name in _READERS
                if module is not urllib.request
                and any(held.get(name) is reader for reader in _REAL_READERS)
            ]
        self._seen = set(modules)
        return self._holders


_READERS_OF_ALL = _Readers()


def _swap_proxies(undo: contextlib.ExitStack) -> None:
    """Whoever has taken the reader by its name gets ours, too: clients ask it when they are made,
    or with each request.
    """
    for module, name in _READERS_OF_ALL.holders():
        swap(undo, module, name, _no_proxies)
    swap(undo, urllib.request.Request, "set_proxy", _going_by_proxy)


def _no_proxies(real: Any) -> Any:
    def getproxies() -> dict[str, str]:
        # a module that is imported meanwhile keeps this function when the kiosk is gone
        found: dict[str, str] = real() if GUARD.is_open else {}
        return found

    return getproxies


def _going_by_proxy(real: Any) -> Any:
    def set_proxy(request: Any, host: str, scheme: str) -> None:
        # an opener that was made before the kiosk has read the environment already; where it would
        # open the request anew, by the proxy's scheme, the proxy itself is refused
        goes_on = request.type in (scheme, "https")
        if not GUARD.is_open and goes_on and _is_of_the_environment(f"{scheme}://{host}"):
            return
        real(request, host, scheme)

    return set_proxy


def _is_of_the_environment(url: str) -> bool:
    at = urlsplit(url)
    return any(
        _is_at(one, (at.hostname, at.port)) for one in _proxies_of_the_environment().values()
    )


def _is_at(url: str, address: tuple[Any, ...]) -> bool:
    """Whether a proxy listens at an address."""
    try:
        parts = urlsplit(url if "://" in url else f"//{url}")
        port = parts.port or _PORTS.get(parts.scheme, 80)
    except ValueError:
        return False
    host, asked = (parts.hostname or "").lower(), _text(address[0]).lower()
    return port == address[1] and (host == asked or (is_loopback(host) and is_loopback(asked)))


_PORTS = {"http": 80, "https": 443, "socks4": 1080, "socks5": 1080, "socks5h": 1080}


# --- child processes ------------------------------------------------------------------------------


class _Starting(threading.local):
    is_so = False


_STARTING = _Starting()
"""Whether a child is being started: that by way of two functions is noted once."""


def _swap_children(undo: contextlib.ExitStack) -> None:
    swap(undo, subprocess.Popen, "__init__", lambda real: _starting(real, _program_of_popen))
    swap(
        undo, BaseProcess, "start", lambda real: _starting(real, lambda process: repr(process.name))
    )
    for name in ("system", "posix_spawn", "posix_spawnp", "fork"):
        if hasattr(os, name):
            swap(undo, os, name, lambda real: _starting(real, _program_of_os))


def _starting(real: Any, program: Callable[..., str]) -> Any:
    def start(*args: Any, **named: Any) -> Any:
        if _STARTING.is_so:
            return real(*args, **named)
        GUARD.note_child(program(*args, **named))
        _STARTING.is_so = True
        try:
            return real(*args, **named)
        finally:
            _STARTING.is_so = False

    return start


def _program_of_popen(_popen: object, args: Any = "", *_rest: Any, **_named: Any) -> str:
    return _program(args)


def _program_of_os(command: Any = "a copy of this process", *_rest: Any, **_named: Any) -> str:
    return _program(command)


def _program(command: Any) -> str:
    """The program of a command, without its arguments: there may be secrets among them."""
    if isinstance(command, (list, tuple)):
        command = command[0] if command else ""
    text = os.fsdecode(command) if isinstance(command, (str, bytes, os.PathLike)) else repr(command)
    is_whole = isinstance(command, os.PathLike) or text == "a copy of this process"
    return text if is_whole else os.path.basename(text.split(" ")[0])
