"""The ledger: every call in order, kept small while the test runs, and opened as a `Call` when
looked at.

Appending to a list is one atomic step, so the position in the list is the order number and needs no
lock of its own.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextvars import ContextVar
from copy import deepcopy
from inspect import Parameter
from types import CodeType
from typing import TYPE_CHECKING, Any

from urnshelf.calls.place import Place, place_of
from urnshelf.errors import ArgumentMissing
from urnshelf.near_names import nearest
from urnshelf.records.display import show_argument

if TYPE_CHECKING:
    from urnshelf.calls.target import Target

NO_REPLY: Any = type("NoReply", (), {"__repr__": lambda _: "no reply yet"})()
"""What an answerer returns when it has nothing to say, and the reply of a call that has none."""


WITHIN: ContextVar[Any] = ContextVar("urnshelf_within", default=None)
"""The taught function that runs: calls made now are its own, and none of the code under test."""


class LiveCall:
    """A call while it is being answered, and afterwards how it ended: an entry of the ledger.

    The desk sets its first five attributes one by one: an `__init__` would take longer than all
    that the desk does with the call.
    """

    target: Target
    """What it is addressed to."""
    live: tuple[Any, ...]
    """The caller's own objects, in the order of the parameters; gone once the call is answered."""
    kept: tuple[Any, ...]
    """They as they were at the call."""
    code: CodeType
    """The caller's."""
    offset: int
    """Where in it."""
    reply: Any = NO_REPLY
    error: BaseException | None = None
    answered_by: Any = None
    task: str = ""
    note: Any = ""
    """What a reading asked of the records: a text, or what can be made into one."""
    taken: int | None = None
    """How many items of a stream were taken."""

    passed: tuple[Any, ...] = ()
    """The cues that let it pass."""
    delay: float = 0.0
    """How long those made it wait, where it is awaited."""
    within: Any = None
    """The taught function that made it."""


class Arguments:
    """A call's arguments by the names of the method's parameters, as they were at the call.

    They are read as attributes (`arguments.harbour`), like a mapping (`arguments["harbour"]`), or
    by position (`arguments[0]`).
    """

    __slots__ = ("_names", "_target", "_values")

    def __init__(self, target: Target, values: tuple[Any, ...]) -> None:
        self._target = target
        self._names = target.parameters
        self._values = values

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)  # Python asks for it, and no test
        return self._found(name)

    def __getitem__(self, which: str | int) -> Any:
        return self._at(which) if isinstance(which, int) else self._found(which)

    def _found(self, name: str) -> Any:
        found = self._find(name)
        if found is NO_REPLY:
            hint = nearest(name, self._names)
            raise ArgumentMissing(f"{self._call} has no argument {name!r}; {hint}")
        return found

    def _at(self, position: int) -> Any:
        values = self._target.by_position(self._values)
        if not -len(values) <= position < len(values):
            raise ArgumentMissing(
                f"{self._call} has no argument [{position}]; by position it has {len(values)}, by "
                f"name {self._known}"
            )
        return values[position]

    @property
    def _call(self) -> str:
        return self._target.written(repr(self))

    @property
    def _known(self) -> str:
        return ", ".join(self._names) or "none"

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def keys(self) -> tuple[str, ...]:
        """The names, so that `dict(arguments)` works."""
        return self._names

    def _find(self, name: str) -> Any:
        if name in self._names:
            return self._values[self._names.index(name)]
        for value in self._values:  # an argument taken up by `**more` has its own name too
            if isinstance(value, dict) and name in value and self._values[-1] is value:
                return value[name]
        return NO_REPLY

    def __deepcopy__(self, memo: dict[int, Any]) -> Arguments:
        # the values, and not the fake that was called with them
        return Arguments(self._target, deepcopy(self._values, memo))

    def __repr__(self) -> str:
        pairs = zip(self._names, self._values, strict=True)
        shown = [f"{n}={show_argument(value)}" for n, value in pairs if self._is_given(n, value)]
        return f"({', '.join(shown)})"

    def _is_given(self, name: str, value: object) -> bool:
        """Whether it is an argument, and not what `*more` or `**more` took up where there was
        nothing.
        """
        if type(value) not in (tuple, dict) or value:
            return True
        parameter = self._target.member.signature.parameters.get(name)
        return parameter is None or parameter.kind not in _MORE


