"""The fakes of one shelf: one for each interface and name."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from urnshelf.calls.desk import Desk
from urnshelf.calls.target import STATE, FakeState, state_of
from urnshelf.errors import InterfaceRefused
from urnshelf.fakes.compile import new_fake
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.types.forms import type_name


def _which_one(interface: str, made: dict[str | None, Any]) -> str:
    """What to say where the name is lacking: which fakes there are, and what they were made for."""
    count = (
        f"is 1 fake of {interface}, and it"
        if len(made) == 1
        else (f"are {len(made)} fakes of {interface}, and each")
    )
    lines = [f"there {count} has a name: say which one"]
    for name, fake in made.items():
        state: Any = state_of(fake)
        use = "    # {}({}=…)".format(*state.given_as) if state.given_as else ""
        lines.append(f"    shelf.fake({interface}, name={name!r}){use}")
    return "\n".join(lines)


class Fakes:
    """Makes fakes, and gives the same one again for the same interface and name."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._made: dict[Any, dict[str | None, Any]] = {}
        self.real: dict[Any, Any] = {}
        """What stands behind the fakes of some interfaces, where a run is over real ones."""

    def give(self, form: object, name: str | None = None) -> Any:
        """The fake of this interface and name; raises InterfaceRefused when a bare interface has
        only named fakes.
        """
        state = state_of(form) if hasattr(type(form), STATE) else None
        if state is not None:
            return self._as_it_is(form, state, name)
        made = self._of(form)
        if name in made:
            return made[name]
        if name is None and made and (len(made) > 1 or self._has_furnished(made)):
            raise InterfaceRefused(_which_one(type_name(form), made))
        made[name] = new_fake(interface_of(form), name, self._desk)
        if form in self.real:
            from urnshelf.fakes.behind import put_behind

            state = self._state(made[name])
            put_behind(state, self.real[form])
            state.is_over_real = True
        return made[name]

    def idle(self) -> list[FakeState]:
        """Those that somebody asked for and nobody did anything with."""
        states = [self._state(fake) for made in self._made.values() for fake in made.values()]
        desk = self._desk
        return [
            state
            for state in states
            if not (state.is_spare or state.was_used or state.answers_from)
            and state not in desk.furnished
            and state not in desk.given
        ]

    @property
    def are_over_real(self) -> bool:
        """Whether something real stands behind one of them, by the run's wish."""
        every = [fake for made in self._made.values() for fake in made.values()]
        return any(self._state(fake).is_over_real for fake in every)

    @staticmethod
    def _state(fake: Any) -> FakeState:
        return object.__getattribute__(fake, STATE)  # type: ignore[no-any-return]

    def _has_furnished(self, made: dict[str | None, Any]) -> bool:
        """Whether a service was built with one of these, by its name."""
        return any(state_of(fake) in self._desk.furnished for fake in made.values())

    def _as_it_is(self, fake: Any, state: FakeState, name: str | None) -> Any:
        """A fake that is given for an interface: itself."""
        if state.desk is not self._desk:
            raise InterfaceRefused(
                f"{fake!r} is a fake of another shelf; give its interface, {state.interface.name}"
            )
        if name not in (None, state.name):
            raise InterfaceRefused(
                f"{fake!r} is a fake already; for another one give its interface: "
                f"shelf.fake({state.interface.name}, name={name!r})"
            )
        return fake

    def bare(self, form: object) -> FakeState | None:
        """The fake of this interface that has no name, where it was made already."""
        fake = self._of(form).get(None)
        return None if fake is None else state_of(fake)

    def hand_over(self, form: object, name: str | None, service: str, parameter: str) -> Any:
        """A fake for a parameter of a service that is built."""
        fake = self.give(form, name)
        state = object.__getattribute__(fake, STATE)
        state.given_as = (service, parameter)
        self._desk.furnished.append(state)
        return fake

    def note_given(self, values: Iterable[object]) -> None:
        """What a test gives to a service itself: the fakes among it are in use."""
        states = [state_of(value) for value in values]
        self._desk.given.update(state for state in states if state is not None)

    def state(self, form: object, name: str | None) -> FakeState:
        """What the library knows of the fake of this interface and name."""
        return self._state(self.give(form, name))

    def _of(self, form: object) -> dict[str | None, Any]:
        try:
            return self._made.setdefault(form, {})
        except TypeError:  # not hashable: certainly no interface, and said so by interface_of
            interface_of(form)
            raise
