"""How values are shown in messages: short, one line, whatever their size."""

from __future__ import annotations

import re
import reprlib
from collections.abc import Iterable, Iterator
from enum import Enum
from itertools import islice
from typing import Any, NamedTuple

from urnshelf.records.description import Description
from urnshelf.records.equality import Matcher, same
from urnshelf.records.recognising import describe
from urnshelf.records.sa_statements import is_statement, sql_of, where_parts

_ADDRESS = re.compile(r" at 0x[0-9a-fA-F]+")


class _Short(reprlib.Repr):
    def __init__(self, width: int) -> None:
        super().__init__()
        self.maxlevel = 4
        self.maxlist = self.maxtuple = self.maxset = self.maxfrozenset = self.maxdeque = (
            self.maxarray
        ) = 6
        self.maxdict = 6
        self.maxstring = self.maxother = self.maxlong = width

    def repr1(self, x: object, level: int) -> str:
        description = None if isinstance(x, type) else describe(type(x))
        if description is None or level <= 0:
            return super().repr1(x, level)
        return f"{type(x).__name__}({', '.join(self._fields(x, description, level))})"

    def _fields(self, record: object, description: Description, level: int) -> Iterator[str]:
        values = description.values(record)
        shown = [(name, value) for name, value in values.items() if name not in description.hidden]
        for name, value in shown[:8]:
            yield f"{name}={self.repr1(value, level - 1)}"
        if len(shown) > 8:
            yield "…"

    def repr_dict(self, x: dict[Any, Any], level: int) -> str:
        # reprlib would sort the keys; their own order says more
        if level <= 0:
            return "{...}"
        items = list(islice(x.items(), self.maxdict))
        pairs = [f"{self.repr1(k, level - 1)}: {self.repr1(v, level - 1)}" for k, v in items]
        return f"{{{', '.join([*pairs, '...'] if len(x) > self.maxdict else pairs)}}}"

    def repr_int(self, x: int, level: int) -> str:
        try:
            return super().repr_int(x, level)
        except ValueError:  # Python shows no number of more than some thousand digits
            return f"<an int of {x.bit_length():,} bits>"

    def _without_repr(self, x: object, level: int) -> str:
        """Its class, and what it holds; where it is in memory tells nobody anything."""
        held = getattr(x, "__dict__", {})
        public = [(name, value) for name, value in held.items() if not name.startswith("_")]
        if not public or level <= 1:
            return f"<{type(x).__name__}>"
        shown = [f"{name}={self.repr1(value, level - 1)}" for name, value in public[:4]]
        return f"<{type(x).__name__} {', '.join([*shown, '…'] if len(public) > 4 else shown)}>"

    def repr_instance(self, x: object, level: int) -> str:
        if isinstance(x, Enum):
            return f"{type(x).__name__}.{x.name}"
        if is_statement(type(x)):
            return sql_of(x)
        if type(x).__repr__ is object.__repr__:
            return self._without_repr(x, level)
        try:
            # somebody else's code: it may raise anything
            text = _ADDRESS.sub("", repr(x))
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


def show_argument(value: object) -> str:
    """The value of an argument, in a call with others; of a statement the conditions stand at its
    end.
    """
    return show(value, 200 if is_statement(type(value)) else 60)


class Difference(NamedTuple):
    """One part in which a value is not as expected; `path` is empty for the value itself."""

    path: str
    expected: str
    actual: str


Named = list[tuple[str, tuple[Any, Any]]]


def differences(
    expected: object, actual: object, path: str = "", limit: int = 6
) -> list[Difference]:
    """Where the two values differ, part by part, at most `limit` of them.

    >>> [d.path for d in differences({"a": 1, "b": [1, 2]}, {"a": 1, "b": [1, 3]})]
    ["['b'][1]"]
    """
    found = _differing(expected, actual, path, 0)
    return [difference for difference, _ in zip(found, range(limit), strict=False)]


def _differing(expected: object, actual: object, path: str, depth: int) -> Iterator[Difference]:
    if same(expected, actual):
        return
    # deeper paths no reader follows
    parts = _parts(expected, actual) if depth < 5 else None
    if parts is None:
        yield Difference(path, *_shown_apart(expected, actual))
        return
    for name, (wanted, found) in parts:
        yield from _differing(wanted, found, path + name, depth + 1)


class PartWise(Matcher):
    """A matcher of named parts, which can tell which of them differ."""

    __slots__ = ()

    def differing(self, value: object) -> dict[str, tuple[Any, Any]]:
        """The parts that are not as wanted: name → (wanted, found)."""
        raise NotImplementedError


def _parts(expected: Any, actual: Any) -> Named | None:
    """The named parts of both values, or None when they can only be shown whole."""
    if isinstance(expected, PartWise):
        return [(f".{name}", pair) for name, pair in expected.differing(actual).items()]
    if isinstance(expected, Matcher) or type(expected) is not type(actual):
        return None
    if is_statement(type(expected)):
        return _unlike_clauses(expected, actual)
    if isinstance(expected, dict):
        keys = list(dict.fromkeys([*expected, *actual]))
        pairs = ((key, (expected.get(key, _NOTHING), actual.get(key, _NOTHING))) for key in keys)
        return [(f"[{show(key, 30)}]", pair) for key, pair in pairs]
    description = describe(type(expected))
    if description is not None and description.compared:
        return _unequal_fields(description, expected, actual) or None
    if isinstance(expected, (list, tuple)) and len(expected) == len(actual):
        return [(f"[{i}]", pair) for i, pair in enumerate(zip(expected, actual, strict=True))]
    if isinstance(expected, BaseException) and expected.args != actual.args:
        return [(".args", (expected.args, actual.args))]
    return None


