"""A file of tests: read and written with its own mark and ends of lines, and run by pytest."""

from __future__ import annotations

import ast
import io
import sys
import tokenize
from importlib.util import find_spec
from pathlib import Path

from urnshelf.errors import FileRefused, SettingRefused
from urnshelf.files.whole import unfinished, why


def need_pytest(command: str) -> None:
    """Refuse to go on without pytest.

    Raises:
        SettingRefused: it is not installed.
    """
    if find_spec("pytest") is None:
        raise SettingRefused(f"{command} needs pytest: pip install pytest")


def read_tests(path: Path) -> tuple[str, str]:
    """The mark at a file's front, if it has one, and its text with its own ends of lines.

    Raises:
        FileNotFoundError: there is no such file.
        FileRefused: it cannot be read, is in another coding than UTF-8, or no Python.
    """
    try:
        data = path.read_bytes()
        coding, _ = tokenize.detect_encoding(io.BytesIO(data).readline)
        if coding not in ("utf-8", "utf-8-sig"):
            raise FileRefused(f"{path.name}: it is written in {coding}, and UTF-8 is needed")
        ast.parse(data)
        text = data.decode()
        bare = text.removeprefix("\ufeff")
        return text[: len(text) - len(bare)], bare
    except FileNotFoundError:
        raise
    except (OSError, UnicodeError) as error:
        raise FileRefused(f"{path} cannot be read: {why(error)}") from None
    except SyntaxError as wrong:
        raise FileRefused(
            f"{path.name}, line {wrong.lineno}: it is no Python: {wrong.msg}"
        ) from None


def write_tests(path: Path, text: str) -> None:
    """Write a file, whole or not at all.

    Raises:
        FileRefused: it cannot be written.
    """
    try:
        with unfinished() as files:
            files.part(path).write_bytes(text.encode())
    except OSError as error:
        raise FileRefused(f"{path} cannot be written: {why(error)}") from None


def pytest_words(path: Path, *words: str) -> list[str]:
    """The command that runs a file of tests, in one process."""
    # what is seen is seen in that one
    alone = ["-n0"] if find_spec("xdist") is not None else []
    base = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *alone]
    return [*base, *words, str(path)]
