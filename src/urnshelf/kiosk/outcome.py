"""What comes of a request: a response, or how the connection breaks."""

from __future__ import annotations

from typing import NamedTuple

from urnshelf.kiosk.response import Response


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
