"""The shelf's clock: it stands still until a test moves it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from urnshelf.errors import ClockRefused

if TYPE_CHECKING:
    from datetime import datetime, timedelta


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
        """The moment that it shows, in UTC.

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
            moment: with a time zone.

        Raises:
            ClockRefused: no moment, or one without a time zone.

        >>> _ = shelf.clock.set(NOON.replace(hour=15))
        >>> shelf.clock.now.hour
        15
        """
        from datetime import UTC, datetime

        if not isinstance(moment, datetime) or moment.tzinfo is None:
            raise ClockRefused(
                f"clock.set({moment!r}): give a datetime with a time zone, as datetime(…, "
                "tzinfo=UTC)"
            )
        self._now = moment.astimezone(UTC)
        return self._now

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
                f"clock.advance({words}): give a timedelta, or days=, hours=, minutes=, seconds="
            ) from None
        if length < timedelta():
            raise ClockRefused(
                f"clock.advance({length!r}): a clock runs forwards; .set(…) may go back"
            )
        self._now = self.now + length
        return self._now

    def __repr__(self) -> str:
        return f"<clock at {self.now.isoformat()}>"
