"""The check in words: a report for each cause, and the table of methods."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import Any

from urnshelf.calls.wording import plural
from urnshelf.records.display import differences, show
from urnshelf.twins import steps
from urnshelf.twins.advice import Difference, ways
from urnshelf.twins.counts import Counted
from urnshelf.twins.differing import Unlike
from urnshelf.twins.lines import Lines
from urnshelf.twins.pools import Pools
from urnshelf.twins.worlds import Outcome
from urnshelf.types.forms import type_name

_WIDTH = 96


def headline(difference: Difference) -> str:
    """What differs, in a line."""
    finding = difference.finding
    methods = difference.methods
    where = ", ".join(methods[:3]) + (f" and {len(methods) - 3} more" if methods[3:] else "")
    if difference.is_of_real:
        return f"{where}: the real one differs from itself"
    if difference.is_alias:
        return f"{where}: a change of what the caller holds shows in one, and not in the other"
    if finding.unlike.kind == "field":
        differ = "differ" if len(difference.fields) > 1 else "differs"
        return f"{where}: {', '.join(difference.fields)} {differ}"
    return f"{where}: {_what(finding.unlike, finding.fake, finding.real)}"


def _what(unlike: Unlike, fake: Outcome, real: Outcome) -> str:
    form = getattr(unlike.form, "__name__", "")
    if unlike.kind == "raised":
        return _raised(fake, real)
    if unlike.kind == "handed":
        return f"{form}.{unlike.field} of the record that was handed in differs"
    if unlike.kind == "key":
        return f"the real one gives a {form} a key that was another's"
    if unlike.kind == "order":
        return "the same, in another order"
    if unlike.kind == "found":
        said = {"lacks": "the real one gives less", "more": "the real one gives more"}
        return said.get(unlike.direction, "the real one gives another record")
    return "the result differs"


def _raised(fake: Outcome, real: Outcome) -> str:
    mine, theirs = (None if one.error is None else type(one.error) for one in (fake, real))
    if mine is None or theirs is None:
        one = "the real one" if mine is None else "the fake"
        return f"only {one} raises {type_name(theirs or mine)}"
    return f"the real one raises {type_name(theirs)}, the fake {type_name(mine)}"


def report(difference: Difference, forms: Sequence[Any], pools: Pools) -> str:
    """A difference, with the lines that show it, both results, and what would settle it."""
    finding = difference.finding
    lines = Lines(difference.sequence, forms, pools, _given_back(difference))
    code = lines.text
    calls = [lines.call(lines.fakes), lines.call(lines.reals)]
    text = [headline(difference), "", *_indented(code.splitlines()), ""]
    shown = [_shown(one) for one in (finding.fake, finding.real)]
    text += [f"    {calls[0]}", f"        {shown[0]}", f"    {calls[1]}", f"        {shown[1]}"]
    text += _marked(finding.fake, finding.real)
    for way in ways(difference, pools):
        text += ["", *_wrapped(f"{way.when}{':' if way.lines else '.'}", "  ")]
        text += [f"    {line}" for line in way.lines]
    return "\n".join(text)


def _given_back(difference: Difference) -> steps.Drawn | steps.Got | None:
    """What the lines give back, where it is not the result of the last call."""
    last = difference.sequence.steps[-1]
    if difference.finding.held is not None:
        return difference.finding.held
    if difference.finding.unlike.kind in ("handed", "key") and isinstance(last, steps.Call):
        for _, value in last.given:
            if isinstance(value, steps.Drawn):
                return value
    return None


def _shown(outcome: Outcome) -> str:
    if outcome.error is not None:
        return f"raises {show(outcome.error, _WIDTH - 16)}"
    return f"gives {show(outcome.value, _WIDTH - 14)}"


def _marked(fake: Outcome, real: Outcome) -> list[str]:
    """The parts that differ, each with both values."""
    if fake.raised or real.raised:
        return []
    found = [one for one in differences(fake.value, real.value) if one.path]
    lines = []
    for one in found:
        lines += [f"    {one.path}", f"        fake {one.expected}", f"        real {one.actual}"]
    return lines


def _indented(lines: Sequence[str]) -> list[str]:
    return [f"    {line}" if line else "" for line in lines]


def _wrapped(text: str, indent: str) -> list[str]:
    return textwrap.wrap(text, _WIDTH, initial_indent=indent, subsequent_indent=indent)


def table(counted: Sequence[Counted]) -> list[str]:
    """The methods: how far each was compared, and the counts."""
    head = ("method", "", "calls", "hit", "miss", "taken", "raised")
    rows = [head, *(_row(one) for one in counted)]
    widths = [max(len(row[at]) for row in rows) for at in range(len(head))]
    lines = []
    for row, one in zip(rows, (None, *counted), strict=True):
        cells = [
            text.ljust(width) if at < 2 else text.rjust(width)
            for at, (text, width) in enumerate(zip(row, widths, strict=True))
        ]
        note = "" if one is None else said_of(one)
        lines.append("  ".join([*cells, note]).rstrip())
    return lines


def _row(one: Counted) -> tuple[str, ...]:
    counts = (one.calls, one.hit, one.miss, one.taken, one.raised)
    return (one.method, one.state, *(str(count) if count else "" for count in counts))


def said_of(one: Counted) -> str:
    """What is to be said of a method besides its counts."""
    told = [f"report {', '.join(map(str, one.reports))}"] if one.reports else []
    told += [one.lacking] if one.lacking and not one.reports else []
    if one.unanswered:
        why = f": {one.why}" if one.why and one.calls else ""
        told.append(f"{plural(one.unanswered, 'call')} not answered by the fake{why}")
    return "; ".join(told)
