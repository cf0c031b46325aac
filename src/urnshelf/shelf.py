"""The shelf: where one test's records, fakes, urn and ledger live together."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from functools import cached_property
from types import TracebackType
from typing import TYPE_CHECKING, Any, Literal, Self, TypeVar, overload

from urnshelf.calls.cue import Cue, script
from urnshelf.calls.desk import Desk
from urnshelf.errors import RecordRefused
from urnshelf.fakes.making import Fakes
from urnshelf.fakes.obvious import obvious
from urnshelf.plans.furnish import furnish
from urnshelf.readings.answering import Readings
from urnshelf.records.shapes import storage_shape
from urnshelf.store.tables import Store, Table

if TYPE_CHECKING:
    from typing_extensions import TypeForm

    from urnshelf.urn.drawing import Urn

__tracebackhide__ = True  # a failing test shows its own lines, not ours

T = TypeVar("T")
F = TypeVar("F", bound=Callable[..., Any])


class Shelf:
    """One test's records, fakes, urn and ledger. Made fresh for each test; as a context manager it checks on leaving.

    Args:
        seed: what the urn's records are drawn from.
        check_replies: whether canned values are checked against the promised type.
        unanswered: what happens to a call that nothing answers: `"refuse"` it, or give an `"empty"` value of the
            promised type.

    >>> from urnshelf.demo.harbour import Berth, BerthRepository
    >>> with Shelf(seed=7) as shelf:
    ...     berths = shelf.fake(BerthRepository)
    ...     _ = shelf.stock(Berth, 12, harbour="Skarvik")
    ...     berths.count(), berths.get(3).harbour
    (12, 'Skarvik')
    """

    def __init__(
        self, seed: int = 0, *, check_replies: bool = True, unanswered: Literal["refuse", "empty"] = "refuse"
    ) -> None:
        if unanswered not in ("refuse", "empty"):
            raise ValueError(f"unanswered={unanswered!r}: choose 'refuse' or 'empty'")
        self.seed = seed
        self._store = Store()
        self._drawn: Counter[type] = Counter()
        readings = Readings(self._store)
        answerers = [script, readings.answer, obvious(self._fake_for, readings.must_be_told)]
        if unanswered == "empty":
            from urnshelf.fakes.empty import empty  # few shelves do

            answerers.append(empty)
        self.desk = Desk(answerers, check_replies, readings.why_not)
        self._fakes = Fakes(self.desk)

    @cached_property
    def urn(self) -> Urn:
        """The urn that the shelf's records are drawn from; its links choose among the shelf's records."""
        from urnshelf.urn.drawing import Urn  # many tests draw nothing

        return Urn(self.seed, self._store.known)

    @overload
    def fake(self, interface: TypeForm[T], name: str | None = None) -> T: ...  # type: ignore[overload-overlap]
    @overload
    def fake(self, interface: F, name: str | None = None) -> F: ...
    def fake(self, interface: Any, name: str | None = None) -> Any:
        """The fake of an interface: always the same one for the same interface and name.

        Args:
            interface: a Protocol, an ABC, a class, one of these with type arguments, a callable type or a function.
            name: for a second fake of one interface.

        Raises:
            InterfaceRefused: it cannot be faked, or several fakes have names and none was given.
        """
        return self._fakes.give(interface, name)

    def furnish(self, service: Callable[..., T], **given: Any) -> T:
        """Build the object under test, with a fake for each parameter annotated with an interface.

        Args:
            service: its class, or a function that builds it.
            given: arguments of your own; they go first. Other parameters keep their defaults.

        Raises:
            FurnishRefused: a parameter that is neither given, nor an interface, nor has it a default.
        """
        return furnish(service, given, self._fakes.give)

    @overload
    def stock(self, what: type[T], n: int, **fields: Any) -> list[T]: ...
    @overload
    def stock(self, what: type[T], n: Mapping[str, Any]) -> T: ...
    @overload
    def stock(self, what: type[T], n: None = None, **fields: Any) -> T: ...
    @overload
    def stock(self, what: T) -> T: ...
    def stock(self, what: Any, n: Any = None, **fields: Any) -> Any:
        """Put records on the shelf: drawn ones, or your own.

        Args:
            what: a record type to draw, or a record of your own.
            n: how many to draw; none for one; or a mapping of all fields for a record of your own.
            fields: values that every drawn record gets.

        Returns:
            Copies of what was put there: a list where a number was given, one record otherwise.

        Raises:
            RecordRefused: a type that cannot be drawn, an unknown field, or a key that is taken.

        >>> from urnshelf.demo.harbour import Vessel
        >>> shelf = Shelf(seed=7)
        >>> [vessel.id for vessel in shelf.stock(Vessel, 3, flag="SE")]
        [1, 2, 3]
        """
        if isinstance(n, Mapping):
            return self.records(what).add(what(**n))
        if isinstance(what, type):
            return self._stock_drawn(what, n, fields)
        if storage_shape(type(what)) is None or fields or n is not None:
            raise RecordRefused(f"stock() takes a record type and a number, or one record alone, not {what!r}")
        return self.records(type(what)).add(what)

    def records(self, record_type: type[T]) -> Table[T]:
        """The shelf's records of one type.

        Args:
            record_type: the records' class.
        """
        return self._store.table(record_type)

    def define(
        self,
        record_type: type[T],
        *,
        key: str | None = None,
        missing: Callable[[str], Exception] | None = None,
    ) -> None:
        """Say how the records of a type are stored.

        Args:
            record_type: the records' class.
            key: the field that is the primary key, where its name does not tell.
            missing: the exception that looking for a missing key raises; it is made with a message.
        """
        self._store.define(record_type, key, missing)

    def unused_cues(self) -> list[Cue[..., Any]]:
        """The cues that answered no call, in the order they were set; `hidden_by` tells of a newer cue in the way."""
        return [cue for cue in self.desk.cues if not cue.used]

    def refusals_expected(self) -> AbstractContextManager[None]:
        """A block in which refusals are what the test is about; they do not fail it."""
        return self.desk.refusals_expected()

    def close(self) -> None:
        """Leave the shelf; raises RefusalHidden for a refusal that was caught, CueRefused for a cue without a reply."""
        self.desk.check_out()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.desk.check_out(error)

    def __repr__(self) -> str:
        return f"<shelf, seed {self.seed}>"

    def _fake_for(self, interface: Any) -> Any:
        return self._fakes.give(interface)

    def _stock_drawn(self, record_type: type[T], n: int | None, fields: dict[str, Any]) -> T | list[T]:
        """Draw on where the last drawing of this type ended; an index whose key is taken is passed over."""
        if n is not None and (isinstance(n, bool) or not isinstance(n, int) or n < 0):
            raise RecordRefused(f"stock({record_type.__name__}, {n!r}): the number of records is a whole number from 0")
        table = self.records(record_type)
        stored: list[T] = []
        while len(stored) < (1 if n is None else n):
            start = self._drawn[record_type]
            wanted = (1 if n is None else n) - len(stored)
            self._drawn[record_type] += wanted
            for record in self.urn.draw(record_type, range(start, start + wanted), **fields):
                if table.key is None or table.key in fields or table.find(table.key_of(record)) is None:
                    stored.append(table.add(record))
        return stored[0] if n is None else stored