def _unlike_clauses(expected: object, actual: object) -> Named | None:
    """The conditions in which two statements differ; None where something else does."""
    wanted, found = where_parts(expected), where_parts(actual)
    return [
        (f" WHERE {name}", (_words(wanted.get(name)), _words(found.get(name))))
        for name in dict.fromkeys([*wanted, *found])
        if wanted.get(name) != found.get(name)
    ] or None


def _words(text: str | None) -> Any:
    return _NO_CONDITION if text is None else Words(text)


def _unequal_fields(description: Description, expected: object, actual: object) -> Named:
    pairs = [
        (name, (description.fetch(expected, name), description.fetch(actual, name)))
        for name in description.compared
    ]
    unequal = [(name, pair) for name, pair in pairs if not same(*pair)]
    hidden = description.hidden
    return [(f".{name}", (_HIDDEN, _OTHER) if name in hidden else pair) for name, pair in unequal]


def _shown_apart(expected: object, actual: object) -> tuple[str, str]:
    """Both values shown so that they look different: what is missing, the first that differs, or
    the types.
    """
    if isinstance(expected, (list, tuple)) and type(expected) is type(actual):
        return _first_differing(expected, actual)
    if isinstance(expected, (set, frozenset)) and isinstance(actual, (set, frozenset)):
        return _missing_and_extra(expected, actual)
    if (
        isinstance(expected, str)
        and isinstance(actual, str)
        and max(len(expected), len(actual)) > 90
    ):
        return _around_difference(expected, actual)
    wanted, found = show(expected), show(actual)
    raised = expected.why_not(actual) if isinstance(expected, Matcher) else ""
    if raised:
        return f"{wanted}, which raised {raised}", found
    # unlike, yet they look alike: then the types tell them apart
    if wanted == found:
        return _told_apart(wanted, expected, actual)
    return wanted, found


def _told_apart(shown: str, expected: object, actual: object) -> tuple[str, str]:
    """Two values that look alike: their types tell them apart, or that they are two objects."""
    one, other = _type_name(expected), _type_name(actual)
    if one == other and type(expected).__eq__ is object.__eq__:
        return shown, f"another {shown}: {type(expected).__name__} has no equality of its own"
    return f"{shown} ({one})", f"{shown} ({'another one' if one == other else other})"


def _first_differing(expected: Any, actual: Any) -> tuple[str, str]:
    """Two sequences, most often of different lengths."""
    shorter = min(len(expected), len(actual))
    at = next((i for i in range(shorter) if not same(expected[i], actual[i])), shorter)
    wanted, found = (_at_place(items, at) for items in (expected, actual))
    return wanted, found


def _at_place(items: Any, at: int) -> str:
    if len(items) <= 6 and at < 6:
        return f"{len(items)} items: {show(items, 80)}"
    found = f"[{at}] is {show(items[at], 50)}" if at < len(items) else f"it ends before [{at}]"
    return f"{len(items)} items, {found}"


def _missing_and_extra(expected: Any, actual: Any) -> tuple[str, str]:
    missing, extra = expected - actual, actual - expected
    if not missing and not extra:  # True and 1
        return f"{show(expected)} ({_kinds(expected)})", f"{show(actual)} ({_kinds(actual)})"
    lacks = f"; missing are {_members(missing)}" if missing else ""
    has_more = f"; extra are {_members(extra)}" if extra else ""
    return f"{len(expected)} members{lacks}", f"{len(actual)} members{has_more}"


def _kinds(members: Iterable[Any]) -> str:
    return ", ".join(sorted({type(member).__name__ for member in members}))


def _members(members: Iterable[Any]) -> str:
    try:
        ordered = sorted(members)
    except TypeError:
        ordered = sorted(members, key=repr)
    more = ", …" if len(ordered) > 5 else ""
    return ", ".join(show(member, 40) for member in ordered[:5]) + more


def _around_difference(expected: str, actual: str) -> tuple[str, str]:
    pairs = enumerate(zip(expected, actual, strict=False))
    at = next((i for i, (a, b) in pairs if a != b), min(len(expected), len(actual)))
    start = max(0, at - 20)
    cut = [text[start : at + 40] for text in (expected, actual)]
    wanted, found = (
        f"{'…' if start else ''}{part!r} (from character {start} of {len(t)})"
        for part, t in zip(cut, (expected, actual), strict=True)
    )
    return wanted, found


def _type_name(value: object) -> str:
    return f"a {type(value).__module__}.{type(value).__qualname__}"


class Words:
    """Stands for a value, and is shown as these words."""

    def __init__(self, words: str) -> None:
        self._words = words

    def __repr__(self) -> str:
        return self._words


_NOTHING = Words("nothing there")
_HIDDEN = Words("a value that is not shown")
_OTHER = Words("another one")
_NO_CONDITION = Words("no such condition")
