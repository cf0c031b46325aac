"""Furnishing: building the object under test with a fake for each of its dependencies."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from types import FrameType
from typing import Any, TypeVar

from urnshelf.calls.place import put_under_test
from urnshelf.errors import FurnishRefused
from urnshelf.fakes.clocks import is_of_the_standard_clock
from urnshelf.fakes.constructors import (
    NOTHING,
    Constructor,
    Taken,
    bare_service,
    constructor_of,
)
from urnshelf.fakes.making import Fakes
from urnshelf.interfaces.dependencies import is_interface, is_of_the_language
from urnshelf.interfaces.taking_apart import interface_of
from urnshelf.near_names import nearest
from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.types.forms import full_name, type_name
from urnshelf.types.nodes import Kind, Node

S = TypeVar("S")


def furnish(
    service: Callable[..., S],
    given: dict[str, Any],
    fakes: Fakes,
    frame: FrameType | None = None,
    by_position: tuple[object, ...] = (),
) -> S:
    """Build the service: given arguments, a fake for each dependency, settings built of their
    defaults, and other parameters as they are.

    Args:
        service: a class, or a function that builds the service.
        given: arguments by name.
        fakes: those of the shelf.
        frame: the caller's, for the names of classes that were made in it.
        by_position: arguments that have no name, which is refused.

    Raises:
        FurnishRefused: a parameter that is none of these, or an argument that the service does not
            take.
    """
    constructor = constructor_of(service, frame)
    # messages show lines of the service, even where it is installed like a library
    put_under_test(constructor.module)
    forms = _forms(constructor)
    if by_position:
        raise FurnishRefused(_nameless_text(constructor, by_position))
    _refuse_unknown(constructor, given)
    fakes.note_given(given.values())
    arguments = dict(given)
    lacking = []
    for name, parameter in constructor.parameters.items():
        if name in given or name in constructor.bound:
            continue
        form, several = forms[name]
        if form is not None:
            arguments[name] = _fake(constructor, name, form, several, fakes)
        elif parameter.default is NOTHING:
            value = _built(parameter, constructor)
            if value is not NOTHING:
                arguments[name] = value
            elif not parameter.is_handed_on:  # of a base it may be given by the constructor itself
                lacking.append(parameter)
    if lacking:
        raise FurnishRefused(_lacking_text(constructor.name, lacking))
    built: S = constructor.call(arguments)
    return built


def faked_for(parameter: Taken) -> Any:
    """What is faked for a parameter: its interface, or a function that tells the time or sleeps;
    None where nothing is.
    """
    default = parameter.default
    is_callable = parameter.node.kind is Kind.CALLABLE
    interface = None if is_callable else dependency(parameter.node)
    if interface is not None:
        return interface
    # the real clock, and real sleep, are never reached
    if default is not NOTHING and is_of_the_standard_clock(bare_service(default)):
        return bare_service(default)
    return parameter.node.bare if is_callable and default is NOTHING else None


def dependency(node: Node) -> Any:
    """The interface that a parameter's type names, also beside None; None when it names no
    interface.
    """
    if node.kind is Kind.CALLABLE or is_interface(node):
        return node.bare
    return node.bare if node.kind is Kind.CLASS and _is_service_class(node.origin) else None


def _is_service_class(cls: Any) -> bool:
    """A plain class of the user's own that is no record, no enum, no value, and no settings."""
    # data is given or drawn, never faked: a fake of a record would hide what the service makes of
    # it
    if is_of_the_language(cls) or describe(cls) is not None:
        return False
    if issubclass(cls, (Enum, BaseException, int, float, str, bytes, tuple, list, dict)):
        return False
    return not _holds_settings(cls)


_DOES_SOMETHING = frozenset(
    """
    __call__ __enter__ __aenter__ __iter__ __aiter__ __next__ __getitem__ __len__ __await__
    """.split()
)
"""Special methods of a class that is depended on; the others any data may have."""


def _holds_settings(cls: Any) -> bool:
    """A plain class that has fields, and no public method or property: settings, by its looks."""
    members = [one for one in interface_of(cls).members.values() if one.owner is not None]
    fields = [one for one in members if one.kind == "attribute" and one.function is None]
    methods = [one for one in members if one not in fields]
    does = [one for one in methods if one.name in _DOES_SOMETHING or not one.name.startswith("_")]
    return not does and any(not one.name.startswith("_") for one in fields)


