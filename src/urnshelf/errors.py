"""The one family of errors: each message tells what happened, with which values, and what to do."""

from __future__ import annotations


class UrnShelfError(Exception):
    """The family: every error that the library itself raises.

    >>> issubclass(UnansweredCall, UrnShelfError)
    True
    """


class UnansweredCall(UrnShelfError):
    """A fake was called and nothing answers the call: no cue, no reading, no obvious reply.

    The refusal is also noted on the shelf, so that a service which catches it does not hide it.
    """


class InterfaceRefused(UrnShelfError):
    """What was given cannot be faked, or does not say which fake is meant."""


class CueRefused(UrnShelfError):
    """A cue, a tally or a look at calls that the fake's interface does not allow, or a cue left
    without a reply.
    """


class ReplyRefused(UrnShelfError):
    """A reply that the method does not promise, or that a cue cannot give."""


class RepliesSpent(UrnShelfError):
    """A cue told to refuse when its values are spent was asked once more."""


class RefusalHidden(UrnShelfError):
    """Leaving the shelf: a call was refused during the test, and something caught the refusal."""


class RecordRefused(UrnShelfError):
    """A record, or a type of record, that the shelf cannot take or draw."""


class RecordMissing(UrnShelfError):
    """No record on the shelf has this key."""


class FurnishRefused(UrnShelfError):
    """A service cannot be built: a parameter is neither given, nor an interface, nor has it a
    default.
    """


class RecordOutdated(UrnShelfError):
    """A record was saved that had been changed by somebody else since it was read."""


class ClockRefused(UrnShelfError):
    """The shelf's clock was told something that is no time, or to run backwards."""


class UnitRefused(UrnShelfError):
    """Two units of work at once over the same records, or one that was left before it was
    entered.
    """


class FileRefused(UrnShelfError):
    """A file or a database whose data cannot be taken in, or written; nothing on the shelf was
    changed.
    """
