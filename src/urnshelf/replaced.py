"""What is real: objects with cues laid over them, and what is swapped for a while."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any, TypeVar, overload

from urnshelf.calls.desk import Desk
from urnshelf.calls.target import NOTHING, STATE, FakeState
from urnshelf.errors import InterfaceRefused
from urnshelf.fakes.making import Fakes

if TYPE_CHECKING:
    from os import PathLike

    from urnshelf.calls.replies import Passing
    from urnshelf.fakes.swap import Swapped, Swaps
    from urnshelf.fakes.wrap import Wraps

T = TypeVar("T")


class Replaced:
    """What a shelf does with what is real."""

    _desk: Desk
    _fakes: Fakes
    _wraps: Wraps | None = None
    _swaps: Swaps | None = None

    def wrap(self, real: T, keep_in: str | PathLike[str] | None = None) -> T:
        """Lay cues over a real object: its own code runs, on its own state, and its calls of its
        own methods, protected ones too, meet the cues and the ledger. What no cue takes runs for
        real, and is noted with its result.

        It stays the same object, of a class of its own (`type(real)` differs, `isinstance` and
        `real.__class__` do not); at the end of the shelf it has its class back. Of an object that
        is written in C only the calls from outside meet the cues, through a fake that is given
        back.

        Args:
            real: an object.
            keep_in: a file in which its replies are kept, once the shelf is left and nothing
                failed, as by `fake(…, over=real, keep_in=…)`.

        Returns:
            The object itself.

        Raises:
            InterfaceRefused: a class, a module, a function, a plain value, or a fake.

        >>> class Crane:
        ...     def lift(self, tons: float) -> str:
        ...         return "lifted" if self._is_calm() else "waiting"
        ...     def _is_calm(self) -> bool:
        ...         raise OSError("no wind gauge here")
        >>> crane = shelf.wrap(Crane())
        >>> _ = cue(crane._is_calm).gives(True)
        >>> crane.lift(4.0), ledger_of(crane).names
        ('lifted', ['Crane.lift', 'Crane._is_calm'])
        """
        if self._wraps is None:
            from urnshelf.fakes.wrap import Wraps  # few shelves do

            self._wraps = Wraps(self._desk)
        wrapped: T = self._wraps.wrap(real)
        if keep_in is not None:
            self._keep(object.__getattribute__(wrapped, STATE), keep_in, None)
        return wrapped

    def _keep(self, state: FakeState, keep_in: Any, answer_from: Any) -> None:
        from urnshelf.kept_replies import Keeping, answer  # few shelves do

        if keep_in is None:
            if state.behind is not NOTHING:
                raise InterfaceRefused(
                    f"{state.label}: it answers from a file, or from the object behind it: give "
                    "answer_from= or over="
                )
            answer(state, str(answer_from))
            return
        if state.behind is NOTHING or answer_from is not None:
            raise InterfaceRefused(
                f"{state.label}: keep_in= keeps what a real object answers: "
                "shelf.fake(…, over=real, keep_in=…), or shelf.wrap(real, keep_in=…)"
            )
        Keeping(state, str(keep_in))

    @overload
    def swap(self, where: str, /, *, everywhere: bool | None = None) -> Any: ...
    @overload
    def swap(self, where: str, value: Passing, /, *, everywhere: bool | None = None) -> Any: ...
    @overload
    def swap(self, where: str, value: T, /, *, everywhere: bool | None = None) -> T: ...
    @overload
    def swap(self, holder: object, name: object, /, *, everywhere: bool | None = None) -> Any: ...
    @overload
    def swap(
        self, holder: object, name: object, value: Passing, /, *, everywhere: bool | None = None
    ) -> Any: ...
    @overload
    def swap(
        self, holder: object, name: object, value: T, /, *, everywhere: bool | None = None
    ) -> T: ...
    def swap(self, *where: Any, everywhere: bool | None = None) -> Any:
        """Put something in the place of what a module, a class or an object has, until the shelf is
        left: a dependency that nobody hands over.

        Args:
            where: the place, and what goes there. The place is `"package.module:name"`, or an
                object and the name of its attribute (of a class's method: for all its instances),
                or a dictionary, or `os.environ`, and a key. What goes there is a value that fits,
                or `passing_through` for the original with cues laid over it; where it is left out,
                the fake of the interface that the place is annotated with, or of what is there.
            everywhere: whether other modules that have imported it by name get it, too (their
                globals; not what else holds it). Where there are some, it must be said.

        Returns:
            What went in.

        Raises:
            SwapRefused: there is no such place, it cannot be changed, something does not fit, or
                other modules have it, too, and nobody said what is to be with them.

        >>> import os
        >>> with Shelf() as shelf:
        ...     _ = shelf.swap(os.environ, "HARBOUR", "Ternhythe")
        ...     os.environ["HARBOUR"]
        'Ternhythe'
        >>> "HARBOUR" in os.environ
        False
        """
        return self._swapping().swap(where, everywhere, sys._getframe(1))

    @overload
    def swapped(self, where: str, /, *, everywhere: bool | None = None) -> Swapped[Any]: ...
    @overload
    def swapped(
        self, where: str, value: Passing, /, *, everywhere: bool | None = None
    ) -> Swapped[Any]: ...
    @overload
    def swapped(self, where: str, value: T, /, *, everywhere: bool | None = None) -> Swapped[T]: ...
    @overload
    def swapped(
        self, holder: object, name: object, /, *, everywhere: bool | None = None
    ) -> Swapped[Any]: ...
    @overload
    def swapped(
        self, holder: object, name: object, value: Passing, /, *, everywhere: bool | None = None
    ) -> Swapped[Any]: ...
    @overload
    def swapped(
        self, holder: object, name: object, value: T, /, *, everywhere: bool | None = None
    ) -> Swapped[T]: ...
    def swapped(self, *where: Any, everywhere: bool | None = None) -> Swapped[Any]:
        """The same for the time of a block, which gives what went in; or as a decorator for each
        call of a function.

        Args:
            where: as for `swap`.
            everywhere: as for `swap`.

        Raises:
            SwapRefused: as for `swap`, on entering; one that is never entered is told on leaving
                the shelf.

        >>> class Crane:
        ...     def lift(self, tons: float) -> str:
        ...         return "lifted"
        >>> with shelf.swapped(Crane, "lift") as lift:
        ...     _ = cue(lift, whatever, 4.0).gives("waiting")
        ...     Crane().lift(4.0)
        'waiting'
        >>> Crane().lift(4.0)
        'lifted'
        """
        from urnshelf.fakes.swap import Swapped

        return Swapped(self._swapping(), where, everywhere, sys._getframe(1))

    def lend_to(self, app: object) -> list[Any]:
        """Lend fakes to what builds the services itself, until the shelf is left: an application of
        FastAPI, or a container of dependency-injector.

        A dependency (a provider) that needs no other, and promises an interface, gives the shelf's
        fake of that interface; what is built of these stays real.

        Args:
            app: the application, or the container.

        Returns:
            The fakes that were lent.

        Raises:
            SwapRefused: something else, or one in which nothing promises an interface.

        >>> from typing import Annotated
        >>> from fastapi import Depends, FastAPI
        >>> def get_tides() -> TideService: ...
        >>> app = FastAPI()
        >>> @app.get("/depth")
        ... def depth(tides: Annotated[TideService, Depends(get_tides)]) -> float: ...
        >>> shelf.lend_to(app)
        [<fake TideService>]
        """
        return self._swapping().lend(app)

    def _wrapped(self) -> list[str]:
        """What was wrapped, a line each."""
        return [] if self._wraps is None else self._wraps.told

    def _swapped(self) -> list[str]:
        """What was swapped, a line each."""
        return [] if self._swaps is None else self._swaps.told

    def _swapping(self) -> Swaps:
        if self._swaps is None:
            from urnshelf.fakes.replacing import Replacing  # few shelves do
            from urnshelf.fakes.swap import Swaps

            self._swaps = Swaps(Replacing(self._fakes, self.wrap, self._desk))
            self._desk.unentered = self._swaps.waiting
        return self._swaps

    def _undo(self) -> None:
        """Leave what was real as it was."""
        if self._swaps is not None:
            self._swaps.undo()
        if self._wraps is not None:
            self._wraps.undo()
