"""Places whose contents can be swapped, and put back in any order: an attribute of a module, a
class or an object, an item of a mapping.
"""

from __future__ import annotations

import inspect
import os
import threading
from collections.abc import Mapping, MutableMapping
from types import ModuleType, SimpleNamespace
from typing import Any, ClassVar, Final, Protocol, get_args, get_origin

from urnshelf.calls.target import state_of
from urnshelf.errors import SwapRefused
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.types.annotations import annotations_of, is_partly_unknown, resolve

ABSENT: Any = object()
"""What a place holds that holds nothing of its own."""


class Attribute:
    """An attribute.

    Args:
        holder: the module, class or object.
        name: of the attribute.
    """

    def __init__(self, holder: Any, name: str) -> None:
        self.holder = holder
        self.name = name
        self.key: tuple[int, str, Any] = (id(holder), "attribute", name)

    def __str__(self) -> str:
        if isinstance(self.holder, ModuleType):
            return f"{self.holder.__name__}:{self.name}"
        is_class = isinstance(self.holder, type)
        return f"{self.holder.__qualname__ if is_class else show(self.holder, 40)}.{self.name}"

    def value(self) -> Any:
        """What is found there; ABSENT where nothing is."""
        return getattr(self.holder, self.name, ABSENT)

    def kept(self) -> Any:
        """What is found there as it is kept: no descriptor is asked."""
        return inspect.getattr_static(self.holder, self.name, ABSENT)

    def check(self) -> None:
        """Refuse what is not there, or is a fake's."""
        state = state_of(self.holder)
        if state is not None and not state.is_wrapped:
            raise SwapRefused(
                f"{state.label}.{self.name} is a fake's: instead of another method or value, give "
                f"it a cue, cue({state.expression}.{self.name}, …)"
            )
        # a slot may be there without a value
        if self.value() is ABSENT and self.name not in dir(self.holder):
            names = [name for name in dir(self.holder) if not name.startswith("__")]
            raise SwapRefused(f"there is no {self}; {nearest(self.name, names)}")

    def annotation(self) -> Any:
        """The type that is written for it; ABSENT where none is, or where it cannot be told."""
        getter = getattr(original_kept(self), "fget", None)
        if getter is not None:
            written = annotations_of(getter).get("return", ABSENT)
            return ABSENT if written is ABSENT else _known(resolve(written, None, getter))
        for owner in self._owners():
            written = annotations_of(owner).get(self.name, ABSENT)
            if written is not ABSENT:
                return _known(_resolved(written, owner))
        return ABSENT

    def _owners(self) -> list[Any]:
        if isinstance(self.holder, ModuleType):
            return [self.holder]
        cls = self.holder if isinstance(self.holder, type) else type(self.holder)
        return list(cls.__mro__[:-1])

    def held(self) -> Any:
        """What the place itself holds, as it is kept there; ABSENT where a class or a base gives
        what is found.
        """
        if self._is_kept_by_descriptor():
            return self.value()
        return getattr(self.holder, "__dict__", {}).get(self.name, ABSENT)

    def _is_kept_by_descriptor(self) -> bool:
        """Whether it is a property with a setter, or stands in a slot."""
        found = inspect.getattr_static(type(self.holder), self.name, None)
        return hasattr(type(found), "__set__")

    def put(self, value: object) -> None:
        """Put something else there."""
        try:
            setattr(self.holder, self.name, value)
        except (AttributeError, TypeError) as why:
            hint = (
                "swap the name in the module that uses it"
                if isinstance(self.holder, type)
                else "swap the whole of it where it is kept"
            )
            raise SwapRefused(f"{self} cannot be changed: {why}; {hint}") from None

    def leave(self, held: object) -> None:
        """Leave it as it was."""
        if held is not ABSENT:
            setattr(self.holder, self.name, held)
        elif self.held() is not ABSENT:
            delattr(self.holder, self.name)


def _known(form: Any) -> Any:
    return ABSENT if form is Final or is_partly_unknown(form) else form


