"""Looking at calls: counting them, taking them out of the ledger, and listing those that nobody
looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ParamSpec, overload

from urnshelf.calls.asking import asked
from urnshelf.calls.desk import Desk
from urnshelf.calls.handles import Handle, target_of
from urnshelf.calls.ledger import Call, LiveCall, live_call, values_of
from urnshelf.calls.taken import Calls
from urnshelf.calls.target import FakeState, state_of
from urnshelf.calls.wording import plural, tally_text, unseen_text
from urnshelf.errors import CueRefused, LookRefused
from urnshelf.records.display import show
from urnshelf.records.equality import same

P = ParamSpec("P")


class Tally(int):
    """How many calls fit a description: an int, frozen when it was made, whose `str()` explains
    it.

    >>> counted = tally(shelf.fake(TideService).depth_at, "Ternhythe", whatever)
    >>> counted == 0, counted + 1
    (True, 1)
    >>> print(counted)
    0 calls of TideService.depth_at('Ternhythe', whatever)
      TideService.depth_at was never called
    """

    _noun: str
    _name: Callable[[], str]
    _explain: Callable[[], str]
    is_explained: bool = False
    """Whether a runner has shown the whole explanation already."""

    def __new__(
        cls, count: int, noun: str, name: Callable[[], str], explain: Callable[[], str]
    ) -> Tally:
        """Made by `tally`."""
        new = super().__new__(cls, count)
        new._noun = noun
        new._name = name
        new._explain = explain
        return new

    @property
    def what(self) -> str:
        """What was counted: the method and the arguments.

        >>> tally(shelf.fake(TideService).depth_at, "Ternhythe", whatever).what
        "TideService.depth_at('Ternhythe', whatever)"
        """
        return self._name()

    @property
    def explanation(self) -> str:
        """What was counted, what was not, and which argument differs.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> print(tally(shelf.fake(PilotPager).page, 8, whatever).explanation.splitlines()[0])
        0 calls of PilotPager.page(8, whatever)
        """
        return self._explain()

    def __str__(self) -> str:
        return self.explanation

    def __repr__(self) -> str:
        return f"{plural(int(self), self._noun)} of {self.what}"

    def __format__(self, spec: str) -> str:
        return format(int(self), spec) if spec else str(self)


class Unseen(Calls):
    """Calls that nobody looked at; false when there are none, and its `str()` lists them.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> print(unseen(shelf))
    1 call of the shelf that no tally counted and no ledger_of() returned:
      #1  PilotPager.page(vessel_id=7, message='Gray Heron', urgent=False)
          at ... in <module>
    Expected? Count it:
        assert tally(shelf.fake(PilotPager).page, 7, 'Gray Heron') == 1
    """

    def __str__(self) -> str:
        return unseen_text(self._calls, self._what)

    def __repr__(self) -> str:
        shown = ", ".join(f"#{call.number} {call}" for call in self._calls[:2])
        return f"{plural(len(self), 'unseen call')} of {self._what}" + (
            f": {shown}" if shown else ""
        )


@overload
def tally(method: Callable[P, object], /) -> Tally: ...
@overload
def tally(method: Callable[P, object], /, *args: P.args, **kwargs: P.kwargs) -> Tally: ...
def tally(method: object, /, *args: object, **kwargs: object) -> Tally:
    """How many calls of the method had these arguments; with no arguments, how many there were at
    all.

    Args:
        method: a method of a fake, a callable fake, `attribute(fake, "name")`, or
            `some_of(method)`.
        args: the method's own arguments; matchers may stand for them. Omitted ones have their
            defaults; after `some_of` they may be anything.
        kwargs: likewise, by name.

    Returns:
        An int, frozen now; `str()` of it says what was counted, and which calls came near.

    Raises:
        CueRefused: no method of a fake, arguments that the method would refuse, or a matcher that
            no argument can fit.
        LookRefused: nothing was ever done with the fake, while its like is in use.

    >>> from urnshelf import Shelf, tally, whatever
    >>> from urnshelf.demo.harbour import PilotPager
    >>> with Shelf() as shelf:
    ...     pilots = shelf.fake(PilotPager)
    ...     pilots.page(7, "Gray Heron to B-03")
    ...     tally(pilots.page, 7, whatever) == 1, tally(pilots.page, 8, whatever) == 0
    (True, True)
    """
    wanted = asked(method, args, kwargs, "tally")
    target, desk = wanted.target, wanted.target.desk
    _refuse_dropped(desk.dropped[target], target.name, desk)
    all_calls = desk.calls(lambda call: call.target is target)
    if not all_calls:
        _refuse_idle(target.state)
    counted, others = _split(all_calls, wanted.expected)
    # only what was counted was looked at: calls with other arguments stay unseen
    desk.look_at(counted, target.name)
    unawaited = desk.unawaited_text(target) if desk.unawaited else ""
    result = Tally(
        len(counted),
        target.noun,
        # texts are made only when an assertion fails, which few do
        lambda: wanted.words,
        lambda: tally_text(wanted, counted, others, unawaited),
    )
    desk.last_look = result
    return result


def ledger_of(what: object, /) -> Calls:
    """The calls of a method, of a fake, or of all fakes of a shelf, in order.

    Args:
        what: a method of a fake, an attribute handle, a fake, or a shelf. To take the whole
            shelf's looks at none of its calls: they stay `unseen`.

    Raises:
        CueRefused: none of these.
        LookRefused: nothing was ever done with the fake, while its like is in use.

    >>> from urnshelf import Shelf, ledger_of
    >>> from urnshelf.demo.harbour import PilotPager
    >>> with Shelf() as shelf:
    ...     pilots = shelf.fake(PilotPager)
    ...     pilots.page(7, "Gray Heron to B-03")
    ...     ledger_of(pilots.page)[-1].arguments.message
    'Gray Heron to B-03'
    """
    scope = _scope(what, "ledger_of")
    desk = scope.desk
    _refuse_dropped(scope.dropped, scope.name, desk)
    calls = desk.calls(scope.chosen)
    if not calls and scope.state is not None:
        _refuse_idle(scope.state)
    result = Calls(calls, scope.name, desk)
    if scope.state is not None:
        desk.look_at(calls, scope.name)
    desk.last_look = result
    return result


def unseen(first: object, /, *more: object) -> Unseen:
    """The calls that no tally counted and no `ledger_of` gave: `assert not unseen(pilots)` means
    "and nothing else".

    Look-ups need not be looked at: those that the shelf answered from its records, and those that
    it would have answered, had they not been cued or taught; nor does entering and leaving a unit
    of work, and what a taught function called itself.

    Args:
        first: a fake, a method or a shelf.
        more: further ones of the same shelf.

    Raises:
        CueRefused: none of these.
        LookRefused: nothing was ever done with the fake, while its like is in use; or things of two
            shelves.

    >>> pilots = shelf.fake(PilotPager)
    >>> pilots.page(7, "Gray Heron")
    >>> bool(unseen(pilots))
    True
    >>> tally(pilots.page, 7, whatever) == 1
    True
    >>> bool(unseen(pilots))
    False
    """
    scopes = [_scope(what, "unseen") for what in (first, *more)]
    desk = scopes[0].desk
    if any(scope.desk is not desk for scope in scopes):
        raise LookRefused(
            f"unseen({', '.join(scope.name for scope in scopes)}): they are of two shelves; look "
            "at each by itself, unseen(a) and unseen(b)"
        )
    for scope in scopes:
        _refuse_dropped(scope.dropped, scope.name, desk)
    found = desk.calls(lambda call: any(scope.chosen(call) for scope in scopes))
    for scope in scopes:
        if scope.state is not None and not any(map(scope.chosen, desk.ledger)):
            _refuse_idle(scope.state)
    unlooked = [
        call for call in found if call.number not in desk.looked_at and not _needs_no_look(call)
    ]
    result = Unseen(unlooked, ", ".join(scope.name for scope in scopes), desk)
    desk.last_look = result
    return result


def _refuse_idle(state: FakeState) -> None:
    if state.unreached:
        raise LookRefused(f"{state.label}: a look at it proves nothing, for {state.unreached}")
    if state.made_after:
        from urnshelf.calls.idle import refuse_idle  # nearly every look sees calls

        refuse_idle(state)


def _refuse_dropped(dropped: int, name: str, desk: Desk) -> None:
    if dropped:
        most = desk.settings.ledger_size
        raise LookRefused(
            f"{name}: of its calls the ledger has dropped the oldest {dropped:,}, so what it would "
            f"tell is not all: it keeps {most:,} calls. Let it keep more, "
            f"Shelf(ledger_size={most * 10:_}), or look in between and forget_calls()"
        )


def _split(calls: list[Call], expected: tuple[Any, ...] | None) -> tuple[list[Call], list[Call]]:
    if expected is None:
        return calls, []
    fits = [all(map(same, expected, values_of(call))) for call in calls]
    return (
        [call for call, fit in zip(calls, fits, strict=True) if fit],
        [call for call, fit in zip(calls, fits, strict=True) if not fit],
    )


class _Scope:
    """What the user wants to look at: of the whole shelf there is no state of a fake."""

    def __init__(
        self,
        desk: Desk,
        chosen: Callable[[LiveCall], bool],
        name: str,
        state: FakeState | None,
        dropped: int,
    ) -> None:
        self.desk = desk
        self.dropped = dropped
        self.chosen = chosen
        self.name = name
        self.state = state


def _scope(what: object, verb: str) -> _Scope:
    state = state_of(what)
    if state is not None:
        counts = state.desk.dropped
        dropped = sum(counts[target] for target in counts if target.state is state)
        return _Scope(
            state.desk, lambda call: call.target.state is state, state.label, state, dropped
        )
    desk = getattr(what, "_desk", None)
    if isinstance(desk, Desk) and not isinstance(what, Calls):
        return _Scope(desk, lambda _: True, "the shelf", None, sum(desk.dropped.values()))
    if not isinstance(what, Handle) and not callable(what):
        raise CueRefused(f"{verb}() takes a method of a fake, a fake, or a shelf, not {show(what)}")
    target = target_of(what, verb)
    chosen = lambda call: call.target is target  # noqa: E731
    return _Scope(target.desk, chosen, target.name, target.state, target.desk.dropped[target])


def _needs_no_look(call: Call) -> bool:
    live = live_call(call)
    if live.target.is_look_up or live.within is not None:
        return True
    by = live.answered_by
    by_itself = bool(getattr(by, "is_look_up", False))
    # cued or taught, it is the look-up that it would have been
    return by_itself or (by is not None and live.target.desk.looks_up(live.target))
