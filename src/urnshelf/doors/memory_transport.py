"""What stands in the place of asyncio's transport: it leads to a kiosk, and nowhere else."""

from __future__ import annotations

import asyncio
import sys
from collections import deque
from collections.abc import Callable
from typing import Any

from urnshelf.doors.wire import Step, Wire


class MemoryTransport(asyncio.Transport):
    """A transport for clients that work while they wait.

    Args:
        wire: the other side.
        protocol: the client's.
        breaks: tells the protocol how its connection breaks.
    """

    def __init__(self, wire: Wire, protocol: Any, breaks: Callable[[Any, OSError], None]) -> None:
        super().__init__()
        self._wire = wire
        self._protocol = protocol
        self._breaks = breaks
        self._steps: deque[Step] = deque()
        self._is_closing = False
        self._is_due = False

    def write(self, data: Any) -> None:
        """Write; a request that is whole is answered."""
        self._steps += self._wire.feed(bytes(data), sys._getframe(1))
        self._go_on()

    def _go_on(self) -> None:
        """Let the next step come when it is due."""
        if self._steps and not self._is_due:
            self._is_due = True
            asyncio.get_running_loop().call_later(self._steps[0].seconds, self._come)

    def _come(self) -> None:
        self._is_due = False
        if self._is_closing or not self._steps:
            return
        step = self._steps.popleft()
        if step.broken is not None:
            self._is_closing = True
            self._breaks(self._protocol, step.broken)
            return
        if step.data:
            self._protocol.data_received(step.data)
        self._go_on()

    def is_closing(self) -> bool:
        """Whether it was ended."""
        return self._is_closing

    def close(self) -> None:
        """End it."""
        if not self._is_closing:
            self._is_closing = True
            asyncio.get_running_loop().call_soon(self._protocol.connection_lost, None)

    abort = close

    def get_extra_info(self, name: str, default: Any = None) -> Any:
        """There is none."""
        del name
        return default

    def pause_reading(self) -> None:
        """What is left comes all the same: it is here already."""

    def resume_reading(self) -> None:
        """See `pause_reading`."""

    def set_write_buffer_limits(self, high: int | None = None, low: int | None = None) -> None:
        """There is no buffer."""

    def get_write_buffer_size(self) -> int:
        """Nothing waits to be written."""
        return 0
