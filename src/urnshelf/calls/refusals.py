"""The refusals of one shelf: noted, so that nothing hides them, and counted, so that nothing calls
on for ever.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from urnshelf.calls.wording import plural
from urnshelf.errors import EndlessCalls

if TYPE_CHECKING:
    from urnshelf.calls.target import Target


class Refusals:
    """What was refused, and how often of each method.

    Args:
        limit: so many refusals of one method are enough.
    """

    def __init__(self, limit: int) -> None:
        self._limit = limit
        self._times: dict[Target, int] = {}
        self.noted: list[BaseException] = []
        """Those that nobody expected."""
        self._told = 0

    def note(self, error: BaseException, target: Target) -> None:
        """Remember a refusal.

        Raises:
            EndlessCalls: the method was refused too often: what goes on all the same goes on for
                ever.
        """
        times = self._times[target] = self._times.get(target, 0) + 1
        if times > self._limit:
            often = plural(self._limit, "time")
            raise EndlessCalls(
                f"{target.name} was refused {often}, and is called again: a loop that never ends? "
                f"If it does, allow more: Shelf(refusal_limit={self._limit * 10})\n\n{error}"
            ) from None
        self.noted.append(error)

    @contextmanager
    def expected(self) -> Iterator[None]:
        """Refusals inside this block are wanted: they are forgotten at its end."""
        before, times = len(self.noted), dict(self._times)
        try:
            yield
        finally:
            # only those of the block: one that was hidden before it still fails the test
            del self.noted[before:]
            self._times, self._told = times, min(self._told, before)

    def untold(self) -> list[BaseException]:
        """Those noted since this was last asked."""
        new = self.noted[self._told :]
        self._told = len(self.noted)
        return new
