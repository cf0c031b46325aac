"""How many examples a property is tried with: all of them in the gate, a third of them while one
works.
"""

import os
from typing import Any

from hypothesis import settings


def examples(number: int, **options: Any) -> settings:
    """Settings for a property that holds for this many examples; a test has as long as it takes."""
    wanted = number if "CI" in os.environ else max(20, number // 3)
    return settings(max_examples=wanted, deadline=None, **options)
