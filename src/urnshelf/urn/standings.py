"""What is there only in some states: the day of closing of what is closed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from urnshelf.types.nodes import Kind, Node
from urnshelf.urn import words
from urnshelf.urn.life_lines import When
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.siblings import Siblings, plain, those

_STATES = ("status", "state", "phase", "stage")
_ALIKE = [
    {"cancelled", "canceled", "cancellation", "withdrawn"},
    {"closed", "done", "resolved", "completed", "finished", "solved", "ended", "concluded",
     "fixed"},
    {"paid", "settled", "payment"},
    {"shipped", "dispatched", "despatched", "sent", "in_transit", "under_way", "departed",
     "sailed"},
    {"delivered", "arrived", "received", "landed"},
    {"approved", "accepted", "confirmed", "granted", "approval"},
    {"rejected", "declined", "refused", "denied"},
    {"left", "terminated", "retired", "inactive", "former"},
    {"deleted", "archived", "removed", "decommissioned"},
    {"started", "active", "running", "in_progress", "begun"},
    {"returned", "brought_back"},
    {"discharged", "discharge", "released"},
    {"issued", "invoiced", "billed"},
    {"expired", "lapsed"},
    {"refunded"}, {"suspended", "blocked"}, {"revoked"}, {"verified"}, {"published"}, {"activated"},
    {"moved_out", "ended", "terminated"}, {"reviewed"}, {"submitted"}, {"assigned"},
]  # fmt: skip
_ASIDE = frozenset(
    """
    cancelled canceled rejected declined refused denied failed lost void voided expired lapsed
    withdrawn archived deleted returned overdue late waiting on_hold paused suspended blocked
    disputed error refunded draft no_show missing defaulted
    """.split()
)
"""States that do not come after others, but instead of them."""
_GOING_ON = (
    "active",
    "is_active",
    "enabled",
    "is_enabled",
    "in_use",
    "is_open",
    "open",
    "is_current",
)
_ENDS = frozenset(
    "end ended left terminated removed closed retired moved_out decommissioned deactivated "
    "valid_until discharged finished employment_end cancelled uninstalled discontinued".split()
)


class Where(Rule):
    """What is there in some states alone.

    Args:
        state: the field that tells.
        there: its values with which it is there; None where it only has to be there itself.
        rule: draws it then.
    """

    vectorised = False
    tells_none = True

    def __init__(self, state: str, there: tuple[Any, ...] | None, rule: Rule) -> None:
        self.needs = (state, *rule.needs)
        self._there, self._rule = there, rule

    def one(self, bits: Bits, *inputs: object) -> Any:
        """The value, or None."""
        is_there = (
            inputs[0] is not None
            if self._there is None
            else any(inputs[0] is one or inputs[0] == one for one in self._there)
        )
        return self._rule.one(bits, *inputs[1:]) if is_there else None


def standing_rule(found: When, siblings: Siblings, rule: Rule) -> Rule | None:
    """The rule of an optional moment that a state tells of; None where none does.

    Args:
        found: what its name tells.
        siblings: all fields of the record.
        rule: draws it where it is there.
    """
    for front in dict.fromkeys((found.front, "")):
        for state in those(siblings, _STATES, front):
            there = _there(_members(siblings[state]), found.word)
            if there and not siblings[state].optional:
                return Where(state, there, rule)
    for name, node in siblings.items():
        if node.bare is not bool or node.optional:
            continue
        word = plain(name).removeprefix("is_").removeprefix("was_").removeprefix("has_")
        if plain(name) in _GOING_ON and found.word in _ENDS:
            return Where(name, (False,), rule)
        if any({word, found.word} <= alike for alike in _ALIKE) or word == found.word:
            return Where(name, (True,), rule)
    return None


def _members(node: Node) -> dict[str, Any]:
    """The values that a state may have, by their words, in their order."""
    if node.is_enum:
        return {plain(one.name): one for one in node.bare}
    if node.kind is Kind.LITERAL:
        return {plain(str(one)): one for one in node.values}
    return {one: one for one in words.STATUSES} if node.bare is str else {}


def _there(members: Mapping[str, Any], word: str) -> tuple[Any, ...]:
    """The states in which something that is called so has happened."""
    names = list(members)
    # its own word goes before those that mean about the same
    alike = {word} if word in names else next((one for one in _ALIKE if word in one), {word})
    at = next((n for n, name in enumerate(names) if name in alike or name == word), None)
    if at is None:
        return ()
    here = [name for name in names if name in alike or name == word]
    if names[at] in _ASIDE:
        return tuple(members[name] for name in here)
    later = [name for name in names[at:] if name not in _ASIDE or name in here]
    return tuple(members[name] for name in dict.fromkeys([*here, *later]))
