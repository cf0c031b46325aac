"""How values are shown in messages: short, one line, whatever their size."""

from __future__ import annotations

import reprlib
from collections.abc import Iterator, Mapping
from enum import Enum
from typing import Any, NamedTuple

from urnshelf.records.equality import Matcher, same
from urnshelf.records.matchers import _Holding
from urnshelf.records.shapes import shape_of, values_of


class _Short(reprlib.Repr):
    def __init__(self, width: int) -> None:
        super().__init__()
        self.maxlevel = 4
        self.maxlist = self.maxtuple = self.maxset = self.maxfrozenset = self.maxdeque = self.maxarray = 6
        self.maxdict = 6
        self.maxstring = self.maxother = self.maxlong = width

    def repr1(self, x: Any, level: int) -> str:
        shape = None if isinstance(x, type) else shape_of(type(x))
        if shape is None or level <= 0:
            return super().repr1(x, level)
        return f"{type(x).__name__}({', '.join(self._fields(values_of(x, shape), level))})"

    def _fields(self, values: Mapping[str, Any], level: int) -> Iterator[str]:
        for number, (name, value) in enumerate(values.items()):
            if number == 8:
                yield "…"
                return
            yield f"{name}={self.repr1(value, level - 1)}"

    def repr_instance(self, x: Any, level: int) -> str:  # noqa: ARG002
        if isinstance(x, Enum):
            return f"{type(x).__name__}.{x.name}"
        try:
            text = repr(x)
        except Exception as error:
            return f"<{type(x).__name__}, whose repr raised {type(error).__name__}>"
        if type(x).__module__ == "datetime":
            text = text.replace("datetime.timezone.utc", "UTC").replace("datetime.", "")
        return text if len(text) <= self.maxother else text[: self.maxother - 1] + "…"


def show(value: object, width: int = 100) -> str:
    """The value on one line of at most this many characters.

    >>> show(list(range(10_000)))
    '[0, 1, 2, 3, 4, 5, ...]'
    """
    try:
        text = _Short(width).repr(value).replace("\n", " ")
    except Exception as error:
        text = f"<{type(value).__name__}, which cannot be shown: {type(error).__name__}>"
    return text if len(text) <= width else text[: width - 1] + "…"


class Difference(NamedTuple):
    """One place where a value is not as expected; `path` is empty for the value itself."""

    path: str
    expected: str
    actual: str


def differences(expected: Any, actual: Any, path: str = "", limit: int = 6) -> list[Difference]:
    """Where the two values differ, part by part, at most `limit` places.

    >>> [d.path for d in differences({"a": 1, "b": [1, 2]}, {"a": 1, "b": [1, 3]})]
    ["['b'][1]"]
    """
    return _take(_differing(expected, actual, path, 0), limit)


def _take(found: Iterator[Difference], limit: int) -> list[Difference]:
    return [difference for difference, _ in zip(found, range(limit), strict=False)]


def _differing(expected: Any, actual: Any, path: str, depth: int) -> Iterator[Difference]:
    if same(expected, actual):
        return
    if depth < 5:
        parts = _parts(expected, actual)
        if parts is not None:
            for name, (wanted, found) in parts:
                yield from _differing(wanted, found, path + name, depth + 1)
            return
    yield Difference(path, *_shown_apart(expected, actual))


def _parts(expected: Any, actual: Any) -> list[tuple[str, tuple[Any, Any]]] | None:
    """The named parts of both values, or None when they can only be shown whole."""
    if isinstance(expected, _Holding):
        return [(f".{name}", pair) for name, pair in expected.differing(actual).items()]
    if isinstance(expected, Matcher) or type(expected) is not type(actual):
        return None
    if isinstance(expected, dict):
        keys = list(dict.fromkeys([*expected, *actual]))
        return [(f"[{show(k, 30)}]", (expected.get(k, _NOTHING), actual.get(k, _NOTHING))) for k in keys]
    shape = shape_of(type(expected))
    if shape is not None and shape.compared:
        pairs = [(n, (getattr(expected, n, _NOTHING), getattr(actual, n, _NOTHING))) for n in shape.compared]
        unequal = [(f".{n}", pair) for n, pair in pairs if not same(*pair)]
        return unequal or None
    if isinstance(expected, (list, tuple)) and len(expected) == len(actual):
        return [(f"[{i}]", pair) for i, pair in enumerate(zip(expected, actual, strict=True))]
    return None


def _shown_apart(expected: Any, actual: Any) -> tuple[str, str]:
    """Both values shown so that they look different: with lengths, from the first differing place, or with types."""
    if isinstance(expected, (list, tuple)) and type(expected) is type(actual) and len(expected) != len(actual):
        return f"{len(expected)} items: {show(expected, 80)}", f"{len(actual)} items: {show(actual, 80)}"
    if isinstance(expected, str) and isinstance(actual, str) and max(len(expected), len(actual)) > 90:
        return _around_difference(expected, actual)
    wanted, found = show(expected), show(actual)
    if wanted == found:
        return f"{wanted} ({_type_name(expected)})", f"{found} ({_type_name(actual)})"
    return wanted, found


def _around_difference(expected: str, actual: str) -> tuple[str, str]:
    at = next(
        (i for i, (a, b) in enumerate(zip(expected, actual, strict=False)) if a != b),
        min(len(expected), len(actual)),
    )
    start = max(0, at - 20)
    cut = [text[start : at + 40] for text in (expected, actual)]
    wanted, found = (
        f"{'…' if start else ''}{part!r} (from character {start} of {len(t)})"
        for part, t in zip(cut, (expected, actual), strict=True)
    )
    return wanted, found


def _type_name(value: object) -> str:
    return f"a {type(value).__module__}.{type(value).__qualname__} at {id(value):#x}"


class _Nothing:
    def __repr__(self) -> str:
        return "nothing there"


_NOTHING = _Nothing()
