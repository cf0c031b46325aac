"""Waiting for a reply without a socket, as long as a client would."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from urnshelf.calls.replies import Raising
from urnshelf.doors.asgi import broken_by
from urnshelf.kiosk.outcome import Answer
from urnshelf.kiosk.response import Part, Pause


class TooSlow(TimeoutError):
    """A reply, or a part of one, that comes later than the client waits."""


class Waited(NamedTuple):
    """One step of a reply: how long to wait for it, and then its bytes."""

    seconds: float
    body: bytes


def wait_for(answer: Answer, patience: float | None) -> float:
    """How long to wait for a reply's beginning.

    Args:
        answer: what came of a request.
        patience: how long the client waits, in seconds; None for ever.

    Raises:
        OSError: how the connection breaks. Where the client would give up it is said at once: the
            test need not wait for what it knows.
    """
    if patience is not None and answer.waits > patience:
        raise TooSlow(f"the reply takes {answer.waits:g} s, the client waits {patience:g} s")
    return answer.waits


def body_of(parts: tuple[Part, ...], patience: float | None) -> Iterator[Waited]:
    """The steps in which a body comes.

    Raises:
        OSError: as for `wait_for`, when it comes to that part.
    """
    waits = 0.0
    for part in parts:
        if isinstance(part, Pause):
            waits += part.seconds
            if patience is not None and waits > patience:
                raise TooSlow(f"the body pauses {waits:g} s, the client waits {patience:g} s")
        elif isinstance(part, Raising):
            raise broken_by(part)
        else:
            yield Waited(waits, part)
            waits = 0.0
