"""What is not to be read, by its name: replaced where traffic is written or read, and counted."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from typing import Any

from urnshelf.kept_file import MASK, is_secret

_IN_ADDRESS = re.compile(r"([?&#])([\w.-]+)=([^&#\s>\"]*)")
"""A parameter of an address."""
_HEADERS = ("cookie", "set-cookie")


class Masks:
    """Masks secrets, and notes which.

    Args:
        is_masked: tells by a name whether it is that of a secret.
    """

    def __init__(self, is_masked: Callable[[str], bool] = is_secret) -> None:
        self._is_masked = is_masked
        self._found: Counter[str] = Counter()

    def told(self) -> list[str]:
        """What was masked, in words."""
        return [f"{what} masked, {count} ×" for what, count in sorted(self._found.items())]

    def _mask(self, what: str) -> str:
        self._found[what] += 1
        return MASK

    def data(self, data: Any, what: str = "field") -> Any:
        """JSON data, with secrets masked."""
        if isinstance(data, Mapping):
            return {
                n: self._mask(f"{what} {n}") if self._is_masked(str(n)) else self.data(one, what)
                for n, one in data.items()
            }
        return [self.data(one, what) for one in data] if isinstance(data, list) else data

    def header(self, name: str, value: str) -> str:
        """The value of a header."""
        if self._is_masked(name) or (self._is_masked is is_secret and name.lower() in _HEADERS):
            return self._mask(f"header {name.lower()}")
        return self.address(value)

    def address(self, text: str) -> str:
        """A text that may hold an address, with the secrets among its parameters masked."""

        def masked(found: re.Match[str]) -> str:
            is_told = self._is_masked(found[2])
            return (
                f"{found[1]}{found[2]}={self._mask(f'query {found[2]}')}" if is_told else found[0]
            )

        return _IN_ADDRESS.sub(masked, text)


def unmasked() -> Masks:
    """Masks nothing."""
    return Masks(lambda _: False)
