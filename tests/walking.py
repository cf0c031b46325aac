"""How many functions of ours a call walks through: a measure of its cost that no machine's noise
changes.
"""

import sys
from collections.abc import Callable
from typing import Any


def walked(work: Callable[[], object]) -> int:
    """The number of functions of ours that this work calls."""
    calls = 0

    def count(frame: Any, event: str, _: Any) -> None:
        nonlocal calls
        file = frame.f_code.co_filename
        calls += event == "call" and "urnshelf" in file and "demo" not in file

    sys.setprofile(count)
    try:
        work()
    finally:
        sys.setprofile(None)
    return calls
