"""The calls of a shelf: what is expected of them, waiting for them, and leaving."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from types import TracebackType
from typing import Any, Self

from urnshelf.calls.cue import Cue
from urnshelf.calls.desk import Desk
from urnshelf.calls.wording import unknown_attribute


class Watched:
    """What a shelf does with the calls of its fakes."""

    _desk: Desk
    _is_told_by_a_runner = False
    """Whether a runner's report tells what was caught; else the error that ends the test does."""

    def unused_cues(self) -> list[Cue[..., Any]]:
        """The cues that answered no call, in the order they were set; `hidden_by` tells of a newer
        cue in the way.

        >>> _ = cue(shelf.fake(PilotPager).page, 9, whatever).gives(None)
        >>> shelf.unused_cues()
        [cue(PilotPager.page, 9, whatever).gives(None)]
        """
        return [cue for cue in self._desk.cues if not cue.used]

    def refusals_expected(self) -> AbstractContextManager[None]:
        """A block in which refusals are what the test is about; they do not fail it.

        >>> with Shelf() as shelf, shelf.refusals_expected():
        ...     try:
        ...         shelf.fake(TideService).depth_at("Ternhythe", NOON)
        ...     except UnansweredCall as refusal:
        ...         print(str(refusal).splitlines()[0])
        TideService.depth_at(harbour='Ternhythe', at=datetime(2030, 6, 1, 12, 0,...
        """
        return self._desk.refusals.expected()

    def forget_calls(self) -> None:
        """From now on, what was called before counts no more: while arranging, or by an earlier
        test on a shelf that several tests share. Cues and records stay.

        >>> pilots = shelf.fake(PilotPager)
        >>> pilots.page(7, "Gray Heron")
        >>> shelf.forget_calls()
        >>> tally(pilots.page) == 0
        True
        """
        self._desk.forget_calls()

    def wait_until(self, condition: Callable[[], object], seconds: float = 2.0) -> None:
        """Wait, in real time, until something is true that a background thread does.

        Args:
            condition: asked again and again.
            seconds: how long at most; 0 or more.

        Raises:
            NotInTime: it was not true in time; with the explanation of the tally that it asked.

        >>> from threading import Timer
        >>> pilots = shelf.fake(PilotPager)
        >>> Timer(0.01, lambda: pilots.page(7, "Gray Heron")).start()
        >>> shelf.wait_until(lambda: tally(pilots.page) == 1)
        """
        from urnshelf.calls.waiting import wait_until

        wait_until(condition, seconds, self._desk)

    async def wait_until_async(self, condition: Callable[[], object], seconds: float = 2.0) -> None:
        """Likewise, for what another task does; under asyncio or trio.

        Args:
            condition: asked again and again.
            seconds: how long at most; 0 or more.

        Raises:
            NotInTime: it was not true in time; with the explanation of the tally that it asked.

        >>> import asyncio
        >>> async def paged_later(pilots):
        ...     asyncio.get_running_loop().call_later(0.01, pilots.page, 7, "Gray Heron")
        ...     await shelf.wait_until_async(lambda: tally(pilots.page) == 1)
        >>> asyncio.run(paged_later(shelf.fake(PilotPager)))
        """
        from urnshelf.calls.waiting import wait_until_async

        await wait_until_async(condition, seconds, self._desk)

    def close(self) -> None:
        """Leave the shelf; raises RefusalHidden for a refusal that was caught, CueRefused for a cue
        without a reply.

        >>> _ = cue(shelf.fake(TideService).depth_at)
        >>> shelf.close()
        Traceback (most recent call last):
            ...
        urnshelf.errors.CueRefused: cue(TideService.depth_at) was given no reply: end...
        """
        self._undo()
        self._desk.check_out()

    _undo: Callable[[], None]
    """Leaves what was real as it was."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._undo()
        unknown = unknown_attribute(error)
        if unknown:
            # only an error can have an attribute that is unknown
            error.add_note(unknown)  # type: ignore[union-attr]
        if error is not None and not self._is_told_by_a_runner:
            for refusal in self._desk.refusals.noted[:2]:
                if refusal is not error and str(refusal) not in str(error):
                    error.add_note(f"caught by the code under test: {refusal}")
        self._desk.check_out(error)