_MORE = (Parameter.VAR_POSITIONAL, Parameter.VAR_KEYWORD)


class Call:
    """One call that a fake received.

    Attributes:
        method: the fake and its method, as `TideService.depth_at`.
        arguments: by name, as they were at the call.
        reply: what the caller got (after awaiting); `no reply yet` while it has none.
        error: the exception that the caller got instead, or None.
        number: the position in the ledger, from 1.
        statement: what was asked of the shelf's records, as SQL.
        taken: how many items of a stream were taken so far; None where the reply is no stream.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> ledger_of(shelf)[0]
    <call #1 PilotPager.page(vessel_id=7, message='Gray Heron', urgent=False)>
    """

    __slots__ = ("_live", "number")

    def __init__(self, live: LiveCall, number: int) -> None:
        self._live = live
        self.number = number

    @property
    def method(self) -> str:
        """The fake and its method.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf)[0].method
        'PilotPager.page'
        """
        return self._live.target.name

    @property
    def arguments(self) -> Arguments:
        """The arguments, by name.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf)[0].arguments.message
        'Gray Heron'
        """
        return Arguments(self._live.target, self._live.kept)

    @property
    def reply(self) -> Any:
        """What the caller got.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.fake(BerthRepository).count()
        3
        >>> ledger_of(shelf)[-1].reply
        3
        """
        return self._live.reply

    @property
    def error(self) -> BaseException | None:
        """The exception that the caller got.

        >>> try:
        ...     shelf.fake(MooringRegister).get(99)
        ... except RecordMissing:
        ...     pass
        >>> ledger_of(shelf)[-1].error
        RecordMissing('no Mooring has id=99; on the shelf: none (shelf.define(Mooring,...
        """
        return self._live.error

    @property
    def taken(self) -> int | None:
        """Items taken from a stream.

        >>> from collections.abc import Iterator
        >>> from typing import Protocol
        >>> class Log(Protocol):
        ...     def lines(self) -> Iterator[str]: ...
        >>> log = shelf.fake(Log)
        >>> _ = cue(log.lines).streams("in", "out")
        >>> next(log.lines())
        'in'
        >>> ledger_of(log.lines)[0].taken
        1
        """
        return self._live.taken

    @property
    def answered_by(self) -> str:
        """Who answered: the cue, the shelf's records and what was asked of them, …

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> shelf.fake(BerthRepository).count()
        0
        >>> [call.answered_by for call in ledger_of(shelf)]
        ['the obvious reply', "the shelf's records: SELECT count(*) FROM berth"]
        """
        answerer = self._live.answered_by
        if answerer is None:
            return "nobody"
        return f"the shelf's records: {self.statement}" if self.statement else str(answerer)

    @property
    def statement(self) -> str:
        """What a call that the shelf answered asked of its records, as SQL; empty for other
        calls.

        >>> shelf.fake(BerthRepository).find_by_harbour("Ternhythe")
        []
        >>> ledger_of(shelf)[-1].statement
        "SELECT * FROM berth WHERE harbour = 'Ternhythe' ORDER BY id"
        """
        call = self._live
        if call.answered_by is None:
            return ""
        return str(call.note() if callable(call.note) else call.note)

    @property
    def called_from(self) -> Place:
        """The line of the code under test.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf)[-1].called_from.line > 0
        True
        """
        return place_of(self._live.code, self._live.offset, self._live.task)

    def __str__(self) -> str:
        within = self._live.within
        by = "" if within is None else f"  (by the test's own function, {within})"
        target = self._live.target
        return (target.shown(self._live.kept) or target.written(repr(self.arguments))) + by

    def __repr__(self) -> str:
        return f"<call #{self.number} {self}>"


def live_call(call: Call) -> LiveCall:
    """The machine's side of a call: its target, and who answered."""
    return call._live


def values_of(call: Call) -> tuple[Any, ...]:
    """A call's arguments in the order of the parameters."""
    return call._live.kept
