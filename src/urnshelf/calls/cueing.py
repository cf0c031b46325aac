"""Setting a cue: what a fake's method replies when it is called with these arguments."""

from __future__ import annotations

import sys
from collections.abc import AsyncIterator, Awaitable, Callable, Coroutine, Iterator
from typing import Any, ParamSpec, TypeVar, overload

from urnshelf.calls.cue import Cue, StreamCue
from urnshelf.calls.place import locate
from urnshelf.calls.script import Line
from urnshelf.calls.target import AssignmentHandle, AttributeHandle, Target, target_of
from urnshelf.calls.wording import signature_line
from urnshelf.errors import CueRefused
from urnshelf.records.display import show

__tracebackhide__ = True  # a failing test shows its own lines, not ours

P = ParamSpec("P")
R = TypeVar("R")
T = TypeVar("T")


@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, AsyncIterator[T]]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Coroutine[Any, Any, R]], /) -> Cue[P, R]: ...
@overload
def cue(
    method: Callable[P, Coroutine[Any, Any, R]], /, *args: P.args, **kwargs: P.kwargs
) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, AsyncIterator[T]], /) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(
    method: Callable[P, AsyncIterator[T]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, AsyncIterator[T], T]: ...
@overload
def cue(method: Callable[P, Iterator[T]], /) -> StreamCue[P, Iterator[T], T]: ...
@overload
def cue(
    method: Callable[P, Iterator[T]], /, *args: P.args, **kwargs: P.kwargs
) -> StreamCue[P, Iterator[T], T]: ...
@overload
def cue(method: Callable[P, Awaitable[R]], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, Awaitable[R]], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, R], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, R], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
@overload
def cue(method: AttributeHandle, /) -> Cue[[], Any]: ...
@overload
def cue(method: AssignmentHandle, value: object = ..., /) -> Cue[[Any], None]: ...
def cue(method: object, /, *args: object, **kwargs: object) -> Any:
    """Begin a cue: what the method replies when it is called with these arguments.

    Args:
        method: a method of a fake, a callable fake, or `attribute(fake, "name")`.
        args: the method's own arguments, as in the call that the cue answers; matchers may stand
            for them.
        kwargs: likewise, by name. With no arguments at all the cue answers any call.

    Returns:
        The cue, to be finished with a reply: `.gives`, `.raises`, `.computes`, `.streams` or
        `.passes_through`.

    Raises:
        CueRefused: no method of a fake, or arguments that the method would refuse.

    >>> from datetime import datetime
    >>> from urnshelf import Shelf, cue, whatever
    >>> from urnshelf.demo.harbour import TideService
    >>> with Shelf() as shelf:
    ...     tides = shelf.fake(TideService)
    ...     _ = cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
    ...     tides.depth_at("Ternhythe", at=datetime(2030, 6, 1))
    6.3
    """
    target = target_of(method, "cue")
    expected = bind(target, args, kwargs, "cue") if args or kwargs else None
    new: Cue[..., Any] = StreamCue(Line(target, expected, locate(sys._getframe(1))))
    target.desk.cues.append(new)
    return new


def bind(
    target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str
) -> tuple[Any, ...]:
    """The arguments in the order of the parameters, defaults filled in; CueRefused when they do not
    fit.
    """
    try:
        return target.bind(*args, **kwargs)
    except TypeError as why:
        raise CueRefused(_misfit_text(target, args, kwargs, verb, why)) from None


def _misfit_text(
    target: Target, args: tuple[Any, ...], kwargs: dict[str, Any], verb: str, why: TypeError
) -> str:
    given = ", ".join(
        [*(show(a, 40) for a in args), *(f"{k}={show(v, 40)}" for k, v in kwargs.items())]
    )
    unknown = [name for name in kwargs if name not in target.parameters]
    wrong = (
        f"there is no argument {unknown[0]!r}" if unknown else "it " + str(why).partition(") ")[2]
    )
    return f"{verb}({target.name}, {given}): {wrong}\n  the method is   {signature_line(target)}"
