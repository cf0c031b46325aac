"""Remarks: what smells in a test that passed, each with its place and what to do."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from urnshelf.calls.refusing import suggested_cue
from urnshelf.shelf import Shelf

ADVICE = {
    "unused-cue": "cues never used: take them out, or see why the service does not call",
    "hidden-cue": "cues that a newer one hides: set the general one first, the special one after",
    "empty-answer": "calls that an empty value answered, which may have decided a branch: cue them",
    "cued-write": "writes that a cue answered, and so not done: let them pass, passing_through",
    "never-awaited": "calls never awaited: await them in the service",
    "idle-fake": "fakes made and never used: take them out, or say spare=True",
    "undocumented-query": "query parameters that the document has not: take them out, or mend it",
    "child-process": "programs started beside a kiosk: what they reach is not guarded",
    "many-cues": "tests that cue many methods: does the service do too much, or know too much?",
    "many-swaps": "tests that swap many things: hand them to the service instead",
}
"""What to do about each kind of remark."""


class Limits(NamedTuple):
    """From how many on a test is remarked on."""

    cued: int = 8
    swapped: int = 3


class Remark(NamedTuple):
    """One remark.

    Args:
        kind: one of those that have advice.
        place: file and line.
        text: what is there.
    """

    kind: str
    place: str
    text: str

    def __str__(self) -> str:
        return f"{self.kind}: {self.place}: {self.text}"


def remark_of(line: str) -> Remark:
    """The remark that a line says.

    >>> remark_of("idle-fake: test_it.py:3: test_it: shelf.fake(TideService)").place
    'test_it.py:3'
    """
    kind, place, text = line.split(": ", 2)
    return Remark(kind, place, text)


def remarks_of(shelf: Shelf, test: str, name: str, limits: Limits) -> Iterator[Remark]:
    """What there is to say of a test's shelf.

    Args:
        shelf: after the test.
        test: its file and line.
        name: of the test.
        limits: from how many on there is something to say.
    """
    desk = shelf._desk
    for cue in desk.own_unused_cues():
        hider = cue.hidden_by
        kind = "unused-cue" if hider is None else "hidden-cue"
        more = "" if hider is None else f", hidden by {hider} set at {_place(hider.place)}"
        yield Remark(kind, _place(cue.place), f"{name}: {cue}{more}")
    for call in desk.calls(lambda call: repr(call.answered_by) == "an empty value"):
        what = f"{call}; to cue it: {suggested_cue(call)}"
        yield Remark("empty-answer", _place(call.called_from), f"{name}: {what}")
    for line in shelf._undone():
        yield Remark("cued-write", test, f"{name}: {line.partition('  ')[2]}")
    for target in {call.target: None for call in desk.unawaited}:
        yield Remark("never-awaited", test, f"{name}: {target.name}")
    for state in shelf._fakes.idle():
        yield Remark("idle-fake", test, f"{name}: {state.expression}")
    for asked in shelf._asked_besides():
        yield Remark("undocumented-query", test, f"{name}: {asked}")
    for program in shelf._children():
        yield Remark("child-process", test, f"{name}: {program}")
    yield from _many(shelf, test, name, limits)


def _many(shelf: Shelf, test: str, name: str, limits: Limits) -> Iterator[Remark]:
    cued = {cue._line.target: None for cue in shelf._desk.cues[shelf._desk.cues_before :]}
    if len(cued) > limits.cued:
        some = ", ".join(target.name for target in list(cued)[:4])
        yield Remark("many-cues", test, f"{name}: {len(cued)} methods, {some} …")
    swapped = shelf._swapped()
    if len(swapped) > limits.swapped:
        yield Remark("many-swaps", test, f"{name}: {len(swapped)} things")


def _place(place: object) -> str:
    """`test_it.py:14`, without the function."""
    return str(place).partition(" in ")[0]
