"""Regular expressions of others, matched in bounded time.

Python's engine backtracks: `^(a+)+$` takes 2ⁿ steps for n letters that do not match, and a running
match cannot be stopped. So the steps are estimated first, from the parsed expression and the length
of the text. Few steps: Python's engine. Many: RE2, which needs time in proportion to the text (Russ
Cox, "Regular Expression Matching Can Be Simple And Fast", 2007). RE2 has neither look-around nor
back-references; a look-ahead that stands first is matched on its own.
"""

from __future__ import annotations

import math
import re
import sys
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from importlib import import_module
from importlib.util import find_spec
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.errors import RecordRefused
from urnshelf.urn.expressions import compiled, python_syntax

MOST_STEPS = 1_000_000
"""More steps than these are not taken by a backtracking engine: about a twentieth of a second."""
SHORT = 100
"""A pattern that is too much work for texts of this length is refused when it is read."""
_RE2_REPEATS = 1000
"""RE2 refuses a repeat with a larger bound; a longer one is written as several."""
_RE2_MEMORY = 64 << 20
Parsed = Any
"""What the standard library's parser makes of an expression: operations and their arguments."""


class BoundedPattern:
    """A regular expression that is matched in bounded time.

    Args:
        text: the expression, as Python or ECMA-262 has it.

    Raises:
        RecordRefused: it is no regular expression.

    >>> BoundedPattern("^(a+)+$").is_in("a" * 40 + "!")
    False
    """

    def __init__(self, text: str) -> None:
        self.text = text
        self._compiled = compiled(text)
        self._parsed: Parsed = _parser().parse(python_syntax(text))
        self._flags = self._compiled.flags
        self._backtracks_up_to = self._longest()

    def is_in(self, text: str) -> bool:
        """Whether the expression matches somewhere in a text.

        Raises:
            RecordRefused: deciding it would take too long.
        """
        if len(text) <= self._backtracks_up_to or not has_re2():
            return self._compiled.search(text) is not None
        return all(part.decides(text) for part in self._linear_parts(len(text)))

    def groups_of(self, text: str) -> tuple[str, ...] | None:
        """What the groups take of a text that the expression matches as a whole; None for another.

        Raises:
            RecordRefused: deciding it would take too long.
        """
        if len(text) <= self._backtracks_up_to or not has_re2():
            match: Any = self._compiled.fullmatch(text)
            return None if match is None else match.groups()
        (part,) = self._linear_parts(len(text))
        # RE2 works in UTF-8, which cannot hold half characters: another letter stands for one
        halves = dict.fromkeys(letter for letter in text if "\ud800" <= letter <= "\udfff")
        others = (chr(code) for code in range(0xE000, 0xF8FF) if chr(code) not in text)
        stand_ins = dict(zip(halves, others, strict=False))
        for half, other in stand_ins.items():
            text = text.replace(half, other)
        match = part.engine.fullmatch(text)
        if match is None:
            return None
        groups = list(match.groups())
        for half, other in stand_ins.items():
            groups = [group and group.replace(other, half) for group in groups]
        return tuple(groups)

    def steps(self, length: int) -> float:
        """At most so many steps does a backtracking engine take for a text of this length."""
        starts = 1 if _is_anchored(self._parsed) else length + 1
        return starts * _work(self._parsed, length).steps

    def _longest(self) -> int:
        """The length up to which a text is left to the engine that backtracks, to the next bit."""
        length = 0
        for bit in reversed(range(21)):
            if self.steps(length | 1 << bit) <= MOST_STEPS:
                length |= 1 << bit
        return length

    def why_refused(self) -> str:
        """Why the expression cannot be matched in bounded time; empty where it can."""
        if self._backtracks_up_to >= SHORT:
            return ""
        if not has_re2():
            return (
                f"the pattern {self.text!r} may take too long, and the engine of linear time that "
                "can run it, google-re2, is not installed: pip install 'urnshelf[http]'"
            )
        try:
            self._linear_parts(SHORT)
        except RecordRefused as why:
            return str(why)
        return ""

    def _linear_parts(self, length: int) -> list[_LinearPart]:
        if isinstance(self._linear, str):
            raise RecordRefused(
                f"the pattern {self.text!r} may take too long on a text of {length} letters, and "
                f"an engine of linear time cannot run it, because it has {self._linear}: write it "
                f"without that{self._or_shorter()}"
            )
        return self._linear

    def _or_shorter(self) -> str:
        most = self._backtracks_up_to
        return f", or give maxLength: {most} beside it" if most >= SHORT else ""

    @cached_property
    def _linear(self) -> list[_LinearPart] | str:
        """The expression for RE2, in parts that must all agree; or what RE2 has not."""
        parts: list[_LinearPart] = []
        try:
            items, conditions = _leading_conditions(list(self._parsed))
            for is_wanted, condition in conditions:
                text = _Translation(self._flags).whole([_AT_START, *condition])
                parts.append(_LinearPart(text, is_wanted))
            parts.append(_LinearPart(_Translation(self._flags).whole(items), True))
        except _NotInRe2 as lacking:
            return str(lacking)
        return parts


