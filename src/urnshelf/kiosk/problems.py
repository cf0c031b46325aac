"""Problem details: what went wrong with a request, as RFC 9457 writes it."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from urnshelf.kiosk.response import Response, response

TYPE = "application/problem+json"


class Problem(Exception):
    """A request that a service refuses; `response` tells why.

    Args:
        status: 400 to 599.
        detail: in words.
        more: further members.
    """

    def __init__(self, status: int, detail: str, **more: Any) -> None:
        super().__init__(detail)
        self.response = problem(status, detail, **more)


def problem(status: int, detail: str, **more: Any) -> Response:
    """A reply that tells what went wrong.

    Args:
        status: 400 to 599.
        detail: in words.
        more: further members.

    >>> problem(404, "no Berth has id=99").body.decode()
    '{"title": "Not Found", "status": 404, "detail": "no Berth has id=99"}'
    """
    told = {"title": HTTPStatus(status).phrase, "status": status, "detail": detail, **more}
    return response(status, json=told, content_type=TYPE)
