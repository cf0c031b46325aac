"""Crashes: exceptions that no code raises on purpose."""

from __future__ import annotations

from collections.abc import Iterator
from types import CodeType, TracebackType

from urnshelf.calls.replies import Raising
from urnshelf.drafting.noting import Notes
from urnshelf.drafting.over_http import is_of_a_reply
from urnshelf.drafting.service import Service


def crash(error: BaseException, service: Service) -> tuple[bool, tuple[str, int]]:
    """Whether an exception is one that no code raised on purpose, and where it came from."""
    # our own probes call what the code calls
    frames = [one for one in _frames(error.__traceback__) if one[0].co_filename != _PROBES]
    own = [one for one in frames if service.is_own(one[0].co_filename)]
    if not own:
        return False, ("", 0)
    code, line = own[-1]
    at = (code.co_filename, line)
    if service.raises_at(code.co_filename, line) or _was_arranged(frames):
        return False, at
    if service.clients and is_of_a_reply(error):
        return False, at
    return True, at


_PROBES = Notes.step.__code__.co_filename


def _was_arranged(frames: list[tuple[CodeType, int]]) -> bool:
    """Whether a cue raised it, or the shelf."""
    return frames[-1][0] is Raising.throw.__code__ or (
        "urnshelf" in frames[-1][0].co_filename and "demo" not in frames[-1][0].co_filename
    )


def _frames(trace: TracebackType | None) -> Iterator[tuple[CodeType, int]]:
    while trace is not None:
        yield trace.tb_frame.f_code, trace.tb_lineno
        trace = trace.tb_next
