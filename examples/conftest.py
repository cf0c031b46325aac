"""The same harbour twice, for the tests of this folder."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from worlds import ShelfWorld, World, real_world


@pytest.fixture(params=["fakes", "real adaptors"])
def world(request: pytest.FixtureRequest) -> Iterator[World]:
    """The services over fakes, then over SQLite and HTTP."""
    if request.param == "fakes":
        yield ShelfWorld(request.getfixturevalue("shelf"))
        return
    with real_world() as real:
        yield real
