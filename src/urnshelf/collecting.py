"""What collected tests declare: annotated parameters and fields, made on the test's shelf by
pytest's public hooks.

Pytest takes the parameters of a test for names of fixtures, and it reads them from the function's
signature. So a test that declares some gets a signature without them, which is Python's own way to
say how a function is to be called, and the mark that it uses the fixture `shelf`.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Generator, Mapping
from contextlib import contextmanager
from functools import partial
from types import FunctionType, SimpleNamespace
from typing import Any
from weakref import WeakKeyDictionary

import pytest

from urnshelf.declarations import declarations, made_for
from urnshelf.errors import UrnShelfError
from urnshelf.shelf import Shelf
from urnshelf.types.annotations import annotations_of, hints_of, resolve, signature_of

_declared: WeakKeyDictionary[FunctionType, dict[str, Any]] = WeakKeyDictionary()
"""What the parameters of tests declare."""
_written: WeakKeyDictionary[FunctionType, inspect.Signature] = WeakKeyDictionary()
"""The signatures that decorators had given to tests before."""


def prepare(collector: pytest.Module | pytest.Class, name: str, obj: object) -> None:
    """Look at what may be a test, before pytest does."""
    function = obj.__func__ if isinstance(obj, (staticmethod, classmethod)) else obj
    if isinstance(function, FunctionType):
        is_new = function.__annotations__ and function not in _declared
        if is_new and collector.istestfunction(obj, name):
            _prepare_function(function, getattr(collector, "cls", None))
    elif (
        isinstance(obj, type)
        and not _is_of_unittest(obj)
        and collector.istestclass(obj, name)
        and declarations(hints_of(obj))
    ):
        _prepare_class(obj, collector.config)


def _is_of_unittest(cls: type) -> bool:
    # unittest is not imported for it: many a run needs none of it
    unittest = sys.modules.get("unittest")
    return unittest is not None and issubclass(cls, unittest.TestCase)


def _prepare_function(function: FunctionType, owner: type | None) -> None:
    written, names = annotations_of(function), _with_its_names(function)
    found = declarations({name: resolve(one, owner, names) for name, one in written.items()})
    found.pop("return", None)
    if not found:
        return
    if "__signature__" in vars(function):
        _written[function] = vars(function)["__signature__"]
    signature = signature_of(function)
    left = [one for name, one in signature.parameters.items() if name not in found]
    function.__signature__ = signature.replace(parameters=left)  # type: ignore[attr-defined]
    pytest.mark.usefixtures("shelf")(function)
    _declared[function] = found


def _with_its_names(function: FunctionType) -> Any:
    """What has the names of the module in which a test is written: a decorator's own function has
    those of another.
    """
    inner = inspect.unwrap(function)
    module = sys.modules.get(function.__module__)
    if module is None or getattr(inner, "__globals__", None) is vars(module):
        return inner
    return SimpleNamespace(__globals__=vars(module), __module__=function.__module__)


def _prepare_class(cls: type, config: pytest.Config) -> None:
    if not hasattr(cls, _FIELDS):
        setattr(cls, _FIELDS, _fields)
    if not config.pluginmanager.has_plugin(_FIELDS):
        config.pluginmanager.register(_FieldsFirst(), _FIELDS)


_FIELDS = "_urnshelf_fields"


@pytest.fixture(autouse=True, name=_FIELDS)
def _fields(self: Any, shelf: Shelf) -> None:
    """The declared fields of a test class, made for this test."""
    _fill(self, shelf)


def _fill(instance: Any, shelf: Shelf) -> None:
    if _FILLED not in vars(instance):
        setattr(instance, _FILLED, True)
        vars(instance).update(_made(declarations(hints_of(type(instance))), shelf))


_FILLED = "_urnshelf_filled"


class _FieldsFirst:
    """Fills the fields before any fixture of the test is made: `setup_method` may use them. It is
    there only where some test class declares fields, for it costs every fixture a little.
    """

    def __init__(self) -> None:
        self._is_busy = False

    @pytest.hookimpl(wrapper=True)
    def pytest_fixture_setup(
        self, fixturedef: pytest.FixtureDef[Any], request: pytest.FixtureRequest
    ) -> Generator[None, Any, Any]:
        """Before the first fixture, but after what `shelf` itself needs."""
        instance = request.instance if fixturedef.scope == "function" else None
        is_lacking = hasattr(type(instance), _FIELDS) and _FILLED not in vars(instance)
        if is_lacking and not self._is_busy and fixturedef.argname != "shelf":
            self._is_busy = True
            try:
                _fill(instance, request.getfixturevalue("shelf"))
            finally:
                self._is_busy = False
        return (yield)


def _made(declared: Mapping[str, Any], shelf: Shelf) -> dict[str, Any]:
    try:
        return made_for(declared, shelf)
    except UrnShelfError as error:
        why = str(error)
    pytest.fail(why, pytrace=False)


@contextmanager
def given(item: pytest.Item) -> Generator[None]:
    """The time in which a test's function is given what its parameters declare."""
    if not _declared or not isinstance(item, pytest.Function) or item.function not in _declared:
        yield
        return
    found = _declared[item.function]
    shelf = item.funcargs["shelf"]
    if not isinstance(shelf, Shelf):
        pytest.fail(
            f"{item.name}: the fixture `shelf` gives {shelf!r}, and no Shelf", pytrace=False
        )
    before, function = item.obj, item.function
    item.obj = partial(before, **_made(found, shelf))
    # a decorator may ask its own function how it is called
    collected = vars(function).pop("__signature__")
    if function in _written:
        function.__signature__ = _written[function]
    try:
        yield
    finally:
        item.obj = before
        function.__signature__ = collected
