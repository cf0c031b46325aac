"""Rules: how one field of a record is drawn. Each is written once, for one value and for many at the same time."""

from __future__ import annotations

import string
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.urn.mixing import Bits
from urnshelf.urn.patterns import parse, texts
from urnshelf.urn.permutation import permuted

TRIES = 200
"""How often a value that does not fit is drawn again."""


class Rule:
    """How a field is drawn: a pure function of its bits and of the other fields that it names.

    A rule is written as `raw`, whole numbers from bits, which are one number or an array of them, and `finish`, which
    makes the value of one number. A rule that cannot be written so overrides `one`.
    """

    needs: tuple[str, ...] = ()
    """The other fields of the record that it is drawn from."""
    size: int | None = None
    """How many different values there are, where they can be counted; `at` gives each."""
    vectorised = True
    """Whether `raw` takes lanes as well as bits."""

    def raw(self, bits: Any) -> Any:
        """Whole numbers drawn from bits, or from lanes of bits."""
        raise NotImplementedError

    def finish(self, raw: Any) -> Any:
        """The value that a whole number stands for."""
        return raw

    def at(self, number: int) -> Any:
        """The value with this number, below `size`."""
        raise NotImplementedError

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        """One value."""
        return self.finish(self.raw(bits))

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The values of all lanes, as Python objects."""
        if self.vectorised and not inputs:
            return self.finish_all(self.raw(lanes))
        indexes = lanes.index.tolist()
        return [
            self.one(Bits(lanes.key, i), *given) for i, given in zip(indexes, _rows(inputs, len(indexes)), strict=True)
        ]

    def finish_all(self, raw: Any) -> list[Any]:
        """The values that an array of whole numbers stands for."""
        return list(map(self.finish, raw.tolist()))

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        """The values of all lanes, as a frame likes them best."""
        return self.many(lanes, *inputs)


def _rows(columns: tuple[Sequence[Any], ...], n: int) -> Any:
    return zip(*columns, strict=True) if columns else [()] * n


# --- numbers ----------------------------------------------------------------------------------------------------------


class _Whole(Rule):
    def __init__(self, low: int, high: int) -> None:
        self._low = low
        self.size = high - low + 1
        self.vectorised = -(1 << 62) < low <= high < 1 << 62

    def raw(self, bits: Any) -> Any:
        assert self.size is not None
        return bits.below(self.size) + self._low

    def at(self, number: int) -> Any:
        return self.finish(self._low + number)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        return self.raw(lanes) if self.vectorised else self.many(lanes, *inputs)


class _Real(_Whole):
    """Tenths, hundredths …: whole numbers over a power of ten, so that every machine agrees."""

    def __init__(self, low: float, high: float, places: int) -> None:
        self._unit = 10**places
        super().__init__(_scaled(low, places, up=True), _scaled(high, places, up=False))

    def finish(self, raw: int) -> Any:
        return raw / self._unit

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        return self.raw(lanes) / self._unit


class _Money(_Real):
    def __init__(self, low: Decimal | float, high: Decimal | float, places: int) -> None:
        super().__init__(low, high, places)  # type: ignore[arg-type]
        self._places = places

    def finish(self, raw: int) -> Decimal:
        return Decimal(raw).scaleb(-self._places)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:
        return self.many(lanes, *inputs)


def _scaled(value: Any, places: int, up: bool) -> int:
    exact = Decimal(str(value)).scaleb(places)
    whole = int(exact)
    if exact == whole:
        return whole
    return whole + 1 if up and exact > 0 else whole - 1 if not up and exact < 0 else whole


class _Moments(_Whole):
    """Moments, in seconds from the first."""

    def __init__(self, low: datetime, high: datetime) -> None:
        self._first = low
        super().__init__(0, int((high - low).total_seconds()))

    def finish(self, raw: int) -> datetime:
        return self._first + timedelta(seconds=raw)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        first = self._first.astimezone(UTC).replace(tzinfo=None) if self._first.tzinfo else self._first
        return lanes._numpy.datetime64(first, "s") + self.raw(lanes).astype("timedelta64[s]")


class _Days(_Whole):
    def __init__(self, low: date, high: date) -> None:
        super().__init__(low.toordinal(), high.toordinal())

    def finish(self, raw: int) -> date:
        return date.fromordinal(raw)

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        epoch = date(1970, 1, 1).toordinal()
        return lanes._numpy.datetime64("1970-01-01", "s") + ((self.raw(lanes) - epoch) * 86_400).astype(
            "timedelta64[s]"
        )


class _Spans(_Whole):
    def __init__(self, low: timedelta, high: timedelta) -> None:
        super().__init__(int(low.total_seconds()), int(high.total_seconds()))

    def finish(self, raw: int) -> timedelta:
        return timedelta(seconds=raw)


def between(low: Any, high: Any, places: int | None = None) -> Rule:
    """A value from a range, both ends included: numbers, Decimals, dates, moments or spans of time.

    Args:
        low: the least value.
        high: the greatest value, of the same kind.
        places: decimal places of a float (2 where none is given) or of a Decimal (as many as the ends have).

    Raises:
        RecordRefused: the ends are not of one kind, or in the wrong order.

    >>> between(3, 3).one(Bits(1, 0))
    3
    """
    of_one_kind = type(low) is type(high) or {type(low), type(high)} == {int, float}
    if not of_one_kind:
        raise RecordRefused(f"between({show(low)}, {show(high)}): both ends must be of one kind")
    if low > high:
        raise RecordRefused(f"between({show(low)}, {show(high)}): the first must not be the greater one")
    if isinstance(low, datetime):
        return _Moments(low, high)
    if isinstance(low, date):
        return _Days(low, high)
    if isinstance(low, timedelta):
        return _Spans(low, high)
    if isinstance(low, Decimal):
        ends = max(-int(end.as_tuple().exponent) for end in (low, high))
        return _nonempty(_Money(low, high, max(ends, 0) if places is None else places), low, high)
    if isinstance(low, int) and isinstance(high, int) and places is None:
        return _Whole(low, high)
    if isinstance(low, (int, float)):
        return _nonempty(_Real(low, high, 2 if places is None else places), low, high)
    raise RecordRefused(f"between({show(low)}, {show(high)}): a range is of numbers, dates, moments or spans of time")


def _nonempty(rule: _Whole, low: Any, high: Any) -> Rule:
    if rule.size is not None and rule.size < 1:
        raise RecordRefused(f"between({low}, {high}): no value has so few decimal places; give more with places=…")
    return rule


# --- choices ----------------------------------------------------------------------------------------------------------


class _Among(Rule):
    """One of several values."""

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        """A categorical column."""
        from pandas import Categorical

        raw = self.raw(lanes)
        try:
            return Categorical.from_codes(raw, list(self._choices))
        except (TypeError, ValueError):  # values that repeat, or that cannot be categories
            return self.finish_all(raw)

    def __init__(self, choices: tuple[Any, ...], weights: tuple[int, ...] | None) -> None:
        self._choices = choices
        self._weights = weights
        self.size = len(choices) if weights is None else None

    def raw(self, bits: Any) -> Any:
        if self._weights is None:
            return bits.below(len(self._choices))
        drawn, found, limit = bits.below(sum(self._weights)), 0, 0
        for weight in self._weights[:-1]:
            limit += weight
            found = found + (drawn >= limit) * 1
        return found

    def finish(self, raw: int) -> Any:
        return self._choices[raw]

    def at(self, number: int) -> Any:
        return self._choices[number]

    def finish_all(self, raw: Any) -> list[Any]:
        choices = self._choices
        return [choices[i] for i in raw.tolist()]


def among(*choices: Any, weights: Sequence[int] | None = None) -> Rule:
    """One of the given values.

    Args:
        choices: the values; or one sequence of them.
        weights: a whole number for each: how often it comes, in proportion.

    Raises:
        RecordRefused: nothing to choose from, or weights that do not fit.

    >>> {among("N", "S").one(Bits(7, i)) for i in range(20)} == {"N", "S"}
    True
    """
    if len(choices) == 1 and isinstance(choices[0], (list, tuple, set, frozenset, range)):
        choices = (
            tuple(choices[0]) if not isinstance(choices[0], (set, frozenset)) else tuple(sorted(choices[0], key=repr))
        )
    if not choices:
        raise RecordRefused("among() needs at least one value to choose from")
    if weights is not None:
        whole = all(isinstance(w, int) and w >= 0 for w in weights)
        if len(weights) != len(choices) or not whole or not sum(weights):
            raise RecordRefused(
                f"among(…, weights={list(weights)}): one whole number for each of the {len(choices)} values, not all 0"
            )
    return _Among(choices, None if weights is None else tuple(weights))


class _Constant(Rule):
    size = 1

    def __init__(self, value: Any) -> None:
        self._value = value

    def raw(self, bits: Any) -> Any:
        return bits.index

    def finish(self, raw: Any) -> Any:  # noqa: ARG002
        return self._value

    def at(self, number: int) -> Any:  # noqa: ARG002
        return self._value


def constant(value: Any) -> Rule:
    """Always this value.

    >>> constant("SE").one(Bits(1, 5))
    'SE'
    """
    return _Constant(value)


class _SometimesNone(Rule):
    def __init__(self, rule: Rule, per_mille: int) -> None:
        self._rule = rule
        self._per_mille = per_mille
        self.needs = rule.needs

    def one(self, bits: Bits, *inputs: Any) -> Any:
        return None if bits.below(1000) < self._per_mille else self._rule.one(bits.sub(0), *inputs)

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        none = (lanes.below(1000) < self._per_mille).tolist()
        values = self._rule.many(lanes.sub(0), *inputs)
        return [None if absent else value for absent, value in zip(none, values, strict=True)]


def sometimes_none(rule: Any, rate: float = 0.25) -> Rule:
    """None at this rate, otherwise as the rule says.

    Args:
        rule: a rule, or a value.
        rate: between 0 and 1, to the thousandth.
    """
    if not 0 <= rate <= 1:
        raise RecordRefused(f"sometimes_none(…, rate={rate!r}): a rate is between 0 and 1")
    return _SometimesNone(as_rule(rule), round(rate * 1000))


class _AllDifferent(Rule):
    vectorised = False

    def __init__(self, rule: Rule) -> None:
        self._rule = rule
        self.size = rule.size

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        assert self.size is not None
        if bits.index >= self.size:
            raise RecordRefused(f"all_different: record {bits.index + 1} has no value left, there are only {self.size}")
        return self._rule.at(permuted(bits.key, bits.index, self.size))


def all_different(rule: Any) -> Rule:
    """Values of a countable rule, no two records with the same: a keyed permutation of them.

    Args:
        rule: a range of whole numbers or dates, a choice without weights, a pattern, or a sequence of values.

    Raises:
        RecordRefused: the values cannot be counted; on drawing, when there are too few.
    """
    inner = rule if isinstance(rule, Rule) else among(rule)
    if inner.size is None:
        raise RecordRefused(
            "all_different() takes a rule whose values can be counted: between, among, pattern or serial"
        )
    return _AllDifferent(inner)


# --- texts ------------------------------------------------------------------------------------------------------------


class _Pattern(Rule):
    def __init__(self, pattern: str) -> None:
        self._node = parse(pattern)
        self.size = self._node.size
        self.vectorised = self.size < 1 << 62

    def raw(self, bits: Any) -> Any:
        assert self.size is not None
        if self.size <= 1 << 62:
            return bits.below(self.size)
        number, room = 0, 1
        while room < self.size:
            number, room = (number << 64) | bits.next(), room << 64
        return number * self.size // room

    def finish(self, raw: int) -> str:
        return self._node.text(raw)

    def finish_all(self, raw: Any) -> list[Any]:
        return texts(self._node, raw)

    def at(self, number: int) -> str:
        return self._node.text(number)


def pattern(expression: str) -> Rule:
    """A text that matches a regular expression of the usual subset, from beginning to end.

    Args:
        expression: letters, escapes, classes, groups, alternatives and repeats; unbounded repeats are cut at 8 more.

    Raises:
        RecordRefused: an expression beyond the subset.

    >>> pattern("[A-Z]{2}-7").one(Bits(1, 0))[2:]
    '-7'
    """
    return _Pattern(expression)


class _Template(Rule):
    vectorised = False

    def __init__(self, text: str) -> None:
        self._text = text
        fields = [name for _, name, _, _ in string.Formatter().parse(text) if name is not None]
        self.needs = tuple(dict.fromkeys(name.partition(".")[0].partition("[")[0] for name in fields if name))

    def one(self, bits: Bits, *inputs: Any) -> str:  # noqa: ARG002
        return self._text.format(**dict(zip(self.needs, inputs, strict=True)))


def template(text: str) -> Rule:
    """A text made from other fields of the record: `"{code}@{harbour}"`.

    Args:
        text: as for `str.format`, the fields by name.
    """
    return _Template(text)


class _Serial(Rule):
    def __init__(self, prefix: str, start: int, digits: int) -> None:
        self._prefix, self._start, self._digits = prefix, start, digits
        self.size = 1 << 60

    def raw(self, bits: Any) -> Any:
        return bits.index

    def finish(self, raw: int) -> str:
        return f"{self._prefix}{raw + self._start:0{self._digits}}"

    def at(self, number: int) -> str:
        return self.finish(number)


class _Number(_Serial):
    def finish(self, raw: int) -> Any:
        return raw + self._start

    def column(self, lanes: Any, *inputs: Sequence[Any]) -> Any:  # noqa: ARG002
        return lanes.index.astype("int64") + self._start


def serial(prefix: str | None = None, start: int = 1, digits: int = 4) -> Rule:
    """Numbers in order of the records: 1, 2, 3 …; with a prefix, texts: B-0001, B-0002 …

    Args:
        prefix: what stands before the number; none for a plain number.
        start: the number of the first record.
        digits: how many digits a text has at least.

    >>> serial("B-").one(Bits(1, 0)), serial(start=100).one(Bits(1, 4))
    ('B-0001', 104)
    """
    return _Number("", start, digits) if prefix is None else _Serial(prefix, start, digits)


# --- from other things ------------------------------------------------------------------------------------------------


class _Derived(Rule):
    vectorised = False

    def __init__(self, function: Callable[..., Any], needs: tuple[str, ...]) -> None:
        self._function = function
        self.needs = needs

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        return self._function(*inputs)


def derived(function: Callable[..., Any], *fields: str) -> Rule:
    """Computed from other fields of the record.

    Args:
        function: takes the fields' values, in order.
        fields: their names; those of the function's parameters, where none is given.

    >>> derived(lambda days, rate: days * rate).needs
    ('days', 'rate')
    """
    if not callable(function):
        raise RecordRefused(f"derived() takes a function of other fields, not {show(function)}")
    if not fields:
        import inspect

        fields = tuple(inspect.signature(function).parameters)
    return _Derived(function, fields)


class Link(Rule):
    """A reference to a record of another type: its parents are handed in by the urn."""

    vectorised = False

    def __init__(
        self, record_type: Any, field: str | None, count: int, parents: Callable[[], Sequence[Any]] | None = None
    ) -> None:
        self.record_type, self.field, self.count = record_type, field, count
        self._parents = parents

    def handed(self, parents: Callable[[], Sequence[Any]]) -> Link:
        """The same link, its parents known."""
        return Link(self.record_type, self.field, self.count, parents)

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        """One of the parents."""
        assert self._parents is not None
        parents = self._parents()
        return parents[bits.below(len(parents))]


def link(record_type: Any, field: str | None = None, count: int = 100) -> Rule:
    """A reference to a record of another type: one of the shelf's, or one of those that the urn would draw first.

    Args:
        record_type: the other type.
        field: the field of it that is taken; its key where none is given.
        count: with no records of it on a shelf, among how many drawn ones to choose.
    """
    return Link(record_type, field, count)


class _Distribution(Rule):
    vectorised = False

    def __init__(self, frozen: Any, low: float | None, high: float | None, outside: str, places: int | None) -> None:
        self._frozen, self._low, self._high = frozen, low, high
        self._outside, self._places = outside, places

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        for _ in range(TRIES):
            value = float(self._frozen.ppf(bits.unit()))
            value = value if self._places is None else round(value, self._places)
            inside = (self._low is None or value >= self._low) and (self._high is None or value <= self._high)
            if inside or self._outside == "clip":
                return self._clipped(value)
        raise RecordRefused(f"distribution: no value between {self._low} and {self._high} came in {TRIES} tries")

    def _clipped(self, value: float) -> float:
        if self._low is not None and value < self._low:
            return self._low
        return self._high if self._high is not None and value > self._high else value

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        if self._outside == "redraw" and (self._low is not None or self._high is not None):
            return super().many(lanes, *inputs)
        values = self._frozen.ppf(lanes.unit()).tolist()
        rounded = values if self._places is None else [round(v, self._places) for v in values]
        return [self._clipped(v) for v in rounded]


def distribution(
    frozen: Any, low: float | None = None, high: float | None = None, outside: str = "redraw", places: int | None = None
) -> Rule:
    """Numbers of a distribution, by the inverse of its distribution function.

    Equal on every run of one build of SciPy; other builds may differ in the last digit.

    Args:
        frozen: a frozen distribution of `scipy.stats`, or anything with `ppf`.
        low: the least value wanted.
        high: the greatest value wanted.
        outside: what happens to a value outside: `"redraw"` it or `"clip"` it.
        places: decimal places to round to.

    Raises:
        RecordRefused: not a distribution, or another word for `outside`.
    """
    if not hasattr(frozen, "ppf"):
        raise RecordRefused(
            f"distribution() takes a frozen distribution such as scipy.stats.norm(5, 2), not {show(frozen)}"
        )
    if outside not in ("redraw", "clip"):
        raise RecordRefused(f"distribution(…, outside={outside!r}): choose 'redraw' or 'clip'")
    return _Distribution(frozen, low, high, outside, places)


_LEVELS = 40


class _Drift(Rule):
    """A midpoint construction over 2**40 places: each value needs the forty midpoints above it and no other value."""

    vectorised = False

    def __init__(self, start: float, step: float, places: int) -> None:
        self._unit = 10**places
        self._start, self._step = round(start * self._unit), max(1, round(step * self._unit))

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        low, high, at = 0, 1 << _LEVELS, bits.index
        if at >= high:
            raise RecordRefused(f"drift: index {at} is beyond the {high} values of a walk")
        left, right = 0, self._noise(bits.key, high, 1 << (_LEVELS // 2))
        while low < at:
            middle = (low + high) // 2
            width = _root(high - low)
            value = (left + right) // 2 + self._noise(bits.key, middle, width)
            if at >= middle:
                low, left = middle, value
            else:
                high, right = middle, value
        return (self._start + left) / self._unit

    def _noise(self, key: int, place: int, width: int) -> int:
        spread = max(1, self._step * width // 2)
        return Bits(key, place).between(-spread, spread)


def _root(n: int) -> int:
    from math import isqrt

    return isqrt(n)


def drift(start: float = 0.0, step: float = 1.0, places: int = 2) -> Rule:
    """A walk over the records, for series: each value is near the one before; any slice can be drawn alone.

    Args:
        start: the value of the first record.
        step: about how far a value is from the one before.
        places: decimal places.
    """
    return _Drift(start, step, places)


class Composed(Rule):
    """A value made from several whole numbers, each below its own bound, and perhaps from other fields."""

    def __init__(self, function: Callable[..., Any], *bounds: int, needs: tuple[str, ...] = ()) -> None:
        self._function, self._bounds, self.needs = function, bounds, needs

    def one(self, bits: Bits, *inputs: Any) -> Any:
        """What the function makes of the inputs and the numbers."""
        return self._function(*inputs, *[bits.below(bound) for bound in self._bounds])

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """The same, for all lanes."""
        numbers = [lanes.below(bound).tolist() for bound in self._bounds]
        return list(map(self._function, *inputs, *numbers))


class _Computed(Rule):
    """A rule given as a function of a source of bits; for the parts of types that are not a plain number."""

    def __init__(self, function: Callable[[Bits], Any]) -> None:
        self._function = function

    vectorised = False

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        return self._function(bits)


def computed(function: Callable[[Bits], Any]) -> Rule:
    """A rule of our own that is drawn one value at a time."""
    return _Computed(function)


def as_rule(value: Any) -> Rule:
    """What the user gives for a field: a rule, a function of other fields, or a value."""
    if isinstance(value, Rule):
        return value
    if callable(value) and not isinstance(value, type):
        return derived(value)
    return constant(value)
