"""JSON Pointer: RFC 6901."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any


def escaped(name: str) -> str:
    """A name as a part of a pointer."""
    return name.replace("~", "~0").replace("/", "~1")


def unescaped(word: str) -> str:
    """The name that a part of a pointer means."""
    return word.replace("~1", "/").replace("~0", "~")  # in this order


def pointed(root: Any, pointer: str) -> Any:
    """What stands at a pointer, the part before its first `/` aside; KeyError where nothing does.

    >>> pointed({"depths": [6.3, {"a/b": 1}]}, "#/depths/1/a~1b")
    1
    """
    found = root
    for word in pointer.split("/")[1:]:
        name = unescaped(word)
        if isinstance(found, Mapping) and name in found:
            found = found[name]
        elif isinstance(found, list) and name.isdigit() and int(name) < len(found):
            found = found[int(name)]
        else:
            raise KeyError(pointer)
    return found
