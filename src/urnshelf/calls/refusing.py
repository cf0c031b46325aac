"""The message of a call that nothing answers: what was lacking, and what would answer it."""

from __future__ import annotations

import enum
import inspect
from collections.abc import Callable
from typing import Any

from urnshelf.calls.arguments import suggested_arguments
from urnshelf.calls.ledger import Call, live_call, values_of
from urnshelf.calls.target import AssignmentTarget, AttributeTarget, Target
from urnshelf.calls.wording import Unanswered, nearest_cues
from urnshelf.interfaces.members import Member
from urnshelf.records.recognising import describe
from urnshelf.types.forms import full_name, type_name
from urnshelf.types.nodes import ITEM_TYPES, MAPPING_TYPES, Kind, Node

_MARKS: dict[Any, str] = {
    inspect.Parameter.VAR_POSITIONAL: "*",
    inspect.Parameter.VAR_KEYWORD: "**",
}


def unanswered(call: Call, unread: Unanswered) -> str:
    """The message of a refusal."""
    target = live_call(call).target
    verb = "fetched" if isinstance(target, AttributeTarget) else "called"
    lines = [
        f"{call} was {verb}, and nothing answers it.",
        "",
        f"  called from   {call.called_from}",
    ]
    if target.cues:
        lines += nearest_cues(target.cues, call)
    else:
        what = "attribute" if isinstance(target, AttributeTarget) else "method"
        lines.append(f"  cues          none on this {what}")
    if unread.why:
        lines.append(f"  not read      because {unread.why}")
    lines += ["", "To answer it:", f"    {suggested_cue(call)}"]
    lesson = suggested_lesson(target)
    if lesson:
        lines += ["or, for all its calls:", *(f"    {line}" for line in lesson)]
    for line in unread.declarations:
        lines += ["or, for good:", f"    {line}"]
    return "\n".join(lines)


def spent_text(text: str, call: Call) -> str:
    """The message of a cue whose values are spent."""
    advice = 'Add a value, or let it go on: gives(…, when_spent="repeat")'
    return f"{text}\n\n  called from   {call.called_from}\n\n{advice}"


def suggested_lesson(target: Target) -> list[str]:
    """The lines that teach a method; none where there is nothing to name it by."""
    member = target.member
    named = taught_as(member, target)
    if isinstance(target, AssignmentTarget) or not named:
        return []
    return [f"@shelf.teach({named})", f"def {_function_name(member)}({_parameters(member)}): ..."]


def taught_as(member: Member, target: Target) -> str:
    """The code that names a method to `teach`; empty for an attribute that is only annotated."""
    interface = target.state.interface
    if member.function is None:
        return "" if member.kind == "attribute" else target.state.expression
    if not isinstance(interface.origin, type):
        return interface.name
    return f"{interface.name}.{member.name}"


def _function_name(member: Member) -> str:
    own = getattr(member.function, "__name__", "answer") if member.owner is None else member.name
    return "answer" if own.startswith("_") else own


def _parameters(member: Member) -> str:
    written = ["shelf"]
    is_named_only = False
    for parameter in member.signature.parameters.values():
        is_named_only = is_named_only or parameter.kind is parameter.VAR_POSITIONAL
        if parameter.kind is parameter.KEYWORD_ONLY and not is_named_only:
            written.append("*")
            is_named_only = True
        written.append(f"{_MARKS.get(parameter.kind, '')}{parameter.name}")
    return ", ".join(written)


def suggested_cue(call: Call) -> str:
    """A cue that would answer this call; long values are left to `whatever`."""
    target = live_call(call).target
    args = [target.expression, *suggested_arguments(target, values_of(call))]
    return f"cue({', '.join(args)}){_suggested_reply(target)}"


def _suggested_reply(target: Target) -> str:
    promise = target.promise
    if promise.stream:
        return f".streams()    # items: {type_name(promise.item.form)}"
    if promise.enters:
        value = _sample(promise.entered)
        return f".enters({value or '…'})" + (
            "" if value else f"    # {type_name(promise.entered.form)}"
        )
    sample = _sample(promise.node)
    if sample:
        return f".gives({sample})"
    return f".raises(LookupError)    # or .gives(…): {promise.name}"


_SAMPLES: dict[str, str] = {
    "builtins.int": "1",
    "builtins.float": "1.0",
    "builtins.complex": "1.0",
    "builtins.str": '"…"',
    "builtins.bool": "True",
    "builtins.bytes": 'b"..."',
    "builtins.NoneType": "None",
    "decimal.Decimal": 'Decimal("1.0")',
    "datetime.timedelta": "timedelta(hours=1)",
    "datetime.datetime": "shelf.clock.now",
    "datetime.date": "shelf.clock.now.date()",
}
_EMPTY = {"list": "[]", "dict": "{}", "tuple": "()", "set": "set()", "frozenset": "frozenset()"}


def _items(node: Node) -> str:
    made = {**ITEM_TYPES, **MAPPING_TYPES}.get(node.origin)
    return _EMPTY.get(getattr(made, "__name__", ""), "")


def _class_sample(node: Node) -> str:
    bare: Any = node.bare
    if isinstance(bare, type) and full_name(bare) in _SAMPLES:
        return _SAMPLES[full_name(bare)]
    if isinstance(bare, type) and issubclass(bare, enum.Enum):
        first = next(iter(bare.__members__), "")
        return f"{bare.__name__}.{first}" if first else ""
    is_drawn = isinstance(bare, type) and describe(bare) is not None
    return f"shelf.urn.draw({type_name(bare)})" if is_drawn else ""


def _none(_node: Node) -> str:
    return "None"


_BY_KIND: dict[Kind, Callable[[Node], str]] = {
    Kind.ANY: _none,
    Kind.UNKNOWN: _none,
    Kind.NONE: _none,
    Kind.ITEMS: _items,
    Kind.MAPPING: _items,
    Kind.CLASS: _class_sample,
    Kind.TYPED_DICT: _class_sample,
    Kind.UNION: lambda node: next((text for text in map(_sample, node.args) if text), ""),
    Kind.LITERAL: lambda node: repr(node.values[0]),
    Kind.CALLABLE: lambda node: "lambda *args, **kwargs: None",
}


def _sample(node: Node) -> str:
    """A value of this type, as code; empty where none is known."""
    if node.optional:
        return "None"
    return _BY_KIND[node.kind](node) if node.kind in _BY_KIND else ""
