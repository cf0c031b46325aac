"""The same harbour twice, for the tests of this folder."""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest

from urnshelf.demo.harbour import BerthRepository, MooringRegister, VesselRepository
from urnshelf.demo.harbour.adaptors.sqlite import fresh_harbour
from worlds import ShelfWorld, World, fresh_harbour_at, real_world

# `pytest --urnshelf-real` puts these behind the fakes
PORTS = (VesselRepository, BerthRepository, MooringRegister)
POSTGRES = os.environ.get("URNSHELF_POSTGRES", "").replace("+psycopg", "")
real_adaptors = {PORTS: fresh_harbour_at(POSTGRES) if POSTGRES else fresh_harbour}


@pytest.fixture(params=["fakes", "real adaptors"])
def world(request: pytest.FixtureRequest) -> Iterator[World]:
    """The services over fakes, then over SQLite and HTTP."""
    if request.param == "fakes":
        yield ShelfWorld(request.getfixturevalue("shelf"))
        return
    with real_world() as real:
        yield real
