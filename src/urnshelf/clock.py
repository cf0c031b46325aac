"""The shelf's clock: it stands still until a test moves it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from urnshelf.errors import ClockRefused

if TYPE_CHECKING:
    from datetime import datetime, timedelta, tzinfo


class Clock:
    """A clock that starts at noon (UTC) of the first of June 2030 and moves only when it is told.

    It can be called, and so be given wherever a function is wanted that tells the time.

    >>> clock = Clock()
    >>> clock.advance(hours=1, minutes=30)
    datetime.datetime(2030, 6, 1, 13, 30, tzinfo=datetime.timezone.utc)
    >>> clock() == clock.now
    True
    """

    def __init__(self) -> None:
        self._now: datetime | None = None

    @property
    def now(self) -> datetime:
        """The moment that it shows: in UTC, or in the zone that was set last, or without one.

        >>> shelf.clock.now
        datetime.datetime(2030, 6, 1, 12, 0, tzinfo=datetime.timezone.utc)
        """
        if self._now is None:
            from datetime import UTC, datetime  # a test without a clock does not pay for it

            self._now = datetime(2030, 6, 1, 12, tzinfo=UTC)
        return self._now

    def __call__(self) -> datetime:
        """The moment that it shows."""
        return self.now

    def set(self, moment: datetime) -> datetime:
        """Show this moment; it may be earlier than the one shown now.

        Args:
            moment: its time zone is kept; without one, the clock tells moments without one from
                now on, for services that do.

        Raises:
            ClockRefused: no moment.

        >>> _ = shelf.clock.set(NOON.replace(hour=15))
        >>> shelf.clock.now.hour
        15
        >>> shelf.clock.set(NOON.replace(tzinfo=None)).tzinfo is None
        True
        """
        from datetime import datetime

        if not isinstance(moment, datetime):
            raise ClockRefused(
                f"shelf.clock.set({moment!r}): give a datetime, as datetime(2031, 1, 1, tzinfo=UTC)"
            )
        self._now = moment
        return moment

    def as_shown(self, moment: datetime) -> datetime:
        """A moment as this clock tells moments: one without a zone is in the clock's own; for a
        clock without a zone, moments with one are told in UTC.

        >>> shelf.clock.as_shown(NOON.replace(tzinfo=None)) == shelf.clock.now
        True
        """
        from datetime import UTC

        zone = self.now.tzinfo
        if zone is None:
            return moment if moment.tzinfo is None else moment.astimezone(UTC).replace(tzinfo=None)
        return moment.replace(tzinfo=zone) if moment.tzinfo is None else moment

    def in_zone(self, zone: tzinfo) -> datetime:
        """The moment that it shows, in another time zone; a clock without one is taken for UTC.

        >>> from datetime import timezone, timedelta
        >>> shelf.clock.in_zone(timezone(timedelta(hours=2))).hour
        14
        """
        from datetime import UTC

        now = self.now if self.now.tzinfo else self.now.replace(tzinfo=UTC)
        return now.astimezone(zone)

    @property
    def timestamp(self) -> float:
        """The seconds since 1970 that it shows; a clock without a zone is taken for UTC.

        >>> shelf.clock.timestamp
        1906545600.0
        """
        from datetime import UTC

        return self.in_zone(UTC).timestamp()

    def advance(self, span: timedelta | None = None, **parts: float) -> datetime:
        """Move on.

        Args:
            span: how far, as one value; or
            parts: `days=`, `hours=`, `minutes=`, `seconds=`, `milliseconds=`, `weeks=`.

        Returns:
            The moment that it shows now.

        Raises:
            ClockRefused: backwards, or not a length of time.

        >>> _ = shelf.clock.advance(hours=2, minutes=30)
        >>> f"{shelf.clock.now:%H:%M}"
        '14:30'
        """
        from datetime import timedelta

        try:
            length = (span or timedelta()) + timedelta(**parts)
        except TypeError:
            words = ", ".join(
                [
                    *([repr(span)] if span is not None else []),
                    *(f"{k}={v!r}" for k, v in parts.items()),
                ]
            )
            raise ClockRefused(
                f"shelf.clock.advance({words}): give a timedelta, or days=, hours=, minutes=, "
                "seconds="
            ) from None
        if length < timedelta():
            raise ClockRefused(
                f"shelf.clock.advance({length!r}): a clock runs forwards; .set(…) may go back"
            )
        from datetime import UTC

        zone = self.now.tzinfo
        # by the wall's clock an hour may be none, or two: summer time begins and ends
        self._now = (
            self.now + length if zone is None else (self.in_zone(UTC) + length).astimezone(zone)
        )
        return self._now

    def __repr__(self) -> str:
        return f"<clock at {self.now.isoformat()}>"
