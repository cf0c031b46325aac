"""What a runner tells of a failing test: the seed, the last look at calls, hidden refusals, unused
cues, what was real, the calls.
"""

from __future__ import annotations

import linecache
import re
from collections.abc import Mapping
from traceback import extract_tb, walk_tb
from typing import Any, NamedTuple

from urnshelf.calls.wording import plural, unknown_attribute, unused_text
from urnshelf.records.display import show
from urnshelf.shelf import Shelf

_CALLS = 12
_WIDTH = 120
_LOOKS = re.compile(r"\b(tally|unseen|ledger_of|unused_cues)\b")


class Failed(NamedTuple):
    """A test that failed.

    Args:
        error: what it ended with.
        statement: the code that raised it, as it stands in the file; empty where there is none.
        names: what it had under which names.
        is_ours: whether the runner itself made the error of what the shelf found.
    """

    error: BaseException
    statement: str
    names: Mapping[str, Any]
    is_ours: bool = False


def failed(error: BaseException, is_ours: bool = False) -> Failed:
    """A test that failed with this error."""
    frames = [frame for frame, _ in walk_tb(error.__traceback__)]
    places = list(zip(frames, extract_tb(error.__traceback__), strict=True))
    own = [one for one in places if not is_of_unittest(one[0].f_globals)]
    if not own:
        return Failed(error, "", {}, is_ours)
    frame, place = own[-1]
    first = place.lineno or 1
    lines = range(first, (place.end_lineno or first) + 1)
    statement = "".join(linecache.getline(place.filename, number) for number in lines)
    return Failed(error, statement, frame.f_locals, is_ours)


def is_of_unittest(names: Mapping[str, Any]) -> bool:
    """Whether the code of a module is the part of unittest that its own reports leave out, too."""
    return "__unittest" in names


def section(used: Shelf, test: Failed) -> str:
    """What the shelf has to say about a failed test."""
    parts = [f"seed {used.seed} (the same records again: --urnshelf-seed {used.seed})"]
    last = used._desk.last_look
    is_told = last is None or getattr(last, "is_explained", False)
    if isinstance(test.error, AssertionError) and not is_told and is_about_a_look(test, last):
        parts.append(str(last))
    parts += [text for text in (unknown_attribute(test.error),) if text]
    parts += _caught(used, test)
    parts += _undone(used)
    unawaited = {call.target: None for call in used._desk.unawaited}
    unawaited_texts = [used._desk.unawaited_text(target).strip() for target in unawaited]
    parts += [text for text in unawaited_texts if text not in str(last)]
    unused = used._desk.own_unused_cues()
    parts += [unused_text(unused)] if unused else []
    parts += _real(used)
    parts += _ledger(used)
    return "\n\n".join(parts)


def _caught(used: Shelf, test: Failed) -> list[str]:
    if test.is_ours:
        return []
    hidden = [
        one
        for one in used._desk.refusals.noted
        if one is not test.error and str(one) not in str(test.error)
    ]
    return [f"caught by the code under test: {refusal}" for refusal in hidden[:2]]


def _undone(used: Shelf) -> list[str]:
    undone = used._undone()
    if not undone:
        return []
    lines = [f"{plural(len(undone), 'store operation')} answered by a cue, and so not done:"]
    lines += [f"  {line}" for line in undone[:5]]
    lines.append("  To do it all the same: .passes_through(), or passing_through among the values")
    return ["\n".join(lines)]


def _real(used: Shelf) -> list[str]:
    """What was wrapped and swapped."""
    told = [*used._wrapped(), *used._swapped(), *used._stood_in()]
    lines = ["not as it is elsewhere:", *(f"  {line}" for line in told[:8])]
    return ["\n".join(lines)] if told else []


def _ledger(used: Shelf) -> list[str]:
    """The last calls, each on a line."""
    calls = used._desk.calls()
    if not calls:
        return []
    more = f", the last {_CALLS} of them" if len(calls) > _CALLS else ""
    lines = [f"{plural(len(calls), 'call')}{more}:"]
    for call in calls[-_CALLS:]:
        ended = f"raised {show(call.error, 60)}" if call.error else f"→ {show(call.reply, 60)}"
        line = f"  #{call.number}  {call} {ended}"
        lines.append(line if len(line) <= _WIDTH else line[: _WIDTH - 1] + "…")
    return ["\n".join(lines)]


def is_about_a_look(test: Failed, last: object) -> bool:
    """Whether an assertion is about the look at calls that was taken last: its line says so, or it
    has that under a name.
    """
    if not test.statement.strip() or _LOOKS.search(test.statement):
        return True
    names = {name for name, value in test.names.items() if value is last}
    return any(re.search(rf"\b{re.escape(name)}\b", test.statement) for name in names)
