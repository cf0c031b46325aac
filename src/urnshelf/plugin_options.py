"""The options that the pytest plugin adds to the command line."""

from __future__ import annotations

import pytest


def pytest_addoption(parser: pytest.Parser) -> None:
    """Our options."""
    group = parser.getgroup("urnshelf")
    group.addoption(
        "--urnshelf-seed",
        type=int,
        metavar="N",
        help="draw all records from this seed, not from the test's name",
    )
    group.addoption(
        "--urnshelf-remarks",
        action="store_true",
        help="end the run with a list of what smells: unused cues, empty answers, idle fakes …",
    )
    group.addoption(
        "--urnshelf-ledger",
        metavar="FILE",
        default="",
        help="write the calls of all tests, as JSON Lines; `urnshelf ledger FILE` shows them",
    )
    group.addoption(
        "--urnshelf-real",
        action="store_true",
        help="put what real_adaptors in conftest.py makes behind the fakes of its interfaces",
    )
    group.addoption(
        "--urnshelf-real-filled",
        action="store_true",
        help="with --urnshelf-real: though their stores hold something from the start",
    )
    group.addoption(
        "--urnshelf-strict",
        metavar="KINDS",
        default="",
        help="let these remarks fail their tests: unused-cue,empty-answer … or all",
    )
