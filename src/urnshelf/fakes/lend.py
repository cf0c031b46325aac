"""Fakes lent to what builds the services itself: a web application's dependencies, the providers of
an injection container.

Only leaves are replaced, what needs nothing else that could be: what is built of them stays real.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Iterator
from typing import Any, NamedTuple

from urnshelf.errors import SwapRefused
from urnshelf.fakes.furnish import dependency
from urnshelf.fakes.making import Fakes
from urnshelf.fakes.places import ABSENT, Item, Place
from urnshelf.interfaces.promises import promise_of
from urnshelf.records.display import show
from urnshelf.types.annotations import annotations_of, resolve
from urnshelf.types.nodes import node_of


class Lent(NamedTuple):
    """A place where a fake goes.

    Args:
        place: there.
        value: what goes in, which gives the fake.
        fake: the fake.
    """

    place: Place | Override
    value: Any
    fake: Any


def lent_to(app: object, fakes: Fakes) -> list[Lent]:
    """The places of an application or a container where fakes go; raises SwapRefused for what is
    neither, or has none.
    """
    if hasattr(app, "dependency_overrides"):
        found = [
            Lent(Item(one.dependency_overrides, call), _giver(fake), fake)
            for one in _applications(app)
            for call, form in _dependencies(one).items()
            if (fake := fakes.give(form)) is not None
        ]
    elif hasattr(app, "providers") and hasattr(app, "override_providers"):
        found = list(_provided(app, fakes))
    else:
        raise SwapRefused(
            f"lend_to({show(app, 60)}): fakes are lent to applications of FastAPI and to "
            "containers of dependency-injector; into others shelf.swap(…) puts them, where they "
            "keep theirs"
        )
    if not found:
        raise SwapRefused(
            f"lend_to({show(app, 60)}): nothing in it promises an interface; annotate what a "
            "dependency gives, def get_tides() -> TideService"
        )
    return found


def _giver(fake: object) -> Any:
    return lambda: fake


# --- FastAPI --------------------------------------------------------------------------------------


def _applications(app: Any) -> Iterator[Any]:
    yield app
    for route in app.routes:
        inner = getattr(route, "app", None)
        if hasattr(inner, "dependency_overrides") and inner is not app:
            yield from _applications(inner)


def _dependencies(app: Any) -> dict[Any, Any]:
    """The leaves among an application's dependencies, each with the interface that it gives."""
    found: dict[Any, Any] = {}
    waiting = [getattr(route, "dependant", None) for route in _routes(app)]
    while waiting:
        dependant = waiting.pop()
        for one in getattr(dependant, "dependencies", ()):
            waiting.append(one)
            form = None if one.dependencies else _given_by(one.call)
            if form is not None:
                found[one.call] = form
    return found


def _routes(app: Any) -> Iterator[Any]:
    for route in app.routes:
        included = getattr(route, "effective_route_contexts", None)
        # a router that is included keeps its routes to itself in newer releases
        yield from (route,) if included is None else included()


def _given_by(call: Any) -> Any:
    """The interface of what a dependency gives; None where it gives none."""
    if isinstance(call, type):
        return dependency(node_of(call))
    function = inspect.unwrap(call)
    written = annotations_of(function).get("return", ABSENT)
    if written is ABSENT:
        return None
    promise = promise_of(resolve(written, None, function), inspect.iscoroutinefunction(function))
    return dependency(promise.item if promise.stream else promise.node)


# --- dependency-injector --------------------------------------------------------------------------


class Override:
    """The override of a container's provider.

    Args:
        provider: it.
        name: in the container.
    """

    def __init__(self, provider: Any, name: str) -> None:
        self.holder = provider
        self.name = name
        self.key: tuple[int, str, Any] = (id(provider), "override", name)

    def __str__(self) -> str:
        return f"the provider {self.name}"

    def value(self) -> Any:
        """What overrides it now."""
        return self.holder.overridden

    held = kept = value

    def put(self, value: object) -> None:
        """Let something else be given."""
        self.holder.override(value)

    def leave(self, held: Any) -> None:
        """Let it be as it was."""
        self.holder.reset_override()
        for one in held:
            self.holder.override(one)


def _provided(container: Any, fakes: Fakes) -> Iterator[Lent]:
    for name, provider in container.providers.items():
        form = _interface_of(provider)
        if form is not None and not any(map(_interface_of, provider.related)):
            fake = fakes.give(form)
            yield Lent(Override(provider, name), _overriding(provider, fake), fake)


def _overriding(provider: Any, fake: object) -> Any:
    """What overrides a provider: the fake; an abstract provider wants one of its own kind."""
    kind = type(provider).__name__
    if not kind.startswith("Abstract"):
        return fake
    concrete = getattr(sys.modules[type(provider).__module__], kind.removeprefix("Abstract"))
    return concrete(type(provider.cls)("Lent", (provider.cls,), {"__new__": lambda *_, **__: fake}))


def _interface_of(provider: Any) -> Any:
    kind = type(provider).__name__
    cls = provider.instance_of if kind == "Dependency" else getattr(provider, "cls", None)
    return dependency(node_of(cls)) if isinstance(cls, type) else None
