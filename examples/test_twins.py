"""Whether the fakes of this folder's tests are right: they and SQLite, run through the same random
operations.
"""

from __future__ import annotations

from collections.abc import Callable
from sqlite3 import IntegrityError
from typing import Any

from urnshelf import Shelf
from urnshelf.demo.harbour import (
    Berth,
    BerthRepository,
    BerthUnknown,
    Mooring,
    MooringRegister,
    MooringUnknown,
    VesselRepository,
)
from urnshelf.demo.harbour.adaptors.sqlite import fresh_harbour


def arrange(shelf: Shelf) -> None:
    """What no interface says: the errors."""
    shelf.define(Mooring, missing=MooringUnknown, duplicate=IntegrityError)
    shelf.define(Berth, missing=BerthUnknown)


def test_the_fakes_do_what_sqlite_does(twin: Callable[..., Any]) -> None:
    checked = twin(
        VesselRepository, BerthRepository, MooringRegister,
        real=fresh_harbour, arrange=arrange, sequences=60,
    )  # fmt: skip
    assert {one.state for one in checked.methods} == {"confirmed"}
