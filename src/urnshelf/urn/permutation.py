"""A keyed permutation of the first n numbers, for values that must all be different.

A four-round Feistel network over the smallest even number of bits, walked along until it lands
below n (J. Black, P. Rogaway, "Ciphers with arbitrary finite domains", CT-RSA 2002).
"""

from __future__ import annotations

from urnshelf.urn.mixing import GOLDEN, MASK, mix


def permuted(key: int, number: int, n: int) -> int:
    """Where the permutation of range(n) that belongs to the key takes a number below n.

    >>> sorted(permuted(7, i, 10) for i in range(10)) == list(range(10))
    True
    """
    half = max(1, ((n - 1).bit_length() + 1) // 2)
    low_bits = (1 << half) - 1
    while True:
        left, right = number >> half, number & low_bits
        for turn in range(4):
            left, right = (
                right,
                left ^ (mix((key + (turn * GOLDEN) + right * 0x9E3779B1) & MASK) & low_bits),
            )
        number = (left << half) | right
        if number < n:
            return number
