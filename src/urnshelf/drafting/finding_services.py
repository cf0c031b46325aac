"""Which service is meant, and which of its methods."""

from __future__ import annotations

import inspect
from collections.abc import Mapping
from typing import Any

from urnshelf.drafting.scope import functions_in
from urnshelf.drafting.service import Service
from urnshelf.errors import DraftRefused
from urnshelf.near_names import nearest


def service_of(thing: Any, name: str, given: Mapping[str, Any]) -> Service:
    """What tests are drafted for.

    Args:
        thing: a class, with a method's name; or a function.
        name: the method's; empty for a function.
        given: as for `Service`.

    Raises:
        DraftRefused: there is no such method, or it is no code that can be read.
    """
    if not isinstance(thing, type):
        function = next(iter(functions_in(thing)), None)
        if function is None:
            raise DraftRefused(
                f"draft() takes a service's class, one of its methods, or a function, not {thing!r}"
            )
        return Service(None, function.__name__, inspect.unwrap(function), given)
    try:
        static = inspect.getattr_static(thing, name)
    except AttributeError:
        known = public_methods(thing)
        raise DraftRefused(
            f"{thing.__name__} has no method {name!r}; {nearest(name, known)}"
        ) from None
    functions = functions_in(static)
    if isinstance(static, property) or not functions:
        raise DraftRefused(f"{thing.__name__}.{name} is no method that is called")
    return Service(thing, name, inspect.unwrap(functions[-1]), given)


def public_methods(cls: type) -> list[str]:
    """The methods that users of a class call, in the order of its text; also those of its bases
    that are of the same package."""
    found: dict[str, None] = {}
    top = cls.__module__.partition(".")[0]
    for base in cls.__mro__:
        if base.__module__.partition(".")[0] != top:
            continue
        for name, one in vars(base).items():
            is_called = functions_in(one) and not isinstance(one, property)
            if is_called and not name.startswith("_") and not isinstance(one, type):
                found[name] = None
    return list(found)
