"""Shared by all tests."""

import re
from pathlib import Path

import pytest


@pytest.fixture(scope="session")
def root() -> Path:
    """The checkout."""
    return Path(__file__).parent.parent


def pytest_make_parametrize_id(val: object) -> str | None:
    """The value's text without its place in memory, so that every process gives a test one name."""
    return None if isinstance(val, str) else re.sub(r" at 0x[0-9a-f]+", "", str(val))
