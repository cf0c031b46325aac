"""Shared by all tests."""

from pathlib import Path

import pytest

pytest_plugins = ["pytester"]


@pytest.fixture(scope="session")
def root() -> Path:
    """The checkout."""
    return Path(__file__).parent.parent
