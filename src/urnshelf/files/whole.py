"""Files that appear whole or not at all: written under another name, and renamed at the end.

An error, Ctrl-C or SIGTERM leaves the old files as they were, and nothing else.
"""

from __future__ import annotations

import os
import secrets
import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from types import FrameType

from urnshelf.errors import FileRefused


class Unfinished:
    """Files that are being written, and take their places together."""

    def __init__(self) -> None:
        self._parts: dict[Path, Path] = {}

    def part(self, path: Path, *, is_private: bool = False) -> Path:
        """Where to write what will be at a path: a name in the same folder that nobody has.

        Args:
            path: of the file.
            is_private: whether only its owner may read it: it holds what was recorded.
        """
        if path.is_dir():
            raise FileRefused(f"{path.name} is a directory, and a file is to be written there")
        part = path.with_name(f".{path.name[:40]}-{secrets.token_hex(8)}")
        # noted before it is there, so that no signal comes between
        self._parts[path] = part
        os.close(
            os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600 if is_private else 0o666)
        )
        return part

    def finish(self) -> None:
        """Put all of them in their places."""
        with undisturbed():
            for path, part in self._parts.items():
                part.replace(path)
            self._parts.clear()

    def give_up(self) -> None:
        """Take away what was written."""
        with undisturbed():
            for part in self._parts.values():
                with suppress(OSError):
                    part.unlink(missing_ok=True)
            self._parts.clear()


@contextmanager
def unfinished() -> Iterator[Unfinished]:
    """A block that writes files: at its end they take their places, an error leaves the old ones.

    >>> from tempfile import mkdtemp
    >>> path = Path(mkdtemp()) / "berths.txt"
    >>> with unfinished() as files:
    ...     _ = files.part(path).write_text("B-01")
    ...     path.exists()
    False
    >>> path.read_text()
    'B-01'
    """
    files = Unfinished()
    with _terminated_by_an_error():
        try:
            yield files
            files.finish()
        finally:
            files.give_up()


@contextmanager
def _terminated_by_an_error() -> Iterator[None]:
    """Where nobody else handles SIGTERM, it ends the process by an error, so that what is
    unfinished is taken away.
    """
    is_main = threading.current_thread() is threading.main_thread()
    if not is_main or signal.getsignal(signal.SIGTERM) is not signal.SIG_DFL:
        yield
        return
    signal.signal(signal.SIGTERM, _terminate)
    try:
        yield
    finally:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)


def _terminate(number: int, frame: FrameType | None) -> None:  # noqa: ARG001
    raise SystemExit(128 + number)


@contextmanager
def undisturbed() -> Iterator[None]:
    """A few renames that no signal comes between: it waits until they are done."""
    # elsewhere than in the main thread Python handles no signal
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    with _waiting(signal.SIGINT), _waiting(signal.SIGTERM):
        yield


@contextmanager
def _waiting(number: signal.Signals) -> Iterator[None]:
    came: list[int] = []
    before = signal.signal(number, lambda one, _frame: came.append(one))
    try:
        yield
    finally:
        signal.signal(number, before)
        if came:
            signal.raise_signal(number)


def why(error: OSError | UnicodeError) -> str:
    """What a message says of a file that cannot be written or read."""
    if isinstance(error, UnicodeEncodeError):
        half = error.object[error.start : error.end]
        around = error.object[max(0, error.start - 12) : error.end + 12]
        return f"{half[0]!r} is half of a character, which no text in UTF-8 can hold, in {around!r}"
    text = getattr(error, "strerror", None) or str(error)
    # Arrow tells the system's own words at the end of its
    return text.rpartition("] ")[2] if "[errno " in text else text
