"""Bits from counters: a 64-bit mixing hash, so that any draw can be made alone, anywhere, in any
order.

The mixing function is the finaliser of SplitMix64 (G. L. Steele Jr., D. Lea, C. H. Flood, "Fast
splittable pseudorandom number generators", OOPSLA 2014), with the increment that the paper calls
the golden gamma. Only integers are used, so every machine agrees.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from uuid import UUID

MASK = (1 << 64) - 1
GOLDEN = 0x9E3779B97F4A7C15
FIRST, SECOND = 0xBF58476D1CE4E5B9, 0x94D049BB133111EB


def mix(z: int) -> int:
    """Scatter 64 bits; a one-to-one mapping of the numbers below 2**64.

    >>> mix(0), mix(1) == mix(1), mix(1) != mix(2)
    (0, True, True)
    """
    z = ((z ^ (z >> 30)) * FIRST) & MASK
    z = ((z ^ (z >> 27)) * SECOND) & MASK
    return z ^ (z >> 31)


def key_of(seed: int, *names: str) -> int:
    """The 64-bit key of a column: a digest of the seed and of the type's and the field's names."""
    from hashlib import blake2b  # only a drawing pays for it

    text = "\x1f".join([str(seed), *names])
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest(), "little")


class Bits:
    """The bits of one value, one step after the other. `Lanes` is the same for many values at
    once.
    """

    __slots__ = ("index", "key", "step")

    def __init__(self, key: int, index: int) -> None:
        self.key = key
        self.index = index
        self.step = 0

    def next(self) -> int:
        """The next 64 bits."""
        self.step += 1
        return mix((mix((self.key + self.index * GOLDEN) & MASK) + (self.step - 1) * GOLDEN) & MASK)

    def below(self, n: int) -> int:
        """A whole number from 0 to n - 1, n at most 2**64: the high part of a product."""
        if n <= 1 << 32:
            # no remainder and no second try: lanes do the same with whole arrays
            return ((self.next() >> 32) * n) >> 32
        return (self.next() * n) >> 64

    def between(self, low: int, high: int) -> int:
        """A whole number from low to high, both included."""
        return low + self.below(high - low + 1)

    def unit(self) -> float:
        """A number above 0 and below 1: the middle of one of 2**52 equal parts."""
        return ((self.next() >> 12) + 0.5) / (1 << 52)

    def sub(self, number: int) -> Bits:
        """The bits of a part of this value: an item, a field of a nested record, another try."""
        return Bits(mix((self.key ^ mix((number + 1) * FIRST & MASK)) & MASK), self.index)


def uuid_key(seed: int, record_type: type, number: int) -> UUID:
    """The n-th key that a shelf assigns to records of a type whose keys are UUIDs: random in form,
    the same for the same seed.

    >>> uuid_key(7, int, 1) == uuid_key(7, int, 1), uuid_key(7, int, 1).version
    (True, 4)
    """
    from uuid import UUID

    bits = Bits(
        key_of(seed, record_type.__module__, record_type.__qualname__, "assigned key"), number
    )
    return UUID(int=(bits.next() << 64) | bits.next(), version=4)
