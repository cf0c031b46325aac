"""The fakes of one shelf: one for each interface and name."""

from __future__ import annotations

from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.target import STATE, FakeState, state_of
from urnshelf.errors import InterfaceRefused
from urnshelf.fakes.compile import new_fake
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.types.forms import type_name

__tracebackhide__ = True  # a failing test shows its own lines, not ours


class Fakes:
    """Makes fakes, and gives the same one again for the same interface and name."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._made: dict[Any, dict[str | None, Any]] = {}

    def give(self, form: object, name: str | None = None) -> Any:
        """The fake of this interface and name; raises InterfaceRefused when a bare interface has
        only named fakes.
        """
        made = self._of(form)
        if name in made:
            return made[name]
        state = state_of(form) if hasattr(type(form), STATE) else None
        if state is not None:
            raise InterfaceRefused(
                f"{form!r} is a fake already; give its interface, {state.interface.name}"
            )
        if name is None and len(made) > 1:
            names = ", ".join(f"name={known!r}" for known in made)
            raise InterfaceRefused(
                f"there are {len(made)} fakes of {type_name(form)}, and each has a name: say which "
                f"one, with {names}"
            )
        made[name] = new_fake(interface_of(form), name, self._desk)
        return made[name]

    def state(self, form: object, name: str | None) -> FakeState:
        """What the library knows of the fake of this interface and name."""
        return object.__getattribute__(self.give(form, name), STATE)  # type: ignore[no-any-return]

    def _of(self, form: object) -> dict[str | None, Any]:
        try:
            return self._made.setdefault(form, {})
        except TypeError:  # not hashable: certainly no interface, and said so by interface_of
            interface_of(form)
            raise
