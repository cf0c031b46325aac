"""The headers of a request or a reply: names without regard to case, and one may come again."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from urnshelf.errors import ReplyRefused
from urnshelf.records.display import show

Pairs = tuple[tuple[str, str], ...]
_TOKEN = frozenset("!#$%&'*+-.^_`|~0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ")
"""What a name may be made of: RFC 9110, section 5.6.2."""


class Headers(Mapping[str, str]):
    """Headers by name, whatever the case of its letters; values of one that came again are joined
    by commas, as RFC 9110 has it.

    Args:
        pairs: name and value, in order.

    >>> headers = Headers([("Accept", "text/csv"), ("accept", "text/html")])
    >>> headers["ACCEPT"], headers.pairs[0]
    ('text/csv, text/html', ('Accept', 'text/csv'))
    """

    __slots__ = ("_values", "pairs")

    def __init__(self, pairs: Iterable[tuple[str, str]] = ()) -> None:
        self.pairs: Pairs = tuple(pairs)
        """Name and value, as they came."""
        self._values: dict[str, list[str]] = {}
        for name, value in self.pairs:
            self._values.setdefault(name.lower(), []).append(value)

    def __getitem__(self, name: str) -> str:
        return ", ".join(self._values[name.lower()])

    def all(self, name: str) -> list[str]:
        """Every value of one name, apart.

        >>> Headers([("Set-Cookie", "a=1"), ("Set-Cookie", "b=2")]).all("set-cookie")
        ['a=1', 'b=2']
        """
        return list(self._values.get(name.lower(), ()))

    def __contains__(self, name: object) -> bool:
        return isinstance(name, str) and name.lower() in self._values

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def __repr__(self) -> str:
        return repr({name: self[name] for name in self})


def header_pairs(given: Any) -> Pairs:
    """What a user gives as headers: a mapping, whose values may be lists, or pairs.

    Raises:
        ReplyRefused: a name or a value that no header can have.
    """
    pairs = given.items() if isinstance(given, Mapping) else given
    found: list[tuple[str, str]] = []
    for name, value in pairs:
        several = value if isinstance(value, (list, tuple)) else [value]
        found += [(str(name), str(one)) for one in several]
    for name, text in found:
        if not name or not set(name) <= _TOKEN:
            raise ReplyRefused(f"headers: {show(name, 40)} is no name of a header")
        # a line of its own would be another header, or the body
        if any((ord(mark) < 32 and mark != "\t") or ord(mark) == 127 for mark in text):
            raise ReplyRefused(f"headers: {name}: {show(text, 60)} holds a control character")
        try:
            text.encode("latin-1")
        except UnicodeEncodeError:
            raise ReplyRefused(
                f"headers: {name}: {show(text, 60)} holds letters that no header can carry; "
                "write them percent-encoded"
            ) from None
    return tuple(found)