@remembered
def bounded_pattern(text: str) -> BoundedPattern:
    """The expression, read once; raises RecordRefused for what is none."""
    return BoundedPattern(text)


def is_in(pattern: str, text: str) -> bool:
    """Whether an expression matches somewhere in a text, decided in bounded time.

    >>> is_in("^[a-z]+(-[a-z]+)*$", "gray-heron")
    True
    """
    return bounded_pattern(pattern).is_in(text)


def has_re2() -> bool:
    """Whether the engine of linear time is installed."""
    return find_spec("re2") is not None


@remembered
def _parser() -> Any:
    return import_module("re._parser")  # what `re` itself compiles from


# --- how much work a backtracking engine may have ------------------------------------------------


class _Work(NamedTuple):
    """An upper bound of what an expression costs from one place of a text on.

    Args:
        ways: in so many ways it matches there, each of which may be tried.
        steps: of the engine, for all of them.
        fewest: the letters that it takes at least.
    """

    ways: float
    steps: float
    fewest: int


def _work(items: Iterable[Any], length: int) -> _Work:
    """Of expressions one after the other: each is tried anew for each way of those before it."""
    ways, steps, fewest = 1.0, 1.0, 0
    for operation, arguments in items:
        part = _WORK.get(str(operation), _of_one_letter)(arguments, length)
        steps += ways * part.steps
        ways *= part.ways
        fewest += part.fewest
    return _Work(ways, steps, fewest)


def _of_one_letter(_arguments: Any, _length: int) -> _Work:
    return _Work(1, 1, 1)


def _of_a_place(_arguments: Any, _length: int) -> _Work:
    return _Work(1, 1, 0)


def _of_branches(arguments: Any, length: int) -> _Work:
    parts = [_work(branch, length) for branch in arguments[1]]
    ways, steps = sum(one.ways for one in parts), sum(one.steps for one in parts)
    return _Work(ways, steps, min(one.fewest for one in parts))


