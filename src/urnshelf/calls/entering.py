"""The reply of a method that promises a context manager."""

from __future__ import annotations

import time
from typing import Any

from urnshelf.calls.ledger import LiveCall
from urnshelf.calls.replies import Raising
from urnshelf.records.display import show


class Entered:
    """A fresh context manager for each call, entering which gives the value."""

    def __init__(self, value: Any, manner: str) -> None:
        self.items = [value]
        self._manager = _AsyncManager if manner == "async" else _Manager

    def give(self, call: LiveCall, turn: int) -> Any:  # noqa: ARG002
        """A manager that was not entered yet."""
        return self._manager(self.items[0], 0.0)

    def give_after(self, delay: float, call: LiveCall) -> Any:  # noqa: ARG002
        """One that waits before it is entered."""
        return self._manager(self.items[0], delay)

    def __repr__(self) -> str:
        return f"enters({show(self.items[0], 60)})"


class _Manager:
    """Gives its value where it is entered; what the body raises reaches the caller."""

    def __init__(self, value: Any, delay: float) -> None:
        self._value = value
        self._delay = delay

    def __enter__(self) -> Any:
        if self._delay:
            time.sleep(self._delay)
        return self._value.throw() if type(self._value) is Raising else self._value

    def __exit__(self, *of_the_body: object) -> None:
        return None


class _AsyncManager:
    """Likewise, in `async with`."""

    def __init__(self, value: Any, delay: float) -> None:
        self._value = value
        self._delay = delay

    async def __aenter__(self) -> Any:
        if self._delay:
            from urnshelf.calls.waiting import slept  # few wait

            await slept(self._delay)
        return self._value.throw() if type(self._value) is Raising else self._value

    async def __aexit__(self, *of_the_body: object) -> None:
        return None
