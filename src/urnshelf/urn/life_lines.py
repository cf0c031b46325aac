"""Moments and days in the order in which things happen: nothing ends before it starts."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, NamedTuple

from urnshelf.caches import remembered
from urnshelf.urn.mixing import Bits
from urnshelf.urn.rules.base import Rule
from urnshelf.urn.rules.later import After
from urnshelf.urn.rules.ranges import between
from urnshelf.urn.shares import MonthsLater
from urnshelf.urn.siblings import Siblings, plain

_FIRST, _LAST = datetime(2028, 1, 1, tzinfo=UTC), datetime(2030, 5, 31, 23, 59, 59, tzinfo=UTC)
TODAY = datetime(2030, 6, 1, 12, tzinfo=UTC)
"""The urn's own: a shelf's clock shows it."""
_DAY = 86_400


class Stage(NamedTuple):
    """One stage of what happens.

    Args:
        words: what fields of it are called.
        after: the stages before it.
        low, high: the gap in days.
        is_past: whether it has happened by today.
        stops: whether it is None where an optional field of the stage before is.
    """

    words: frozenset[str]
    after: tuple[str, ...]
    low: int
    high: int
    is_past: bool = False
    stops: bool = False


def _stage(words: str, *more: Any, **named: Any) -> Stage:
    return Stage(frozenset(words.split()), *more, **named)


STAGES: dict[str, Stage] = {
    "born": _stage("birth birthday born date_of_birth birth_date dob birthdate", (), 0, 0),
    "made": _stage(
        "manufactured produced published founded baked brewed harvested printed", (), 1, 90
    ),
    "created": _stage(
        "created registered joined ordered placed requested submitted reported applied invited "
        "announced enrolled drafted signed_up quoted booked reserved opened inserted added filed "
        "creation registration order booking request application hired measured observed recorded "
        "captured sampled sent posted uploaded scheduled logged raised planted purchased bought "
        "launched introduced",
        ("made",), 1, 30,
    ),
    "approved": _stage(
        "approved confirmed accepted verified activated signed assigned triaged acknowledged "
        "granted approval reviewed authorised authorized",
        ("created",), 0, 3, True,
    ),
    "issued": _stage("issued invoiced billed issue invoice", ("created", "approved"), 0, 5, True),
    "due": _stage("due deadline payable due_by pay_by", ("issued", "created", "start"), 14, 30),
    "paid": _stage(
        "paid settled payment charged", ("issued", "created", "approved", "start"), 0, 25, True
    ),
    "start": _stage(
        "start starts started begin begins began beginning valid_from effective effective_from "
        "from "
        "installed admitted admission moved_in check_in checked_in first commenced employed "
        "employment_start since first_seen active_from peak_from lent borrowed rented departure "
        "entered entry opens leaves departs",
        ("created", "approved", "made"), 1, 40,
    ),
    "shipped": _stage(
        "shipped dispatched despatched sailed picked_up collected departed left_port shipment",
        ("created", "approved"), 1, 4, True,
    ),
    "arrived": _stage(
        "delivered arrived received landed handed_over fetched delivery eta",
        ("shipped", "created"), 0, 9, True, True,
    ),
    "given": _stage("given administered vaccinated performed treated", ("made", "created"), 5, 60),
    "last": _stage(
        "last last_read last_seen last_login last_used last_visit last_active latest last_checked "
        "last_inspected last_payment last_order",
        ("start", "created", "first"), 1, 200, True,
    ),
    "end": _stage(
        "end ends ended finish finishes finished ending until to valid_until valid_to effective_to "
        "discharged discharge moved_out check_out checked_out closed completed resolved left "
        "terminated removed returned concluded released solved fixed done employment_end active_to "
        "active_until peak_until retired decommissioned uninstalled arrival exited exit stopped "
        "discontinued repaid closes arrives",
        ("start", "last", "created"), 1, 60,
    ),
    "expires": _stage(
        "expires expiry expiration expired best_before warranty_until use_by good_until",
        ("given", "start", "issued", "made", "created"), 90, 1000,
    ),
    "next": _stage(
        "next next_due next_visit next_inspection next_review next_service renewal follow_up",
        ("given", "last", "start", "created"), 20, 200,
    ),
    "updated": _stage(
        "updated modified changed edited touched last_updated last_modified last_changed synced",
        ("created",), 0, 60, True,
    ),
    "payday": _stage("pay payday pay_day", ("end", "start"), 0, 6),
    "coming": _stage(
        "matures maturity renews rolls_over",
        ("start", "created", "made", "approved", "issued", "event"), 20, 400,
    ),
    "event": _stage("", ("created", "start", "made", "approved"), 1, 60, True),
    "gone": _stage(
        "cancelled canceled deleted archived refunded withdrawn rejected declined revoked "
        "suspended blocked voided lapsed cancellation",
        ("created", "issued", "start"), 0, 40, True,
    ),
}  # fmt: skip
_IRREGULAR = frozenset(
    """
    sold paid sent lost built bought taken given kept held read won done gone made spent withdrawn
    begun written drawn told found caught woken fallen broken chosen
    """.split()
)
_SETTLED = frozenset(
    """
    closed completed resolved finished solved fixed done approved confirmed accepted paid settled
    shipped dispatched delivered received cancelled canceled archived refunded rejected declined
    """.split()
)
"""What a record tells of when it is changed for the last time."""
_IN_TURN = ("created", "approved", "shipped", "arrived", "end", "event")
_BY_WORD = {word: name for name, stage in STAGES.items() for word in stage.words}
_HOURS = frozenset("end ends ended finish finishes finished exited exit stopped".split())
"""Of moments these come within hours of the start."""
_ENDINGS = ("at", "on", "date", "time", "day", "datetime", "timestamp", "ts", "moment")
_LONG = {"valid_until": 365, "valid_to": 365, "effective_to": 365, "moved_out": 900, "left": 700,
         "removed": 700, "terminated": 700, "retired": 700}  # fmt: skip
_SOON = {"received": 1, "discharged": 14, "check_out": 7, "checked_out": 7}
"""The gap of some is longer, or shorter, than that of their stage."""


class When(NamedTuple):
    """What a field's name tells of when it is.

    Args:
        front: what stands before.
        word: …
        stage: by its name.
    """

    front: str
    word: str
    stage: str


@remembered
def when(name: str) -> When | None:
    """What the name of a field tells of when it is; None where it tells nothing.

    >>> when("actual_start_time")
    When(front='actual', word='start', stage='start')
    """
    words = plain(name).split("_")
    while len(words) > 1 and words[-1] in _ENDINGS:
        words.pop()
    for begin in range(len(words)):
        word = "_".join(words[begin:])
        if word in _BY_WORD:
            return When("_".join(words[:begin]), word, _BY_WORD[word])
    if words[0] in ("last", "next", "first") and len(words) > 1:
        return When("", "_".join(words), words[0] if words[0] != "first" else "start")
    if words[-1].endswith("s") and plain(name).endswith((f"{words[-1]}_on", f"{words[-1]}_at")):
        return When("", words[-1], "coming")  # what it does on some day, such as `reopens_on`
    # any other participle is something that happened
    is_event = words[-1].endswith("ed") or words[-1] in _IRREGULAR
    return When("", words[-1], "event") if is_event and len(words[-1]) > 3 else None


def time_rule(name: str, form: Any, siblings: Siblings) -> Rule | None:
    """The rule of a moment, a day or a time of day; None where the name tells nothing.

    Args:
        name: of the field.
        form: datetime, date or time.
        siblings: all fields of the record.
    """
    found = _found(name, siblings)
    if form is time:
        return _hour_rule(name, found, siblings)
    if found is None:
        words = plain(name).split("_")
        return _usual(form) if len(words) > 1 and words[-1] in _ENDINGS else None
    if found.stage == "born":
        return _birth(form, siblings)
    earlier = list(_earlier(name, found, siblings))
    usual = _usual(form)
    if not earlier:
        return usual
    stage = STAGES[found.stage]
    low, high = _gap(found, stage, earlier, siblings)
    per = _DAY if form is datetime else 1
    least = low * per if form is date else max(low * per, 600)
    if form is datetime and found.word in _HOURS:
        least, per, high = 900, 1, 36_000
    if form is date and found.stage in ("end", "expires", "coming") and len(earlier) == 1:
        months = _months(found, siblings)
        if months is not None:
            return MonthsLater(earlier[0], months)
    is_flight = {when_of(siblings, one).word for one in earlier} & {
        "departure"
    } and form is datetime
    if is_flight and found.word == "arrival":
        least, per, high = 2400, 1, 50_000
    latest = TODAY if stage.is_past else None
    stops = _stops(name, stage, earlier, siblings)
    step = 1 if form is date else 60
    step = 300 if is_flight else step
    return After(tuple(earlier), least, high * per, form, usual, latest, stops, step=step)


def _months(found: When, siblings: Siblings) -> str | None:
    """The field that tells how many months it is until then."""
    names = (f"{found.front}_months",) if found.front else ("term_months", "duration_months")
    return next(
        (one for one in names if one in siblings and siblings[one].bare is int
         and not siblings[one].optional), None,
    )  # fmt: skip


def when_of(siblings: Siblings, name: str) -> When:
    """What a field that is known to be a moment tells of when it is."""
    found = _found(name, siblings)
    return found if found is not None else When("", "", "")


def _found(name: str, siblings: Siblings) -> When | None:
    """What a name tells; of arrival and departure that which stands first comes first."""
    found = when(name)
    if found is None or found.word not in ("arrival", "departure"):
        return found
    both = [
        one.word for other in siblings
        if (one := when(other)) is not None and one.front == found.front
        and one.word in ("arrival", "departure")
    ]  # fmt: skip
    stage = "start" if both[0] == found.word else "end"
    return found._replace(stage=stage)


def _usual(form: Any) -> Rule:
    return between(_FIRST, _LAST) if form is datetime else between(_FIRST.date(), _LAST.date())


def _birth(form: Any, siblings: Siblings) -> Rule | None:
    works = any(
        one is not None and one.word in ("hired", "employed") for one in map(when, siblings)
    )
    low, high = (
        (date(1965, 1, 1), date(2008, 12, 31)) if works else (date(1945, 1, 1), date(2011, 12, 31))
    )
    if form is datetime:
        return between(datetime.combine(low, time(), UTC), datetime.combine(high, time(), UTC))
    return between(low, high)


def _earlier(name: str, found: When, siblings: Siblings) -> Iterator[str]:
    """The fields that come before: of the stages before, with the same words in front."""
    before = STAGES[found.stage].after
    candidates = []
    names = list(siblings)
    for other, node in siblings.items():
        one = _found(other, siblings)
        is_before = other != name and one is not None and one.stage in before
        if found.stage == "updated" and one is not None and one.word in _SETTLED:
            is_before = other != name
        if one is not None and one.stage == found.stage and other != name:
            # of two of one stage that which is declared first comes first
            is_before = found.stage in _IN_TURN and names.index(other) < names.index(name)
        if one is not None and is_before and node.bare in (datetime, date):
            candidates.append((one, other))
    if found.stage == "end" and any(one.stage in ("start", "last") for one, _ in candidates):
        candidates = [pair for pair in candidates if pair[0].stage != "created"]
    if not candidates and found.stage == "event":
        yield from _declared_before(name, siblings)
        return
    same = [other for one, other in candidates if one.front == found.front]
    yield from same or [other for one, other in candidates if not one.front or not found.front]


def _declared_before(name: str, siblings: Siblings) -> Iterator[str]:
    """The days and moments of which nothing is told, and that stand before."""
    for other, node in siblings.items():
        if other == name:
            return
        if node.bare in (datetime, date) and when(other) is None and not node.optional:
            yield other


def _gap(found: When, stage: Stage, earlier: list[str], siblings: Siblings) -> tuple[int, int]:
    high = _LONG.get(found.word, _SOON.get(found.word, stage.high))
    words = {when_of(siblings, one).word for one in earlier}
    if found.stage == "end" and words & {"hired", "installed", "employed", "moved_in"}:
        high = max(high, 900)
    if found.word in _LONG:
        return 60, high
    return (0 if found.word in _SOON else stage.low), high


def _stops(name: str, stage: Stage, earlier: list[str], siblings: Siblings) -> tuple[str, ...]:
    """The optional fields without which this one is not there, either."""
    if not stage.stops or not siblings[name].optional:
        return ()
    return tuple(one for one in earlier if siblings[one].optional)


# --- times of day ---------------------------------------------------------------------------------


class _Hours(Rule):
    """Times of day in quarters of an hour."""

    def __init__(self, low: int, high: int) -> None:
        self._low, self._count = low * 4, (high - low) * 4 + 1

    def raw(self, bits: Any) -> Any:
        return bits.below(self._count) + self._low

    def finish(self, raw: int) -> time:
        return time(raw // 4, raw % 4 * 15)


class _LaterHours(Rule):
    """Times of day after another one, before midnight."""

    vectorised = False

    def __init__(self, earlier: str) -> None:
        self.needs = (earlier,)

    def one(self, bits: Bits, *inputs: Any) -> Any:
        first = inputs[0]
        if not isinstance(first, time):
            return None
        begun = timedelta(hours=first.hour, minutes=first.minute, seconds=first.second)
        room = (timedelta(hours=23, minutes=59, seconds=59) - begun) // timedelta(minutes=15)
        if room < 1:
            return first.replace(hour=23, minute=59, second=59, microsecond=999_999)
        later = begun + timedelta(minutes=15) * bits.between(1, min(room, 32))
        seconds = int(later.total_seconds())
        return first.replace(hour=seconds // 3600, minute=seconds // 60 % 60, second=seconds % 60)


_SUN = {"sunrise": (4, 8), "sunset": (16, 21)}


def _hour_rule(name: str, found: When | None, siblings: Siblings) -> Rule | None:
    if plain(name) in _SUN:
        return _Hours(*_SUN[plain(name)])
    if found is None:
        return None
    if found.stage == "end":
        for other, node in siblings.items():
            one = _found(other, siblings)
            is_start = one is not None and one.stage == "start" and one.front == found.front
            if is_start and other != name and node.bare is time and not node.optional:
                return _LaterHours(other)
    return _Hours(6, 16) if found.stage == "start" else None
