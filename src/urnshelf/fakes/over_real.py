"""The parts of a real one that stands behind a fake: the repositories of a unit of work."""

from __future__ import annotations

from typing import Any

from urnshelf.calls.desk import Answerer
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.calls.target import AttributeTarget
from urnshelf.fakes.behind import put_behind, why_not_behind
from urnshelf.fakes.making import Fakes
from urnshelf.interfaces.dependencies import is_interface


def parts_of(fakes: Fakes) -> Answerer:
    """An answerer: an attribute that is an interface of its own is given as its fake, with what the
    real one has there behind it, so that calls of it are in the ledger, too.

    Args:
        fakes: of the shelf.
    """

    def part(call: LiveCall) -> Any:
        target = call.target
        if not target.state.is_over_real or not isinstance(target, AttributeTarget):
            return NO_REPLY
        node = target.promise.node
        if not is_interface(node):
            return NO_REPLY
        real = getattr(target.state.behind, target.member.name)
        state = fakes.state(node.bare, None)
        if why_not_behind(state.interface, real):
            return NO_REPLY
        put_behind(state, real)
        state.is_over_real = True
        return state.fake

    return part
