"""Setting a cue: what a fake's method replies when it is called with these arguments."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Any, ParamSpec, Protocol, TypeVar, overload

from urnshelf.calls.asking import asked
from urnshelf.calls.cue import Cue
from urnshelf.calls.place import locate
from urnshelf.calls.script import Line
from urnshelf.errors import OverFakesOnly

P = ParamSpec("P")
R = TypeVar("R")
C_co = TypeVar("C_co", covariant=True)


class HasOwnCue(Protocol[C_co]):
    """What has a kind of cue of its own."""

    def _new_cue(self, line: Line) -> C_co: ...


@overload
def cue(method: HasOwnCue[C_co], /, **path: Any) -> C_co: ...
@overload
def cue(method: Callable[P, R], /) -> Cue[P, R]: ...
@overload
def cue(method: Callable[P, R], /, *args: P.args, **kwargs: P.kwargs) -> Cue[P, R]: ...
def cue(method: object, /, *args: object, **kwargs: object) -> Any:
    """Begin a cue: what the method replies when it is called with these arguments.

    Args:
        method: a method of a fake, a callable fake, `attribute(fake, "name")`, or
            `some_of(method)`.
        args: the method's own arguments, as in the call that the cue answers; matchers may stand
            for them. Omitted ones have their defaults; after `some_of` they may be anything.
        kwargs: likewise, by name. With no arguments at all the cue answers any call.

    Returns:
        The cue, to be finished with a reply: `.gives`, `.raises`, `.computes`, `.streams` or
        `.passes_through`.

    Raises:
        CueRefused: no method of a fake, arguments that the method would refuse, or a matcher that
            no argument can fit.

    >>> from datetime import datetime
    >>> from urnshelf import Shelf, cue, whatever
    >>> from urnshelf.demo.harbour import TideService
    >>> with Shelf() as shelf:
    ...     tides = shelf.fake(TideService)
    ...     _ = cue(tides.depth_at, "Ternhythe", whatever).gives(6.3)
    ...     tides.depth_at("Ternhythe", at=datetime(2030, 6, 1))
    6.3
    """
    wanted = asked(method, args, kwargs, "cue")
    if wanted.target.state.is_over_real:
        raise OverFakesOnly(f"it has a cue on {wanted.target.name}")
    line = Line(wanted, locate(sys._getframe(1)))
    new: Cue[..., Any] = getattr(method, "_new_cue", Cue)(line)
    wanted.target.desk.cues.append(new)
    return new
