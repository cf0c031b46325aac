"""Clock interfaces: what tells the time, or sleeps, is the shelf's clock."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any

from urnshelf.caches import remembered
from urnshelf.calls.ledger import NO_REPLY, LiveCall
from urnshelf.clock import Clock
from urnshelf.interfaces.members import Member
from urnshelf.interfaces.signatures import name_of_routine
from urnshelf.records.description import snake_case
from urnshelf.types.forms import full_name

_MOMENTS = frozenset(
    {"now", "utcnow", "utc_now", "now_utc", "get_now", "current_time", "get_current_time"}
)
_SECONDS = frozenset(
    {"time", "timestamp", "now", "monotonic", "perf_counter", "unix_time", "epoch"}
)
_ZONES = frozenset({"tz", "tzinfo", "timezone", "zone"})


_DAYS = frozenset({"today", "current_date", "get_today"})
_CLOCK_WORDS = frozenset({"clock", "now", "utcnow", "time"})

_STANDARD = frozenset(
    """
    time.sleep time.time time.time_ns time.monotonic time.monotonic_ns time.perf_counter
    asyncio.tasks.sleep datetime.datetime.now datetime.datetime.utcnow datetime.datetime.today
    datetime.date.today
    """.split()
)
"""Functions of the standard library that tell the time, or sleep."""

Teller = Callable[[str, Clock, tuple[Any, ...]], Any]


def clock_reply(call: LiveCall, clock: Clock) -> Any:
    """What the shelf's clock answers; `NO_REPLY` where the method is no clock's."""
    tell = _teller(call.target.member)
    return NO_REPLY if tell is None else tell(_name(call.target.member), clock, call.live)


def is_of_the_standard_clock(thing: object) -> bool:
    """Whether it is a function of the standard library that tells the time, or sleeps."""
    return inspect.isroutine(thing) and name_of_routine(thing) in _STANDARD


def is_of_a_clock(member: Member) -> bool:
    """Whether the method, or the property, is a clock's."""
    tell = _teller(member)
    if tell is None or tell is _sleep:
        return tell is _sleep
    # asked of a clock that nobody uses, only to see whether it answers
    return tell(_name(member), Clock(), (None,) * len(member.parameters)) is not NO_REPLY


@remembered
def _name(member: Member) -> str:
    """What it is called; of a callable, what its function or its type says that it is."""
    if member.name != "__call__":
        return member.name
    if member.owner is None and member.function is not None:
        return str(member.function.__name__)
    if member.promise.awaited:
        return "sleep" if _is_a_span(member) else ""
    promised = member.promise.node.bare
    tells = full_name(promised) if isinstance(promised, type) else ""
    words = () if member.owner is None else snake_case(member.owner.__name__).split("_")
    # `Callable[[], datetime]` can hardly be anything else; a class may be called NextTide
    is_clock = member.owner is None or not _CLOCK_WORDS.isdisjoint(words)
    return "now" if is_clock and tells == "datetime.datetime" else ""


def _is_a_span(member: Member) -> bool:
    """Whether a callable awaits as long as it is told, and gives nothing."""
    nodes = list(member.parameter_nodes.values())
    if not member.promise.is_nothing or len(nodes) != 1 or not isinstance(nodes[0].bare, type):
        return False
    return full_name(nodes[0].bare) in ("builtins.float", "builtins.int", "datetime.timedelta")


@remembered
def _teller(member: Member) -> Teller | None:
    """What answers the method; None where it is no clock's."""
    promised = member.promise.node
    tell = _TELLERS.get(full_name(promised.bare)) if isinstance(promised.bare, type) else None
    if member.kind == "attribute":
        # a `time: float` may be anybody's
        return tell if tell in (_moment, _day) and not promised.optional else None
    if _name(member) == "sleep":
        return _sleep
    if promised.optional or not set(member.parameters) <= _ZONES:
        return None
    return tell


def _sleep(_name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    """Sleeping takes no time; the clock moves on."""
    from datetime import timedelta

    # asyncio's takes what it is to give besides
    if (
        not live
        or any(one is not None for one in live[1:])
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
    return clock.now if zone is None else clock.in_zone(zone)


def _day(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    return clock.now.date() if name in _DAYS and not live else NO_REPLY


def _seconds(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    return clock.timestamp if name in _SECONDS and not live else NO_REPLY


def _whole_seconds(name: str, clock: Clock, live: tuple[Any, ...]) -> Any:
    if name in ("time_ns", "monotonic_ns"):
        return int(clock.timestamp) * 10**9
    return int(clock.timestamp) if name in _SECONDS and not live else NO_REPLY


_TELLERS: dict[str, Teller] = {
    "datetime.datetime": _moment,
    "datetime.date": _day,
    "builtins.float": _seconds,
    "builtins.int": _whole_seconds,
}
