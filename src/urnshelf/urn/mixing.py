"""Bits from counters: a 64-bit mixing hash, so that any draw can be made alone, anywhere, in any order.

The mixing function is the finaliser of SplitMix64 (G. L. Steele Jr., D. Lea, C. H. Flood, "Fast splittable
pseudorandom number generators", OOPSLA 2014), with the increment that the paper calls the golden gamma. Only integers
are used, so every machine agrees.
"""

from __future__ import annotations

MASK = (1 << 64) - 1
GOLDEN = 0x9E3779B97F4A7C15


def mix(z: int) -> int:
    """Scatter 64 bits; a one-to-one mapping of the numbers below 2**64.

    >>> mix(0), mix(1) == mix(1), mix(1) != mix(2)
    (0, True, True)
    """
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
    return z ^ (z >> 31)


def key_of(seed: int, *names: str) -> int:
    """The 64-bit key of a column: a digest of the seed and of the type's and the field's names."""
    from hashlib import blake2b  # only a drawing pays for it

    text = "\x1f".join([str(seed), *names])
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest(), "little")


def bits(key: int, index: int, step: int = 0) -> int:
    """64 bits for one column, one record and one step of the drawing."""
    return mix((mix((key + index * GOLDEN) & MASK) + step * GOLDEN) & MASK)


class Bits:
    """The bits of one value, one step after the other."""

    __slots__ = ("index", "key", "step")

    def __init__(self, key: int, index: int) -> None:
        self.key = key
        self.index = index
        self.step = 0

    def next(self) -> int:
        """The next 64 bits."""
        self.step += 1
        return bits(self.key, self.index, self.step - 1)

    def below(self, n: int) -> int:
        """A whole number from 0 to n - 1, n below 2**64: the high half of a product, as unbiased as 64 bits are."""
        return (self.next() * n) >> 64

    def between(self, low: int, high: int) -> int:
        """A whole number from low to high, both included."""
        return low + self.below(high - low + 1)
