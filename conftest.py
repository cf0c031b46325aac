"""What the examples in docstrings use without an import: the public names, the harbour, and a fresh
`shelf`.
"""

from datetime import UTC, datetime
from typing import Any

import pytest

import urnshelf
from urnshelf import kiosk
from urnshelf.demo import harbour

NAMES = {
    **{name: getattr(urnshelf, name) for name in urnshelf.__all__},
    **{name: getattr(harbour, name) for name in harbour.__all__},
    **{name: getattr(kiosk, name) for name in kiosk.__all__},
    "NOON": datetime(2030, 6, 1, 12, tzinfo=UTC),
}


@pytest.fixture(autouse=True)
def _names_of_examples(request: pytest.FixtureRequest) -> None:
    if isinstance(request.node, pytest.DoctestItem):
        namespace: dict[str, Any] = request.getfixturevalue("doctest_namespace")
        namespace.update(NAMES, shelf=urnshelf.Shelf(seed=7))
