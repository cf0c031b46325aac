"""Exceptions that a docstring names: what a method may raise besides what it promises to give."""

from __future__ import annotations

import builtins
import re
import sys
from collections.abc import Iterator, Mapping
from typing import Any

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*(?:\.[A-Za-z_][A-Za-z0-9_]*)*")


def raised(function: object) -> tuple[type[BaseException], ...]:
    """The exceptions that the docstring of a function names, in its order.

    A name is looked up in the function's module, among the builtins, and in the whole package of
    the module.

    >>> from urnshelf.demo.harbour import BerthRepository
    >>> [error.__name__ for error in raised(BerthRepository.get)]
    ['BerthUnknown']
    """
    text = getattr(function, "__doc__", None)
    if not isinstance(text, str):
        return ()
    words = dict.fromkeys(_NAME.findall(text))
    found = [
        _exception(word, function) for word in words if any(letter.isupper() for letter in word)
    ]
    return tuple(dict.fromkeys(error for error in found if error is not None))


def _exception(word: str, function: object) -> type[BaseException] | None:
    name = word.rpartition(".")[2]
    for namespace in _namespaces(function):
        known = namespace.get(name)
        if isinstance(known, type) and issubclass(known, BaseException):
            return known
    return None


def _namespaces(function: object) -> Iterator[Mapping[str, Any]]:
    yield getattr(function, "__globals__", {})
    yield vars(builtins)
    package = (getattr(function, "__module__", "") or "").partition(".")[0]
    for name, module in sorted(sys.modules.items()):
        if package and (name == package or name.startswith(f"{package}.")) and module is not None:
            yield vars(module)
