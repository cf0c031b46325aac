"""Shared by all tests."""

from pathlib import Path

import pytest


@pytest.fixture(scope="session")
def root() -> Path:
    """The checkout."""
    return Path(__file__).parent.parent
