"""Furnishing: building the object under test with a fake for each of its dependencies."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from enum import Enum
from functools import lru_cache
from types import UnionType
from typing import Any, TypeVar, Union, get_args, get_origin

from urnshelf.calls.place import put_under_test
from urnshelf.errors import FurnishRefused
from urnshelf.fakes.obvious import is_interface, is_of_the_language
from urnshelf.interfaces.hints import resolve, signature_of, type_name
from urnshelf.interfaces.members import form_is_callable
from urnshelf.records.display import show
from urnshelf.records.shapes import shape_of

__tracebackhide__ = True  # a failing test shows its own lines, not ours

S = TypeVar("S")
FakeFor = Callable[[Any, str | None], Any]


def furnish(service: Callable[..., S], given: dict[str, Any], fake_for: FakeFor) -> S:
    """Build the service: given arguments, a fake for each parameter annotated with an interface, defaults otherwise.

    Args:
        service: a class, or a function that builds the service.
        given: arguments by name.
        fake_for: gives the fake of an interface, by name where there are several.

    Raises:
        FurnishRefused: a parameter that is none of these, or an argument that the service does not take.
    """
    if not callable(service):
        raise FurnishRefused(f"furnish() takes the service's class, not {show(service)}")
    put_under_test(getattr(service, "__module__", ""))
    signature, dependencies = _parameters(service)
    if given:
        _refuse_unknown(service, signature, given)
        dependencies = {name: form for name, form in dependencies.items() if name not in given}
    wanted = list(dependencies.values())
    arguments = dict(given)
    lacking = []
    for name, form in dependencies.items():
        if form is not None:
            arguments[name] = fake_for(form, name if wanted.count(form) > 1 else None)
        elif signature.parameters[name].default is inspect.Parameter.empty:
            lacking.append(signature.parameters[name])
    if lacking:
        raise FurnishRefused(_lacking_text(service, lacking))
    positional = [arguments.pop(name) for name in _positional(service) if name in arguments]
    return service(*positional, **arguments)


@lru_cache(maxsize=1024)
def _positional(service: Any) -> tuple[str, ...]:
    """The parameters that can only be given by position."""
    return tuple(n for n, p in _parameters(service)[0].parameters.items() if p.kind is p.POSITIONAL_ONLY)


@lru_cache(maxsize=1024)
def _parameters(service: Any) -> tuple[inspect.Signature, dict[str, Any]]:
    """The service's parameters, and for each the interface that it is annotated with, or None."""
    signature = _signature(service)
    return signature, {
        name: dependency(_annotation(service, parameter))
        for name, parameter in signature.parameters.items()
        if parameter.kind not in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD)
    }


def dependency(annotation: Any) -> Any:
    """The interface that an annotation names, `None | …` taken off; None when it names no interface."""
    origin = get_origin(annotation)
    if origin is Union or origin is UnionType:
        rest = [arg for arg in get_args(annotation) if arg is not type(None)]
        return dependency(rest[0]) if len(rest) == 1 else None
    if form_is_callable(annotation) or is_interface(annotation):
        return annotation
    return annotation if _is_service_class(origin or annotation) else None


def _is_service_class(cls: Any) -> bool:
    """A plain class of the user's own that is no record, no enum and no value."""
    if not isinstance(cls, type) or is_of_the_language(cls) or cls is object:
        return False
    return shape_of(cls) is None and not issubclass(
        cls, (Enum, BaseException, int, float, str, bytes, tuple, list, dict)
    )


def _signature(service: Any) -> inspect.Signature:
    try:
        return signature_of(service)
    except (TypeError, ValueError) as why:
        raise FurnishRefused(
            f"furnish({_name(service)}): its parameters cannot be told ({why}); build it by hand"
        ) from None


def _annotation(service: Any, parameter: inspect.Parameter) -> Any:
    if parameter.annotation is inspect.Parameter.empty:
        return Any
    is_class = isinstance(service, type)
    return resolve(parameter.annotation, service if is_class else None, service.__init__ if is_class else service)


def _refuse_unknown(service: Any, signature: inspect.Signature, given: dict[str, Any]) -> None:
    takes_any = any(p.kind is p.VAR_KEYWORD for p in signature.parameters.values())
    unknown = [name for name in given if name not in signature.parameters]
    if unknown and not takes_any:
        raise FurnishRefused(
            f"{_name(service)} has no parameter {unknown[0]!r}; it has {', '.join(signature.parameters) or 'none'}"
        )


def _lacking_text(service: Any, lacking: list[inspect.Parameter]) -> str:
    lines = [f"{_name(service)} cannot be built: no argument for"]
    for parameter in lacking:
        form = _annotation(service, parameter)
        if parameter.annotation is inspect.Parameter.empty:
            why = "it has no annotation"
        elif form is Any:
            why = f"its annotation {parameter.annotation!r} cannot be resolved"
        else:
            why = f"{type_name(form)} is no interface"
        lines.append(f"  {parameter.name}: {why}, and it has no default")
    example = ", ".join(f"{parameter.name}=…" for parameter in lacking)
    return "\n".join([*lines, f"Give it: shelf.furnish({_name(service)}, {example})"])


def _name(service: Any) -> str:
    return getattr(service, "__qualname__", None) or show(service)
