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

    >>> Shelf().fake(TideService).depth_at("Ternhythe", NOON)
    Traceback (most recent call last):
        ...
    urnshelf.errors.UnansweredCall: TideService.depth_at(harbour='Ternhythe',...
    """


class InterfaceRefused(UrnShelfError):
    """What was given cannot be faked, or does not say which fake is meant.

    >>> shelf.fake(7)
    Traceback (most recent call last):
        ...
    urnshelf.errors.InterfaceRefused: cannot fake 7: a fake is made from a...
    """


class EndlessCalls(BaseException):
    """The code under test calls on and on: a method that nothing answers, or one whose last value
    comes again and again. Not of the family, so that `except Exception` does not catch it, too.

    >>> with Shelf(refusal_limit=2) as shelf, shelf.refusals_expected():
    ...     while True:
    ...         try:
    ...             shelf.fake(TideService).depth_at("Ternhythe", NOON)
    ...         except Exception:
    ...             pass
    Traceback (most recent call last):
        ...
    urnshelf.errors.EndlessCalls: TideService.depth_at was refused 2 times, and is called...
    """


class OverFakesOnly(BaseException):
    """A test that cannot run over the real adaptors, where `--urnshelf-real` wants that: it is
    skipped, and this is why. Not of the family, so that nothing in the test catches it.
    """


class CueRefused(UrnShelfError):
    """A cue, a tally or a look at calls that the fake's interface does not allow, or a cue left
    without a reply.

    >>> cue(shelf.fake(TideService).depth_at, harbor="Ternhythe")
    Traceback (most recent call last):
        ...
    urnshelf.errors.CueRefused: cue(TideService.depth_at, harbor='Ternhythe'):...
    """


class LookRefused(UrnShelfError):
    """A look at calls that would prove nothing: at a fake that nothing uses, or over two shelves.

    >>> desk = shelf.furnish(MooringDesk)
    >>> tally(shelf.fake(TideService, name="backup").depth_at)
    Traceback (most recent call last):
        ...
    urnshelf.errors.LookRefused: nothing was ever done with shelf.fake(TideService,...
    """


class CallMissing(UrnShelfError, IndexError, ValueError):
    """A call, or just one call, where the ledger has none, or several.

    >>> ledger_of(shelf.fake(PilotPager).page)[0]
    Traceback (most recent call last):
        ...
    urnshelf.errors.CallMissing: PilotPager.page: there is no call [0], there are none
    """


class ArgumentMissing(UrnShelfError, AttributeError, KeyError):
    """A call has no argument of this name, or at this position.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> ledger_of(shelf.fake(PilotPager).page)[0].arguments.vessel
    Traceback (most recent call last):
        ...
    urnshelf.errors.ArgumentMissing: PilotPager.page(vessel_id=7, message='Gray...
    """

    __str__ = Exception.__str__  # a KeyError shows its text in quotes


class NotInTime(UrnShelfError, AssertionError):
    """What was waited for did not come true in time.

    >>> shelf.wait_until(lambda: tally(shelf.fake(PilotPager).page) == 1, seconds=0.01)
    Traceback (most recent call last):
        ...
    urnshelf.errors.NotInTime: not true after 0.01 seconds: 0 calls of PilotPager.page...
    """


class SettingRefused(UrnShelfError, ValueError):
    """A setting that there is not, or a value that it does not take.

    >>> Shelf(unanswered="ignore")
    Traceback (most recent call last):
        ...
    urnshelf.errors.SettingRefused: unanswered='ignore': choose 'refuse' or 'empty'
    """


class ReplyRefused(UrnShelfError):
    """A reply that the method does not promise, or that a cue cannot give.

    >>> cue(shelf.fake(TideService).depth_at).gives("deep")
    Traceback (most recent call last):
        ...
    urnshelf.errors.ReplyRefused: TideService.depth_at promises float, but it is...
    """


class RepliesSpent(UrnShelfError):
    """A cue told to refuse when its values are spent was asked once more.

    >>> tides = Shelf().fake(TideService)
    >>> _ = cue(tides.depth_at).gives(6.3, when_spent="refuse")
    >>> tides.depth_at("Ternhythe", NOON)
    6.3
    >>> tides.depth_at("Ternhythe", NOON)
    Traceback (most recent call last):
        ...
    urnshelf.errors.RepliesSpent: TideService.depth_at was called once more than...
    """


class RefusalHidden(UrnShelfError):
    """Leaving the shelf: a call was refused during the test, and something caught the refusal.

    >>> with Shelf() as shelf:
    ...     try:
    ...         shelf.fake(TideService).depth_at("Ternhythe", NOON)
    ...     except Exception:
    ...         pass
    Traceback (most recent call last):
        ...
    urnshelf.errors.RefusalHidden: 1 call was refused, and the code under test...
    """


class RecordRefused(UrnShelfError):
    """A record, or a type of record, that the shelf cannot take or draw.

    >>> shelf.stock(Berth, harbor="Ternhythe")
    Traceback (most recent call last):
        ...
    urnshelf.errors.RecordRefused: Berth has no field 'harbor'; did you mean 'harbour'?
    """


class ReferenceRefused(RecordRefused):
    """A record that refers to one that is not on the shelf, or one to which another refers that
    was to be taken away.

    >>> shelf.define(Mooring, references={"berth_id": Berth})
    >>> shelf.records(Mooring).add(Mooring(None, 7, 3, NOON, 1, 6.3, dues=100))
    Traceback (most recent call last):
        ...
    urnshelf.errors.ReferenceRefused: Mooring.berth_id=3 refers to a Berth that is not on the...
    """


class RecordMissing(UrnShelfError):
    """No record on the shelf has this key.

    >>> shelf.records(Berth).get(7)
    Traceback (most recent call last):
        ...
    urnshelf.errors.RecordMissing: no Berth has id=7; on the shelf: none...
    """


class FurnishRefused(UrnShelfError):
    """A service cannot be built: a parameter is neither given, nor an interface, nor has it a
    default.

    >>> def night_desk(limit: int): ...
    >>> shelf.furnish(night_desk)
    Traceback (most recent call last):
        ...
    urnshelf.errors.FurnishRefused: night_desk cannot be built: no argument for...
    """


class SwapRefused(UrnShelfError):
    """A place that cannot be swapped, or something that does not fit into it.

    >>> shelf.swap("urnshelf.demo.harbour:Vesel")
    Traceback (most recent call last):
        ...
    urnshelf.errors.SwapRefused: there is no urnshelf.demo.harbour:Vesel; did you mean...
    """


class RecordOutdated(UrnShelfError):
    """A record was saved that had been changed by somebody else since it was read.

    >>> from dataclasses import dataclass
    >>> @dataclass
    ... class Chart:
    ...     id: int
    ...     version: int = 1
    >>> _ = shelf.define(Chart, version="version")
    >>> mine = shelf.stock(Chart(1))
    >>> _ = shelf.records(Chart).save(shelf.records(Chart).get(1))
    >>> shelf.records(Chart).save(mine)
    Traceback (most recent call last):
        ...
    urnshelf.errors.RecordOutdated: the Chart with id=1 was changed since it was...
    """


class ClockRefused(UrnShelfError):
    """The shelf's clock was told something that is no time, or to run backwards.

    >>> shelf.clock.advance(hours=-1)
    Traceback (most recent call last):
        ...
    urnshelf.errors.ClockRefused: shelf.clock.advance(datetime.timedelta(days=-1,...
    """


class UnitRefused(UrnShelfError):
    """Two units of work at once over the same records, or one that was left before it was
    entered.

    >>> from contextlib import AbstractContextManager
    >>> class Unit(AbstractContextManager):
    ...     def commit(self) -> None: ...
    ...     def rollback(self) -> None: ...
    >>> shelf.fake(Unit).commit()
    Traceback (most recent call last):
        ...
    urnshelf.errors.UnitRefused: Unit cannot commit: it was not entered; use it in...
    """


class HostRefused(UrnShelfError, OSError):
    """A host that no kiosk stands in for, while one does for another: a test reaches no real one.

    >>> import urllib.request
    >>> with shelf.refusals_expected(), shelf.kiosk("tides").stands_in_for("https://tides.example"):
    ...     urllib.request.urlopen("https://gauges.example/depth")
    Traceback (most recent call last):
        ...
    urllib.error.URLError: <urlopen error gauges.example is no host that a kiosk stands in for...
    """


class FileRefused(UrnShelfError):
    """A file or a database whose data cannot be taken in, or written; nothing on the shelf was
    changed.

    >>> shelf.load("berths.txt", Berth)
    Traceback (most recent call last):
        ...
    urnshelf.errors.FileRefused: berths.txt cannot be read: No such file or directory
    """


class DraftRefused(UrnShelfError):
    """Something of which no tests can be drafted: no such method, a dependency without a type, a
    method that never ends.

    >>> from urnshelf.drafting import draft
    >>> draft(7)
    Traceback (most recent call last):
        ...
    urnshelf.errors.DraftRefused: draft() takes a service's class, one of its methods, or a func...
    """


class SampleRefused(UrnShelfError):
    """A sample from which no rules can be learnt: too small to hide anybody, columns of mixed
    kinds, or rules whose records would be the sample's own.

    >>> from urnshelf.learning import learn
    >>> learn(7)
    Traceback (most recent call last):
        ...
    urnshelf.errors.SampleRefused: learn(7): it takes files, a data frame, or a dictionary of da...
    """


class TwinRefused(UrnShelfError):
    """A fake and a real one that cannot be compared: nothing of the interface is read, the real one
    holds something already, or cannot be made.

    >>> from urnshelf.twins import Twin
    >>> Twin(TideService, real=7)
    Traceback (most recent call last):
        ...
    urnshelf.errors.TwinRefused: real=7: give a function that makes a fresh one, real=lambda: int(…)
    """
