"""The `twin` fixture: the twin check as a test."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from urnshelf.twins import AgainChecked, Checked

_TOLD = "urnshelf_twin"
"""The name of a property of reports: what a check that passed does not vouch for."""
_SHOWN = 6


@pytest.fixture
def twin(request: pytest.FixtureRequest) -> Callable[..., Any]:
    """Checks a fake against what it stands for; takes what `urnshelf.twins.Twin` takes, or with
    `replies=FILE` what `urnshelf.twins.Again` takes. It fails the test where they differ, and gives
    what was compared.
    """

    def check(*interfaces: Any, replies: Any = None, **told: Any) -> Checked | AgainChecked:
        from urnshelf.twins import Again, Twin

        checked: Checked | AgainChecked
        if replies is None:
            checked = Twin(*interfaces, **told).check()
            unsaid = checked.unconfirmed
        else:
            [interface] = interfaces
            checked = Again(interface, replies, **told).check()
            unsaid = checked.left_out
        if checked.differences:
            pytest.fail(str(checked), pytrace=False)
        if unsaid:
            request.node.user_properties += [(_TOLD, one) for one in unsaid]
        return checked

    return check


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """What checks that passed do not vouch for; also of a run of several processes."""
    passed = terminalreporter.stats.get("passed", ())
    found = {
        report.nodeid: [told for name, told in report.user_properties if name == _TOLD]
        for report in passed
        if report.when == "call"
    }
    if not any(found.values()):
        return
    terminalreporter.section("twin checks: not confirmed")
    for test, told in found.items():
        for one in told[:_SHOWN]:
            terminalreporter.write_line(f"{test}: {one}")
        if len(told) > _SHOWN:
            terminalreporter.write_line(
                f"{test}: and {len(told) - _SHOWN} more; print what it gives"
            )
