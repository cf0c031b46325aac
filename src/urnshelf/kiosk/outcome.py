"""What comes of a request: a response, or how the connection breaks."""

from __future__ import annotations

import errno
import os
from typing import NamedTuple

from urnshelf.kiosk.response import Response

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def worded(broken: OSError) -> OSError:
    """An error of the network, with the number and the words that the system gives it."""
    kind = type(broken)
    if broken.args or kind not in _NUMBERS:
        return broken
    return kind(_NUMBERS[kind], os.strerror(_NUMBERS[kind]))


_NUMBERS: dict[type[OSError], int] = {
    BrokenPipeError: errno.EPIPE,
    ConnectionAbortedError: errno.ECONNABORTED,
    ConnectionRefusedError: errno.ECONNREFUSED,
    ConnectionResetError: errno.ECONNRESET,
    TimeoutError: errno.ETIMEDOUT,
}


class Answer(NamedTuple):
    """What comes of a request, and how long it is to be waited for.

    Attributes:
        response: None where the connection breaks instead.
        error: how it breaks.
        waits: in seconds.
    """

    response: Response | None
    error: OSError | None
    waits: float
