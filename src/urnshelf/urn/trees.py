"""Fields that name another record of the same type: somebody else, or nobody, and never in a
circle.
"""

from __future__ import annotations

from typing import Any

from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.siblings import Siblings, plain

_ABOVE = frozenset(
    """
    manager parent supervisor boss superior reports_to mentor parent_category parent_folder
    parent_department predecessor previous reply_to in_reply_to replaces referred_by
    """.split()
)


def tree_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a number that names the record above; None for any other.

    Args:
        name: of the field.
        form: its type.
        siblings: all fields of the record.
    """
    key = siblings.get("id")
    if form is not int or key is None or key.bare is not int or key.optional:
        return None
    is_above = plain(name).removesuffix("_id") in _ABOVE and (
        plain(name).endswith(("_id", "_to")) or plain(name) in _ABOVE
    )
    return _Above() if is_above and siblings[name].optional else None


class _Above(Rule):
    """One of those before it, or nobody; of the first some have nobody above."""

    vectorised = False
    tells_none = True
    needs = ("id",)

    def one(self, bits: Bits, *inputs: Any) -> Any:
        """The key of one that was drawn before."""
        own = inputs[0]
        if not isinstance(own, int) or own <= 1 or bits.below(20) == 0:
            return None
        return bits.between(max(1, own // 8), max(1, own // 2))
