"""Types by the words that name them in files and on the command line: `package.module:Name`."""

from __future__ import annotations

import importlib
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.near_names import nearest

__tracebackhide__ = True  # a failing test shows its own lines, not ours


def load_type(words: str) -> Any:
    """The type that `package.module:Name` names; raises RecordRefused, saying what is wrong."""
    module_name, colon, name = words.partition(":")
    if not colon or not module_name or not name:
        raise RecordRefused(
            f"{words!r}: a type is named as MODULE:NAME, for example urnshelf.demo.harbour:Vessel"
        )
    try:
        found: Any = importlib.import_module(module_name)
    except ImportError as why:
        raise RecordRefused(f"{words!r}: the module cannot be imported: {why}") from None
    for word in name.split("."):
        if not hasattr(found, word):
            hint = nearest(word, [one for one in dir(found) if not one.startswith("_")])
            raise RecordRefused(f"{words!r}: {module_name} has no {name}; {hint}")
        found = getattr(found, word)
    return found
