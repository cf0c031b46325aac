"""The shelf: where one test's records, fakes, urn, clock and ledger live together."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, Literal, Never, TypedDict, TypeVar, Unpack, overload

from urnshelf import running
from urnshelf.calls.desk import Desk
from urnshelf.calls.ledger import live_call
from urnshelf.calls.replies import own_code
from urnshelf.calls.script import Line, script
from urnshelf.calls.settings import settings_of
from urnshelf.calls.target import NOTHING
from urnshelf.clock import Clock
from urnshelf.errors import InterfaceRefused, OverFakesOnly
from urnshelf.fakes.making import Fakes
from urnshelf.fakes.obvious import obvious, obvious_text
from urnshelf.readings.answering import Readings
from urnshelf.records.display import show
from urnshelf.remote import Remote
from urnshelf.replaced import Replaced
from urnshelf.shelved import Shelved
from urnshelf.store.journal import ABSENT
from urnshelf.store.own_errors import OwnError
from urnshelf.store.tables import Table
from urnshelf.watched import Watched

if TYPE_CHECKING:
    from os import PathLike

    from typing_extensions import TypeForm

    from urnshelf.readings.explaining import Explanation

T = TypeVar("T")
F = TypeVar("F", bound=Callable[..., Any])


class SettingsGiven(TypedDict, total=False):
    """The settings that a shelf takes by name."""

    check_replies: bool
    unanswered: Literal["refuse", "empty"]
    unused_cues: Literal["tell", "refuse"]
    refusal_limit: int
    repeat_limit: int
    ledger_size: int
    defaults: Literal["drawn", "declared"]


class Shelf(Remote, Replaced, Watched, Shelved):
    """One test's records, fakes, urn, clock and ledger. Fresh for each test; as a context manager
    it checks on leaving.

    Args:
        seed: what the urn's records are drawn from; under pytest, where it is not given, the test's
            name decides it.
        settings: by name: `check_replies=False` leaves it unchecked whether replies are of the
            promised type; `unanswered="empty"` gives a call that nothing answers an empty value of
            the promised type, and does not refuse it; `unused_cues="refuse"` does not let the test
            pass whose own cues were never used; `defaults="declared"` keeps fields of drawn records
            that have a default at it, as their type declares them; `refusal_limit` (200) refusals
            of one method, and `repeat_limit` (10,000) calls of one in a row that got its last
            value again, end it; of more calls than `ledger_size` (20,000) the oldest are dropped
            where a kiosk takes requests, and looks at them refused.

    Raises:
        SettingRefused: a setting that there is not, or a value that it does not take.

    >>> from urnshelf.demo.harbour import Berth, BerthRepository
    >>> with Shelf(seed=7) as shelf:
    ...     berths = shelf.fake(BerthRepository)
    ...     _ = shelf.stock(Berth, 12, harbour="Ternhythe")
    ...     berths.count(), berths.get(3).harbour
    (12, 'Ternhythe')
    """

    def __init__(
        self,
        seed: int | None = None,
        **settings: Unpack[SettingsGiven],
    ) -> None:
        told = settings_of(settings)
        super().__init__(running.seed_for_new_shelf() if seed is None else seed, told.defaults)
        self.clock = Clock()
        """The clock of clock interfaces and of values that expire; it moves only when it is
        told.
        """
        self._readings = readings = Readings(self._store, self.clock)
        answerers = [
            script,
            readings.answer,
            obvious(self._fake_for, self.clock, readings.is_uncertain),
            own_code,
        ]
        if told.unanswered == "empty":
            from urnshelf.fakes.empty import empty  # few shelves do

            answerers.append(empty)
        self._desk = Desk(answerers, told, readings.why_not, readings.looks_up)
        self._fakes = Fakes(self._desk)
        running.note_new_shelf(self)

    @overload
    def fake(  # type: ignore[overload-overlap]
        self,
        interface: TypeForm[T],
        name: str | None = None,
        *,
        view: Table[Any] | None = None,
        over: object = NOTHING,
        spare: bool = False,
        keep_in: str | PathLike[str] | None = None,
        answer_from: str | PathLike[str] | None = None,
    ) -> T: ...
    @overload
    def fake(
        self,
        interface: F,
        name: str | None = None,
        *,
        view: Table[Any] | None = None,
        over: object = NOTHING,
        spare: bool = False,
        keep_in: str | PathLike[str] | None = None,
        answer_from: str | PathLike[str] | None = None,
    ) -> F: ...
    def fake(
        self,
        interface: object,
        name: str | None = None,
        *,
        view: Table[Any] | None = None,
        over: object = NOTHING,
        spare: bool = False,
        keep_in: str | PathLike[str] | None = None,
        answer_from: str | PathLike[str] | None = None,
    ) -> Any:
        """The fake of an interface: always the same one for the same interface and name.

        Args:
            interface: a Protocol, an ABC, a class, one of these with type arguments, a callable
                type or a function.
            name: for a second fake of one interface.
            view: what it sees of the records of one type from now on; made by `shelf.view(…)`.
            over: an object that has the interface's methods: what no cue answers goes to it from
                now on. Several fakes may share one.
            spare: that it is meant to be used by nobody, so that a look at it is no mistake.
            keep_in: a file in which the replies of the object behind it are kept, once the shelf is
                left and nothing failed.
            answer_from: such a file, from which alone it answers.

        Raises:
            InterfaceRefused: it cannot be faked, several fakes have names and none was given, or
                the object has other methods.
            FileRefused: the file is of something else, or of a method that has changed since.

        >>> tides = shelf.fake(TideService)
        >>> tides is shelf.fake(TideService), shelf.fake(TideService, "backup")
        (True, <fake TideService 'backup'>)
        """
        if view is not None:
            if not isinstance(view, Table):
                raise InterfaceRefused(
                    f"view= takes what shelf.view(…) gives, not {show(view, 60)}"
                )
            self._readings.see_through(self._fakes.state(interface, name), view._view)
        if self._fakes.real:
            is_own = over is not NOTHING or keep_in is not None or answer_from is not None
            self._check_not_real(interface, name, is_own or view is not None)
        if over is not NOTHING:
            from urnshelf.fakes.behind import put_behind, through  # few fakes have one

            put_behind(self._fakes.state(interface, name), over)
            self._desk.put_next(script, through)
        if spare:
            self._fakes.state(interface, name).is_spare = True
        if keep_in is not None or answer_from is not None:
            self._keep(self._fakes.state(interface, name), keep_in, answer_from)
        return self._fakes.give(interface, name)

    def _check_not_real(self, interface: object, name: str | None, is_other: bool) -> None:
        state = self._fakes.state(interface, name)
        if state.is_over_real and is_other:
            raise OverFakesOnly(f"something else stands behind {state.expression}")

    def _stand_behind(self, objects: dict[Any, Any]) -> None:
        """Put real ones behind the fakes of these interfaces."""
        from urnshelf.fakes.behind import through
        from urnshelf.fakes.over_real import parts_of

        self._fakes.real = objects
        self._desk.put_next(script, through)
        self._desk.put_next(script, parts_of(self._fakes))

    def furnish(self, service: Callable[..., T], /, *by_position: Never, **given: object) -> T:
        """Build the object under test, with a fake for each parameter annotated with an interface.

        Args:
            service: its class, a function that builds it, or a partial one.
            by_position: nothing; arguments are given by name.
            given: arguments of your own; they go first. Settings whose fields all have defaults are
                built, other parameters keep their defaults.

        Raises:
            FurnishRefused: a parameter that is neither given, nor an interface, nor has it a
                default; or two parameters of one interface, of which a fake without a name was
                made before.

        >>> desk = shelf.furnish(MooringDesk)
        >>> _ = shelf.stock(Vessel(id=7, name="Gray Heron", call_sign="GH-0007"))
        >>> _ = cue(shelf.fake(TideService).depth_at).gives(6.3)
        >>> _ = shelf.stock(Berth, 3, harbour="Ternhythe", in_service=True, length_m=90.0)
        >>> desk.moor(vessel_id=7, arrival=NOON).berth_id
        1
        """
        from urnshelf.fakes.furnish import furnish  # not every process that imports us furnishes

        return furnish(service, given, self._fakes, sys._getframe(1), by_position)

    def explain(self, interface: object) -> Explanation:
        """How each method of an interface is read, as a table of method, meaning and advice; print
        it.

        Args:
            interface: as for `fake`.

        >>> from urnshelf.demo.harbour import BerthRepository
        >>> print(Shelf().explain(BerthRepository)[0].read_as)
        SELECT * FROM berth WHERE id = :berth_id
        """
        from urnshelf.interfaces.taking_apart import interface_of
        from urnshelf.readings.explaining import explain

        return explain(interface_of(interface), self._readings, obvious_text)

    def teach(self, method: object) -> Callable[[F], F]:
        """Decorate a function that answers a method which is not read.

        Args:
            method: an interface's method, as `BerthRepository.get`, or one fake's. The function
                takes the shelf, then the method's own arguments.

        Raises:
            CueRefused: no method, or a function that cannot take these arguments.

        >>> from typing import Protocol
        >>> from urnshelf.demo.harbour import Berth
        >>> class Berths(Protocol):
        ...     def find_deepest(self) -> Berth | None: ...
        >>> shelf = Shelf(seed=7)
        >>> @shelf.teach(Berths.find_deepest)
        ... def deepest(shelf):
        ...     return shelf.records(Berth).where().order_by("depth_m desc").first()
        >>> shelf.fake(Berths).find_deepest() is None
        True
        """

        def taught(function: F) -> F:
            self._readings.lessons.teach(method, function, self)
            self._desk.has_lessons = True
            return function

        return taught

    def keyed(
        self,
        interface: object,
        *,
        get: object = None,
        set: object = None,
        remove: object = None,
        has: object = None,
        keys: object = None,
        clear: object = None,
        key: str | Iterable[str] = (),
        default: object = ABSENT,
        missing: OwnError | None = None,
        duplicate: OwnError | None = None,
    ) -> None:
        """Say that an interface keeps values by key, as a dictionary does.

        Args:
            interface: as for `fake`.
            get: its method that gives the value of a key.
            set: its method that sets a value; it may be given when that expires, too.
            remove: its method that forgets a value.
            has: its method that tells whether there is a value.
            keys: its method that gives all keys.
            clear: its method that forgets every value.
            key: the parameters that are the key; those of `get`, where it is not given.
            default: what a key without a value gives.
            missing: the exception that it raises instead: a class that is made with a message, or
                a function of the interface, the key and the message.
            duplicate: likewise, for a method that only adds, and a key that has a value.

        Raises:
            InterfaceRefused: methods that do not fit each other, or promise something else.

        >>> from typing import Protocol
        >>> class Chalkboard(Protocol):
        ...     def chalk(self, berth: str, text: str) -> None: ...
        ...     def look_at(self, berth: str) -> str: ...
        >>> shelf.keyed(Chalkboard, get=Chalkboard.look_at, set=Chalkboard.chalk, default="")
        >>> board = shelf.fake(Chalkboard)
        >>> board.chalk("B-1", "closed")
        >>> board.look_at("B-1"), board.look_at("B-2")
        ('closed', '')
        """
        from urnshelf.readings.declaring import declare_keyed

        named = {
            "get": get, "set": set, "remove": remove, "has": has, "keys": keys, "clear": clear,
        }  # fmt: skip
        errors = (missing, duplicate)
        declare_keyed(self._readings.declared, interface, named, key, default, errors)
        self._readings.forget()

    def tells(self, *interfaces: object) -> None:
        """Say that these interfaces only tell somebody something: a method of them that promises
        None does nothing, and is no cue that might be unused.

        Args:
            interfaces: as for `fake`.

        Raises:
            InterfaceRefused: an interface without a method that promises None.

        >>> from typing import Protocol
        >>> class AuditLog(Protocol):
        ...     def store(self, berth_id: int, what: str) -> None: ...
        >>> shelf.tells(AuditLog)
        >>> shelf.fake(AuditLog).store(7, "closed")
        """
        from urnshelf.readings.declaring import declare_telling

        for interface in interfaces:
            declare_telling(self._readings.declared, interface)

    if not TYPE_CHECKING:  # to the checkers a shelf has what it has, and nothing else

        def __getattr__(self, name: str) -> Any:
            """A name that we do not have: our nearest, and what it does."""
            if name.startswith("_") or hasattr(type(self), name):
                # Python asks here, too, where a property raises: what it raised is what counts
                return object.__getattribute__(self, name)
            import urnshelf
            from urnshelf.near_names import SHELF, no_such_name, public

            known = {**public(type(self)), "clock": Clock}
            others = {word: getattr(urnshelf, word[9:]) for word in SHELF if "." in word}
            raise AttributeError(
                no_such_name("a shelf", name, known | others, SHELF), name=name, obj=self
            )

    def __repr__(self) -> str:
        return f"<shelf, seed {self.seed}>"

    def _let_go(self) -> None:
        """The test is over: undo the ties among the shelf's objects, so that they go at once.

        The pytest plugin does it; nobody else need.
        """
        self._undo()
        self._desk.let_go()
        self._store.let_go()

    def _undone(self) -> list[str]:
        """The calls that would have changed something, had no cue answered them with a value."""
        calls = self._desk.calls(lambda call: type(call.answered_by) is Line)
        changes = [(call, self._readings.would_do(live_call(call).target)) for call in calls]
        return [
            f"#{call.number}  {call}: {change}"
            for call, change in changes
            if change and call.error is None
        ]

    def _fake_for(self, interface: object) -> Any:
        return self._fakes.give(interface)