def _resolved(written: object, owner: Any) -> Any:
    if isinstance(owner, type):
        form = resolve(written, owner)
    else:  # the names of a module are found as those of its functions are
        names = SimpleNamespace(__globals__=vars(owner), __module__=owner.__name__)
        form = resolve(written, None, names)
    is_qualified = get_origin(form) in (Final, ClassVar)
    return get_args(form)[0] if is_qualified else form


class Item:
    """An item of a mapping; an environment variable.

    Args:
        holder: the mapping.
        name: the key.
    """

    def __init__(self, holder: MutableMapping[Any, Any], name: object) -> None:
        self.holder = holder
        self.name = name
        self.key: tuple[int, str, Any] = (id(holder), "item", name)

    def __str__(self) -> str:
        whose = "os.environ" if self.holder is os.environ else show(self.holder, 40)
        return f"{whose}[{self.name!r}]"

    def value(self) -> Any:
        """What is found there; ABSENT where nothing is."""
        return self.holder.get(self.name, ABSENT)

    held = kept = value

    def check(self) -> None:
        """An item may be new."""

    def annotation(self) -> Any:
        """None is written."""
        return ABSENT

    def put(self, value: object) -> None:
        """Put something else there; no environment variable is None, so that takes it away."""
        if self.holder is os.environ and value is None:
            self.holder.pop(self.name, None)
        else:
            self.holder[self.name] = value

    def leave(self, held: object) -> None:
        """Leave it as it was."""
        if held is ABSENT:
            self.holder.pop(self.name, None)
        else:
            self.holder[self.name] = held


Place = Attribute | Item


class Swappable(Protocol):
    """What something can be laid over."""

    key: tuple[int, str, Any]
    """Which place it is."""

    def value(self) -> Any:
        """What is found there."""

    def kept(self) -> Any:
        """The same as it is kept."""

    def held(self) -> Any:
        """What the place itself holds."""

    def put(self, value: object) -> None:
        """Put something else there."""

    def leave(self, held: object) -> None:
        """Leave it as it was."""


def place_in(holder: Any, name: object) -> Place:
    """The place of a name in a holder; raises SwapRefused for what holds nothing."""
    if isinstance(holder, MutableMapping) and state_of(holder) is None:
        if holder is os.environ and not isinstance(name, str):
            raise SwapRefused(f"the name of an environment variable is a text, not {name!r}")
        return Item(holder, name)
    if isinstance(holder, Mapping):
        raise SwapRefused(f"{show(holder, 60)} cannot be changed, so nothing in it can be swapped")
    if not isinstance(name, str):
        raise SwapRefused(f"the name of an attribute is a text, and not {show(name, 60)}")
    return Attribute(holder, name)


# --- what lies over a place -----------------------------------------------------------------------


class Layer:
    """What is in a place for a while.

    Args:
        place: where.
        before: what the place itself held.
    """

    def __init__(self, place: Swappable, before: object) -> None:
        self.place = place
        self.before = before
        self.value = place.value()
        """What was found there."""
        self.kept = place.kept()
        """The same as it is kept: a method as a function."""


_LOCK = threading.RLock()
_layers: dict[tuple[int, str, Any], list[Layer]] = {}
"""What lies over each place, of every shelf; the last is what is found."""


def original(place: Swappable) -> Any:
    """What is found there when everything is taken off."""
    over = _layers.get(place.key)
    return over[0].value if over else place.value()


def original_kept(place: Swappable) -> Any:
    """The same as it is kept."""
    over = _layers.get(place.key)
    return over[0].kept if over else place.kept()


def lay(place: Swappable, value: object) -> Layer:
    """Put something over a place."""
    with _LOCK:
        layer = Layer(place, place.held())
        place.put(value)
        _layers.setdefault(place.key, []).append(layer)
    return layer


def take_off(layer: Layer) -> None:
    """Take it off again; what lies over it stays."""
    with _LOCK:
        over = _layers.get(layer.place.key, [])
        if layer not in over:
            return
        number = over.index(layer)
        if layer is over[-1]:
            layer.place.leave(layer.before)
        else:
            above = over[number + 1]
            above.before, above.value, above.kept = layer.before, layer.value, layer.kept
        del over[number]
        if not over:
            del _layers[layer.place.key]
