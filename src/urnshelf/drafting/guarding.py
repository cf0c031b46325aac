"""Keeps a service that is tried out from doing anything outside: what it would have done is refused
and told, and no `except` of its own hides that.
"""

from __future__ import annotations

import asyncio
import io
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from types import FrameType, ModuleType
from typing import Any, NamedTuple

from urnshelf.drafting.noting import NeverEnds

_WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
_REFUSED = {
    "os.remove": "removed a file",
    "os.rename": "renamed a file",
    "os.mkdir": "made a folder",
    "os.rmdir": "removed a folder",
    "os.link": "linked a file",
    "os.symlink": "linked a file",
    "os.truncate": "changed a file",
    "os.chmod": "changed a file",
    "os.chown": "changed a file",
    "os.utime": "changed a file",
    "os.putenv": "changed the environment",
    "os.unsetenv": "changed the environment",
    "os.system": "started a process",
    "os.exec": "started a process",
    "os.fork": "started a process",
    "os.forkpty": "started a process",
    "os.posix_spawn": "started a process",
    "os.spawn": "started a process",
    "os.kill": "sent a signal",
    "subprocess.Popen": "started a process",
    "pty.spawn": "started a process",
    "socket.connect": "opened a connection",
    "socket.bind": "opened a port",
    "socket.sendto": "sent a datagram",
    "socket.sendmsg": "sent a datagram",
    "socket.getaddrinfo": "looked up a host",
    "socket.gethostbyname": "looked up a host",
    "socket.gethostbyaddr": "looked up a host",
    "smtplib.connect": "opened a connection",
    "ftplib.connect": "opened a connection",
    "webbrowser.open": "opened a browser",
    "shutil.rmtree": "removed a folder",
    "shutil.move": "moved a file",
    "tempfile.mkstemp": "made a file",
    "tempfile.mkdtemp": "made a folder",
}
"""What is refused, by the names that Python has for it."""
_SLEEP: Any = time.sleep
_ASYNC_SLEEP: Any = asyncio.sleep
MOST_SECONDS = 5.0
"""How long one run may take."""


class Stopped(NamedTuple):
    """Something that was refused.

    Args:
        what: it would have done.
        file: whose code.
        line: in it.
    """

    what: str
    file: str
    line: int


class Refused(BaseException):
    """What ends the run; the guard remembers it, should the service not let it through."""


class Guard:
    """What is refused while it is on.

    Args:
        is_own: whether a file is the service's.
        modules: those of the service, which may have imported `sleep` by name.
        allows_all: whether nothing is refused.
    """

    def __init__(
        self, is_own: Callable[[str], bool], modules: Sequence[ModuleType], allows_all: bool = False
    ) -> None:
        self._is_own = is_own
        self._modules = modules
        self._allows_all = allows_all
        self.stopped: list[Stopped] = []
        self.slept: dict[str, None] = {}
        """Where sleeping was called: `module:name`."""

    @contextmanager
    def on(self) -> Iterator[None]:
        """Refuse what would reach outside, for a while; sleeping takes no time."""
        global _watching
        _install()
        around, keeps = _watching, sys.dont_write_bytecode
        sys.dont_write_bytecode = True
        with self._sleepless(), _silent(), _not_for_ever():
            _watching = None if self._allows_all else self
            try:
                yield
            finally:
                _watching = around
                sys.dont_write_bytecode = keeps

    def refuse(self, event: str, given: tuple[Any, ...]) -> None:
        """Refuse what Python says that it is about to do, where it is to be refused."""
        what = _what(event, given)
        if what:
            file, line = self._place(sys._getframe(2))
            self.stopped.append(Stopped(what, file, line))
            raise Refused(what)

    def _place(self, frame: FrameType | None) -> tuple[str, int]:
        while frame is not None:
            if self._is_own(frame.f_code.co_filename):
                return frame.f_code.co_filename, frame.f_lineno
            frame = frame.f_back
        return "", 0

    @contextmanager
    def _sleepless(self) -> Iterator[None]:
        def sleep(seconds: float, /) -> None:
            if seconds:
                self._note_sleep("time", sleep)

        async def async_sleep(delay: float, result: Any = None) -> Any:
            if delay:
                self._note_sleep("asyncio", async_sleep)
            await _ASYNC_SLEEP(0)
            return result

        changed = [
            (module, name, value)
            for module in (time, asyncio, *self._modules)
            for name, value in vars(module).items()
            # not where the shelf's own clock stands already
            if value is _SLEEP or value is _ASYNC_SLEEP
        ]
        for module, name, value in changed:
            setattr(module, name, sleep if value is _SLEEP else async_sleep)
        loaded = set(sys.modules)
        try:
            yield
        finally:
            # a module that was loaded meanwhile may have imported ours by name
            for late in [sys.modules[one] for one in sys.modules.keys() - loaded]:
                for name, value in list(getattr(late, "__dict__", {}).items()):
                    if value is sleep or value is async_sleep:
                        changed.append((late, name, _SLEEP if value is sleep else _ASYNC_SLEEP))
            for module, name, value in changed:
                setattr(module, name, value)

    def _note_sleep(self, home: str, function: Any) -> None:
        frame = sys._getframe(2)
        for name, value in frame.f_globals.items():
            if value is function:
                self.slept[f"{frame.f_globals.get('__name__')}:{name}"] = None
                return
        self.slept[f"{home}:sleep"] = None


def _what(event: str, given: tuple[Any, ...]) -> str:
    """What Python is about to do, in words, where it reaches outside; else empty."""
    if event == "open":
        path, mode, flags = (*given, None, None, None)[:3]
        is_writing = any(letter in str(mode or "") for letter in "wax+") or bool(
            (flags or 0) & _WRITING
        )
        if not is_writing or isinstance(path, int) or path == os.devnull:
            return ""
        return f"written the file {os.path.basename(str(path))}"
    if event == "sqlite3.connect":
        return "" if given and given[0] in (":memory:", "") else "opened a database"
    if event == "socket.connect" or event == "socket.getaddrinfo":
        where = given[-1:] if event == "socket.connect" else given[:1]
        return f"{_REFUSED[event]}: {' '.join(map(str, where))}"
    return _REFUSED.get(event, "")


class _Nowhere(io.TextIOBase):
    """Where what a service prints, or logs, goes."""

    def write(self, text: str, /) -> int:
        return len(text)


@contextmanager
def _silent() -> Iterator[None]:
    before = sys.stdout, sys.stderr
    sys.stdout = sys.stderr = _Nowhere()
    try:
        yield
    finally:
        sys.stdout, sys.stderr = before


@contextmanager
def _not_for_ever() -> Iterator[None]:
    """End a run that takes too long, also one that waits for something that never comes."""
    if threading.current_thread() is not threading.main_thread() or not hasattr(
        signal, "setitimer"
    ):
        yield
        return

    def end(*_: object) -> None:
        raise NeverEnds

    before = signal.signal(signal.SIGALRM, end)
    signal.setitimer(signal.ITIMER_REAL, MOST_SECONDS, 0.5)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)


_watching: Guard | None = None
_is_installed = False


def _hook(event: str, given: tuple[Any, ...]) -> None:
    if _watching is not None:
        _watching.refuse(event, given)


def _install() -> None:
    global _is_installed
    if not _is_installed:  # what Python tells of itself it tells for ever
        sys.addaudithook(_hook)
        _is_installed = True
