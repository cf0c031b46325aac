"""The ledger: every call in order, kept small while the test runs and opened as `Call`s when looked
at.

An entry is a tuple `(call, code, offset, *arguments)`. Appending to a list is one atomic step, so
the position in the list is the order number and needs no lock of its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from types import CodeType
from typing import TYPE_CHECKING, Any, overload

from urnshelf.calls.place import Place, place_of
from urnshelf.records.display import show

if TYPE_CHECKING:
    from urnshelf.calls.target import Target

NO_REPLY: Any = type("NoReply", (), {"__repr__": lambda _: "no reply yet"})()
"""What an answerer returns when it has nothing to say, and the reply of a call that has none."""


class LiveCall:
    """A call while it is being answered, and afterwards how it ended.

    Args:
        target: what it is addressed to.
        live: the caller's own objects, in the order of the parameters; gone once the call is
            answered.
    """

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

    def __init__(self, target: Target, live: tuple[Any, ...]) -> None:
        self.target = target
        self.live = live


Entry = tuple[LiveCall, CodeType, int, *tuple[Any, ...]]


class Arguments:
    """A call's arguments by the names of the method's parameters, as they were at the call.

    They are read as attributes (`arguments.harbour`) or like a mapping (`arguments["harbour"]`).
    """

    __slots__ = ("_names", "_values")

    def __init__(self, names: tuple[str, ...], values: tuple[Any, ...]) -> None:
        self._names = names
        self._values = values

    def __getattr__(self, name: str) -> Any:
        found = self._find(name)
        if found is NO_REPLY:
            raise AttributeError(
                f"the call has no argument {name!r}; it has {', '.join(self._names) or 'none'}"
            )
        return found

    def __getitem__(self, name: str) -> Any:
        found = self._find(name)
        if found is NO_REPLY:
            raise KeyError(name)
        return found

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

    def __repr__(self) -> str:
        pairs = zip(self._names, self._values, strict=True)
        return f"({', '.join(f'{name}={show(value, 60)}' for name, value in pairs)})"


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

    __slots__ = ("_entry", "number")

    def __init__(self, entry: Entry, number: int) -> None:
        self._entry = entry
        self.number = number

    @property
    def method(self) -> str:
        """The fake and its method.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf)[0].method
        'PilotPager.page'
        """
        return self._entry[0].target.name

    @property
    def arguments(self) -> Arguments:
        """The arguments, by name.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf)[0].arguments.message
        'Gray Heron'
        """
        return Arguments(self._entry[0].target.parameters, self._entry[3:])

    @property
    def reply(self) -> Any:
        """What the caller got.

        >>> _ = shelf.stock(Berth, 3)
        >>> shelf.fake(BerthRepository).count()
        3
        >>> ledger_of(shelf)[-1].reply
        3
        """
        return self._entry[0].reply

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
        return self._entry[0].error

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
        return self._entry[0].taken

    @property
    def answered_by(self) -> str:
        """Who answered: the cue, the shelf's records and what was asked of them, …

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> shelf.fake(BerthRepository).count()
        0
        >>> [call.answered_by for call in ledger_of(shelf)]
        ['the obvious reply', "the shelf's records: SELECT count(*) FROM berth"]
        """
        answerer = self._entry[0].answered_by
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
        call = self._entry[0]
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
        return place_of(self._entry[1], self._entry[2], self._entry[0].task)

    def __str__(self) -> str:
        return self._entry[0].target.written(repr(self.arguments))

    def __repr__(self) -> str:
        return f"<call #{self.number} {self}>"


def live_call(call: Call) -> LiveCall:
    """The machine's side of a call: its target, and who answered."""
    return call._entry[0]


def values_of(call: Call) -> tuple[Any, ...]:
    """A call's arguments in the order of the parameters."""
    return call._entry[3:]


class Calls(Sequence[Call]):
    """Some of a ledger's calls, in order. A list to look at, to slice and to loop over.

    >>> shelf.fake(PilotPager).page(7, "Gray Heron")
    >>> print(ledger_of(shelf))
    the shelf: 1 call
      #1  PilotPager.page(vessel_id=7, message='Gray Heron', urgent=False)
    """

    def __init__(self, calls: list[Call], what: str) -> None:
        self._calls = calls
        self._what = what

    @overload
    def __getitem__(self, index: int) -> Call: ...
    @overload
    def __getitem__(self, index: slice) -> Calls: ...
    def __getitem__(self, index: int | slice) -> Call | Calls:
        if isinstance(index, slice):
            return Calls(self._calls[index], self._what)
        try:
            return self._calls[index]
        except IndexError:
            raise IndexError(
                f"{self._what}: there is no call [{index}], only {len(self._calls)}"
            ) from None

    def __len__(self) -> int:
        return len(self._calls)

    @property
    def names(self) -> list[str]:
        """The methods, in order: `["TideService.depth_at", "PilotPager.page"]`.

        >>> shelf.fake(PilotPager).page(7, "Gray Heron")
        >>> ledger_of(shelf).names
        ['PilotPager.page']
        """
        return [call.method for call in self._calls]

    def each(self, argument: str) -> list[Any]:
        """One argument of every call, in order.

        Args:
            argument: the parameter's name.

        >>> pilots = shelf.fake(PilotPager)
        >>> for number in (7, 8):
        ...     pilots.page(number, "at noon")
        >>> ledger_of(pilots.page).each("vessel_id")
        [7, 8]
        """
        return [call.arguments[argument] for call in self._calls]

    def before(self, other: Calls) -> bool:
        """Whether all of these came before any of those; False when either is empty, for that
        proves nothing.

        >>> pilots, moorings = shelf.fake(PilotPager), shelf.fake(MooringRegister)
        >>> moorings.count()
        0
        >>> pilots.page(7, "Gray Heron")
        >>> ledger_of(moorings).before(ledger_of(pilots))
        True
        """
        return (
            bool(self._calls and other._calls) and self._calls[-1].number < other._calls[0].number
        )

    def __str__(self) -> str:
        plural = "" if len(self) == 1 else "s"
        lines = [f"{self._what}: {len(self)} call{plural}"]
        lines += [f"  #{call.number}  {call}" for call in self._calls[:20]]
        return "\n".join([*lines, "  …"] if len(self) > 20 else lines)

    __repr__ = __str__
