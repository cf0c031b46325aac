"""What a name suggests because of the fields beside it, and what it suggests alone: that is drawn
where the others are told so that nothing comes of them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule


class Belonging(Rule):
    """A rule that the urn itself found, from other fields.

    Args:
        rule: the rule.
        alone: makes the rule of the name alone.
        may_be_none: whether the field may be None.
    """

    vectorised = False

    def __init__(self, rule: Rule, alone: Callable[[], Rule], may_be_none: bool) -> None:
        self._rule, self.make_alone, self._may_be_none = rule, alone, may_be_none
        self.needs, self.tells_none = rule.needs, rule.tells_none
        self._alone: Rule | None = None

    def one(self, bits: Bits, *inputs: object) -> Any:
        """The value that belongs to the others; where they are told so that there is none, another
        one.
        """
        try:
            value = self._rule.one(bits, *inputs)
        except Exception:  # a text where a number should be, told on purpose
            return self._other(bits)
        if value is None and not self._may_be_none:
            return self._other(bits)
        return value

    def _other(self, bits: Bits) -> Any:
        if self._alone is None:
            self._alone = self.make_alone()
        return self._alone.one(bits.sub(2))

    def many(self, lanes: Any, *inputs: Sequence[Any]) -> list[Any]:
        """Likewise."""
        try:
            values = self._rule.many(lanes, *inputs)
        except Exception:
            return super().many(lanes, *inputs)
        if self._may_be_none or None not in values:
            return values
        return super().many(lanes, *inputs)
