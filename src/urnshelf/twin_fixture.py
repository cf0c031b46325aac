"""The `twin` fixture: the twin check as a test."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from urnshelf.twins import AgainChecked, Checked


@pytest.fixture
def twin() -> Callable[..., Any]:
    """Checks a fake against what it stands for; takes what `urnshelf.Twin` takes, or with
    `replies=FILE` what `urnshelf.twins.Again` takes. It fails the test where they differ, and gives
    what was compared.
    """

    def check(*interfaces: Any, replies: Any = None, **told: Any) -> Checked | AgainChecked:
        from urnshelf.twins import Again, Twin

        checked: Checked | AgainChecked
        if replies is None:
            checked = Twin(*interfaces, **told).check()
        else:
            [interface] = interfaces
            checked = Again(interface, replies, **told).check()
        if checked.differences:
            pytest.fail(str(checked), pytrace=False)
        return checked

    return check
