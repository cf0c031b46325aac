"""Waiting in real time: for a while, under any event loop, and until something is true."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from urnshelf.errors import NotInTime, SettingRefused
from urnshelf.records.display import show

if TYPE_CHECKING:
    from urnshelf.calls.desk import Desk

_FIRST_PAUSE = 0.0005
_LONGEST_PAUSE = 0.02


async def slept(seconds: float) -> None:
    """Wait without blocking, under the event loop that runs: asyncio's, or trio's."""
    trio = sys.modules.get("trio")
    if trio is not None and trio.lowlevel.in_trio_run():
        await trio.sleep(seconds)
        return
    from asyncio import sleep

    await sleep(seconds)


def wait_until(condition: Callable[[], object], seconds: float, desk: Desk) -> None:
    """Wait until the condition is true.

    Raises:
        NotInTime: it was not, and time is up.
    """
    for pause in _pauses(condition, seconds, desk):
        time.sleep(pause)


async def wait_until_async(condition: Callable[[], object], seconds: float, desk: Desk) -> None:
    """Likewise, while other tasks run."""
    for pause in _pauses(condition, seconds, desk):
        await slept(pause)


def _pauses(condition: Callable[[], object], seconds: float, desk: Desk) -> Iterator[float]:
    """How long to wait before the next look, until the condition is true."""
    if not callable(condition):
        raise SettingRefused(
            f"wait_until({show(condition, 60)}): give a function, which is asked again and again: "
            "wait_until(lambda: tally(m) == 1)"
        )
    if isinstance(seconds, bool) or not isinstance(seconds, (int, float)) or not 0 <= seconds < 1e9:
        raise SettingRefused(f"seconds={seconds!r}: a number from 0 is needed")
    end, pause = time.monotonic() + seconds, _FIRST_PAUSE
    desk.last_look = None
    while not condition():
        left = end - time.monotonic()
        if left <= 0:
            look = "" if desk.last_look is None else f": {desk.last_look}"
            raise NotInTime(f"not true after {seconds:g} seconds{look}")
        yield min(pause, left)
        pause = min(pause * 2, _LONGEST_PAUSE)
