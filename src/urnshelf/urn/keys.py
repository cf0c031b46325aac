"""Keys that the shelf assigns to records whose key is a UUID."""

from __future__ import annotations

from uuid import UUID

from urnshelf.urn.mixing import Bits, key_of


def uuid_key(seed: int, record_type: type, number: int) -> UUID:
    """The n-th assigned key of a type: random in form, the same for the same seed.

    >>> uuid_key(7, int, 1) == uuid_key(7, int, 1), uuid_key(7, int, 1).version
    (True, 4)
    """
    bits = Bits(
        key_of(seed, record_type.__module__, record_type.__qualname__, "assigned key"), number
    )
    return UUID(int=(bits.next() << 64) | bits.next(), version=4)