def _of_repeat(arguments: Any, length: int) -> _Work:
    low, high, inner = arguments
    part = _work(inner, length)
    most = int(min(high, length // max(1, part.fewest)))
    counts = most - low + 1 if most >= low else 1
    if part.ways <= 1:
        return _Work(counts, (most + 1) * part.steps, low * part.fewest)
    try:
        ways = part.ways ** (most + 1)
    except OverflowError:
        ways = math.inf
    return _Work(ways, ways * part.steps, low * part.fewest)


def _of_condition(arguments: Any, length: int) -> _Work:
    return _Work(1, _work(arguments[1], length).steps, 0)


def _of_atomic(arguments: Any, length: int) -> _Work:
    part = _work(arguments, length)
    return _Work(1, part.steps, part.fewest)


def _of_possessive(arguments: Any, length: int) -> _Work:
    part = _of_repeat(arguments, length)
    return _Work(1, part.steps, part.fewest)


def _of_reference(_arguments: Any, length: int) -> _Work:
    return _Work(1, length + 1, 0)


def _of_choice_by_group(arguments: Any, length: int) -> _Work:
    parts = [_work(one or [], length) for one in arguments[1:]]
    return _Work(max(one.ways for one in parts), sum(one.steps for one in parts), 0)


_WORK: dict[str, Callable[[Any, int], _Work]] = {
    "AT": _of_a_place,
    "BRANCH": _of_branches,
    "SUBPATTERN": lambda arguments, length: _work(arguments[3], length),
    "MAX_REPEAT": _of_repeat,
    "MIN_REPEAT": _of_repeat,
    "POSSESSIVE_REPEAT": _of_possessive,
    "ATOMIC_GROUP": _of_atomic,
    "ASSERT": _of_condition,
    "ASSERT_NOT": _of_condition,
    "GROUPREF": _of_reference,
    "GROUPREF_EXISTS": _of_choice_by_group,
}
"""By the parser's operation; every other one takes one letter."""


def _is_anchored(items: Any) -> bool:
    """Whether an expression matches at the beginning of a text only."""
    for operation, arguments in items:
        name = str(operation)
        if name == "AT":
            return str(arguments) in ("AT_BEGINNING", "AT_BEGINNING_STRING")
        if name == "SUBPATTERN":
            return _is_anchored(arguments[3])
        if name == "BRANCH":
            return all(map(_is_anchored, arguments[1]))
        if name not in ("ASSERT", "ASSERT_NOT"):
            return False
    return False


# --- the same expression for RE2 -----------------------------------------------------------------


class _LinearPart:
    """An expression that RE2 runs.

    Args:
        text: as RE2 has it.
        is_wanted: whether it must match, or must not.
    """

    def __init__(self, text: str, is_wanted: bool) -> None:
        re2: Any = import_module("re2")
        options = re2.Options()
        options.max_mem, options.log_errors = _RE2_MEMORY, False
        try:
            self.engine = re2.compile(text, options)
        except re2.error as why:
            said = why.args[0] if why.args else why
            said = said.decode() if isinstance(said, bytes) else said
            raise _NotInRe2(f"more than RE2 takes ({said})") from None
        self._is_wanted = is_wanted
        self._ends = r"\z" in text

    def decides(self, text: str) -> bool:
        """Whether it says so of a text, too."""
        # half characters cannot be written in UTF-8, in which RE2 works
        plain = text.encode("utf-8", "surrogatepass").decode("utf-8", "replace")
        is_in = self.engine.search(plain) is not None
        if not is_in and self._ends and plain.endswith("\n"):
            # to Python `$` is the end, and before a line end that stands last
            is_in = self.engine.search(plain[:-1]) is not None
        return is_in is self._is_wanted


class _NotInRe2(Exception):
    """What an expression has and RE2 has not."""


_AT_START = ("AT", "AT_BEGINNING_STRING")


def _leading_conditions(items: list[Any]) -> tuple[list[Any], list[tuple[bool, list[Any]]]]:
    """The look-aheads that stand behind a leading `^`, and the expression without them."""
    if not items or str(items[0][0]) != "AT" or not _is_anchored(items):
        return items, []
    rest, conditions = items[1:], []
    while rest and str(rest[0][0]) in ("ASSERT", "ASSERT_NOT") and rest[0][1][0] > 0:
        operation, (_, condition) = rest.pop(0)
        conditions.append((str(operation) == "ASSERT", list(condition)))
    return [items[0], *rest], conditions


class _Translation:
    """Writes a parsed expression as RE2 has it, with the meaning that it has in Python.

    Args:
        flags: of the expression.
    """

    def __init__(self, flags: int) -> None:
        self._flags = flags

    def whole(self, items: list[Any]) -> str:
        """The expression; raises _NotInRe2."""
        return self._sequence(items)

    def _sequence(self, items: Iterable[Any]) -> str:
        texts: list[str] = []
        is_over = False
        for operation, arguments in items:
            name = str(operation)
            if is_over and name != "AT":
                raise _NotInRe2("something behind its end")
            write = getattr(self, f"_{name.lower()}", None)
            if write is None:
                raise _NotInRe2(_LACKING.get(name, name.lower()))
            texts.append(write(arguments))
            is_over = is_over or texts[-1] == r"\z"
        return "".join(texts)

    def _literal(self, code: int) -> str:
        return self._cased(_letter(code))

    def _not_literal(self, code: int) -> str:
        return self._cased(f"[^{_letter(code)}]")

    def _any(self, _nothing: Any) -> str:
        return "(?s:.)" if self._flags & re.DOTALL else r"[^\n]"

    def _in(self, members: list[Any]) -> str:
        is_negated = str(members[0][0]) == "NEGATE"
        spans = "".join(
            f"{_letter(low)}-{_letter(high)}"
            for operation, what in members[is_negated:]
            for low, high in self._ranges(str(operation), what)
        )
        return self._cased(f"[{'^' if is_negated else ''}{spans}]")

    def _ranges(self, operation: str, what: Any) -> Iterable[tuple[int, int]]:
        if operation == "LITERAL":
            return [(what, what)]
        if operation == "RANGE":
            return [what]
        return _ranges_of(str(what), bool(self._flags & re.ASCII))

    def _branch(self, arguments: Any) -> str:
        return f"(?:{'|'.join(map(self._sequence, arguments[1]))})"

    def _subpattern(self, arguments: Any) -> str:
        group, added, removed, inner = arguments
        within = _Translation((self._flags | added) & ~removed)
        return f"({'' if group is not None else '?:'}{within.whole(inner)})"

    def _max_repeat(self, arguments: Any) -> str:
        low, high, inner = arguments
        part = f"(?:{self._sequence(inner)})"
        if high > sys.maxunicode:  # the parser's word for no limit
            return "".join(_counted(part, low, low)) + f"{part}*"
        return "".join(_counted(part, low, high))

    _min_repeat = _max_repeat  # lazy or not, the same texts match

    def _at(self, where: Any) -> str:
        name = str(where)
        is_by_line = bool(self._flags & re.MULTILINE)
        if name == "AT_BEGINNING" and is_by_line:
            return "(?m:^)"
        if name == "AT_END" and is_by_line:
            return "(?m:$)"
        if name not in _PLACES:
            raise _NotInRe2(name.lower())
        return _PLACES[name]

    def _cased(self, text: str) -> str:
        return f"(?i:{text})" if self._flags & re.IGNORECASE else text


_PLACES = {
    "AT_BEGINNING": r"\A", "AT_BEGINNING_STRING": r"\A", "AT_END": r"\z", "AT_END_STRING": r"\z",
    "AT_BOUNDARY": r"\b", "AT_NON_BOUNDARY": r"\B",
}  # fmt: skip
_LACKING = {
    "ASSERT": "a look-ahead or look-behind in its middle",
    "ASSERT_NOT": "a negative look-ahead or look-behind in its middle",
    "GROUPREF": "a back-reference",
    "GROUPREF_EXISTS": "a condition by group",
    "ATOMIC_GROUP": "an atomic group",
    "POSSESSIVE_REPEAT": "a possessive repeat",
}


def _letter(code: int) -> str:
    return rf"\x{{{code:x}}}"


def _counted(part: str, low: int, high: int) -> Iterator[str]:
    """A repeat with bounds, in pieces that RE2 takes."""
    while high > _RE2_REPEATS:
        piece = min(low, _RE2_REPEATS)
        yield f"{part}{{{piece},{_RE2_REPEATS}}}"
        low, high = low - piece, high - _RE2_REPEATS
    if high:
        yield f"{part}{{{low},{high}}}"


_IS_OF: dict[str, Callable[[str], bool]] = {
    "CATEGORY_DIGIT": str.isdecimal,
    "CATEGORY_SPACE": str.isspace,
    "CATEGORY_WORD": lambda letter: letter.isalnum() or letter == "_",
}


@remembered
def _ranges_of(category: str, is_ascii: bool) -> list[tuple[int, int]]:
    """The letters of a class such as `\\w`, as Python has it."""
    plain = category.replace("_NOT_", "_")
    wanted, is_of = plain == category, _IS_OF[plain]
    found: list[tuple[int, int]] = []
    for code in range(sys.maxunicode + 1):
        is_member = (code < 128 or not is_ascii) and is_of(chr(code))
        if is_member is not wanted:
            continue
        if found and found[-1][1] == code - 1:
            found[-1] = (found[-1][0], code)
        else:
            found.append((code, code))
    return found
