"""Numbers of which one is at most, or at least, another: the least and the greatest, a part and the
whole, a later reading.
"""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from urnshelf.urn.amounts import PARTS, readings
from urnshelf.urn.mixing import Bits
from urnshelf.urn.number_names import UNITS, range_of
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.following import Formula
from urnshelf.urn.rules.later import After
from urnshelf.urn.shares import Share
from urnshelf.urn.siblings import Siblings, numbers_of, plain

_LEAST = {
    "min": "max", "minimum": "maximum", "lowest": "highest", "low": "high", "least": "greatest",
    "lower": "upper", "from": "to", "first": "last", "net": "gross", "smallest": "largest",
}  # fmt: skip
_MOST = {most: least for least, most in _LEAST.items()}
_TAKEN = frozenset("sold booked taken used occupied reserved filled spent consumed".split())
_LEFT = frozenset("free available left remaining vacant".split())
_ALL = frozenset("total max maximum all overall".split())
_WHOLES = (
    "capacity", "total", "size", "limit", "max", "maximum", "places", "seats", "quantity", "stock",
    "on_hand", "in_stock",
)  # fmt: skip


def pair_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a number that another one limits; None where none does.

    Args:
        name: of the field.
        form: its type.
        siblings: all fields of the record.
    """
    numbers = numbers_of(siblings)
    found = _bound(name, form, numbers) or _part(name, form, numbers) or _air(name, form, numbers)
    if found is not None:
        return found
    for now, then in readings(numbers):
        if now == name:
            return _later(then, form, 40, 900)
    return None


def _later(earlier: str, form: Any, low: int, high: int, decimals: int = 0) -> Rule:
    return After((earlier,), low, high, form, decimals=decimals)


def _without(name: str, words: dict[str, str]) -> list[tuple[str, tuple[str, ...]]]:
    """A bound's word, and the words that are left."""
    parts = plain(name).split("_")
    return [
        (word, tuple(parts[:at] + parts[at + 1 :]))
        for at, word in enumerate(parts)
        if word in words
    ]


def _bound(name: str, form: Any, numbers: Siblings) -> Rule | None:
    by_words = {tuple(plain(one).split("_")): one for one in numbers if one != name}
    for words, is_most in ((_LEAST, False), (_MOST, True)):
        for word, rest in _without(name, words):
            middle = by_words.get(rest)
            other = next(
                (by_words[parts] for parts in by_words
                 if words[word] in parts and tuple(p for p in parts if p != words[word]) == rest),
                None,
            )  # fmt: skip
            if word in ("net", "gross") and not {"weight", "mass", "tonnage"} & {*rest}:
                continue  # of money it comes of what is taken off
            if middle is not None and other is not None and word not in ("from", "to"):
                return _Beside(middle, _room(rest, form), form, is_most)
            if other is not None and is_most:
                return _later_by_range(other, rest, form)
    return None


def _room(rest: tuple[str, ...], form: Any) -> tuple[int, int]:
    """How far a bound may be from what it bounds, in units of the last decimal; the decimals."""
    found = range_of("_".join(rest) or "value", {})
    decimals = 0 if form is int or found is None else found.decimals
    span = 20 if found is None else max(2, (found.high - found.low) / 6)
    return max(1, int(span * 10**decimals)), decimals


def _later_by_range(other: str, rest: tuple[str, ...], form: Any) -> Rule:
    room, decimals = _room(rest, form)
    if form is Decimal:
        decimals = decimals or 2
    return _later(other, form, 1, room * 3, decimals)


class _Beside(Rule):
    """A number a little below, or above, another one."""

    vectorised = False

    def __init__(self, middle: str, room: tuple[int, int], form: Any, is_above: bool) -> None:
        self.needs = (middle,)
        self._room, self._decimals = room
        self._form, self._is_above = form, is_above
        self._is_whole = form is int

    def one(self, bits: Bits, *inputs: Any) -> Any:
        """One number."""
        away = bits.between(0, self._room) * (1 if self._is_above else -1)
        middle = Decimal(str(inputs[0]))
        exact = middle + Decimal(away).scaleb(-self._decimals)
        return self._form(max(exact, Decimal(0)) if middle >= 0 and self._is_whole else exact)


