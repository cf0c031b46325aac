"""Furnishing: building the object under test with a fake for each of its dependencies."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from enum import Enum
from typing import Any, TypeVar

from urnshelf.caches import remembered
from urnshelf.calls.place import put_under_test
from urnshelf.errors import FurnishRefused
from urnshelf.fakes.making import Fakes
from urnshelf.interfaces.dependencies import is_interface, is_of_the_language
from urnshelf.records.display import show
from urnshelf.records.recognising import describe
from urnshelf.types.annotations import resolve, signature_of
from urnshelf.types.forms import type_name
from urnshelf.types.nodes import ANYTHING, Kind, Node, node_of

__tracebackhide__ = True  # a failing test shows its own lines, not ours

S = TypeVar("S")


def furnish(service: Callable[..., S], given: dict[str, Any], fakes: Fakes) -> S:
    """Build the service: given arguments, a fake for each parameter annotated with an interface,
    defaults otherwise.

    Args:
        service: a class, or a function that builds the service.
        given: arguments by name.
        fakes: those of the shelf.

    Raises:
        FurnishRefused: a parameter that is none of these, or an argument that the service does not
            take.
    """
    if not callable(service):
        raise FurnishRefused(f"furnish() takes the service's class, not {show(service)}")
    # messages show lines of the service, even where it is installed like a library
    put_under_test(getattr(service, "__module__", ""))
    signature, dependencies = _parameters(service)
    all_of_one = _by_interface(dependencies)
    if given:
        _refuse_unknown(service, signature, given)
        dependencies = {name: form for name, form in dependencies.items() if name not in given}
    fakes.note_given(given.values())
    arguments = dict(given)
    lacking = []
    for name, form in dependencies.items():
        if form is not None:
            twins = all_of_one[form] if len(all_of_one[form]) > 1 else ()
            if twins:
                _refuse_without_a_name(service, form, twins, fakes)
            arguments[name] = fakes.hand_over(form, name if twins else None)
        elif signature.parameters[name].default is inspect.Parameter.empty:
            lacking.append(signature.parameters[name])
    if lacking:
        raise FurnishRefused(_lacking_text(service, lacking))
    # for these a name would be refused
    positional = [arguments.pop(name) for name in _positional(service) if name in arguments]
    return service(*positional, **arguments)


def _by_interface(dependencies: dict[str, Any]) -> dict[Any, list[str]]:
    """The parameters of each interface."""
    found: dict[Any, list[str]] = {}
    for name, form in dependencies.items():
        found.setdefault(form, []).append(name)
    return found


def _refuse_without_a_name(service: object, form: Any, twins: list[str], fakes: Fakes) -> None:
    """A fake without a name that a test made before, and nobody was given: which parameter did it
    mean?
    """
    bare = fakes.bare(form)
    if bare is None or bare.desk.is_handed_over(bare):
        return
    wanted = " or ".join(f"shelf.fake({type_name(form)}, name={name!r})" for name in twins)
    raise FurnishRefused(
        f"{_name(service)} takes several of {type_name(form)}, {' and '.join(twins)}, and "
        f"{bare.expression} was made before, which none of them gets: name the one that was meant, "
        f"{wanted}; or give it, shelf.furnish({_name(service)}, {twins[0]}={bare.expression})"
    )


@remembered
def _positional(service: object) -> tuple[str, ...]:
    """The parameters that can only be given by position."""
    return tuple(
        n for n, p in _parameters(service)[0].parameters.items() if p.kind is p.POSITIONAL_ONLY
    )


@remembered
def _parameters(service: object) -> tuple[inspect.Signature, dict[str, Any]]:
    """The service's parameters, and for each the interface that it is annotated with, or None."""
    signature = _signature(service)
    return signature, {
        name: dependency(_node(service, parameter))
        for name, parameter in signature.parameters.items()
        if parameter.kind not in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD)
    }


def dependency(node: Node) -> Any:
    """The interface that a parameter's type names, also beside None; None when it names no
    interface.
    """
    if node.kind is Kind.CALLABLE or is_interface(node):
        return node.bare
    return node.bare if node.kind is Kind.CLASS and _is_service_class(node.origin) else None


def _is_service_class(cls: Any) -> bool:
    """A plain class of the user's own that is no record, no enum and no value."""
    # data is given or drawn, never faked: a fake of a record would hide what the service makes of
    # it
    if is_of_the_language(cls) or describe(cls) is not None:
        return False
    return not issubclass(cls, (Enum, BaseException, int, float, str, bytes, tuple, list, dict))


def _signature(service: object) -> inspect.Signature:
    try:
        return signature_of(service)
    except (TypeError, ValueError) as why:
        raise FurnishRefused(
            f"furnish({_name(service)}): its parameters cannot be told ({why}); build it by hand"
        ) from None


def _node(service: Any, parameter: inspect.Parameter) -> Node:
    if parameter.annotation is inspect.Parameter.empty:
        return ANYTHING
    owner = service if isinstance(service, type) else None
    return node_of(resolve(parameter.annotation, owner, service.__init__ if owner else service))


def _refuse_unknown(service: object, signature: inspect.Signature, given: dict[str, Any]) -> None:
    takes_any = any(p.kind is p.VAR_KEYWORD for p in signature.parameters.values())
    unknown = [name for name in given if name not in signature.parameters]
    if unknown and not takes_any:
        raise FurnishRefused(
            f"{_name(service)} has no parameter {unknown[0]!r}; it has "
            f"{', '.join(signature.parameters) or 'none'}"
        )


def _lacking_text(service: object, lacking: list[inspect.Parameter]) -> str:
    lines = [f"{_name(service)} cannot be built: no argument for"]
    for parameter in lacking:
        node = _node(service, parameter)
        if parameter.annotation is inspect.Parameter.empty:
            why = "it has no annotation"
        elif node.kind is Kind.UNKNOWN:
            why = f"its annotation {parameter.annotation!r} cannot be resolved"
        else:
            why = f"{type_name(node.form)} is no interface"
        lines.append(f"  {parameter.name}: {why}, and it has no default")
    example = ", ".join(f"{parameter.name}=…" for parameter in lacking)
    return "\n".join([*lines, f"Give it: shelf.furnish({_name(service)}, {example})"])


def _name(service: object) -> str:
    return getattr(service, "__qualname__", None) or show(service)
