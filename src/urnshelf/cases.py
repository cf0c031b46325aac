"""unittest: test cases with a fresh shelf, and with fields that are declared.

A test case may belong to unittest itself or to IsolatedAsyncioTestCase; it runs under any runner of
unittest's.
"""

from __future__ import annotations

import functools
import inspect
import unittest
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, ClassVar

from urnshelf import running
from urnshelf.declarations import declarations, made_for
from urnshelf.reporting import failed, section
from urnshelf.shelf import SettingsGiven, Shelf
from urnshelf.types.annotations import hints_of

if TYPE_CHECKING:
    _Case = unittest.TestCase
else:
    _Case = object


class ShelfCase(_Case):
    """A mixin for test cases: `class TestDesk(ShelfCase, unittest.TestCase)`.

    Each test has a fresh shelf, and its own values in the fields that are declared; they are there
    before `setUp`. A failing test's message tells what the shelf has to say.

    >>> import io, unittest
    >>> class DeskCase(ShelfCase, unittest.TestCase):
    ...     def test_it(self) -> None:
    ...         tides = self.shelf.fake(TideService)
    ...         cue(tides.depth_at).gives(6.3)
    ...         self.assertEqual(tides.depth_at("Ternhythe", NOON), 6.3)
    >>> unittest.TextTestRunner(stream=io.StringIO()).run(DeskCase("test_it"))
    <unittest.runner.TextTestResult run=1 errors=0 failures=0>
    """

    shelf: Shelf
    """The test's."""
    shelf_settings: ClassVar[SettingsGiven] = {}
    """What its shelves are told."""

    def run(self, result: unittest.TestResult | None = None) -> unittest.TestResult | None:
        """Run the test with a shelf of its own."""
        name = self.id().rpartition(".")[2]
        overlaid = {"setUp": self._arranged(self.setUp), name: self._told(getattr(self, name))}
        before = {one: vars(self)[one] for one in overlaid if one in vars(self)}
        vars(self).update(overlaid)
        try:
            return super().run(result)
        finally:
            for one in overlaid:
                delattr(self, one)
            vars(self).update(before)
            made: Shelf | None = vars(self).get("shelf")
            if made is not None and made._is_told_by_a_runner:
                made._undo()  # a runner that tells what the shelf has to say does so later
            elif made is not None:
                made._let_go()
                del self.shelf

    def subTest(self, *args: Any, **params: Any) -> Any:  # noqa: N802
        """The same, and a failing part tells what the shelf has to say."""
        return self._part(super().subTest(*args, **params))

    @contextmanager
    def _part(self, block: Any) -> Iterator[None]:
        with block, self._noted():
            yield

    def _arranged(self, set_up: Callable[[], None]) -> Callable[[], None]:
        def arranged() -> None:
            make = running.shelf_of_a_test
            settings = self.shelf_settings
            self.shelf = make(settings) if make else Shelf(running.seed_of(self.id()), **settings)
            vars(self).update(made_for(declarations(hints_of(type(self))), self.shelf))
            set_up()

        return arranged

    def _told(self, method: Callable[..., Any]) -> Callable[..., Any]:
        """The test, which fails with what the shelf finds at its end."""
        if inspect.iscoroutinefunction(method):

            @functools.wraps(method)
            async def awaited() -> Any:
                with self._noted():
                    given = await method()
                    self.shelf._desk.check_out()
                    return given

            return awaited

        @functools.wraps(method)
        def called() -> Any:
            with self._noted():
                given = method()
                self.shelf._desk.check_out()
                return given

        return called

    @contextmanager
    def _noted(self) -> Iterator[None]:
        try:
            yield
        except unittest.SkipTest:
            raise
        except Exception as error:
            text = section(self.shelf, failed(error))
            self.shelf._desk.check_out(error)
            if not self.shelf._is_told_by_a_runner and not hasattr(error, "__notes__"):
                error.add_note(f"\n--- urn shelf ---\n{text}")
            raise