def _forms(constructor: Constructor) -> dict[str, tuple[Any, list[str]]]:
    """What is faked for each parameter, and all parameters that it is faked for; found out once."""
    if constructor.forms is None:
        found = {name: faked_for(one) for name, one in constructor.parameters.items()}
        constructor.forms = {
            name: (form, [one for one, theirs in found.items() if theirs == form])
            for name, form in found.items()
        }
    return constructor.forms


def _fake(constructor: Constructor, name: str, form: Any, several: list[str], fakes: Fakes) -> Any:
    if len(several) < 2:
        return fakes.hand_over(form, None, constructor.name, name)
    bare = fakes.bare(form)
    if bare is None or bare.desk.is_handed_over(bare):
        return fakes.hand_over(form, name, constructor.name, name)
    # a fake without a name that a test made before, and nobody was given
    wanted = " or ".join(f"shelf.fake({type_name(form)}, name={one!r})" for one in several)
    raise FurnishRefused(
        f"{constructor.name} takes several of {type_name(form)}, {' and '.join(several)}, and "
        f"{bare.expression} was made before, which none of them gets: name the one that was meant, "
        f"{wanted}; or give it, shelf.furnish({constructor.name}, {several[0]}={bare.expression})"
    )


# --- settings -------------------------------------------------------------------------------------


def _built(parameter: Taken, constructor: Constructor) -> Any:
    """What a parameter without a default gets that is no dependency: settings made of their own
    defaults, or a logger; `NOTHING` for any other.
    """
    cls = parameter.node.origin
    if parameter.node.kind is not Kind.CLASS or not isinstance(cls, type):
        return NOTHING
    if any(full_name(base) == "logging.Logger" for base in cls.__mro__):
        from logging import getLogger

        return getLogger(constructor.module)
    if not (describe(cls) is not None or _is_plain_settings(cls)) or _without_default(cls):
        return NOTHING
    try:
        return cls()
    except Exception as why:
        raise FurnishRefused(
            f"{constructor.name} cannot be built: its settings {parameter.name}: {cls.__name__} "
            f"cannot be made of their defaults: {type(why).__name__}: {why}\nGive them: "
            f"shelf.furnish({constructor.name}, {parameter.name}=…)"
        ) from None


def _without_default(cls: type) -> list[str]:
    parameters = Constructor(cls, None).parameters.values()
    return [one.name for one in parameters if one.default is NOTHING]


def _is_plain_settings(cls: type) -> bool:
    return not is_of_the_language(cls) and not issubclass(cls, Enum) and _holds_settings(cls)


# --- what cannot be built -------------------------------------------------------------------------


def _refuse_unknown(constructor: Constructor, given: dict[str, Any]) -> None:
    known = list(constructor.parameters)
    unknown = [name for name in given if name not in known]
    if not unknown or constructor.takes_any:
        return
    hint = nearest(unknown[0], known)
    raise FurnishRefused(f"{constructor.name} has no parameter {unknown[0]!r}; {hint}")


def _nameless_text(constructor: Constructor, values: tuple[object, ...]) -> str:
    names = [*constructor.parameters, *["…"] * len(values)]
    named = [f"{name}={show(value, 40)}" for name, value in zip(names, values, strict=False)]
    return (
        f"furnish({constructor.name}, {', '.join(show(value, 40) for value in values)}): arguments "
        f"are given by name, as {', '.join(named)}"
    )


def _lacking_text(name: str, lacking: list[Taken]) -> str:
    lines = [f"{name} cannot be built: no argument for"]
    lines += [f"  {one.name}: {_why_lacking(one)}, and it has no default" for one in lacking]
    example = ", ".join(f"{one.name}=…" for one in lacking)
    return "\n".join([*lines, f"Give it: shelf.furnish({name}, {example})"])


def _why_lacking(parameter: Taken) -> str:
    node = parameter.node
    if not parameter.is_annotated:
        return "it has no annotation"
    if node.kind is Kind.UNKNOWN:
        return f"its annotation {type_name(node.written)} cannot be resolved"
    kinds = [one for one in node.args if dependency(one)] if node.kind is Kind.UNION else []
    if kinds:
        first = type_name(kinds[0].form)
        return f"it may be any of {type_name(node.form)}, as shelf.fake({first})"
    if isinstance(node.bare, type) and describe(node.bare) is not None:
        wanted = ", ".join(_without_default(node.bare)[:4])
        return f"{type_name(node.form)} is data that has no default for {wanted}"
    return f"{type_name(node.form)} is no interface"
