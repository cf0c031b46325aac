"""Real ones: made fresh for each sequence by what the user gives, and left when it is over."""

from __future__ import annotations

import asyncio
import inspect
import signal
import threading
from collections.abc import AsyncIterator, Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import (
    AbstractAsyncContextManager,
    AbstractContextManager,
    AsyncExitStack,
    ExitStack,
    asynccontextmanager,
    contextmanager,
)
from typing import Any, TypeVar

from urnshelf.errors import TwinRefused
from urnshelf.fakes.behind import why_not_behind
from urnshelf.interfaces.members import Interface
from urnshelf.records.display import show
from urnshelf.types.forms import type_name

T = TypeVar("T")


class Real:
    """Makes the real ones.

    Args:
        make: a function without arguments, that gives the object, or for several interfaces one
            for each, in their order; also a generator, a context manager, a coroutine.
        interfaces: what the objects must have.
        said: how messages call it.
    """

    def __init__(
        self, make: Callable[[], Any], interfaces: Sequence[Interface], said: str = "real"
    ) -> None:
        self._make = make
        self._interfaces = interfaces
        self._said = said
        self._fitting: set[type] = set()
        """The classes that were looked at."""
        if not callable(make):
            raise TwinRefused(
                f"{said}={show(make, 40)}: give a function that makes a fresh one, "
                f"{said}=lambda: {type(make).__name__}(…)"
            )
        self._check_arguments()

    @property
    def needs_loop(self) -> bool:
        """Whether making it, or calling it, wants an event loop."""
        make: Any = inspect.unwrap(self._make)
        is_async = inspect.iscoroutinefunction(make) or inspect.isasyncgenfunction(make)
        members = [one for i in self._interfaces for one in i.members.values()]
        return is_async or any(
            one.promise.awaited or one.promise.stream == "async" for one in members
        )

    def _check_arguments(self) -> None:
        try:
            signature = inspect.signature(self._make)
        except (TypeError, ValueError):  # of a function written in C
            return
        try:
            signature.bind()
        except TypeError:
            wanted = [
                name
                for name, one in signature.parameters.items()
                if one.default is one.empty and one.kind is not one.VAR_POSITIONAL
            ]
            name = type_name(self._make)
            raise TwinRefused(
                f"{self._said}={name} needs {' and '.join(wanted)}: give a function that makes a "
                f"fresh one by itself, {self._said}=lambda: {name}({wanted[0]}=…)"
            ) from None

    @asynccontextmanager
    async def fresh(self) -> AsyncIterator[tuple[Any, ...]]:
        """Fresh ones, one for each interface.

        Raises:
            TwinRefused: it raises, or gives something else.
        """
        async with AsyncExitStack() as stack:
            try:
                made = await self._made(stack)
            except TwinRefused:
                raise
            except Exception as why:
                raise TwinRefused(
                    f"{self._said} could not make one: {type(why).__name__}: {why}"
                ) from why
            yield self._one_each(made)

    def made_now(self, stack: ExitStack) -> tuple[Any, ...]:
        """Real ones for a test, one for each interface; left when the stack is.

        Raises:
            TwinRefused: it raises, gives something else, or wants an event loop.
        """
        try:
            made = self._make()
            if inspect.isgenerator(made):
                made = stack.enter_context(contextmanager(lambda: made)())
            elif self._is_entered(made) and isinstance(made, AbstractContextManager):
                made = stack.enter_context(made)
        except Exception as why:
            raise TwinRefused(
                f"{self._said} could not make one: {type(why).__name__}: {why}"
            ) from why
        if inspect.isawaitable(made) or inspect.isasyncgen(made):
            raise TwinRefused(f"{self._said} is async: a test's real one is made before its loop")
        return self._one_each(made)

    def _is_entered(self, made: Any) -> bool:
        """Whether an object is one that gives the real one when it is entered; a unit of work is
        the real one itself.
        """
        if type(made) in self._fitting:
            return False
        return len(self._interfaces) > 1 or bool(why_not_behind(self._interfaces[0], made))

    async def _made(self, stack: AsyncExitStack) -> Any:
        made = self._make()
        if inspect.isawaitable(made):
            made = await made
        if inspect.isgenerator(made):
            return stack.enter_context(contextmanager(lambda: made)())
        if inspect.isasyncgen(made):
            return await stack.enter_async_context(asynccontextmanager(lambda: made)())
        if self._is_entered(made):
            if isinstance(made, AbstractContextManager):
                return stack.enter_context(made)
            if isinstance(made, AbstractAsyncContextManager):
                return await stack.enter_async_context(made)
        return made

    def _one_each(self, made: Any) -> tuple[Any, ...]:
        names = ", ".join(one.name for one in self._interfaces)
        objects = (made,)
        if len(self._interfaces) > 1:
            if isinstance(made, Mapping):
                made = tuple(made.get(one.form) for one in self._interfaces)
            objects = tuple(made) if isinstance(made, (list, tuple)) else ()
            if len(objects) != len(self._interfaces):
                raise TwinRefused(
                    f"{self._said} gave {show(made, 60)}: for {names} it must give a tuple of one "
                    "object each, in this order"
                )
        for interface, one in zip(self._interfaces, objects, strict=True):
            # a Protocol is kept by what an object has, which is looked at once
            if type(one) in self._fitting:
                continue
            why = why_not_behind(interface, one)
            if why:
                raise TwinRefused(
                    f"{self._said} gave {show(one, 60)}, which is no {interface.name}: {why}"
                )
        self._fitting |= set(map(type, objects))
        return objects


def outside_of_loops(work: Callable[[], T]) -> T:
    """Do something that runs a loop of its own: in a thread, where a loop runs here already."""
    try:
        asyncio.get_running_loop()
    except RuntimeError:
        return work()
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(work).result()


class Overdue(BaseException):
    """A call that does not come back. Not of the family, so that nothing catches it."""


CALL_SECONDS = 10.0
"""So long a call may take."""


@contextmanager
def in_time() -> Iterator[Callable[[], None]]:
    """A block in which every call must come back: what it gives is called before each.

    Where the system has no alarms, or outside of the main thread, nobody looks.
    """
    has_alarm = hasattr(signal, "setitimer")
    if not has_alarm or threading.current_thread() is not threading.main_thread():
        yield lambda: None
        return

    def overdue(_number: int, _frame: Any) -> None:
        raise Overdue

    def wind() -> None:
        signal.setitimer(signal.ITIMER_REAL, CALL_SECONDS)

    before = signal.signal(signal.SIGALRM, overdue)
    try:
        yield wind
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
