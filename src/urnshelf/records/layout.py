"""Lines of code, broken where they are too long, as the usual formatters break them."""

from __future__ import annotations

import textwrap
import tokenize
from collections.abc import Iterator
from io import StringIO

_OPEN, _CLOSE = "([{", ")]}"
_STEP = "    "


def broken(line: str, width: int) -> list[str]:
    """A line of code as one or several that are no longer than that, where it can be broken.

    Args:
        line: with what it is indented by.
        width: the most characters.

    >>> broken("    total = added(first, second)", 24)
    ['    total = added(', '        first, second', '    )']
    """
    if len(line) <= width:
        return [line]
    indent = line[: len(line) - len(line.lstrip())]
    if line.lstrip().startswith("#"):
        return textwrap.wrap(
            line.strip(), width, initial_indent=indent, subsequent_indent=f"{indent}# "
        )
    parts = _last_brackets(line)
    if parts is None:
        return [line]
    head, body, tail = parts
    inner = indent + _STEP
    if line.lstrip().startswith("assert ") and tail.rstrip()[-1:] != tail:
        return _compared(line, indent, width)
    items = _items(body)
    is_import = line.lstrip().startswith("from ")
    whole = inner + body
    is_lone = line.lstrip().startswith("def ") and len(items) == 1
    if len(whole) <= width and not is_import and not is_lone and items:
        return [head, whole, indent + tail]
    lines = [head]
    for item in items:
        lines += broken(f"{inner}{item},", width)
    return [*lines, indent + tail]


def _compared(line: str, indent: str, width: int) -> list[str]:
    """An assertion whose comparison does not end in brackets: it gets some."""
    inner = indent + _STEP
    code = line.lstrip().removeprefix("assert ")
    if len(inner + code) <= width:
        return [f"{indent}assert (", inner + code, f"{indent})"]
    left, sign, right = _sides(code)
    if not sign:
        return [line]
    return [
        f"{indent}assert (",
        *broken(inner + left, width),
        f"{inner}{sign} {right}",
        f"{indent})",
    ]


def _sides(code: str) -> tuple[str, str, str]:
    for sign in ("==", "is"):
        left, found, right = code.rpartition(f" {sign} ")
        if found:
            return left, sign, right
    return code, "", ""


def _last_brackets(line: str) -> tuple[str, str, str] | None:
    """The last brackets of a line that hold something, with what stands before and after."""
    if line.lstrip().startswith("from ") and " import " in line:
        front, names = line.split(" import ", 1)
        return f"{front} import (", names, ")"
    stack: list[int] = []
    found: tuple[int, int] | None = None
    for position, letter in _operators(line):
        if letter in _OPEN:
            stack.append(position)
        elif letter in _CLOSE and stack:
            start = stack.pop()
            # of those that are not inside others, the last
            if not stack and position - start > 1:
                found = start, position
    if found is None:
        return None
    start, end = found
    return line[: start + 1], line[start + 1 : end], line[end:]


def _items(body: str) -> list[str]:
    """What commas part."""
    depth, items, begin = 0, [], 0
    for position, letter in _operators(body):
        depth += (letter in _OPEN) - (letter in _CLOSE)
        if letter == "," and depth == 0:
            items.append(body[begin:position].strip())
            begin = position + 1
    last = body[begin:].strip()
    return [*items, last] if last else items


def _operators(line: str) -> Iterator[tuple[int, str]]:
    """The operators of a line, and where they stand; those in texts are none."""
    shift = len(line) - len(line.lstrip())
    reader = StringIO(line.lstrip() + "\n").readline
    try:
        for token in tokenize.generate_tokens(reader):
            if token.type == tokenize.OP:
                yield token.start[1] + shift, token.string
    except (tokenize.TokenError, IndentationError, SyntaxError):
        return


def laid_out(text: str, width: int) -> str:
    """A text with its long lines broken.

    Args:
        text: of code, a statement on each line.
        width: the most characters of a line.
    """
    lines: list[str] = []
    in_text = False
    for line in text.split("\n"):
        if line.count('"""') == 1:
            in_text = not in_text
            lines.append(line)
            continue
        lines += [line] if in_text else broken(line, width)
    return "\n".join(lines)
