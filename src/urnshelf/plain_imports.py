"""Our own modules are imported as Python imports any.

pytest rewrites the assertions of every plugin's package, and so finds, reads and checks each of our
modules in code of its own: a tenth of a second in every run that uses us, for assertions that no
test of anybody's is about.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from importlib.abc import MetaPathFinder
from importlib.machinery import ModuleSpec, PathFinder
from types import ModuleType


class PlainImports(MetaPathFinder):
    """Finds what is inside our package, before others that would import it in their own way."""

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> ModuleSpec | None:
        """As Python finds it; None for everything that is not ours."""
        return PathFinder.find_spec(fullname, path, target) if _is_ours(fullname) else None

    def come_first(self) -> None:
        """Be asked before all others."""
        sys.meta_path.insert(0, self)

    def leave(self) -> None:
        """Be asked no more."""
        sys.meta_path.remove(self)


def _is_ours(name: str) -> bool:
    return name.startswith(f"{__package__}.")
