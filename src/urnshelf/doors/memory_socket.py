"""What stands in the place of a connected socket: it leads to a kiosk, and nowhere else."""

from __future__ import annotations

import io
import socket
import ssl
import sys
import time
from collections import deque
from typing import Any

from urnshelf.doors.wire import Step, Wire

NOT_REACHED = (ConnectionRefusedError, socket.gaierror, ssl.SSLError)


class MemorySocket:
    """A socket for clients that wait for each reply.

    Args:
        wire: the other side.
        timeout: how long the client waits, in seconds; None for ever.
    """

    def __init__(self, wire: Wire, timeout: float | None) -> None:
        self._wire = wire
        self._steps: deque[Step] = deque()
        self._left = b""
        self._timeout = timeout
        # clients ask the system whether a connection that they keep is still there
        self._pair = socket.socketpair()

    def sendall(self, data: Any) -> None:
        """Write; a request that is whole is answered at once."""
        for step in self._wire.feed(bytes(data), sys._getframe(1)):
            # whoever is not reached at all is so before anything was read
            if isinstance(step.broken, NOT_REACHED) and not self._steps:
                raise step.broken
            self._steps.append(step)

    def send(self, data: Any) -> int:
        """Write all."""
        self.sendall(data)
        return len(bytes(data))

    def recv(self, size: int, flags: int = 0) -> bytes:
        """Read, as it comes. What comes later than the client waits is said at once."""
        del flags
        while not self._left and self._steps:
            step = self._steps.popleft()
            if self._timeout is not None and step.seconds > self._timeout:
                raise TimeoutError("timed out")
            time.sleep(step.seconds)
            if step.broken is not None:
                raise step.broken
            self._left = step.data
        taken, self._left = self._left[:size], self._left[size:]
        return taken

    def recv_into(self, buffer: Any, size: int = 0, flags: int = 0) -> int:
        """Read into a buffer."""
        data = self.recv(size or len(buffer), flags)
        buffer[: len(data)] = data
        return len(data)

    def makefile(self, mode: str = "r", *_args: Any, **_named: Any) -> Any:
        """A file to read from."""
        assert "r" in mode
        return io.BufferedReader(_Reading(self))

    def settimeout(self, seconds: float | None) -> None:
        """How long to wait."""
        self._timeout = seconds

    def gettimeout(self) -> float | None:
        """How long it waits."""
        return self._timeout

    def setsockopt(self, *_args: Any) -> None:
        """There is nothing to set."""

    def shutdown(self, _how: int) -> None:
        """There is nothing to end."""

    def getpeercert(self, binary_form: bool = False) -> Any:
        """There is no certificate."""
        return b"" if binary_form else {}

    def fileno(self) -> int:
        """Of something on which nothing comes."""
        return self._pair[0].fileno()

    def close(self) -> None:
        """End it."""
        for one in self._pair:
            one.close()

    def __del__(self) -> None:
        self.close()  # nothing is lost where a client leaves that to the collector


class _Reading(io.RawIOBase):
    def __init__(self, connected: MemorySocket) -> None:
        self._connected = connected

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        return self._connected.recv_into(buffer)
