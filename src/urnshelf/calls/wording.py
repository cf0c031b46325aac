"""The words of failures: what was expected, what was seen, which argument differs, and the line
that would fix it.

Every message is bounded: a few nearest calls or cues, each value on one line.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from urnshelf.calls.arguments import suggested_arguments
from urnshelf.calls.ledger import Call, live_call, values_of
from urnshelf.calls.place import Place
from urnshelf.calls.target import AssignmentTarget, Target, state_of
from urnshelf.interfaces.members import NO_DEFAULT, Member
from urnshelf.near_names import nearest
from urnshelf.records.display import Difference, PartWise, differences
from urnshelf.records.equality import same
from urnshelf.records.matchers import whatever
from urnshelf.types.forms import type_name

if TYPE_CHECKING:
    from urnshelf.calls.asking import Asked
    from urnshelf.calls.cue import Cue
    from urnshelf.calls.script import Line
    from urnshelf.calls.target import FakeState

NEAREST = 3
SHOWN = 5
WIDTH = 110


class Unanswered(NamedTuple):
    """Why a call is not answered as a store operation, and what would let it be."""

    why: str = ""
    declarations: tuple[str, ...] = ()
    """Lines of code, each with what it says behind it."""


def plural(count: int, noun: str) -> str:
    """`1 call`, `2 calls`, `3 fetches`."""
    ending = "es" if noun.endswith("ch") else "s"
    return f"{count:,} {noun}" + ("" if count == 1 else ending)


def call_line(call: Call) -> str:
    """One call on one line, without its place."""
    of_fake = f"{live_call(call).target.state.label}."
    return f"#{call.number}  {str(call).removeprefix(of_fake)}"


def _background(call: Call) -> list[str]:
    """Where a call came from, and what it asked of the records."""
    place = f"      at {call.called_from}"
    statement = call.statement
    if len(statement) > WIDTH:
        statement = statement[: WIDTH - 1] + "…"
    return [place, f"      {statement}"] if statement else [place]


def signature_line(target: Target) -> str:
    """The method as it is declared, or an assignment."""
    is_assigned = isinstance(target, AssignmentTarget)
    return f"{target.member.name} = value" if is_assigned else declared(target.member)


def declared(member: Member) -> str:
    """The method as it is declared: `depth_at(harbour: str, at: datetime) -> float`."""
    if member.kind == "attribute":
        is_told = member.annotation is not NO_DEFAULT
        return f"{member.name}: {_Bare(member.annotation)!r}" if is_told else member.name
    signature = member.signature
    bare = [
        p if p.annotation is p.empty else p.replace(annotation=_Bare(p.annotation))
        for p in signature.parameters.values()
    ]
    returned = (
        ""
        if signature.return_annotation is signature.empty
        else f" -> {_Bare(signature.return_annotation)!r}"
    )
    # Python shows an annotation as a string in quotes, which nobody wrote
    written = signature.replace(parameters=bare, return_annotation=signature.empty)
    return f"{member.name}{written}{returned}"


class _Bare:
    """An annotation shown as it is written, without the quotes of a string."""

    def __init__(self, annotation: object) -> None:
        self._text = annotation if isinstance(annotation, str) else type_name(annotation)

    def __repr__(self) -> str:
        return self._text


# --- cues that do not fit -------------------------------------------------------------------------


def nearest_cues(cues: Sequence[Line], call: Call) -> list[str]:
    """The cues that came nearest to a call, and how they differ from it."""
    values = values_of(call)
    # fewest differing arguments first
    ranked = sorted(cues, key=lambda cue: distance(cue.expected, values))
    lines = []
    for title, cue in zip(("nearest cue", "another cue", "another cue"), ranked, strict=False):
        lines += [f"  {title}   {cue}", f"                set at {cue.place}"]
        lines += _why_not_this(cue, values)
    if len(cues) > NEAREST:
        lines.append(f"                … and {plural(len(cues) - NEAREST, 'cue')} that differ more")
    return lines


def _why_not_this(cue: Line, values: Sequence[Any]) -> list[str]:
    served = f"has served the {plural(cue.limit or 0, 'call')} it was set for"
    if distance(cue.expected, values):
        differing = _differing_lines(cue.asked, values, "the cue wants", "the call has")
        spent = [f"                {served}, and differs:"] if cue.is_spent else []
        return [*spent, *differing]
    if cue.is_spent:
        return [f"                fits, but {served}"]
    if cue.passes is not None:
        return ["                fits, but lets the call pass, and nothing behind it answers"]
    return []


# --- tallies and looks ----------------------------------------------------------------------------


def tally_text(
    asked: Asked, fitting: Sequence[Call], others: Sequence[Call], background: str = ""
) -> str:
    """What a tally counted, and the nearest calls that it did not count."""
    target = asked.target
    lines = [f"{plural(len(fitting), target.noun)} of {asked.words}"]
    for call in fitting[:SHOWN]:
        lines += [f"  {call_line(call)}", *_background(call)]
    if len(fitting) > SHOWN:
        lines.append(f"  … and {len(fitting) - SHOWN} more")
    if others:
        nearest = ", the nearest:" if len(others) > 1 else ""
        what = plural(len(others), target.noun)
        lines.append(f"not counted: {what} with other {target.of_what}{nearest}")
        lines += _nearest_calls(asked, others)
    elif not fitting and not background:
        lines.append(f"  {target.bare_name} was never {target.done}" + _elsewhere(target))
    return "\n".join([*lines, background] if background else lines)


def _elsewhere(target: Target) -> str:
    """Other methods of the same fake that were called, for a tally that found nothing."""
    others = [call for call in target.desk.calls() if live_call(call).target is not target]
    targets = [live_call(call).target for call in others]
    own = f"{target.state.label}."
    names = Counter(one.name.removeprefix(own) for one in targets if one.state is target.state)
    if not names:
        return ""
    return "; calls of this fake: " + ", ".join(
        f"{name} ×{n}" for name, n in list(names.items())[:6]
    )


def never_awaited(places: Sequence[Place], name: str) -> str:
    """Calls that were made and not awaited; empty where there are none."""
    if not places:
        return ""
    more = f" and {len(places) - 1} more" if len(places) > 1 else ""
    made = f"{name} was made {plural(len(places), 'time')}, never awaited"
    return f"  {made}\n      at {places[0]}{more}"


def _nearest_calls(asked: Asked, others: Sequence[Call]) -> list[str]:
    # a loop of a hundred thousand calls must not make the failure slow
    ranked = sorted(others[:1000], key=lambda call: distance(asked.expected, values_of(call)))
    lines = []
    for call in ranked[:NEAREST]:
        lines += [f"  {call_line(call)}", *_background(call)]
        lines += _differing_lines(asked, values_of(call), "expected", "called with")
    return lines


def unseen_text(calls: Sequence[Call], of: str) -> str:
    """The calls that nothing looked at."""
    if not calls:
        return f"no unseen calls of {of}"
    lines = [
        f"{plural(len(calls), 'call')} of {of} that no tally counted and no ledger_of() returned:"
    ]
    for call in calls[:SHOWN]:
        lines += [f"  #{call.number}  {call}", *_background(call)]
    if len(calls) > SHOWN:
        lines.append(f"  … and {len(calls) - SHOWN} more")
    return "\n".join(
        [*lines, "Expected? Count it:", f"    assert tally({_counted(calls[0])}) == 1"]
    )


def _counted(call: Call) -> str:
    target = live_call(call).target
    return ", ".join([target.expression, *suggested_arguments(target, values_of(call))])


# --- names that are not there ---------------------------------------------------------------------


def unknown_attribute(error: BaseException | None) -> str:
    """What to say of an attribute that a fake does not have; empty for any other error.

    It is said when the error is shown, and not by the fake: to answer for every name would make
    each call dearer.
    """
    if not isinstance(error, AttributeError) or error.name is None:
        return ""
    state = state_of(error.obj)
    if state is None or error.name in state.interface.members:
        return ""
    return no_such_attribute(state, error.name)


def no_such_attribute(state: FakeState, name: str) -> str:
    """The nearest names of the interface."""
    known = [n for n in state.interface.members if not n.startswith("__")]
    return f"{state.label} has no attribute {name!r}; {nearest(name, known)}"


# --- leaving the shelf ----------------------------------------------------------------------------


def unused_text(cues: Sequence[Cue[..., Any]]) -> str:
    """Cues that answered no call."""
    lines = [f"{plural(len(cues), 'cue')} never used:"]
    for cue in cues[:SHOWN]:
        hider = cue.hidden_by
        lines += [f"  {cue}", f"      set at {cue.place}"]
        lines += [f"      hidden by {hider}", f"      set at {hider.place}"] if hider else []
    if len(cues) > SHOWN:
        lines.append(f"  … and {len(cues) - SHOWN} more")
    return "\n".join(lines)


def hidden_refusals(refusals: Sequence[BaseException]) -> str:
    """Refusals that the code under test caught."""
    count = plural(len(refusals), "call") + (" was" if len(refusals) == 1 else " were")
    head = (
        f"{count} refused, and the code under test caught the refusal, so the test took a wrong "
        "turn:"
    )
    times = Counter(map(str, refusals))
    shown = [
        _indented(f"{text}\n({n} times)" if n > 1 else text) for text, n in list(times.items())[:2]
    ]
    more = [f"… and {len(times) - 2} more"] if len(times) > 2 else []
    wanted = "Is a refusal what the test is about? Then say so: with shelf.refusals_expected(): …"
    return "\n\n".join([head, *shown, *more, wanted])


def _indented(text: str) -> str:
    return "\n".join("  " + line if line else line for line in text.splitlines())


# --- what differs ---------------------------------------------------------------------------------


def distance(expected: Sequence[Any] | None, values: Sequence[Any]) -> float:
    """How many arguments differ."""
    if expected is None:
        return 0
    apart = (_apart(w, v) for w, v in zip(expected, values, strict=False))
    return sum(apart) + (100 * (len(expected) != len(values)))


def _apart(wanted: Any, value: Any) -> float:
    """How much a value is not what was wanted: less, where only a part of it is not."""
    if wanted is whatever or same(wanted, value):
        return 0
    return 0.5 if isinstance(wanted, PartWise) else 1


def _differing_lines(asked: Asked, values: Sequence[Any], wants: str, has: str) -> list[str]:
    if asked.expected is None:
        return []
    found: dict[str, list[Difference]] = {}
    for name, wanted, value in zip(asked.target.parameters, asked.expected, values, strict=False):
        different = differences(wanted, value, name)
        if different:
            found[name] = different
    all_found = [one for different in found.values() for one in different]
    lines = [line for one in all_found[:6] for line in _both(one, wants, has)]
    if len(all_found) > 6:
        lines.append(f"      … and {plural(len(all_found) - 6, 'difference')} more")
    if found and found.keys() <= asked.omitted:
        means, it = ("its default is", "it") if len(found) == 1 else ("their defaults are", "them")
        some = f"some_of({asked.target.name})"
        lines.append(f"      not written, so {means} meant; {some} leaves {it} open")
    return lines


def _both(difference: Difference, wants: str, has: str) -> list[str]:
    width = max(len(wants), len(has)) + 1
    return [
        f"      {difference.path}  <-- differs",
        f"          {wants + ':':<{width}} {difference.expected}",
        f"          {has + ':':<{width}} {difference.actual}",
    ]
