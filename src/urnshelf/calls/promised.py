"""Whether what is given as a reply is what the method promises, and the words where it is not."""

from __future__ import annotations

import inspect
import io
from collections.abc import AsyncIterator, Callable, Iterator
from types import AsyncGeneratorType, FunctionType, GeneratorType, LambdaType, MethodType
from typing import Any

from urnshelf.calls.target import AssignmentTarget, MethodTarget, Target
from urnshelf.calls.wording import signature_line
from urnshelf.interfaces.promises import Promise
from urnshelf.records.display import show
from urnshelf.records.equality import Matcher
from urnshelf.records.fit import SAMPLE, misfit
from urnshelf.types.nodes import Kind

_GENERATORS = (GeneratorType, AsyncGeneratorType)
_FUNCTIONS = (FunctionType, LambdaType, MethodType)


def why_not_given(target: Target, value: Any, cue: object) -> str:
    """Why a cue cannot give a value; empty where it can.

    Args:
        target: the method.
        value: any.
        cue: for the message.
    """
    promise = target.promise
    if isinstance(value, Matcher):
        return f"{_given(cue, value)}: a matcher stands for arguments; give a real value"
    if isinstance(target, AssignmentTarget) and value is not None:
        advice = "an assignment has no reply; use .raises(…), or .gives(None)"
        return f"{_given(cue, value)}: {advice}"
    if not target.desk.settings.check_replies or type(value) is promise.node.bare:
        return ""
    if promise.awaited and inspect.iscoroutine(value):
        value.close()
        advice = f"give the awaited value, a value of type {promise.name}"
        return f"{_given(cue, value)}: a coroutine; {advice}"
    why = never_given(value, promise)
    if why:
        return f"{_given(cue, value)}: {why}"
    wrong = broken_promise(target, value)
    if not wrong:
        return ""
    advice = advice_on(value, promise)
    advice = f"{advice} Or" if advice else "Give a value of that type, or"
    return (
        f"{wrong}\n  in   {_given(cue, value)}\n{advice} switch the check off with "
        "Shelf(check_replies=False)."
    )


def _given(cue: object, value: object) -> str:
    return f"{cue}.gives({show(value, 60)})"


def broken_promise(
    target: Target, value: object, sample: int = SAMPLE, giver: object = None
) -> str:
    """What to say of a value that a method does not promise; empty where it does.

    Args:
        target: the method.
        value: any.
        sample: how many items of each container are looked at.
        giver: who gave it, where it was no line of the test.
    """
    promise = target.promise
    owner = target.state.interface.origin
    wrong = misfit(value, promise.node, sample, owner if isinstance(owner, type) else None)
    if not wrong:
        return ""
    given = "" if giver is None else f"{giver} gave {show(value, 60)}: "
    advice = "" if giver is None else advice_on(value, promise)
    return f"{target.name} promises {promise.name}, but {given}{wrong}\n{advice}".rstrip()


def wrongly_assigned(target: AssignmentTarget, value: object) -> str:
    """Why a value cannot be assigned to an attribute, from which it is read back later; empty where
    it can.
    """
    promise = target.member.promise
    wrong = misfit(value, promise.node) if target.desk.settings.check_replies else None
    attribute = f"{target.state.label}.{target.member.name}"
    return f"{attribute} is {promise.name}, and cannot be assigned: {wrong}" if wrong else ""


def cannot_be_called_as(target: Target, function: Callable[..., Any]) -> str:
    """Why a function cannot be called as the method is; empty where it can."""
    try:
        signature = inspect.signature(function)
    except (ValueError, TypeError):
        return ""
    is_method = isinstance(target, MethodTarget)
    blank = target.member.blank_arguments if is_method else (None,) * len(target.parameters)
    try:
        target.call(signature.bind, blank)
    except TypeError as why:
        return (
            f"the function cannot be called as the method is: {why}\n"
            f"  the method is   {signature_line(target)}"
        )
    return ""


def never_given(value: object, promise: Promise) -> str:
    """Why a value is given by mistake, whatever is promised; empty where it is not."""
    if _is_exception(value) and not promise.node.is_known:
        return (
            "an exception is given, not raised. To raise it, use .raises(…), or raising(…) among "
            "the values; to give it, .computes(…)"
        )
    is_one_way = isinstance(value, _GENERATORS) or (
        isinstance(value, (Iterator, AsyncIterator))
        and not isinstance(value, io.IOBase)
        and (bool(promise.stream) or type(value).__module__ in ("builtins", "itertools"))
    )
    if not is_one_way:
        return ""
    return "an iterator is used up by the first call; for a fresh one each time use .streams(…)"


def advice_on(value: Any, promise: Promise) -> str:
    """What was meant, probably, by a value that is not promised."""
    if _is_exception(value):
        return "To raise it, use .raises(…), or raising(…) among the values."
    if promise.node.kind is Kind.NEVER:
        return "It gives nothing at all: use .raises(…)."
    if promise.enters:
        return "For what entering gives, use .enters(…)."
    if promise.stream:
        return "For a stream, use .streams(…)."
    if isinstance(value, _FUNCTIONS):
        return "For a reply that is computed from the arguments, use .computes(…)."
    if isinstance(value, (list, tuple)) and value and _all_fit(value, promise):
        more = ", …" if len(value) > 3 else ""
        each = ", ".join(show(one, 20) for one in value[:3])
        return f"For one after the other, use .gives({each}{more})."
    return ""


def _is_exception(value: Any) -> bool:
    return isinstance(value, BaseException) or (
        isinstance(value, type) and issubclass(value, BaseException)
    )


def _all_fit(values: Any, promise: Promise) -> bool:
    return promise.node.is_known and all(misfit(one, promise.node) is None for one in values)
