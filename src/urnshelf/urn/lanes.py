"""The bits of many values at once, with NumPy: lane by lane the same as `Bits`."""

from __future__ import annotations

from collections.abc import Sequence
from types import ModuleType
from typing import TYPE_CHECKING, Any

from urnshelf.urn.mixing import FIRST, GOLDEN, MASK, SECOND, mix

if TYPE_CHECKING:
    import numpy as np


class Lanes:
    """The bits of the values at many indexes."""

    __slots__ = ("_numpy", "index", "key", "step")

    def __init__(self, key: int, index: np.ndarray[Any, Any], numpy: ModuleType) -> None:
        self.key = key
        self.index = index
        self.step = 0
        self._numpy = numpy

    def next(self) -> Any:
        """The next 64 bits of each lane."""
        u = self._numpy.uint64
        self.step += 1
        z = self._mix(self.index * u(GOLDEN) + u(self.key))
        return self._mix(z + u((self.step - 1) * GOLDEN & MASK))

    def below(self, n: int) -> Any:
        """A whole number from 0 to n - 1 for each lane, n at most 2**63."""
        u, bits = self._numpy.uint64, self.next()
        if n <= 1 << 32:
            return (((bits >> u(32)) * u(n)) >> u(32)).astype(self._numpy.int64)
        low, high = u(n & 0xFFFFFFFF), u(n >> 32)
        b_low, b_high = bits & u(0xFFFFFFFF), bits >> u(32)
        carry = (
            (b_low * low >> u(32)) + (b_high * low & u(0xFFFFFFFF)) + (b_low * high & u(0xFFFFFFFF))
        )
        whole = b_high * high + (b_high * low >> u(32)) + (b_low * high >> u(32)) + (carry >> u(32))
        return whole.astype(self._numpy.int64)

    def between(self, low: int, high: int) -> Any:
        """A whole number from low to high, both included, for each lane."""
        return self.below(high - low + 1) + low

    def unit(self) -> Any:
        """A number above 0 and below 1 for each lane."""
        u = self._numpy.uint64
        return ((self.next() >> u(12)).astype(self._numpy.float64) + 0.5) / (1 << 52)

    def sub(self, number: int) -> Lanes:
        """The bits of a part of each value."""
        return Lanes(
            mix((self.key ^ mix((number + 1) * FIRST & MASK)) & MASK), self.index, self._numpy
        )

    def _mix(self, z: Any) -> Any:
        u = self._numpy.uint64
        z = (z ^ (z >> u(30))) * u(FIRST)
        z = (z ^ (z >> u(27))) * u(SECOND)
        return z ^ (z >> u(31))


def lanes(key: int, indexes: Sequence[int]) -> Lanes:
    """The lanes of some indexes; needs NumPy."""
    import numpy

    if isinstance(indexes, range):
        every = numpy.arange(indexes.start, indexes.stop, indexes.step, dtype=numpy.uint64)
    else:
        every = numpy.array(indexes, dtype=numpy.uint64)
    return Lanes(key, every, numpy)
