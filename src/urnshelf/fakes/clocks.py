"""Clock interfaces: what tells the time, or sleeps, is the shelf's clock."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from urnshelf.caches import remembered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.clock import Clock
from urnshelf.interfaces.members import Member
from urnshelf.types.forms import full_name

_MOMENTS = frozenset(
    {"now", "utcnow", "utc_now", "now_utc", "get_now", "current_time", "get_current_time"}
)
_SECONDS = frozenset(
    {"time", "timestamp", "now", "monotonic", "perf_counter", "unix_time", "epoch"}
)
_ZONES = frozenset({"tz", "tzinfo", "timezone", "zone"})


Teller = Callable[[str, Clock, tuple[Any, ...]], Any]


def clock_reply(call: LiveCall, clock: Clock) -> Any:
    """What the shelf's clock answers; `NO_REPLY` where the method is no clock's."""
    tell = _teller(call.target.member)
    return NO_REPLY if tell is None else tell(call.target.member.name, clock, call.live)


def is_of_a_clock(member: Member) -> bool:
    """Whether the method is a clock's."""
    tell = _teller(member)
    if tell is None or tell is _sleep:
        return tell is _sleep
    # asked of a clock that nobody uses, only to see whether it answers
    return tell(member.name, Clock(), (None,) * len(member.parameters)) is not NO_REPLY


@remembered
def _teller(member: Member) -> Teller | None:
    """What answers the method; None where it is no clock's."""
    if member.kind == "attribute":
        return None
    if member.name == "sleep":
        return _sleep
    promised = member.promise.node
    if (
        promised.optional
        or not isinstance(promised.bare, type)
        or not set(member.parameters) <= _ZONES
    ):
        return None
    return _TELLERS.get(full_name(promised.bare))


def _sleep(_name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    """Sleeping takes no time; the clock moves on."""
    from datetime import timedelta

    if (
        len(live) != 1
        # `sleep(True)` is no span of time
        or isinstance(live[0], bool)
        or not isinstance(live[0], (int, float, timedelta))
    ):
        return NO_REPLY
    clock.advance(live[0] if isinstance(live[0], timedelta) else timedelta(seconds=live[0]))
    return None


def _moment(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    if name not in _MOMENTS:
        return NO_REPLY
    zone = next((value for value in live if value is not None), None)
    return clock.now if zone is None else clock.now.astimezone(zone)


def _day(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    return (
        clock.now.date()
        if name in ("today", "current_date", "get_today") and not live
        else NO_REPLY
    )


def _seconds(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    return clock.now.timestamp() if name in _SECONDS and not live else NO_REPLY


def _whole_seconds(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    if name in ("time_ns", "monotonic_ns"):
        return int(clock.now.timestamp()) * 10**9
    return int(clock.now.timestamp()) if name in _SECONDS and not live else NO_REPLY


_TELLERS: dict[str, Teller] = {
    "datetime.datetime": _moment,
    "datetime.date": _day,
    "builtins.float": _seconds,
    "builtins.int": _whole_seconds,
}
