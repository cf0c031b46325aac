"""Looking at calls: counting them, taking them out of the ledger, and listing those that nobody
looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, ParamSpec, overload

from urnshelf.calls.cueing import bind
from urnshelf.calls.desk import Desk
from urnshelf.calls.ledger import Call, Calls, live_call, values_of
from urnshelf.calls.target import AssignmentHandle, AttributeHandle, Target, state_of, target_of
from urnshelf.calls.wording import described_arguments, plural, tally_text, unseen_text
from urnshelf.errors import CueRefused
from urnshelf.records.display import show
from urnshelf.records.equality import same

__tracebackhide__ = True  # a failing test shows its own lines, not ours

P = ParamSpec("P")


class Tally(int):
    """How many calls fit a description: an int, frozen when it was made, whose `str()` explains
    it.

    >>> counted = tally(shelf.fake(TideService).depth_at, "Ternhythe", whatever)
    >>> counted == 0, counted + 1
    (True, 1)
    >>> print(counted)
    0 calls of TideService.depth_at(harbour='Ternhythe', at=whatever)
      TideService.depth_at was never called
    """

    _name: Callable[[], str]
    _explain: Callable[[], str]
    is_explained: bool = False
    """Whether a runner has shown the whole explanation already."""

    def __new__(cls, count: int, name: Callable[[], str], explain: Callable[[], str]) -> Tally:
        """Made by `tally`."""
        new = super().__new__(cls, count)
        new._name = name
        new._explain = explain
        return new

    @property
    def what(self) -> str:
        """What was counted: the method and the arguments.

        >>> tally(shelf.fake(TideService).depth_at, "Ternhythe", whatever).what
        "TideService.depth_at(harbour='Ternhythe', at=whatever)"
        """
        return self._name()

    @property
    def explanation(self) -> str:
        """What was counted, what was not, and which argument differs.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> print(tally(shelf.fake(PilotPager).page, 8, whatever).explanation.splitlines()[0])
        0 calls of PilotPager.page(vessel_id=8, message=whatever, urgent=False)
        """
        return self._explain()

    def __str__(self) -> str:
        return self.explanation

    def __repr__(self) -> str:
        return f"{plural(int(self), 'call')} of {self.what}"

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
        assert tally(shelf.fake(PilotPager).page, 7, 'Gray Heron', urgent=False) == 1
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
@overload
def tally(method: AttributeHandle, /) -> Tally: ...
@overload
def tally(method: AssignmentHandle, value: object = ..., /) -> Tally: ...
def tally(method: object, /, *args: object, **kwargs: object) -> Tally:
    """How many calls of the method had these arguments; with no arguments, how many there were at
    all.

    Args:
        method: a method of a fake, a callable fake, or `attribute(fake, "name")`.
        args: the method's own arguments; matchers may stand for them.
        kwargs: likewise, by name.

    Returns:
        An int, frozen now; `str()` of it says what was counted, and which calls came near.

    Raises:
        CueRefused: no method of a fake, or arguments that the method would refuse.

    >>> from urnshelf import Shelf, tally, whatever
    >>> from urnshelf.demo.harbour import PilotPager
    >>> with Shelf() as shelf:
    ...     pilots = shelf.fake(PilotPager)
    ...     pilots.page(7, "Gray Heron to B-03")
    ...     tally(pilots.page, 7, whatever) == 1, tally(pilots.page, 8, whatever) == 0
    (True, True)
    """
    target = target_of(method, "tally")
    expected = bind(target, args, kwargs, "tally") if args or kwargs else None
    desk = target.desk
    all_calls = desk.calls(lambda entry: entry[0].target is target)
    counted, others = _split(all_calls, expected)
    # only what was counted was looked at: calls with other arguments stay unseen
    desk.look_at(counted, target.name)
    result = Tally(
        len(counted),
        # texts are made only when an assertion fails, which few do
        lambda: described_arguments(target, expected),
        lambda: tally_text(target, expected, counted, others, _elsewhere(target)),
    )
    desk.last_look = result
    return result


def ledger_of(what: object, /) -> Calls:
    """The calls of a method, of a fake, or of all fakes of a shelf, in order.

    Args:
        what: a method of a fake, an attribute handle, a fake, or a shelf.

    Raises:
        CueRefused: none of these.

    >>> from urnshelf import Shelf, ledger_of
    >>> from urnshelf.demo.harbour import PilotPager
    >>> with Shelf() as shelf:
    ...     pilots = shelf.fake(PilotPager)
    ...     pilots.page(7, "Gray Heron to B-03")
    ...     ledger_of(pilots.page)[-1].arguments.message
    'Gray Heron to B-03'
    """
    desk, chosen, name = _scope(what, "ledger_of")
    result = desk.look_at(desk.calls(chosen), name)
    desk.last_look = result
    return result


def unseen(first: object, /, *more: object) -> Unseen:
    """The calls that no tally counted and no `ledger_of` gave: `assert not unseen(pilots)` means
    "and nothing else".

    Look-ups that the shelf answered from its records need not be looked at.

    Args:
        first: a fake, a method or a shelf.
        more: further ones of the same shelf.

    Raises:
        CueRefused: none of these.

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
    desk = scopes[0][0]
    found = desk.calls(lambda entry: any(chosen(entry) for _, chosen, _ in scopes))
    unlooked = [
        call for call in found if call.number not in desk.looked_at and not _is_look_up(call)
    ]
    result = Unseen(unlooked, ", ".join(name for _, _, name in scopes))
    desk.last_look = result
    return result


def _split(calls: list[Call], expected: tuple[Any, ...] | None) -> tuple[list[Call], list[Call]]:
    if expected is None:
        return calls, []
    fits = [all(map(same, expected, values_of(call))) for call in calls]
    return (
        [call for call, fit in zip(calls, fits, strict=True) if fit],
        [call for call, fit in zip(calls, fits, strict=True) if not fit],
    )


def _scope(what: object, verb: str) -> tuple[Desk, Callable[[Any], bool], str]:
    """The desk, the choice of entries, and the name of what the user wants to look at."""
    state = state_of(what)
    if state is not None and "__call__" not in state.interface.members:
        return state.desk, lambda entry: entry[0].target.state is state, state.label
    desk = None if state is not None else getattr(what, "_desk", None)
    if isinstance(desk, Desk):
        return desk, lambda _: True, "the shelf"
    if (
        state is None
        and not isinstance(what, (AttributeHandle, AssignmentHandle))
        and not callable(what)
    ):
        raise CueRefused(f"{verb}() takes a method of a fake, a fake, or a shelf, not {show(what)}")
    target = target_of(what, verb)
    return target.desk, lambda entry: entry[0].target is target, target.name


def _is_look_up(call: Call) -> bool:
    live = live_call(call)
    return live.target.is_look_up or bool(getattr(live.answered_by, "is_look_up", False))


def _elsewhere(target: Target) -> str:
    """Other methods of the same fake that were called, for a tally that found nothing."""
    names: dict[str, int] = {}
    for entry in target.desk.ledger:
        other = entry[0].target
        if other.state is target.state and other is not target:
            names[other.member.name] = names.get(other.member.name, 0) + 1
    if not names:
        return ""
    return "; calls of this fake: " + ", ".join(
        f"{name} ×{n}" for name, n in list(names.items())[:6]
    )