class _Part(Rule):
    """A whole number, or an amount, that is at most another one."""

    vectorised = False

    def __init__(self, whole: str, low: int, form: Any) -> None:
        self.needs = (whole,)
        self._low, self._form = low, form

    def one(self, bits: Bits, *inputs: Any) -> Any:
        """One part; of less than there is to be at least, all of it."""
        most = int(inputs[0])
        if most <= self._low:
            return self._form(inputs[0])
        return self._form(bits.between(self._low, most))


def _part(name: str, form: Any, numbers: Siblings) -> Rule | None:
    words = _unitless(name)
    rest = [word for word in words if word not in PARTS]
    if len(rest) < len(words):
        whole = _whole_of(rest, name, numbers)
        if whole is not None:
            taken = _taken_of(rest, name, numbers) if set(words) & _LEFT else None
            if taken is not None:
                return Formula(f"{whole} - {taken}", None, form)
            return _Part(whole, 0, form)
    return _numbered(name, words, form, numbers)


def _unitless(name: str) -> list[str]:
    words = plain(name).split("_")
    return words[:-1] if len(words) > 1 and words[-1] in UNITS else words


def _whole_of(rest: list[str], name: str, numbers: Siblings) -> str | None:
    """What something is a part of: called the same, with or without a word for all of it."""
    for one in numbers:
        words = _unitless(one)
        # what is at most a part of itself is none
        if one != name and not set(words) & PARTS and [w for w in words if w not in _ALL] == rest:
            return one
    return next((one for one in _WHOLES if one in numbers and one != name), None)


def _taken_of(rest: list[str], name: str, numbers: Siblings) -> str | None:
    """The other part, where what is left is asked for."""
    for one in numbers:
        words = _unitless(one)
        if one != name and set(words) & _TAKEN and [w for w in words if w not in PARTS] == rest:
            return one
    return None


def _air(name: str, form: Any, numbers: Siblings) -> Rule | None:
    """Gusts are no weaker than the wind, and dew forms where it is colder."""
    words = set(plain(name).split("_"))
    for asked, known, is_above in (("gust", "wind", True), ("gusts", "wind", True),
                                   ("dew", "temperature", False)):  # fmt: skip
        if asked in words:
            for other in numbers:
                of = plain(other).split("_")
                if known == of[0] and asked not in of and "direction" not in of:
                    room = (8, 0) if form is int else (80, 1)
                    return _Beside(other, room, form, is_above)
    return None


def _numbered(name: str, words: list[str], form: Any, numbers: Siblings) -> Rule | None:
    """`dose_number` of `doses_required`, `page` of `pages`."""
    if name == "id" or words[-1] == "id":
        return None
    bare = "_".join(word for word in words if word not in ("current", "actual"))
    unitless = {"_".join(_unitless(one)): one for one in numbers if one != name}
    has_least = any(f"{low}_{bare}" in numbers for low in ("min", "minimum", "low"))
    for most in (f"max_{bare}", f"{bare}_max", f"maximum_{bare}", f"high_{bare}", f"best_{bare}"):
        if most in unitless and not has_least:
            if form is int:
                return _Part(unitless[most], 0, form)
            return Share(unitless[most], 0, 1000, form)
    if form is not int:
        return None
    if words[-1] in ("attendance", "spectators", "visitors", "attendees"):
        room = next((one for one in numbers if "capacity" in plain(one).split("_")), None)
        return None if room is None else _Part(room, 0, form)
    one = "_".join(words[:-1]) if words[-1] in ("number", "no", "index", "nr") else "_".join(words)
    several = f"{one}s"
    for whole in (several, f"total_{several}", f"{several}_total", f"{several}_required",
                  f"max_{several}", f"{one}_count", f"{several}_planned", f"num_{several}",
                  f"number_of_{several}"):  # fmt: skip
        if one and whole in numbers and whole != name:
            return _Part(whole, 1, form)
    return None
