"""Which calls of a service tell others something, and are asserted; the others only look up."""

from __future__ import annotations

from urnshelf.drafting.over_http import ROUTE, is_a_look
from urnshelf.drafting.trial import Made
from urnshelf.readings.verbs import LOOKING, STORING, verb_of

_DOING = STORING | frozenset(
    """
    accept alert announce approve archive assign authorize authorise bill book cancel capture
    charge close collect commission confirm create credit debit deliver deposit dispatch emit
    enqueue escalate execute fire grant invoice issue launch lock log move notify open pay place
    post print publish push queue refund reject release remind reserve return reverse revoke
    schedule send ship sign signal start stop store submit subscribe suspend tell transfer trigger
    unlock unsubscribe upload void warn withdraw
    """.split()
)
"""Verbs of methods that do something, though they give something back."""


def tells(call: Made) -> bool:
    """Whether a call tells somebody something."""
    if call.asked.kind in ("attribute", "assigned", "enters") or call.by in ("reading", "clock"):
        return False
    if call.asked.kind == ROUTE:
        return not is_a_look(call.asked)
    name = call.asked.method
    if name.startswith("__"):
        return False
    if call.target.promise.is_nothing:
        return name not in ("close", "aclose")
    if not name or call.by != "cue":
        return False
    verb = verb_of(name)
    return verb in _DOING and verb not in LOOKING
