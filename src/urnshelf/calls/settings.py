"""The settings of a shelf: what is checked, what is told, what is refused, and the limits."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from urnshelf.errors import SettingRefused
from urnshelf.near_names import nearest

_CHOICES: dict[str, tuple[object, ...]] = {
    "check_replies": (True, False),
    "unanswered": ("refuse", "empty"),
    "unused_cues": ("tell", "refuse"),
    "defaults": ("drawn", "declared"),
}


class Settings:
    """What a shelf was told.

    Args:
        check_replies: whether replies must be of the promised type.
        unanswered: whether a call that nothing answers is refused, or gets an empty value.
        unused_cues: whether cues that were never used are told, or fail the test.
        refusal_limit: so many refusals of one method end the test.
        repeat_limit: so many calls of one method in a row, answered by the last of its values again
            and again, end the test.
        ledger_size: so many calls are kept, at least, where a kiosk takes more requests.
        defaults: whether fields of drawn records that have a default are drawn, or kept at it.
    """

    names = (
        "check_replies", "unanswered", "unused_cues", "refusal_limit", "repeat_limit",
        "ledger_size", "defaults",
    )  # fmt: skip
    __slots__ = names

    def __init__(
        self,
        check_replies: bool = True,
        unanswered: Literal["refuse", "empty"] = "refuse",
        unused_cues: Literal["tell", "refuse"] = "tell",
        refusal_limit: int = 200,
        repeat_limit: int = 10_000,
        ledger_size: int = 20_000,
        defaults: Literal["drawn", "declared"] = "drawn",
    ) -> None:
        self.check_replies = check_replies
        self.unanswered = unanswered
        self.unused_cues = unused_cues
        self.refusal_limit = refusal_limit
        self.repeat_limit = repeat_limit
        self.ledger_size = ledger_size
        self.defaults: Literal["drawn", "declared"] = defaults


USUAL = Settings()


def settings_of(told: Mapping[str, Any], where: str = "", others: tuple[str, ...] = ()) -> Settings:
    """The settings, those that were not told at their usual values.

    Args:
        told: by name.
        where: what says so, for the message.
        others: what may stand there besides.

    Raises:
        SettingRefused: a name that is none, or a value that it does not take.

    >>> settings_of({"unused_cues": "refuse"}).unused_cues
    'refuse'
    """
    if not told:
        return USUAL
    for name, value in told.items():
        why = _why_not(name, value, others)
        if why:
            raise SettingRefused(f"{where}{name}={value!r}: {why}")
    return Settings(**told)


def _why_not(name: str, value: object, others: tuple[str, ...]) -> str:
    if name not in Settings.names:
        return f"there is no such setting; {nearest(name, (*others, *Settings.names), 'there are')}"
    choices = _CHOICES.get(name)
    if choices is None:
        is_whole = isinstance(value, int) and not isinstance(value, bool) and value > 0
        return "" if is_whole else "a whole number from 1 is needed"
    fits = any(type(value) is type(one) and value == one for one in choices)
    return "" if fits else f"choose {' or '.join(map(repr, choices))}"
