"""Rules of distributions, and walks over the records."""

from __future__ import annotations

from collections.abc import Sequence
from math import isqrt
from typing import Any

from urnshelf.errors import RecordRefused
from urnshelf.records.display import show
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import TRIES, PlanRule, Rule, planned, table


class _Distribution(Rule):
    vectorised = False

    def __init__(
        self, frozen: Any, low: float | None, high: float | None, outside: str, decimals: int | None
    ) -> None:
        self._frozen, self._low, self._high = frozen, low, high
        self._outside, self._decimals = outside, decimals

    def one(self, bits: Bits, *inputs: Any) -> Any:  # noqa: ARG002
        for _ in range(TRIES):
            # by the inverse: one value wants the bits of one, so that any slice can be drawn
            # alone
            value = float(self._frozen.ppf(bits.unit()))
            value = value if self._decimals is None else round(value, self._decimals)
            inside = (self._low is None or value >= self._low) and (
                self._high is None or value <= self._high
            )
            if inside or self._outside == "clip":
                return self._clipped(value)
        raise RecordRefused(
            f"distribution: no value between {self._low} and {self._high} came in {TRIES} tries"
        )

    def _clipped(self, value: float) -> float:
        if self._low is not None and value < self._low:
            return self._low
        return self._high if self._high is not None and value > self._high else value

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        # a value that is drawn again wants more bits than its neighbours
        if self._outside == "redraw" and (self._low is not None or self._high is not None):
            return super().many(lanes, *inputs)
        values = self._frozen.ppf(lanes.unit()).tolist()
        rounded = values if self._decimals is None else [round(v, self._decimals) for v in values]
        return [self._clipped(v) for v in rounded]

    def to_plan(self) -> dict[str, Any]:
        kind = getattr(self._frozen, "dist", None)
        if kind is None:
            return super().to_plan()
        args = [*self._frozen.args]
        return table(
            "distribution",
            kind.name,
            args=args or None,
            named=dict(self._frozen.kwds) or None,
            low=self._low,
            high=self._high,
            outside=self._outside,
            decimals=self._decimals,
        )


@planned("distribution", "args", "named", "low", "high", "outside", "decimals")
def _distribution_of(entry: PlanRule) -> Rule:
    try:
        import scipy.stats
    except ImportError:
        raise RecordRefused(
            f'{entry.where}: a distribution needs SciPy: pip install "urnshelf[data]"'
        ) from None
    options = dict(entry.options)
    kind = getattr(scipy.stats, entry.value, None)
    if kind is None or not hasattr(kind, "ppf"):
        raise RecordRefused(f"{entry.where}: scipy.stats has no distribution {entry.value!r}")
    frozen = kind(*options.pop("args", []), **options.pop("named", {}))
    return distribution(frozen, **options)


def distribution(
    frozen: object,
    low: float | None = None,
    high: float | None = None,
    outside: str = "redraw",
    decimals: int | None = None,
) -> Rule:
    """Numbers of a distribution, by the inverse of its distribution function.

    Equal on every run of one build of SciPy; other builds may differ in the last digit.

    Args:
        frozen: a frozen distribution of `scipy.stats`, or anything with `ppf`.
        low: the least value wanted.
        high: the greatest value wanted.
        outside: what happens to a value outside: `"redraw"` it or `"clip"` it.
        decimals: decimal places to round to.

    Raises:
        RecordRefused: not a distribution, or another word for `outside`.

    >>> import scipy.stats
    >>> draughts = rules.distribution(scipy.stats.norm(5, 2), low=0, decimals=1)
    >>> [vessel.draught_m for vessel in Urn(seed=7).draw(Vessel, 3, draught_m=draughts)]
    [6.7, 2.9, 7.1]
    """
    if not hasattr(frozen, "ppf"):
        raise RecordRefused(
            "distribution() takes a frozen distribution such as scipy.stats.norm(5, 2), not "
            f"{show(frozen)}"
        )
    if outside not in ("redraw", "clip"):
        raise RecordRefused(f"distribution(…, outside={outside!r}): choose 'redraw' or 'clip'")
    return _Distribution(frozen, low, high, outside, decimals)


_LEVELS = 40


class _Drift(Rule):
    """A midpoint construction over 2**40 places: each value needs the forty midpoints above it and
    no other value.
    """

    vectorised = False
    in_series = True

    def __init__(self, start: float, step: float, decimals: int) -> None:
        self._unit = 10**decimals
        self._decimals = decimals
        self._start, self._step = round(start * self._unit), max(1, round(step * self._unit))

    def one(self, bits: Bits, *inputs: object) -> Any:  # noqa: ARG002
        low, high, at = 0, 1 << _LEVELS, bits.index
        if at >= high:
            raise RecordRefused(f"drift: index {at} is beyond the {high} values of a walk")
        left, right = 0, self._noise(bits.key, high, 1 << (_LEVELS // 2))
        # the walk from 0 to 2**40 is halved until it ends at this index; halves share their ends
        while low < at:
            middle = (low + high) // 2
            # a walk of n steps strays by the square root of n
            width = isqrt(high - low)
            value = (left + right) // 2 + self._noise(bits.key, middle, width)
            if at >= middle:
                low, left = middle, value
            else:
                high, right = middle, value
        return (self._start + left) / self._unit

    def _noise(self, key: int, index: int, width: int) -> int:
        spread = max(1, self._step * width // 2)
        return Bits(key, index).between(-spread, spread)

    def to_plan(self) -> dict[str, Any]:
        step = self._step / self._unit
        return table("drift", self._start / self._unit, step=step, decimals=self._decimals)


@planned("drift", "step", "decimals")
def _drift_of(entry: PlanRule) -> Rule:
    return drift(entry.value, **entry.options)


def drift(start: float = 0.0, step: float = 1.0, decimals: int = 2) -> Rule:
    """A walk over the records, for series: each value is near the one before; any slice can be
    drawn alone.

    Args:
        start: the value of the first record.
        step: about how far a value is from the one before.
        decimals: decimal places.

    >>> depths = rules.drift(start=5.0, step=0.1)
    >>> [berth.depth_m for berth in Urn(seed=7).draw(Berth, 4, depth_m=depths)]
    [5.0, 4.95, 4.98, 4.99]
    """
    return _Drift(start, step, decimals)
