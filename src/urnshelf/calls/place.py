"""Where in the code under test something happened: found from a frame, told only when asked."""

from __future__ import annotations

import os
import sys
from types import CodeType, FrameType
from typing import NamedTuple

from urnshelf.caches import remembered

_HERE = os.path.dirname(os.path.dirname(os.path.abspath(__file__))) + os.sep
_ABOVE = os.path.dirname(os.path.dirname(_HERE))
_DEMO = os.path.join(_HERE, "demo") + os.sep
# the demo stands for the user's own code, although it is installed with ours
_under_test: list[str] = [_DEMO]

YOURS: set[str] = set()
"""File names of code that is no library's; it grows as files are met, so that fakes can ask it
quickly.
"""
_LIBRARY_FILES: set[str] = set()


class Place(NamedTuple):
    """A line of code; `task` names the asyncio task and its coroutine, where there was one.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> print(ledger_of(shelf)[0].called_from.function)
    <module>
    """

    file: str
    line: int
    function: str
    task: str = ""

    def __str__(self) -> str:
        task = f" ({self.task})" if self.task else ""
        return f"{_short_path(self.file)}:{self.line} in {self.function}{task}"


@remembered
def _libraries() -> tuple[str, ...]:
    """The folders of the standard library and of installed packages."""
    import sysconfig

    # an interpreter may name its folders by a link, and frames name files by what it leads to
    folders = {sysconfig.get_path(p) for p in ("stdlib", "platstdlib", "purelib", "platlib")}
    return tuple(
        sorted(
            {f + os.sep for f in folders | {os.path.realpath(f) for f in folders}},
            key=len,
            reverse=True,
        )
    )


def locate(frame: FrameType) -> tuple[CodeType, int]:
    """The nearest frame that is no library's, as its code and the offset in it; else the frame
    itself.
    """
    at: FrameType | None = frame
    while at is not None:
        if at.f_code.co_filename in YOURS or is_yours(at.f_code.co_filename):
            return at.f_code, at.f_lasti
        at = at.f_back
    return frame.f_code, frame.f_lasti


def is_yours(file: str) -> bool:
    """Whether the file is the user's: neither ours, nor the standard library's, nor an installed
    package's.
    """
    if file in _LIBRARY_FILES:
        return False
    yours = _judge(file)
    (YOURS if yours else _LIBRARY_FILES).add(file)
    return yours


def _judge(file: str) -> bool:
    # of no file are importlib, and what we and libraries have written; other names in angle
    # brackets are code that users made themselves
    if file.startswith(("<frozen", "<urnshelf ", "<sqlalchemy ", "<attrs ")):
        return False
    path = _absolute(file)
    if path.startswith(tuple(_under_test)):
        return True
    return (
        not path.startswith((_HERE, *_libraries())) and f"{os.sep}site-packages{os.sep}" not in path
    )


def _absolute(file: str) -> str:
    try:
        return os.path.abspath(file)
    except OSError:  # the working directory is gone
        return file


@remembered
def put_under_test(module_name: str) -> None:
    """Count the package of this module as the user's, even where it is installed like a library."""
    package = sys.modules.get(module_name.partition(".")[0])
    file = getattr(package, "__file__", None)
    if file is None or file.startswith(_HERE):
        return
    folder = os.path.dirname(os.path.abspath(file)) + os.sep
    is_package = os.path.basename(file).startswith("__init__")
    # a module that is one file must not make all of site-packages the user's
    root = folder if is_package else os.path.abspath(file)
    if root not in _under_test and root not in _libraries():
        _under_test.append(root)
        # what was judged before may be the user's now
        _LIBRARY_FILES.clear()


def place_of(code: CodeType, offset: int, task: str = "") -> Place:
    """The place of an instruction."""
    # two bytes an instruction; a line is looked for only when somebody asks, which few calls see
    line = next((p[0] for i, p in enumerate(code.co_positions()) if i == offset // 2), None)
    return Place(code.co_filename, line or code.co_firstlineno, code.co_qualname, task)


def _short_path(file: str) -> str:
    if file.startswith("<"):
        return file
    for root in (_HERE, *_libraries()):
        if file.startswith(root):
            return os.path.relpath(file, _ABOVE if root is _HERE else root)
    try:
        inside = os.path.relpath(file)
    except (ValueError, OSError):  # on another drive, or in a working directory that is gone
        inside = file
    return inside if not inside.startswith("..") else os.sep.join(file.split(os.sep)[-2:])
