"""Swaps: something else in the place of a module's, a class's or an object's attribute, or of a
mapping's item, for a while.
"""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from types import FrameType, ModuleType, TracebackType
from typing import Any, Generic, TypeVar

from urnshelf.calls.target import NOTHING
from urnshelf.errors import RecordRefused, SwapRefused
from urnshelf.fakes.imported import elsewhere
from urnshelf.fakes.lend import lent_to
from urnshelf.fakes.places import Attribute, Layer, Place, lay, place_in, take_off
from urnshelf.fakes.replacing import Replacing, as_kept
from urnshelf.records.display import show
from urnshelf.types.loading import load_holder

T = TypeVar("T")


class Swaps:
    """The swaps of one shelf.

    Args:
        replacing: makes what goes in.
    """

    def __init__(self, replacing: Replacing) -> None:
        self._replacing = replacing
        self._layers: list[Layer] = []
        self.told: list[str] = []
        """What was swapped, a line each; also what was put back since."""
        self.waiting: dict[Swapped[Any], None] = {}
        """The blocks that were made and not entered."""

    def swap(self, where: tuple[Any, ...], everywhere: bool | None, frame: FrameType) -> Any:
        """Put something in a place, until the shelf is left.

        Args:
            where: what `Shelf.swap` was given by position.
            everywhere: also where other modules have imported it by name.
            frame: the caller's.

        Returns:
            What went in.
        """
        made, _ = self.lay(where, everywhere, frame)
        return made

    def lay(
        self, where: tuple[Any, ...], everywhere: bool | None, frame: FrameType
    ) -> tuple[Any, list[Layer]]:
        """What went in, and what takes it out again."""
        place, given = _place_and_given(where)
        place.check()
        places = [place, *_others(place, everywhere, frame)]
        made = self._replacing.replacement(place, given)
        layers: list[Layer] = []
        try:
            for one in places:
                layers.append(lay(one, as_kept(one, made)))
        except BaseException:
            self.take_off(layers)
            raise
        self._layers += layers
        self.told += [f"swapped {one}, now {show(made, 60)}" for one in places]
        return made, layers

    def lend(self, app: Any) -> list[Any]:
        """Put fakes in the places of an application or a container that are meant for it."""
        found = lent_to(app, self._replacing.fakes)
        for one in found:
            self._layers.append(lay(one.place, one.value))
            self.told.append(f"lent {one.place}: {show(one.fake, 60)}")
        self._replacing.fakes.note_given(one.fake for one in found)
        return list({id(one.fake): one.fake for one in found}.values())

    def take_off(self, layers: list[Layer]) -> None:
        """Put back what was there, the last first."""
        for layer in reversed(layers):
            take_off(layer)
        self._layers = [one for one in self._layers if one not in layers]

    def undo(self) -> None:
        """Put back everything."""
        self.take_off(self._layers)


class Swapped(Generic[T]):
    """A swap for the time of a block, or of each call of a function that it decorates.

    Args:
        swaps: of the shelf.
        where: what `Shelf.swapped` was given by position.
        everywhere: also where other modules have imported it by name.
        frame: the caller's.
    """

    def __init__(
        self, swaps: Swaps, where: tuple[Any, ...], everywhere: bool | None, frame: FrameType
    ) -> None:
        self._swaps = swaps
        self._where = where
        self._everywhere = everywhere
        self._frame = frame
        self._open: list[list[Layer]] = []
        swaps.waiting[self] = None

    def __repr__(self) -> str:
        return f"shelf.swapped({', '.join(show(word, 60) for word in self._where[:2])})"

    def __enter__(self) -> T:
        self._swaps.waiting.pop(self, None)
        made, layers = self._swaps.lay(self._where, self._everywhere, self._frame)
        self._open.append(layers)
        return made  # type: ignore[no-any-return]

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._swaps.take_off(self._open.pop())

    def __call__(self, function: Callable[..., Any]) -> Any:
        """Decorate a function, a coroutine function or a generator function."""
        self._swaps.waiting.pop(self, None)
        if inspect.isasyncgenfunction(function) or inspect.isgeneratorfunction(function):
            raise SwapRefused(
                f"{self} decorates functions and coroutine functions; in the generator "
                f"{function.__name__} use it as a block"
            )
        if inspect.iscoroutinefunction(function):

            @functools.wraps(function)
            async def awaited(*args: object, **kwargs: object) -> Any:
                with self:
                    return await function(*args, **kwargs)

            return awaited

        @functools.wraps(function)
        def called(*args: object, **kwargs: object) -> Any:
            with self:
                return function(*args, **kwargs)

        return called


def _place_and_given(where: tuple[Any, ...]) -> tuple[Place, Any]:
    if not 1 <= len(where) <= 3:
        raise SwapRefused(
            'swap("package.module:name"), or swap(holder, "name"), each with what goes in after: '
            f"it cannot be told from {len(where)} arguments"
        )
    holder, *rest = where
    if isinstance(holder, str):
        if len(rest) > 1:
            raise SwapRefused(
                f"swap({holder!r}, …): after a place in words only the value is given"
            )
        try:
            holder, name = load_holder(holder)
        except RecordRefused as why:
            raise SwapRefused(str(why)) from None
        return Attribute(holder, name), (rest or [NOTHING])[0]
    if not rest:
        raise SwapRefused(
            f'swap({show(holder, 60)}): say which attribute of it, swap(…, "name"); a module\'s '
            'is named by words, swap("package.module:name")'
        )
    return place_in(holder, rest[0]), ([*rest[1:], NOTHING])[0]


def _others(place: Place, everywhere: bool | None, frame: FrameType) -> list[Attribute]:
    """The places in other modules, where these are swapped, too; raises SwapRefused where nobody
    said whether they are.
    """
    if not isinstance(place, Attribute) or not isinstance(place.holder, ModuleType):
        if everywhere:
            raise SwapRefused(
                f"everywhere=True: other modules import what a module has, not {place}"
            )
        return []
    found = [] if everywhere is False else elsewhere(place, place.value(), everywhere)
    # the test itself may well have the original
    asked = [one for one in found if one.holder.__name__ != frame.f_globals.get("__name__")]
    if everywhere is None and asked:
        more = f" and {len(asked) - 5} more" if len(asked) > 5 else ""
        raise SwapRefused(
            f"{place} was imported by name elsewhere, and would stay what it is there: "
            f"{', '.join(map(str, asked[:5]))}{more}. Say everywhere=True to swap it there, too "
            "(in the globals of modules, not in what else holds it), or everywhere=False to leave "
            "it there"
        )
    return found if everywhere else []
